//! From a table to its verdict. [`judge`] runs the passes in the order a reviewer works; each pass
//! is a file here: cells in their places (`table`), the values they give (`values`), what counts
//! (`counts`), what readings and columns say of themselves (`readings`, `columns`), recompute,
//! follow through and compare (`compare`, `words`), name the mistake (`diagnose` ranks the mistaken
//! formulas that `protocol::mutate` made when the protocol was loaded), charge it once (`results`),
//! uncertainty (`uncertain`, `montecarlo`), cross-checks and agreement (`relations`), references
//! and the score (`score`).
//!
//! # The order
//!
//! | step | file | what comes of it |
//! |---|---|---|
//! | 1 | `taught`, `person` | the lab as this section was taught it, the table as a reviewer corrected it |
//! | 2 | `table` | every cell in its place, with its value in the lab's unit |
//! | 3 | `values`, `counts` | readings and references in SI units, and which rows count |
//! | 4 | `readings`, `columns`, `propagate` | what cells and columns say of themselves, and the uncertainty of everything |
//! | 5 | `under` | what the formulas under a spreadsheet's cells say |
//! | 6 | `compare`, `words`, `diagnose`, `stories` | the verdict on each result, and its likeliest mistake |
//! | 7 | `off_the_line`, `relations` | points off their curve, checks, comparisons of methods |
//! | 8 | `results`, `digits`, `stated` | one charge for each mistake, figures, stated uncertainties |
//! | 9 | `score` | references, rulings, decisions, points |
//!
//! Steps 2 to 6 are run again where a reading turns out to have been copied wrongly: a story that
//! explains a result is believed only if the result fits once the reading is what the story says.
//!
//! # What holds throughout
//!
//! - A value is in coherent SI units inside an `Env`, and in its item's unit everywhere else.
//! - C is the clean value, from the readings alone; F is what follows from the values the team
//!   reported above; R is what it reported. All three have the unit of the result.
//! - Rows count from 1 in a `Row`, and from 0 where they are an index.
//! - Nothing here writes a sentence. What is found is a [`Kind`] with its figures, and `wording`
//!   tells it.

mod columns;
mod compare;
mod counts;
mod diagnose;
mod digits;
mod ground;
mod montecarlo;
mod off_the_line;
mod person;
mod propagate;
mod readings;
mod relations;
mod repairs;
mod results;
mod score;
mod sheet;
mod stated;
mod stories;
mod table;
mod taught;
#[cfg(test)]
mod tests;
mod uncertain;
mod under;
mod values;
mod waiting;
mod words;

pub use counts::limits;

use crate::formula::ItemId;
use crate::row::Row;
use rust_decimal::Decimal;
use sha2::{Digest, Sha256};

use crate::decision::{Action, Decision, Ruling};
use crate::finding::{Finding, Findings, Key, Kind, Place, Severity, UnitFault};
use crate::protocol::{Protocol, Rule};
use crate::section::Section;
use crate::submission::Submission;
use crate::verdict::{Judged, JudgedResult, OutlierTest, Score};
use repairs::{refused, repaired};
use sheet::{Sheet, Stage};
use stories::Whole;
use table::Table;
use values::{Env, Out};

/// The clean value of a result with one digit more than the team wrote.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::{judge, shown_clean};
/// // As written with four figures; the right value is shown with five.
/// let judged = judge(&lab(), &table("29.98", "706.1"), &[], &[]);
/// assert_eq!(shown_clean(&judged.results[0]), "29.985");
/// ```
pub fn shown_clean(result: &crate::verdict::JudgedResult) -> String {
    crate::wording::number(&compare::shown(result))
}

/// Judges one table as [`judge_in`] does, in a section that sets nothing.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::protocol::SlipKind;
/// // The area was worked out with the diameter in the place of the radius.
/// let judged = judge(&lab(), &table("29.98", "2823.7"), &[], &[]);
/// assert_eq!(judged.results[1].slip.as_ref().map(|s| s.kind.clone()), Some(SlipKind::RadiusDiameter));
/// ```
pub fn judge(protocol: &Protocol, submission: &Submission, rulings: &[Ruling], decisions: &[Decision]) -> Judged {
    judge_in(protocol, &Section::default(), submission, rulings, decisions)
}

