//! How often people do what: acts, the kinds of an act, and the ways of a slip of the pen.
//!
//! The weights are shares of all mistakes that were made in simulated classes and found in
//! practitioners' tables. Only their ratios matter. A course that knows its students better may
//! state others ([`School::weights`]), and one for “none of these”.

use std::collections::BTreeMap;

use crate::protocol::{School, SlipKind};

/// A slip of the pen in a number.
///
/// The shares of the first three add up to one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Edit {
    /// Two neighbouring digits changed places.
    Swapped,
    /// One digit is another.
    Digit,
    /// The point stands elsewhere.
    Point,
    /// Any other value of the scale.
    Any,
}

impl Edit {
    /// Its share among the slips of the pen. Any other value is considered only where two results
    /// ask for it.
    fn share(self) -> f64 {
        match self {
            Edit::Swapped => 0.35,
            Edit::Digit => 0.40,
            Edit::Point => 0.25,
            Edit::Any => 0.20,
        }
    }
}

/// What a person did.
///
/// A kind of slip belongs to exactly one act.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Act {
    /// Worked it out by a wrong formula, or from wrong rows.
    Formula,
    /// Wrote the answer down wrongly.
    Answer,
    /// Keyed another number than the sheet has.
    Keyed,
    /// Wrote another number on the sheet than was used.
    Copied,
    /// Took another number for a constant.
    Constant,
    /// Counted wrongly.
    Count,
}

impl Act {
    /// The act of a person that a kind of slip belongs to: whoever takes a wrong formula does one
    /// thing, whichever formula it is.
    fn of(kind: &SlipKind) -> Act {
        match kind {
            SlipKind::DigitsSwapped | SlipKind::DigitWrong | SlipKind::DecimalPoint => Act::Answer,
            SlipKind::ReadingMiskeyed => Act::Keyed,
            SlipKind::ReadingMistyped => Act::Copied,
            SlipKind::OtherStation | SlipKind::ConstantWrong => Act::Constant,
            SlipKind::CountWrong => Act::Count,
            _ => Act::Formula,
        }
    }

    /// Its weight among the acts; measured on simulated classes and on tables of practitioners.
    ///
    /// Only their ratios count: the acts of which anything was generated share what the school's
    /// weight of the unexplained leaves.
    fn weight(self) -> f64 {
        match self {
            Act::Formula => 0.30,
            Act::Answer | Act::Keyed => 0.14,
            Act::Copied => 0.12,
            Act::Constant => 0.05,
            Act::Count => 0.03,
        }
    }
}

/// Prior probabilities of the hypotheses about one value.
///
/// A probability for each hypothesis, so that the sum over all that were generated, and of nothing,
/// is one.
pub(super) struct Priors {
    /// Of one hypothesis of a kind.
    by_kind: BTreeMap<SlipKind, f64>,
    /// Of one of a kind that was made by one way of a slip of the pen.
    by_edit: BTreeMap<(SlipKind, Edit), f64>,
}

impl Priors {
    /// Priors of every kind generated, with the number of hypotheses of each. Those of numbers
    /// written or keyed wrongly are shared out by the way of the slip first.
    ///
    /// `counts` has every kind that was generated, fitting or not: a kind with forty forms gives
    /// each a fortieth.
    pub(super) fn of(school: &School, counts: &BTreeMap<(SlipKind, Option<Edit>), usize>) -> Priors {
        let declared = counts.keys().filter(|(k, _)| matches!(k, SlipKind::Declared(_))).count();
        let mut kinds: Vec<&SlipKind> = counts.keys().map(|(k, _)| k).collect();
        kinds.dedup();
        // A school that weighs a kind otherwise moves its act by as much.
        let usual = |k: &SlipKind| k.weight(declared).max(f64::MIN_POSITIVE);
        let mut weight_of: BTreeMap<Act, f64> = BTreeMap::new();
        let mut share_of: BTreeMap<Act, f64> = BTreeMap::new();
        for kind in &kinds {
            *weight_of.entry(Act::of(kind)).or_default() += school.weight(kind, declared);
            *share_of.entry(Act::of(kind)).or_default() += usual(kind);
        }
        let act = |a: &Act| a.weight() * weight_of[a] / share_of[a];
        let all: f64 = weight_of.keys().map(act).sum();
        let explained = (1.0 - school.unexplained) / all.max(f64::MIN_POSITIVE);
        let whole = |kind: &SlipKind| {
            let a = Act::of(kind);
            explained * act(&a) * school.weight(kind, declared) / weight_of[&a].max(f64::MIN_POSITIVE)
        };
        Priors::shared(&kinds, counts, &whole)
    }

    /// What each kind has as a whole, shared by all that was generated of it; of a slip of the pen,
    /// by its ways first.
    ///
    /// Ways of one slip of the pen share by their own weights, and then by their number.
    fn shared(
        kinds: &[&SlipKind],
        counts: &BTreeMap<(SlipKind, Option<Edit>), usize>,
        whole: &dyn Fn(&SlipKind) -> f64,
    ) -> Priors {
        let (mut by_kind, mut by_edit) = (BTreeMap::new(), BTreeMap::new());
        for kind in kinds {
            let whole = whole(kind);
            let mine = || counts.iter().filter(|((k, _), _)| k == *kind);
            let number: usize = mine().map(|(_, n)| n).sum();
            by_kind.insert((*kind).clone(), whole / number.max(1) as f64);
            for ((_, edit), n) in mine() {
                let Some(edit) = edit else { continue };
                by_edit.insert(((*kind).clone(), *edit), whole * edit.share() / (*n).max(1) as f64);
            }
        }
        Priors { by_kind, by_edit }
    }

    /// The prior of one hypothesis of a kind.
    ///
    /// Nought where no hypothesis of the kind was generated.
    pub(super) fn of_kind(&self, kind: &SlipKind) -> f64 {
        self.by_kind.get(kind).copied().unwrap_or(0.0)
    }

    /// The prior of one hypothesis of a kind, made by one way of a slip of the pen.
    ///
    /// Without a way it is the share of its kind.
    pub(super) fn of_made(&self, kind: &SlipKind, edit: Option<Edit>) -> f64 {
        edit.and_then(|e| self.by_edit.get(&(kind.clone(), e)).copied()).unwrap_or_else(|| self.of_kind(kind))
    }
}
