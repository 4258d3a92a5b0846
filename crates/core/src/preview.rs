//! What would change: the difference between two judgements of the same class – before and after a
//! ruling, a new version of a protocol, another reference or key sheet. Nothing here applies
//! anything.
//!
//! Before a ruling is made, or a version put in force, a reviewer sees for which teams it would
//! change what. The tables are judged twice, as they would be, and the two verdicts are laid side
//! by side.

use rust_decimal::Decimal;
use serde::Serialize;

use crate::decision::{Decision, Ruling};
use crate::judging::judge_in;
use crate::protocol::Protocol;
use crate::row::Row;
use crate::section::Section;
use crate::submission::Submission;
use crate::verdict::Judged;

/// What would change for one team.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Change {
    /// Section of the table that changes.
    pub section: String,
    /// Team of the table that changes.
    pub team: String,
    /// Sum before and after.
    pub from: Decimal,
    /// Sum of its points after the ruling.
    pub to: Decimal,
    /// Lines of the score that change.
    pub lines: Vec<LineChange>,
    /// Results whose verdict changes.
    pub verdicts: Vec<VerdictChange>,
}

/// A line of the score that changes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct LineChange {
    /// Criterion's id.
    pub criterion: String,
    /// Points before.
    pub from: Decimal,
    /// Points after.
    pub to: Decimal,
    /// Ruling that touched it, after.
    pub ruling: Option<u64>,
}

/// A verdict that changes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct VerdictChange {
    /// Result's id.
    pub result: String,
    /// Row, from 1.
    pub row: Option<Row>,
    /// Verdict before; `None` where the result was not asked for.
    pub from: Option<&'static str>,
    /// Verdict after; `None` where the result is no longer asked for.
    pub to: Option<&'static str>,
}

/// What differs between two judgements of the same tables, matched by section and team; teams
/// without a difference are left out. `before` and `after` may come of different versions of a
/// protocol.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::preview::difference;
/// let lab = lab();
/// let before = [judge(&lab, &table("94.2", "6969"), &[], &[])];
/// let after = [judge(&lab, &table("29.98", "706.1"), &[], &[])];
/// let changes = difference((&lab, &before), (&lab, &after));
/// assert_eq!((changes.len(), changes[0].team.as_str()), (1, "Heron"));
/// assert!(changes[0].to > changes[0].from);
/// ```
pub fn difference(before: (&Protocol, &[Judged]), after: (&Protocol, &[Judged])) -> Vec<Change> {
    let mut out = Vec::new();
    for a in after.1 {
        let Some(b) = before.1.iter().find(|b| b.section == a.section && b.team == a.team) else { continue };
        out.extend(of_table((before.0, b), (after.0, a)));
    }
    out
}

/// What differs between two judgements of one table; `None` where nothing does.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::preview::of_table;
/// let lab = lab();
/// let (before, after) = (judge(&lab, &table("94.2", "6969"), &[], &[]), judge(&lab, &table("29.98", "706.1"), &[], &[]));
/// // A table that stays as it is, is no change.
/// assert!(of_table((&lab, &before), (&lab, &before)).is_none());
/// assert!(of_table((&lab, &before), (&lab, &after)).is_some());
/// ```
pub fn of_table(before: (&Protocol, &Judged), after: (&Protocol, &Judged)) -> Option<Change> {
    let change = of_team(before, after);
    (!change.lines.is_empty() || !change.verdicts.is_empty() || change.from != change.to).then_some(change)
}