/// What the passes before the score have found.
///
/// It is made anew for each repair that is tried, and the last one is what the score is made of.
struct Worked {
    /// Findings about readings, columns and formulas, and the repairs that were made.
    list: Vec<Finding>,
    /// Tests for readings that stand apart.
    outliers: Vec<OutlierTest>,
    /// Rows left out, by group.
    out: Out,
    /// Everything at full precision, SI.
    clean: Env,
    /// The same, with results as the team wrote them.
    reported: Env,
    /// Uncertainties of everything.
    propagated: propagate::Propagated,
    /// Results with their verdicts.
    results: Vec<JudgedResult>,
}

/// Judges one table: a pure function of its text, the protocol, the section's settings, the rulings
/// in force and the reviewer's decisions on this table (oldest first). The same in gives the same
/// out, byte for byte.
///
/// `rulings` are those of all labs: which of them concern this table is asked here. Decisions are
/// taken in their order, so that the last about a finding holds.
///
/// Where a decision changed a reading, the table is judged a second time as it was handed in: the
/// score's lines then say beside each point what the computation alone would have given.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge_in;
/// use jurado_core::section::Section;
/// let (lab, table) = (lab(), table("29.98", "706.1"));
/// let once = judge_in(&lab, &Section::default(), &table, &[], &[]);
/// let again = judge_in(&lab, &Section::default(), &table, &[], &[]);
/// assert_eq!(once.score.awarded, again.score.awarded);
/// assert!(once.findings.iter().map(|f| &f.key).eq(again.findings.iter().map(|f| &f.key)));
/// ```
pub fn judge_in(
    protocol: &Protocol,
    section: &Section,
    submission: &Submission,
    rulings: &[Ruling],
    decisions: &[Decision],
) -> Judged {
    let here: Vec<&Ruling> = rulings.iter().filter(|r| r.concerns(&protocol.id, submission)).collect();
    let set = taught::of(protocol, section, &here);
    let as_written = protocol;
    let protocol = &*as_written.taught(&set.taught);
    let as_typed = submission;
    let submission = &*person::corrected(submission, decisions);
    let stage = Stage { protocol, section, submission };
    let mut table = table::place(protocol, section, submission);
    let mut refuted = refused(protocol, decisions);
    let Worked { mut list, mut outliers, out, clean, reported, propagated, mut results } =
        repaired(stage, &mut table, &mut refuted, decisions);
    let mut found = Findings::onto(&mut list);
    outliers.extend(off_the_line::points(protocol, &clean, &out, &propagated, &mut found));
    let mut comparisons = relations::checks(protocol, &out, &clean, &propagated, &mut found);
    comparisons.extend(relations::comparisons(protocol, &out, &propagated, &reported, &mut results, &mut found));
    results::join_slips(protocol, &mut results);
    results::find(protocol, section, &table, &results, &mut found);
    notes(protocol, &table, &mut found);
    stated::stated(protocol, &results, &mut found);
    set.tell(protocol, &mut found);
    // How well was measured does not hang on the formula that was taught.
    match set.only_constants() {
        None => {
            let against = score::Against { protocol, section, submission, table: &table, clean: &clean };
            comparisons.extend(score::compare(&against, &here, &results, &mut found));
        }
        Some(constants) => {
            let protocol = &*as_written.taught(&constants);
            let own = work(Stage { protocol, section, submission }, &mut table.clone(), &refuted);
            let against = score::Against { protocol, section, submission, table: &table, clean: &own.clean };
            comparisons.extend(score::compare(&against, &here, &own.results, &mut found));
            for (r, own) in results.iter_mut().zip(own.results) {
                r.own = own.clean;
            }
        }
    }
    waiting::excuse(as_typed.waiting, &mut found);
    person::add(protocol, as_typed, decisions, &mut found);
    score::settle(protocol, &results, &mut list, &here, decisions);
    person::reword(&mut list, decisions);
    let mut score = score::score(protocol, section, &list, &comparisons, decisions);
    if decisions.iter().any(|d| matches!(d.action, Action::Read | Action::LeaveOut | Action::Refuse)) {
        as_computed(&mut score, &judge_in(as_written, section, as_typed, rulings, &[]).score);
    }
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
        row_keys: table.rows.into_iter().map(|r| r.keys).collect(),
        taught: set.taught,
        book: as_typed.under.as_deref().and_then(crate::class::Book::of),
    }
}

