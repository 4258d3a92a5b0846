//! Propagation of uncertainty over independent sources.
//!
//! A value carries its derivative by every source, never a standard deviation, so that what is used
//! twice stays correlated with itself: `x − x` is exactly 0 ± 0, and a zero reading taken off three
//! lengths counts as one thing. Source of the rules: GUM (JCGM 100:2008), 5.1 and G.4.
//!
//! # An example
//!
//! A length of 84.30 mm is read with a caliper of steps of 0.01 mm and a limit of ± 0.03 mm, its
//! zero at 0.02 mm with the same caliper. The length follows two sources: its own display
//! (0.01/√12) and the caliper's limit (0.03/√3). The zero follows a display of its own. The net
//! length follows both displays and the limit once: what the caliper is off by in the one it is off
//! by in the other, had the zero not been taken to be free of it.

use crate::formula::{ItemId, Num};

/// What a source belongs to; its name is made where it is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Of {
    /// A reading, constant or result, by its item.
    Item(ItemId),
    /// An instrument.
    Instrument(usize),
}

/// Why a source is there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SourceKind {
    /// The display or graduation hides a value within ± half a step.
    Resolution,
    /// Replicates scatter.
    Replicates,
    /// The instrument's limit, shared by all its readings.
    Limit,
    /// The uncertainty of a constant.
    Constant,
    /// Events that happen by chance were counted: N have the variance N.
    Events,
    /// A bracket judged by eye.
    Bracket,
    /// The lab's own formula for the uncertainty of a result.
    Own,
    /// What arose on the way: scatter about a line, the step beside an end point.
    Arising,
}

/// One independent source of uncertainty.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Source {
    /// What it belongs to.
    pub of: Of,
    /// Why it is there.
    pub kind: SourceKind,
    /// Standard uncertainty, coherent SI units.
    pub standard: f64,
    /// The limit that a worst case takes, coherent SI units: half a graduation, the instrument's
    /// limit, twice a standard uncertainty that has no limit.
    pub limit: f64,
    /// Degrees of freedom; infinite for limits and resolutions.
    pub freedom: f64,
    /// Sources of one group are estimated together (the replicates of one reading): one line of the
    /// budget, and their degrees of freedom count once.
    pub group: usize,
}

/// A value with its derivatives by the sources; an empty list is a constant. Only sources it
/// depends on are kept, in rising order: a table of a thousand rows costs what its own cells cost.
#[derive(Clone, Debug, PartialEq)]
pub struct Dual {
    /// Coherent SI units.
    value: f64,
    /// Number of each source with the derivative by it, in rising order of the numbers.
    gradient: Vec<(u32, f64)>,
}

impl Dual {
    /// A value that follows one source one to one.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Num;
    /// use jurado_core::uncertainty::Dual;
    /// let zero = Dual::source(0.02, 0);
    /// let length = Dual::source(84.30, 1);
    /// // The zero counts once, however often it is taken off.
    /// assert_eq!(length.sub(&zero).derivative(0), -1.0);
    /// ```
    pub fn source(value: f64, source: usize) -> Dual {
        Dual { value, gradient: vec![(source as u32, 1.0)] }
    }

    /// The same value that also follows another source.
    ///
    /// # Example
    /// ```
    /// use jurado_core::uncertainty::Dual;
    /// // A reading with its resolution (source 0) and the limit of its caliper (source 1).
    /// let reading = Dual::source(84.30, 0).and_source(1, 1.0);
    /// assert_eq!(reading.derivatives().count(), 2);
    /// ```
    pub fn and_source(mut self, source: usize, derivative: f64) -> Dual {
        let source = source as u32;
        match self.gradient.binary_search_by_key(&source, |(s, _)| *s) {
            Ok(at) => self.gradient[at].1 += derivative,
            Err(at) => self.gradient.insert(at, (source, derivative)),
        }
        self
    }

    /// Derivative by a source (the sensitivity coefficient).
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Num;
    /// use jurado_core::uncertainty::Dual;
    /// let (a, b) = (Dual::source(3.0, 0), Dual::source(4.0, 1));
    /// assert_eq!(a.mul(&b).derivative(0), 4.0);
    /// assert_eq!(a.derivative(1), 0.0);
    /// ```
    pub fn derivative(&self, source: usize) -> f64 {
        self.gradient.binary_search_by_key(&(source as u32), |(s, _)| *s).map_or(0.0, |at| self.gradient[at].1)
    }

