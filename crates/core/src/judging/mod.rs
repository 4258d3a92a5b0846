//! From a table to its verdict. [`judge`] runs the passes in the order a reviewer works; each pass is a file here: cells
//! in their places (`table`), the values they give (`values`), what counts (`counts`), what readings and columns say of
//! themselves (`readings`, `columns`), recompute, follow through and compare (`compare`, `words`), name the mistake
//! (`diagnose` ranks the mistaken formulas that `protocol::mutate` made when the protocol was loaded), charge it once
//! (`results`), uncertainty (`uncertain`, `montecarlo`), cross-checks and agreement (`relations`), references and the
//! score (`score`).

mod columns;
mod compare;
mod counts;
mod diagnose;
mod ground;
mod montecarlo;
mod off_the_line;
mod person;
mod propagate;
mod readings;
mod relations;
mod results;
mod score;
mod stated;
mod table;
#[cfg(test)]
mod tests;
mod uncertain;
mod values;
mod words;

pub use counts::limits;

use rust_decimal::Decimal;
use sha2::{Digest, Sha256};

use crate::decision::{Action, Decision, Ruling};
use crate::finding::{Finding, Findings, Fragile, Key, Kind, Place, Severity, UnitFault};
use crate::protocol::{Protocol, Rule, SlipKind};
use crate::section::Section;
use crate::submission::Submission;
use crate::verdict::{Judged, JudgedResult, OutlierTest, VerdictKind};
use table::Table;
use values::{Env, Out};

/// The clean value of a result with one digit more than the team wrote.
pub fn shown_clean(result: &crate::verdict::JudgedResult) -> String {
    crate::wording::number(&compare::shown(result))
}

/// Judges one table as [`judge_in`] does, in a section that sets nothing.
pub fn judge(protocol: &Protocol, submission: &Submission, rulings: &[Ruling], decisions: &[Decision]) -> Judged {
    judge_in(protocol, &Section::default(), submission, rulings, decisions)
}

/// Readings that may be refuted in one table before its stories are left as they are.
const MOST_REFUTED: usize = 3;

/// What became of the likeliest repair.
enum Repair {
    /// None is likely, or it was refused, or it gains nothing.
    None,
    /// Followed through.
    Taken(Box<Worked>),
    /// Results that fit the reading as it stands would not fit it repaired.
    Refuted(usize, Option<u32>),
}

/// What the passes before the score have found.
struct Worked {
    list: Vec<Finding>,
    outliers: Vec<OutlierTest>,
    out: Out,
    clean: Env,
    reported: Env,
    propagated: propagate::Propagated,
    results: Vec<JudgedResult>,
}

/// Judges one table: a pure function of its text, the protocol, the section's settings, the rulings in force and the
/// reviewer's decisions on this table (oldest first). The same in gives the same out, byte for byte.
pub fn judge_in(
    protocol: &Protocol,
    section: &Section,
    submission: &Submission,
    rulings: &[Ruling],
    decisions: &[Decision],
) -> Judged {
    let as_typed = submission;
    let submission = &*person::corrected(submission, decisions);
    let mut table = table::place(protocol, section, submission);
    let mut refuted: Vec<(usize, Option<u32>)> = Vec::new();
    let mut worked = work(protocol, section, submission, &mut table, &refuted);
    // A story of one result that another contradicts is told no more: each reading can be refuted once.
    for _ in 0..MOST_REFUTED {
        match repair(protocol, section, submission, &mut table, &worked, decisions) {
            Repair::None => break,
            Repair::Taken(repaired) => {
                worked = *repaired;
                break;
            }
            Repair::Refuted(item, row) => {
                refuted.push((item, row));
                worked = work(protocol, section, submission, &mut table, &refuted);
            }
        }
    }
    let Worked { mut list, mut outliers, out, clean, reported, propagated, mut results } = worked;
    let mut found = Findings::onto(&mut list);
    outliers.extend(off_the_line::points(protocol, &clean, &out, &propagated, &mut found));
    let mut comparisons = relations::checks(protocol, &out, &clean, &propagated, &mut found);
    comparisons.extend(relations::comparisons(protocol, &out, &propagated, &reported, &mut results, &mut found));
    results::join_slips(protocol, &mut results);
    results::find(protocol, section, &results, &mut found);
    notes(protocol, &table, &mut found);
    stated::stated(protocol, &results, &mut found);
    let rulings: Vec<&Ruling> = rulings.iter().filter(|r| r.concerns(&protocol.id, &submission.keys)).collect();
    comparisons.extend(score::compare(
        &score::Against { protocol, section, submission, table: &table, clean: &clean },
        &rulings,
        &results,
        &mut found,
    ));
    person::add(protocol, as_typed, decisions, &mut found);
    score::settle(protocol, &results, &mut list, &rulings, decisions);
    person::reword(&mut list, decisions);
    let score = score::score(protocol, section, &list, &comparisons, decisions);
    Judged {
        section: submission.section.clone(),
        team: submission.team.clone(),
        keys: submission.keys.clone(),
        readings: table.readings,
        results,
        findings: list,
        outliers,
        comparisons,
        score,
        sources: propagated.sources,
    }
}