/// Lines and results that only one of the two has are told with nothing on the other side.
fn of_team(before: (&Protocol, &Judged), after: (&Protocol, &Judged)) -> Change {
    let (b, a) = (before.1, after.1);
    let mut lines: Vec<LineChange> = Vec::new();
    for line in &a.score.lines {
        let was = b.score.lines.iter().find(|l| l.criterion == line.criterion);
        let from = was.map_or(Decimal::ZERO, |l| l.decided);
        if from != line.decided || was.is_none_or(|l| l.ruling != line.ruling) {
            lines.push(LineChange { criterion: line.criterion.clone(), from, to: line.decided, ruling: line.ruling });
        }
    }
    for line in b.score.lines.iter().filter(|l| !a.score.lines.iter().any(|n| n.criterion == l.criterion)) {
        lines.push(LineChange {
            criterion: line.criterion.clone(),
            from: line.decided,
            to: Decimal::ZERO,
            ruling: None,
        });
    }
    let verdicts_of = |p: &Protocol, j: &Judged| -> Vec<(String, Option<Row>, &'static str)> {
        j.results.iter().map(|r| (p.items[r.item].id.clone(), r.row, r.verdict.word())).collect()
    };
    let (old, new) = (verdicts_of(before.0, b), verdicts_of(after.0, a));
    let mut verdicts: Vec<VerdictChange> = Vec::new();
    for (result, row, to) in &new {
        let from = old.iter().find(|(r, n, _)| r == result && n == row).map(|(_, _, v)| *v);
        if from != Some(*to) {
            verdicts.push(VerdictChange { result: result.clone(), row: *row, from, to: Some(to) });
        }
    }
    for (result, row, from) in old.iter().filter(|(r, n, _)| !new.iter().any(|(s, m, _)| s == r && m == n)) {
        verdicts.push(VerdictChange { result: result.clone(), row: *row, from: Some(from), to: None });
    }
    Change {
        section: a.section.clone(),
        team: a.team.clone(),
        from: b.score.decided,
        to: a.score.decided,
        lines,
        verdicts,
    }
}

/// One table with what is set and decided for it.
#[derive(Clone, Copy, Debug)]
pub struct Table<'a> {
    /// The table as it was handed in.
    pub submission: &'a Submission,
    /// Its section's settings.
    pub section: &'a Section,
    /// Decisions on it, oldest first.
    pub decisions: &'a [Decision],
}

/// What a new ruling would change, over all tables. `rulings` are those in force; a newer one of
/// the same pattern supersedes an older.
///
/// # Example
/// ```
/// use jurado_core::decision::Ruling;
/// use jurado_core::example::{lab, table};
/// use jurado_core::preview::{Table, of_ruling, of_withdrawal};
/// use jurado_core::section::Section;
/// let (lab, sheet, section) = (lab(), table("94.2", "6969"), Section::default());
/// let tables = [Table { submission: &sheet, section: &section, decisions: &[] }];
/// let text = r#"{ "id": 1, "protocol": "mooring-post", "code": "slip", "item": "diameter",
///     "action": { "do": "forgive" }, "reason": "the sheet named it so" }"#;
/// let ruling: Ruling = serde_json::from_str(text).expect("a ruling");
/// let made = of_ruling(&lab, &tables, &[], &ruling);
/// // What it gives, its withdrawal takes back.
/// let withdrawn = of_withdrawal(&lab, &tables, &[ruling], 1);
/// assert_eq!((made[0].from, made[0].to), (withdrawn[0].to, withdrawn[0].from));
/// ```
pub fn of_ruling(protocol: &Protocol, tables: &[Table<'_>], rulings: &[Ruling], new: &Ruling) -> Vec<Change> {
    let mut with: Vec<Ruling> = rulings.to_vec();
    with.push(new.clone());
    let judge = |rulings: &[Ruling]| -> Vec<Judged> {
        tables.iter().map(|t| judge_in(protocol, t.section, t.submission, rulings, t.decisions)).collect()
    };
    difference((protocol, &judge(rulings)), (protocol, &judge(&with)))
}

/// What withdrawing a ruling would change: what was before it stands again.
///
/// # Example
/// ```
/// use jurado_core::preview::of_withdrawal;
/// // Of no tables nothing changes.
/// assert!(of_withdrawal(&jurado_core::example::lab(), &[], &[], 1).is_empty());
/// ```
pub fn of_withdrawal(protocol: &Protocol, tables: &[Table<'_>], rulings: &[Ruling], id: u64) -> Vec<Change> {
    let without: Vec<Ruling> = rulings.iter().filter(|r| r.id != id).cloned().collect();
    let judge = |rulings: &[Ruling]| -> Vec<Judged> {
        tables.iter().map(|t| judge_in(protocol, t.section, t.submission, rulings, t.decisions)).collect()
    };
    difference((protocol, &judge(rulings)), (protocol, &judge(&without)))
}
