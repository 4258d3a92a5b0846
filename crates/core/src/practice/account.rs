//! What a reviewer made of a practice table, beside its truth.
//!
//! An act is found if what was taken off for it comes near to what it costs, wherever it was taken
//! off: at the judge's finding, in a finding of one's own, or in the points of the whole line. What
//! was taken beyond that on the same line is the act charged again; what was taken where nothing
//! happened is without a cause.

use std::collections::BTreeMap;

use rust_decimal::Decimal;

use super::{Act, Proposed, Truth};
use crate::decision::Action;
use crate::finding::{Finding, Key, Kind};
use crate::verdict::Judged;

/// Points that make no difference: a quarter.
pub const QUARTER: Decimal = Decimal::from_parts(25, 0, 0, false, 2);

/// What became of one act.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Fate {
    /// Whether it was found.
    pub found: bool,
    /// Whether it was charged more than once.
    pub twice: bool,
}

/// What a reviewer made of a table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// Points that were given to the table.
    pub given: Decimal,
    /// Points that it is worth.
    pub truth: Decimal,
    /// What became of each act, in their order.
    pub acts: Vec<Fate>,
    /// Charges without a cause.
    pub without: usize,
}

impl Account {
    /// Points given less points it is worth.
    ///
    /// # Example
    /// ```
    /// use jurado_core::practice::Account;
    /// use rust_decimal::Decimal;
    /// let account = Account { given: 17.into(), truth: 18.into(), acts: Vec::new(), without: 0 };
    /// assert_eq!(account.off(), -Decimal::ONE);
    /// ```
    pub fn off(&self) -> Decimal {
        self.given - self.truth
    }
}

/// Sums over tables.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Summed {
    /// How many mistakes were planted.
    pub planted: usize,
    /// How many of those planted were found.
    pub found: usize,
    /// Charged more than once.
    pub twice: usize,
    /// Charges without a cause.
    pub without: usize,
}

impl Summed {
    /// Adds one table.
    ///
    /// # Example
    /// ```
    /// use jurado_core::practice::{Account, Fate, Summed};
    /// let fate = |found| Fate { found, twice: false };
    /// let account = Account { given: 17.into(), truth: 18.into(), acts: vec![fate(true), fate(false)], without: 1 };
    /// let mut sum = Summed::default();
    /// sum.add(&account);
    /// sum.add(&account);
    /// assert_eq!((sum.planted, sum.found, sum.without), (4, 2, 2));
    /// ```
    pub fn add(&mut self, account: &Account) {
        self.planted += account.acts.len();
        self.found += account.acts.iter().filter(|a| a.found).count();
        self.twice += account.acts.iter().filter(|a| a.twice).count();
        self.without += account.without;
    }
}

/// Limits of a share at 95 %, for `found` of `planted`; all there is where nothing was planted.
///
/// # Formula
/// (p + z²/2n ± z·√(p(1 − p)/n + z²/4n²)) / (1 + z²/n) with z = 1.96.
///
/// # Source
/// Wilson, Journal of the American Statistical Association 22 (1927), the score interval.
///
/// # Example
/// ```
/// let (low, high) = jurado_core::practice::wilson(7, 7);
/// assert!((low - 0.646).abs() < 1e-3 && (high - 1.0).abs() < 1e-9);
/// ```
pub fn wilson(found: usize, planted: usize) -> (f64, f64) {
    if planted == 0 {
        return (0.0, 1.0);
    }
    let (n, z) = (planted as f64, 1.959_963_984_540_054_f64);
    let p = found as f64 / n;
    let middle = p + z * z / (2.0 * n);
    let half = z * (p * (1.0 - p) / n + z * z / (4.0 * n * n)).sqrt();
    let of = 1.0 + z * z / n;
    (((middle - half) / of).max(0.0), ((middle + half) / of).min(1.0))
}

/// Points that a reviewer took off beside the findings of the judge, by criterion: findings of
/// their own, and lines changed as a whole. Positive where more was taken.
///
/// A line that was changed as a whole stands in place of the findings on it.
fn extras(judged: &Judged) -> BTreeMap<String, Decimal> {
    let mut out: BTreeMap<String, Decimal> = BTreeMap::new();
    for f in &judged.findings {
        if let Key::Own { criterion, .. } = &f.key {
            *out.entry(criterion.clone()).or_default() += f.decided_cost;
        }
    }
    for l in &judged.score.lines {
        let Some(Action::Points(points)) = l.changed.as_ref().filter(|d| d.by != super::GIVEN_BY).map(|d| d.action)
        else {
            continue;
        };
        let of_line = |f: &&Finding| f.criterion.as_deref() == Some(&l.criterion) && !matches!(f.key, Key::Own { .. });
        let taken: Decimal = judged.findings.iter().filter(of_line).map(|f| f.decided_cost).sum();
        // The line stands in place of its findings, of one's own too.
        out.insert(l.criterion.clone(), (l.possible - taken).max(Decimal::ZERO) - points);
    }
    out
}

