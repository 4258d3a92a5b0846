//! The limits of a test, for a drawing of the replicates.

use super::hands::hands;
use crate::protocol::{Protocol, Rejection};
use crate::row::Row;
use crate::verdict::{Judged, OutlierTest};

/// Finds, by halving with the test itself, the lowest and the highest value at which a tested
/// replicate would be flagged, the others unchanged, in the unit of its reading. `None` on a side
/// on which it never would be, and on both where the test cannot be asked again.
///
/// A drawing shows where the border lies that a value has crossed or nearly crossed. Each side
/// takes forty workings of the test.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::{judge, limits};
/// let (lab, mut sheet) = (lab(), table("29.98", "706.1"));
/// for cell in sheet.cells.iter_mut().filter(|c| c.item == "girth" && c.row == Some(3)) {
///     cell.value = "109.9".into();
/// }
/// let judged = judge(&lab, &sheet, &[], &[]);
/// let test = judged.outliers.iter().find(|o| o.flagged).expect("the third girth stands apart");
/// // A girth a little above the other two would not have.
/// let (_, upper) = limits(&lab, &judged, test);
/// assert!(upper.is_some_and(|u| u > 94.3 && u < 109.9));
/// ```
pub fn limits(protocol: &Protocol, judged: &Judged, test: &OutlierTest) -> (Option<f64>, Option<f64>) {
    let none = (None, None);
    let Some((spec, reading)) = protocol.readings.iter().zip(&judged.readings).find(|(s, _)| s.item == test.item)
    else {
        return none;
    };
    let Some(by) = way_of(test.test, spec.rejection) else { return none };
    let tested: Vec<(Option<Row>, f64)> =
        reading.cells.iter().filter_map(|c| Some((c.row, c.repaired.or(c.value)?))).collect();
    let Some(at) = tested.iter().position(|(row, _)| *row == test.row) else { return none };
    let mut values: Vec<f64> = tested.iter().map(|(_, v)| *v).collect();
    let others: Vec<f64> = values.iter().enumerate().filter(|(i, _)| *i != at).map(|(_, v)| *v).collect();
    let (low, high) = others.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let step = protocol.step(spec).unwrap_or(0.0);
    let reach = 100.0 * (high - low) + 1000.0 * step;
    if !reach.is_finite() || reach <= 0.0 {
        return none;
    }
    let mut raised = |v: f64| {
        values[at] = v;
        hands(by, &values, step, protocol.school.confidence).iter().any(|h| h.row == at && h.raised())
    };
    // In the middle of the others it stands apart by no test.
    let Some(middle) = crate::stats::median(&others) else { return none };
    (sought(&mut raised, middle, low - reach), sought(&mut raised, middle, high + reach))
}

/// The way of rejecting that a test belongs to.
///
/// `asked` is what the reading's protocol names: a repeatability that was pooled over a section is
/// not known here, and has no limits.
fn way_of(test: &str, asked: Option<Rejection>) -> Option<Rejection> {
    match (test, asked) {
        ("dixon", _) => Some(Rejection::Dixon),
        ("grubbs", _) => Some(Rejection::Grubbs),
        ("esd", _) => Some(Rejection::Esd),
        ("modified-z", _) => Some(Rejection::ModifiedZ),
        ("known", Some(known @ Rejection::Known(_))) => Some(known),
        _ => None,
    }
}

/// Where a value between `quiet` and `apart` begins to be raised, by bisection; `None` where it is
/// raised at both or at none. Forty halvings of the reach are finer than any drawing.
///
/// `quiet` is the middle of the others and `apart` far outside of them.
fn sought(raised: &mut dyn FnMut(f64) -> bool, mut quiet: f64, mut apart: f64) -> Option<f64> {
    if raised(quiet) || !raised(apart) {
        return None;
    }
    for _ in 0..40 {
        let middle = quiet + (apart - quiet) / 2.0;
        if raised(middle) { apart = middle } else { quiet = middle }
    }
    Some(apart)
}
