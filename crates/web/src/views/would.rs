//! What a change would do, table by table, in words.

use jurado_core::error::Fault;
use jurado_core::notation;
use jurado_core::preview::{Change, of_table};
use jurado_core::protocol::Protocol;
use jurado_core::row::Row;
use jurado_core::verdict::Judged;
use jurado_store::rulings::Place;
use jurado_store::{SheetDetail, User};

use super::bench::points;
use super::moving::{Around, Moving, Step, Words};

/// Verdicts of one table that are told one by one.
const VERDICTS: usize = 4;

/// Changes told one by one.
const TOLD: usize = 200;

/// What a change would do, before it is done.
pub(crate) struct WouldView {
    pub(crate) moving: Moving,
    /// Whose, their points, and in which lines and verdicts.
    pub(crate) changes: Vec<(String, String, String)>,
    pub(crate) more: usize,
    /// Names the change that was looked at: sent back, it is done without another look.
    pub(crate) looked: String,
    /// Whether it was to be done at once, and is looked at first.
    pub(crate) asked: bool,
}

/// A table with its verdict as it is and as it would be.
pub(crate) type Pair = (SheetDetail, Judged, Judged);

impl WouldView {
    /// `protocols` are the one in force and the one that would be; the places are those of the tables.
    pub(crate) fn new(
        protocols: (&Protocol, &Protocol),
        pairs: &[Pair],
        looked: String,
        who: (&User, bool),
    ) -> WouldView {
        let places: Vec<Place> =
            pairs.iter().map(|(d, ..)| (d.id, d.section_id, d.submission.section.clone())).collect();
        let around = Around { places: &places, sheet: 0, user: who.0, blind: who.1 };
        let several = pairs.iter().any(|(d, ..)| d.section_id != pairs[0].0.section_id);
        let (mut steps, mut changes) = (Vec::new(), Vec::new());
        for (detail, before, after) in pairs {
            let Some(change) = of_table((protocols.0, before), (protocols.1, after)) else { continue };
            let moved = Some(after.score.decided);
            steps.push(Step { detail, before: &before.score, after: moved, by_hand: false, because: None });
            let (name, section) = (around.name(detail), &detail.submission.section);
            let whose = if several { format!("{name}, {section}") } else { name };
            let (sums, lines) = told(protocols.1, &change);
            changes.push((whose, sums, lines));
        }
        let words = Words { one: "moves at once", many: "move at once", stay: "" };
        let more = changes.len().saturating_sub(TOLD);
        changes.truncate(TOLD);
        WouldView { moving: around.moving(&steps, &words), changes, more, looked, asked: false }
    }
}

/// The points of one table, and in which lines and verdicts it changes, by the titles of the protocol as it would be.
pub(crate) fn told(protocol: &Protocol, x: &Change) -> (String, String) {
    let criterion =
        |id: &str| protocol.criteria.iter().find(|c| c.id == id).map_or_else(|| id.to_owned(), |c| c.title.clone());
    let result = |id: &str, row: Option<Row>| {
        let title = protocol.item(id).map_or_else(|| id.to_owned(), |i| protocol.full_title(i));
        row.map_or_else(|| title.clone(), |r| format!("{title}, row {r}"))
    };
    let lines =
        x.lines.iter().map(|l| format!("{}: {} becomes {}", criterion(&l.criterion), points(l.from), points(l.to)));
    let verdicts = x.verdicts.iter().take(VERDICTS).map(|v| {
        let (from, to) = (v.from.unwrap_or("not asked"), v.to.unwrap_or("not asked"));
        format!("{}: {from} becomes {to}", result(&v.result, v.row))
    });
    let mut all: Vec<String> = lines.chain(verdicts).collect();
    if x.verdicts.len() > VERDICTS {
        all.push(format!("and {} more verdicts", x.verdicts.len() - VERDICTS));
    }
    (format!("{} becomes {}", points(x.from), points(x.to)), all.join("; "))
}

/// What is to be said of a protocol's text as it stands.
pub(crate) struct Checked {
    /// Line, column, what, how to mend it.
    pub(crate) faults: Vec<(usize, usize, String, String)>,
    pub(crate) more: usize,
    /// What it holds, where it has no fault.
    pub(crate) says: String,
    /// What is no fault and looks like one: line, column, what, how to mend it.
    pub(crate) warnings: Vec<(usize, usize, String, String)>,
    /// One table tried with it: whose, points, lines.
    pub(crate) trial: Option<(String, String, String)>,
}

/// Faults that are listed.
const LISTED: usize = 12;

impl Checked {
    pub(crate) fn faulty(faults: Vec<Fault>) -> Checked {
        Checked {
            more: faults.len().saturating_sub(LISTED),
            faults: faults.iter().take(LISTED).map(placed).collect(),
            says: String::new(),
            warnings: Vec::new(),
            trial: None,
        }
    }

    pub(crate) fn of(p: &Protocol) -> Checked {
        let says = format!(
            "It reads as {}, version {}: {}, {}, {}, {} points.",
            p.title,
            p.version,
            notation::counted(p.readings.len(), "reading"),
            notation::counted(p.results.len(), "result"),
            notation::counted(p.checks.len(), "check"),
            p.possible.normalize()
        );
        // A run that does not come out clean is told as a fault is: the text cannot be put in force with it.
        let run = jurado_core::instructor::faults(p);
        Checked { warnings: p.warnings.iter().take(LISTED).map(placed).collect(), says, ..Checked::faulty(run) }
    }
}

/// A fault with its place and its first line: the place itself is a click away, and the drawing under a formula needs a face
/// of one width.
fn placed(f: &Fault) -> (usize, usize, String, String) {
    (f.line, f.column, super::capital(f.what.lines().next().unwrap_or("")), super::capital(&f.mend))
}
