//! Findings about results: slips charged once, values nobody can explain, missing ones, figures and
//! units.
//!
//! A result worth 2 points of which a slip takes half costs 1 point, wherever else the same slip
//! shows: one mistake is charged once, where it came first, at the dearest of its places. A column
//! of three rows worth 1.5 points has 0.5 at stake in each row; a slip down the whole column has
//! 1.5. What follows rightly from a wrong value costs nothing, unless the rubric says so. Of
//! mistakes that cannot be told apart the mildest is charged.
//!
//! # What becomes of a verdict
//!
//! | verdict | finding | costs |
//! |---|---|---|
//! | agrees, rounded | none | nothing |
//! | carried | only where the course takes a part | that part |
//! | slip | the mistake, at its first place | its share, once |
//! | unexplained | the value, with stories if any | all of it hangs |
//! | differs | the word | all of it hangs |
//! | missing | the result, or what it waits for | all of it |
//! | unreadable | the text | all of it hangs |
//! | unchecked | a note | nothing |
//!
//! “Hangs” means that a person decides; until then the points are counted as lost, and said to
//! hang.

use rust_decimal::Decimal;

use super::compare::{WIDE_ENVELOPE, shown};
use super::table::Table;
use super::waiting::Waiting;
use crate::finding::{Finding, Findings, Fragile, Key, Kind, Place, Riddle, Right, Severity, Story};
use crate::protocol::{Protocol, Rule, SlipKind};
use crate::section::Section;
use crate::verdict::{JudgedResult, Slip, VerdictKind};

/// Shares are between 0 and 1, and exact decimals.
struct Shares<'a> {
    /// The criterion on calculations; none where the rubric has none.
    criterion: Option<String>,
    /// The usual share.
    share: Decimal,
    /// Shares by the word of the kind.
    by_kind: &'a [(String, Decimal)],
    /// Shares of declared slips.
    declared: &'a [(SlipKind, Decimal)],
    /// Share of what only follows from a wrong value.
    carried: Decimal,
}

/// No other story is told below this chance.
///
/// A reader who is offered five stories reads none.
const TOLD: f64 = 0.2;

impl Shares<'_> {
    /// The share of a result's points that a kind of slip takes: the rubric's own, the
    /// declaration's, or the usual one.
    ///
    /// The rubric goes before what the lab's author declared, and that before the usual share.
    fn of(&self, kind: &SlipKind) -> Decimal {
        let by_rubric = self.by_kind.iter().find(|(k, _)| k == kind.word()).map(|(_, s)| *s);
        let by_declaration = || self.declared.iter().find(|(k, _)| k == kind).map(|(_, s)| *s);
        by_rubric.or_else(by_declaration).unwrap_or(self.share)
    }

    /// The least of the shares that the stories of a value take.
    ///
    /// Of stories that may all be true the team is charged for the least.
    fn mildest(&self, slip: &Slip) -> Decimal {
        let kinds = std::iter::once(&slip.kind).chain(slip.alternatives.iter().map(|(k, _)| k));
        kinds.map(|k| self.of(k)).min().unwrap_or(self.share)
    }
}

/// All results of a table, with what is asked of them as a whole for each one: worked out once, so
/// that judging a table takes as long as it has cells and not the square of that.
///
/// Without it a table of ten thousand rows would be gone through ten thousand times.
struct Whole<'a> {
    /// All results, in order.
    results: &'a [JudgedResult],
    /// How many rows each result of the protocol has.
    rows: Vec<usize>,
}

impl<'a> Whole<'a> {
    /// Counts the rows of every result once.
    fn of(protocol: &Protocol, results: &'a [JudgedResult]) -> Whole<'a> {
        let mut rows = vec![0; protocol.results.len()];
        for r in results {
            rows[r.id.index()] += 1;
        }
        Whole { results, rows }
    }
}

/// Points that one result, or one row of it, can lose: a column's points are shared by its rows, to
/// the hundredth.
///
/// A column worth 2 points in seven rows has 0.29 at stake in each, and never more than 2 in all:
/// [`cap_columns`] takes back what rounding up adds.
fn points(protocol: &Protocol, whole_table: &Whole<'_>, result: &JudgedResult) -> Decimal {
    let whole = protocol.results[result.id].points;
    if result.row.is_none() {
        return whole;
    }
    (whole / Decimal::from(whole_table.rows[result.id.index()].max(1)))
        .round_dp_with_strategy(2, rust_decimal::RoundingStrategy::ToPositiveInfinity)
        .min(whole)
}

/// How the rubric shares the points of a result out; a course without a criterion for calculations
/// takes nothing.
///
/// A lab without such a criterion charges nothing for a wrong calculation, and tells it all the
/// same.
fn shares(protocol: &Protocol) -> Shares<'_> {
    protocol
        .criteria
        .iter()
        .find_map(|c| match &c.rule {
            Rule::Calculation { share, shares, carried } => Some(Shares {
                carried: *carried,
                criterion: Some(c.id.clone()),
                share: *share,
                by_kind: shares,
                declared: &protocol.declared,
            }),
            _ => None,
        })
        .unwrap_or(Shares {
            criterion: None,
            share: Decimal::ZERO,
            by_kind: &[],
            declared: &[],
            carried: Decimal::ZERO,
        })
}

