//! The end point of a titration curve. Points are (volume, pH) in the order they were taken; the
//! arithmetic is done on whatever numbers come in, so that derivatives follow.
//!
//! Both schools work on the points in the order in which they were added. The second derivative
//! looks for the steepest step and interpolates to where it changes its sign; tangents are lines
//! through the ranges that a course names, and the end point lies where the curve crosses the line
//! midway between them.

use crate::formula::Num;

/// An end point: its volume, and half the step between the readings around it.
pub type EndPoint<N> = Result<(N, f64), &'static str>;

/// The volume at which the second derivative is nought, beside the largest first difference.
///
/// # Formula
/// First differences Δp/Δv belong to the middle of their step; the differences of those belong to
/// the middle of two middles. Between the last such place of the sign before and the first of the
/// sign after, linear interpolation to nought. Equal volumes are merged (the last reading counts);
/// steps may be uneven.
///
/// # Errors
/// Fewer than four volumes, or no change of sign there: the curve was left before, or begun after,
/// its steepest place.
///
/// # Example
/// ```
/// use jurado_core::stats::endpoint::second_derivative;
/// let volume = [10.0, 10.1, 10.2, 10.3, 10.4, 10.5];
/// let ph = [5.0, 5.4, 6.2, 8.2, 9.0, 9.4];
/// let points: Vec<(&f64, &f64)> = volume.iter().zip(&ph).collect();
/// let (volume, half_step) = second_derivative(&points)?;
/// assert!((volume - 10.25).abs() < 1e-9);
/// assert!((half_step - 0.05).abs() < 1e-9);
/// # Ok::<(), &str>(())
/// ```
pub fn second_derivative<N: Num>(points: &[(&N, &N)]) -> EndPoint<N> {
    let mut kept: Vec<(&N, &N)> = Vec::new();
    for p in points {
        match kept.last_mut() {
            Some(last) if last.0.value() == p.0.value() => *last = *p,
            _ => kept.push(*p),
        }
    }
    if kept.len() < 4 {
        return Err("an end point needs four readings around it");
    }
    let half = N::exact(0.5);
    // (middle, slope) of each step, then (middle of middles, change of slope).
    let first: Vec<(N, N)> =
        kept.windows(2).map(|w| (w[0].0.add(w[1].0).mul(&half), w[1].1.sub(w[0].1).div(&w[1].0.sub(w[0].0)))).collect();
    let steepest = (0..first.len())
        .max_by(|a, b| first[*a].1.value().abs().total_cmp(&first[*b].1.value().abs()))
        .ok_or("an end point needs four readings around it")?;
    let second = |i: usize| -> (N, N) {
        let (a, b) = (&first[i], &first[i + 1]);
        (a.0.add(&b.0).mul(&half), b.1.sub(&a.1).div(&b.0.sub(&a.0)))
    };
    if steepest == 0 || steepest + 1 >= first.len() {
        return Err("the curve was not followed past its steepest place");
    }
    let (before, after) = (second(steepest - 1), second(steepest));
    let (a, b) = (before.1.value(), after.1.value());
    if !(a.is_finite() && b.is_finite()) || a == b || a.signum() == b.signum() {
        return Err("the second derivative does not change its sign beside the steepest place");
    }
    let share = before.1.div(&before.1.sub(&after.1));
    let volume = before.0.add(&after.0.sub(&before.0).mul(&share));
    let step = kept[steepest + 1].0.value() - kept[steepest].0.value();
    Ok((volume, step.abs() / 2.0))
}

