//! The instructor's run: the good table of a protocol, judged by it.

use rust_decimal::Decimal;

use crate::error::Fault;
use crate::finding::{Kind, Severity};
use crate::judging::judge;
use crate::protocol::Protocol;
use crate::wording;

/// What is wrong with the instructor's run as the protocol judges it; nothing where it comes out
/// clean, or where the protocol has none.
///
/// A line that a person judges is left out of account.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::instructor::faults;
/// // The lab hands in no run of its own, so that nothing can be wrong with it.
/// assert!(faults(&lab()).is_empty());
/// ```
pub fn faults(protocol: &Protocol) -> Vec<Fault> {
    let Some(run) = &protocol.run else { return Vec::new() };
    let judged = judge(protocol, &run.submission, &[], &[]);
    let fault = |what: String| Fault {
        line: run.at.0,
        column: run.at.1,
        what: format!("the instructor’s run does not come out clean: {what}"),
        mend: "mend the run where it is wrong, else the protocol".to_owned(),
    };
    let told = judged.findings.iter().filter(|f| f.severity != Severity::Note && !matches!(f.kind, Kind::Manual(_)));
    let mut out: Vec<Fault> =
        told.map(|f| fault(wording::says(protocol, f).trim_end_matches('.').to_owned())).collect();
    let lost: Decimal = judged.score.lines.iter().map(|l| l.possible - l.awarded).sum();
    if out.is_empty() && lost > Decimal::ZERO {
        out.push(fault(format!("it loses {} points", lost.normalize())));
    }
    out
}
