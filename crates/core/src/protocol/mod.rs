//! One lab described as data. [`source`] is the TOML file as written, [`compile`] checks it and makes the
//! [`Protocol`] that everything else uses. No lab is known to the code: a new lab is a new file.

mod compile;
mod mutate;
mod rubric;
mod slip;
mod source;
#[cfg(test)]
mod tests;

use rust_decimal::Decimal;

use crate::error::Fault;
use crate::formula::Node;
use crate::quantity::Unit;
use crate::stats::Confidence;

pub use compile::compile;
pub use slip::{SlipKind, Variant};

/// A checked protocol.
#[derive(Clone, Debug)]
pub struct Protocol {
    /// Id, such as `keel-plate`.
    pub id: String,
    /// Version, counted up with every change that can change a mark.
    pub version: u32,
    /// SHA-256 of the file's text, hexadecimal.
    pub digest: String,
    /// Title.
    pub title: String,
    /// One sentence on what the lab teaches.
    pub summary: String,
    /// Cautions to show.
    pub cautions: Vec<String>,
    /// Groups of readings and results, in reading order.
    pub bays: Vec<Bay>,
    /// Keys and the values they may take.
    pub keys: Vec<Key>,
    /// Instruments.
    pub instruments: Vec<Instrument>,
    /// All names a formula can use: readings, then references, then results in the order they are derived.
    pub items: Vec<Item>,
    /// Readings.
    pub readings: Vec<ReadingSpec>,
    /// References.
    pub references: Vec<Reference>,
    /// Results in the order they are derived.
    pub results: Vec<ResultSpec>,
    /// What can physically push a reading.
    pub causes: Vec<Cause>,
    /// Rubric.
    pub criteria: Vec<Criterion>,
    /// Sum of the rubric's points.
    pub possible: Decimal,
    /// Schools.
    pub school: School,
}

/// A group of readings and results.
#[derive(Clone, Debug)]
pub struct Bay {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
}

/// A key and its values.
#[derive(Clone, Debug)]
pub struct Key {
    /// Id, such as `station`.
    pub id: String,
    /// Title.
    pub title: String,
    /// Values it may take, in the sheet's order.
    pub values: Vec<String>,
}

/// An instrument.
#[derive(Clone, Debug)]
pub struct Instrument {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
    /// Unit of its display.
    pub unit: Unit,
    /// Graduation or display step, in its unit.
    pub step: f64,
    /// Limit of error, in its unit; rectangular.
    pub limit: Option<f64>,
    /// Whether the limit is one and the same for all its readings.
    pub limit_shared: bool,
    /// Readiness notes.
    pub notes: Vec<String>,
}

/// What a name stands for.
#[derive(Clone, Debug)]
pub struct Item {
    /// Id, as used in formulas and tables.
    pub id: String,
    /// Title in words, without capital.
    pub title: String,
    /// Symbol such as `V_c`.
    pub symbol: String,
    /// Unit.
    pub unit: Unit,
    /// Kind, with its number in its own list.
    pub kind: ItemKind,
    /// Marked as a diameter or radius.
    pub shape: Option<Roundness>,
}

/// Kinds of item.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ItemKind {
    /// Index into `readings`.
    Reading(usize),
    /// Index into `references`.
    Reference(usize),
    /// Index into `results`.
    Result(usize),
}

/// Which measure of a circle an item is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Roundness {
    /// Across.
    Diameter,
    /// From the centre.
    Radius,
}

/// A reading to take.
#[derive(Clone, Debug)]
pub struct ReadingSpec {
    /// Its item.
    pub item: usize,
    /// Its bay.
    pub bay: usize,
    /// Its instrument.
    pub instrument: usize,
    /// How often it is taken; 1 has no row numbers.
    pub replicates: u32,
    /// Plausible range in its unit.
    pub plausible: Option<(f64, f64)>,
    /// Whether the instrument's limit belongs to it (not to the zero reading that takes it off).
    pub takes_limit: bool,
    /// Whether it is the zero reading of its instrument.
    pub is_zero: bool,
}

/// A reference value, perhaps by key.
#[derive(Clone, Debug)]
pub struct Reference {
    /// Its item.
    pub item: usize,
    /// Key that selects the entry; `None` for a single entry.
    pub key: Option<usize>,
    /// Where the value comes from.
    pub source: String,
    /// Key value (empty for a single entry), name, lower and upper end in coherent SI units.
    pub entries: Vec<ReferenceEntry>,
}

/// One value of a reference.
#[derive(Clone, Debug)]
pub struct ReferenceEntry {
    /// Value of the key.
    pub at: String,
    /// What it is, such as the metal's name.
    pub says: String,
    /// Lower end, coherent SI units.
    pub low: f64,
    /// Upper end, coherent SI units; equal to `low` for an exact value.
    pub high: f64,
}

