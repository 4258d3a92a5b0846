//! For the team: what happened, with its numbers, and what to do about it.
//!
//! A team has its own sheet in its hands and no answer beside it. It is told what happened with its
//! own numbers, what is right where that is its own result, and what to do; never a reference
//! before the table is returned, never what somebody is. What costs nothing and teaches nothing is
//! not told.

use super::columns::{check, ends};
use super::lists::{counted_out, listed, waiting};
use super::reviewer::{figures, only_copied, stated, supported_by, too};
use super::score::{agreement, range};
use super::single::{act, repaired, wanted};
use super::{At, amount, plain, sentence};
use crate::finding::{About, Correction, Excluded, Figures, Finding, Kind, Story};
use crate::notation::{self, capital};
use crate::protocol::{Protocol, TableId};
use crate::row::Row;

/// What the team reads of a finding; empty where there is nothing to tell. What a person said in
/// place of it comes first.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::wording;
/// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
/// let told = wording::tells(&lab(), &judged.findings[0]);
/// assert!(told.contains("Everything you worked out from it follows correctly"), "{told}");
/// ```
pub fn tells(protocol: &Protocol, finding: &Finding) -> String {
    match &finding.reworded {
        Some(words) => words.clone(),
        None => ours(protocol, finding),
    }
}

/// Whether the team reads anything of a finding.
///
/// A person may have put an empty text in place of ours.
pub(super) fn is_told(protocol: &Protocol, finding: &Finding) -> bool {
    !tells(protocol, finding).is_empty()
}

/// Empty for notes that are a reviewer's alone: readings that are all alike, values of unlikely
/// roundness.
fn ours(protocol: &Protocol, finding: &Finding) -> String {
    let at = At::of(protocol, finding);
    let kind = &finding.kind;
    match kind.properties().about {
        About::Table => column(&at, kind),
        About::Lab => of_lab(&at, finding),
        About::Reading | About::Result => match kind {
            Kind::Unit(_) if finding.criterion.is_some() => format!(
                "Please write the unit of your {}: {}.",
                at.place.item.map(|i| protocol.full_title(i)).unwrap_or_default(),
                at.item().map_or("", |i| i.unit.text.as_str())
            ),
            Kind::KeyMissing { .. } => column(&at, kind),
            Kind::Formula { address, oddities } => super::under::oddities_for_team(&at, address, oddities),
            Kind::MissingReading => missing_reading(&at.reading()),
            Kind::Absent { reason } => {
                format!("The value of {} is not there; you gave the reason “{reason}”.", at.reading())
            }
            Kind::DigitsFew(habit) => habitual(protocol, "Fewer", habit),
            Kind::DigitsMany(habit) => habitual(protocol, "More", habit),
            _ if kind.properties().about == About::Reading => reading(&at, kind),
            _ => result(&at, kind),
        },
    }
}

/// Results with too few or too many figures, and what would do for the first.
///
/// One example is enough to see what was meant by all.
fn habitual(protocol: &Protocol, word: &str, habit: &[Figures]) -> String {
    let example = habit.first().map_or_else(String::new, |f| {
        format!("{}{} would do", notation::figures(f.clean, f.deserved), protocol.items[f.item].unit_after())
    });
    format!("{word} figures than your readings support: {}. For the first, {example}.", figures(protocol, habit))
}

