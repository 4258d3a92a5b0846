//! The truth of a simulated table: what was planted, beside what the judge found.
//!
//! A simulated table knows what was done to it: which mistake was made in working it out, which
//! replicates a cause has pushed, and what is the station's and not the team's. The truth is made
//! of these and of the rubric, and the judge is asked only for what its findings are called.

use crate::formula::ItemId;
use crate::row::Row;
use rust_decimal::Decimal;

use super::{Act, Proposed, Truth, about_working, counts, decision, judged, taking_all};
use crate::decision::{Action, Decision};
use crate::finding::{Finding, Key, Kind};
use crate::moderation::Field;
use crate::protocol::{Protocol, Rule};
use crate::submission::Submission;
use crate::verdict::Judged;

/// A mistake planted in working a table through.
#[derive(Clone, Debug, PartialEq)]
pub struct Planted {
    /// Result it happened in.
    pub item: ItemId,
    /// Row, from 1, where it happened in one row of a column alone.
    pub row: Option<Row>,
    /// Word of its kind; `None` for one that has no name.
    pub kind: Option<String>,
    /// Reading that was copied wrongly, if it was one.
    pub reading: Option<ItemId>,
    /// Results that follow from it.
    pub follows: Vec<ItemId>,
    /// Cells that stand otherwise on the sheet than they were seen, with what was seen.
    pub meant: Vec<(Key, String)>,
    /// What was done, in words.
    pub says: String,
    /// Points it costs, as the rubric has it.
    pub costs: Decimal,
}

/// A replicate pushed by a cause.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pushed {
    /// Reading.
    pub item: ItemId,
    /// Row, from 1.
    pub row: Row,
    /// Whether the team left it out with its cause.
    pub excluded: bool,
}

/// A finding that is the apparatus of the station's and not the team's.
#[derive(Clone, Debug, PartialEq)]
pub struct Lent {
    /// The finding.
    pub key: Key,
    /// Points that it would cost with sound apparatus.
    pub costs: Decimal,
    /// What is the matter with the apparatus.
    pub says: String,
}

/// What is known of a simulated table.
#[derive(Clone, Copy, Debug, Default)]
pub struct Known<'a> {
    /// A mistake of working; one at most.
    pub planted: Option<&'a Planted>,
    /// Replicates that were pushed.
    pub pushed: &'a [Pushed],
    /// What is the station's.
    pub lent: &'a [Lent],
}

/// Whether the judge's name for a finding is the planted one, or one that this result alone cannot
/// tell from it.
///
/// A kind that this result alone cannot tell from the planted one is as good.
fn named(judged: &Judged, f: &Finding, planted: &Planted) -> bool {
    let Some(kind) = &planted.kind else { return matches!(f.kind, Kind::Unexplained(_) | Kind::Ambiguous(_)) };
    match &f.kind {
        Kind::Repair { .. } => planted.reading.is_some() && f.place.item == planted.reading,
        Kind::Rewritten { .. } => planted.reading.is_some() && planted.reading.is_some_and(|r| f.concerns(r)),
        Kind::Slip(_) | Kind::SlipAgain => judged
            .results
            .iter()
            .filter(|r| f.concerns(r.item) && (f.place.row.is_none() || r.row == f.place.row))
            .filter_map(|r| r.slip.as_ref())
            .any(|s| s.kind.word() == kind || s.alike.iter().any(|a| a.word() == kind)),
        _ => false,
    }
}

/// The criterion under which working out is judged.
///
/// `None` where the rubric charges no calculation.
fn calculation(protocol: &Protocol) -> Option<String> {
    let criterion = protocol.criteria.iter().find(|c| matches!(c.rule, Rule::Calculation { .. }));
    criterion.map(|c| c.id.clone())
}

/// Whether a finding is about a planted mistake at all.
///
/// Rows count where both name one.
fn touches(f: &Finding, planted: &Planted) -> bool {
    match &f.kind {
        // A reading that the judge would mend: whatever was planted led to it.
        Kind::Repair { .. } | Kind::Rewritten { .. } => true,
        _ => {
            let row = planted.row.is_none() || f.place.row.is_none() || f.place.row == planted.row;
            f.concerns(planted.item) && row
        }
    }
}

/// A reading that was copied wrongly leads to whatever else is odd.
fn follows(f: &Finding, planted: &Planted) -> bool {
    f.place.item.is_some_and(|i| planted.follows.contains(&i) || planted.reading.is_some())
}

