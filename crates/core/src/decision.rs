//! What people decided: about one finding of one table, or, as a ruling, about all like cases.
//!
//! A decision is of one person about one finding of one table; a ruling is of everybody about all
//! like findings. Both are added to a table's record and never taken out of it: who changes a mind
//! decides again, and the last decision counts. The judgement takes them in as it takes the cells
//! in, so that the same decisions give the same points on every day.

use std::collections::BTreeMap;

use rust_decimal::Decimal;

use crate::finding::key::Key;
use crate::submission::Submission;
use serde::{Deserialize, Serialize};

/// A reviewer's decision on a finding, a whole line of the score, a cell, what the team is told of
/// a finding, or a finding of the reviewer's own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Decision {
    /// What it is about.
    pub finding: Key,
    /// What was decided.
    pub action: Action,
    /// Why; empty only for taking what is proposed.
    pub reason: String,
    /// Who, for display.
    pub by: String,
    /// The cell's text or the sentence that is put in place; empty where there is none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub text: String,
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
    /// Take a cell for the decision's text.
    Read,
    /// Leave a reading out, for the decision's reason.
    LeaveOut,
    /// Tell the team the decision's text in place of the finding's own words.
    Say,
}

/// A decision about a pattern, in force for every section and reviewer.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Ruling {
    /// Number of the ruling, by which it is recalled.
    pub id: u64,
    /// Id of the lab for which it holds.
    pub protocol: String,
    /// Code of the findings it settles, such as `slip`.
    pub code: String,
    /// Item's id; absent for any.
    #[serde(default)]
    pub item: Option<String>,
    /// Kind of slip; absent for any.
    #[serde(default)]
    pub slip: Option<String>,
    /// Section's name; absent for any.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub section: Option<String>,
    /// Keys a table must have, such as its station; absent for any.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub keys: BTreeMap<String, String>,
    /// Accuracy of the item is judged against this value, in its unit, in place of the reference:
    /// the consensus of a station whose gauge reads low. Of a constant it is the value that
    /// formulas take.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub against: Option<f64>,
    /// The item is judged by the formula of this school or declared slip, in place of its own: it
    /// was taught so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub school: Option<String>,
    /// It holds for tables that were handed in with this number or a later one; absent for all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<u32>,
    /// What it does.
    pub action: Action,
    /// Why the person decided so, in the person's own words.
    pub reason: String,
}

impl Ruling {
    /// Code of one that says what is taught: a school or a constant.
    pub const TAUGHT: &str = "taught";

    /// Whether it is about a table.
    ///
    /// # Example
    /// ```
    /// use jurado_core::decision::Ruling;
    /// use jurado_core::example::table;
    /// let text = r#"{ "id": 1, "protocol": "mooring-post", "code": "slip", "section": "Evening",
    ///     "action": { "do": "forgive" }, "reason": "taught so" }"#;
    /// let ruling: Ruling = serde_json::from_str(text).expect("a ruling");
    /// // The table is of the morning's section.
    /// assert!(!ruling.concerns("mooring-post", &table("29.98", "706")));
    /// ```
    pub fn concerns(&self, protocol: &str, table: &Submission) -> bool {
        self.protocol == protocol
            && self.section.as_ref().is_none_or(|s| *s == table.section)
            && self.keys.iter().all(|(k, v)| table.keys.get(k) == Some(v))
            && self.since.is_none_or(|first| table.number >= first)
    }

    /// Whether it says what a table is judged by, and does not settle a finding: what it moves no
    /// finding tells before.
    ///
    /// # Example
    /// ```
    /// use jurado_core::decision::Ruling;
    /// let ruling = |more: &str| -> Ruling {
    ///     let text = format!(
    ///         r#"{{ "id": 1, "protocol": "p", "code": "taught", "action": {{ "do": "accept" }}, "reason": "r" {more} }}"#
    ///     );
    ///     serde_json::from_str(&text).expect("a ruling")
    /// };
    /// // Another value of a constant, or the formula of another school.
    /// assert!(ruling(r#", "against": 9.78"#).sets() && ruling(r#", "school": "by hand""#).sets());
    /// assert!(!ruling("").sets());
    /// ```
    pub fn sets(&self) -> bool {
        self.against.is_some() || self.school.is_some()
    }

    /// How narrow its pattern is: of two that fit the narrower counts, and of two alike the newer.
    ///
    /// # Example
    /// ```
    /// use jurado_core::decision::Ruling;
    /// let ruling = |id: u64, more: &str| -> Ruling {
    ///     let text = format!(
    ///         r#"{{ "id": {id}, "protocol": "p", "code": "slip", "action": {{ "do": "forgive" }}, "reason": "r" {more} }}"#
    ///     );
    ///     serde_json::from_str(&text).expect("a ruling")
    /// };
    /// let (all, here) = (ruling(9, ""), ruling(2, r#", "section": "Evening""#));
    /// // What was ruled for one section goes before what was ruled for all, though it is older.
    /// assert!(here.rank() > all.rank());
    /// assert!(ruling(10, "").rank() > all.rank());
    /// ```
    pub fn rank(&self) -> (usize, u64) {
        let said = [self.item.is_some(), self.slip.is_some(), self.section.is_some()];
        (said.into_iter().filter(|s| *s).count() + self.keys.len(), self.id)
    }
}

impl Action {
    /// Points a finding takes once this was decided, of those it takes by rule.
    ///
    /// # Example
    /// ```
    /// use jurado_core::decision::Action;
    /// use rust_decimal::Decimal;
    /// let two = Decimal::from(2);
    /// assert_eq!(Action::Accept.cost(two), two);
    /// assert_eq!(Action::Forgive.cost(two), Decimal::ZERO);
    /// assert_eq!(Action::Points(Decimal::ONE).cost(two), Decimal::ONE);
    /// ```
    pub fn cost(self, by_rule: Decimal) -> Decimal {
        match self {
            Action::Accept | Action::Refuse | Action::Read | Action::LeaveOut | Action::Say => by_rule,
            Action::Forgive => Decimal::ZERO,
            Action::Points(p) => p,
        }
    }
}
