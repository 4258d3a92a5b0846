//! A class as one JSON object and as text, for whoever has no screen. Numbers are at full
//! precision, absent things null.
//!
//! # The shape
//!
//! ```text
//! {engine, protocol, tables, results, words, taught, frequent, shared}
//! ```
//!
//! A result stands there once for each key by which its teams can be grouped, and once for the
//! sections.

use std::fmt::Write;

use serde::Serialize;

use super::shape::{
    CochranOf, EffectOf, FrequentOf, GroupOf, MandelOf, MandelRowOf, ResultOf, RobustOf, ShareOf, SharedOf, Table,
    TaughtOf, TeamOf, WordsOf,
};
use super::{
    APART, Asked, By, Entry, Floor, Robust, Scale, comparable, frequent, main_key, shared_tables, taught,
    word_consensus, worded,
};
use crate::notation::{self, capital, counted};
use crate::protocol::{Protocol, ResultId};
use crate::report::ProtocolOf;
use crate::verdict::ENGINE;
use crate::wording;

/// A class, ready to be written.
#[derive(Serialize)]
pub struct ClassReport<'a> {
    /// Version of the engine that judged.
    engine: &'static str,
    /// By what it was judged.
    protocol: ProtocolOf<'a>,
    /// Tables of the class.
    tables: usize,
    /// Every result that can be compared, by each grouping.
    results: Vec<ResultOf<'a>>,
    /// Results that are words, with what was answered.
    words: Vec<WordsOf<'a>>,
    /// What one group shares and others do not.
    taught: Vec<TaughtOf>,
    /// What many got wrong, to be said at the start of the next lab.
    frequent: Vec<FrequentOf>,
    /// Pairs of tables with the same readings.
    shared: Vec<SharedOf<'a>>,
}

/// The word of a scale.
///
/// # Example
/// ```
/// use jurado_core::class::{Scale, scale_word};
/// assert_eq!(scale_word(Scale::Percent), "percent");
/// ```
pub fn scale_word(scale: Scale) -> &'static str {
    match scale {
        Scale::Unit => "unit",
        Scale::Percent => "percent",
        Scale::Apart => "apart",
        Scale::Spreads => "spreads",
    }
}

/// What a class is grouped by, as a word: `section`, `reviewer` or the key's id.
///
/// # Example
/// ```
/// use jurado_core::class::{By, by_word};
/// assert_eq!(by_word(&By::Key("station".into())), "station");
/// assert_eq!(by_word(&By::Section), "section");
/// ```
pub fn by_word(by: &By) -> &str {
    match by {
        By::Section => "section",
        By::Reviewer => "reviewer",
        By::Key(key) => key,
    }
}

/// What teams of a result may be grouped by: its main key, the other keys that tables have, then
/// the section.
///
/// # Example
/// ```
/// use jurado_core::class::{By, groupings};
/// use jurado_core::example::lab;
/// use jurado_core::protocol::ResultId;
/// // The lab has no keys: teams can be grouped by their sections alone.
/// assert_eq!(groupings(&lab(), &[], ResultId::at(0)), [By::Section]);
/// ```
pub fn groupings(protocol: &Protocol, entries: &[Entry], result: ResultId) -> Vec<By> {
    let main = main_key(protocol, result);
    let item = protocol.results[result].item;
    let by_row = protocol.row_key(item).map(|k| protocol.keys[k].id.as_str());
    let there = |key: &&str| by_row == Some(*key) || entries.iter().any(|e| e.essence.keys.contains_key(*key));
    let others = protocol.keys.iter().map(|k| k.id.as_str()).filter(|k| Some(*k) != main);
    let keys = main.into_iter().chain(others).filter(there).map(|k| By::Key(k.to_owned()));
    keys.chain([By::Section]).collect()
}

impl From<Robust> for RobustOf {
    fn from(r: Robust) -> RobustOf {
        RobustOf { centre: r.centre, spread: r.spread, uncertainty: r.uncertainty, count: r.count }
    }
}