    /// The sources it follows, with the derivative by each, in rising order.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::Num;
    /// use jurado_core::uncertainty::Dual;
    /// let (a, b) = (Dual::source(3.0, 0), Dual::source(4.0, 1));
    /// let by: Vec<(usize, f64)> = a.mul(&b).derivatives().collect();
    /// assert_eq!(by, [(0, 4.0), (1, 3.0)]);
    /// ```
    pub fn derivatives(&self) -> impl Iterator<Item = (usize, f64)> + '_ {
        self.gradient.iter().map(|(s, d)| (*s as usize, *d))
    }

    /// a·x + b·y to first order: derivatives of one source are added, so that what both follow
    /// stays correlated.
    fn linear(&self, a: f64, other: &Dual, b: f64, value: f64) -> Dual {
        let (mut i, mut j) = (0, 0);
        let mut gradient = Vec::with_capacity(self.gradient.len() + other.gradient.len());
        while i < self.gradient.len() || j < other.gradient.len() {
            let (x, y) = (self.gradient.get(i), other.gradient.get(j));
            match (x, y) {
                (Some((s, d)), Some((t, e))) if s == t => {
                    gradient.push((*s, a * d + b * e));
                    (i, j) = (i + 1, j + 1);
                }
                (Some((s, d)), other) if other.is_none_or(|(t, _)| s < t) => {
                    gradient.push((*s, a * d));
                    i += 1;
                }
                (_, Some((t, e))) => {
                    gradient.push((*t, b * e));
                    j += 1;
                }
                _ => break,
            }
        }
        Dual { value, gradient }
    }
}

impl Num for Dual {
    /// A number without a source.
    fn exact(value: f64) -> Self {
        Dual { value, gradient: Vec::new() }
    }
    /// The plain number, coherent SI units.
    fn value(&self) -> f64 {
        self.value
    }
    /// ∂(x + y) = ∂x + ∂y.
    fn add(&self, other: &Self) -> Self {
        self.linear(1.0, other, 1.0, self.value + other.value)
    }
    /// ∂(x − y) = ∂x − ∂y.
    fn sub(&self, other: &Self) -> Self {
        self.linear(1.0, other, -1.0, self.value - other.value)
    }
    /// ∂(x·y) = y·∂x + x·∂y.
    fn mul(&self, other: &Self) -> Self {
        self.linear(other.value, other, self.value, self.value * other.value)
    }
    /// ∂(x/y) = ∂x/y − (x/y²)·∂y.
    fn div(&self, other: &Self) -> Self {
        let quotient = self.value / other.value;
        self.linear(1.0 / other.value, other, -quotient / other.value, quotient)
    }
    /// ∂f(x) = f′·∂x, with f′ as it is given.
    fn map(&self, result: f64, derivative: f64) -> Self {
        Dual { value: result, gradient: self.gradient.iter().map(|(s, g)| (*s, g * derivative)).collect() }
    }
    /// ∂f = Σ fᵢ·∂xᵢ over many values at once, summed source by source.
    fn combine(result: f64, parts: &[(&Self, f64)]) -> Self {
        let mut all: Vec<(u32, f64)> =
            parts.iter().flat_map(|(x, c)| x.gradient.iter().map(move |(s, d)| (*s, c * d))).collect();
        // Stable, so that equal sources are summed in the order of the parts.
        all.sort_by_key(|(s, _)| *s);
        let mut gradient: Vec<(u32, f64)> = Vec::with_capacity(all.len());
        for (s, d) in all {
            match gradient.last_mut() {
                Some((last, sum)) if *last == s => *sum += d,
                _ => gradient.push((s, d)),
            }
        }
        Dual { value: result, gradient }
    }
    /// One to one.
    fn follow(self, source: usize) -> Self {
        self.and_source(source, 1.0)
    }
    /// Limits of instruments are left out: they are shared, and no scatter shows them.
    fn spread(&self, sources: &[Source]) -> f64 {
        let own = self
            .derivatives()
            .filter_map(|(i, d)| sources.get(i).filter(|s| s.kind != SourceKind::Limit).map(|s| d * s.standard));
        own.fold(0.0, |sum: f64, part| sum.hypot(part))
    }
}

/// The part of one group of sources in a result.
#[derive(Clone, Debug, PartialEq)]
pub struct Share {
    /// Number of the group's first source.
    pub source: usize,
    /// Root of the summed squares of sensitivity coefficient × standard uncertainty, in the
    /// result's unit.
    pub contribution: f64,
    /// Share of the variance, 0 to 1.
    pub share: f64,
}