/// Everything from the placed cells to the verdicts of the results.
fn work(
    protocol: &Protocol,
    section: &Section,
    submission: &Submission,
    table: &mut Table,
    refuted: &[(usize, Option<u32>)],
) -> Worked {
    let mut list = Vec::new();
    let mut found = Findings::onto(&mut list);
    let measured = values::measured(protocol, section, submission, table);
    // Once with everything, to see what stands apart; then with what counts.
    let mut clean = measured.clone();
    if protocol.results.iter().any(|r| r.rejection.is_some()) {
        values::chain(protocol, &mut clean, &Vec::new(), table);
    }
    let (out, outliers) = counts::settle(protocol, table, &clean, section, &mut found);
    let mut clean = measured.clone();
    values::chain(protocol, &mut clean, &out, table);
    readings::cells(protocol, section, table, &clean, &mut found);
    columns::check(protocol, section, table, &clean, &mut found);
    let propagated = propagate::propagate(protocol, table, &out, &measured);
    let figured = values::figured(protocol, &table.readings, &measured);
    let ground = ground::Ground {
        protocol,
        table,
        out: &out,
        clean: &clean,
        measured: &measured,
        figured: &figured,
        refuted,
        budgets: &propagated.budgets,
    };
    let (mut results, reported) = compare::results(&ground);
    uncertain::fill(protocol, table, &out, &propagated, &|| seed(protocol, submission, section), &mut results);
    Worked { list, outliers, out, clean, reported, propagated, results }
}

/// A seed that the table and its protocol give, for what is done by chance.
fn seed(protocol: &Protocol, submission: &Submission, section: &Section) -> u64 {
    let mut digest = Sha256::new();
    digest.update(protocol.digest.as_bytes());
    digest.update(serde_json::to_vec(section).unwrap_or_default());
    for cell in &submission.cells {
        for text in [&cell.item, &cell.value, &cell.unit, &cell.excluded] {
            digest.update(text.as_bytes());
            digest.update([0]);
        }
        digest.update(cell.row.unwrap_or(0).to_le_bytes());
    }
    let bytes = digest.finalize();
    u64::from_le_bytes(std::array::from_fn(|i| bytes[i]))
}

