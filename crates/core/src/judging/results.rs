//! Findings about results: slips charged once, values nobody can explain, missing ones, figures and units.

use rust_decimal::Decimal;

use super::compare::{WIDE_ENVELOPE, shown_clean};
use super::findings::Findings;
use super::sentences::{NOT_THERE, READINGS_GIVE};
use super::uncertain::full_title;
use crate::notation::{self, capital};
use crate::protocol::{Protocol, Rule, SlipKind};
use crate::section::Section;
use crate::verdict::{Finding, JudgedResult, Severity, Slip, VerdictKind};

struct Shares<'a> {
    criterion: Option<String>,
    share: Decimal,
    by_kind: &'a [(String, Decimal)],
    declared: &'a [(SlipKind, Decimal)],
    carried: Decimal,
}

impl Shares<'_> {
    /// The share of a result's points that a kind of slip takes: the rubric's own, the declaration's, or the usual one.
    fn of(&self, kind: SlipKind) -> Decimal {
        let by_rubric = self.by_kind.iter().find(|(k, _)| k == kind.word()).map(|(_, s)| *s);
        let by_declaration = || self.declared.iter().find(|(k, _)| *k == kind).map(|(_, s)| *s);
        by_rubric.or_else(by_declaration).unwrap_or(self.share)
    }
}

/// All results of a table, with what is asked of them as a whole for each one: worked out once, so that judging a table
/// takes as long as it has cells and not the square of that.
struct Whole<'a> {
    results: &'a [JudgedResult],
    /// How many rows each result of the protocol has.
    rows: Vec<usize>,
    /// The last row in which anything could be worked out or was reported.
    last: u32,
}

