//! The rubric and the school of a protocol: criteria with their rules and bands, points that add
//! up.
//!
//! | rule | takes points for | needs |
//! |---|---|---|
//! | calculation | slips, values that nothing explains, results missing | shares, by kind |
//! | completeness | readings and rows that are missing | each |
//! | accuracy | distance from a reference | result, reference, bands |
//! | precision | scatter of replicates, outliers kept | reading, bands, outlier |
//! | agreement | two ways that do not agree | comparison |
//! | uncertainty | a ± missing, unfair, or with too many figures | missing, unfair, digits |
//! | digits, units | figures, units | each |
//! | checks | relations that do not hold | the checks' own points |
//! | manual | what only a person can judge | levels |
//!
//! Points are exact decimals. Those of the criteria have to add up to what the lab says is
//! possible, and those of the results to the criterion on calculations.
//!
//! A rubric as the file has it:
//!
//! ```toml
//! [[criterion]]
//! id = "accuracy"
//! title = "Accuracy"
//! points = "3"
//! step = "0.5"
//! rule = "accuracy"
//! result = "density"
//! reference = "rod_density"
//! bands = [{ within = 1.0, points = "3" }, { within = 3.0, points = "1.5" }]
//! ```

use crate::protocol::{ReadingId, ReferenceId, ResultId};
use rust_decimal::Decimal;

use super::loading::Loader;
use super::nameable::Nameable;
use super::source::{self, Text};
use super::{Band, Criterion, ResultSpec, Rule, School, SlipKind, UncertaintySchool};
use crate::stats::Confidence;

