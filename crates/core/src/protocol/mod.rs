//! One lab described as data. [`source`] is the TOML file as written, [`compile`] checks it and makes the
//! [`Protocol`] that everything else uses. No lab is known to the code: a new lab is a new file.

mod apparatus;
mod compile;
mod derive;
mod mutate;
mod relate;
mod rubric;
pub mod sheet;
mod slip;
mod source;
#[cfg(test)]
mod tests;

use std::collections::HashMap;

use rust_decimal::Decimal;

use crate::error::Fault;
use crate::formula::{Node, Shape};
use crate::quantity::{Nature, Unit};
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
    /// What a section may set.
    pub parameters: Vec<Parameter>,
    /// Instruments.
    pub instruments: Vec<Instrument>,
    /// Tables of readings taken row by row.
    pub tables: Vec<TableSpec>,
    /// All names a formula can use: readings, then references, then results in the order they are derived.
    pub items: Vec<Item>,
    /// Readings.
    pub readings: Vec<ReadingSpec>,
    /// Constants and references.
    pub references: Vec<Reference>,
    /// Results in the order they are derived.
    pub results: Vec<ResultSpec>,
    /// Relations that hold whatever the unknown is.
    pub checks: Vec<Check>,
    /// Values that should agree.
    pub comparisons: Vec<ComparisonSpec>,
    /// Unknowns to be named from a list.
    pub identifies: Vec<Identify>,
    /// Declared slips and other schools, with the share of points they take.
    pub declared: Vec<(SlipKind, Decimal)>,
    /// What can physically push a reading.
    pub causes: Vec<Cause>,
    /// Rubric.
    pub criteria: Vec<Criterion>,
    /// Sum of the rubric's points.
    pub possible: Decimal,
    /// Schools.
    pub school: School,
    /// Items by id.
    by_id: HashMap<String, usize>,
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

/// What a section may set, such as a number of portions.
#[derive(Clone, Debug)]
pub struct Parameter {
    /// Its item.
    pub item: usize,
    /// Value where a section says nothing.
    pub value: f64,
    /// Least and most.
    pub range: (f64, f64),
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
    /// Graduation or display step, in its unit, or in units of a setting.
    pub step: f64,
    /// Item of the setting that the step is multiplied by.
    pub step_of: Option<usize>,
    /// Limit of error, in its unit.
    pub limit: Option<f64>,
    /// Whether the limit is one and the same for all its readings.
    pub limit_shared: bool,
    /// Whether values inside the limit crowd towards its middle.
    pub triangular: bool,
    /// Range of its scale, in its unit.
    pub range: Option<(f64, f64)>,
    /// Whether its scale is read downwards.
    pub reads_down: bool,
    /// Whether one digit is estimated between the graduations.
    pub estimated: bool,
    /// Readiness notes.
    pub notes: Vec<String>,
}

/// A table: readings taken together, row by row.
#[derive(Clone, Debug)]
pub struct TableSpec {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
    /// Its bay.
    pub bay: usize,
    /// Rows asked for.
    pub rows: RowCount,
    /// Key that each row belongs to.
    pub key: Option<usize>,
    /// Item of words and the word that marks a planned rough run, which is never averaged.
    pub rough: Option<(usize, u32)>,
    /// Displayed values one column is to be taken near.
    pub grid: Option<Grid>,
    /// When the team may stop.
    pub stop: Option<Stop>,
}

/// Rows beyond those that a lab asks for that are still taken.
const MORE_ROWS: u32 = 20;

/// How many rows or replicates.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RowCount {
    /// So many.
    Fixed(u32),
    /// At least and at most.
    Between(u32, u32),
    /// As many as the parameter of this item says.
    Parameter(usize),
}

/// Nominal values of a column; the nearest displayed value counts.
#[derive(Clone, Debug)]
pub struct Grid {
    /// Item of the column.
    pub column: usize,
    /// Nominal values in its unit.
    pub values: Vec<f64>,
    /// How far a displayed value may lie from its nominal.
    pub within: f64,
}

/// A stopping rule of a table.
#[derive(Clone, Debug)]
pub struct Stop {
    /// Item of the column it looks at.
    pub column: usize,
    /// A value to be reached, in the column's unit.
    pub at: Option<f64>,
    /// A flat tail: so many rows within so much.
    pub flat: Option<(usize, f64)>,
    /// So many rows that agree within a tolerance.
    pub agree: Option<(usize, Tolerance)>,
}

