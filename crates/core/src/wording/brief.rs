//! A finding in few words, for a list and for the Docket's headline.

use super::happened::clause;
use super::reviewer::says;
use super::single::{act, corrected, repaired};
use super::slips::{riddle, throughout};
use super::{At, amount, sentence};
use crate::finding::{Finding, Kind};
use crate::notation::{self, capital};
use crate::protocol::Protocol;

/// What was found, in few words; what has none of its own is told as the reviewer reads it.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::wording;
/// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
/// assert_eq!(wording::brief(&lab(), &judged.findings[0]), "Diameter: the π of the formula was left out.");
/// ```
pub fn brief(protocol: &Protocol, finding: &Finding) -> String {
    let at = At::of(protocol, finding);
    match &finding.kind {
        Kind::Repair { text, value, resolution, .. } => {
            let unit = at.unit();
            let shown = repaired(*value, *resolution);
            format!("{} reads {} and seems to have been {shown}{unit}.", sentence(&at.reading()), amount(text, &unit))
        }
        Kind::Rewritten { act: what, .. } => format!("{}.", sentence(&act(&at, what))),
        Kind::Corrected { .. } => format!("{}.", sentence(&corrected(&at, &finding.kind))),
        Kind::Slip(story) => format!("{}: {}.", capital(&at.result()), clause(protocol, &story.account.clause)),
        Kind::Unexplained(r) | Kind::Ambiguous(r) => {
            let story = riddle(&at, &finding.kind) + &throughout(r);
            format!("{} {}, not {}.{story}", capital(&at.result()), amount(&r.text, &at.unit()), at.right(&r.right))
        }
        Kind::DigitsFew(habit) | Kind::DigitsMany(habit) => {
            let word = if matches!(finding.kind, Kind::DigitsFew(_)) { "fewer" } else { "more" };
            format!("{} with {word} figures than the readings support.", notation::counted(habit.len(), "result"))
        }
        _ => says(protocol, finding),
    }
}