/// One systematic slip in several results that share its input is one slip with its places listed.
///
/// Two slips are one where they are of one kind and about one item; where they have no item, where
/// the same words tell them. Slips in the writing of an answer are never one: each was written by
/// itself.
pub(super) fn join_slips(protocol: &Protocol, results: &mut [JudgedResult]) {
    for i in 0..results.len() {
        let Some(mine) = slip_of(&results[i]).cloned() else { continue };
        // A number of the formula has no item of its own: there the same words tell the same slip.
        let alike = |s: &Slip| {
            s.kind == mine.kind
                && s.subject == mine.subject
                && (s.subject.is_some() || (!is_of_the_text(&s.kind) && s.account.clause == mine.account.clause))
        };
        let same: Vec<usize> =
            (0..results.len()).filter(|j| *j == i || slip_of(&results[*j]).is_some_and(alike)).collect();
        let mut places: Vec<String> = same.iter().map(|j| protocol.items[results[*j].item].id.clone()).collect();
        // The rows of one result are one place.
        places.dedup();
        if let Some(slip) = &mut results[i].slip {
            slip.places = places;
        }
    }
}

/// The slip of a result that is told by one.
///
/// A slip that is less likely than not explains nothing, and is only mentioned.
fn slip_of(result: &JudgedResult) -> Option<&Slip> {
    result.slip.as_ref().filter(|_| result.verdict == VerdictKind::Slip)
}

/// Findings of all results.
///
/// What agrees has no finding. What is rounded has none of its own: its figures are judged with the
/// others. What is missing because a reading is missing is told once, as waiting for that reading.
pub(super) fn find(
    protocol: &Protocol,
    section: &Section,
    table: &Table,
    results: &[JudgedResult],
    found: &mut Findings<'_>,
) {
    let shares = shares(protocol);
    let whole = Whole::of(protocol, results);
    let mut waiting = Waiting::new(protocol, table);
    for result in results {
        if matches!(result.verdict, VerdictKind::Agrees) {
            continue;
        }
        let spec = &protocol.results[result.id];
        let item = &protocol.items[result.item];
        let right = || right(protocol, result);
        let text = || result.reported.text.clone();
        let all = (shares.criterion.clone(), points(protocol, &whole, result));
        let finding = |kind: Kind, severity| Finding::about(kind, severity, (result.item, &item.id), result.row);
        match result.verdict {
            VerdictKind::Missing => {
                if spec.optional || section.waived(&item.id).is_some() {
                    continue;
                }
                // Nothing to compare with means that a reading is missing.
                if result.clean.is_none() && result.carried.is_none() && result.right_word.is_none() {
                    waiting.take(result, all.1);
                    continue;
                }
                found.push(finding(Kind::MissingResult { right: right() }, Severity::Charge).charged(all));
            }
            VerdictKind::Unreadable => {
                let kind = Kind::UnreadableResult { text: text(), right: right() };
                found.push(finding(kind, Severity::Decide).hanging(all));
            }
            VerdictKind::Unchecked => {
                found.push(finding(Kind::Unchecked { text: text(), gap: result.gap }, Severity::Note));
            }
            VerdictKind::Differs => {
                let kind = Kind::Differs { text: text(), right: right() };
                found.push(finding(kind, Severity::Decide).hanging(all));
            }
            VerdictKind::Slip => slip(protocol, &whole, result, &shares, found),
            VerdictKind::Unexplained => unexplained(protocol, &whole, result, &shares, found),
            // Most courses give what follows in full.
            VerdictKind::Carried if shares.carried > Decimal::ZERO => {
                let kind = Kind::Carried { right: right() };
                let part = (all.0, all.1 * shares.carried);
                found.push(finding(kind, Severity::Charge).charged(part));
            }
            VerdictKind::Agrees | VerdictKind::Rounded | VerdictKind::Carried => {}
        }
        if result.verdict != VerdictKind::Agrees
            && result.reported.value.is_some()
            && result.carried.is_some_and(|f| result.envelope > WIDE_ENVELOPE * f.abs())
        {
            let kind = Kind::CutTooEarly { envelope: result.envelope };
            found.push(finding(kind, Severity::Note));
        }
    }
    cap_columns(protocol, &shares, found);
    found.list.extend(waiting.finding(shares.criterion.clone()));
    super::digits::digits(protocol, results, found);
}

