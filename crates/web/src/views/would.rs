//! What a change would do, table by table, in words.

use jurado_core::error::Fault;
use jurado_core::notation;
use jurado_core::preview::Change;
use jurado_core::protocol::Protocol;

use super::bench::points;

/// Verdicts of one table that are told one by one.
const VERDICTS: usize = 4;

/// Whose, their points, and in which lines and verdicts, by the titles of the protocol as it would be. The section is
/// named where more than one can be concerned.
pub(crate) fn told(protocol: &Protocol, changes: Vec<Change>, with_section: bool) -> Vec<(String, String, String)> {
    let criterion =
        |id: &str| protocol.criteria.iter().find(|c| c.id == id).map_or_else(|| id.to_owned(), |c| c.title.clone());
    let result = |id: &str, row: Option<u32>| {
        let title = protocol.item(id).map_or_else(|| id.to_owned(), |i| protocol.full_title(i));
        row.map_or_else(|| title.clone(), |r| format!("{title}, row {r}"))
    };
    changes
        .into_iter()
        .map(|x| {
            let lines = x
                .lines
                .iter()
                .map(|l| format!("{}: {} becomes {}", criterion(&l.criterion), points(l.from), points(l.to)));
            let verdicts = x.verdicts.iter().take(VERDICTS).map(|v| {
                let (from, to) = (v.from.unwrap_or("not asked"), v.to.unwrap_or("not asked"));
                format!("{}: {from} becomes {to}", result(&v.result, v.row))
            });
            let mut all: Vec<String> = lines.chain(verdicts).collect();
            if x.verdicts.len() > VERDICTS {
                all.push(format!("and {} more verdicts", x.verdicts.len() - VERDICTS));
            }
            let who = if with_section { format!("{}, {}", x.team, x.section) } else { x.team };
            (who, format!("{} becomes {}", points(x.from), points(x.to)), all.join("; "))
        })
        .collect()
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