/// What the sources do to one result.
#[derive(Clone, Debug, PartialEq)]
pub struct Budget {
    /// Combined standard uncertainty.
    pub standard: f64,
    /// Effective degrees of freedom; infinite where nothing scatters.
    pub freedom: f64,
    /// Sources that matter, largest first; shares sum to one.
    pub shares: Vec<Share>,
}

impl Budget {
    /// Combines over independent sources.
    ///
    /// # Formula
    /// u² = Σ (cᵢ uᵢ)², ν_eff = u⁴ / Σ ((cᵢ uᵢ)⁴ / νᵢ), where cᵢ is the sensitivity coefficient of
    /// source i.
    ///
    /// # Source
    /// GUM 5.1.2 over independent sources; Welch–Satterthwaite, GUM G.4.1.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::{ItemId, Num};
    /// use jurado_core::uncertainty::{Budget, Dual, Of, Source, SourceKind};
    /// let source = |standard, group| Source {
    ///     of: Of::Item(ItemId::at(0)),
    ///     kind: SourceKind::Resolution,
    ///     standard,
    ///     limit: 2.0 * standard,
    ///     freedom: f64::INFINITY,
    ///     group,
    /// };
    /// let (a, b) = (Dual::source(3.0, 0), Dual::source(4.0, 1));
    /// let budget = Budget::of(&a.add(&b), &[source(0.3, 0), source(0.4, 1)]);
    /// assert!((budget.standard - 0.5).abs() < 1e-12);
    /// assert!((budget.shares[0].share - 0.64).abs() < 1e-12);
    /// // What is used twice stays correlated with itself.
    /// assert_eq!(Budget::of(&a.sub(&a), &[source(0.3, 0)]).standard, 0.0);
    /// ```
    pub fn of(result: &Dual, sources: &[Source]) -> Budget {
        let parts: Vec<(usize, f64)> = result.derivatives().map(|(i, d)| (i, d * sources[i].standard)).collect();
        // Scaled by the largest part so that 1e±200 neither overflows nor vanishes.
        let scale = parts.iter().fold(0.0f64, |m, (_, p)| m.max(p.abs()));
        if scale == 0.0 || !scale.is_finite() {
            return Budget { standard: 0.0, freedom: f64::INFINITY, shares: Vec::new() };
        }
        // (first source, summed squares) of each group, in the order of the sources.
        let mut groups: Vec<(usize, f64)> = Vec::new();
        for (i, part) in parts.into_iter().filter(|(_, p)| *p != 0.0) {
            let square = (part / scale).powi(2);
            // A group is numbered after its first source: only a later member has to look for it.
            let known = (sources[i].group != i)
                .then(|| groups.iter_mut().rev().find(|(first, _)| sources[*first].group == sources[i].group))
                .flatten();
            match known {
                Some((_, sum)) => *sum += square,
                None => groups.push((i, square)),
            }
        }
        let variance: f64 = groups.iter().map(|(_, square)| square).sum();
        let lost: f64 = groups.iter().map(|(first, square)| square * square / sources[*first].freedom).sum();
        let mut shares: Vec<Share> = groups
            .into_iter()
            .map(|(source, square)| Share { source, contribution: scale * square.sqrt(), share: square / variance })
            .collect();
        shares.sort_by(|a, b| b.share.total_cmp(&a.share).then(a.source.cmp(&b.source)));
        Budget {
            standard: scale * variance.sqrt(),
            freedom: if lost > 0.0 { variance.powi(2) / lost } else { f64::INFINITY },
            shares,
        }
    }

    /// Expanded uncertainty U = k·u at the coverage of k normal standard deviations, with Student's
    /// t for few degrees of freedom (GUM G.3).
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::{ItemId, Num};
    /// use jurado_core::uncertainty::{Budget, Dual, Of, Source, SourceKind};
    /// let source = |standard, group| Source {
    ///     of: Of::Item(ItemId::at(0)),
    ///     kind: SourceKind::Resolution,
    ///     standard,
    ///     limit: 2.0 * standard,
    ///     freedom: f64::INFINITY,
    ///     group,
    /// };
    /// let budget = Budget::of(&Dual::source(84.30, 0), &[source(0.01, 0)]);
    /// assert_eq!(budget.expanded(2.0), 0.02);
    /// ```
    pub fn expanded(&self, coverage_factor: f64) -> f64 {
        self.standard * coverage(coverage_factor, self.freedom)
    }
}