/// A team is told that it was judged as it was taught, and not who decided that.
fn of_lab(at: &At<'_>, finding: &Finding) -> String {
    match &finding.kind {
        Kind::Corrected { reason, .. } => format!("{}: {reason}.", sentence(&corrected(at, &finding.kind))),
        Kind::Own { text } => text.clone(),
        Kind::RowsWait { rows } => format!(
            "{} of your sheet could not be used yet: they are being looked at.",
            sentence(&notation::counted(*rows as usize, "row"))
        ),
        Kind::Taught { item, school, value: None, .. } => {
            format!("The {} is judged the way you were taught it: {school}.", at.protocol.full_title(*item))
        }
        Kind::Taught { item, value: Some(value), .. } => format!(
            "The {} is taken as {}{} for you.",
            at.protocol.full_title(*item),
            plain(*value),
            at.protocol.items[*item].unit_after()
        ),
        Kind::Disagreement(sides) => {
            format!("{}. Which of the two would you trust, and why?", sentence(&agreement(at.protocol, sides)))
        }
        Kind::Accuracy(a) if finding.cost > rust_decimal::Decimal::ZERO => {
            let (unit, shown) = (at.unit(), notation::figures(a.value, a.figures));
            format!("Your readings give a {} of {shown}{unit}; tabulated is {}{unit}.", at.result(), range(a))
        }
        _ => String::new(),
    }
}

/// Of one reading that is missing, by its place.
///
/// `place` is “reading 2 of the titre”, or a title with its article.
fn missing_reading(place: &str) -> String {
    format!("The value of {place} is not there; what needs it could not be checked.")
}

/// A reason is quoted as it was written.
fn missing_row(at: &At<'_>, table: TableId, reason: Option<&str>) -> String {
    let (row, title) = (at.number(), &at.protocol.tables[table].title);
    match reason {
        Some(reason) => format!("Row {row} of the {title} is not there; you gave the reason “{reason}”."),
        None => format!("Row {row} of the {title} is not there; fill it, or say why it is empty."),
    }
}

/// A sentence asks for one thing, and says where.
fn reading(at: &At<'_>, kind: &Kind) -> String {
    let (place, unit) = (at.reading(), at.unit());
    match kind {
        Kind::ForbiddenReading { .. } => format!("There is nothing to read for {place} here; leave it empty."),
        Kind::Bound { text } => {
            format!("“{text}” for {place} says only that the range was left; choose another range and read a value.")
        }
        Kind::UnreadableReading { text, .. } => {
            format!("We could not read “{text}” for {place}; what needs it could not be checked.")
        }
        Kind::Implausible { text, .. } => {
            format!(
                "Please look at {place}, {}, once more: it is far from what this apparatus can give.",
                amount(text, &unit)
            )
        }
        Kind::BeyondScale { text, instrument } => {
            let tool = &at.protocol.instruments[*instrument].title;
            format!("Please look at {place} once more: the {tool} cannot show {}.", amount(text, &unit))
        }
        Kind::AmountNotMet { text, asked } => {
            format!("The sheet asks for {} for {place}; you used {}.", wanted(at, *asked), amount(text, &unit))
        }
        Kind::Misread { text, issued } => {
            format!("You worked with {} for {place}; {issued}{unit} was issued to everybody.", amount(text, &unit))
        }
        Kind::ReadingDigits { instrument, texts, .. } => format!(
            "Write every digit the {} shows: your {} ({}) is a digit short.",
            at.protocol.instruments[*instrument].title,
            at.title(),
            texts.join(", ")
        ),
        Kind::ExclusionUnsupported { what, .. } => unsupported(at, what),
        Kind::NotConcordant => {
            format!("No two of your values of the {} agree within the tolerance: one more run was needed.", at.title())
        }
        Kind::OutlierKept(_) | Kind::PointApart { .. } | Kind::Precision { .. } => apart(at, kind),
        Kind::Rewritten { act: what, .. } => {
            format!("On your sheet it seems that {}: please keep the sheet as it was read.", act(at, what))
        }
        Kind::Repair { text, value, resolution, .. } => {
            let shown = repaired(*value, *resolution);
            format!(
                "{} stands in your table as {}{unit}, but you worked with {shown}{unit}: please keep the sheet as it was read.",
                sentence(&place),
                text.trim()
            )
        }
        _ => String::new(),
    }
}

