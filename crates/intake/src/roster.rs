//! Who there is: sections and their teams. Without a roster every name is taken.

use std::collections::{BTreeMap, BTreeSet};

use jurado_core::error::Fault;

use crate::delimited::Delimited;
use crate::{Effort, UPLOAD};

/// Sections and their teams.
#[derive(Clone, Debug, Default)]
pub struct Roster {
    /// Teams by section.
    pub sections: BTreeMap<String, BTreeSet<String>>,
    /// Sections that whoever hands in may hand in for; `None` for all.
    pub allowed: Option<BTreeSet<String>>,
}

impl Roster {
    /// What speaks against a section and a team: a stable word, what, and how to mend it.
    pub fn objection(&self, section: &str, team: &str) -> Option<(&'static str, String, String)> {
        let Some(teams) = self.sections.get(section) else {
            if let Some((what, mend)) = unseen(section) {
                return Some(("unseen-in-section", what, mend.to_owned()));
            }
            // Which other sections there are is not for everybody.
            let own = |name: &&str| self.allowed.as_ref().is_none_or(|a| a.contains(*name));
            let known: Vec<&str> = self.sections.keys().map(String::as_str).filter(own).collect();
            return Some((
                "unknown-section",
                format!("there is no section `{section}`"),
                format!("it may be {}", list(&known)),
            ));
        };
        if self.allowed.as_ref().is_some_and(|a| !a.contains(section)) {
            return Some((
                "other-section",
                format!("the section `{section}` is not one of yours"),
                "ask its reviewer or the coordinator to hand it in".to_owned(),
            ));
        }
        if !teams.contains(team) {
            if let Some((what, mend)) = unseen(team) {
                return Some(("unseen-in-team", what, mend.to_owned()));
            }
            let known: Vec<&str> = teams.iter().map(String::as_str).collect();
            return Some((
                "unknown-team",
                format!("there is no team `{team}` in {section}"),
                format!("its teams are {}", list(&known)),
            ));
        }
        None
    }
}

fn list(names: &[&str]) -> String {
    if names.is_empty() {
        return "none yet; ask the coordinator to add it".to_owned();
    }
    let shown = names.len().min(20);
    let more = if names.len() > shown { format!(" and {} more", names.len() - shown) } else { String::new() };
    names[..shown].join(", ") + &more
}

/// One line of a roster.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RosterLine {
    /// Section.
    pub section: String,
    /// Team.
    pub team: String,
    /// The student's number; empty for a team alone.
    pub number: String,
    /// The student's name.
    pub name: String,
}

/// Most lines of a roster: students of a year of a large college.
pub const MOST_LINES: usize = 20_000;
/// Longest name of a section, team or student.
const MOST_NAME: usize = 80;

/// A sign in a name that is not seen and lets two names look alike: control signs, signs that turn the writing about, and
/// signs without width. Joiners are letters' own in some scripts and stay between letters beyond ASCII.
#[must_use]
pub fn unseen_sign(name: &str) -> Option<char> {
    let signs: Vec<char> = name.chars().collect();
    let beyond = |at: Option<usize>| at.and_then(|i| signs.get(i)).is_some_and(|c| c.is_alphabetic() && !c.is_ascii());
    signs.iter().enumerate().find_map(|(i, c)| {
        let unseen = match c {
            '\u{200c}' | '\u{200d}' => !(beyond(i.checked_sub(1)) && beyond(Some(i + 1))),
            '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{feff}' => true,
            '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' => true,
            '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}' => true,
            c => c.is_control(),
        };
        unseen.then_some(*c)
    })
}

/// A name without its unseen signs: for names of files, which are shown and nothing else.
#[must_use]
pub fn without_unseen_signs(name: &str) -> String {
    let mut name = name.to_owned();
    while let Some(sign) = unseen_sign(&name) {
        name.retain(|c| c != sign);
    }
    name
}