/// How far a charge may be off what an act costs and still be that charge.
///
/// A quarter of its cost, and an eighth of a point at least.
fn near(costs: Decimal) -> Decimal {
    (costs / Decimal::from(4)).max(QUARTER / Decimal::from(2))
}

impl Truth {
    /// What a reviewer made of the table: `judged` with all that the reviewer decided.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::practice::{Truth, judged, taking_all};
    /// let lab = lab();
    /// let computed = judged(&lab, &table("94.2", "6969"), &[]);
    /// let taken = taking_all(&computed, "a reviewer");
    /// let decided = judged(&lab, &table("94.2", "6969"), &taken);
    /// let truth = Truth::decided(&computed, &decided, &taken);
    /// let account = truth.account(&decided);
    /// assert!(account.acts.iter().all(|a| a.found) && account.off().is_zero());
    /// ```
    pub fn account(&self, judged: &Judged) -> Account {
        let mut extra = extras(judged);
        let own = judged.findings.iter().any(|f| matches!(f.key, Key::Own { .. }));
        let at = |keys: &[Key]| judged.findings.iter().filter(|f| keys.contains(&f.key)).collect::<Vec<_>>();
        let mut paid: Vec<Decimal> =
            self.acts.iter().map(|a| at(&a.keys).iter().map(|f| f.decided_cost).sum::<Decimal>()).collect();
        // What a reviewer adds goes first to what nobody proposed.
        let mut order: Vec<usize> = (0..self.acts.len()).collect();
        order.sort_by_key(|n| self.acts[*n].proposed == Proposed::Rightly);
        for n in &order {
            let act = &self.acts[*n];
            let Some(left) = act.criterion.as_ref().and_then(|c| extra.get_mut(c)) else { continue };
            let wanted = if left.is_sign_negative() { -paid[*n] } else { act.costs - paid[*n] };
            let part = if left.is_sign_negative() { wanted.max(*left) } else { wanted.max(Decimal::ZERO).min(*left) };
            paid[*n] += part;
            *left -= part;
        }
        let mut acts: Vec<Fate> = self
            .acts
            .iter()
            .zip(&paid)
            .enumerate()
            .map(|(n, (act, paid))| {
                let again = self.follows.iter().filter(|(_, of)| *of == n).map(|(k, _)| k.clone()).collect::<Vec<_>>();
                // What was taken for something else is charged once, if too much.
                let charged = at(&act.keys).iter().filter(|f| !f.decided_cost.is_zero()).count();
                let once = act.proposed == Proposed::Otherwise && charged < 2;
                let over = !once && *paid > act.costs + near(act.costs);
                let follows = at(&again).iter().any(|f| !f.decided_cost.is_zero());
                Fate { found: found(act, *paid, (&at(&act.keys), judged), own), twice: over || follows }
            })
            .collect();
        let mut without = at(&self.unfounded).iter().filter(|f| charged_without(f)).count();
        for (criterion, left) in extra.iter().filter(|(_, left)| **left > QUARTER / Decimal::from(2)) {
            // More on the line of an act than it costs is the act charged again.
            let on_it = |a: &Act| a.criterion.as_ref() == Some(criterion) && !left.is_zero();
            match self.acts.iter().position(on_it) {
                Some(n) => acts[n].twice = true,
                None => without += 1,
            }
        }
        Account { given: judged.score.decided, truth: self.points, acts, without }
    }
}

/// Whether a finding without a cause was let stand: it costs, or it changed a reading that is
/// sound.
///
/// A repair that nobody refused changed a reading that was sound.
fn charged_without(f: &Finding) -> bool {
    let refused = f.decision.as_ref().is_some_and(|d| d.action == Action::Refuse);
    !f.decided_cost.is_zero() || matches!(f.key, Key::Repair { .. }) && !refused
}

/// Whether an act was found.
///
/// To read a cell as it was meant is to find that it stands otherwise.
fn found(act: &Act, paid: Decimal, (at, judged): (&[&Finding], &Judged), own: bool) -> bool {
    let action = |f: &Finding| f.decision.as_ref().map(|d| d.action);
    let refused = |k: &Key| judged.findings.iter().any(|f| f.key == *k && action(f) == Some(Action::Refuse));
    let mended = |k: &Key| judged.findings.iter().any(|f| matches!(f.kind, Kind::Corrected { .. }) && f.key == *k);
    if act.mends.iter().any(mended) {
        return true;
    }
    match act.proposed {
        Proposed::Rightly if act.costs.is_zero() => {
            at.iter().any(|f| !matches!(action(f), Some(Action::Forgive | Action::Refuse)))
        }
        Proposed::Rightly => paid * Decimal::TWO >= act.costs && !act.keys.iter().any(refused),
        Proposed::Otherwise => {
            // A repair that was refused is no finding any more: that it is gone says so. Others may stand behind the first.
            let first = act.keys.iter().find(|k| matches!(k, Key::Repair { .. }));
            let gone = first.is_some_and(|k| !at.iter().any(|f| f.key == *k));
            let turned = at.iter().any(|f| f.reworded.is_some() || !matches!(action(f), None | Some(Action::Accept)));
            let charged = !paid.is_zero() || act.costs.is_zero();
            (turned || gone || own) && charged && (paid - act.costs).abs() <= near(act.costs)
        }
        Proposed::Not if act.costs.is_zero() => own,
        Proposed::Not => paid * Decimal::TWO >= act.costs,
    }
}

