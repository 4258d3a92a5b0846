//! For the reviewer: what was found, with the figure that proves it.
//!
//! A reviewer has the sheet beside the sentence, and wants the figure that proves it. A sentence
//! names the place, what was written with its unit, what the readings give, and what became of the
//! points. Nothing is said of who did it or why.
//!
//! The match over kinds goes by what they are about, so that each of the four parts can be read
//! alone; what is not named in a part goes on to the function that has the rest of it, and a test
//! asks every kind for its words.

use super::columns::column;
use super::counted::{concordance, exclusion, outlier, unsupported};
use super::happened::happened;
use super::lists::waiting;
use super::score::{accuracy, agreement, identified, spread};
use super::single::{cell, corrected, readings, repair, rewritten, unit};
use super::slips::{guess, throughout};
use super::{At, amount, plain, sentence};
use crate::finding::{About, Figures, Finding, Kind, Needed, PlusMinus, Story};
use crate::notation::{self, capital};
use crate::protocol::Protocol;
use crate::quantity::leading_place;

/// What was found, in one or more whole sentences.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::wording;
/// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
/// let said = wording::says(&lab(), &judged.findings[0]);
/// assert!(said.starts_with("Diameter: 94.2 cm reported, 29.98 cm recomputed."), "{said}");
/// ```
pub fn says(protocol: &Protocol, finding: &Finding) -> String {
    let at = At::of(protocol, finding);
    let kind = &finding.kind;
    match kind.properties().about {
        About::Reading => of_readings(&at, kind),
        About::Table => column(&at, kind),
        About::Result => of_results(&at, kind),
        About::Lab => of_lab(&at, finding),
    }
}

/// Readings: single cells, all cells of one, and what counts of them.
///
/// Which reading it was is told by its row, where it has one: “reading 3 of the disc diameter”.
fn of_readings(at: &At<'_>, kind: &Kind) -> String {
    match kind {
        Kind::MissingReading => format!("There is no value for {}.", at.reading()),
        Kind::Absent { reason } => {
            format!("There is no value for {}, and the sheet says why: “{reason}”.", at.reading())
        }
        Kind::Unit(fault) => unit(at, fault),
        Kind::ReadingDigits { .. } | Kind::OffGraduation { .. } | Kind::Heaping { .. } | Kind::NoSpread { .. } => {
            readings(at, kind)
        }
        Kind::Exclusion { what, reason, support } => exclusion(at, what, reason, *support),
        Kind::ExclusionUnsupported { what, reason } => unsupported(at, what, reason),
        Kind::NotConcordant | Kind::ConcordanceTied { .. } | Kind::Concordance { .. } => concordance(at, kind),
        Kind::OutlierKept(apart) | Kind::OutlierNear(apart) => outlier(at, apart),
        Kind::PointApart { .. } => point(at, kind),
        Kind::Repair { .. } => repair(at, kind),
        Kind::Rewritten { .. } => rewritten(at, kind),
        Kind::Precision { spread: s, got, of, edge, .. } => format!(
            "{}: {}; {got} of {of} points up to {edge}{}.",
            capital(at.title()),
            spread(at.protocol, at.place, s),
            at.unit()
        ),
        _ => cell(at, kind),
    }
}

/// Results: what was written for them, their figures, their ±, and what waits for a person.
///
/// A column's result is told with its row.
fn of_results(at: &At<'_>, kind: &Kind) -> String {
    match kind {
        Kind::Unit(fault) => unit(at, fault),
        Kind::KeyMissing { .. } => column(at, kind),
        Kind::Slip(story) => slip(at, story),
        Kind::Formula { address, oddities } => super::under::oddities(at, address, oddities),
        Kind::Unexplained(riddle) | Kind::Ambiguous(riddle) => {
            let story = super::slips::riddle(at, kind) + &throughout(riddle);
            let (unit, right) = (at.unit(), at.right(&riddle.right));
            {
                let reported = amount(&riddle.text, &unit);
                format!("{}: {reported} reported, {right}{unit} recomputed.{story}", capital(&at.result()))
            }
        }
        Kind::DigitsFew(habit) => {
            format!("Fewer figures than the readings support: {}.", figures(at.protocol, habit))
        }
        Kind::DigitsMany(habit) => format!("More figures than the readings support: {}.", figures(at.protocol, habit)),
        Kind::PlusMinusMissing { .. }
        | Kind::PlusMinusUnfair(_)
        | Kind::PlusMinusNear(_)
        | Kind::PlusMinusDigits { .. } => plus_minus(at, kind),
        Kind::AccuracyUnchecked(needed) => format!(
            "The accuracy of the {} cannot be judged: {}. Its points stand until somebody decides.",
            at.result(),
            lacks(*needed)
        ),
        Kind::PrecisionUnchecked => format!(
            "The spread of the {} cannot be judged: fewer than two readings. Its points stand until somebody decides.",
            at.title()
        ),
        Kind::Manual(criterion) => format!("{}: to be judged by a person.", at.protocol.criteria[*criterion].title),
        _ => result(at, kind),
    }
}

