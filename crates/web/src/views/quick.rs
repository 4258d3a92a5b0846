//! What to say of readings while the apparatus is still out.

use jurado_core::class::Robust;
use jurado_core::finding::{About, Finding, Kind, Support};
use jurado_core::judging::shown_clean;
use jurado_core::notation;
use jurado_core::plan::{Step, may_be_told, plan};
use jurado_core::protocol::{ItemId, Protocol, TableId};
use jurado_core::row::Row;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_core::verdict::{CellState, Judged};
use jurado_core::wording;

use super::entry::{Fields, field};
use super::{Mark, capital};
use crate::draw::leg::{self, Leg};
use crate::draw::svg::Svg;

/// The results of the other teams.
pub(crate) struct Others {
    /// By result, in the protocol's unit.
    pub(crate) robust: Vec<Option<Robust>>,
    pub(crate) count: usize,
}

/// Who reads the advice.
#[derive(Clone, Copy)]
pub(crate) enum For<'a> {
    /// A reviewer, perhaps beside what the other teams give.
    Reviewer(Option<&'a Others>),
    /// A team that still measures.
    Team,
}

/// One thing to do next.
pub(crate) struct NextView {
    /// What to do; it waits for the team's own estimate where there is one to make.
    pub(crate) says: Option<String>,
    /// The box of the estimate: its name, what it asks for, and what was typed.
    pub(crate) estimate: Option<(String, String, String)>,
    /// The leg of the run, drawn.
    pub(crate) leg: Option<Svg>,
}

/// The results of a table's rows, as the readings give them so far.
pub(crate) struct RowsView {
    pub(crate) title: String,
    pub(crate) heads: Vec<String>,
    pub(crate) rows: Vec<(Row, Vec<String>)>,
}

/// Everything the template lays out.
pub(crate) struct AdviceView {
    /// What to do next.
    pub(crate) next: Vec<NextView>,
    /// Whether the plan is shown without an estimate.
    pub(crate) unasked: bool,
    pub(crate) rows: Vec<RowsView>,
    /// What to mind at the reading that comes next: its name, and the notes of its instrument.
    pub(crate) ready: Option<(String, Vec<String>)>,
    /// Readings that are there.
    pub(crate) there: usize,
    pub(crate) missing: Vec<String>,
    /// Worth taking again, most pressing first.
    pub(crate) again: Vec<AgainView>,
    /// Worth a look.
    pub(crate) noted: Vec<(Mark, String)>,
    pub(crate) results: Vec<ResultView>,
    pub(crate) others: Option<usize>,
}

/// One thing to take again.
pub(crate) struct AgainView {
    pub(crate) mark: Mark,
    pub(crate) says: String,
    /// What can push it that way, and what to do.
    pub(crate) causes: Vec<String>,
}

/// One result as the readings give it so far.
pub(crate) struct ResultView {
    pub(crate) title: String,
    pub(crate) value: String,
    pub(crate) others: String,
}

/// Whether a finding is the room's business: not about what was worked out, and not told as missing already.
fn of_the_room(kind: &Kind) -> bool {
    kind.properties().about != About::Result && !matches!(kind, Kind::MissingReading | Kind::MissingRow { .. })
}

/// The usual cause that a finding names by itself.
fn cause_named(kind: &Kind) -> Option<usize> {
    match kind {
        Kind::OutlierKept(apart) | Kind::OutlierNear(apart) => apart.cause,
        Kind::Exclusion { support: Support::Cause(cause), .. } => Some(*cause),
        _ => None,
    }
}

