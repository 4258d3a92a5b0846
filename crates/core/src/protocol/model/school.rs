//! What a course teaches where courses differ.

use super::Rejection;
use crate::protocol::SlipKind;
use crate::stats::Confidence;

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
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::{School, SlipKind};
    /// let own = School { weights: vec![(SlipKind::Sign, 0.2)], ..School::default() };
    /// assert_eq!(own.weight(&SlipKind::Sign, 0), 0.2);
    /// assert_eq!(own.weight(&SlipKind::Power, 0), SlipKind::Power.weight(0));
    /// ```
    pub fn weight(&self, kind: &SlipKind, declared: usize) -> f64 {
        self.weights.iter().find(|(k, _)| k == kind).map_or_else(|| kind.weight(declared), |(_, w)| *w)
    }
}

impl Default for School {
    /// What a course does that says nothing: 95 % confidence, standard uncertainties in quadrature,
    /// one figure of tolerance.
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
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::UncertaintySchool;
    /// assert_eq!(UncertaintySchool::WorstCase.word(), "worst-case");
    /// ```
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(s, _)| *s == self).map_or("", |(_, w)| w)
    }
}
