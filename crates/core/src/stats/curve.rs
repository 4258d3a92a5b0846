//! Curves fitted by least squares where no straight line will do.

/// Most steps; a fit that has not settled by then is given up.
const STEPS: usize = 200;
/// A fit has settled when no parameter moves by more than this share of itself.
const SETTLED: f64 = 1e-13;

/// A curve fitted through n points by p parameters.
#[derive(Clone, Debug, PartialEq)]
pub struct Curve {
    /// The parameters, p of them, in the order of their starting values.
    pub parameters: Vec<f64>,
    /// Standard error of each, scaled by the residuals; `None` where there are no more points than
    /// parameters.
    pub errors: Option<Vec<f64>>,
    /// √(Σr²/(n − p)); `None` as above.
    pub residual_sd: Option<f64>,
    /// By how much each parameter moves with each value: p rows of n.
    pub influence: Vec<Vec<f64>>,
}

/// The parameters for which the model comes closest to the values, in the sense of least squares.
///
/// `model` gives the n values of the curve for p parameters, `None` where it is not defined;
/// `start` is near enough for the curve to be recognised. Units are the caller's.
///
/// # Formula
/// Steps δ of (JᵀJ + λ·diag(JᵀJ))·δ = Jᵀr, with λ raised until the sum of squares falls; standard
/// errors s·√((JᵀJ)⁻¹ₖₖ), s² = Σr²/(n − p).
///
/// # Source
/// Levenberg, Quarterly of Applied Mathematics 2 (1944); Marquardt, SIAM Journal on Applied
/// Mathematics 11 (1963).
///
/// # Errors
/// Fewer points than parameters, a model that is not defined at the start, parameters that the
/// points cannot tell apart, or a sum of squares that does not settle.
///
/// # Example
/// ```
/// use jurado_core::stats::least_squares;
/// // y = a·x^b through three points of 2·x^1.5.
/// let (x, y) = ([1.0, 4.0, 9.0], [2.0, 16.0, 54.0]);
/// let model = |p: &[f64]| Some(x.iter().map(|x: &f64| p[0] * x.powf(p[1])).collect());
/// let fit = least_squares(&model, &y, &[1.0, 1.0])?;
/// assert!((fit.parameters[0] - 2.0).abs() < 1e-9 && (fit.parameters[1] - 1.5).abs() < 1e-9);
/// assert!(least_squares(&model, &y, &[1.0, 1.0, 1.0, 1.0]).is_err());
/// # Ok::<(), &str>(())
/// ```
pub fn least_squares(
    model: &dyn Fn(&[f64]) -> Option<Vec<f64>>,
    y: &[f64],
    start: &[f64],
) -> Result<Curve, &'static str> {
    /// What is said where the model cannot be worked out.
    const UNDEFINED: &str = "the curve is not defined where the fit begins";
    let (n, p) = (y.len(), start.len());
    if n < p || p == 0 {
        return Err("there are fewer points than parameters");
    }
    let residuals = |at: &[f64]| -> Option<Vec<f64>> {
        let curve = model(at).filter(|c| c.len() == n && c.iter().all(|v| v.is_finite()))?;
        Some(y.iter().zip(&curve).map(|(y, c)| y - c).collect())
    };
    let squares = |r: &[f64]| r.iter().map(|r| r * r).sum::<f64>();
    let mut at = start.to_vec();
    let mut r = residuals(&at).ok_or(UNDEFINED)?;
    let mut damping = 1e-3;
    for _ in 0..STEPS {
        let slopes = slopes(model, &at).ok_or(UNDEFINED)?;
        let (matrix, right) = normal(&slopes, &r);
        let mut moved = false;
        while damping < 1e12 {
            let mut damped = matrix.clone();
            (0..p).for_each(|k| damped[k][k] *= 1.0 + damping);
            let step = solve(&damped, &right).ok_or("the points cannot tell the parameters apart")?;
            let next: Vec<f64> = at.iter().zip(&step).map(|(a, d)| a + d).collect();
            let small = at.iter().zip(&step).all(|(a, d)| d.abs() <= SETTLED * a.abs());
            match residuals(&next) {
                Some(better) if squares(&better) < squares(&r) => {
                    (at, r, moved) = (next, better, !small);
                    damping = (damping / 10.0).max(1e-15);
                    break;
                }
                // Nothing is left to be gained.
                _ if small => break,
                _ => damping *= 10.0,
            }
        }
        if !moved {
            return finish(model, at, &r);
        }
    }
    Err("the fit does not settle: begin it nearer to the curve")
}