/// What lies apart from the others, or scatters.
///
/// The advice is the lab's own, for the cause that pushes a value to this side.
fn apart(at: &At<'_>, kind: &Kind) -> String {
    let (title, unit, number) = (at.title(), at.unit(), at.number());
    match kind {
        Kind::OutlierKept(apart) => {
            let advice = apart.cause.map(|c| at.protocol.causes[c].advice.as_str()).filter(|a| !a.is_empty());
            let advice = advice.map(|a| format!(" Next time {a}.")).unwrap_or_default();
            format!(
                "Reading {number} of your {title}, {}{unit}, stands apart from the others and you kept it: please say why, or measure again.{advice}",
                apart.text
            )
        }
        Kind::PointApart { x, .. } => format!(
            "Point {number} of your {title} against {} lies off the line of the others: please look at it again.",
            at.protocol.items[*x].title
        ),
        Kind::Precision { spread, best, .. } => format!(
            "Your {title} readings scatter by {}{unit}; with care they agree within {best}{unit}.",
            notation::uncertainty(spread.sd)
        ),
        _ => String::new(),
    }
}

/// Rows count as on the sheet.
fn column(at: &At<'_>, kind: &Kind) -> String {
    let (title, unit, row) = (at.title(), at.unit(), at.number());
    let table = |t: &TableId| &at.protocol.tables[*t];
    let key = |t: &TableId| table(t).key.map_or_else(String::new, |k| at.protocol.keys[k].title.to_lowercase());
    match kind {
        Kind::MissingRow { table, reason } => missing_row(at, *table, reason.as_deref()),
        Kind::KeyMissing { table: t } => {
            format!("Please write which {} row {row} of the {} belongs to.", key(t), table(t).title)
        }
        Kind::KeyUnknown { table: t, value } => {
            format!("“{value}” in row {row} of the {} is no {} of this lab.", table(t).title, key(t))
        }
        Kind::GridMissing { nominal, .. } => {
            format!("The setting near {nominal}{unit} of the {title} is not there.")
        }
        Kind::StoppedEarly { table: t, last } => {
            let until = ends(at, table(t).stop.as_ref());
            format!(
                "{}: your last row is {}{unit}; it should go on until {until}.",
                capital(&table(t).title),
                plain(*last)
            )
        }
        Kind::Trend { rising, steps } => {
            let wrong: Vec<String> =
                steps.iter().map(|(row, a, b)| format!("{} to {}{unit} at row {row}", plain(*a), plain(*b))).collect();
            let word = if *rising { "rise" } else { "fall" };
            format!("The {title} should {word} from row to row; please look at {}.", wrong.join(", "))
        }
        Kind::DoesNotFollow { start, before } => format!(
            "Row {row} begins at {}{unit}, but the row before ended at {}{unit}: which of them was read wrongly, or was it refilled?",
            plain(*start),
            plain(*before)
        ),
        Kind::DoesNotAddUp { total, expected } => format!(
            "Your {title} does not add up from row {row} on: {} in place of {}{unit}.",
            plain(*total),
            plain(*expected)
        ),
        Kind::Check { .. } => format!("{} Please look at the readings behind it.", check(at.protocol, kind)),
        _ => String::new(),
    }
}

fn unsupported(at: &At<'_>, what: &Excluded) -> String {
    match what {
        Excluded::Row(table) => format!(
            "You left out row {} of the {}. Leaving a row out needs a reason that explains it.",
            at.number(),
            at.protocol.tables[*table].title
        ),
        Excluded::Reading(text) => format!(
            "You left out reading {} of the {}, {text}{}. Leaving a reading out needs a reason that explains its direction; the results here keep it.",
            at.number(),
            at.title(),
            at.unit()
        ),
    }
}

/// What a person did to a cell, in the past.
fn corrected(at: &At<'_>, kind: &Kind) -> String {
    let Kind::Corrected { typed, how, .. } = kind else { return String::new() };
    let place = at.reading();
    match how {
        Correction::LeftOut => format!("{place}, {typed}, was left out"),
        Correction::ReadAs(text) if typed.is_empty() => {
            format!("{place} was taken as {text}, where your table has nothing")
        }
        Correction::ReadAs(text) => format!("{place} was taken as {text} in place of {typed}"),
    }
}

