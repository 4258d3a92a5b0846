//! What a section sets for a lab, as a form, and the form read.

use chrono::NaiveDateTime;
use jurado_core::protocol::{ItemId, ItemKind, Protocol, ResultId, ResultSpec};
use jurado_core::section::{Issued, Section, Source, Waiver};
use jurado_store::Lab;
use jurado_store::sections::{Past, Setting};

use super::course::time;
use super::entry::{Fields, field};
use super::would::WouldView;
use crate::forms;

/// A result that may be taught by another formula than its own.
pub(crate) struct SchoolsOf {
    pub(crate) id: String,
    pub(crate) title: String,
    /// The lab's own formula.
    pub(crate) own: String,
    /// Name, words, whether it is chosen.
    pub(crate) schools: Vec<(String, String, bool)>,
}

/// A constant that may be taught as another value.
pub(crate) struct ConstantOf {
    pub(crate) id: String,
    pub(crate) title: String,
    /// What stands on the sheet, with its unit.
    pub(crate) sheet: String,
    /// What is set; empty for the sheet's.
    pub(crate) value: String,
}

pub(crate) struct SettingView {
    pub(crate) section: String,
    pub(crate) section_id: u32,
    pub(crate) lab: String,
    pub(crate) lab_id: u32,
    pub(crate) version: u32,
    pub(crate) due: String,
    /// Id, title, value, range.
    pub(crate) parameters: Vec<(String, String, String, String)>,
    /// Id, title, on.
    pub(crate) criteria: Vec<(String, String, bool)>,
    pub(crate) source: String,
    pub(crate) issued: String,
    /// How one is written.
    pub(crate) example: String,
    /// Id, title, reason.
    pub(crate) waivers: Vec<(String, String, String)>,
    pub(crate) schools: Vec<SchoolsOf>,
    pub(crate) constants: Vec<ConstantOf>,
    pub(crate) reason: String,
    /// Version, who, when, why.
    pub(crate) history: Vec<(u32, String, String, String)>,
    pub(crate) fault: Option<String>,
    /// Other sections that may be set alike: id, name, whether chosen.
    pub(crate) others: Vec<(u32, String, bool)>,
    pub(crate) would: Option<WouldView>,
    /// The change that was looked at.
    pub(crate) looked: String,
}

/// What the page of a section's settings is made from.
pub(crate) struct Loaded {
    pub(crate) lab: Lab,
    pub(crate) section: String,
    /// The person's other sections.
    pub(crate) others: Vec<(u32, String)>,
    pub(crate) now: Setting,
    pub(crate) past: Vec<Past>,
}

fn number(value: f64) -> String {
    format!("{value}")
}

impl SettingView {
    pub(crate) fn new(loaded: &Loaded, section_id: u32, settings: &Section, due: Option<NaiveDateTime>) -> SettingView {
        let p = &loaded.lab.protocol;
        let issued: Vec<String> = settings
            .issued
            .iter()
            .map(|i| format!("{},{},{}", i.item, i.row.map(|r| r.to_string()).unwrap_or_default(), number(i.value)))
            .collect();
        SettingView {
            section: loaded.section.clone(),
            section_id,
            lab: p.title.clone(),
            lab_id: loaded.lab.id,
            version: loaded.now.version,
            due: due.map(crate::views::course::for_field).unwrap_or_default(),
            parameters: p
                .parameters
                .iter()
                .map(|x| {
                    let item = &p.items[x.item];
                    let value = settings.parameters.get(&item.id).copied().unwrap_or(x.value);
                    let range = format!("{} to {}{}", number(x.range.0), number(x.range.1), item.unit_after());
                    (item.id.clone(), crate::views::capital(&item.title), number(value), range)
                })
                .collect(),
            criteria: p
                .criteria
                .iter()
                .filter(|c| c.off)
                .map(|c| (c.id.clone(), c.title.clone(), settings.criteria.contains(&c.id)))
                .collect(),
            source: match settings.readings {
                Source::Own => "own",
                Source::Issued => "issued",
                Source::Shown => "shown",
            }
            .to_owned(),
            issued: issued.join("\n"),
            example: example(p),
            waivers: ItemId::with(&p.items)
                .filter(|(_, it)| matches!(it.kind, ItemKind::Reading(_) | ItemKind::Result(_)))
                .map(|(i, it)| {
                    let reason = settings.waived(&it.id).unwrap_or("").to_owned();
                    (it.id.clone(), crate::views::capital(&p.full_title(i)), reason)
                })
                .collect(),
            schools: schools(p, settings),
            constants: constants(p, settings),
            reason: String::new(),
            history: loaded.past.iter().map(|h| (h.version, h.by.clone(), time(h.at), h.reason.clone())).collect(),
            fault: None,
            others: loaded.others.iter().map(|(id, name)| (*id, name.clone(), false)).collect(),
            would: None,
            looked: String::new(),
        }
    }