/// Derivatives of the curve by each parameter: p rows of n, by central differences of fourth order,
/// whose error is least where the fifth power of the width is the rounding of a number.
fn slopes(model: &dyn Fn(&[f64]) -> Option<Vec<f64>>, at: &[f64]) -> Option<Vec<Vec<f64>>> {
    let by = |k: usize| {
        let width = f64::EPSILON.powf(0.2) * at[k].abs().max(f64::MIN_POSITIVE.sqrt());
        let moved = |by: f64| {
            let mut moved = at.to_vec();
            moved[k] += by;
            model(&moved)
        };
        let (up, down) = (moved(width)?, moved(-width)?);
        let (upper, lower) = (moved(2.0 * width)?, moved(-2.0 * width)?);
        let near = up.iter().zip(&down).map(|(u, d)| 8.0 * (u - d));
        let far = upper.iter().zip(&lower).map(|(u, d)| u - d);
        Some(near.zip(far).map(|(n, f)| (n - f) / (12.0 * width)).collect())
    };
    (0..at.len()).map(by).collect()
}

/// JᵀJ and Jᵀr.
fn normal(slopes: &[Vec<f64>], r: &[f64]) -> (Vec<Vec<f64>>, Vec<f64>) {
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    let matrix = slopes.iter().map(|a| slopes.iter().map(|b| dot(a, b)).collect()).collect();
    (matrix, slopes.iter().map(|a| dot(a, r)).collect())
}

/// The fit as it stands when it has settled.
fn finish(model: &dyn Fn(&[f64]) -> Option<Vec<f64>>, parameters: Vec<f64>, r: &[f64]) -> Result<Curve, &'static str> {
    let (n, p) = (r.len(), parameters.len());
    let slopes = slopes(model, &parameters).ok_or("the curve is not defined beside the fit")?;
    let (matrix, _) = normal(&slopes, r);
    let unit = |k: usize| (0..p).map(|i| f64::from(u8::from(i == k))).collect::<Vec<f64>>();
    let inverse: Option<Vec<Vec<f64>>> = (0..p).map(|k| solve(&matrix, &unit(k))).collect();
    let inverse = inverse.ok_or("the points cannot tell the parameters apart")?;
    let residual_sd = (n > p).then(|| (r.iter().map(|r| r * r).sum::<f64>() / (n - p) as f64).sqrt());
    let errors = residual_sd.map(|s| (0..p).map(|k| s * inverse[k][k].max(0.0).sqrt()).collect());
    let moves = |k: usize, i: usize| (0..p).map(|j| inverse[k][j] * slopes[j][i]).sum();
    let influence = (0..p).map(|k| (0..n).map(|i| moves(k, i)).collect()).collect();
    Ok(Curve { parameters, errors, residual_sd, influence })
}

/// Solves a symmetric positive definite system, scaled to a diagonal of ones; `None` where it is
/// none.
fn solve(matrix: &[Vec<f64>], right: &[f64]) -> Option<Vec<f64>> {
    let p = right.len();
    let scale: Vec<f64> = (0..p).map(|k| matrix[k][k].sqrt()).collect();
    if scale.iter().any(|s| !(s.is_finite() && *s > 0.0)) {
        return None;
    }
    let l = cholesky(matrix, &scale)?;
    let mut x: Vec<f64> = right.iter().zip(&scale).map(|(r, s)| r / s).collect();
    for i in 0..p {
        let sum: f64 = (0..i).map(|k| l[i][k] * x[k]).sum();
        x[i] = (x[i] - sum) / l[i][i];
    }
    for i in (0..p).rev() {
        let sum: f64 = (i + 1..p).map(|k| l[k][i] * x[k]).sum();
        x[i] = (x[i] - sum) / l[i][i];
    }
    Some(x.iter().zip(&scale).map(|(x, s)| x / s).collect())
}

/// The lower triangle L of L·Lᵀ = the matrix with its rows and columns divided by `scale`; `None`
/// where it is not positive definite to double precision (Golub and Van Loan, Matrix Computations,
/// 4.2).
fn cholesky(matrix: &[Vec<f64>], scale: &[f64]) -> Option<Vec<Vec<f64>>> {
    let p = scale.len();
    let mut l = vec![vec![0.0; p]; p];
    for i in 0..p {
        for j in 0..=i {
            let sum: f64 = (0..j).map(|k| l[i][k] * l[j][k]).sum();
            let rest = matrix[i][j] / (scale[i] * scale[j]) - sum;
            if i == j {
                if rest <= 1e-14 {
                    return None;
                }
                l[i][i] = rest.sqrt();
            } else {
                l[i][j] = rest / l[j][j];
            }
        }
    }
    Some(l)
}
