//! What a person may see in a graph is not wrong for not being computed.

use super::super::values::within;
use super::Judge;
use crate::formula::{Context, Function, Node, Op, Value, evaluate_any};

impl Judge<'_> {
    /// Whether R is a slope within one standard uncertainty of the fitted one, or an end point in
    /// the steepest step of the curve. R, C and h are in the result's unit.
    ///
    /// A result is read off a graph only where the lab says so. A slope by eye is as good as the
    /// fit's own standard uncertainty; an end point may lie anywhere in the step in which the curve
    /// is steepest.
    pub(super) fn seen_in_a_graph(&self, r: f64, c: f64, h: f64) -> bool {
        let Op::Call(function, args) = &self.spec.node.op else { return false };
        if !self.spec.by_eye {
            return false;
        }
        match (function, args.as_slice()) {
            (Function::Slope | Function::SlopeOrigin, _) => {
                let budget = self.ground.budgets[self.id].get(self.row.unwrap_or(0));
                budget.and_then(Option::as_ref).is_some_and(|b| within(r - c, b.standard, h, r, c))
            }
            (Function::Equivalence, [volume, signal, ..]) => {
                let (Some(volume), Some(signal)) = (self.column(volume), self.column(signal)) else { return false };
                let v = self.item().to_si(r);
                let h = h * self.item().unit.factor;
                steepest(&volume, &signal).iter().any(|(low, high)| (low - h..=high + h).contains(&v))
            }
            _ => false,
        }
    }

    /// A column of the formula as the readings that count give it.
    ///
    /// `None` where it is no column, or cannot be worked out.
    fn column(&self, node: &Node) -> Option<Vec<Option<f64>>> {
        match evaluate_any(node, &Context::without(self.clean, self.ground.out)).ok()? {
            Value::Column(values) => Some(values),
            _ => None,
        }
    }
}

/// The steps of a curve in which it is steepest: several, where several are equally steep.
///
/// Volumes and signals are SI, by row; a row without either is passed over. Gives the ends of each
/// step.
fn steepest(volume: &[Option<f64>], signal: &[Option<f64>]) -> Vec<(f64, f64)> {
    let points: Vec<(f64, f64)> = volume.iter().zip(signal).filter_map(|(v, s)| Some(((*v)?, (*s)?))).collect();
    let steps: Vec<(f64, f64, f64)> = points
        .windows(2)
        .filter(|w| w[1].0 != w[0].0)
        .map(|w| (((w[1].1 - w[0].1) / (w[1].0 - w[0].0)).abs(), w[0].0.min(w[1].0), w[0].0.max(w[1].0)))
        .collect();
    let most = steps.iter().map(|s| s.0).fold(0.0, f64::max);
    steps.into_iter().filter(|s| most > 0.0 && s.0 >= most * (1.0 - 1e-6)).map(|s| (s.1, s.2)).collect()
}
