//! What a class needs of one table: its results, its keys and what was typed. It is kept beside the
//! table, so that a lab of two thousand teams is looked at without judging one of them.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::Book;
use crate::finding::Accuracy;
use crate::notation::to_figures;
use crate::protocol::{Protocol, ReadingKind};
use crate::quantity::leading_place;
use crate::row::Row;
use crate::summary::Summary;
use crate::verdict::{CellState, Compared, Judged, JudgedResult};

/// What a class needs of one table.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Essence {
    /// Keys of the table, such as its station.
    #[serde(rename = "k", default, skip_serializing_if = "BTreeMap::is_empty")]
    pub keys: BTreeMap<String, String>,
    /// Its results.
    #[serde(rename = "v", default, skip_serializing_if = "Vec::is_empty")]
    pub values: Vec<Value>,
    /// Measured cells as typed, in the reading's unit, by its id and then by row; empty where
    /// nothing stands.
    #[serde(rename = "c", default, skip_serializing_if = "BTreeMap::is_empty")]
    pub cells: BTreeMap<String, Vec<String>>,
    /// What its formulas are known by, where it came in a spreadsheet with any.
    #[serde(rename = "b", default, skip_serializing_if = "Option::is_none")]
    pub book: Option<Book>,
}

/// One result of one table.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Value {
    /// Id of the result.
    #[serde(rename = "i")]
    pub item: String,
    /// Row, from 1; `None` for a single value.
    #[serde(rename = "r", default, skip_serializing_if = "Option::is_none")]
    pub row: Option<u32>,
    /// The key of its row, where rows have one.
    #[serde(rename = "a", default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
    /// What the table's own readings give, in the result's unit.
    #[serde(rename = "v", default, skip_serializing_if = "Option::is_none")]
    pub clean: Option<f64>,
    /// Lower and upper end of its reference on the sheet, in the result's unit.
    #[serde(rename = "s", default, skip_serializing_if = "Option::is_none")]
    pub sheet: Option<[f64; 2]>,
    /// Place of the last figure that it deserves: −2 for hundredths.
    #[serde(rename = "p", default)]
    pub place: i32,
    /// The word that the team gave, and the right one, by their numbers in the item's list.
    #[serde(rename = "w", default, skip_serializing_if = "Option::is_none")]
    pub word: Option<(u32, Option<u32>)>,
}

/// One table of a class.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Entry {
    /// Section in which the table was handed in.
    pub section: String,
    /// Team within its section.
    pub team: String,
    /// Who decided it; empty while nobody has.
    pub reviewer: String,
    /// What was found, as [`Summary::patterns`] writes it.
    pub found: Vec<String>,
    /// Its values, keys and cells.
    pub essence: Essence,
}

impl Essence {
    /// What a class needs of a judged table.
    ///
    /// Words keep their numbers, and cells their texts as typed.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::Essence;
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let essence = Essence::of(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[]));
    /// assert_eq!(essence.cells["girth"], ["94.2", "94.3", "94.1"]);
    /// assert_eq!(essence.values[0].item, "diameter");
    /// ```
    pub fn of(protocol: &Protocol, judged: &Judged) -> Essence {
        Essence {
            keys: judged.keys.clone(),
            values: judged.results.iter().map(|r| value(protocol, judged, r)).collect(),
            cells: cells(protocol, judged),
            book: judged.book.clone(),
        }
    }

    /// As text, for whoever keeps it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::Essence;
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let essence = Essence::of(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[]));
    /// assert_eq!(Essence::from_text(&essence.to_text()), Some(essence));
    /// ```
    pub fn to_text(&self) -> String {
        // Texts, numbers and maps by text cannot fail; a number that is none is written as null.
        serde_json::to_string(self).unwrap_or_default()
    }

    /// From its text; `None` where that was not written by [`Essence::to_text`].
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::Essence;
    /// assert_eq!(Essence::from_text("no essence"), None);
    /// assert_eq!(Essence::from_text("{}"), Some(Essence::default()));
    /// ```
    pub fn from_text(text: &str) -> Option<Essence> {
        serde_json::from_str(text).ok()
    }

    /// From its text, but without the cells, which are most of it and are needed to find shared
    /// readings alone.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::Essence;
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let whole = Essence::of(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[]));
    /// let read = Essence::without_cells(&whole.to_text()).expect("as written");
    /// assert!(read.cells.is_empty() && read.values == whole.values);
    /// ```
    pub fn without_cells(text: &str) -> Option<Essence> {
        #[derive(Deserialize)]
        struct Bare {
            #[serde(rename = "k", default)]
            keys: BTreeMap<String, String>,
            #[serde(rename = "v", default)]
            values: Vec<Value>,
        }
        let Bare { keys, values } = serde_json::from_str(text).ok()?;
        Some(Essence { keys, values, ..Essence::default() })
    }
}