/// A tolerance, absolute or in percent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Tolerance {
    /// In the unit of what is compared.
    Within(f64),
    /// Percent of the value.
    Percent(f64),
}

impl Tolerance {
    /// The widest difference about a value.
    pub fn about(self, value: f64) -> f64 {
        match self {
            Tolerance::Within(t) => t,
            Tolerance::Percent(p) => p / 100.0 * value.abs(),
        }
    }
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
    /// Amount, point on a scale, gauge or absolute pressure.
    pub nature: Nature,
    /// One value or a column.
    pub rows: Shape,
    /// The words it may be; `None` for a number.
    pub words: Option<Vec<String>>,
    /// Kind, with its number in its own list.
    pub kind: ItemKind,
    /// Marked as a diameter or radius.
    pub shape: Option<Roundness>,
    /// An empty vessel, to be taken off.
    pub tare: bool,
}

impl Item {
    /// A value in its unit, in coherent SI units.
    pub fn to_si(&self, value: f64) -> f64 {
        self.unit.to_si(value, self.nature)
    }

    /// A value in coherent SI units, in its unit.
    pub fn from_si(&self, value: f64) -> f64 {
        self.unit.from_si(value, self.nature)
    }

    /// ` mm` with its space, or nothing for a pure number.
    pub fn unit_after(&self) -> String {
        if self.unit.text.is_empty() || self.unit.text == "1" { String::new() } else { format!(" {}", self.unit.text) }
    }
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
    /// Index into `parameters`.
    Parameter(usize),
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
    /// Its table, if it is a column of one.
    pub table: Option<usize>,
    /// What is written down.
    pub kind: ReadingKind,
    /// Its instrument; counts and words have none.
    pub instrument: Option<usize>,
    /// How often it is taken; 1 has no row numbers.
    pub replicates: u32,
    /// Parameter that says how often instead.
    pub replicates_of: Option<usize>,
    /// Plausible range in its unit.
    pub plausible: Option<(f64, f64)>,
    /// Whether the instrument's limit belongs to it (not to the zero reading that takes it off).
    pub takes_limit: bool,
    /// Whether it is the zero reading of its instrument.
    pub is_zero: bool,
    /// When it has to be there.
    pub need: Need,
    /// What its amount means.
    pub role: Role,
    /// Whether it must rise (true) or fall down the rows.
    pub trend: Option<bool>,
    /// Item of the end reading that it continues from the row above.
    pub follows: Option<usize>,
    /// Item of the column that it adds up.
    pub sums: Option<usize>,
    /// Planned steps from row to row with their tolerances, in its unit: the first whose condition holds in the row that
    /// a step starts from; without a condition, everywhere.
    pub steps: Vec<PlannedStep>,
    /// Band to judge references with where it was not taken, in its unit.
    pub fallback: Option<(f64, f64)>,
    /// How a reading may be rejected.
    pub rejection: Option<Rejection>,
    /// Round figures it should not heap on.
    pub heaping: Option<f64>,
    /// Readings surely too small and surely too big around it.
    pub bracket: Option<(usize, usize)>,
}

/// What a reading is.
#[derive(Clone, Debug, PartialEq)]
pub enum ReadingKind {
    /// A number off an instrument.
    Number,
    /// An exact count.
    Count,
    /// One of the item's words.
    Word,
    /// A scale, a range, a zone: one of these values, or any where there are none.
    Setting(Vec<f64>),
}

/// A step of a plan.
#[derive(Clone, Debug)]
pub struct PlannedStep {
    /// Where it is the plan; `None` everywhere.
    pub condition: Option<Node>,
    /// Size.
    pub size: f64,
    /// How far a step may be off.
    pub tolerance: f64,
}

/// When a cell has to be there.
#[derive(Clone, Debug, Default)]
pub struct Need {
    /// It may be left out.
    pub optional: bool,
    /// It must be there in rows (or tables) where this holds, and may be left out elsewhere.
    pub required_if: Option<Node>,
    /// It must not be there where this holds.
    pub forbidden_if: Option<Node>,
}

/// What an amount means.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Role {
    /// A measured value.
    Measured,
    /// Exactly this, in its unit.
    Exact(f64),
    /// Any value inside.
    Window(f64, f64),
    /// It does not matter.
    Free,
    /// Chosen by the team; what follows from it is judged from it.
    Chosen,
}

