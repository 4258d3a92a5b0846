//! What persons changed of one table, by field.
//!
//! What a person changed is the difference between what was computed – rulings in force among it –
//! and what was decided. It is summed up by field, so that a reviewer's section can be held beside
//! the others without looking at any single mark.

use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use crate::finding::{Correction, Finding, Kind};
use crate::protocol::{Protocol, Rule};
use crate::summary::Mark;
use crate::verdict::Judged;

/// What a change is about, as moderation sums it up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Field {
    /// Slips and what follows from them: a factor of 2, a value that no story explains.
    Slips,
    /// Digits and units: one figure too few, cm for mm.
    Digits,
    /// Readings left out or kept: a replicate that stands apart.
    LeftOut,
    /// A stated ± that is missing or unfair.
    Stated,
    /// Something that is not there.
    Missing,
    /// All else: words, references, a line changed as a whole, a finding of the reviewer's own.
    Rest,
}

impl Field {
    /// All fields, those that are drawn first.
    pub const ALL: [Field; 6] =
        [Field::Slips, Field::Digits, Field::LeftOut, Field::Stated, Field::Missing, Field::Rest];
    /// Fields that are compared one by one: the rest is of too many kinds.
    pub const DRAWN: usize = 5;

    /// The field of a finding; `None` for what only a person judges, of which nothing was computed.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::moderation::Field;
    /// // The girth was taken for the diameter: a slip.
    /// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
    /// let fields: Vec<Option<Field>> = judged.findings.iter().map(Field::of).collect();
    /// assert!(fields.contains(&Some(Field::Slips)));
    /// ```
    pub fn of(finding: &Finding) -> Option<Field> {
        if matches!(finding.kind, Kind::Manual(_)) {
            return None;
        }
        Some(match finding.kind.properties().mark {
            Mark::Slip | Mark::Unexplained | Mark::Carried | Mark::Rounded => Field::Slips,
            Mark::Short | Mark::Unreadable => Field::Digits,
            Mark::Apart => Field::LeftOut,
            Mark::Tight => Field::Stated,
            Mark::Missing | Mark::Unchecked => Field::Missing,
            Mark::Agrees | Mark::Hangs | Mark::Differs => Field::Rest,
        })
    }
}

/// What persons changed of one table.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Moved {
    /// Findings of each field that cost something, by rule or by decision.
    pub findings: [u32; 6],
    /// Points decided less points computed, of each field: positive where a person gave more.
    pub points: [Decimal; 6],
}

impl Moved {
    /// What was changed by hand. Rulings are no person's change: what they give is computed. A line
    /// that only a person judges is left out.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::moderation::{Field, Moved};
    /// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
    /// let moved = Moved::of(&lab(), &judged);
    /// // A finding that costs something, and nobody changed it.
    /// assert_eq!(moved.findings[Field::Slips as usize], 1);
    /// assert!(moved.points.iter().all(|p| p.is_zero()));
    /// ```
    ///
    /// # Formula
    /// Of each line of the score, Δ = decided − computed. Its findings have moved by mᵢ = (cost
    /// computed − cost decided); a line holds no less than nought and counts in steps, so that Δ
    /// may be less than Σmᵢ: each field gets Δ·mᵢ/Σmᵢ. Where a line was changed as a whole, or a
    /// reading was read otherwise or left out, what the findings do not tell is of [`Field::Rest`]
    /// or [`Field::LeftOut`].
    pub fn of(protocol: &Protocol, judged: &Judged) -> Moved {
        let mut moved = Moved::default();
        let left_out =
            judged.findings.iter().any(|f| matches!(&f.kind, Kind::Corrected { how: Correction::LeftOut, .. }));
        let otherwise = if left_out { Field::LeftOut } else { Field::Rest };
        for f in judged.findings.iter().filter(|f| f.computed_cost != Decimal::ZERO || f.decided_cost != Decimal::ZERO)
        {
            if let Some(field) = Field::of(f) {
                moved.findings[field as usize] += 1;
            }
        }
        for line in &judged.score.lines {
            let difference = line.decided - line.computed;
            let rule = protocol.criteria.iter().find(|c| c.id == line.criterion).map(|c| &c.rule);
            if difference.is_zero() || matches!(rule, Some(Rule::Manual { .. })) {
                continue;
            }
            let raw = by_field(judged, &line.criterion);
            let sum: Decimal = raw.iter().sum();
            if line.changed.is_some() {
                moved.points[Field::Rest as usize] += difference;
            } else if sum.is_zero() || (sum < Decimal::ZERO) != (difference < Decimal::ZERO) {
                moved.points[otherwise as usize] += difference;
            } else {
                for (to, of) in moved.points.iter_mut().zip(raw) {
                    *to += (difference * of / sum).round_dp(6);
                }
            }
        }
        moved
    }

    /// Points decided less points computed, in all.
    ///
    /// # Example
    /// ```
    /// use jurado_core::moderation::Moved;
    /// let moved = Moved::from_text("3 0.25;0 0;1 -0.5;0 0;0 0;0 0").expect("as it is kept");
    /// assert_eq!(moved.sum().to_string(), "-0.25");
    /// ```
    pub fn sum(&self) -> Decimal {
        self.points.iter().sum()
    }

    /// As a record keeps it: findings and points of each field, such as
    /// `3 0.25;0 0;1 -0.5;0 0;0 0;0 0`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::moderation::Moved;
    /// // Nobody changed what was computed.
    /// let moved = Moved::of(&lab(), &judge(&lab(), &table("94.2", "6969"), &[], &[]));
    /// assert!(moved.sum().is_zero());
    /// assert_eq!(Moved::from_text(&moved.to_text()), Some(moved));
    /// ```
    pub fn to_text(&self) -> String {
        let each: Vec<String> =
            self.findings.iter().zip(&self.points).map(|(n, p)| format!("{n} {}", p.normalize())).collect();
        each.join(";")
    }

    /// What [`Moved::to_text`] wrote; `None` for anything else.
    ///
    /// # Example
    /// ```
    /// use jurado_core::moderation::Moved;
    /// assert_eq!(Moved::from_text("0 0;0 0;0 0;0 0;0 0;0 0"), Some(Moved::default()));
    /// assert_eq!(Moved::from_text("0 0;0 0"), None);
    /// ```
    pub fn from_text(text: &str) -> Option<Moved> {
        let mut moved = Moved::default();
        let mut parts = text.split(';');
        for (n, p) in moved.findings.iter_mut().zip(&mut moved.points) {
            let (count, points) = parts.next()?.split_once(' ')?;
            (*n, *p) = (count.parse().ok()?, points.parse().ok()?);
        }
        parts.next().is_none().then_some(moved)
    }
}

/// What the findings of a line were changed by, by field.
///
/// Positive where a person gave more than was computed.
fn by_field(judged: &Judged, criterion: &str) -> [Decimal; 6] {
    let mut raw = [Decimal::ZERO; 6];
    for f in judged.findings.iter().filter(|f| f.criterion.as_deref() == Some(criterion)) {
        if let Some(field) = Field::of(f) {
            raw[field as usize] += f.computed_cost - f.decided_cost;
        }
    }
    raw
}