/// What is wrong with a name that holds an unseen sign, and how to mend it.
fn unseen(name: &str) -> Option<(String, &'static str)> {
    let sign = unseen_sign(name)?;
    let told = format!("“{}” holds a sign that is not seen (U+{:04X})", without_unseen_signs(name), u32::from(sign));
    Some((told, "type the name anew, without copying it"))
}

/// Reads a roster: CSV with the columns section, team, number and name, in any order; the last two may be left out.
///
/// # Errors
/// A missing column, an empty or overlong name, or one student in two places, each with the line.
pub fn read_roster(bytes: &[u8]) -> Result<Vec<RosterLine>, Fault> {
    let empty = || Fault {
        line: 1,
        column: 1,
        what: "the roster is empty".into(),
        mend: "begin with section,team,number,name".into(),
    };
    if bytes.trim_ascii().is_empty() {
        return Err(empty());
    }
    let effort = Effort::new(UPLOAD);
    let file = Delimited::open(bytes, &effort)?;
    let mut records = file.records();
    let head = records.next().ok_or_else(empty)?;
    let names: Vec<String> = head.fields.iter().map(|f| f.trim().to_lowercase()).collect();
    let find = |known: &[&str]| names.iter().position(|n| known.contains(&n.as_str()));
    let (section, team) = (find(&["section", "watch", "group"]), find(&["team", "pair"]));
    let (number, name) = (find(&["number", "student", "student number", "id"]), find(&["name", "student name"]));
    let (Some(section), Some(team)) = (section, team) else {
        return Err(head.fault(
            0,
            "the first line lacks a column section or team",
            "begin with section,team,number,name",
        ));
    };
    let mut out: Vec<RosterLine> = Vec::new();
    let mut places: BTreeMap<String, (usize, String)> = BTreeMap::new();
    for record in records {
        effort.step(4)?;
        if out.len() >= MOST_LINES {
            return Err(record.fault(
                0,
                format!("the roster has more than {MOST_LINES} lines"),
                "bring it in several parts, some sections each",
            ));
        }
        if let Some(d) = &record.damage {
            return Err(record.fault(d.field, d.what.clone(), d.mend));
        }
        let field = |i: usize| record.fields.get(i).map_or("", |f| f.trim()).to_owned();
        let line = RosterLine {
            section: field(section),
            team: field(team),
            number: number.map(field).unwrap_or_default(),
            name: name.map(field).unwrap_or_default(),
        };
        for (at, what, text) in [(section, "section", &line.section), (team, "team", &line.team)] {
            if text.is_empty() {
                return Err(record.fault(at, format!("the line names no {what}"), format!("write its {what}")));
            }
        }
        if let Some(text) = [&line.section, &line.team, &line.name].into_iter().find(|t| t.chars().count() > MOST_NAME)
        {
            return Err(record.fault(0, format!("“{text}” is longer than {MOST_NAME} characters"), "shorten it"));
        }
        for text in [&line.section, &line.team, &line.number, &line.name] {
            if let Some((what, mend)) = unseen(text) {
                return Err(record.fault(0, what, mend));
            }
        }
        if line.number.chars().count() > 40 {
            return Err(record.fault(
                number.unwrap_or(0),
                "the student's number is longer than 40 characters",
                "shorten it",
            ));
        }
        if !line.number.is_empty() {
            let place = format!("{} in {}", line.team, line.section);
            match places.get(&line.number) {
                Some((first, there)) if *there != place => {
                    return Err(record.fault(
                        number.unwrap_or(0),
                        format!("{} is in {place} here and in {there} on line {first}", line.number),
                        "a student belongs to one team: keep the right line",
                    ));
                }
                _ => places.insert(line.number.clone(), (record.line, place)),
            };
        }
        out.push(line);
    }
    if out.is_empty() {
        return Err(head.fault(0, "the roster has column names and no line", "add a line for each student"));
    }
    Ok(out)
}
