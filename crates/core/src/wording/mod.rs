//! The words for what was found, in English, for each of its readers: the reviewer ([`says`],
//! [`brief`]), the team ([`tells`], [`sentences`]), the score. They are made from the values of
//! [`crate::finding`] and nothing reads them back; another language is another module beside these.

mod brief;
mod cells;
mod class;
mod columns;
mod counted;
mod explained;
mod fragile;
pub mod gaps;
mod happened;
mod join;
mod label;
mod lists;
mod numbers;
mod pattern;
mod plan;
pub mod practice;
mod repeated;
mod reviewer;
mod score;
mod single;
mod slips;
mod team;
#[cfg(test)]
mod tests;
pub(crate) mod under;

pub use brief::brief;
pub use cells::{remark, unreadable};
pub use class::{Counts, Who, by_chance, effect, same_book, shared, taught};
pub(crate) use explained::{explained, source};
pub use fragile::fragile;
pub use happened::{clause, happened};
pub use join::sentences;
pub use label::label;
pub use pattern::{pattern, to_say, what};
pub use plan::{reading, step};
pub use repeated::{Repeated, repeated};
pub use reviewer::says;
pub use score::{compared, standing};
pub use slips::told as slip;
pub use team::tells;

use crate::finding::{Finding, Place, Right};
use crate::formula::ItemId;
use crate::notation::{self, capital};
use crate::protocol::{Item, Protocol};
use crate::quantity::leading_place;
use crate::row::Row;
use crate::verdict::Face;

/// A finding's place, with the words of its protocol.
#[derive(Clone, Copy)]
struct At<'a> {
    /// Gives titles, units and what is shown of digits.
    protocol: &'a Protocol,
    /// Where the finding is.
    place: Place,
}

impl<'a> At<'a> {
    fn of(protocol: &'a Protocol, finding: &Finding) -> At<'a> {
        At { protocol, place: finding.place }
    }

    fn item(&self) -> Option<&'a Item> {
        self.place.item.map(|i| &self.protocol.items[i])
    }

    /// "plate length".
    fn title(&self) -> &'a str {
        self.item().map_or("", |i| i.title.as_str())
    }

    /// " mm", or nothing for a pure number.
    fn unit(&self) -> String {
        self.item().map_or_else(String::new, Item::unit_after)
    }

    /// "reading 3 of the plate length", "the plate length".
    fn reading(&self) -> String {
        match self.place.row {
            Some(row) => format!("reading {row} of the {}", self.title()),
            None => format!("the {}", self.title()),
        }
    }

    /// A reading anywhere in the table.
    fn reading_at(&self, item: ItemId, row: Row) -> String {
        At { protocol: self.protocol, place: Place::of(item, Some(row)) }.reading()
    }

    /// A value that would stand in a missing cell: as many digits as its instrument shows.
    fn filled(&self, item: ItemId, value: f64) -> String {
        let it = &self.protocol.items[item];
        let step = self.protocol.reading_of(item).and_then(|s| self.protocol.step(s)).filter(|s| *s > 0.0);
        let shown = step.map_or_else(|| notation::figures(value, 4), |s| notation::to_place(value, leading_place(s)));
        shown + &it.unit_after()
    }

    /// "density (plate)", "pressure in row 3".
    fn result(&self) -> String {
        match (self.place.item, self.place.row) {
            (Some(_), Some(row)) => format!("{} in row {row}", self.title()),
            (Some(item), None) => self.protocol.full_title(item),
            (None, _) => String::new(),
        }
    }

    /// The row's number; 1 for what has none.
    ///
    /// # Example
    /// ```
    /// use jurado_core::finding::Right;
    /// use jurado_core::wording::number;
    /// // To the place that is known: hundredths.
    /// assert_eq!(number(&Right::Value { value: 7.9194, place: -2 }), "7.92");
    /// ```
    fn number(&self) -> Row {
        self.place.row.unwrap_or(Row::at(0))
    }

    /// What the readings give: a value without its unit, or a word.
    fn right(&self, right: &Right) -> String {
        match right {
            Right::Word(n) => self.item().and_then(|i| i.words.as_ref()?.get(*n as usize).cloned()).unwrap_or_default(),
            right => number(right),
        }
    }
}

/// How a right value came to differ by rounding, as a clause.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::verdict::Face;
/// use jurado_core::wording::face;
/// let told = face(&lab(), &Face::Follows(None));
/// assert_eq!(told, "follows from the value above");
/// ```
pub fn face(protocol: &Protocol, face: &Face) -> String {
    match face {
        Face::FromRounded => "worked on from its own rounded values".to_owned(),
        Face::Early => "rounded before the end".to_owned(),
        Face::Padded => "rounded, and padded with noughts".to_owned(),
        Face::TwoSteps => "rounded in two steps".to_owned(),
        Face::CutOff => "cut off instead of rounded".to_owned(),
        Face::EveryStep { figures, cut } => {
            format!("every step {} to {figures} figures", if *cut { "cut" } else { "rounded" })
        }
        Face::Pi(text) => format!("worked with π as {text}"),
        Face::Constant(item, value) => format!("worked with the {} as {value}", protocol.items[*item].title),
        Face::Graph => "as it may be read off the graph".to_owned(),
        Face::Follows(None) => "follows from the value above".to_owned(),
        Face::Follows(Some(how)) => format!("follows from the value above, {}", self::face(protocol, how)),
    }
}

/// What the readings give where it is a number, without its unit.
pub fn number(right: &Right) -> String {
    match right {
        Right::Value { value, place } => notation::to_place(*value, *place),
        Right::Word(_) | Right::Unknown => "not known".to_owned(),
    }
}

/// A number as typed, with its unit once: a cell may hold the unit itself.
fn amount(text: &str, unit: &str) -> String {
    let text = text.trim();
    let own =
        text.chars().any(|c| (c.is_alphabetic() && !matches!(c, 'e' | 'E')) || matches!(c, '%' | '°' | '\'' | '"'));
    if own { text.to_owned() } else { format!("{text}{unit}") }
}

/// A number of the sheet without a float's tail.
fn plain(value: f64) -> String {
    let text = notation::figures(value, 6);
    if text.contains('.') && !text.contains('×') {
        return text.trim_end_matches('0').trim_end_matches('.').to_owned();
    }
    text
}

/// "The diagonal of the plate is off": a sentence's first letter large.
fn sentence(text: &str) -> String {
    capital(text)
}
