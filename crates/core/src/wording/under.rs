//! What is said of the formulas under results: the mistake that one shows, and what is odd about
//! it.
//!
//! A formula says what was done, so that a sentence names the cell and quotes the piece. To the
//! team the same is told of its own file, which it may have before it; what it should have been is
//! told in kind words and never as a formula to copy.

use super::At;
use crate::cell::{Fault, Function, NotUnderstood, Operator, Value};
use crate::formula::ItemId;
use crate::notation;
use crate::protocol::Protocol;
use crate::row::Row;
use crate::underneath::Oddity;

/// The whole story of a mistake that a formula shows, from its clause.
///
/// `clause` is one of those below, without a capital.
pub(crate) fn told(address: &str, clause: &str) -> String {
    format!("The formula in cell {address} says it: {clause}.")
}

/// The same for the team.
///
/// It quotes what the team typed itself.
pub(crate) fn told_to_team(address: &str, clause: &str) -> String {
    format!("Your formula in cell {address} shows it: {clause}.")
}

/// "the plate length", "reading 3 of the disc diameter".
///
/// A row of a table and a replicate of a reading are told apart.
pub(crate) fn cell(protocol: &Protocol, item: ItemId, row: Option<Row>) -> String {
    let title = protocol.full_title(item);
    match row {
        Some(row) if protocol.table_of(item).is_some() => format!("the {title} of row {row}"),
        Some(row) => format!("reading {row} of the {title}"),
        None => format!("the {title}"),
    }
}

/// A cell of the team's own.
///
/// At most forty characters of a text are quoted.
pub(crate) fn own_cell(address: &str, value: &Value) -> String {
    match value {
        Value::Empty => format!("cell {address}, which is empty,"),
        Value::Number(v) => format!("cell {address}, which holds {v},"),
        Value::Text(t) => format!("cell {address}, which holds “{}”,", t.chars().take(40).collect::<String>()),
        _ => format!("cell {address}"),
    }
}

/// A number typed in for a cell of the sheet; `has` is what that holds.
///
/// Ten figures at most are shown of what the sheet has.
pub(crate) fn typed_for(text: &str, cell: &str, has: Option<f64>) -> String {
    let has = has.map_or_else(String::new, |v| {
        format!(", where the sheet has {}", notation::figures(v, 10).parse().unwrap_or(v))
    });
    format!("{text} was typed in for {cell}{has}")
}

/// “the power 2 stands where 3 belongs”.
pub(crate) fn number_for(was: &str, right: &str, in_power: bool) -> String {
    match in_power {
        true => format!("the power {was} stands where {right} belongs"),
        false => format!("the number {was} stands where {right} belongs"),
    }
}

/// A cell read in place of another; a reference that slid as the formula was copied is told as
/// such.
///
/// A reference that slid is told with how that happens.
pub(crate) fn read_for(was: &str, right: &str, slid: bool) -> String {
    let slid = if slid { "; the reference slid as the formula was copied, or was set to another row" } else { "" };
    format!("{was} was read where {right} belongs{slid}")
}

/// One cell was read where the whole column belongs.
pub(crate) fn one_for_all(was: &str, title: &str) -> String {
    format!("{was} was read where all values of the {title} belong")
}

/// A range over another column.
pub(crate) fn other_column(range: &str, title: &str) -> String {
    format!("the range {range} is not that of the {title}")
}

/// A range that is not the whole of its column: `missing` are the rows that it leaves out.
pub(crate) fn range_of(range: &str, title: &str, missing: &[Row]) -> String {
    match missing {
        [] => format!("the range {range} takes in more than the values of the {title} that count"),
        [one] => format!("the range {range} leaves out reading {one} of the {title}"),
        several => {
            let rows: Vec<String> = several.iter().map(ToString::to_string).collect();
            format!("the range {range} leaves out readings {} of the {title}", rows.join(", "))
        }
    }
}

/// One function was taken for another.
pub(crate) fn function_for(was: Function, right: Function) -> String {
    format!("{} stands where {} belongs", was.name(), right.name())
}

/// A function of an angle was given degrees.
pub(crate) fn degrees_to(function: Function) -> String {
    format!("degrees were given to {}, which takes radians", function.name())
}

/// Degrees were left where radians belong.
pub(crate) fn degrees_left() -> &'static str {
    "degrees were left where radians belong"
}

/// Radians were left where degrees belong.
pub(crate) fn radians_left() -> &'static str {
    "radians were left where degrees belong"
}

/// The square root was left out.
pub(crate) fn root_left_out() -> &'static str {
    "a square root was left out"
}

/// A function stands there that does not belong.
pub(crate) fn too_much(function: Function) -> String {
    format!("{} was taken where nothing of the kind belongs", function.name())
}

