//! For the reviewer: what is said of single readings and their cells, of units, and of readings that
//! were copied wrongly.

use super::{At, amount, cells, plain, sentence};
use crate::finding::{Correction, Kind, UnitFault};
use crate::formula::ItemId;
use crate::notation::{self, capital};
use crate::protocol::{ReadingKind, Role};
use crate::quantity::leading_place;
use crate::repair::Rewriting;

/// “The value of reading 2 of the titre, 124 mL, lies beyond the scale of the burette, 0 to 50 mL.”
pub(super) fn cell(at: &At<'_>, kind: &Kind) -> String {
    let (place, unit) = (at.reading(), at.unit());
    match kind {
        Kind::ForbiddenReading { text } => {
            format!("{} reads “{text}” where there is nothing to read.", sentence(&place))
        }
        Kind::Bound { text } => {
            format!("The value of {place} reads “{text}”: beyond the range, a bound and no value.")
        }
        Kind::UnreadableReading { text, why } => {
            format!("The value of {place} reads “{text}”: {}.", cells::unreadable(why))
        }
        Kind::ReadAs { remark } => format!("{}: {}.", sentence(&place), cells::remark(remark)),
        Kind::Implausible { text, low, high } => {
            format!(
                "The value of {place}, {}, is outside the plausible range {low} to {high}{unit}.",
                amount(text, &unit)
            )
        }
        Kind::BeyondScale { text, instrument } => {
            let tool = &at.protocol.instruments[*instrument];
            let (low, high) = tool.range.unwrap_or_default();
            format!(
                "The value of {place}, {}, lies beyond the scale of the {}, {low} to {high}{}.",
                amount(text, &unit),
                tool.title,
                unit_of(&tool.unit.text)
            )
        }
        Kind::EndOfScale { instrument } => format!(
            "The value of {place} stands at the end of the scale of the {}: it may be a bound.",
            at.protocol.instruments[*instrument].title
        ),
        Kind::AmountNotMet { text, asked } => format!(
            "The value of {place} is {}; the protocol asks for {}. What follows is judged from it.",
            amount(text, &unit),
            wanted(at, *asked)
        ),
        Kind::NoSuchSetting { text } => {
            format!("{} is {}, which is no setting: {}.", sentence(&place), amount(text, &unit), settings(at))
        }
        Kind::Misread { text, issued } => {
            format!("The value of {place} reads {}; {issued}{unit} was issued.", amount(text, &unit))
        }
        Kind::Unsettled => format!("The value of {place} was still moving when it was written."),
        Kind::Duplicate { first } => {
            format!("{} is there twice; the first, “{first}”, counts.", sentence(&full_title(at)))
        }
        _ => String::new(),
    }
}

/// The title of an item as its notes name it: with its bay for a result, without its row.
///
/// Empty for what has no item.
pub(super) fn full_title(at: &At<'_>) -> String {
    at.place.item.map(|i| at.protocol.full_title(i)).unwrap_or_default()
}

/// What an amount should be.
///
/// Empty where nothing is asked.
pub(super) fn wanted(at: &At<'_>, asked: Role) -> String {
    let unit = at.unit();
    match asked {
        Role::Exact(target) => format!("exactly {target}{unit}"),
        Role::Window(low, high) => format!("{low} to {high}{unit}"),
        Role::Measured | Role::Free | Role::Chosen => String::new(),
    }
}

/// Empty for what has no list of them.
pub(super) fn settings(at: &At<'_>) -> String {
    let spec = at.place.item.and_then(|i| at.protocol.reading_of(i));
    match spec.map(|s| &s.kind) {
        Some(ReadingKind::Setting(list)) => list.iter().map(f64::to_string).collect::<Vec<_>>().join(", "),
        _ => String::new(),
    }
}

/// “Plate mass has no unit; g was taken.” Units are never guessed at from the size of a number.
pub(super) fn unit(at: &At<'_>, fault: &UnitFault) -> String {
    let title = full_title(at);
    let ours = at.item().map_or("", |i| i.unit.text.as_str());
    let what = match fault {
        UnitFault::Missing => format!("{title} has no unit; {ours} was taken"),
        UnitFault::Unknown(why) => format!("{title}: {why}; {ours} was taken"),
        UnitFault::Wrong(written) => format!("{title} is in {written}, which cannot be its unit; {ours} was taken"),
        UnitFault::Converted(written) => format!("{title} is in {written} and was converted to {ours}"),
    };
    sentence(&format!("{what}."))
}