/// The lab and its rubric: references, agreement, and what people put in.
///
/// What a person wrote is told in that person's words.
fn of_lab(at: &At<'_>, finding: &Finding) -> String {
    let protocol = at.protocol;
    match &finding.kind {
        Kind::Corrected { by, reason, .. } => {
            format!("{}, by {by}: {reason}.", sentence(&corrected(at, &finding.kind)))
        }
        Kind::Own { text } => text.clone(),
        Kind::RowsWait { rows } => format!(
            "{} of this table could not be used and {} in quarantine: what is missing is not charged until they are released or dropped.",
            sentence(&notation::counted(*rows as usize, "row")),
            if *rows == 1 { "waits" } else { "wait" }
        ),
        Kind::Disagreement(sides) => format!("{}.", sentence(&agreement(protocol, sides))),
        Kind::LastDigit { comparison, text } => {
            format!(
                "{}: both are {text} to the last digit; worth a look.",
                capital(&protocol.comparisons[*comparison].title)
            )
        }
        Kind::CannotTellApart(named) => format!("{}.", sentence(&identified(protocol, named))),
        Kind::Accuracy(a) => format!("{}.", accuracy(protocol, finding.place, a)),
        Kind::Taught { .. } => format!("{}.", sentence(&taught(protocol, &finding.kind))),
        _ => String::new(),
    }
}

/// What was taught in place of what the protocol says, and who says so.
///
/// “the gravity is taken as 9.78 m/s² by a ruling”; “the sleeve density is judged by another
/// formula as this section sets it: by displacement”.
fn taught(protocol: &Protocol, kind: &Kind) -> String {
    let Kind::Taught { item, school, value, ruled } = kind else { return String::new() };
    let by = if *ruled { "by a ruling" } else { "as this section sets it" };
    let title = protocol.full_title(*item);
    match value {
        Some(value) => format!("the {title} is taken as {}{} {by}", plain(*value), protocol.items[*item].unit_after()),
        None => format!("the {title} is judged by another formula {by}: {school}"),
    }
}

/// “Point 4 stands apart from the line of extension against load: t 5.10 against 2.57. The slope is
/// 12.4 with it, 11.9 without.”
fn point(at: &At<'_>, kind: &Kind) -> String {
    let Kind::PointApart { x, statistic, critical, slopes } = kind else { return String::new() };
    let told = slopes.map_or_else(String::new, |(a, b)| {
        format!(" The slope is {} with it, {} without.", notation::figures(a, 4), notation::figures(b, 4))
    });
    format!(
        "Point {} stands apart from the line of {} against {}: t {} against {}.{told}",
        at.number(),
        at.title(),
        at.protocol.items[*x].title,
        notation::decimals(*statistic, 2),
        notation::decimals(*critical, 2)
    )
}

/// “The ± of the density is too small: 0.01 g/cm³ stated, 0.042 supported by the readings.”
fn plus_minus(at: &At<'_>, kind: &Kind) -> String {
    let title = at.result();
    match kind {
        Kind::PlusMinusMissing { supported } => {
            format!("No ± is stated for the {title}.{}", supported_by(at, *supported))
        }
        Kind::PlusMinusUnfair(pm) => format!("The ± of the {title} is {}: {}.", too(pm), stated(at, pm)),
        Kind::PlusMinusNear(pm) => format!("The ± of the {title} is just fair: {}.", stated(at, pm)),
        Kind::PlusMinusDigits { text, many: true } => {
            format!("The ± of the {title} has more than two figures: {text}.")
        }
        Kind::PlusMinusDigits { text, many: false } => {
            format!("The ± of the {title} does not end at the place where the value ends: {text}.")
        }
        _ => String::new(),
    }
}

/// What accuracy or precision lacks.
///
/// It stands after a colon.
pub(super) fn lacks(needed: Needed) -> &'static str {
    match needed {
        Needed::Entry => "the table names no entry of the sheet",
        Needed::Reading => "a reading is missing",
        Needed::TwoReadings => "fewer than two readings",
    }
}