impl<'a> Whole<'a> {
    fn of(protocol: &Protocol, results: &'a [JudgedResult]) -> Whole<'a> {
        let mut rows = vec![0; protocol.results.len()];
        for r in results {
            rows[r.index] += 1;
        }
        let last = results
            .iter()
            .filter(|r| r.clean.is_some() || r.reported.value.is_some())
            .filter_map(|r| r.row)
            .max()
            .unwrap_or(0);
        Whole { results, rows, last }
    }
}

/// Points that one result, or one row of it, can lose: a column's points are shared by its rows, to the hundredth.
fn points(protocol: &Protocol, whole_table: &Whole<'_>, result: &JudgedResult) -> Decimal {
    let whole = protocol.results[result.index].points;
    if result.row.is_none() {
        return whole;
    }
    (whole / Decimal::from(whole_table.rows[result.index].max(1)))
        .round_dp_with_strategy(2, rust_decimal::RoundingStrategy::ToPositiveInfinity)
        .min(whole)
}

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
pub(super) fn join_slips(protocol: &Protocol, results: &mut [JudgedResult]) {
    for i in 0..results.len() {
        let Some((kind, Some(subject))) = slip_of(&results[i]).map(|s| (s.kind, s.subject)) else { continue };
        let same: Vec<usize> = (0..results.len())
            .filter(|j| slip_of(&results[*j]).is_some_and(|s| s.kind == kind && s.subject == Some(subject)))
            .collect();
        let places: Vec<String> = same.iter().map(|j| protocol.items[results[*j].item].id.clone()).collect();
        if let Some(slip) = &mut results[i].slip {
            slip.places = places;
        }
    }
}

fn slip_of(result: &JudgedResult) -> Option<&Slip> {
    result.slip.as_ref().filter(|_| result.verdict == VerdictKind::Slip)
}

/// Findings of all results.
pub(super) fn find(protocol: &Protocol, section: &Section, results: &[JudgedResult], found: &mut Findings<'_>) {
    let shares = shares(protocol);
    let whole = Whole::of(protocol, results);
    for result in results {
        if matches!(result.verdict, VerdictKind::Agrees) {
            continue;
        }
        let spec = &protocol.results[result.index];
        let item = &protocol.items[result.item];
        let title = full_title(protocol, result);
        let key = |code: &str| Findings::key(code, &item.id, result.row);
        let unit = item.unit_after();
        let clean = shown(protocol, result);
        let all = points(protocol, &whole, result);
        match result.verdict {
            VerdictKind::Missing => {
                if spec.optional || section.waived(&item.id).is_some() || past_the_end(&whole, result) {
                    continue;
                }
                // Nothing to compare with means that a reading is missing, and that is charged already.
                let waits = result.clean.is_none() && result.carried.is_none() && result.right_word.is_none();
                let cost = if waits { Decimal::ZERO } else { all };
                let says = if waits {
                    format!("No {title}; it waits for a reading that is missing too.")
                } else {
                    format!("No {title}; the readings give {clean}{unit}.")
                };
                let tells =
                    if waits { String::new() } else { format!("The {title}{NOT_THERE}{READINGS_GIVE}{clean}{unit}.") };
                found.push(Finding {
                    says,
                    tells,
                    criterion: shares.criterion.clone(),
                    cost,
                    ..Findings::blank("missing-result", key("missing"), Severity::Charge, Some(result.item), result.row)
                });
            }
            VerdictKind::Unreadable => found.push(Finding {
                says: format!(
                    "The {title} reads “{}”, which is no number; the readings give {clean}{unit}.",
                    result.reported.text
                ),
                tells: format!(
                    "We could not read “{}” as the {title}; your readings give {clean}{unit}.",
                    result.reported.text
                ),
                criterion: shares.criterion.clone(),
                cost: all,
                hangs: all,
                ..Findings::blank("unreadable", key("unreadable"), Severity::Decide, Some(result.item), result.row)
            }),
            VerdictKind::Unchecked => found.push(Finding {
                says: format!(
                    "The {title}, {}{unit}, cannot be checked: it waits for a reading.",
                    result.reported.text
                ),
                ..Findings::blank("unchecked", key("unchecked"), Severity::Note, Some(result.item), result.row)
            }),
            VerdictKind::Differs => {
                let (cost, criterion) = (all, shares.criterion.clone());
                found.push(Finding {
                    says: format!("The {title} reads “{}”; the readings give “{clean}”.", result.reported.text),
                    tells: format!(
                        "You wrote “{}” for the {title}; your readings give “{clean}”.",
                        result.reported.text
                    ),
                    criterion,
                    cost,
                    hangs: cost,
                    ..Findings::blank("differs", key("differs"), Severity::Decide, Some(result.item), result.row)
                });
            }
            VerdictKind::Slip => slip(protocol, &whole, result, &shares, found),
            VerdictKind::Unexplained => unexplained(protocol, &whole, result, &shares, found),
            // Most courses give what follows in full.
            VerdictKind::Carried if shares.carried > Decimal::ZERO => found.push(Finding {
                says: format!("The {title} follows rightly from a wrong value; this course takes a part for that."),
                tells: format!(
                    "Your {title} follows rightly from an earlier value that is wrong; the readings give {clean}{unit}."
                ),
                criterion: shares.criterion.clone(),
                cost: all * shares.carried,
                ..Findings::blank("carried", key("carried"), Severity::Charge, Some(result.item), result.row)
            }),
            VerdictKind::Agrees | VerdictKind::Rounded | VerdictKind::Carried => {}
        }
        if result.verdict != VerdictKind::Agrees
            && result.reported.value.is_some()
            && result.carried.is_some_and(|f| result.envelope > WIDE_ENVELOPE * f.abs())
        {
            found.push(Finding {
                says: format!(
                    "Figures were cut too early to check the {title}: what was carried on leaves it open by {}{unit}.",
                    notation::uncertainty(result.envelope)
                ),
                tells: format!(
                    "Keep more figures on the way to your {title}; the ones you cut leave it open by {}{unit}.",
                    notation::uncertainty(result.envelope)
                ),
                ..Findings::blank("cut-too-early", key("cut-too-early"), Severity::Note, Some(result.item), result.row)
            });
        }
    }
    digits(protocol, results, found);
}

/// What is right: a value with one digit more than was written, or a word.
fn shown(protocol: &Protocol, result: &JudgedResult) -> String {
    match (&protocol.items[result.item].words, result.right_word) {
        (Some(words), Some(w)) => words.get(w as usize).cloned().unwrap_or_default(),
        (Some(_), None) => "not known".to_owned(),
        _ => shown_clean(result),
    }
}

/// Whether a row of a column stands after the last in which anything could be worked out: the table just ended.
fn past_the_end(whole: &Whole<'_>, result: &JudgedResult) -> bool {
    let Some(row) = result.row else { return false };
    if result.clean.is_some() || result.right_word.is_some() {
        return false;
    }
    whole.last < row
}

fn downstream(protocol: &Protocol, results: &[JudgedResult], from: &JudgedResult) -> usize {
    let mut reached = vec![from.item];
    let mut count = 0;
    for r in results {
        if r.verdict == VerdictKind::Carried && protocol.results[r.index].upstream.iter().any(|u| reached.contains(u)) {
            reached.push(r.item);
            count += 1;
        }
    }
    count
}

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
        found.push(Finding {
            says: format!("The same slip again in the {}: charged once.", full_title(protocol, result)),
            ..Findings::blank(
                "slip-again",
                Findings::key("slip-again", &item.id, result.row),
                Severity::Note,
                Some(result.item),
                result.row,
            )
        });
        return;
    }
    // Down a column the whole column's points are at stake, else one row's.
    let at_stake = |r: &JudgedResult| {
        if slip.rows.is_empty() { points(protocol, whole, r) } else { protocol.results[r.index].points }
    };
    let cost = results
        .iter()
        .filter(|r| slip.places.contains(&protocol.items[r.item].id))
        .map(|r| at_stake(r) * shares.of(slip.kind))
        .max()
        .unwrap_or(Decimal::ZERO);
    let title = full_title(protocol, result);
    let unit = item.unit_after();
    let clean = shown_clean(result);
    let followers = downstream(protocol, results, result);
    let follows = match followers {
        0 => String::new(),
        1 => " One result follows from it and costs nothing again.".to_owned(),
        n => format!(" {n} results follow from it and cost nothing again."),
    };
    let elsewhere = if slip.rows.len() > 1 {
        let rows: Vec<String> = slip.rows.iter().map(u32::to_string).collect();
        format!(" One slip down the column, in rows {}; charged once.", rows.join(", "))
    } else if slip.places.len() > 1 {
        format!(" The same in {} results; charged once.", slip.places.len())
    } else {
        String::new()
    };
    let guess = slip
        .alternatives
        .first()
        .filter(|(_, p)| *p >= 0.05)
        .map(|(k, p)| format!(" Or: {}, {}.", said(*k), notation::chance(*p)))
        .unwrap_or_default();
    let fragile = (1.0 / 3.0..=2.0 / 3.0)
        .contains(&slip.probability)
        .then(|| format!("the diagnosis has {}", notation::chance(slip.probability)));
    let copied = only_copied(protocol, results, result);
    let copy_words = if copied {
        " What follows was worked out with the right value: only this line was written wrongly."
    } else {
        ""
    };
    let tell_follow =
        if followers > 0 { " Everything you worked out from it follows correctly and costs nothing more." } else { "" };
    found.push(Finding {
        says: format!(
            "{}: {}{unit} reported, {clean}{unit} recomputed. {}{follows}{elsewhere}{copy_words}{guess}",
            capital(&title),
            result.reported.text,
            slip.says
        ),
        brief: format!("{}: {}.", capital(&title), slip.clause),
        also: results
            .iter()
            .filter(|r| r.item != result.item && slip.places.contains(&protocol.items[r.item].id))
            .map(|r| r.item)
            .collect(),
        tells: format!(
            "Your {title} is {}{unit}; your readings give {clean}{unit}. {}{tell_follow}{copy_words}",
            result.reported.text, slip.says
        ),
        criterion: shares.criterion.clone(),
        cost,
        hangs: cost,
        fragile,
        ..Findings::blank(
            "slip",
            Findings::key("slip", &item.id, result.row.filter(|_| slip.rows.is_empty())),
            Severity::Decide,
            Some(result.item),
            result.row,
        )
    });
}