impl AdviceView {
    /// Of a table as it is so far; `fields` hold the team's estimates, and what the section sets goes into the plan. A team is
    /// told the results of its rows alone, and none that leans on a reference.
    pub(crate) fn new(
        (protocol, section): (&Protocol, &Section),
        (table, fields): (&Submission, &Fields),
        judged: &Judged,
        for_whom: For<'_>,
    ) -> AdviceView {
        let others = match for_whom {
            For::Reviewer(others) => others,
            For::Team => None,
        };
        let open = may_be_told(protocol);
        let told = |index: usize| matches!(for_whom, For::Reviewer(_)) || open.get(index) == Some(&true);
        let there = table.cells.len();
        let mut missing = Vec::new();
        for (spec, reading) in protocol.readings.iter().zip(&judged.readings) {
            let title = &protocol.items[reading.item].title;
            let empty: Vec<String> = reading
                .cells
                .iter()
                .filter(|c| c.state == CellState::Missing)
                .map(|c| c.row.map_or_else(String::new, |r| r.to_string()))
                .collect();
            if empty.is_empty() || spec.need.optional {
                continue;
            }
            missing.push(match (empty.len(), reading.cells.len()) {
                (n, all) if n == all => capital(title),
                (_, _) => format!("{}: {}", capital(title), empty.join(", ")),
            });
        }
        let mut again = Vec::new();
        let mut noted = Vec::new();
        // Of an empty table there is nothing to say but that it is empty.
        let team = matches!(for_whom, For::Team);
        let here = |f: &&Finding| !team || f.kind.properties().about != About::Lab;
        for f in judged.findings.iter().filter(|f| there > 0 && of_the_room(&f.kind)).filter(here) {
            let (mark, says) = (Mark::of(&f.kind), wording::says(protocol, f));
            if f.kind.properties().pressing {
                again.push(AgainView { mark, says, causes: causes(protocol, judged, f) });
            } else {
                noted.push((mark, says));
            }
        }
        again.sort_by_key(|a| a.causes.is_empty());
        let results = judged
            .results
            .iter()
            // What the sheet asks a team to work out is not worked out for it.
            .filter(|r| !team && r.row.is_none() && (r.clean.is_some() || r.right_word.is_some()))
            .map(|r| {
                let item = &protocol.items[r.item];
                let word = r.right_word.and_then(|w| item.words.as_ref()?.get(w as usize).cloned());
                let u = r.budget.as_ref().map(|b| b.standard).filter(|u| *u > 0.0 && u.is_finite());
                let value = word.unwrap_or_else(|| match (r.clean, u) {
                    (Some(v), Some(u)) => {
                        let place = jurado_core::quantity::leading_place(u) - 1;
                        format!("{} ± {}{}", notation::to_place(v, place), notation::uncertainty(u), item.unit_after())
                    }
                    _ => format!("{}{}", shown_clean(r), item.unit_after()),
                });
                let others = others
                    .and_then(|o| Some((o.robust.get(r.id.index())?.as_ref()?, r.clean?)))
                    .map(|(robust, v)| {
                        let z = (v - robust.centre) / robust.spread;
                        let far = if robust.spread > 0.0 && z.is_finite() {
                            format!(
                                ", {} spreads {}",
                                notation::decimals(z.abs(), 1),
                                if z < 0.0 { "below" } else { "above" }
                            )
                        } else {
                            String::new()
                        };
                        format!("others {}{}{far}", notation::figures(robust.centre, 4), item.unit_after())
                    })
                    .unwrap_or_default();
                ResultView { title: capital(&protocol.full_title(r.item)), value, others }
            })
            .collect();
        let unasked = field(fields, "unasked").is_some();
        AdviceView {
            next: plan(protocol, section, table).iter().map(|s| next(protocol, s, fields, unasked)).collect(),
            unasked,
            ready: ready(protocol, judged),
            rows: rows(protocol, judged, told),
            there,
            missing,
            again,
            noted,
            results,
            others: others.map(|o| o.count),
        }
    }
}

/// Notes that stand at one reading: more than two are not read with a hand on the tap.
const MOST_READY: usize = 2;

/// The reading that comes next – row by row, as a run is measured – with what its instrument asks of whoever reads it.
fn ready(protocol: &Protocol, judged: &Judged) -> Option<(String, Vec<String>)> {
    let cells = judged.readings.iter().zip(&protocol.readings).filter(|(_, spec)| !spec.need.optional);
    let empty = cells.flat_map(|(reading, spec)| {
        let of = move |c: &jurado_core::verdict::JudgedCell| (spec.table, c.row, reading.item, spec.instrument);
        reading.cells.iter().filter(|c| c.state == CellState::Missing).map(of)
    });
    // Single readings first, then the tables, each a row at a time.
    let (_, row, item, instrument) = empty.min_by_key(|(table, row, item, _)| (*table, *row, *item))?;
    let notes: Vec<String> = protocol.instruments[instrument?].notes.iter().take(MOST_READY).cloned().collect();
    let title = &protocol.items[item].title;
    let name = row.map_or_else(|| title.clone(), |r| format!("{title}, {r}"));
    (!notes.is_empty()).then_some((name, notes))
}