/// By which school a replicate may be rejected.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rejection {
    /// Dixon's Q, 3 to 10 readings.
    Dixon,
    /// Grubbs' test.
    Grubbs,
    /// Generalised extreme studentised deviate.
    Esd,
    /// Known repeatability σ, in the reading's unit.
    Known(f64),
    /// Modified z.
    ModifiedZ,
    /// The largest set within a tolerance counts.
    Concordance(Tolerance),
    /// By judgement, with a reason.
    Judgement,
}

impl Rejection {
    /// Its word in protocols and verdicts.
    pub fn word(self) -> &'static str {
        match self {
            Rejection::Dixon => "dixon",
            Rejection::Grubbs => "grubbs",
            Rejection::Esd => "esd",
            Rejection::Known(_) => "known",
            Rejection::ModifiedZ => "modified-z",
            Rejection::Concordance(_) => "concordance",
            Rejection::Judgement => "judgement",
        }
    }
}

/// A constant or a reference value, perhaps by key.
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
    /// Short forms in use, coherent SI units.
    pub short: Vec<f64>,
    /// A function of conditions, in place of entries.
    pub formula: Option<Node>,
    /// The class's own consensus is the reference: nothing is compared in one table alone.
    pub consensus: bool,
}

/// One value of a reference.
#[derive(Clone, Debug, PartialEq)]
pub struct ReferenceEntry {
    /// Value of the key.
    pub at: String,
    /// What it is, such as the metal's name.
    pub says: String,
    /// Lower end, coherent SI units.
    pub low: f64,
    /// Upper end, coherent SI units; equal to `low` for an exact value.
    pub high: f64,
    /// Standard uncertainty, coherent SI units; 0 for an exact value.
    pub uncertainty: f64,
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
    /// Its table, if it is a column of one.
    pub table: Option<usize>,
    /// Formula as written.
    pub text: String,
    /// Formula, checked; of a word result a nought.
    pub node: Node,
    /// The right word, by the first condition that holds; empty for a number.
    pub right: Vec<Right>,
    /// Items of results that the formula uses.
    pub upstream: Vec<usize>,
    /// Points for working it out.
    pub points: Decimal,
    /// Whether a ± is asked for.
    pub plus_minus: bool,
    /// Whether it may be left out.
    pub optional: bool,
    /// An estimate made before measuring.
    pub guess: bool,
    /// Tolerance of a value read off a graph, in its unit.
    pub read_off: Option<f64>,
    /// How one row of it may be rejected.
    pub rejection: Option<Rejection>,
    /// Mistaken forms of the formula.
    pub variants: Vec<Variant>,
    /// Whether a row of it depends on that row alone.
    pub row_local: bool,
    /// Whether the formula holds an end point, which brings an uncertainty of its own.
    pub end_point: bool,
}

/// One line of what is right for a word result.
#[derive(Clone, Debug)]
pub struct Right {
    /// When it holds; `None` always.
    pub condition: Option<Node>,
    /// The right word's number.
    pub word: u32,
}

/// A relation that holds whatever the unknown is.
#[derive(Clone, Debug)]
pub struct Check {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
    /// What is compared.
    pub rule: CheckRule,
    /// What to say where it fails.
    pub says: String,
    /// Criterion's id and the points it takes.
    pub charge: Option<(String, Decimal)>,
    /// What is drawn where it fails.
    pub sketch: Option<SketchSpec>,
}

/// A drawing of the apparatus as the readings have it.
#[derive(Clone, Debug)]
pub struct SketchSpec {
    /// What is drawn.
    pub kind: SketchKind,
    /// Unit of its marks.
    pub unit: Unit,
    /// Its ends, in that unit.
    pub span: (f64, f64),
    /// What a beam turns about.
    pub pivot: Option<Node>,
    /// What is on it. Of a rail: first the mirror, then what stands before it, then its image.
    pub parts: Vec<SketchPart>,
}

/// What a sketch draws.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SketchKind {
    /// A beam that turns about a pivot, with what hangs on it.
    Beam,
    /// A rail with a mirror, an object and its image.
    Rail,
    /// Rings about one centre.
    Rings,
}

/// One thing on a sketch.
#[derive(Clone, Debug)]
pub struct SketchPart {
    /// Its name.
    pub says: String,
    /// Its mark, or its diameter.
    pub at: Node,
    /// What hangs there.
    pub weight: Option<Node>,
    /// Height of the arrow that stands there.
    pub height: Option<Node>,
}