/// Sets what the score's lines say is computed to what the table gives as it was handed in, by its
/// own story.
///
/// Both scores have the same lines in the same order, since both come of the same rubric.
fn as_computed(score: &mut Score, untouched: &Score) {
    for (line, untouched) in score.lines.iter_mut().zip(&untouched.lines) {
        line.computed = untouched.computed;
    }
}

/// Everything from the placed cells to the verdicts of the results.
///
/// The order inside is what the types ask for: a [`Sheet`] needs the placed cells,
/// [`ground::Ground`] needs the sheet, and results need the ground. The uncertainties are filled in
/// last, because the figures that a result deserves are among them.
fn work(stage: Stage<'_>, table: &mut Table, refuted: &[(ItemId, Option<Row>)]) -> Worked {
    let Stage { protocol, section, submission } = stage;
    let sheet = Sheet::of(stage, table);
    let beneath = under::of(stage, table, &sheet);
    let figured = values::figured(protocol, &table.readings, &sheet.measured, &sheet.out);
    let ground = ground::Ground {
        protocol,
        table,
        out: &sheet.out,
        clean: &sheet.clean,
        measured: &sheet.measured,
        figured: &figured,
        refuted,
        budgets: &sheet.propagated.budgets,
        whole: &Whole::of(stage, table, &sheet, &figured),
        beneath: &beneath,
    };
    let (mut results, reported) = compare::results(&ground);
    let Sheet { clean, out, propagated, outliers, mut list, .. } = sheet;
    uncertain::fill(protocol, table, &out, &propagated, &|| seed(protocol, submission, section), &mut results);
    beneath.find(protocol, &results, &mut Findings::onto(&mut list));
    Worked { list, outliers, out, clean, reported, propagated, results }
}

/// A seed that the table and its protocol give, for what is done by chance.
///
/// The section's settings are part of it, so that two sections with other parameters do not share
/// their trials. Texts end with a nought byte: `12` beside `3` is another table than `1` beside
/// `23`.
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

/// What was noted while placing cells becomes findings; only a result's unit is charged.
///
/// A unit that is missing under a reading is a note, and under a result it is charged once for the
/// whole item; a wrong or unknown unit is charged under either. Replicates share one key, so that
/// five readings without a unit are one decision.
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
///
/// What was decided no longer hangs, whether a decision of this table or a ruling settled it.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::{hanging, judge};
/// use rust_decimal::Decimal;
/// // Nothing explains 23: all its two points wait for a person.
/// let judged = judge(&lab(), &table("23", "415"), &[], &[]);
/// assert_eq!(hanging(&judged), Decimal::from(2));
/// ```
pub fn hanging(judged: &Judged) -> Decimal {
    judged
        .findings
        .iter()
        .filter(|f| f.open() || (f.fragile.is_some() && f.decision.is_none() && f.ruling.is_none()))
        .map(|f| f.hangs)
        .sum()
}

/// The half-width stated with a result, in the protocol's unit.
///
/// `None` where nothing was stated, or where what was stated cannot be read. A ± written in the
/// value's own cell (`12.4 ± 0.2`) counts as one in its column.
///
/// # Example
/// ```
/// use jurado_core::judging::stated_plus_minus;
/// use jurado_core::verdict::Reported;
/// let stated = |text: &str| {
///     stated_plus_minus(&Reported { plus_minus: text.into(), scale: 1.0, ..Reported::default() })
/// };
/// assert_eq!((stated("0.05"), stated("")), (Some(0.05), None));
/// ```
pub fn stated_plus_minus(reported: &crate::verdict::Reported) -> Option<f64> {
    stated::stated_value(reported).map(|(value, ..)| value)
}