/// Whether all that use a tainted value agree with the clean one all the same.
fn only_copied(protocol: &Protocol, results: &[JudgedResult], result: &JudgedResult) -> bool {
    let mut users = results.iter().filter(|r| protocol.results[r.index].upstream.contains(&result.item)).peekable();
    users.peek().is_some()
        && users.all(|u| {
            u.clean
                .zip(u.reported.value)
                .is_some_and(|(c, r)| super::values::within(r - c, u.reported.half_step, u.reported.half_step, r, c))
        })
}

fn unexplained(
    protocol: &Protocol,
    whole: &Whole<'_>,
    result: &JudgedResult,
    shares: &Shares<'_>,
    found: &mut Findings<'_>,
) {
    let all = points(protocol, whole, result);
    let item = &protocol.items[result.item];
    let title = full_title(protocol, result);
    let unit = item.unit_after();
    let clean = shown_clean(result);
    let (code, cost, story) = match &result.slip {
        Some(s) if s.ambiguous => {
            let least = s
                .alternatives
                .iter()
                .map(|(k, _)| shares.of(*k))
                .chain([shares.of(s.kind)])
                .min()
                .unwrap_or(shares.share);
            let stories: Vec<String> = std::iter::once((s.kind, s.probability))
                .chain(s.alternatives.iter().copied())
                .take(3)
                .map(|(k, p)| format!("{} ({})", said(k), notation::chance(p)))
                .collect();
            ("ambiguous", all * least, format!(" Several stories fit: {}. The mildest is charged.", stories.join(", ")))
        }
        Some(s) if s.probability >= 0.05 => (
            "unexplained",
            all,
            format!(" No single slip is likely; perhaps {} ({}).", said(s.kind), notation::chance(s.probability)),
        ),
        _ => ("unexplained", all, " No single slip gives it.".to_owned()),
    };
    let story = match result.throughout {
        Some(factor) => format!(
            "{story} All rows that differ are {} times what the readings give: something was done throughout.",
            notation::figures(factor, 4)
        ),
        None => story,
    };
    let fragile = result
        .slip
        .as_ref()
        .filter(|s| s.ambiguous || s.probability >= 1.0 / 3.0)
        .map(|s| format!("the likeliest story has {}", notation::chance(s.probability)));
    found.push(Finding {
        says: format!("{}: {}{unit} reported, {clean}{unit} recomputed.{story}", capital(&title), result.reported.text),
        brief: format!("{} {}{unit}, not {clean}:{}", capital(&title), result.reported.text, story.to_lowercase().trim_end_matches('.').to_owned() + "."),
        tells: format!("Your {title} is {}{unit}; your readings give {clean}{unit}. We could not see how yours came about: please go through the steps once more.", result.reported.text),
        criterion: shares.criterion.clone(),
        cost,
        hangs: all,
        fragile,
        ..Findings::blank(
            code,
            Findings::key("unexplained", &item.id, result.row),
            Severity::Decide,
            Some(result.item),
            result.row,
        )
    });
}

