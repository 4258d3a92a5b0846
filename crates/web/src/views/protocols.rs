//! A lab as a page to read.

use std::collections::HashMap;

use jurado_core::formula::mathml;
use jurado_core::notation;
use jurado_core::protocol::{CheckRule, ItemId, Protocol, ReadingKind, Role, RowCount, Rule};
use jurado_store::labs::{Standing, Version};
use jurado_store::{Event, FolderState, FolderText, Job, JobState, Lab};

use super::capital;
use crate::views::intake::time;

/// The library.
pub(crate) struct LibraryView {
    pub(crate) labs: Vec<LabLine>,
    /// Labs beside which the folder holds another text: id, title, version in force, version of the file.
    pub(crate) aside: Vec<(u32, String, u32, u32)>,
}

/// One lab of it.
pub(crate) struct LabLine {
    pub(crate) id: u32,
    pub(crate) title: String,
    pub(crate) summary: String,
    pub(crate) version: u32,
    pub(crate) readings: usize,
    pub(crate) results: usize,
    pub(crate) points: String,
    pub(crate) standing: Standing,
}

impl LibraryView {
    pub(crate) fn new(labs: &[Lab], standings: &HashMap<u32, Standing>, waiting: &[(String, u32)]) -> LibraryView {
        let aside = labs
            .iter()
            .filter_map(|l| {
                let (_, file) = waiting.iter().find(|(slug, _)| *slug == l.protocol.id)?;
                Some((l.id, l.protocol.title.clone(), l.protocol.version, *file))
            })
            .collect();
        let labs = labs
            .iter()
            .map(|l| LabLine {
                id: l.id,
                title: l.protocol.title.clone(),
                summary: l.protocol.summary.clone(),
                version: l.protocol.version,
                readings: l.protocol.readings.len(),
                results: l.protocol.results.len(),
                points: l.protocol.possible.normalize().to_string(),
                standing: standings.get(&l.id).copied().unwrap_or(Standing::Library),
            })
            .collect();
        LibraryView { labs, aside }
    }
}

/// How a lab's protocol came to be in force, and what waits beside it.
pub(crate) struct StandingView {
    /// Id of the protocol in force.
    pub(crate) in_force: u32,
    /// A text of the folder that waits: digest and version.
    pub(crate) folder: Option<(String, u32)>,
    /// A text that is being put in force: how many of how many tables are judged.
    pub(crate) under_way: Option<(u32, u32)>,
    /// Why the last one failed.
    pub(crate) failed: Option<String>,
    /// When, who, what and why.
    pub(crate) changes: Vec<(String, String, String, String)>,
}

impl StandingView {
    pub(crate) fn new(lab: &Lab, folder: Option<&FolderText>, job: Option<&Job>, changes: &[Event]) -> StandingView {
        let running = |j: &&Job| matches!(j.state, JobState::Waiting | JobState::Running);
        StandingView {
            in_force: lab.protocol_id,
            folder: folder.filter(|t| t.state == FolderState::Waiting).map(|t| (t.digest.clone(), t.version)),
            under_way: job.filter(running).map(|j| (j.done.min(j.total), j.total)),
            failed: job.filter(|j| j.state == JobState::Failed).map(|j| j.outcome.clone()),
            changes: changes
                .iter()
                .map(|e| {
                    let what = e.about.split_once(": ").map_or(e.about.as_str(), |(_, rest)| rest);
                    let by = e.by.clone().unwrap_or_else(|| "the program".to_owned());
                    (time(e.at), by, format!("{}: {what}", e.what), e.reason.clone())
                })
                .collect(),
        }
    }
}

/// A line that names something and says more of it.
pub(crate) struct Said {
    pub(crate) title: String,
    pub(crate) says: String,
}

/// A reading.
pub(crate) struct ReadingLine {
    pub(crate) title: String,
    pub(crate) symbol: super::Symbol,
    pub(crate) unit: String,
    pub(crate) with: String,
    pub(crate) times: String,
    pub(crate) more: String,
}

/// A result.
pub(crate) struct ResultLine {
    pub(crate) title: String,
    pub(crate) unit: String,
    /// The words that it may be; its formula where there are none.
    pub(crate) words: String,
    pub(crate) math: String,
    pub(crate) points: String,
    pub(crate) plus_minus: bool,
}

/// A bay.
pub(crate) struct BayLines {
    pub(crate) title: String,
    pub(crate) readings: Vec<ReadingLine>,
    pub(crate) results: Vec<ResultLine>,
}

/// A reference with its values.
pub(crate) struct ReferenceLines {
    pub(crate) title: String,
    pub(crate) source: String,
    pub(crate) by: String,
    pub(crate) entries: Vec<(String, String, String)>,
    /// The id and value of one that a ruling may take as another.
    pub(crate) rule: Option<(String, String)>,
}