/// Takes back what the rows of a column, each rounded up, lose beyond the column's points: the last
/// rows pay less.
///
/// In the order of the rows, so that the same rows pay whichever way the table is read.
fn cap_columns(protocol: &Protocol, shares: &Shares<'_>, found: &mut Findings<'_>) {
    for spec in protocol.results.iter().filter(|s| s.table.is_some()) {
        let mut left = spec.points;
        let mine = |f: &&mut Finding| f.place.item == Some(spec.item) && f.criterion == shares.criterion;
        for f in found.list.iter_mut().filter(mine) {
            f.cost = f.cost.min(left);
            f.hangs = f.hangs.min(left.max(f.cost));
            left -= f.cost;
        }
    }
}

/// What the readings give in place of what was written: a value, with one digit more than was
/// written, or a word.
fn right(protocol: &Protocol, result: &JudgedResult) -> Right {
    match (&protocol.items[result.item].words, result.right_word) {
        (Some(_), Some(w)) => Right::Word(w),
        (Some(_), None) => Right::Unknown,
        _ => shown(result),
    }
}

/// How many results follow from one: carried, and fed by it directly or through others.
///
/// Only what is carried follows from it; what went wrong anew has its own finding.
fn downstream(protocol: &Protocol, results: &[JudgedResult], from: &JudgedResult) -> usize {
    let mut reached = vec![from.item];
    let mut count = 0;
    for r in results {
        if r.verdict == VerdictKind::Carried && protocol.results[r.id].upstream.iter().any(|u| reached.contains(u)) {
            reached.push(r.item);
            count += 1;
        }
    }
    count
}

/// Tells a slip where it came first, with its cost; elsewhere only that it is the same. Down a
/// column the first of its rows is the place.
///
/// The finding hangs on a person, who may find that the team is right. A chance between a third and
/// two thirds is said to be fragile.
fn slip(protocol: &Protocol, whole: &Whole<'_>, result: &JudgedResult, shares: &Shares<'_>, found: &mut Findings<'_>) {
    let Some(slip) = &result.slip else { return };
    let results = whole.results;
    let item = &protocol.items[result.item];
    let first_row = slip.rows.first().is_none_or(|first| Some(*first) == result.row);
    if !first_row {
        return;
    }
    if slip.places.first() != Some(&item.id) {
        // Charged where it came first; here it is only said.
        found.push(Finding::about(Kind::SlipAgain, Severity::Note, (result.item, &item.id), result.row));
        return;
    }
    let likely = |(_, p): &&(SlipKind, f64)| *p >= TOLD;
    let is_alike = |(kind, _): &&(SlipKind, f64)| slip.alike.contains(kind);
    let alike: Vec<SlipKind> =
        slip.alternatives.iter().filter(likely).filter(is_alike).map(|(k, _)| k.clone()).collect();
    let other = slip.alternatives.iter().find(|a| !is_alike(a));
    let cost = cost_of(protocol, whole, slip, &alike, shares);
    let story = Story {
        text: result.reported.text.clone(),
        right: shown(result),
        account: slip.account.clone(),
        probability: slip.probability,
        followers: downstream(protocol, results, result),
        rows: slip.rows.clone(),
        places: slip.places.len(),
        guess: other.filter(|(_, p)| *p >= TOLD).cloned(),
        alike,
        only_copied: is_of_the_text(&slip.kind) && only_copied(protocol, results, result),
    };
    let kind = Kind::Slip(Box::new(story));
    let key = Key::about(&kind, &item.id, result.row.filter(|_| slip.rows.is_empty()));
    let finding = Finding::new(kind, key, Severity::Decide, Place::of(result.item, result.row));
    found.push(Finding {
        also: results
            .iter()
            .filter(|r| r.item != result.item && slip.places.contains(&protocol.items[r.item].id))
            .map(|r| r.item)
            .collect(),
        fragile: (1.0 / 3.0..=2.0 / 3.0).contains(&slip.probability).then_some(Fragile::Diagnosis(slip.probability)),
        ..finding.hanging((shares.criterion.clone(), cost))
    });
}