impl Entry {
    /// A judged table as part of its class.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::Entry;
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let entry = Entry::of(&lab(), &judge(&lab(), &table("94.2", "6969"), &[], &[]));
    /// assert_eq!((entry.section.as_str(), entry.team.as_str()), ("Morning", "Heron"));
    /// assert!(entry.found.iter().any(|pattern| pattern.starts_with("slip/diameter/")));
    /// ```
    pub fn of(protocol: &Protocol, judged: &Judged) -> Entry {
        Entry {
            section: judged.section.clone(),
            team: judged.team.clone(),
            reviewer: String::new(),
            found: Entry::found(&Summary::of(protocol, judged).patterns),
            essence: Essence::of(protocol, judged),
        }
    }

    /// The single patterns of a text that [`Summary::patterns`] wrote.
    ///
    /// # Example
    /// ```
    /// use jurado_core::class::Entry;
    /// assert_eq!(Entry::found(";digits-few//;slip/d/sign;"), ["digits-few//", "slip/d/sign"]);
    /// assert!(Entry::found("*").is_empty());
    /// ```
    pub fn found(patterns: &str) -> Vec<String> {
        patterns.split(';').filter(|p| !p.is_empty() && *p != "*").map(str::to_owned).collect()
    }
}

/// One result's value with what it is referred to: its reference, its row and that row's key.
fn value(protocol: &Protocol, judged: &Judged, r: &JudgedResult) -> Value {
    let row_key = || {
        let table = protocol.table_of(r.item)?;
        let row = r.row?.index();
        judged.row_keys[table].get(row)?.clone()
    };
    let clean = r.own.or(r.clean).filter(|v| v.is_finite());
    Value {
        item: protocol.items[r.item].id.clone(),
        row: r.row.map(Row::number),
        at: row_key(),
        clean,
        sheet: accuracy(judged, r).and_then(|a| a.sheet),
        place: clean.map_or(0, |c| leading_place(c) - r.deserved + 1),
        word: r.reported.word.map(|w| (w, r.right_word)),
    }
}

/// How a result stands to its reference, where it has one.
fn accuracy<'a>(judged: &'a Judged, r: &JudgedResult) -> Option<&'a Accuracy> {
    judged.comparisons.iter().find_map(|c| match &c.what {
        Compared::Accuracy(place, told) if place.item == Some(r.item) && place.row == r.row => Some(told),
        _ => None,
    })
}

/// What was typed for measured numbers, as a number in the reading's unit: who writes 10,0 cm has
/// read what another writes as 100 mm. Settings, counts, words and constants are no measured cells.
fn cells(protocol: &Protocol, judged: &Judged) -> BTreeMap<String, Vec<String>> {
    let measured = judged
        .readings
        .iter()
        .zip(&protocol.readings)
        .filter(|(_, s)| s.kind == ReadingKind::Number && s.instrument.is_some());
    let mut out = BTreeMap::new();
    for (reading, _) in measured {
        let mut by_row: Vec<String> = Vec::new();
        for cell in reading.cells.iter().filter(|c| c.state == CellState::Read) {
            let at = cell.row.map_or(1, |r| r.number() as usize);
            by_row.resize(by_row.len().max(at), String::new());
            by_row[at - 1] = cell.value.map_or_else(String::new, |v| to_figures(v, 10, false).to_string());
        }
        if !by_row.is_empty() {
            out.insert(protocol.items[reading.item].id.clone(), by_row);
        }
    }
    out
}
