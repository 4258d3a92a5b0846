//! What a table keeps of the workbook that it came in: the formulas under its cells and all that
//! they read.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::value::{Fault, Value};

/// The part of a workbook that the results of one table hang on.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Under {
    /// Name of the sheet that the table stands on; addresses without a sheet are its.
    pub home: String,
    /// Cells by address (`F12`, `Work!B3`): those with a formula, and those that formulas read.
    pub cells: BTreeMap<String, Below>,
    /// Names that formulas use, in lower case, each with what it stands for: `'Data sheet'!$D$7`.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub names: BTreeMap<String, String>,
    /// Formulas under results that were passed over since the file holds more than is read.
    #[serde(default, skip_serializing_if = "is_nought")]
    pub passed_over: u32,
}

fn is_nought(n: &u32) -> bool {
    *n == 0
}

/// One cell as the file has it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Below {
    /// The reading or result that stands in it; empty for a cell of the team's own.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub item: String,
    /// Its row, from 1, where the item has rows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub row: Option<u32>,
    /// What the file says stands in it: of a formula, what it last gave.
    #[serde(default)]
    pub held: Held,
    /// The formula, as the file spells it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub formula: Option<String>,
}

impl Below {
    /// The item that stands in it and its row; `None` for a cell of the team's own, and for a row
    /// that no sheet has.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Below;
    /// let cell = |item: &str, row: Option<u32>| Below { item: item.into(), row, ..Below::default() };
    /// assert_eq!(cell("girth", Some(2)).place(), Some(("girth", Some(2))));
    /// // One of the team's own, and a row that no sheet has.
    /// assert_eq!((cell("", None).place(), cell("girth", Some(0)).place()), (None, None));
    /// ```
    pub fn place(&self) -> Option<(&str, Option<u32>)> {
        (!self.item.is_empty() && self.row != Some(0)).then_some((self.item.as_str(), self.row))
    }
}

/// What stands in a cell.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Held {
    /// Nothing.
    #[default]
    Empty,
    /// A number, in the shortest text that is it.
    Number(String),
    /// A text as it is stored, blanks and all.
    Text(String),
    /// `TRUE` or `FALSE`.
    Truth(bool),
    /// An error, as the file spells it.
    Error(String),
}

impl Held {
    /// What formulas see of it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Held, Value};
    /// assert_eq!(Held::Number("12.4".into()).value(), Value::Number(12.4));
    /// assert_eq!(Held::Empty.value(), Value::Empty);
    /// ```
    pub fn value(&self) -> Value {
        match self {
            Held::Empty => Value::Empty,
            Held::Number(text) => {
                let number = text.parse().ok().filter(|v: &f64| v.is_finite());
                number.map_or(Value::Fault(Fault::Value), Value::Number)
            }
            Held::Text(text) => Value::Text(text.clone()),
            Held::Truth(b) => Value::Truth(*b),
            Held::Error(text) => Value::Fault(Fault::named(text)),
        }
    }
}