/// How a check is judged.
#[derive(Clone, Debug)]
pub enum CheckRule {
    /// Two values, within k standard uncertainties of their difference.
    Related {
        /// Left side.
        left: Node,
        /// Right side.
        right: Node,
        /// How they should stand.
        relation: Relation,
        /// k.
        k: f64,
    },
    /// A condition.
    Holds(Node),
}

/// How two values should stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Relation {
    /// Equal.
    Equal,
    /// The left one below.
    Below,
    /// The left one above.
    Above,
}

/// Two values that should agree.
#[derive(Clone, Debug)]
pub struct ComparisonSpec {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
    /// One value.
    pub a: Node,
    /// The other.
    pub b: Node,
    /// How.
    pub method: Agreement,
    /// Index in `results` of the word in which the team says so.
    pub conclusion: Option<usize>,
}

/// When two values agree.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Agreement {
    /// |a − b| ≤ k·u(a − b), over the sources they share.
    WithinK(f64),
    /// Their expanded intervals, k·u each, overlap.
    Overlap(f64),
    /// They differ by at most so many percent of the mean of their sizes.
    Percent(f64),
    /// The coarse one is the rounding of the fine one.
    Coarse,
}

/// An unknown to be named from a list.
#[derive(Clone, Debug)]
pub struct Identify {
    /// Id.
    pub id: String,
    /// Title.
    pub title: String,
    /// Index in `results` of the value.
    pub result: usize,
    /// What it may be.
    pub candidates: Vec<ReferenceEntry>,
    /// Where their values come from.
    pub source: String,
    /// Index in `results` of the word in which the team names it.
    pub answer: Option<usize>,
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
    /// Counted only where a section switches it on.
    pub off: bool,
    /// How it is judged.
    pub rule: Rule,
}

impl Criterion {
    /// Whether it counts for a section.
    pub fn counts(&self, section: &crate::section::Section) -> bool {
        !self.off || section.criteria.contains(&self.id)
    }
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
        /// Share of its points that a result loses which only follows from a wrong one; nought in most courses.
        carried: Decimal,
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
        /// Whether the bands count standard uncertainties instead of percent.
        in_uncertainties: bool,
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
    /// Two values that should agree.
    Agreement {
        /// Index in `comparisons`.
        comparison: usize,
    },
    /// Lost by checks that name it.
    Checks,
    /// Judged by a person, by described levels.
    Manual {
        /// Levels, best first.
        levels: Vec<(String, Decimal)>,
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
    /// How a replicate may be rejected, where its reading says nothing.
    pub rejection: Option<Rejection>,
    /// Which uncertainty a stated ± is compared with.
    pub uncertainty: UncertaintySchool,
    /// Whether a Monte Carlo run is asked for always.
    pub monte_carlo: bool,
    /// Fair ratios of a stated ± to the one supported, inclusive.
    pub plus_minus_band: (f64, f64),
    /// Whether accuracy looks at the reported value instead of what the readings give.
    pub accuracy_of_reported: bool,
    /// Whether deserved figures come from the uncertainty instead of the rules for figures.
    pub digits_from_uncertainty: bool,
    /// Table-and-logarithm arithmetic: so many units in the last of so many figures are tolerated.
    pub logarithm_table: Option<(u32, u32)>,
    /// Whether a percent error keeps its sign.
    pub signed_percent: bool,
    /// Weight of "none of these" against all slips together, to begin with.
    pub unexplained: f64,
    /// Weights of kinds of slip that differ from the starting ones.
    pub weights: Vec<(SlipKind, f64)>,
}

impl School {
    /// The weight of a kind of slip, before normalising over the kinds generated for a result.
    pub fn weight(&self, kind: SlipKind, declared: usize) -> f64 {
        self.weights.iter().find(|(k, _)| *k == kind).map_or_else(|| kind.weight(declared), |(_, w)| *w)
    }
}

impl Default for School {
    fn default() -> School {
        School {
            confidence: Confidence::NinetyFive,
            coverage_factor: 1.0,
            figure_tolerance: 1,
            rejection: None,
            uncertainty: UncertaintySchool::Quadrature,
            monte_carlo: false,
            plus_minus_band: (0.5, 2.0),
            accuracy_of_reported: false,
            digits_from_uncertainty: false,
            logarithm_table: None,
            signed_percent: false,
            unexplained: 0.35,
            weights: Vec::new(),
        }
    }
}

/// The schools of uncertainty. All are computed; the course marks by one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum UncertaintySchool {
    /// Standard uncertainties in quadrature over independent sources.
    Quadrature,
    /// Limits added up by size.
    WorstCase,
    /// The farthest corner of the limits.
    Extremes,
    /// Replicates alone.
    Replicates,
    /// Significant figures alone: half a unit of the last figure deserved.
    Figures,
}

