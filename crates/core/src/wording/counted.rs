//! For the reviewer: what counts of the readings, and what stands apart.
//!
//! What is counted here stands in lists and headings, where a sentence would be too long.

use super::At;
use crate::finding::{Apart, Excluded, Kind, Support};
use crate::notation;

/// "Reading 3 of the diameter, 4.7 cm," and "Row 2 of the runs".
fn left_out(at: &At<'_>, what: &Excluded) -> String {
    match what {
        Excluded::Reading(text) => format!("Reading {} of the {}, {text}{},", at.number(), at.title(), at.unit()),
        Excluded::Row(table) => format!("Row {} of the {}", at.number(), at.protocol.tables[*table].title),
    }
}

/// A reading that was left out, with the cause or test that bears it out.
pub(super) fn exclusion(at: &At<'_>, what: &Excluded, reason: &str, support: Support) -> String {
    let why = match support {
        Support::Cause(cause) => at.protocol.causes[cause].says.as_str(),
        Support::Test => "it stands apart by the test",
    };
    format!("{} was left out (“{reason}”); supported: {why}.", left_out(at, what))
}

/// A reading that was left out for a reason that nothing bears out.
pub(super) fn unsupported(at: &At<'_>, what: &Excluded, reason: &str) -> String {
    let place = left_out(at, what);
    match what {
        Excluded::Row(_) => {
            format!("{place} was left out (“{reason}”). No declared cause is named; the row is left out here too.")
        }
        Excluded::Reading(_) => {
            let why = if reason.is_empty() {
                "no reason is given".to_owned()
            } else {
                format!("“{reason}” names no cause that pushes it that way, and no test supports it")
            };
            format!("{place} was left out, but {why}. The recomputation keeps it.")
        }
    }
}

/// How readings that should agree do.
pub(super) fn concordance(at: &At<'_>, kind: &Kind) -> String {
    let title = at.title();
    match kind {
        Kind::NotConcordant => {
            format!("No two of the {title} agree within the protocol’s tolerance; all of them count here.")
        }
        Kind::ConcordanceTied { kept } => format!(
            "Two sets of the {title} agree equally well and have different means; {} were taken, the tighter or later ones.",
            kept.join(", ")
        ),
        Kind::Concordance { kept } => {
            format!("Concordant {title}: {}; the others do not count.", kept.join(", "))
        }
        _ => String::new(),
    }
}

/// "Q 0.71 against 0.68": a test's statistic beside its critical value.
pub(super) fn measured(test: &str, statistic: f64, critical: f64) -> String {
    let letter = match test {
        "dixon" => "Q",
        "grubbs" | "esd" => "G",
        "known" => "deviation in units of the known repeatability",
        _ => "modified z",
    };
    format!("{letter} {} against {}", notation::decimals(statistic, 2), notation::decimals(critical, 2))
}

/// A replicate that stands apart: the test, its statistic beside the critical value, and the result
/// with and without it.
pub(super) fn outlier(at: &At<'_>, apart: &Apart) -> String {
    let other = match apart.otherwise {
        Some("grubbs") => " Grubbs’ test says otherwise.",
        Some(_) => " Dixon’s test says otherwise.",
        None => "",
    };
    let cause = match apart.cause {
        Some(cause) => format!(" A usual cause: {}.", at.protocol.causes[cause].says),
        None => " No usual cause pushes it that way.".to_owned(),
    };
    format!(
        "Reading {} of the {}, {}{}, stands apart: {}.{other} Mean {} with it, {} without.{cause}",
        at.number(),
        at.title(),
        apart.text,
        at.unit(),
        measured(apart.test, apart.statistic, apart.critical),
        notation::decimals(apart.with, apart.places),
        notation::decimals(apart.without, apart.places)
    )
}