/// A minus stands there that does not belong.
pub(crate) fn sign_too_much() -> &'static str {
    "a sign was turned"
}

/// Two arguments stand in each other's place.
pub(crate) fn arguments_turned(function: Function) -> String {
    match function {
        Function::Slope => "x and y were given to SLOPE the wrong way round".to_owned(),
        f => format!("the two arguments of {} stand the wrong way round", f.name()),
    }
}

/// The two sides of an operator stand in each other's place.
pub(crate) fn parts_turned(piece: &str) -> String {
    format!("the two parts of {piece} stand the wrong way round")
}

/// One operator was taken for another.
pub(crate) fn operator_for(was: Operator, right: Operator, piece: &str) -> String {
    format!("in {piece} the sign {} stands where {} belongs", sign(was), sign(right))
}

/// An operator as people read it.
fn sign(op: Operator) -> char {
    match op {
        Operator::Subtract => '−',
        op => op.sign(),
    }
}

/// A piece that was not turned into another unit.
pub(crate) fn not_converted(piece: &str, factor: &str) -> String {
    format!("{piece} went in with the wrong unit (a factor of {factor} is missing)")
}

/// Brackets are missing or stand elsewhere.
pub(crate) fn brackets(piece: &str) -> String {
    format!("brackets are missing or stand wrongly in {piece}")
}

/// A formula that is no single mistake away from the lab's.
pub(crate) fn another() -> &'static str {
    "another formula than the lab’s stands"
}

/// A piece that is wrong in a way without a name.
pub(crate) fn otherwise(piece: &str) -> String {
    format!("{piece} is not what belongs there")
}

/// A factor by which the whole formula is off.
pub(crate) fn factor(times: &str) -> String {
    format!("the formula gives {times} times what the lab’s gives")
}

/// A part by which the formula was not multiplied, or not divided.
pub(crate) fn part_gone(title: &str, divisor: bool) -> String {
    match divisor {
        true => format!("it was not divided by the {title}"),
        false => format!("it was not multiplied by the {title}"),
    }
}

/// The same of one piece.
pub(crate) fn part_gone_of(piece: &str, title: &str, divisor: bool) -> String {
    match divisor {
        true => format!("{piece} was not divided by the {title}"),
        false => format!("{piece} was not multiplied by the {title}"),
    }
}

/// A part was not added, or not taken off.
pub(crate) fn summand_gone(title: &str, taken_off: bool) -> String {
    match taken_off {
        true => format!("the {title} was not taken off"),
        false => format!("the {title} was not added"),
    }
}

/// What is odd about one formula, for the reviewer: a sentence each.
pub(super) fn oddities(at: &At<'_>, address: &str, list: &[Oddity]) -> String {
    let said: Vec<String> = list.iter().map(|o| oddity(at, address, o)).collect();
    said.join(" ")
}

/// What is odd about a formula, for a reviewer.
fn oddity(at: &At<'_>, address: &str, oddity: &Oddity) -> String {
    match oddity {
        Oddity::NotUnderstood(why) => {
            format!("The formula in cell {address} is not looked at: {}.", not_understood(why))
        }
        Oddity::Circle(cells) => {
            format!("The formula in cell {address} reads itself in a circle: {}.", cells.join(" → "))
        }
        Oddity::TooLarge => format!("The formula in cell {address} reads more than is followed."),
        Oddity::Fault(fault) => format!("The formula in cell {address} gives {fault}: {}.", fault_said(*fault)),
        Oddity::Another { holds, gives, right } => format!(
            "Cell {address} holds {holds}, and its formula{} gives {}: the number was typed over it, or the file was not worked out again.",
            if *right { ", which is the lab’s," } else { "" },
            shown(*gives)
        ),
        Oddity::ChangedSince(cells) => format!(
            "The formula in cell {address} was worked out before {} changed; what it shows is judged by its value alone.",
            changed(cells)
        ),
        Oddity::Unsaved { gives } => format!(
            "The file was saved without what its formulas give; the one in cell {address} gives {}{}.",
            shown(*gives),
            at.unit()
        ),
        Oddity::Empty(cells) => format!("The formula in cell {address} reads {}.", counted_cells(cells, "empty")),
        Oddity::NumbersAsTexts(cells) => {
            format!("The formula in cell {address} passes over {}.", counted_cells(cells, "a number kept as a text"))
        }
        Oddity::TypedIn { text, item } => format!(
            "In cell {address} {text} is typed in for the {}, which stands on the sheet.",
            at.protocol.full_title(*item)
        ),
        Oddity::RightByChance { clause } => {
            let clause = super::clause(at.protocol, clause);
            format!("In cell {address} {clause}; the value is right to its figures all the same.")
        }
        Oddity::OfAReading => format!(
            "{} is worked out by a formula in cell {address}: what was read off is not in that cell.",
            notation::capital(&at.reading())
        ),
        Oddity::PassedOver(n) => {
            format!(
                "{} of this table were passed over: its file holds more than are looked at.",
                notation::counted(*n as usize, "formula")
            )
        }
    }
}