    /// Which other sections are to be set alike.
    pub(crate) fn choose(&mut self, also: &[u32]) {
        self.others.iter_mut().for_each(|o| o.2 = also.contains(&o.0));
    }

    /// What was typed stays as it was, whatever is wrong with it.
    pub(crate) fn keep(&mut self, fields: &Fields) {
        let kept = |name: &str| field(fields, name).unwrap_or("").to_owned();
        let there = |name: String| field(fields, &name).is_some();
        for p in &mut self.parameters {
            p.2 = kept(&format!("p.{}", p.0));
        }
        for w in &mut self.waivers {
            w.2 = kept(&format!("w.{}", w.0));
        }
        for c in &mut self.criteria {
            c.2 = there(format!("on.{}", c.0));
        }
        for s in &mut self.schools {
            let name = kept(&format!("s.{}", s.id));
            s.schools.iter_mut().for_each(|school| school.2 = school.0 == name);
        }
        for c in &mut self.constants {
            c.value = kept(&format!("c.{}", c.id));
        }
        if let Some(source) = field(fields, "source") {
            source.clone_into(&mut self.source);
        }
        self.issued = kept("issued");
        self.due = kept("due");
        self.reason = kept("reason");
        self.looked = kept("looked");
        self.others.iter_mut().for_each(|o| o.2 = there(format!("also.{}", o.0)));
    }
}

/// The results that may be taught by another formula, and what is set of them.
fn schools(p: &Protocol, settings: &Section) -> Vec<SchoolsOf> {
    let of = |(n, r): (ResultId, &ResultSpec)| {
        let item = &p.items[r.item];
        let set = settings.schools.get(&item.id).and_then(|name| p.school_named(&item.id, name));
        let school = |s: jurado_core::protocol::SchoolOf<'_>| {
            (s.name.to_owned(), s.words().to_owned(), set.as_ref().is_some_and(|set| set.word == s.word))
        };
        SchoolsOf {
            id: item.id.clone(),
            title: super::capital(&p.full_title(r.item)),
            own: jurado_core::formula::plain::formula(&r.node, &|i| p.items[i].title.clone()),
            schools: p.schools_of(n).into_iter().map(school).collect(),
        }
    };
    ResultId::with(&p.results).map(of).filter(|s| !s.schools.is_empty()).collect()
}

/// The constants that may be taught as another value, and what is set of them.
fn constants(p: &Protocol, settings: &Section) -> Vec<ConstantOf> {
    let of = |r: &jurado_core::protocol::Reference| {
        let item = &p.items[r.item];
        let sheet = r.entries.first().map(|e| item.from_si(e.middle()));
        let sheet = sheet.map(|v| jurado_core::notation::to_figures(v, 9, false).to_string());
        ConstantOf {
            id: item.id.clone(),
            title: super::capital(&item.title),
            sheet: format!("{}{}", sheet.unwrap_or_else(|| "by its formula".into()), item.unit_after()),
            value: settings.constants.get(&item.id).map_or_else(String::new, |v| number(*v)),
        }
    };
    p.references.iter().filter(|r| p.may_set(r.item)).map(of).collect()
}

/// An issued value of this lab, to show how one is written.
fn example(p: &Protocol) -> String {
    let spec = p.readings.iter().find(|r| p.items[r.item].words.is_none());
    spec.map_or_else(String::new, |r| {
        let row = if p.has_rows(r.item) { "1" } else { "" };
        let value = r.plausible.map_or(1.0, |(low, high)| (low + high) / 2.0);
        format!("{},{row},{}", p.items[r.item].id, jurado_core::notation::figures(value, 3))
    })
}

