//! What to say of readings while the apparatus is still out.

use jurado_core::class::Robust;
use jurado_core::finding::{About, Finding, Kind, Support};
use jurado_core::judging::shown_clean;
use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_core::verdict::{CellState, Judged};
use jurado_core::wording;

use super::{Mark, capital};

/// The results of the other teams.
pub(crate) struct Others {
    /// By result, in the protocol's unit.
    pub(crate) robust: Vec<Option<Robust>>,
    pub(crate) count: usize,
}

/// Everything the template lays out.
pub(crate) struct AdviceView {
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
    pub(crate) fn new(protocol: &Protocol, table: &Submission, judged: &Judged, others: Option<&Others>) -> AdviceView {
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
        for f in judged.findings.iter().filter(|f| there > 0 && of_the_room(&f.kind)) {
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
            .filter(|r| r.row.is_none() && (r.clean.is_some() || r.right_word.is_some()))
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
                    .and_then(|o| Some((o.robust.get(r.index)?.as_ref()?, r.clean?)))
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
        AdviceView { there, missing, again, noted, results, others: others.map(|o| o.count) }
    }
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
