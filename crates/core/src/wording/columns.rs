//! For the reviewer: rows and columns of a table, and the checks that run over them.
//!
//! A finding about a column names the rows, since a reviewer has the table beside it; what a rule
//! asks is told as the lab states it.

use super::numbers::{half_width, quantity};
use super::{At, plain, sentence};
use crate::finding::{Kind, OffPlan};
use crate::formula::Node;
use crate::notation::{self, capital};
use crate::protocol::{CheckRule, Protocol, Stop, TableId, Tolerance};

/// What is odd about the rows and columns of a table.
///
/// Rows are told by their numbers on the sheet.
pub(super) fn column(at: &At<'_>, kind: &Kind) -> String {
    let (title, unit, row) = (at.title(), at.unit(), at.number());
    let table = |t: &TableId| &at.protocol.tables[*t];
    let key = |t: &TableId| {
        let key = table(t).key.map(|k| &at.protocol.keys[k]);
        key.map_or_else(|| (String::new(), String::new()), |k| (k.title.to_lowercase(), k.values.join(", ")))
    };
    match kind {
        Kind::MoreRows { table: t, there, asked } => {
            format!("{} has {there} rows; the protocol asks for {asked}.", capital(&table(t).title))
        }
        Kind::MissingRow { .. } => missing_row(at, kind),
        Kind::KeyMissing { table: t } => format!("Row {row} of the {} names no {}.", table(t).title, key(t).0),
        Kind::KeyUnknown { table: t, value } => format!(
            "Row {row} of the {} names the {} “{value}”, which is none of {}.",
            table(t).title,
            key(t).0,
            key(t).1
        ),
        Kind::GridMissing { table: t, nominal } => {
            format!("No {title} near {nominal}{unit} is in the {}.", table(t).title)
        }
        Kind::GridLeft { table: t, nominal } => {
            format!("No {title} near {nominal}{unit} is in the {}. A reason is given.", table(t).title)
        }
        Kind::StoppedEarly { table: t, last } => {
            format!(
                "{}: the last row is {}{unit}, before {}.",
                capital(&table(t).title),
                plain(*last),
                ends(at, table(t).stop.as_ref())
            )
        }
        Kind::Trend { rising, steps } => {
            let wrong: Vec<String> =
                steps.iter().map(|(row, a, b)| format!("{} to {}{unit} at row {row}", plain(*a), plain(*b))).collect();
            let word = if *rising { "rise" } else { "fall" };
            format!("The {title} should {word} down the rows and does not: {}.", wrong.join(", "))
        }
        Kind::StepOffPlan { steps } => off_plan(title, &unit, steps),
        Kind::DoesNotFollow { start, before } => {
            format!(
                "The {title} of row {row} is {}{unit}; row {} ended at {}{unit}.",
                plain(*start),
                row.number() - 1,
                plain(*before)
            )
        }
        Kind::DoesNotAddUp { total, expected } => format!(
            "The {title} of row {row} is {}{unit}; the portions add up to {}{unit}.",
            plain(*total),
            plain(*expected)
        ),
        Kind::Check { .. } => check(at.protocol, kind),
        _ => String::new(),
    }
}

/// A row that is not there, with the reason the team gives.
///
/// A reason is quoted as it was written.
fn missing_row(at: &At<'_>, kind: &Kind) -> String {
    let Kind::MissingRow { table, reason } = kind else { return String::new() };
    let title = &at.protocol.tables[*table].title;
    let why = reason.as_ref().map_or_else(String::new, |r| format!(", and the sheet says why: “{r}”"));
    format!("Row {} of the {title} is not there{why}.", at.number())
}

/// Steps of a column that are not those planned.
///
/// “Steps of the volume off the plan in mL: 0.5 at row 7, planned 0.1 ± 0.05.”
fn off_plan(title: &str, unit: &str, steps: &[OffPlan]) -> String {
    let told =
        |s: &OffPlan| format!("{} at row {}, planned {} ± {}", notation::figures(s.by, 3), s.row, s.size, s.tolerance);
    let unit = if unit.is_empty() { String::new() } else { format!(" in{unit}") };
    let off: Vec<String> = steps.iter().map(told).collect();
    format!("Steps of the {title} off the plan{unit}: {}.", off.join("; "))
}

/// Where a table may end.
///
/// Any of the rules ends it, so that they are joined by “or”.
pub(super) fn ends(at: &At<'_>, stop: Option<&Stop>) -> String {
    let Some(stop) = stop else { return String::new() };
    let (title, unit) = (at.title(), at.unit());
    let mut ends: Vec<String> = Vec::new();
    if let Some(value) = stop.at {
        ends.push(format!("{title} {value}{unit}"));
    }
    if let Some((rows, width)) = stop.flat {
        ends.push(format!("{rows} rows within {width}{unit}"));
    }
    if let Some((rows, tolerance)) = stop.agree {
        ends.push(match tolerance {
            Tolerance::Within(w) => format!("{rows} rows within {w}{unit}"),
            Tolerance::Percent(p) => format!("{rows} rows within {p} %"),
        });
    }
    ends.join(" or ")
}

/// What a check says, in which rows, and its sides.
///
/// A lab may put it as a question; then no full stop follows.
pub(super) fn check(protocol: &Protocol, kind: &Kind) -> String {
    let Kind::Check { check, rows, off } = kind else { return String::new() };
    let check = &protocol.checks[*check];
    let rows: Vec<String> = rows.iter().map(ToString::to_string).collect();
    let at = if rows.is_empty() { String::new() } else { format!(" (row {})", rows.join(", ")) };
    let what = if check.says.is_empty() { format!("{} does not hold", check.title) } else { check.says.clone() };
    let sides = match (&check.rule, off) {
        (CheckRule::Related { left, right, .. }, Some(off)) => format!(
            " {} against {}, with room for {}.",
            quantity(protocol, left, off.left),
            quantity(protocol, right, off.right),
            width(protocol, left, off.room)
        ),
        _ => String::new(),
    };
    let stop = if what.ends_with(['?', '!', '.']) && at.is_empty() { "" } else { "." };
    format!("{}{at}{stop}{sides}", sentence(what.trim_end_matches(if at.is_empty() { '\0' } else { '?' })))
}

/// The room of a check, in the unit of the sheet.
///
/// In the unit of the side it belongs to.
fn width(protocol: &Protocol, node: &Node, si: f64) -> String {
    format!("± {}", half_width(protocol, node, si))
}
