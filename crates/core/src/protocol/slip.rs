//! The kinds of slip: stable words, starting weights, and a mistaken form of a formula.

use std::sync::Arc;

use crate::formula::ItemId;
use crate::formula::Node;

/// A kind of slip. The words are stable: they stand in verdicts, rulings and exports.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum SlipKind {
    /// A unit was taken for another: 8.43 cm worked out as 8.43 mm.
    UnitFactor,
    /// A diameter stands where the radius belongs, or the other way round: π·d²·h for π·(d/2)²·h.
    RadiusDiameter,
    /// A factor or a term of the formula is missing: m/(l·w) for m/(l·w·t).
    TermOmitted,
    /// A number of the formula is left out or another: 4/3·π·r³ worked out as π·r³.
    Literal,
    /// The point stands elsewhere in the answer: 78.5 for 7.85.
    DecimalPoint,
    /// Another power was taken: r² for r³.
    Power,
    /// A root was left out or taken where none belongs: T² for T.
    Root,
    /// A quotient is upside down: V/m for m/V.
    Inverted,
    /// A difference is the wrong way round, or a sign was lost: a + b for a − b.
    Sign,
    /// The value of another station, fork or object of the sheet was used.
    OtherStation,
    /// Two neighbouring digits of the answer changed places: 7.58 for 7.85.
    DigitsSwapped,
    /// One digit of the answer is another: 7.35 for 7.85.
    DigitWrong,
    /// A reading was left out that counts, or counted though it is left out.
    Exclusion,
    /// Two items of one dimension changed places: the width for the thickness.
    Swapped,
    /// It was divided by one more or one less than there are: Σx/4 for Σx/5.
    WrongCount,
    /// The sum stands where the mean belongs.
    SumForMean,
    /// One replicate stands where the mean of all belongs.
    SingleReplicate,
    /// The setting of the instrument was not allowed for: a display of 4.2 on the range × 10.
    Setting,
    /// A logarithm of another base: log₁₀ for ln.
    LogBase,
    /// Degrees were taken as radians, or the other way round.
    AngleUnit,
    /// One over the value: 0.127 for 7.85.
    Reciprocal,
    /// The vessel was not taken off: the full mass for the contents'.
    GrossForNet,
    /// The slope of x over y for that of y over x.
    SlopeInverted,
    /// The slope through the first and last point for that of the fitted line.
    TwoPointSlope,
    /// The slope of a line forced through nought, or without its intercept.
    Intercept,
    /// A reading was copied wrongly into the table and the calculation used the right one: 48.3 for
    /// 84.3.
    ReadingMistyped,
    /// A reading of the sheet went into one calculation as another number: 48.3 keyed for 84.3.
    ReadingMiskeyed,
    /// A constant went in as another number: 380 for 384, or its neighbour on the sheet.
    ConstantWrong,
    /// It was worked out with another number of things than was counted: 26 pins for 28.
    CountWrong,
    /// A slip the protocol declares, with `declared:` and its id.
    Declared(Arc<str>),
    /// Brackets are missing or stand wrongly in a team's own formula: `m/l*w*t` for `m/(l*w*t)`.
    Brackets,
    /// A team's own formula reads another cell than it should: the row above.
    WrongCell,
    /// A team's own formula has another function than it should: `MEDIAN` for `AVERAGE`.
    WrongFunction,
    /// Two slips at once.
    Compound,
}