/// The same for the team, as far as it can mend it; empty where there is nothing to mend.
pub(super) fn oddities_for_team(at: &At<'_>, address: &str, list: &[Oddity]) -> String {
    let said: Vec<String> = list.iter().map(|o| for_team(at, address, o)).filter(|s| !s.is_empty()).collect();
    said.join(" ")
}

/// The same for the team; empty where it has nothing to do about it.
fn for_team(at: &At<'_>, address: &str, oddity: &Oddity) -> String {
    match oddity {
        Oddity::Circle(cells) => format!("Your cell {address} reads itself in a circle: {}.", cells.join(" → ")),
        Oddity::Fault(fault) => format!("Your cell {address} gives {fault}: {}.", fault_said(*fault)),
        Oddity::Another { holds, .. } => format!(
            "Your cell {address} holds {holds}, which its formula does not give: the number was typed over it, or the file was not worked out again."
        ),
        Oddity::ChangedSince(cells) => format!(
            "Your formula in cell {address} was worked out before {} changed: bring the file again, or work the value out anew.",
            changed(cells)
        ),
        Oddity::Unsaved { .. } => format!(
            "Your file was saved without what the formula in cell {address} gives: open it, let it work everything out, and save it."
        ),
        Oddity::Empty(cells) => format!("Your formula in cell {address} reads {}.", counted_cells(cells, "empty")),
        Oddity::NumbersAsTexts(cells) => format!(
            "Your formula in cell {address} passes over {}: set those cells to numbers and type them again.",
            counted_cells(cells, "a number kept as a text")
        ),
        Oddity::TypedIn { text, item } => format!(
            "In your cell {address} {text} is typed in; point to the cell of the {} instead, so that it follows when the reading changes.",
            at.protocol.full_title(*item)
        ),
        Oddity::RightByChance { clause } => {
            let clause = super::clause(at.protocol, clause);
            format!("In your cell {address} {clause}. This time the value is right to its figures all the same.")
        }
        Oddity::OfAReading => format!(
            "{} is worked out by a formula in your cell {address}: write down what you read off, and work in a cell beside it.",
            notation::capital(&at.reading())
        ),
        Oddity::NotUnderstood(_) | Oddity::TooLarge | Oddity::PassedOver(_) => String::new(),
    }
}

/// "B4", "B4 and two more".
fn changed(cells: &[String]) -> String {
    match cells {
        [one] => one.clone(),
        [first, rest @ ..] => format!("{first} and {} more", rest.len()),
        [] => String::new(),
    }
}

/// Why a formula is not understood, as a clause.
fn not_understood(why: &NotUnderstood) -> String {
    match why {
        NotUnderstood::Function(name) => format!("the function {name} is not known here"),
        NotUnderstood::OtherFile => "it reads another file".to_owned(),
        NotUnderstood::TooLarge => "it is longer or deeper than is read".to_owned(),
        NotUnderstood::Sign(text) => format!("“{text}” is not understood"),
    }
}

/// An error of a worksheet in words.
fn fault_said(fault: Fault) -> &'static str {
    match fault {
        Fault::Division => "something is divided by nought, or a mean is taken of no numbers",
        Fault::Value => "a text stands where a number is needed",
        Fault::Name => "it uses a name that is not there",
        Fault::Number => "the value is beyond what can be worked out",
        Fault::NotThere => "a value that it looks for is not there",
        Fault::Reference => "a cell that it reads was deleted",
        Fault::Null => "its ranges do not meet",
    }
}

/// "B4 and B5, which are empty", "B4, which holds a number kept as a text".
fn counted_cells(cells: &[String], what: &str) -> String {
    let shown: Vec<&str> = cells.iter().take(5).map(String::as_str).collect();
    let more = cells.len() - shown.len();
    let list = if more > 0 { format!("{} and {more} more", shown.join(", ")) } else { shown.join(", ") };
    let verb = match (what, cells.len()) {
        ("empty", 1) => "which is empty".to_owned(),
        ("empty", _) => "which are empty".to_owned(),
        (_, 1) => format!("which holds {what}"),
        _ => "which hold numbers kept as texts".to_owned(),
    };
    format!("{list}, {verb}")
}

/// A value with as many figures as tell it from its neighbour.
fn shown(value: f64) -> String {
    let text = notation::figures(value, 10);
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}