/// A step, with the estimate that the team makes first where it is a reading that is expected.
fn next(protocol: &Protocol, step: &Step, fields: &Fields, unasked: bool) -> NextView {
    let says = wording::step(protocol, step);
    let Step::End { item, row, .. } = step else {
        return NextView { says: Some(says), estimate: None, leg: None };
    };
    let it = &protocol.items[*item];
    let name = format!("e.{}:{row}", it.id);
    let typed = field(fields, &name).unwrap_or("").trim().to_owned();
    let shown = unasked || !typed.is_empty();
    let unit = it.unit_after();
    let unit = if unit.is_empty() { unit } else { format!(", in{unit}") };
    let label = format!("Your own estimate of the {} of run {row}{unit}", it.title);
    let drawn = if shown { drawn(protocol, step, &typed) } else { None };
    NextView { says: shown.then_some(says), estimate: Some((name, label, typed)), leg: drawn }
}

/// The leg of a run, where it is known what a step of its scale is.
fn drawn(protocol: &Protocol, step: &Step, own: &str) -> Option<Svg> {
    let Step::End { item, expected, from, quickly, band, by, .. } = step else { return None };
    let instrument = protocol.reading_of(*item).and_then(|r| r.instrument).map(|i| &protocol.instruments[i])?;
    let unit = protocol.items[*item].unit_after();
    let text = |v: f64| wording::reading(protocol, *item, v);
    let said = |v: f64| (v, text(v));
    let rows: Vec<String> = by.iter().map(ToString::to_string).collect();
    let own = own.replace(',', ".").parse::<f64>().ok().filter(|v| v.is_finite());
    (instrument.step > 0.0).then(|| {
        leg::leg(&Leg {
            step: instrument.step,
            expected: (*expected, format!("{}{unit}", text(*expected))),
            from: from.map(said),
            quickly: quickly.map(said),
            band: band.map(|(low, high)| (low, high, format!("from {} to {} it agrees", text(low), text(high)))),
            own: own.map(said),
            by: format!("by {} {}", if rows.len() == 1 { "run" } else { "runs" }, rows.join(" and ")),
        })
    })
}

/// The results of each table's rows, of the rows that have any.
fn rows(protocol: &Protocol, judged: &Judged, told: impl Fn(usize) -> bool) -> Vec<RowsView> {
    let of = |t: TableId| {
        let columns: Vec<ItemId> = protocol
            .results
            .iter()
            .enumerate()
            .filter(|(n, _)| told(*n))
            .map(|(_, r)| r.item)
            .filter(|i| protocol.table_of(*i) == Some(t) && protocol.items[*i].words.is_none())
            .collect();
        let value = |item: ItemId, row: Row| {
            let r = judged.results.iter().find(|r| r.item == item && r.row == Some(row) && r.clean.is_some());
            r.map_or_else(String::new, shown_clean)
        };
        let last = columns.iter().filter_map(|i| protocol.most_row(*i)).max().unwrap_or(0);
        let rows: Vec<(Row, Vec<String>)> = Row::first(last)
            .map(|row| (row, columns.iter().map(|i| value(*i, row)).collect::<Vec<_>>()))
            .filter(|(_, values)| values.iter().any(|v| !v.is_empty()))
            .collect();
        let head = |i: &ItemId| format!("{}{}", capital(&protocol.items[*i].title), protocol.items[*i].unit_after());
        RowsView { title: capital(&protocol.tables[t].title), heads: columns.iter().map(head).collect(), rows }
    };
    TableId::each(&protocol.tables).map(of).filter(|v| !v.rows.is_empty()).collect()
}

/// What is known to push a reading the way it stands out, and what to do about it.
fn causes(protocol: &Protocol, judged: &Judged, finding: &Finding) -> Vec<String> {
    let Some(item) = finding.place.item else { return Vec::new() };
    let (row, named) = (finding.place.row, cause_named(&finding.kind));
    let reading = judged.readings.iter().find(|r| r.item == item);
    let value = reading.and_then(|r| r.cells.iter().find(|c| c.row == row)).and_then(|c| c.value);
    let low = reading.zip(value).and_then(|(r, v)| {
        let rest: Vec<f64> = r.cells.iter().filter(|c| c.row != row).filter_map(|c| c.value).collect();
        (!rest.is_empty()).then(|| v < rest.iter().sum::<f64>() / rest.len() as f64)
    });
    protocol
        .causes
        .iter()
        .enumerate()
        .filter(|(_, c)| c.on.contains(&item) && low.is_none_or(|l| l == c.low))
        .map(|(n, c)| {
            let way = if c.low { "makes it low" } else { "makes it high" };
            let advice = if c.advice.is_empty() { String::new() } else { format!(" {}.", capital(&c.advice)) };
            // What the finding names already is not said twice.
            let names = if named == Some(n) { String::new() } else { format!("{} ({way}).", capital(&c.says)) };
            format!("{names}{advice}").trim().to_owned()
        })
        .filter(|c| !c.is_empty())
        .collect()
}