/// What the form says, or what is wrong with it in words.
pub(crate) fn parse(p: &Protocol, fields: &Fields, now: &Section) -> Result<(Section, Option<NaiveDateTime>), String> {
    let mut out = Section { repeatability: now.repeatability.clone(), ..Section::default() };
    for x in &p.parameters {
        let item = &p.items[x.item];
        let Some(text) = field(fields, &format!("p.{}", item.id)) else { continue };
        let (low, high) = x.range;
        match forms::number(text, &item.title).ok().filter(|v| (low..=high).contains(v)) {
            // What is the lab's own value is not set.
            Some(v) if v == x.value => {}
            Some(v) => {
                out.parameters.insert(item.id.clone(), v);
            }
            None => return Err(format!("The {}, “{text}”, is no number from {low} to {high}.", item.title)),
        }
    }
    for c in p.criteria.iter().filter(|c| c.off) {
        if field(fields, &format!("on.{}", c.id)).is_some() {
            out.criteria.push(c.id.clone());
        }
    }
    for (name, reason) in fields {
        let Some(id) = name.strip_prefix("w.") else { continue };
        let reason = forms::WAIVER.optional(reason)?;
        if !reason.is_empty() && p.item(id).is_some() {
            out.waivers.push(Waiver { item: id.to_owned(), reason });
        }
    }
    for (name, school) in fields {
        let Some(id) = name.strip_prefix("s.").filter(|_| !school.is_empty()) else { continue };
        if p.school_named(id, school).is_none() {
            return Err(format!(
                "“{school}” is no formula that this lab knows for that result: choose one of the list."
            ));
        }
        out.schools.insert(id.to_owned(), school.clone());
    }
    for (name, text) in fields {
        let Some(id) = name.strip_prefix("c.").filter(|_| !text.trim().is_empty()) else { continue };
        let Some(item) = p.item(id).filter(|i| p.may_set(*i)) else { continue };
        let title = p.full_title(item);
        let value = forms::number(text, &format!("the {title}")).map_err(|fault| super::capital(&fault))?;
        let sheet = p.references.iter().find(|r| r.item == item).and_then(|r| r.entries.first());
        // What stands on the sheet is not set.
        if sheet.is_none_or(|e| p.items[item].from_si(e.middle()) != value) {
            out.constants.insert(id.to_owned(), value);
        }
    }
    out.readings = match field(fields, "source") {
        Some("issued") => Source::Issued,
        Some("shown") => Source::Shown,
        _ => Source::Own,
    };
    for (n, line) in field(fields, "issued").unwrap_or("").lines().enumerate() {
        if line.trim().is_empty() {
            continue;
        }
        let parts: Vec<&str> = line.split([',', ';', '\t']).map(str::trim).collect();
        let wrong = |what: &str| {
            format!(
                "Issued values, line {}: {what}. Write the reading, its row or nothing, and the value, such as {}.",
                n + 1,
                example(p)
            )
        };
        let [id, row, value] = parts[..] else { return Err(wrong(&format!("“{line}” has not three parts"))) };
        let Some(item) = p.item(id).filter(|i| p.reading_of(*i).is_some()) else {
            return Err(wrong(&format!("“{id}” is no reading of this lab")));
        };
        let row = if row.is_empty() {
            None
        } else {
            Some(row.parse::<u32>().map_err(|_| wrong(&format!("“{row}” is no row number")))?)
        };
        if row.is_some() != p.has_rows(item) {
            return Err(wrong(if row.is_some() {
                "it is taken once and has no row"
            } else {
                "it is taken several times and needs its row"
            }));
        }
        let value = forms::number(value, id).map_err(|_| wrong(&format!("“{value}” is no number")))?;
        out.issued.push(Issued { item: id.to_owned(), row, value });
    }
    if out.readings != Source::Own && out.issued.is_empty() {
        return Err(
            "Readings are said to be issued or shown, and no value is: write the values that everybody got.".into()
        );
    }
    let due = match field(fields, "due").map(str::trim).filter(|d| !d.is_empty()) {
        None => None,
        Some(text) => Some(crate::views::course::from_field(text)?),
    };
    Ok((out, due))
}