impl Loader<'_> {
    /// One criterion with its rule. Faults are told at the rule.
    ///
    /// Without a step of its own a criterion counts in quarters.
    pub(super) fn criterion(&mut self, c: &source::Criterion, known: &Nameable<'_>) -> Criterion {
        let rule = self.rule(c, known);
        if c.off && !matches!(rule, Rule::Manual { .. }) {
            self.fault(
                c.rule.span().start,
                format!("the criterion `{}` is off, and nobody judges it by hand", c.id.get_ref()),
                "only a manual criterion can be left to be switched on; take `off` out",
            );
        }
        let points = c.points.get_ref().0;
        let step = c.step.as_ref().map_or(Decimal::new(25, 2), |s| s.get_ref().0);
        if let Some(at) = c.step.as_ref().filter(|_| step <= Decimal::ZERO || step > points.max(Decimal::ONE)) {
            self.fault(
                at.span().start,
                format!("points cannot be given in steps of {step}"),
                "write a step such as \"0.25\", above nought and no more than the points",
            );
        }
        let step = if step <= Decimal::ZERO { Decimal::ONE } else { step };
        Criterion { id: c.id.get_ref().clone(), title: c.title.clone(), points, step, off: c.off, rule }
    }

    /// The units' rule, taking nothing, stands in for one that is none.
    fn rule(&mut self, c: &source::Criterion, known: &Nameable<'_>) -> Rule {
        let (at, name) = (c.rule.span().start, c.id.get_ref().as_str());
        match c.rule.get_ref().as_str() {
            "calculation" => self.calculation(c),
            "completeness" => Rule::Completeness { each: self.needed(c, c.each, "each") },
            "digits" => Rule::Digits { each: self.needed(c, c.each, "each") },
            "units" => Rule::Units { each: self.needed(c, c.each, "each") },
            "uncertainty" => Rule::Uncertainty {
                missing: self.needed(c, c.missing, "missing"),
                unfair: self.needed(c, c.unfair, "unfair"),
                digits: self.needed(c, c.digits, "digits"),
            },
            "accuracy" => self.accuracy(c, known),
            "precision" => Rule::Precision {
                reading: ReadingId::at(self.named(c.reading.as_ref(), &known.reading_ids, "reading", at, name)),
                bands: self.bands(c, at),
                outlier: self.needed(c, c.outlier, "outlier"),
            },
            "agreement" => Rule::Agreement {
                comparison: self.named(c.comparison.as_ref(), known.comparisons, "comparison", at, name),
            },
            "checks" => Rule::Checks,
            "manual" => self.manual(c),
            other => {
                self.fault(
                    at,
                    format!("`{other}` is no rule of a criterion"),
                    "it may be calculation, completeness, accuracy, precision, uncertainty, digits, units, agreement, checks or manual",
                );
                Rule::Units { each: Decimal::ZERO }
            }
        }
    }

    /// Points that a rule cannot do without.
    ///
    /// Nought, with a fault, where it is not there.
    fn needed(&mut self, c: &source::Criterion, value: Option<source::Exact>, field: &str) -> Decimal {
        value.map(|e| e.0).unwrap_or_else(|| {
            self.fault(
                c.rule.span().start,
                format!("the criterion `{}` needs `{field}`", c.id.get_ref()),
                format!("add {field} = \"0.5\", in points"),
            );
            Decimal::ZERO
        })
    }

    /// A share that is none.
    ///
    /// Shares are between 0 and 1.
    pub(super) fn outside(&mut self, at: usize, share: Decimal) {
        self.fault(
            at,
            format!("a share of {share} is no part of a result's points"),
            "write it between 0 and 1, such as \"0.25\"",
        );
    }

    /// The rule on calculations. A slip costs half of a result's points where nothing else is said.
    fn calculation(&mut self, c: &source::Criterion) -> Rule {
        for kind in c.shares.keys() {
            if SlipKind::named(kind).is_none() && !kind.starts_with("declared:") {
                self.fault(
                    c.rule.span().start,
                    format!("`{kind}` is no kind of slip"),
                    "see the kinds in docs/protocols.md",
                );
            }
        }
        let shares = c.shares.values().chain(&c.share).chain(&c.carried);
        if let Some(share) = shares.map(|s| s.0).find(|s| !(Decimal::ZERO..=Decimal::ONE).contains(s)) {
            self.outside(c.rule.span().start, share);
        }
        Rule::Calculation {
            share: c.share.map_or(Decimal::new(5, 1), |s| s.0),
            shares: c.shares.iter().map(|(k, v)| (k.clone(), v.0)).collect(),
            carried: c.carried.map_or(Decimal::ZERO, |s| s.0),
        }
    }

    /// The rule on accuracy: a result and the reference of its dimension.
    fn accuracy(&mut self, c: &source::Criterion, known: &Nameable<'_>) -> Rule {
        let (at, name) = (c.rule.span().start, c.id.get_ref().as_str());
        let result = self.named(c.result.as_ref(), &known.result_ids, "result", at, name);
        let reference = self.named(c.reference.as_ref(), &known.reference_ids, "reference", at, name);
        if let (Some(r), Some(f)) = (known.results.get(result), known.references.get(reference))
            && self.items[r.item].unit.dimension != self.items[f.item].unit.dimension
        {
            self.fault(
                at,
                format!("`{name}` compares a result and a reference of different dimensions"),
                "name the reference of that result",
            );
        }
        let (result, reference) = (ResultId::at(result), ReferenceId::at(reference));
        Rule::Accuracy { result, reference, bands: self.bands(c, at), in_uncertainties: c.in_uncertainties }
    }

    /// The rule for what a person judges: levels, each with its words and points.
    fn manual(&mut self, c: &source::Criterion) -> Rule {
        let levels: Vec<(String, Decimal)> = c.levels.iter().map(|l| (l.says.clone(), l.points.0)).collect();
        if levels.is_empty() || levels.iter().any(|(_, p)| *p > c.points.get_ref().0 || *p < Decimal::ZERO) {
            self.fault(
                c.rule.span().start,
                format!("the criterion `{}` needs levels, each of at most its points", c.id.get_ref()),
                "add levels = [{ says = \"every step shown\", points = \"2\" }]",
            );
        }
        Rule::Manual { levels }
    }

    /// What a criterion is about, by its id; the first of the list, with a fault, where it is not
    /// said.
    fn named(&mut self, name: Option<&Text>, among: &[String], noun: &str, at: usize, criterion: &str) -> usize {
        match name {
            Some(name) => self.find(name, among, noun),
            None => {
                self.fault(at, format!("the criterion `{criterion}` needs `{noun}`"), format!("add {noun} = \"…\""));
                0
            }
        }
    }

    /// Bands from narrow to wide, none with more points than the criterion.
    fn bands(&mut self, c: &source::Criterion, at: usize) -> Vec<Band> {
        if c.bands.is_empty() {
            let what = format!("the criterion `{}` needs bands", c.id.get_ref());
            self.fault(at, what, "add bands = [{ within = 1.0, points = \"2\" }]");
        }
        let mut last = f64::NEG_INFINITY;
        for band in &c.bands {
            let within = *band.within.get_ref();
            let (at, most) = (band.within.span().start, c.points.get_ref().0);
            if !(within.is_finite() && within > last) {
                let what = format!("the band within {within} does not lie beyond the one before");
                self.fault(at, what, "order the bands from narrow to wide");
            }
            if band.points.0 > most {
                let what = format!("the band within {within} gives more than the criterion's {most} points");
                self.fault(at, what, "lower it or raise the criterion");
            }
            last = within;
        }
        c.bands.iter().map(|b| Band { within: *b.within.get_ref(), points: b.points.0 }).collect()
    }

    /// That the points add up, of the criteria and of the results.
    pub(super) fn points(&mut self, file: &source::File, results: &[ResultSpec]) {
        let sum: Decimal = file.criterion.iter().filter(|c| !c.off).map(|c| c.points.get_ref().0).sum();
        let possible = file.possible.get_ref().0;
        if sum != possible {
            self.fault(
                file.possible.span().start,
                format!("the criteria add up to {sum} points, not {possible}"),
                "change `possible` or a criterion",
            );
        }
        for c in file.criterion.iter().filter(|c| c.rule.get_ref() == "calculation") {
            let sum: Decimal = results.iter().map(|r| r.points).sum();
            let points = c.points.get_ref().0;
            if sum != points {
                self.fault(
                    c.points.span().start,
                    format!("the results add up to {sum} points, the criterion `{}` has {points}", c.id.get_ref()),
                    "change the points of a result or of the criterion",
                );
            }
        }
    }

    /// The school of a protocol; what it leaves open stands as [`School::default`] has it.
    ///
    /// Each part of a school can be left out by itself.
    pub(super) fn school(&mut self, school: Option<&source::School>) -> School {
        let mut out = School::default();
        let Some(s) = school else { return out };
        out.figure_tolerance = s.figure_tolerance.unwrap_or(1).clamp(0, 5);
        out.rejection = self.rejection(s.rejection.as_ref());
        out.monte_carlo = s.monte_carlo.unwrap_or(false);
        out.signed_percent = s.signed_percent.unwrap_or(false);
        self.school_of_uncertainty(s, &mut out);
        self.school_of_digits(s, &mut out);
        self.school_of_slips(s, &mut out);
        out
    }

    /// Confidence, coverage factor, which uncertainty, and how fair a ± has to be.
    fn school_of_uncertainty(&mut self, s: &source::School, out: &mut School) {
        if let Some(c) = &s.confidence {
            out.confidence = match c.get_ref() {
                90 => Confidence::Ninety,
                95 => Confidence::NinetyFive,
                99 => Confidence::NinetyNine,
                other => {
                    self.fault(
                        c.span().start,
                        format!("a confidence of {other} in 100 has no critical values"),
                        "write 90, 95 or 99",
                    );
                    Confidence::NinetyFive
                }
            };
        }
        if let Some(k) = &s.coverage_factor {
            out.coverage_factor = self.positive(k, "the coverage factor");
        }
        if let Some(u) = &s.uncertainty {
            let words = UncertaintySchool::ALL.map(|(school, word)| (word, school));
            out.uncertainty = self.choice(u, &words, "school of uncertainty");
        }
        if let Some(b) = &s.plus_minus_band {
            out.plus_minus_band = self.range(b, "the band of a fair ±");
        }
    }

    /// By what accuracy and figures are judged, and what a logarithm table leaves open.
    fn school_of_digits(&mut self, s: &source::School, out: &mut School) {
        if let Some(a) = &s.accuracy_of {
            out.accuracy_of_reported = self.choice(a, &[("readings", false), ("reported", true)], "source of accuracy");
        }
        if let Some(d) = &s.digits_from {
            out.digits_from_uncertainty =
                self.choice(d, &[("figures", false), ("uncertainty", true)], "source of deserved digits");
        }
        out.logarithm_table = s.logarithm_table.as_ref().map(|t| {
            let [units, figures] = *t.get_ref();
            if !(1..=50).contains(&units) || !(3..=7).contains(&figures) {
                self.fault(
                    t.span().start,
                    format!("{units} units in the last of {figures} figures is no logarithm table's arithmetic"),
                    "write [5, 4] for five units in the last of four figures",
                );
            }
            (units, figures)
        });
    }

    /// How likely mistakes are in this course, where it knows better than the simulated ones.
    fn school_of_slips(&mut self, s: &source::School, out: &mut School) {
        if let Some(p) = &s.unexplained {
            out.unexplained = *p.get_ref();
            if !(0.01..=0.99).contains(&out.unexplained) {
                self.fault(
                    p.span().start,
                    format!("a weight of {} for what nothing explains leaves no room", out.unexplained),
                    "write a number from 0.01 to 0.99; 0.35 to begin with",
                );
            }
        }
        for (kind, weight) in &s.weights {
            let value = self.positive(weight, "the weight of a kind of slip");
            match SlipKind::named(kind.get_ref()) {
                Some(k) => out.weights.push((k, value)),
                None => self.fault(
                    kind.span().start,
                    format!("`{}` is no kind of slip", kind.get_ref()),
                    "see the kinds in docs/protocols.md",
                ),
            }
        }
    }
}