/// Two of the four are notes that say “worth a look”: round numbers and readings all alike have
/// honest causes.
pub(super) fn readings(at: &At<'_>, kind: &Kind) -> String {
    let (title, unit) = (at.title(), at.unit());
    match kind {
        Kind::ReadingDigits { instrument, step, texts } => format!(
            "{} of the {title} written as {}: the {} shows steps of {step}{unit}.",
            notation::counted(texts.len(), "reading"),
            texts.join(", "),
            at.protocol.instruments[*instrument].title
        ),
        Kind::OffGraduation { step, texts } => {
            format!("{}: {} cannot be read on steps of {step}{unit}.", capital(title), texts.join(", "))
        }
        Kind::Heaping { round, of, step } => {
            format!("{round} of {of} values of the {title} are multiples of {step}{unit}: worth a look.")
        }
        Kind::NoSpread { count, text } => {
            format!("All {count} readings of the {title} are {}: worth a look.", amount(text, &unit))
        }
        _ => String::new(),
    }
}

/// A repaired value, to the place of its reading's resolution.
///
/// 84.3 of a caliper with steps of 0.01 is 84.30.
pub(super) fn repaired(value: f64, resolution: f64) -> String {
    notation::to_place(value, leading_place(resolution))
}

/// “Reading 3 of the disc diameter reads 48.30 mm; the results were worked out with 84.30 mm:
/// copied wrongly, 94 in 100. 8 more results fit with it.”
pub(super) fn repair(at: &At<'_>, kind: &Kind) -> String {
    let Kind::Repair { text, value, resolution, probability, gained } = kind else { return String::new() };
    let (unit, shown) = (at.unit(), repaired(*value, *resolution));
    let gains = gains(*gained);
    format!(
        "{} reads {}; the results were worked out with {shown}{unit}: copied wrongly, {}.{gains} Judged with {shown}{unit} until somebody refuses.",
        sentence(&at.reading()),
        amount(text, &unit),
        notation::chance(*probability)
    )
}

/// How many further results a repair explains, with a space before it.
///
/// Empty where nothing is gained.
pub(super) fn gains(gained: usize) -> String {
    match gained {
        0 => String::new(),
        1 => " One more result fits with it.".to_owned(),
        n => format!(" {n} more results fit with it."),
    }
}

/// What one act did to several readings, as a clause.
///
/// `act` is one of those of [`Rewriting`]; each is told by what stands there and not by what was
/// meant.
pub(super) fn act(at: &At<'_>, act: &Rewriting) -> String {
    let title = at.title();
    let of = |item: ItemId| at.protocol.items[item].title.as_str();
    match act {
        Rewriting::Unit { factor } => {
            format!("the {title} stands there in another unit: its numbers count {} times", plain(*factor))
        }
        Rewriting::Offset { by } => {
            let side = if *by > 0.0 { "small" } else { "large" };
            format!("all readings of the {title} are {}{} too {side}", plain(by.abs()), at.unit())
        }
        Rewriting::Rows { first, second } => {
            format!("the readings {first} and {second} of the {title} stand in each other’s rows")
        }
        Rewriting::Columns { other } => format!("the {title} and the {} stand in each other’s columns", of(*other)),
        Rewriting::InRow { other, row } => {
            format!("the {title} and the {} of row {row} stand in each other’s place", of(*other))
        }
    }
}

/// “It seems that the readings 3 and 4 of the mass stand in each other’s rows, 88 in 100.”
pub(super) fn rewritten(at: &At<'_>, kind: &Kind) -> String {
    let Kind::Rewritten { act: what, probability, gained } = kind else { return String::new() };
    format!(
        "It seems that {}, {}.{} Judged as it was meant until somebody refuses.",
        act(at, what),
        notation::chance(*probability),
        gains(*gained)
    )
}

/// What a person did to a cell, as a clause.
///
/// It stands before the name of who did it.
pub(super) fn corrected(at: &At<'_>, kind: &Kind) -> String {
    let Kind::Corrected { typed, how, .. } = kind else { return String::new() };
    let place = at.reading();
    match how {
        Correction::LeftOut => format!("{place}, {typed}, is left out"),
        Correction::ReadAs(text) if typed.is_empty() => {
            format!("{place} is taken as {text}, though nothing stands there")
        }
        Correction::ReadAs(text) => format!("{place} is taken as {text} in place of {typed}"),
    }
}

/// A unit behind a number.
///
/// With a blank before it; nothing for a pure number.
pub(super) fn unit_of(text: &str) -> String {
    if text.is_empty() || text == "1" { String::new() } else { format!(" {text}") }
}