fn result(at: &At<'_>, kind: &Kind) -> String {
    let (title, unit) = (at.result(), at.unit());
    match kind {
        Kind::NotWorkedOut { results } => {
            let which = waiting(at.protocol, results);
            format!("You could not work out {which}, because readings are missing.")
        }
        Kind::MissingResult { right } => {
            format!("The {title} is not there yet: your readings give {}{unit}.", at.right(right))
        }
        Kind::UnreadableResult { text, right } => {
            format!("We could not read “{text}” as the {title}; your readings give {}{unit}.", at.right(right))
        }
        Kind::Differs { text, right } => {
            format!("You wrote “{text}” for the {title}; your readings give “{}”.", at.right(right))
        }
        Kind::Slip(story) => {
            let follow = if story.followers > 0 {
                " Everything you worked out from it follows correctly and costs nothing more."
            } else {
                ""
            };
            format!(
                "Your {title} is {}; your readings give {}{unit}. {}{follow}{}",
                amount(&story.text, &unit),
                at.right(&story.right),
                happened_to_team(at.protocol, story),
                only_copied(story)
            )
        }
        Kind::Unexplained(riddle) | Kind::Ambiguous(riddle) => format!(
            "Your {title} is {}; your readings give {}{unit}. We could not see how yours came about: please go through the steps once more.",
            amount(&riddle.text, &unit),
            at.right(&riddle.right)
        ),
        Kind::Carried { right } => format!(
            "Your {title} follows rightly from an earlier value that is wrong; the readings give {}{unit}.",
            at.right(right)
        ),
        Kind::CutTooEarly { envelope } => format!(
            "Keep more figures on the way to your {title}; the ones you cut leave it open by {}{unit}.",
            notation::uncertainty(*envelope)
        ),
        Kind::PlusMinusMissing { supported } => {
            format!("Please state a ± with your {title}.{}", supported_by(at, *supported))
        }
        Kind::PlusMinusUnfair(pm) => format!("The ± of your {title} is {}: {}.", too(pm), stated(at, pm)),
        Kind::PlusMinusDigits { .. } => {
            format!("Write the ± of your {title} with one or two figures, and end value and ± at the same place.")
        }
        _ => String::new(),
    }
}

/// The sentence on several rows of one result that are missing, and what the readings give for
/// each.
pub(super) fn missing_rows(at: &At<'_>, rows: &[Row], values: &[String]) -> String {
    format!(
        "The {} is not there yet in rows {}: your readings give {}.",
        at.title(),
        counted_out(rows),
        values.iter().map(|v| format!("{v}{}", at.unit())).collect::<Vec<_>>().join(", ")
    )
}

/// The sentence on the ± of several rows of one result: not stated, or with too many figures.
pub(super) fn plus_minus_rows(at: &At<'_>, rows: &[Row], missing: bool) -> String {
    let of = format!("your {} in rows {}", at.title(), counted_out(rows));
    if missing {
        return format!("Please state a ± with {of}.");
    }
    format!("Write the ± of {of} with one or two figures, and end value and ± at the same place.")
}

/// The sentence on several readings that are missing.
pub(super) fn missing_readings(names: &[String]) -> String {
    format!("The values of {} are not there; what needs them could not be checked.", listed(names))
}

/// "readings 1, 3 of the mass", "the height".
pub(super) fn readings_of(title: &str, numbers: &[Row]) -> String {
    match numbers {
        [] => format!("the {title}"),
        [one] => format!("reading {one} of the {title}"),
        many => format!("readings {} of the {title}", counted_out(many)),
    }
}

/// What seems to have happened; of a formula it is said that it is the team's own.
fn happened_to_team(protocol: &Protocol, story: &Story) -> String {
    let account = &story.account;
    match &account.cell {
        Some(cell) => super::under::told_to_team(cell, &super::clause(protocol, &account.clause)),
        None => super::happened(protocol, account, &story.rows),
    }
}