impl SlipKind {
    /// Kind, word, starting weight.
    const TABLE: [(SlipKind, &'static str, f64); 33] = [
        (SlipKind::UnitFactor, "unit-factor", 0.18),
        (SlipKind::RadiusDiameter, "radius-diameter", 0.10),
        (SlipKind::TermOmitted, "term-omitted", 0.10),
        (SlipKind::Literal, "literal", 0.08),
        (SlipKind::ReadingMistyped, "reading-mistyped", 0.08),
        (SlipKind::ReadingMiskeyed, "reading-miskeyed", 0.08),
        (SlipKind::DecimalPoint, "decimal-point", 0.06),
        (SlipKind::Power, "power", 0.05),
        (SlipKind::Inverted, "inverted", 0.05),
        (SlipKind::Sign, "sign", 0.05),
        (SlipKind::OtherStation, "other-station", 0.05),
        (SlipKind::DigitsSwapped, "digits-swapped", 0.05),
        (SlipKind::DigitWrong, "digit-wrong", 0.05),
        (SlipKind::Exclusion, "exclusion", 0.04),
        (SlipKind::Swapped, "swapped", 0.04),
        (SlipKind::Root, "root", 0.03),
        (SlipKind::Setting, "setting", 0.03),
        (SlipKind::LogBase, "log-base", 0.03),
        (SlipKind::AngleUnit, "angle-unit", 0.03),
        (SlipKind::Reciprocal, "reciprocal", 0.03),
        (SlipKind::WrongCount, "wrong-count", 0.03),
        (SlipKind::SumForMean, "sum-for-mean", 0.03),
        (SlipKind::SingleReplicate, "single-replicate", 0.03),
        (SlipKind::GrossForNet, "gross-for-net", 0.03),
        (SlipKind::SlopeInverted, "slope-inverted", 0.03),
        (SlipKind::TwoPointSlope, "two-point-slope", 0.03),
        (SlipKind::Intercept, "intercept", 0.03),
        (SlipKind::ConstantWrong, "constant-wrong", 0.05),
        (SlipKind::CountWrong, "count-wrong", 0.03),
        // Seen in formulas alone, and never guessed at from a value.
        (SlipKind::Brackets, "brackets", 0.0),
        (SlipKind::WrongCell, "wrong-cell", 0.0),
        (SlipKind::WrongFunction, "wrong-function", 0.0),
        (SlipKind::Compound, "compound", 0.02),
    ];

    /// Weight shared by all declared slips of a result.
    const DECLARED_WEIGHT: f64 = 0.15;

    /// The kind of a slip that a protocol declares under `id`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SlipKind;
    /// assert_eq!(SlipKind::declared("girth-for-diameter").word(), "declared:girth-for-diameter");
    /// ```
    pub fn declared(id: &str) -> SlipKind {
        SlipKind::Declared(format!("declared:{id}").into())
    }

    /// Its word.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SlipKind;
    /// assert_eq!(SlipKind::RadiusDiameter.word(), "radius-diameter");
    /// ```
    pub fn word(&self) -> &str {
        if let SlipKind::Declared(word) = self {
            return word;
        }
        Self::TABLE.iter().find(|(k, ..)| k == self).map_or("", |(_, w, _)| w)
    }

    /// The kind of a word; declared ones belong to their protocol.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SlipKind;
    /// assert_eq!(SlipKind::named("radius-diameter"), Some(SlipKind::RadiusDiameter));
    /// assert_eq!(SlipKind::named("no such slip"), None);
    /// // Every kind is found again by its word.
    /// assert!(SlipKind::all().all(|kind| SlipKind::named(kind.word()) == Some(kind)));
    /// ```
    pub fn named(word: &str) -> Option<SlipKind> {
        Self::TABLE.iter().find(|(_, w, _)| *w == word).map(|(k, ..)| k.clone())
    }

    /// Starting weight, before normalising over the kinds generated for a result. `declared` is the
    /// number of declared kinds among them, which share one weight.
    ///
    /// `declared` is how many slips the result declares; they share one weight.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SlipKind;
    /// // A unit taken for another is the commonest of all mistakes.
    /// assert!(SlipKind::UnitFactor.weight(0) > SlipKind::Power.weight(0));
    /// // Declared ones share what they have together.
    /// let one = SlipKind::declared("girth-for-diameter");
    /// assert_eq!(one.weight(1), 2.0 * one.weight(2));
    /// ```
    pub fn weight(&self, declared: usize) -> f64 {
        if let SlipKind::Declared(_) = self {
            return Self::DECLARED_WEIGHT / declared.max(1) as f64;
        }
        Self::TABLE.iter().find(|(k, ..)| k == self).map_or(0.0, |(_, _, w)| *w)
    }

    /// All kinds but declared ones.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SlipKind;
    /// assert!(SlipKind::all().any(|k| k == SlipKind::Sign));
    /// assert!(SlipKind::all().all(|k| !k.word().starts_with("declared:")));
    /// ```
    pub fn all() -> impl Iterator<Item = SlipKind> {
        Self::TABLE.iter().map(|(k, ..)| k.clone())
    }
}

impl std::fmt::Display for SlipKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.word())
    }
}

/// A mistaken form of a formula, made once when the protocol is loaded.
#[derive(Clone, Debug)]
pub struct Variant {
    /// Kind of slip.
    pub kind: SlipKind,
    /// Item it happened at, if at one.
    pub subject: Option<ItemId>,
    /// What happened, as a clause: "the diameter was used as the radius".
    pub says: String,
    /// The mistaken formula.
    pub node: Node,
    /// What its value in coherent SI units is multiplied by to be a number in the result's unit: a
    /// mistake that changes the dimension is made with the numbers on the sheet, in the units
    /// written there.
    pub scale: f64,
}