/// Everything the template lays out.
pub(crate) struct ProtocolView {
    pub(crate) id: u32,
    pub(crate) title: String,
    pub(crate) summary: String,
    pub(crate) version: u32,
    pub(crate) digest: String,
    pub(crate) bays: Vec<BayLines>,
    pub(crate) references: Vec<ReferenceLines>,
    pub(crate) keys: Vec<Said>,
    pub(crate) instruments: Vec<Said>,
    pub(crate) checks: Vec<Said>,
    pub(crate) rubric: Vec<(String, String, String)>,
    pub(crate) possible: String,
    pub(crate) slips: Vec<String>,
    pub(crate) causes: Vec<String>,
    pub(crate) cautions: Vec<String>,
    /// Id, version, digest, when.
    pub(crate) versions: Vec<(u32, u32, String, String)>,
}

fn number(value: f64) -> String {
    let short = format!("{value}");
    if short.len() <= 9 { short.replace('-', "−") } else { notation::figures(value, 6) }
}

fn rows(rows: &RowCount) -> String {
    match rows {
        RowCount::Fixed(n) => notation::counted(*n as usize, "row"),
        RowCount::Between(a, b) => format!("{a} to {b} rows"),
        RowCount::Parameter(_) => "rows as the section sets".to_owned(),
    }
}

impl ProtocolView {
    pub(crate) fn new(lab: &Lab, versions: &[Version]) -> ProtocolView {
        let p = &*lab.protocol;
        let symbol = |i: ItemId| {
            let item = &p.items[i];
            if item.symbol.is_empty() { item.title.clone() } else { item.symbol.clone() }
        };
        let bays = p
            .bays
            .iter()
            .enumerate()
            .map(|(b, bay)| BayLines {
                title: bay.title.clone(),
                readings: p.readings.iter().filter(|r| r.bay == b).map(|r| reading(p, r)).collect(),
                results: p
                    .results
                    .iter()
                    .filter(|r| r.bay == b)
                    .map(|r| {
                        let item = &p.items[r.item];
                        ResultLine {
                            title: capital(&item.title),
                            unit: item.unit_after().trim().to_owned(),
                            words: item.words.as_ref().map(|w| w.join(", ")).unwrap_or_default(),
                            math: {
                                let [first, ..] = mathml::correction(&symbol(r.item), &r.node, &symbol, &symbol, "");
                                first
                            },
                            points: r.points.normalize().to_string(),
                            plus_minus: r.plus_minus,
                        }
                    })
                    .collect(),
            })
            .collect();
        ProtocolView {
            id: lab.id,
            title: p.title.clone(),
            summary: p.summary.clone(),
            version: p.version,
            digest: p.digest.chars().take(12).collect(),
            bays,
            references: p.references.iter().map(|r| reference(p, r)).collect(),
            keys: p.keys.iter().map(|k| Said { title: k.title.clone(), says: k.values.join(", ") }).collect(),
            instruments: p
                .instruments
                .iter()
                .map(|i| Said {
                    title: capital(&i.title),
                    says: {
                        let mut says = format!("step {} {}", number(i.step), i.unit.text);
                        if let Some(limit) = i.limit {
                            says.push_str(&format!(", limit of error ± {} {}", number(limit), i.unit.text));
                        }
                        if let Some((a, b)) = i.range {
                            says.push_str(&format!(", range {} to {} {}", number(a), number(b), i.unit.text));
                        }
                        for note in &i.notes {
                            says.push_str(&format!("; {note}"));
                        }
                        says
                    },
                })
                .collect(),
            checks: p
                .checks
                .iter()
                .map(|c| Said {
                    title: capital(&c.title),
                    says: match &c.rule {
                        CheckRule::Related { k, .. } => format!("within {} standard uncertainties", number(*k)),
                        CheckRule::Holds(_) => c.says.clone(),
                    },
                })
                .chain(
                    p.comparisons
                        .iter()
                        .map(|c| Said { title: capital(&c.title), says: "compared as the lab says".to_owned() }),
                )
                .collect(),
            rubric: p
                .criteria
                .iter()
                .map(|c| (c.title.clone(), rule(p, &c.rule), c.points.normalize().to_string()))
                .collect(),
            possible: p.possible.normalize().to_string(),
            slips: {
                let mut says: Vec<String> = p
                    .results
                    .iter()
                    .flat_map(|r| {
                        r.variants.iter().filter(|v| v.kind.word().starts_with("declared")).map(|v| v.says.clone())
                    })
                    .collect();
                says.dedup();
                says
            },
            causes: p
                .causes
                .iter()
                .map(|c| format!("{} ({})", capital(&c.says), if c.low { "low" } else { "high" }))
                .collect(),
            cautions: p.cautions.clone(),
            versions: versions
                .iter()
                .map(|v| (v.id, v.version, v.digest.chars().take(12).collect(), time(v.loaded_at)))
                .collect(),
        }
    }
}