/// The t that covers what ± k normal standard deviations cover, at so many degrees of freedom.
fn coverage(k: f64, freedom: f64) -> f64 {
    use statrs::distribution::{ContinuousCDF, Normal, StudentsT};
    if !freedom.is_finite() || freedom > 1e6 {
        return k;
    }
    let upper = Normal::standard().cdf(k);
    // Never below k, which is what it comes to with many degrees of freedom.
    StudentsT::new(0.0, 1.0, freedom.max(1.0)).map_or(k, |t| t.inverse_cdf(upper).max(k))
}

/// Standard uncertainty of a limit ± a of which nothing more is known: a/√3 (GUM 4.3.7).
///
/// # Example
/// ```
/// use jurado_core::uncertainty::rectangular;
/// // A caliper with a limit of ± 0.03 mm.
/// assert!((rectangular(0.03) - 0.017_32).abs() < 1e-5);
/// ```
pub fn rectangular(limit: f64) -> f64 {
    limit / 3f64.sqrt()
}

/// Standard uncertainty of a limit ± a inside which values crowd towards the middle: a/√6 (GUM
/// 4.3.9).
///
/// # Example
/// ```
/// use jurado_core::uncertainty::triangular;
/// // A pipette of ± 0.03 mL, whose makers aim at the middle.
/// assert!((triangular(0.03) - 0.012_25).abs() < 1e-5);
/// ```
pub fn triangular(limit: f64) -> f64 {
    limit / 6f64.sqrt()
}

/// Standard uncertainty of a judged bracket, from almost surely too small to almost surely too big:
/// four standard deviations. Its best value need not be its middle.
///
/// # Example
/// ```
/// use jurado_core::uncertainty::bracket;
/// // An image judged sharp from 31 cm to 33 cm.
/// assert_eq!(bracket(31.0, 33.0), 0.5);
/// ```
pub fn bracket(low: f64, high: f64) -> f64 {
    (high - low).abs() / 4.0
}

/// Standard uncertainty of a display with step δ: δ/√12 (GUM F.2.2.1).
///
/// # Example
/// ```
/// use jurado_core::uncertainty::resolution;
/// // A balance that shows steps of 0.01 g.
/// assert!((resolution(0.01) - 0.002_887).abs() < 1e-6);
/// ```
pub fn resolution(step: f64) -> f64 {
    step / 12f64.sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn source(standard: f64, freedom: f64, group: usize) -> Source {
        Source { of: Of::Item(ItemId::at(0)), kind: SourceKind::Resolution, standard, limit: standard, freedom, group }
    }

    #[test]
    fn a_value_less_itself_is_certain() {
        let x = Dual::source(3.0, 0);
        let budget = Budget::of(&x.sub(&x), &[source(0.5, f64::INFINITY, 0)]);
        assert_eq!((budget.standard, budget.shares.len()), (0.0, 0));
    }

    #[test]
    fn shares_sum_to_one_and_few_replicates_widen() {
        let (x, y) = (Dual::source(3.0, 0), Dual::source(4.0, 1));
        let budget = Budget::of(&x.mul(&y), &[source(0.3, 4.0, 0), source(0.4, f64::INFINITY, 1)]);
        // c = (4, 3): parts 1.2 and 1.2.
        assert!((budget.standard - 1.2 * 2f64.sqrt()).abs() < 1e-12);
        assert!((budget.shares.iter().map(|s| s.share).sum::<f64>() - 1.0).abs() < 1e-12);
        assert!((budget.freedom - 16.0).abs() < 1e-9, "4·(2)²: {}", budget.freedom);
        // t at 84.134 % with 16 degrees of freedom, from tables: 1.032.
        assert!((budget.expanded(1.0) / budget.standard - 1.032).abs() < 1e-3);
    }

    #[test]
    fn replicates_of_one_reading_lose_their_freedom_once() {
        // The mean of three replicates with s = 0.3: u = 0.3/√3 with 2 degrees of freedom, not 3·2.
        let xs: Vec<Dual> = (0..3).map(|i| Dual::source(1.0, i)).collect();
        let budget = Budget::of(
            &Dual::mean(&xs.iter().collect::<Vec<_>>()),
            &[source(0.3, 2.0, 0), source(0.3, 2.0, 0), source(0.3, 2.0, 0)],
        );
        assert!((budget.standard - 0.3 / 3f64.sqrt()).abs() < 1e-15);
        assert!((budget.freedom - 2.0).abs() < 1e-12);
        assert_eq!(budget.shares.len(), 1);
    }

    #[test]
    fn extreme_values_neither_overflow_nor_vanish() {
        let x = Dual::source(1.0, 0).mul(&Dual::exact(1e200));
        assert_eq!(Budget::of(&x, &[source(1e-250, f64::INFINITY, 0)]).standard, 1e-50);
    }
}
