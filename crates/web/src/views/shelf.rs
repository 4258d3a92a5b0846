//! What is taken out or belongs to a term that has ended, in words.

use jurado_core::notation::counted;
use jurado_store::shelf::{DAYS_BACK, OnShelf, Removal, Shelved};

use super::course::time;

/// Why nothing of a table is changed any more.
pub(crate) struct ShelvedView {
    pub(crate) head: String,
    pub(crate) says: String,
    /// What can be brought back by whoever looks.
    pub(crate) removal: Option<u32>,
}

impl ShelvedView {
    pub(crate) fn new(shelved: &Shelved, may: bool) -> ShelvedView {
        match shelved {
            Shelved::Ended(term) => ShelvedView {
                head: format!("Of a term that has ended: {term}"),
                says: "It is shown by the protocol of that time. It can be read and exported, and is not changed any more."
                    .into(),
                removal: None,
            },
            Shelved::Removed(r) => ShelvedView {
                head: "Taken out".into(),
                says: format!("{} Until {} it can be brought back.", taken_out(r), time(r.until())),
                removal: may.then_some(r.id),
            },
        }
    }
}

fn taken_out(r: &Removal) -> String {
    format!("By {} on {}: “{}”.", r.by, time(r.at), r.reason)
}

/// One line of the shelf.
pub(crate) struct ShelfLine {
    pub(crate) id: u32,
    pub(crate) what: String,
    pub(crate) says: String,
    /// The Bench of a single table.
    pub(crate) sheet: Option<u32>,
}

impl ShelfLine {
    pub(crate) fn new(on: &OnShelf, title: &str) -> ShelfLine {
        let single = on.first.as_ref().filter(|_| !on.removal.whole_lab);
        ShelfLine {
            id: on.removal.id,
            what: match single {
                Some((_, section, team)) => format!("{team} of {section}, {title}"),
                None => format!("{title}: {}", counted(on.tables, "table")),
            },
            says: format!("{} It can be brought back until {}.", taken_out(&on.removal), time(on.removal.until())),
            sheet: single.map(|f| f.0),
        }
    }
}

/// How long what was taken out can be brought back, in days.
pub(crate) const DAYS: i64 = DAYS_BACK;