/// Whether a finding doubts a reading that was left out for its true cause.
///
/// A reviewer who lets that stand doubts an honest team.
fn doubts(f: &Finding, pushed: &[Pushed]) -> bool {
    let about = |p: &&Pushed| f.place.item == Some(p.item) && f.place.row.is_none_or(|r| r == p.row);
    matches!(f.kind, Kind::ExclusionUnsupported { .. }) && pushed.iter().filter(about).any(|p| p.excluded)
}

impl Truth {
    /// The truth of a simulated table. At most one mistake of working may be planted in it.
    ///
    /// # Formula
    /// The right points are those of the judge once it is told the truth: what it named rightly is
    /// taken, what it took for something else costs what the rubric says of the planted kind, what
    /// follows and what has no cause is forgiven, a repair of a sound reading is refused, and what
    /// it passed by is charged.
    pub fn planted(protocol: &Protocol, table: &Submission, known: &Known<'_>) -> Truth {
        let planted = known.planted;
        let with = |own: &[Decision]| judged(protocol, table, own);
        if let Some(planted) = planted.filter(|p| !p.meant.is_empty()) {
            let judged = with(&[]);
            if !judged.findings.iter().any(|f| named(&judged, f, planted)) {
                return Truth::miswritten(protocol, (table, planted), &judged, known);
            }
        }
        let mut decisions: Vec<Decision> = Vec::new();
        let mut refused: Vec<Key> = Vec::new();
        // A repair of a sound reading hides what is behind it: four at most are made.
        for _ in 0..4 {
            let judged = with(&decisions);
            let wrong = judged.findings.iter().find(|f| {
                let sound = planted.is_none_or(|p| !named(&judged, f, p));
                matches!(f.key, Key::Repair { .. }) && f.decision.is_none() && sound
            });
            let Some(wrong) = wrong else { break };
            refused.push(wrong.key.clone());
            decisions.push(decision(wrong.key.clone(), Action::Refuse, "truth"));
        }
        let judged = with(&decisions);
        let mut out = Truth { decisions, ..Truth::nothing() };
        let mine: Vec<&Finding> =
            judged.findings.iter().filter(|f| about_working(f) && !refused.contains(&f.key)).collect();
        if let Some(planted) = planted {
            out.act(protocol, &judged, (planted, &refused), &mine);
        } else {
            out.unfounded.extend(refused);
        }
        for f in mine {
            let known = out.acts.iter().any(|a| a.keys.contains(&f.key));
            if !known {
                match planted {
                    Some(p) if follows(f, p) => out.follows.push((f.key.clone(), 0)),
                    _ => out.unfounded.push(f.key.clone()),
                }
                if !f.cost.is_zero() || f.open() {
                    out.decisions.push(decision(f.key.clone(), Action::Forgive, "truth"));
                }
            }
        }
        out.by_arithmetic(&judged, known);
        out.settled(protocol, table)
    }

    /// The truth of a table in which readings stand otherwise than they were seen, and the judge
    /// does not say so: they are read as they were meant, and the slip of the pen costs what the
    /// rubric says.
    fn miswritten(
        protocol: &Protocol,
        (table, planted): (&Submission, &Planted),
        before: &Judged,
        known: &Known<'_>,
    ) -> Truth {
        let read = |(key, text): &(Key, String)| Decision {
            text: text.clone(),
            ..decision(key.clone(), Action::Read, "truth")
        };
        let keys: Vec<Key> = before.findings.iter().filter(|f| about_working(f)).map(|f| f.key.clone()).collect();
        let criterion = calculation(protocol);
        let mut out = Truth { decisions: planted.meant.iter().map(read).collect(), ..Truth::nothing() };
        if !planted.costs.is_zero() {
            let key = Key::Own { criterion: criterion.clone().unwrap_or_default(), number: "truth".into() };
            out.decisions.push(decision(key, Action::Points(planted.costs), "truth"));
        }
        out.acts.push(Act {
            field: Field::Slips,
            says: planted.says.clone(),
            costs: planted.costs,
            criterion,
            proposed: if keys.is_empty() { Proposed::Not } else { Proposed::Otherwise },
            keys,
            mends: planted.meant.iter().map(|(key, _)| key.clone()).collect(),
        });
        let judged = judged(protocol, table, &out.decisions);
        for f in judged.findings.iter().filter(|f| about_working(f)) {
            if !out.acts[0].keys.contains(&f.key) {
                out.unfounded.push(f.key.clone());
            }
            if !f.cost.is_zero() || f.open() {
                out.decisions.push(decision(f.key.clone(), Action::Forgive, "truth"));
            }
        }
        out.by_arithmetic(&judged, known);
        // What shows only once the reading is mended is no second thing to find.
        let shows = |k: &Key| before.findings.iter().any(|f| f.key == *k);
        out.acts.retain(|a| a.keys.is_empty() || a.keys.iter().any(shows));
        out.settled(protocol, table)
    }