impl ReferenceEntry {
    /// The value used in formulas: the midpoint.
    pub fn middle(&self) -> f64 {
        (self.low + self.high) / 2.0
    }
}

/// A result to derive.
#[derive(Clone, Debug)]
pub struct ResultSpec {
    /// Its item.
    pub item: usize,
    /// Its bay.
    pub bay: usize,
    /// Formula as written.
    pub text: String,
    /// Formula, checked.
    pub node: Node,
    /// Items of results that the formula uses.
    pub upstream: Vec<usize>,
    /// Points for working it out.
    pub points: Decimal,
    /// Whether a ± is asked for.
    pub plus_minus: bool,
    /// Mistaken forms of the formula.
    pub variants: Vec<Variant>,
}

/// What can physically push a reading.
#[derive(Clone, Debug)]
pub struct Cause {
    /// Id.
    pub id: String,
    /// Items of the readings it pushes.
    pub on: Vec<usize>,
    /// Whether it makes them low.
    pub low: bool,
    /// What it is, in words: "an off-centre chord is shorter than the diameter".
    pub says: String,
    /// Words in a reason that name it.
    pub words: Vec<String>,
    /// What to do when measuring again.
    pub advice: String,
}

/// A criterion of the rubric.
#[derive(Clone, Debug)]
pub struct Criterion {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
    /// Points.
    pub points: Decimal,
    /// How it is judged.
    pub rule: Rule,
}

/// How a criterion is judged.
#[derive(Clone, Debug)]
pub enum Rule {
    /// Points of the results; a slip takes its share of them.
    Calculation {
        /// Share a slip takes, unless its kind has its own.
        share: Decimal,
        /// Shares by kind.
        shares: Vec<(String, Decimal)>,
    },
    /// Missing or unreadable readings, so much each.
    Completeness {
        /// Points per missing reading.
        each: Decimal,
    },
    /// The clean value against its reference, in percent.
    Accuracy {
        /// Result's index in `results`.
        result: usize,
        /// Index in `references`.
        reference: usize,
        /// Narrowest first.
        bands: Vec<Band>,
    },
    /// The spread of replicates, as a standard deviation in the reading's unit.
    Precision {
        /// Reading's index in `readings`.
        reading: usize,
        /// Narrowest first.
        bands: Vec<Band>,
        /// Points lost by a kept outlier or an unsupported exclusion.
        outlier: Decimal,
    },
    /// The stated ± of results that ask for one.
    Uncertainty {
        /// Points lost where none is stated.
        missing: Decimal,
        /// Points lost outside one half to twice.
        unfair: Decimal,
        /// Points lost by its digits.
        digits: Decimal,
    },
    /// Figures of readings and results.
    Digits {
        /// Points lost by each.
        each: Decimal,
    },
    /// Units of results.
    Units {
        /// Points lost by each.
        each: Decimal,
    },
}

/// A band: up to `within`, `points`.
#[derive(Clone, Debug)]
pub struct Band {
    /// Upper edge, inclusive.
    pub within: f64,
    /// Points.
    pub points: Decimal,
}

/// Settings where courses differ.
#[derive(Clone, Debug)]
pub struct School {
    /// Confidence of the tests for outliers.
    pub confidence: Confidence,
    /// Coverage factor with which a stated ± is compared.
    pub coverage_factor: f64,
    /// Figures a result may have more or fewer than it deserves.
    pub figure_tolerance: i32,
}

impl Protocol {
    /// Reads and checks a protocol's text.
    ///
    /// # Errors
    /// Every fault found, each with its place.
    pub fn parse(text: &str) -> Result<Protocol, Vec<Fault>> {
        compile(text)
    }

    /// The item of an id.
    pub fn item(&self, id: &str) -> Option<usize> {
        self.items.iter().position(|i| i.id == id)
    }

    /// The reading of an item, if it is one.
    pub fn reading_of(&self, item: usize) -> Option<&ReadingSpec> {
        match self.items[item].kind {
            ItemKind::Reading(r) => self.readings.get(r),
            _ => None,
        }
    }

    /// The title in words; a result's with its bay, since two bays may each have a volume.
    pub fn full_title(&self, item: usize) -> String {
        let title = &self.items[item].title;
        match self.items[item].kind {
            ItemKind::Result(r) => format!("{title} ({})", self.bays[self.results[r].bay].title.to_lowercase()),
            _ => title.clone(),
        }
    }

    /// Rows an item may have: its replicates for a repeated reading, otherwise none.
    pub fn rows_of(&self, item: usize) -> Option<u32> {
        self.reading_of(item).map(|r| r.replicates).filter(|n| *n > 1)
    }
}