impl UncertaintySchool {
    /// All of them, with their words.
    pub const ALL: [(UncertaintySchool, &'static str); 5] = [
        (UncertaintySchool::Quadrature, "quadrature"),
        (UncertaintySchool::WorstCase, "worst-case"),
        (UncertaintySchool::Extremes, "extremes"),
        (UncertaintySchool::Replicates, "replicates"),
        (UncertaintySchool::Figures, "figures"),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(s, _)| *s == self).map_or("", |(_, w)| w)
    }
}

/// The JSON Schema of the file format, for editors: generated from what the loader reads.
pub fn schema() -> String {
    let schema = schemars::schema_for!(source::File);
    serde_json::to_string_pretty(&schema).unwrap_or_default()
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
        self.by_id.get(id).copied()
    }

    /// The reading of an item, if it is one.
    pub fn reading_of(&self, item: usize) -> Option<&ReadingSpec> {
        match self.items[item].kind {
            ItemKind::Reading(r) => self.readings.get(r),
            _ => None,
        }
    }

    /// The instrument's step in the unit of a reading; `None` without an instrument, or where it follows a setting.
    pub fn step(&self, spec: &ReadingSpec) -> Option<f64> {
        let instrument = spec.instrument.map(|i| &self.instruments[i]).filter(|i| i.step_of.is_none())?;
        Some(instrument.step * instrument.unit.factor / self.items[spec.item].unit.factor)
    }

    /// The title in words; a result's with its bay, since two bays may each have a volume.
    pub fn full_title(&self, item: usize) -> String {
        let title = &self.items[item].title;
        match self.items[item].kind {
            ItemKind::Result(r) => format!("{title} ({})", self.bays[self.results[r].bay].title.to_lowercase()),
            _ => title.clone(),
        }
    }

    /// Whether the cells of an item have row numbers: a repeated reading, or a column of a table.
    pub fn has_rows(&self, item: usize) -> bool {
        matches!(self.items[item].rows, Shape::Column(_))
    }

    /// The table an item is a column of.
    pub fn table_of(&self, item: usize) -> Option<usize> {
        match self.items[item].kind {
            ItemKind::Reading(r) => self.readings[r].table,
            ItemKind::Result(r) => self.results[r].table,
            _ => None,
        }
    }

    /// The key that a row of an item's table belongs to.
    pub fn row_key(&self, item: usize) -> Option<usize> {
        self.table_of(item).and_then(|t| self.tables[t].key)
    }

    /// Rows an item may have at most, where its cells have row numbers.
    pub fn rows_of(&self, item: usize) -> Option<u32> {
        if !self.has_rows(item) {
            return None;
        }
        if let Some(t) = self.table_of(item) {
            return Some(match self.tables[t].rows {
                RowCount::Fixed(n) => n,
                RowCount::Between(_, most) => most,
                RowCount::Parameter(p) => self.parameter_most(p),
            });
        }
        let spec = self.reading_of(item)?;
        Some(spec.replicates_of.map_or(spec.replicates, |p| self.parameter_most(p)))
    }

    /// The highest row number that is taken for an item whose cells have row numbers: some more than the lab asks for, since
    /// a team may measure once more than it has to. A higher one is a slip of the pen and not a row: everything that goes
    /// through the rows goes up to the highest.
    pub fn most_row(&self, item: usize) -> Option<u32> {
        self.rows_of(item).map(|most| most.saturating_add(MORE_ROWS))
    }

    fn parameter_most(&self, item: usize) -> u32 {
        match self.items[item].kind {
            ItemKind::Parameter(p) => self.parameters[p].range.1.clamp(1.0, 10_000.0) as u32,
            _ => 1,
        }
    }

    /// Whether a team fills this item's cells in.
    pub fn is_typed(&self, item: usize) -> bool {
        matches!(self.items[item].kind, ItemKind::Reading(_) | ItemKind::Result(_))
    }

    /// How a reading's replicates may be rejected: its own school, the course's, else by how many there are.
    pub fn rejection_of(&self, own: Option<Rejection>, n: usize) -> Rejection {
        own.or(self.school.rejection).unwrap_or(if n < 8 { Rejection::Dixon } else { Rejection::Grubbs })
    }
}