fn reading(p: &Protocol, r: &jurado_core::protocol::ReadingSpec) -> ReadingLine {
    let item = &p.items[r.item];
    let mut more = Vec::new();
    match &r.role {
        Role::Exact(v) => more.push(format!("exactly {}", number(*v))),
        Role::Window(a, b) => more.push(format!("{} to {}", number(*a), number(*b))),
        Role::Free => more.push("amount does not matter".to_owned()),
        Role::Chosen => more.push("chosen by the team".to_owned()),
        Role::Measured => {}
    }
    if let Some((a, b)) = r.plausible {
        more.push(format!("plausible {} to {}", number(a), number(b)));
    }
    if r.is_zero {
        more.push("zero reading".to_owned());
    }
    if r.need.optional {
        more.push("may be left out".to_owned());
    }
    if let Some(words) = &item.words {
        more.push(words.join(", "));
    }
    let with = match (&r.kind, r.instrument) {
        (ReadingKind::Count, _) => "counted".to_owned(),
        (ReadingKind::Word, _) => "a word".to_owned(),
        (_, Some(i)) => p.instruments[i].title.clone(),
        (_, None) => "set".to_owned(),
    };
    let times = match (r.table, r.replicates) {
        (Some(t), _) => format!("{} ({})", p.tables[t].title, rows(&p.tables[t].rows)),
        (None, 1) => String::new(),
        (None, n) => format!("{n} times"),
    };
    ReadingLine {
        title: capital(&item.title),
        symbol: super::Symbol::of(&item.symbol),
        unit: item.unit_after().trim().to_owned(),
        with,
        times,
        more: more.join("; "),
    }
}

fn reference(p: &Protocol, r: &jurado_core::protocol::Reference) -> ReferenceLines {
    let item = &p.items[r.item];
    let value = r
        .entries
        .first()
        .map_or_else(String::new, |e| notation::to_figures(item.from_si(e.middle()), 9, false).to_string());
    ReferenceLines {
        rule: p.may_set(r.item).then(|| (item.id.clone(), value)),
        title: capital(&item.title),
        source: r.source.clone(),
        by: if r.consensus {
            "the class’s own consensus".to_owned()
        } else if let Some(k) = r.key {
            format!("by {}", p.keys[k].title.to_lowercase())
        } else {
            String::new()
        },
        entries: r
            .entries
            .iter()
            .map(|e| {
                let (a, b) = (item.from_si(e.low), item.from_si(e.high));
                let value = if e.low == e.high {
                    format!("{}{}", number(notation::to_figures(a, 9, false)), item.unit_after())
                } else {
                    format!(
                        "{} to {}{}",
                        number(notation::to_figures(a, 9, false)),
                        number(notation::to_figures(b, 9, false)),
                        item.unit_after()
                    )
                };
                (e.at.clone(), e.says.clone(), value)
            })
            .collect(),
    }
}

/// A criterion's rule in a few words.
fn rule(p: &Protocol, rule: &Rule) -> String {
    let bands = |bands: &[jurado_core::protocol::Band], unit: &str| {
        bands
            .iter()
            .map(|b| format!("{}{unit}: {}", number(b.within), b.points.normalize()))
            .collect::<Vec<_>>()
            .join(", ")
    };
    match rule {
        Rule::Calculation { share, .. } => {
            format!("the results’ points; a slip takes {} of the dearest result it struck, once", share.normalize())
        }
        Rule::Completeness { each } => format!("{} for each missing reading", each.normalize()),
        Rule::Accuracy { in_uncertainties: true, bands: b, .. } => format!("within {}", bands(b, " u")),
        Rule::Accuracy { bands: b, .. } => format!("within {}", bands(b, " %")),
        Rule::Precision { bands: b, reading, .. } => {
            format!("spread within {}", bands(b, &p.items[p.readings[*reading].item].unit_after()))
        }
        Rule::Uncertainty { missing, unfair, digits } => format!(
            "±: {} where missing, {} where unfair, {} for its digits",
            missing.normalize(),
            unfair.normalize(),
            digits.normalize()
        ),
        Rule::Digits { each } => format!("{} each", each.normalize()),
        Rule::Units { each } => format!("{} each", each.normalize()),
        Rule::Agreement { comparison } => format!("whether {} agree", p.comparisons[*comparison].title),
        Rule::Checks => "what does not hold".to_owned(),
        Rule::Manual { levels } => {
            levels.iter().map(|(says, points)| format!("{} {says}", points.normalize())).collect::<Vec<_>>().join("; ")
        }
    }
}