/// What a slip takes, once for all its places; `alike` are the kinds that it cannot be told apart
/// from.
///
/// A place is worth its points, a column the points of all its rows. The dearest place is charged:
/// a slip that shows in a result of 2 and in one of 0.5 points costs its share of 2.
fn cost_of(protocol: &Protocol, whole: &Whole<'_>, slip: &Slip, alike: &[SlipKind], shares: &Shares<'_>) -> Decimal {
    // Down a column the whole column's points are at stake, else one row's.
    let at_stake = |r: &JudgedResult| {
        if slip.rows.is_empty() { points(protocol, whole, r) } else { protocol.results[r.id].points }
    };
    let places = whole.results.iter().filter(|r| slip.places.contains(&protocol.items[r.item].id));
    // Of kinds that cannot be told apart the mildest is charged; what the lab's author declared has its own share.
    let kinds = std::iter::once(&slip.kind).chain(alike);
    let share = match slip.kind {
        SlipKind::Declared(_) => shares.of(&slip.kind),
        _ => kinds.map(|k| shares.of(k)).min().unwrap_or(shares.share),
    };
    let cost = places.map(at_stake).max().unwrap_or(Decimal::ZERO) * share;
    // Where nothing tells whether a number was keyed or copied wrongly, the milder of the two is charged.
    match (&slip.kind, super::readings::completeness(protocol)) {
        (SlipKind::ReadingMiskeyed, (Some(_), each)) if slip.alike.contains(&SlipKind::ReadingMistyped) => {
            cost.min(each)
        }
        _ => cost,
    }
}

/// Whether a slip is one in writing the answer down.
///
/// What was meant was right, and only the writing was not.
fn is_of_the_text(kind: &SlipKind) -> bool {
    matches!(kind, SlipKind::DigitsSwapped | SlipKind::DigitWrong | SlipKind::DecimalPoint)
}

/// Whether all that use a tainted value agree with the clean one all the same.
///
/// Then the wrong digits stand on the sheet alone, and were never in the calculation.
fn only_copied(protocol: &Protocol, results: &[JudgedResult], result: &JudgedResult) -> bool {
    let mut users = results.iter().filter(|r| protocol.results[r.id].upstream.contains(&result.item)).peekable();
    users.peek().is_some()
        && users.all(|u| {
            u.clean
                .zip(u.reported.value)
                .is_some_and(|(c, r)| super::values::within(r - c, u.reported.half_step, u.reported.half_step, r, c))
        })
}

/// The stories of a slip, each kind once, the likeliest first.
///
/// Chances of one kind are added up, over all its forms.
fn each_kind_once(slip: &Slip) -> Vec<(SlipKind, f64)> {
    let mut stories: Vec<(SlipKind, f64)> = Vec::new();
    for (kind, p) in
        std::iter::once((&slip.kind, slip.probability)).chain(slip.alternatives.iter().map(|(k, p)| (k, *p)))
    {
        // What cannot be told apart from the first is in its chance already.
        let known = stories.iter_mut().find(|(k, _)| k == kind);
        match known {
            Some((_, sum)) => *sum += p,
            None if slip.alike.contains(kind) => {}
            None => stories.push((kind.clone(), p)),
        }
    }
    stories.sort_by(|a, b| b.1.total_cmp(&a.1));
    stories
}

/// Tells a value that nothing explains, or that several stories explain alike. All its points hang
/// on a person; of several stories the mildest is proposed.
///
/// Three stories are told at most.
fn unexplained(
    protocol: &Protocol,
    whole: &Whole<'_>,
    result: &JudgedResult,
    shares: &Shares<'_>,
    found: &mut Findings<'_>,
) {
    let all = points(protocol, whole, result);
    let riddle = |stories: Vec<(SlipKind, f64)>| {
        let (text, throughout, gap) = (result.reported.text.clone(), result.throughout, result.gap);
        Box::new(Riddle { text, right: shown(result), stories, throughout, gap })
    };
    let (kind, cost) = match &result.slip {
        Some(s) if s.ambiguous => {
            let stories = each_kind_once(s).into_iter().take(3).collect();
            (Kind::Ambiguous(riddle(stories)), all * shares.mildest(s))
        }
        Some(s) if s.probability >= TOLD => (Kind::Unexplained(riddle(vec![(s.kind.clone(), s.probability)])), all),
        _ => (Kind::Unexplained(riddle(Vec::new())), all),
    };
    let about = (result.item, protocol.items[result.item].id.as_str());
    let likely = result.slip.as_ref().filter(|s| s.ambiguous || s.probability >= 1.0 / 3.0);
    found.push(Finding {
        criterion: shares.criterion.clone(),
        cost,
        hangs: all,
        fragile: likely.map(|s| Fragile::Likeliest(s.probability)),
        ..Finding::about(kind, Severity::Decide, about, result.row)
    });
}