/// The volume at which the curve crosses the line midway between two straight lines, fitted to the
/// readings with volumes in `from..=to` before the jump and after it.
///
/// # Errors
/// A range with fewer than two readings, or a curve that does not cross.
///
/// # Example
/// ```
/// use jurado_core::stats::endpoint::tangents;
/// let volume = [10.0, 10.1, 10.2, 10.3, 10.4, 10.5];
/// let ph = [5.0, 5.4, 6.2, 8.2, 9.0, 9.4];
/// let points: Vec<(&f64, &f64)> = volume.iter().zip(&ph).collect();
/// let (volume, _) = tangents(&points, [10.0, 10.1, 10.4, 10.5])?;
/// assert!((10.2..10.3).contains(&volume));
/// # Ok::<(), &str>(())
/// ```
pub fn tangents<N: Num>(points: &[(&N, &N)], ends: [f64; 4]) -> EndPoint<N> {
    let fitted = |from: f64, to: f64| -> Result<(N, N), &'static str> {
        let inside: Vec<&(&N, &N)> = points.iter().filter(|p| (from..=to).contains(&p.0.value())).collect();
        let x: Vec<f64> = inside.iter().map(|p| p.0.value()).collect();
        let y: Vec<f64> = inside.iter().map(|p| p.1.value()).collect();
        let fit =
            super::line(&x, &y, None, false).map_err(|_| "a range for a tangent holds fewer than two readings")?;
        let parts = |by: &dyn Fn(usize) -> [f64; 3]| {
            let list: Vec<(&N, f64)> = inside
                .iter()
                .enumerate()
                .flat_map(|(i, p)| {
                    let [dx, dy, _] = by(i);
                    [(p.0, dx), (p.1, dy)]
                })
                .collect();
            list
        };
        Ok((
            N::combine(fit.intercept, &parts(&|i| fit.intercept_partials(x[i], y[i], 1.0))),
            N::combine(fit.slope, &parts(&|i| fit.slope_partials(x[i], y[i], 1.0))),
        ))
    };
    let (before, after) = (fitted(ends[0], ends[1])?, fitted(ends[2], ends[3])?);
    let half = N::exact(0.5);
    let above = |p: &(&N, &N)| {
        let on = |line: &(N, N)| line.0.add(&line.1.mul(p.0));
        p.1.sub(&on(&before).add(&on(&after)).mul(&half))
    };
    for pair in points.windows(2) {
        let (a, b) = (above(&pair[0]), above(&pair[1]));
        let inside = pair[0].0.value() >= ends[0] && pair[1].0.value() <= ends[3];
        if inside && a.value() != b.value() && a.value() * b.value() <= 0.0 {
            let run = pair[1].0.sub(pair[0].0);
            let share = a.div(&a.sub(&b));
            return Ok((pair[0].0.add(&run.mul(&share)), run.value().abs() / 2.0));
        }
    }
    Err("the curve does not cross between the two tangents")
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A curve symmetric about 12.34 mL on uneven steps.
    fn curve(volumes: &[f64]) -> Vec<(f64, f64)> {
        volumes.iter().map(|v| (*v, 7.0 + 3.0 * ((v - 12.34) / 0.4).tanh())).collect()
    }

    #[test]
    fn both_schools_find_a_symmetric_jump() {
        let volumes =
            [0.0, 2.0, 4.0, 6.0, 8.0, 10.0, 11.0, 11.6, 12.0, 12.2, 12.3, 12.4, 12.5, 12.8, 13.4, 14.0, 15.0, 17.0];
        let points = curve(&volumes);
        let refs: Vec<(&f64, &f64)> = points.iter().map(|(v, p)| (v, p)).collect();
        let (v, half) = second_derivative(&refs).expect("an end point");
        assert!((v - 12.34).abs() < 0.02, "{v}");
        assert!((half - 0.05).abs() < 1e-12);
        let (v, _) = tangents(&refs, [0.0, 8.0, 15.0, 17.0]).expect("an end point");
        assert!((v - 12.34).abs() < 0.02, "{v}");
    }

    #[test]
    fn a_curve_left_too_early_has_no_end_point() {
        let points = curve(&[10.0, 11.0, 12.0, 12.3, 12.34]);
        let refs: Vec<(&f64, &f64)> = points.iter().map(|(v, p)| (v, p)).collect();
        assert!(second_derivative(&refs).is_err());
        assert!(second_derivative(&refs[..3]).is_err());
        assert!(tangents(&refs, [0.0, 5.0, 15.0, 17.0]).is_err());
    }
}