/// A kind in plain words.
fn said(kind: SlipKind) -> &'static str {
    match kind {
        SlipKind::UnitFactor => "a unit taken for another",
        SlipKind::RadiusDiameter => "radius and diameter taken for each other",
        SlipKind::TermOmitted => "a part left out",
        SlipKind::Literal => "a number of the formula left out",
        SlipKind::DecimalPoint => "a decimal point gone astray",
        SlipKind::Power => "a power gone wrong",
        SlipKind::Root => "a root forgotten",
        SlipKind::Inverted => "a quotient upside down",
        SlipKind::Sign => "a sign turned",
        SlipKind::OtherStation => "another station’s value",
        SlipKind::DigitsSwapped => "two digits swapped",
        SlipKind::DigitWrong => "one digit wrong",
        SlipKind::Exclusion => "a reading too many or too few",
        SlipKind::Swapped => "two quantities taken for each other",
        SlipKind::WrongCount => "a mean over the wrong count",
        SlipKind::SumForMean => "a sum in place of a mean",
        SlipKind::SingleReplicate => "one reading in place of the mean",
        SlipKind::Setting => "a setting misread by a step",
        SlipKind::LogBase => "one logarithm taken for the other",
        SlipKind::AngleUnit => "degrees and radians taken for each other",
        SlipKind::Reciprocal => "a reciprocal forgotten",
        SlipKind::GrossForNet => "the vessel not taken off",
        SlipKind::SlopeInverted => "the slope turned over",
        SlipKind::TwoPointSlope => "a slope from two points",
        SlipKind::Intercept => "an intercept forced or freed",
        SlipKind::ReadingMistyped => "a reading copied wrongly",
        SlipKind::Declared(_) => "a slip this lab invites",
        SlipKind::Compound => "two slips at once",
    }
}

