//! What a correction says beside its figures: each source of uncertainty by name, and a sentence
//! for each thing that differed.

use super::{face, tells};
use crate::notation;
use crate::protocol::Protocol;
use crate::uncertainty::{Of, Source, SourceKind};
use crate::verdict::{Face, Judged, JudgedResult, VerdictKind};

/// A source of uncertainty: "step of the plate length", "limit of the slide gauge".
pub(crate) fn source(protocol: &Protocol, from: &Source) -> String {
    let title = match from.of {
        Of::Item(i) => &protocol.items[i].title,
        Of::Instrument(i) => &protocol.instruments[i].title,
    };
    let what = match from.kind {
        SourceKind::Resolution => "step of the",
        SourceKind::Replicates => "spread of the",
        SourceKind::Limit => "limit of the",
        SourceKind::Events => "chance in the",
        SourceKind::Constant => "the",
        SourceKind::Bracket => "bracket of the",
        SourceKind::Own => "the lab’s own formula for the",
        SourceKind::Arising => "fit in the",
    };
    format!("{what} {title}")
}

/// What is to be said to the team about one result, a sentence each: how it stands, what was found
/// at it, and where its uncertainty comes from if not from the linear rule.
pub(crate) fn explained(protocol: &Protocol, judged: &Judged, r: &JudgedResult) -> Vec<String> {
    let mut out: Vec<String> = standing(protocol, r).into_iter().collect();
    let told = judged
        .findings
        .iter()
        .filter(|f| f.concerns(r.item) && (f.place.row.is_none() || r.row.is_none() || f.place.row == r.row));
    out.extend(told.map(|f| tells(protocol, f)).filter(|text| !text.is_empty()));
    if let Some(u) = r.monte_carlo {
        let unit = protocol.items[r.item].unit_after();
        out.push(format!(
            "Its uncertainty, {}{unit}, comes from {} trials: the linear rule would be wrong here.",
            notation::uncertainty(u),
            20_000
        ));
    }
    out
}

/// How a value stands of which nothing is found; `None` where a finding says it.
fn standing(protocol: &Protocol, r: &JudgedResult) -> Option<String> {
    let face = || face(protocol, r.face.as_ref().unwrap_or(&Face::Early));
    match r.verdict {
        VerdictKind::Agrees => Some("Your value agrees with what your readings give.".to_owned()),
        VerdictKind::Rounded => Some(format!("Your value is right to its figures: {}.", face())),
        VerdictKind::Carried => Some(format!(
            "Your value is worked out rightly from an earlier one that is not: {}. It costs nothing again.",
            face()
        )),
        VerdictKind::Unchecked => Some("Your value could not be checked: it waits for a reading.".to_owned()),
        _ => None,
    }
}