#[cfg(test)]
mod tests {
    use rust_decimal::Decimal;

    use super::super::{Act, Proposed, Truth, judged};
    use crate::decision::{Action, Decision};
    use crate::finding::Key;
    use crate::moderation::Field;
    use crate::protocol::Protocol;
    use crate::submission::{Submission, SubmittedCell};

    /// A plate whose volume no story explains, and the key of that finding.
    fn table() -> (Protocol, Submission, Key) {
        let protocol = Protocol::parse(include_str!("../../tests/labs/plate-and-disc.toml")).expect("a lab");
        let cells = [
            ("zero", "0.04"),
            ("plate_length", "84.44"),
            ("plate_width", "41.92"),
            ("plate_thickness", "8.62"),
            ("plate_volume", "77.31"),
        ];
        let cell = |(item, value): &(&str, &str)| SubmittedCell {
            item: (*item).into(),
            value: (*value).into(),
            unit: if *item == "plate_volume" { "cm3" } else { "mm" }.into(),
            ..SubmittedCell::default()
        };
        let table = Submission {
            cells: cells.iter().map(cell).collect(),
            keys: [("station".into(), "1".into())].into(),
            ..Submission::default()
        };
        let open = judged(&protocol, &table, &[]);
        let item = protocol.item("plate_volume");
        let key = open.findings.iter().find(|f| f.open() && f.place.item == item).expect("an open finding").key.clone();
        (protocol, table, key)
    }

    fn decided(finding: &Key, action: Action) -> Decision {
        Decision { finding: finding.clone(), action, reason: "x".into(), by: "me".into(), text: String::new() }
    }

    /// Found and charged twice, for an act of one point that the judge got so far with, by what was
    /// taken in thousandths.
    #[test]
    fn an_act_is_found_and_charged_twice_by_what_was_taken_for_it() {
        let (protocol, table, key) = table();
        for (proposed, taken, found, twice) in [
            // At least half of it.
            (Proposed::Rightly, 500, true, false),
            (Proposed::Rightly, 499, false, false),
            // More than a quarter over it.
            (Proposed::Rightly, 1250, true, false),
            (Proposed::Rightly, 1251, true, true),
            // Taken for something else: within a quarter of it.
            (Proposed::Otherwise, 750, true, false),
            (Proposed::Otherwise, 749, false, false),
            (Proposed::Otherwise, 1250, true, false),
            (Proposed::Otherwise, 1251, false, false),
        ] {
            let act = Act {
                field: Field::Slips,
                says: String::new(),
                costs: Decimal::ONE,
                criterion: Some("calculation".into()),
                keys: vec![key.clone()],
                mends: Vec::new(),
                proposed,
            };
            let truth = Truth {
                points: Decimal::ZERO,
                acts: vec![act],
                follows: Vec::new(),
                unfounded: Vec::new(),
                decisions: Vec::new(),
            };
            let own = [decided(&key, Action::Points(Decimal::new(taken, 3)))];
            let account = truth.account(&judged(&protocol, &table, &own));
            let fate = account.acts[0];
            assert_eq!((fate.found, fate.twice), (found, twice), "{proposed:?} {taken}");
        }
    }

    #[test]
    fn what_follows_charges_again_and_what_has_no_cause_counts_once_it_costs() {
        let (protocol, table, key) = table();
        let nothing = || Truth {
            points: Decimal::ZERO,
            acts: Vec::new(),
            follows: Vec::new(),
            unfounded: Vec::new(),
            decisions: Vec::new(),
        };
        let without = Truth { unfounded: vec![key.clone()], ..nothing() };
        let act = Act {
            field: Field::Slips,
            says: String::new(),
            costs: Decimal::ZERO,
            criterion: None,
            keys: Vec::new(),
            mends: Vec::new(),
            proposed: Proposed::Not,
        };
        let follows = Truth { acts: vec![act], follows: vec![(key.clone(), 0)], ..nothing() };
        for (action, costs) in [(Action::Accept, true), (Action::Forgive, false)] {
            let judged = judged(&protocol, &table, &[decided(&key, action)]);
            assert_eq!(without.account(&judged).without, usize::from(costs));
            assert_eq!(follows.account(&judged).acts[0].twice, costs);
        }
    }
}
