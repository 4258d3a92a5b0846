//! Criteria of the rubric and their rules.

use rust_decimal::Decimal;

use super::{ReadingId, ReferenceId, ResultId};

/// A criterion of the rubric.
#[derive(Clone, Debug)]
pub struct Criterion {
    /// Name by which scores and decisions mean this line.
    pub id: String,
    /// Title of the line, as teams see it.
    pub title: String,
    /// Points that the line is worth.
    pub points: Decimal,
    /// Points are given in steps of this, half a step upwards.
    pub step: Decimal,
    /// Counted only where a section switches it on.
    pub off: bool,
    /// How it is judged.
    pub rule: Rule,
}

impl Criterion {
    /// Points in steps of the criterion: half a step goes up, and all of the points or none stay
    /// what they are.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use rust_decimal::Decimal;
    /// let criterion = jurado_core::protocol::Criterion { step: Decimal::new(5, 1), ..lab().criteria[0].clone() };
    /// // Steps of a half: 1.3 is nearer to 1.5 than to 1.
    /// assert_eq!(criterion.in_steps(Decimal::new(13, 1)), Decimal::new(15, 1));
    /// ```
    pub fn in_steps(&self, points: Decimal) -> Decimal {
        if points >= self.points || points <= Decimal::ZERO {
            return points.clamp(Decimal::ZERO, self.points);
        }
        let steps =
            (points / self.step).round_dp_with_strategy(0, rust_decimal::RoundingStrategy::MidpointAwayFromZero);
        (steps * self.step).min(self.points).normalize()
    }

    /// Whether it counts for a section.
    ///
    /// # Example
    /// ```
    /// use jurado_core::{example::lab, section::Section};
    /// let criterion = jurado_core::protocol::Criterion { off: true, ..lab().criteria[0].clone() };
    /// let on = Section { criteria: vec![criterion.id.clone()], ..Section::default() };
    /// assert!(!criterion.counts(&Section::default()) && criterion.counts(&on));
    /// ```
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
        /// Share of its points that a result loses which only follows from a wrong one; nought in
        /// most courses.
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
        result: ResultId,
        /// Index in `references`.
        reference: ReferenceId,
        /// Narrowest first.
        bands: Vec<Band>,
        /// Whether the bands count standard uncertainties instead of percent.
        in_uncertainties: bool,
    },
    /// The spread of replicates, as a standard deviation in the reading's unit.
    Precision {
        /// Reading's index in `readings`.
        reading: ReadingId,
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
    /// Points for a value within the band.
    pub points: Decimal,
}
