//! Practice: tables whose truth is known, and what a reviewer made of each. [`Truth`] says what
//! there is to find, what it costs and which decisions bring the right points; [`Truth::account`]
//! compares a reviewer's verdict with it.
//!
//! The truth is not what the judge says: an act that was planted stands whether the judge names it,
//! names it otherwise or passes it by. A reviewer who takes everything proposed is measured like
//! any other.
//!
//! # What is measured
//!
//! | | counts |
//! |---|---|
//! | found | acts that were charged with half of what they cost or more |
//! | missed | acts that were not |
//! | charged twice | acts whose consequences were charged besides |
//! | without a cause | charges for what never happened |

mod account;
mod habits;
mod planted;

use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

pub use account::{Account, Fate, QUARTER, Summed, wilson};
pub use habits::{FEWEST, Habit, Worked, habits};
pub use planted::{Known, Lent, Planted, Pushed};

use crate::decision::{Action, Decision};
use crate::finding::{Finding, Key, Kind, Severity};
use crate::judging::judge;
use crate::moderation::Field;
use crate::protocol::{Protocol, Rule};
use crate::submission::Submission;
use crate::verdict::Judged;

/// Who decided what is given with a practice table.
const GIVEN_BY: &str = "practice";

/// What is true of one practice table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Truth {
    /// Points that the table is worth.
    pub points: Decimal,
    /// What there is to find.
    ///
    /// In the order in which they were planted; numbers elsewhere are places in it.
    pub acts: Vec<Act>,
    /// Findings that follow from an act, and that act by its place in `acts`: who charges one
    /// charges the act again.
    pub follows: Vec<(Key, usize)>,
    /// Findings without a cause: who charges one charges what never happened.
    pub unfounded: Vec<Key>,
    /// Decisions that bring the right points, oldest first.
    pub decisions: Vec<Decision>,
}

/// One thing to find in a practice table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Act {
    /// What it is about.
    pub field: Field,
    /// What was done, as whoever planted it says; empty where the finding says it.
    pub says: String,
    /// Points it costs.
    pub costs: Decimal,
    /// Criterion that it is charged to.
    pub criterion: Option<String>,
    /// Findings about it.
    pub keys: Vec<Key>,
    /// Cells that stand otherwise than they were seen: to read one as it was meant is to find it.
    #[serde(default)]
    pub mends: Vec<Key>,
    /// How far the judge got with it.
    pub proposed: Proposed,
}

/// How far the judge got with an act.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Proposed {
    /// Found, and named as what it is.
    Rightly,
    /// Found, and taken for something else: a person has to look further.
    Otherwise,
    /// Passed by.
    Not,
}

/// What is given with every practice table: no paper lies with it, so what only the paper tells has
/// its highest level.
///
/// A lab without such criteria has none.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::practice::given;
/// assert!(given(&lab()).is_empty());
/// ```
pub fn given(protocol: &Protocol) -> Vec<Decision> {
    let highest = |rule: &Rule| match rule {
        Rule::Manual { levels } => levels.iter().map(|(_, points)| *points).max(),
        _ => None,
    };
    protocol
        .criteria
        .iter()
        .filter_map(|c| Some(decision(Key::Line(c.id.clone()), Action::Points(highest(&c.rule)?), GIVEN_BY)))
        .collect()
}

/// The verdict on a practice table with what is given and what somebody decided, oldest first.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::practice::judged;
/// let judged = judged(&lab(), &table("29.98", "706.1"), &[]);
/// assert_eq!(judged.score.decided, judged.score.possible);
/// ```
pub fn judged(protocol: &Protocol, table: &Submission, decided: &[Decision]) -> Judged {
    let all: Vec<Decision> = given(protocol).into_iter().chain(decided.iter().cloned()).collect();
    judge(protocol, table, &[], &all)
}

/// Taking what is proposed needs no reason.
fn decision(finding: Key, action: Action, by: &str) -> Decision {
    let reason = if action == Action::Accept { String::new() } else { by.to_owned() };
    Decision { finding, action, reason, by: by.to_owned(), text: String::new() }
}