impl<'a> ResultOf<'a> {
    /// One result over the class, grouped by a key, with its effects and sections.
    fn new(protocol: &'a Protocol, entries: &'a [Entry], by: By, result: ResultId) -> ResultOf<'a> {
        let floor = Floor::of(protocol, entries, &Asked::usual(protocol, entries, result, by.clone()));
        let item = protocol.results[result].item;
        let teams = floor.points.iter().map(|p| TeamOf {
            section: &entries[p.entry].section,
            team: &entries[p.entry].team,
            group: floor.groups[p.group].name.clone(),
            value: p.value,
            placed: p.placed,
            z: p.z,
            apart: p.z.abs() > APART,
        });
        let teams = teams.collect();
        let groups = floor.groups.iter().map(|g| GroupOf {
            name: g.name.clone(),
            median: g.median,
            own: g.own.into(),
            effect: g.effect.map(|e| EffectOf {
                effect: e.effect,
                on_scale: floor.on_scale(e.effect),
                limit: e.limit,
                in_errors: e.in_errors(),
                teams: e.teams,
                on_side: e.on_side,
                named: e.named,
            }),
        });
        ResultOf {
            id: &protocol.items[item].id,
            title: protocol.full_title(item),
            unit: &protocol.items[item].unit.text,
            by: by_word(&by).to_owned(),
            scale: scale_word(floor.scale),
            relative: floor.relative,
            reference: floor.reference,
            consensus: floor.consensus.map(RobustOf::from),
            without: floor.without,
            groups: groups.collect(),
            teams,
            mandel: floor.mandel.map(|m| MandelOf {
                h_limits: m.h_limits,
                sections: m
                    .rows
                    .into_iter()
                    .map(|r| MandelRowOf {
                        section: r.section,
                        count: r.count,
                        mean: r.mean,
                        h: r.h,
                        k: r.k,
                        k_limits: r.k_limits,
                    })
                    .collect(),
            }),
            cochran: floor.cochran.map(|c| CochranOf {
                section: c.section,
                statistic: c.statistic,
                critical: c.critical,
            }),
        }
    }
}

impl<'a> ClassReport<'a> {
    /// Everything that is told of a class: every result by every key and by section.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{ClassReport, Entry};
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let lab = lab();
    /// let entries = [Entry::of(&lab, &judge(&lab, &table("29.98", "706.1"), &[], &[]))];
    /// let json = serde_json::to_value(ClassReport::new(&lab, &entries)).expect("JSON");
    /// assert_eq!(json["tables"], 1);
    /// ```
    pub fn new(protocol: &'a Protocol, entries: &'a [Entry]) -> ClassReport<'a> {
        let of_result = |n: ResultId| {
            let by = groupings(protocol, entries, n);
            by.into_iter().map(move |by| ResultOf::new(protocol, entries, by, n))
        };
        let words = worded(protocol).into_iter().map(|n| WordsOf {
            id: &protocol.items[protocol.results[n].item].id,
            title: protocol.full_title(protocol.results[n].item),
            shares: word_consensus(protocol, entries, n)
                .into_iter()
                .map(|s| ShareOf { row: s.row, word: s.word, count: s.count, of: s.of, right: s.right })
                .collect(),
        });
        let station = comparable(protocol).first().and_then(|n| main_key(protocol, *n));
        let table = |n: usize| Table { section: &entries[n].section, team: &entries[n].team };
        ClassReport {
            engine: ENGINE,
            protocol: ProtocolOf::new(protocol),
            tables: entries.len(),
            results: comparable(protocol).into_iter().flat_map(of_result).collect(),
            words: words.collect(),
            taught: all_taught(protocol, entries),
            frequent: frequent(entries)
                .into_iter()
                .map(|f| FrequentOf {
                    says: wording::pattern(protocol, &f.pattern),
                    say: wording::to_say(protocol, &f.pattern),
                    pattern: f.pattern,
                    tables: f.tables,
                    sections: f.sections,
                })
                .collect(),
            shared: shared_tables(entries, station)
                .into_iter()
                .map(|s| SharedOf {
                    one: table(s.one),
                    other: table(s.other),
                    cells: s.cells,
                    alike: s.alike,
                    chance: s.chance,
                })
                .collect(),
        }
    }

    /// The same to be read by a person: what is named, what stands apart, what to say.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::ClassReport;
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// let text = ClassReport::new(&lab, &[]).to_text();
    /// assert!(text.starts_with("mooring-post version 1: 0 tables"), "{text}");
    /// ```
    pub fn to_text(&self) -> String {
        let mut out = String::new();
        // Writing to a string cannot fail.
        let mut line = |text: String| {
            let _ = writeln!(out, "{text}");
        };
        line(format!("{} version {}: {}", self.protocol.id, self.protocol.version, counted(self.tables, "table")));
        let mut told = "";
        for r in &self.results {
            r.lines(r.id != told, &mut line);
            told = r.id;
        }
        for w in &self.words {
            line(format!("\n{}", capital(&w.title)));
            for s in &w.shares {
                let row = s.row.map_or_else(String::new, |r| format!("row {r}: "));
                let right = s.right.map_or("", |r| if r { ", which is right" } else { "" });
                line(format!("  {row}{}, {} of {}{right}", s.word, s.count, s.of));
            }
        }
        for t in &self.taught {
            line(format!(
                "\n{}",
                wording::taught(&t.says, (&t.by, &t.group), t.by == "section", (t.here, t.elsewhere), t.chance)
            ));
        }
        if !self.frequent.is_empty() {
            line("\nTo say at the start of the next lab".to_owned());
        }
        for f in &self.frequent {
            let seen = format!("{}, {}", counted(f.tables, "table"), counted(f.sections, "section"));
            line(format!("  {} ({seen}). {}", f.says, f.say));
        }
        for s in &self.shared {
            let name = |t: &Table<'_>| format!("{} of {}", t.team, t.section);
            line(format!("\n{}", wording::shared(&name(&s.one), &name(&s.other), (s.alike, s.cells), s.chance)));
        }
        out
    }
}