    /// A table with nothing to find, worth nothing yet.
    fn nothing() -> Truth {
        Truth {
            points: Decimal::ZERO,
            acts: Vec::new(),
            follows: Vec::new(),
            unfounded: Vec::new(),
            decisions: Vec::new(),
        }
    }

    /// What arithmetic alone tells: digits, what is missing, a ±, a reading that stands apart.
    fn by_arithmetic(&mut self, judged: &Judged, known: &Known<'_>) {
        for f in judged.findings.iter().filter(|f| !about_working(f)) {
            if let Some(lent) = known.lent.iter().find(|l| l.key == f.key && l.costs < f.cost) {
                self.decisions.push(decision(f.key.clone(), Action::Points(lent.costs), "truth"));
                let act = shown_by(f, Field::Rest, Proposed::Otherwise);
                self.acts.push(Act { says: lent.says.clone(), costs: lent.costs, ..act });
            } else if doubts(f, known.pushed) {
                self.unfounded.push(f.key.clone());
                self.decisions.push(decision(f.key.clone(), Action::Forgive, "truth"));
            } else if counts(f) {
                self.acts.push(shown_by(f, Field::of(f).unwrap_or(Field::Rest), Proposed::Rightly));
            }
        }
    }

    /// With what is left to decide taken as proposed, and the points that come of it.
    fn settled(mut self, protocol: &Protocol, table: &Submission) -> Truth {
        let with = |own: &[Decision]| judged(protocol, table, own);
        let rest = taking_all(&with(&self.decisions), "truth");
        self.decisions.extend(rest);
        self.points = with(&self.decisions).score.decided;
        self
    }

    /// The planted mistake, with what the judge found of it and what to do about that.
    fn act(&mut self, protocol: &Protocol, judged: &Judged, (planted, refused): (&Planted, &[Key]), mine: &[&Finding]) {
        let at: Vec<&&Finding> = mine.iter().filter(|f| touches(f, planted) || named(judged, f, planted)).collect();
        let right: Vec<&&&Finding> = at.iter().filter(|f| named(judged, f, planted)).collect();
        let criterion = calculation(protocol);
        let (proposed, costs) = match (right.first(), at.is_empty() && refused.is_empty()) {
            // Where the judge names it, its own charge is the rubric's, row by row.
            (Some(_), _) => (Proposed::Rightly, right.iter().map(|f| f.cost).sum()),
            (None, true) => (Proposed::Not, planted.costs),
            (None, false) => (Proposed::Otherwise, planted.costs),
        };
        let keys: Vec<Key> = match proposed {
            Proposed::Rightly => right.iter().map(|f| f.key.clone()).collect(),
            _ => refused.iter().cloned().chain(at.iter().map(|f| f.key.clone())).collect(),
        };
        match proposed {
            Proposed::Rightly => {
                // A repair of a sound reading that stood before it.
                self.unfounded.extend(refused.iter().cloned());
            }
            Proposed::Otherwise if !at.is_empty() => {
                for (n, f) in at.iter().enumerate() {
                    let action = if n == 0 { Action::Points(costs) } else { Action::Forgive };
                    self.decisions.push(decision(f.key.clone(), action, "truth"));
                }
            }
            _ if !costs.is_zero() => {
                let key = Key::Own { criterion: criterion.clone().unwrap_or_default(), number: "truth".into() };
                self.decisions.push(decision(key, Action::Points(costs), "truth"));
            }
            _ => {}
        }
        // What nobody raised and what costs nothing cannot be told from a right table.
        if proposed != Proposed::Not || !costs.is_zero() {
            let says = planted.says.clone();
            let mends = Vec::new();
            self.acts.push(Act { field: Field::Slips, says, costs, criterion, keys, mends, proposed });
        }
    }
}

/// An act that one finding shows, at what that costs.
fn shown_by(f: &Finding, field: Field, proposed: Proposed) -> Act {
    Act {
        field,
        says: String::new(),
        costs: f.cost,
        criterion: f.criterion.clone(),
        keys: vec![f.key.clone()],
        mends: Vec::new(),
        proposed,
    }
}