/// Everything that is still open, taken as proposed.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::practice::{judged, taking_all};
/// let lab = lab();
/// let open = judged(&lab, &table("94.2", "6969"), &[]);
/// let all = taking_all(&open, "a reviewer");
/// // Nothing is open once all of it is taken.
/// let after = judged(&lab, &table("94.2", "6969"), &all);
/// assert!(!all.is_empty() && taking_all(&after, "a reviewer").is_empty());
/// ```
pub fn taking_all(judged: &Judged, by: &str) -> Vec<Decision> {
    let open = judged.findings.iter().filter(|f| f.open());
    open.map(|f| decision(f.key.clone(), Action::Accept, by)).collect()
}

/// Whether a finding is about what was worked out: these are known by what was planted, all others
/// by arithmetic alone.
///
/// Readings, figures and what is missing can be told by arithmetic alone.
fn about_working(finding: &Finding) -> bool {
    matches!(
        finding.kind,
        Kind::Slip(_)
            | Kind::SlipAgain
            | Kind::Unexplained(_)
            | Kind::Ambiguous(_)
            | Kind::Repair { .. }
            | Kind::Rewritten { .. }
    )
}

/// Whether a finding counts as something to find: it costs, or it asks about a reading that stands
/// apart.
///
/// What is worth a look and costs nothing is nothing to find, but for a reading that stands apart.
fn counts(finding: &Finding) -> bool {
    let field = Field::of(finding);
    let drawn = field.is_some_and(|f| f != Field::Rest);
    drawn && (!finding.cost.is_zero() || finding.severity == Severity::Decide && field == Some(Field::LeftOut))
}

impl Truth {
    /// The truth of a table that a person has decided, for an example of a course's own: what was
    /// charged is to be found, what was forgiven is without a cause. `computed` is the verdict
    /// before anything was decided.
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
    /// // The slip is what there is to find.
    /// assert_eq!((truth.acts.len(), truth.points), (1, decided.score.decided));
    /// ```
    pub fn decided(computed: &Judged, decided: &Judged, decisions: &[Decision]) -> Truth {
        let mut out = Truth {
            points: decided.score.decided,
            acts: Vec::new(),
            follows: Vec::new(),
            unfounded: Vec::new(),
            decisions: decisions.to_vec(),
        };
        for f in decided.findings.iter().filter(|f| f.severity != Severity::Note) {
            let own = matches!(f.key, Key::Own { .. });
            let before = computed.findings.iter().find(|c| c.key == f.key);
            let action = f.decision.as_ref().map(|d| d.action);
            if matches!(f.kind, Kind::Manual(_)) || !own && Field::of(f).is_none_or(|f| f == Field::Rest) {
                continue;
            }
            if f.decided_cost.is_zero() && (own || before.is_some_and(|b| !b.cost.is_zero())) {
                if !own {
                    out.unfounded.push(f.key.clone());
                }
                continue;
            }
            if !own && !counts(f) {
                continue;
            }
            let changed = f.reworded.is_some() || matches!(action, Some(Action::Points(_)));
            out.acts.push(Act {
                field: Field::of(f).unwrap_or(Field::Rest),
                says: match &f.kind {
                    Kind::Own { text } => text.clone(),
                    _ => String::new(),
                },
                costs: f.decided_cost,
                criterion: f.criterion.clone(),
                keys: if own { Vec::new() } else { vec![f.key.clone()] },
                mends: Vec::new(),
                proposed: match (own, changed) {
                    (true, _) => Proposed::Not,
                    (false, true) => Proposed::Otherwise,
                    (false, false) => Proposed::Rightly,
                },
            });
        }
        // A repair that was refused: to let it stand is to judge what nobody wrote.
        for d in decisions.iter().filter(|d| d.action == Action::Refuse) {
            out.unfounded.push(d.finding.clone());
        }
        out
    }
}