/// Figures of the reported values against those the readings support.
fn digits(protocol: &Protocol, results: &[JudgedResult], found: &mut Findings<'_>) {
    let Some((criterion, each)) = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Digits { each } => Some((c.id.clone(), each)),
        _ => None,
    }) else {
        return;
    };
    let tolerance = protocol.school.figure_tolerance;
    let (mut few, mut many): (Vec<&JudgedResult>, Vec<&JudgedResult>) = Default::default();
    for result in results {
        // A carried value may be of another magnitude: its figures are not held against it a second time.
        let judged = matches!(result.verdict, VerdictKind::Agrees | VerdictKind::Rounded);
        let (Some(number), true, Some(_)) = (&result.reported.number, judged, result.clean) else { continue };
        let written = number.figures() as i32;
        // A whole number's trailing zeros may be place-holders: it is given the benefit.
        let fewest = written - (number.half_steps().len() as i32 - 1);
        if written < result.deserved - tolerance {
            few.push(result);
        } else if fewest > result.deserved + tolerance {
            many.push(result);
        }
    }
    // One habit is one finding with its places; what it takes still counts by result.
    for (code, word, habit) in [("digits-few", "fewer", few), ("digits-many", "more", many)] {
        let Some(first) = habit.first() else { continue };
        let told: Vec<String> = habit
            .iter()
            .map(|r| {
                format!(
                    "{} {} ({} of {})",
                    full_title(protocol, r),
                    shortened(&r.reported.text),
                    r.reported.number.as_ref().map_or(0, |n| n.figures()),
                    r.deserved
                )
            })
            .collect();
        let example = format!(
            "{}{} would do",
            notation::figures(first.clean.unwrap_or(0.0), first.deserved),
            protocol.items[first.item].unit_after()
        );
        found.push(Finding {
            says: format!("{} figures than the readings support: {}.", capital(word), told.join(", ")),
            brief: format!(
                "{} with {word} figures than the readings support.",
                notation::counted(habit.len(), "result")
            ),
            tells: format!(
                "{} than your readings support: {}. For the first, {example}.",
                capital(&format!("{word} figures")),
                told.join(", ")
            ),
            also: habit[1..].iter().map(|r| r.item).collect(),
            criterion: Some(criterion.clone()),
            cost: each * Decimal::from(habit.len()),
            ..Findings::blank(code, code.to_owned(), Severity::Charge, Some(first.item), None)
        });
    }
}

/// A long answer's beginning.
fn shortened(text: &str) -> String {
    if text.chars().count() > 9 { text.chars().take(8).chain(['…']).collect() } else { text.to_owned() }
}
