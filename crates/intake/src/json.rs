//! Submissions as JSON: a list of tables with their cells as typed.

use std::collections::{BTreeSet, HashSet};
use std::marker::PhantomData;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use serde::Deserialize;
use serde::de::{DeserializeOwned, Deserializer as _, SeqAccess, Visitor};

use crate::csv_long::beyond;
use crate::roster::Roster;
use crate::{Effort, HeldRow, Intake};

/// Lists and objects in a file for each row that it may have, in tenths: a cell is one, and one in two may have keys of its own.
const TENTHS_OF_OPENINGS: usize = 15;

/// Every element of a list, one after the other; the first that gives a fault ends it.
fn each<T: DeserializeOwned>(
    bytes: &[u8],
    effort: &Effort,
    take: &mut dyn FnMut(T) -> Result<(), Fault>,
) -> Result<(), Fault> {
    let bytes = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
    // What is opened is counted before anything is made of it.
    let openings = memchr::memchr2_iter(b'{', b'[', bytes).count();
    if openings / TENTHS_OF_OPENINGS > effort.limits.rows / 10 {
        return Err(Fault {
            line: 1,
            column: 1,
            what: format!("the file has more than {} cells", effort.limits.rows),
            mend: "hand in one section at a time".into(),
        });
    }
    let mut fault = None;
    let mut list = serde_json::Deserializer::from_slice(bytes);
    let read =
        list.deserialize_seq(Each { effort, take, fault: &mut fault, of: PhantomData }).and_then(|()| list.end());
    match (fault, read) {
        (Some(fault), _) => Err(fault),
        (None, Err(e)) => Err(Fault {
            line: e.line().max(1),
            column: e.column().max(1),
            what: format!("this is no list of submissions: {e}"),
            mend: "see docs/protocols.md for the object".into(),
        }),
        (None, Ok(())) => Ok(()),
    }
}

/// Takes the elements of a list as they come.
struct Each<'a, T> {
    effort: &'a Effort,
    take: &'a mut dyn FnMut(T) -> Result<(), Fault>,
    fault: &'a mut Option<Fault>,
    of: PhantomData<T>,
}

impl<'de, T: DeserializeOwned> Visitor<'de> for Each<'_, T> {
    type Value = ();

    fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a list")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<(), A::Error> {
        while let Some(element) = list.next_element()? {
            if let Err(fault) = self.effort.step(32).and_then(|()| (self.take)(element)) {
                *self.fault = Some(fault);
                return Err(serde::de::Error::custom("left off"));
            }
        }
        Ok(())
    }
}

/// The items that the tables of a list name.
pub(crate) fn items_named(bytes: &[u8], effort: &Effort) -> Result<BTreeSet<String>, Fault> {
    #[derive(Deserialize)]
    struct Table {
        cells: Vec<Cell>,
    }
    #[derive(Deserialize)]
    struct Cell {
        item: String,
    }
    let mut names = BTreeSet::new();
    each(bytes, effort, &mut |t: Table| {
        names.extend(t.cells.into_iter().map(|c| c.item));
        Ok(())
    })?;
    Ok(names)
}

/// Reads a list of submissions.
///
/// # Errors
/// Where the text is no such list, with the place in it, or larger than may be. A cell with an unknown item is held.
pub fn read_json(bytes: &[u8], protocol: &Protocol, effort: &Effort) -> Result<Intake, Fault> {
    let mut tables: Vec<Submission> = Vec::new();
    each(bytes, effort, &mut |t| {
        tables.push(t);
        Ok(())
    })?;
    let mut out = Intake::default();
    for table in &mut tables {
        let place = format!("{} {}", table.section, table.team);
        // What a spreadsheet gives is bounded as it is read; a list of one's own is no way round that.
        if table.under.as_deref().is_some_and(crate::under::is_too_much) {
            table.under = None;
            out.remarks.push(format!("The formulas of {place} are more than are looked at; they were left aside."));
        }
        let mut spent = Ok(());
        table.cells.retain(|cell| {
            if spent.is_err() {
                return false;
            }
            out.rows += 1;
            let objection = match protocol.item(&cell.item) {
                None => {
                    let what = format!(
                        "`{}` in the table of {place} is no reading or result of {}",
                        cell.item, protocol.title
                    );
                    Some(("unknown-item", what, "mend its id".to_owned()))
                }
                Some(item) => cell
                    .row
                    .and_then(|row| beyond(protocol, item, row))
                    .map(|(what, mend)| ("row-beyond", format!("{what}, in the table of {place}"), mend)),
            };
            let taken = objection.is_none();
            if let Some((code, what, mend)) = objection {
                let fault = Fault { line: 1, column: 1, what, mend };
                let whose = (table.section.clone(), table.team.clone());
                spent = spent.clone().and(effort.hold(1));
                out.held.push(HeldRow { code, fault, text: cell.value.clone(), whose });
            }
            taken
        });
        spent?;
    }
    out.tables = tables;
    Ok(out.count_waiting())
}

/// Whether bytes are a JSON list.
pub(crate) fn looks_like(bytes: &[u8]) -> bool {
    let bytes = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(bytes);
    bytes.iter().find(|b| !b.is_ascii_whitespace()).is_some_and(|b| *b == b'[')
}

/// [`read_json`] for what a person hands in: tables of teams that are not on the roster, or are there twice, are held.
pub(crate) fn read_json_for(
    bytes: &[u8],
    protocol: &Protocol,
    roster: Option<&Roster>,
    effort: &Effort,
) -> Result<Intake, Fault> {
    let mut out = read_json(bytes, protocol, effort)?;
    if out.rows > effort.limits.rows {
        return Err(Fault {
            line: 1,
            column: 1,
            what: format!("the file has {} cells; at most {} are taken", out.rows, effort.limits.rows),
            mend: "hand in one section at a time".into(),
        });
    }
    let mut seen: HashSet<(String, String)> = HashSet::new();
    let tables = std::mem::take(&mut out.tables);
    for table in tables {
        let twice = seen.contains(&(table.section.clone(), table.team.clone()));
        let objection = roster.and_then(|r| r.objection(&table.section, &table.team)).or_else(|| {
            twice.then(|| {
                let what = format!("the table of {} in {} is there twice", table.team, table.section);
                ("duplicate", what, "keep the right one of the two".to_owned())
            })
        });
        match objection {
            Some((code, what, mend)) => {
                effort.hold(1)?;
                let text: String = serde_json::to_string(&table).unwrap_or_default().chars().take(1000).collect();
                let whose = (table.section.clone(), table.team.clone());
                out.held.push(HeldRow { code, fault: Fault { line: 1, column: 1, what, mend }, text, whose });
            }
            None => {
                seen.insert((table.section.clone(), table.team.clone()));
                out.tables.push(table);
            }
        }
    }
    Ok(out)
}