/// The value that the readings give stands beside what was written, so that nothing has to be
/// looked up.
fn result(at: &At<'_>, kind: &Kind) -> String {
    let (title, unit) = (at.result(), at.unit());
    match kind {
        Kind::NotWorkedOut { results } => {
            format!("Not worked out, because readings are missing: {}.", waiting(at.protocol, results))
        }
        Kind::MissingResult { right } => {
            format!("No {title}; the readings give {}{unit}.", at.right(right))
        }
        Kind::UnreadableResult { text, right } => {
            let why = match at.item().and_then(|i| i.words.as_ref()) {
                Some(words) => format!("none of {}", words.join(", ")),
                None => "no number".to_owned(),
            };
            format!("The {title} reads “{text}”, which is {why}; the readings give {}{unit}.", at.right(right))
        }
        Kind::Unchecked { text, gap } => {
            let value = amount(text, &unit);
            match gap.as_ref().map(|g| (at.reading_at(g.item, g.row), g.fits.map(|v| at.filled(g.item, v)))) {
                None => format!("The {title}, {value}, cannot be checked: it waits for a reading."),
                Some((cell, Some(fits))) => {
                    format!("The {title}, {value}, cannot be checked: {cell} is not there. It fits with {fits} there.")
                }
                Some((cell, None)) => format!("The {title}, {value}, cannot be checked: {cell} is not there."),
            }
        }
        Kind::Differs { text, right } => {
            format!("The {title} reads “{text}”; the readings give “{}”.", at.right(right))
        }
        Kind::SlipAgain => format!("The same slip again in the {title}: charged once."),
        Kind::Carried { .. } => {
            format!("The {title} follows rightly from a wrong value; this course takes a part for that.")
        }
        Kind::CutTooEarly { envelope } => format!(
            "Figures were cut too early to check the {title}: what was carried on leaves it open by {}{unit}.",
            notation::uncertainty(*envelope)
        ),
        _ => String::new(),
    }
}

/// The order is always the same: what was reported, what is right, what happened, what follows from
/// it, where else it shows, and what else it could be.
fn slip(at: &At<'_>, story: &Story) -> String {
    let (unit, right) = (at.unit(), at.right(&story.right));
    let follows = match story.followers {
        0 => String::new(),
        1 => " One result follows from it and costs nothing again.".to_owned(),
        n => format!(" {n} results follow from it and cost nothing again."),
    };
    let elsewhere = if story.rows.len() > 1 {
        let rows: Vec<String> = story.rows.iter().map(ToString::to_string).collect();
        format!(" One slip down the column, in rows {}; charged once.", rows.join(", "))
    } else if story.places > 1 {
        format!(" The same in {} results; charged once.", story.places)
    } else {
        String::new()
    };
    format!(
        "{}: {} reported, {right}{unit} recomputed. {}{follows}{elsewhere}{}{}",
        capital(&at.result()),
        amount(&story.text, &unit),
        happened(at.protocol, &story.account, &story.rows),
        only_copied(story),
        guess(at, story)
    )
}

/// What is said where only one line was written wrongly.
///
/// Empty otherwise.
pub(super) fn only_copied(story: &Story) -> &'static str {
    if story.only_copied {
        " What follows was worked out with the right value: only this line was written wrongly."
    } else {
        ""
    }
}

/// Results with their figures: "density 7.8612 (5 of 3)".
///
/// Written and deserved figures stand in brackets: (5 of 3).
pub(super) fn figures(protocol: &Protocol, habit: &[Figures]) -> String {
    let told: Vec<String> = habit
        .iter()
        .map(|f| {
            let at = At { protocol, place: crate::finding::Place::of(f.item, f.row) };
            format!("{} {} ({} of {})", at.result(), shortened(&f.text), f.written, f.deserved)
        })
        .collect();
    told.join(", ")
}

/// A long answer's beginning.
///
/// Nine characters stay as they are; of a longer one eight are shown.
fn shortened(text: &str) -> String {
    if text.chars().count() > 9 { text.chars().take(8).chain(['…']).collect() } else { text.to_owned() }
}

/// The ± that the readings support, if any, as a sentence with a space before it.
///
/// Empty where nothing is known of it.
pub(super) fn supported_by(at: &At<'_>, supported: Option<f64>) -> String {
    supported
        .map_or_else(String::new, |u| format!(" The readings support ± {}{}.", notation::uncertainty(u), at.unit()))
}

/// Whether a ± is too small or too large.
pub(super) fn too(pm: &PlusMinus) -> &'static str {
    if pm.stated / pm.supported < 1.0 { "too small" } else { "too large" }
}

/// A stated ± beside the supported one, with its factor where that is not one standard uncertainty.
///
/// The ± is shown to the place it was written to, and with six figures at most.
pub(super) fn stated(at: &At<'_>, pm: &PlusMinus) -> String {
    let times = if (pm.factor - 1.0).abs() < 0.005 {
        String::new()
    } else {
        format!(" ({} standard uncertainties)", notation::figures(pm.factor, 3))
    };
    format!(
        "{}{} stated, {}{times} supported by the readings",
        notation::to_place(pm.stated, pm.place.max(leading_place(pm.stated.max(f64::MIN_POSITIVE)) - 5)),
        at.unit(),
        notation::uncertainty(pm.supported)
    )
}