/// A reading that a diagnosis repairs: the whole table is followed through with it, if that makes at least one more
/// result fit (or no other uses that reading) and breaks none that fitted. The submission stays as it is; a reviewer may
/// refuse, and then all is judged without it.
fn repair(
    protocol: &Protocol,
    section: &Section,
    submission: &Submission,
    table: &mut Table,
    before: &Worked,
    decisions: &[Decision],
) -> Repair {
    let fits = |r: &JudgedResult| matches!(r.verdict, VerdictKind::Agrees | VerdictKind::Rounded);
    let candidates: Vec<(usize, usize, Option<u32>, f64, f64)> = before
        .results
        .iter()
        .filter(|r| r.verdict == VerdictKind::Slip)
        .filter_map(|r| {
            let slip = r.slip.as_ref().filter(|s| s.kind == SlipKind::ReadingMistyped)?;
            let (item, row, value) = slip.repair?;
            Some((r.index, item, row, value, slip.probability))
        })
        .collect();
    let likeliest = candidates.into_iter().max_by(|a, b| a.4.total_cmp(&b.4).then(b.0.cmp(&a.0)));
    let Some((index, item, row, value, probability)) = likeliest else { return Repair::None };
    let key = Key::Repair { item: protocol.items[item].id.clone(), row };
    let decision = decisions.iter().rev().find(|d| d.finding == key);
    if decision.is_some_and(|d| d.action == Action::Refuse) {
        return Repair::None;
    }
    let cell =
        table.readings.iter_mut().find(|r| r.item == item).and_then(|r| r.cells.iter_mut().find(|c| c.row == row));
    let Some(cell) = cell else { return Repair::None };
    let text = cell.text.clone();
    cell.repaired = Some(value);
    let mut after = work(protocol, section, submission, table, &[]);
    let pairs = || before.results.iter().zip(&after.results);
    let broken = pairs().any(|(a, b)| fits(a) && !fits(b));
    // What was carried followed already: only what nothing explained is gained.
    let lost = |r: &JudgedResult| matches!(r.verdict, VerdictKind::Slip | VerdictKind::Unexplained);
    let gained = pairs().filter(|(a, b)| a.index != index && lost(a) && fits(b)).count();
    let others_use = protocol.results.iter().enumerate().any(|(n, r)| n != index && r.node.items().contains(&item));
    let here = after.results.iter().any(|r| r.index == index && fits(r));
    if broken || !here || (gained == 0 && others_use) {
        if let Some(cell) =
            table.readings.iter_mut().find(|r| r.item == item).and_then(|r| r.cells.iter_mut().find(|c| c.row == row))
        {
            cell.repaired = None;
        }
        return if broken { Repair::Refuted(item, row) } else { Repair::None };
    }
    let kind = Kind::Repair { text, value, resolution: resolution_of(table, item, row), probability, gained };
    let finding = Finding::new(kind, key, Severity::Decide, Place::of(item, row));
    Findings::onto(&mut after.list).push(Finding {
        fragile: decision.is_none().then_some(Fragile::RepairOpen),
        ..finding.hanging(readings::completeness(protocol))
    });
    Repair::Taken(Box::new(after))
}

fn resolution_of(table: &Table, item: usize, row: Option<u32>) -> f64 {
    table
        .readings
        .iter()
        .find(|r| r.item == item)
        .and_then(|r| r.cells.iter().find(|c| c.row == row))
        .map_or(1e-3, |c| c.resolution.max(1e-300))
}

/// What was noted while placing cells becomes findings; only a result's unit is charged.
fn notes(protocol: &Protocol, table: &table::Table, found: &mut Findings<'_>) {
    let units = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Units { each } => Some((Some(c.id.clone()), each)),
        _ => None,
    });
    for note in &table.notes {
        let is_result = protocol.reading_of(note.item).is_none();
        let costs = match note.kind {
            Kind::Unit(UnitFault::Missing) => is_result,
            Kind::Unit(UnitFault::Wrong(_) | UnitFault::Unknown(_)) => true,
            _ => false,
        };
        let id = &protocol.items[note.item].id;
        // Replicates are judged together: a reading without units is one finding, not five.
        let key = if costs { Key::about(&note.kind, id, None) } else { Key::of_cell(&note.kind, id, note.row) };
        let severity = match note.kind {
            Kind::Duplicate { .. } => Severity::Decide,
            _ if costs => Severity::Charge,
            _ => Severity::Note,
        };
        let finding = Finding::new(note.kind.clone(), key, severity, Place::of(note.item, note.row));
        found.push(match &units {
            Some(charge) if costs => finding.charged(charge.clone()),
            _ => finding,
        });
    }
}

/// Points that hang on a person: of open findings, and of what is fragile.
pub fn hanging(judged: &Judged) -> Decimal {
    judged
        .findings
        .iter()
        .filter(|f| f.open() || (f.fragile.is_some() && f.decision.is_none() && f.ruling.is_none()))
        .map(|f| f.hangs)
        .sum()
}

/// The half-width stated with a result, in the protocol's unit.
pub fn stated_plus_minus(reported: &crate::verdict::Reported) -> Option<f64> {
    stated::stated_value(reported).map(|(value, ..)| value)
}
