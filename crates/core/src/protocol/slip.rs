//! The kinds of slip: stable words, starting weights, and a mistaken form of a formula.

use crate::formula::Node;

/// A kind of slip. The words are stable: they stand in verdicts, rulings and exports.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[allow(missing_docs)]
#[non_exhaustive]
pub enum SlipKind {
    UnitFactor,
    RadiusDiameter,
    TermOmitted,
    Literal,
    DecimalPoint,
    Power,
    Root,
    Inverted,
    Sign,
    OtherStation,
    DigitsSwapped,
    DigitWrong,
    Exclusion,
    Swapped,
    WrongCount,
    SumForMean,
    SingleReplicate,
    Setting,
    LogBase,
    AngleUnit,
    Reciprocal,
    GrossForNet,
    SlopeInverted,
    TwoPointSlope,
    Intercept,
    ReadingMistyped,
    /// A slip the protocol declares, with `declared:` and its id.
    Declared(&'static str),
    /// Two slips at once.
    Compound,
}

impl SlipKind {
    /// Kind, word, starting weight.
    const TABLE: [(SlipKind, &'static str, f64); 27] = [
        (SlipKind::UnitFactor, "unit-factor", 0.18),
        (SlipKind::RadiusDiameter, "radius-diameter", 0.10),
        (SlipKind::TermOmitted, "term-omitted", 0.10),
        (SlipKind::Literal, "literal", 0.08),
        (SlipKind::ReadingMistyped, "reading-mistyped", 0.08),
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
        (SlipKind::Compound, "compound", 0.02),
    ];

    /// Weight shared by all declared slips of a result.
    const DECLARED_WEIGHT: f64 = 0.15;

    /// The kind of a slip the protocol declares. Its word lives as long as the program: there are few, and the same id
    /// is kept once.
    pub fn declared(id: &str) -> SlipKind {
        use std::collections::HashSet;
        use std::sync::Mutex;
        static WORDS: Mutex<Option<HashSet<&'static str>>> = Mutex::new(None);
        let word = format!("declared:{id}");
        let mut words = WORDS.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let known = words.get_or_insert_with(HashSet::new);
        let kept = known.get(word.as_str()).copied().unwrap_or_else(|| {
            let kept: &'static str = Box::leak(word.into_boxed_str());
            known.insert(kept);
            kept
        });
        SlipKind::Declared(kept)
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        if let SlipKind::Declared(word) = self {
            return word;
        }
        Self::TABLE.iter().find(|(k, ..)| *k == self).map_or("", |(_, w, _)| w)
    }

    /// The kind of a word; declared ones belong to their protocol.
    pub fn named(word: &str) -> Option<SlipKind> {
        Self::TABLE.iter().find(|(_, w, _)| *w == word).map(|(k, ..)| *k)
    }

    /// Starting weight, before normalising over the kinds generated for a result. `declared` is the number of declared
    /// kinds among them, which share one weight.
    pub fn weight(self, declared: usize) -> f64 {
        if let SlipKind::Declared(_) = self {
            return Self::DECLARED_WEIGHT / declared.max(1) as f64;
        }
        Self::TABLE.iter().find(|(k, ..)| *k == self).map_or(0.0, |(_, _, w)| *w)
    }

    /// All kinds but declared ones.
    pub fn all() -> impl Iterator<Item = SlipKind> {
        Self::TABLE.iter().map(|(k, ..)| *k)
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
    pub subject: Option<usize>,
    /// What happened, as a clause: "the diameter was used as the radius".
    pub says: String,
    /// The mistaken formula.
    pub node: Node,
    /// What its value in coherent SI units is multiplied by to be a number in the result's unit: a mistake that
    /// changes the dimension is made with the numbers on the sheet, in the units written there.
    pub scale: f64,
}
