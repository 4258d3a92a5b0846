//! One team's table, exactly as typed. Nothing here interprets a text.

use std::collections::BTreeMap;

use serde::de::{Deserializer, Error, MapAccess, Visitor};
use serde::{Deserialize, Serialize};

use crate::cell::Under;

/// One team's table.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Submission {
    /// Section in which the table is handed in.
    pub section: String,
    /// Team within its section.
    pub team: String,
    /// Keys of the table: which station, sample or object.
    #[serde(deserialize_with = "few")]
    pub keys: BTreeMap<String, String>,
    /// Cells in the order handed in.
    pub cells: Vec<SubmittedCell>,
    /// Rows of this table that could not be used and wait to be mended: what they hold is not
    /// missing.
    #[serde(skip_serializing_if = "is_nought", default)]
    pub waiting: u32,
    /// The formulas under its cells, where it came in a spreadsheet that has any.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub under: Option<Box<Under>>,
    /// Its number among all tables in the order in which they were handed in; 0 where that is not
    /// known. Never part of what was handed in: a ruling may hold from some table on.
    #[serde(skip)]
    pub number: u32,
}

/// Most keys of a table or row: a lab has a handful.
const MOST_KEYS: usize = 64;

/// Reads keys, and no more than a lab can have: a list of submissions comes from anybody.
fn few<'de, D: Deserializer<'de>>(from: D) -> Result<BTreeMap<String, String>, D::Error> {
    struct Few;
    impl<'de> Visitor<'de> for Few {
        type Value = BTreeMap<String, String>;

        fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
            write!(f, "at most {MOST_KEYS} keys")
        }

        fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
            let mut keys = BTreeMap::new();
            while let Some((key, value)) = map.next_entry()? {
                if keys.len() >= MOST_KEYS {
                    return Err(Error::invalid_length(MOST_KEYS + 1, &self));
                }
                keys.insert(key, value);
            }
            Ok(keys)
        }
    }
    from.deserialize_map(Few)
}

fn is_nought(n: &u32) -> bool {
    *n == 0
}

/// One cell as typed; empty text is an empty cell.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct SubmittedCell {
    /// Id of a reading or result.
    pub item: String,
    /// Replicate or table row, from 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub row: Option<u32>,
    /// Keys of this row, where they differ from row to row.
    #[serde(skip_serializing_if = "BTreeMap::is_empty", default, deserialize_with = "few")]
    pub keys: BTreeMap<String, String>,
    /// Value as typed.
    pub value: String,
    /// Unit as typed.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub unit: String,
    /// Stated ± as typed.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub plus_minus: String,
    /// Exclusion mark or reason as typed; empty is not left out.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub excluded: String,
    /// Note.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub note: String,
    /// Whether a reviewer, not the team, leaves it out: never part of what was handed in.
    #[serde(skip)]
    pub by_person: bool,
}