/// What was found in most tables of one group and not elsewhere, over sections and the values of
/// every key.
fn all_taught(protocol: &Protocol, entries: &[Entry]) -> Vec<TaughtOf> {
    let keys = protocol.keys.iter().map(|k| By::Key(k.id.clone()));
    let of = |by: By| {
        taught(entries, |n| super::group_of(&entries[n], None, &by).to_owned()).into_iter().map(move |s| TaughtOf {
            says: wording::pattern(protocol, &s.pattern),
            pattern: s.pattern,
            by: by_word(&by).to_owned(),
            group: s.group,
            here: s.here,
            elsewhere: s.elsewhere,
            chance: s.chance,
        })
    };
    let mut all: Vec<TaughtOf> = std::iter::once(By::Section).chain(keys).flat_map(of).collect();
    all.sort_by(|a, b| a.chance.total_cmp(&b.chance));
    all
}

impl ResultOf<'_> {
    /// Consensus, groups and who stands apart; where another grouping was told before, groups
    /// alone.
    fn lines(&self, whole: bool, line: &mut impl FnMut(String)) {
        let Some(c) = &self.consensus else { return };
        let named = self.groups.iter().any(|g| g.effect.as_ref().is_some_and(|e| e.named));
        if !named && !whole {
            return;
        }
        let unit = match self.scale {
            "percent" => " % from the reference".to_owned(),
            "spreads" => " robust spreads from the own consensus".to_owned(),
            _ if self.unit.is_empty() || self.unit == "1" => String::new(),
            _ => format!(" {}", self.unit),
        };
        let fig = |x: f64| notation::figures(x, 4);
        line(format!(
            "\n{} by {}: {}, robust mean {}, robust spread {}{unit}",
            capital(&self.title),
            self.by,
            counted(c.count, "value"),
            fig(c.centre),
            fig(c.spread)
        ));
        for g in &self.groups {
            let name = if g.name.is_empty() { "(none)" } else { &g.name };
            let teams = counted(g.own.count, "team");
            line(match &g.effect {
                Some(e) => {
                    let (off, errors) = (notation::signed(e.on_scale, 3), notation::decimals(e.in_errors.abs(), 1));
                    let named = if e.named { ", named" } else { "" };
                    format!("  {} {name}: {off}, {errors} standard errors, {teams}{named}", self.by)
                }
                None => format!("  {} {name}: own consensus {} ({teams})", self.by, fig(g.own.centre)),
            });
        }
        for t in self.teams.iter().filter(|t| t.apart && whole) {
            line(format!(
                "  stands apart: {} of {}, {}, z {}",
                t.team,
                t.section,
                fig(t.value),
                notation::signed(t.z, 3)
            ));
        }
    }
}
