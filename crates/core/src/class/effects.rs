//! Effects of stations, sections and other groups: is it the apparatus, or how that section was
//! taught?

use crate::stats::median;

/// One value of a class with the group it belongs to and the group that is taken out of it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Member {
    /// Number of the group whose effect is looked for, such as its station.
    pub group: usize,
    /// Number of the group whose median is taken off first, such as its section.
    pub other: usize,
    /// ln(x/reference), or x − reference where values may be 0 or negative.
    pub value: f64,
}

/// The effect of one group.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Effect {
    /// Number of the group.
    pub group: usize,
    /// Median deviation of its teams, as [`Member::value`] counts.
    pub effect: f64,
    /// What it is held against: 3·1.2533·s/√T.
    pub limit: f64,
    /// How many teams of the group have the result.
    pub teams: usize,
    /// Teams on the effect's side.
    pub on_side: usize,
    /// Whether it is named: three teams or more, three quarters of them on one side, beyond the
    /// limit.
    pub named: bool,
}

impl Effect {
    /// The effect in its standard errors, 1.2533·s/√T; nought where there is no spread.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::{Member, effects};
    /// // Four stations over two sections; station 2 reads 0.6 too high.
    /// let members: Vec<Member> = (0..32)
    ///     .map(|n| Member { group: n % 4, other: n / 16, value: if n % 4 == 2 { 0.6 } else { 0.0 } + 0.02 * f64::from(n as u8 % 5) })
    ///     .collect();
    /// let worst = effects(&members, 1e-4).into_iter().max_by(|a, b| a.in_errors().abs().total_cmp(&b.in_errors().abs()));
    /// assert_eq!(worst.map(|e| e.group), Some(2));
    /// ```
    pub fn in_errors(&self) -> f64 {
        if self.limit > 0.0 { 3.0 * self.effect / self.limit } else { 0.0 }
    }
}

/// The effects of all groups, by their numbers; groups without a member are left out. `resolution`
/// of the values. With the roles of `group` and `other` turned it is what a section does at every
/// station.
///
/// # Formula
/// D = value less the median of its `other`. s = 1.4826·MAD of the D that are not nought, of all
/// groups, × √(S/(S − 1)), not under δ/√12. effect = median D of the group; it is named when it has
/// at least three teams, at least three quarters of them on one side, and |effect| > 3·1.2533·s/√T.
///
/// # Source
/// Simulated for the design: 0.2 to 0.8 % false names a station; an effect of 3 s is found in 97 of
/// 100 classes of 8 stations × 6 teams.
///
/// # Example
/// ```
/// use jurado_core::class::{Member, effects};
/// // Five stations in six sections; the gauge of station 2 reads 5 % high.
/// let noise = |n: usize| ((n * 37 % 11) as f64 - 5.0) * 0.001;
/// let members: Vec<Member> = (0..30)
///     .map(|n| Member { group: n % 5, other: n / 5, value: noise(n) + if n % 5 == 2 { 0.05 } else { 0.0 } })
///     .collect();
/// let named: Vec<usize> = effects(&members, 1e-4).iter().filter(|e| e.named).map(|e| e.group).collect();
/// assert_eq!(named, [2]);
/// ```
pub fn effects(members: &[Member], resolution: f64) -> Vec<Effect> {
    let middles = by_number(members, |m| m.other, |m| m.value).into_iter().map(|v| median(&v).unwrap_or(0.0));
    let middles: Vec<f64> = middles.collect();
    let d: Vec<f64> = members.iter().map(|m| m.value - middles[m.other]).collect();
    // The middle team of each section has D = 0 by construction and says nothing of the spread.
    let moving: Vec<f64> = d.iter().copied().filter(|x| *x != 0.0).collect();
    let centre = median(&moving).unwrap_or(0.0);
    let mad = median(&moving.iter().map(|x| (x - centre).abs()).collect::<Vec<f64>>()).unwrap_or(0.0);
    let placed: Vec<(usize, f64)> = members.iter().zip(&d).map(|(m, d)| (m.group, *d)).collect();
    let groups = by_number(&placed, |p| p.0, |p| p.1);
    let there = groups.iter().filter(|g| !g.is_empty()).count();
    let g = there as f64;
    let widen = if there > 1 { (g / (g - 1.0)).sqrt() } else { 1.0 };
    let s = (1.4826 * mad * widen).max(resolution.abs() / 12f64.sqrt());
    let of_group = |(group, mine): (usize, &Vec<f64>)| {
        let effect = median(mine)?;
        let teams = mine.len();
        let on_side = mine.iter().filter(|x| x.signum() == effect.signum() && **x != 0.0).count();
        let limit = 3.0 * 1.2533 * s / (teams as f64).sqrt();
        let named = there > 1 && teams >= 3 && 4 * on_side >= 3 * teams && effect.abs() > limit;
        Some(Effect { group, effect, limit, teams, on_side, named })
    };
    groups.iter().enumerate().filter_map(of_group).collect()
}

/// Values by the number that `at` gives.
///
/// Numbers without a value have an empty list.
fn by_number<T>(of: &[T], at: impl Fn(&T) -> usize, value: impl Fn(&T) -> f64) -> Vec<Vec<f64>> {
    let most = of.iter().map(&at).max().map_or(0, |m| m + 1);
    let mut out = vec![Vec::new(); most];
    for one in of {
        out[at(one)].push(value(one));
    }
    out
}
