//! What people decided: about one finding of one table, or, as a ruling, about all like cases.

use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

/// A reviewer's decision on a finding (its key) or on a whole line (`line:` and the criterion's id).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Decision {
    /// Key of the finding, or `line:<criterion>`.
    pub finding: String,
    /// What was decided.
    pub action: Action,
    /// Why; empty only for taking what is proposed.
    pub reason: String,
    /// Who, for display.
    pub by: String,
}

/// What a decision does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "do", content = "points")]
pub enum Action {
    /// Take what is proposed.
    Accept,
    /// Charge nothing.
    Forgive,
    /// Charge so many points; for a line: award so many.
    Points(Decimal),
    /// Refuse a repair: the table is judged again without it.
    Refuse,
}

/// A decision about a pattern, in force for every section and reviewer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ruling {
    /// Number.
    pub id: u64,
    /// Protocol's id.
    pub protocol: String,
    /// Code of the findings it settles, such as `slip`.
    pub code: String,
    /// Item's id; absent for any.
    #[serde(default)]
    pub item: Option<String>,
    /// Kind of slip; absent for any.
    #[serde(default)]
    pub slip: Option<String>,
    /// What it does.
    pub action: Action,
    /// Why.
    pub reason: String,
}

impl Action {
    /// Points a finding takes once this was decided, of those it takes by rule.
    pub fn cost(self, by_rule: Decimal) -> Decimal {
        match self {
            Action::Accept | Action::Refuse => by_rule,
            Action::Forgive => Decimal::ZERO,
            Action::Points(p) => p,
        }
    }
}
