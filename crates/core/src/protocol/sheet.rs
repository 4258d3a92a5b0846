//! The station sheet of a protocol's text: reference values and constants, station by station,
//! changed in place so that every comment and the rest of the text stay as they were written.
//!
//! A coordinator changes the density of a rod in a table on the screen, and the file of the lab
//! changes in that one number: its comments, its blanks and the order of its parts are somebody's
//! work.

use std::collections::BTreeMap;

use toml_edit::{Array, DocumentMut, InlineTable, Item, TableLike, Value};

/// A constant or reference with its values.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetBlock {
    /// Name by which formulas mean it.
    pub id: String,
    /// What it is.
    pub title: String,
    /// Unit of its values.
    pub unit: String,
    /// Where they come from.
    pub source: String,
    /// Id of the key that selects a value; `None` for a single one.
    pub key: Option<String>,
    /// Whether a value is a range with two ends, by most of its lines.
    pub ranged: bool,
    /// Values, in the order of the key, as written.
    pub lines: Vec<SheetLine>,
}

/// One value of a block, every part as the text has it; empty where there is none.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SheetLine {
    /// Value of the key; empty for a single value.
    pub at: String,
    /// What the value is of, such as “naval brass”.
    pub says: String,
    /// Lower end.
    pub low: String,
    /// Upper end.
    pub high: String,
    /// The value, where it is no range.
    pub value: String,
    /// Standard uncertainty.
    pub uncertainty: String,
}

/// A part of a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Part {
    /// Name.
    Says,
    /// Lower end.
    Low,
    /// Upper end.
    High,
    /// The value itself, without its ±.
    Value,
    /// Standard uncertainty.
    Uncertainty,
}

impl Part {
    /// Every part, with its word in a form.
    pub const ALL: [(Part, &'static str); 5] = [
        (Part::Says, "says"),
        (Part::Low, "low"),
        (Part::High, "high"),
        (Part::Value, "value"),
        (Part::Uncertainty, "uncertainty"),
    ];

    /// This part of a line.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::sheet::{Part, SheetLine};
    /// let line = SheetLine { at: "R1".into(), value: "8.41".into(), ..SheetLine::default() };
    /// assert_eq!((Part::Value.of(&line), Part::Low.of(&line)), ("8.41", ""));
    /// ```
    pub fn of(self, line: &SheetLine) -> &str {
        match self {
            Part::Says => &line.says,
            Part::Low => &line.low,
            Part::High => &line.high,
            Part::Value => &line.value,
            Part::Uncertainty => &line.uncertainty,
        }
    }
}

/// One part of one line, said anew.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetChange {
    /// Id of the block.
    pub block: String,
    /// Value of the key; empty for a single value.
    pub at: String,
    /// Which part.
    pub part: Part,
    /// As typed.
    pub text: String,
}

/// What is wrong with a change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetFault {
    /// Id of the block.
    pub block: String,
    /// Value of the key.
    pub at: String,
    /// Which part.
    pub part: Part,
    /// What is wrong and how to mend it, as a sentence.
    pub what: String,
}

/// The station sheet of a text that is a protocol; empty for one that is none.
///
/// # Example
/// ```
/// use jurado_core::protocol::sheet::station_sheet;
/// let blocks = station_sheet("[[constant]]\nid = \"g\"\ntitle = \"gravity\"\nunit = \"m/s^2\"\nvalue = 9.81\n");
/// assert_eq!((blocks.len(), blocks[0].lines[0].value.as_str()), (1, "9.81"));
/// assert!(station_sheet("no = [ protocol").is_empty());
/// ```
pub fn station_sheet(source: &str) -> Vec<SheetBlock> {
    let Ok(mut document) = source.parse::<DocumentMut>() else { return Vec::new() };
    let orders = key_values(&mut document);
    let mut out = Vec::new();
    for kind in KINDS {
        for entry in entries(document.get_mut(kind)) {
            out.extend(block(entry, &orders));
        }
    }
    out
}

/// Lists of the file that hold values of the sheet.
const KINDS: [&str; 2] = ["constant", "reference"];

/// The parts of a kind, whichever of TOML's two ways they are written in: `[[name]]`, or in line.
pub(super) fn entries(item: Option<&mut Item>) -> Vec<&mut dyn TableLike> {
    match item {
        Some(Item::ArrayOfTables(tables)) => tables.iter_mut().map(|t| t as &mut dyn TableLike).collect(),
        Some(Item::Value(Value::Array(list))) => {
            list.iter_mut().filter_map(|v| v.as_inline_table_mut().map(|t| t as &mut dyn TableLike)).collect()
        }
        _ => Vec::new(),
    }
}

/// A text of a part; empty where there is none.
fn text(entry: &dyn TableLike, name: &str) -> String {
    entry.get(name).and_then(Item::as_str).unwrap_or("").to_owned()
}

/// A number as it is written.
///
/// Every digit as it stands in the file.
fn written(value: Option<&Value>) -> String {
    match value {
        Some(v @ (Value::Integer(_) | Value::Float(_))) => v.to_string().trim().to_owned(),
        _ => String::new(),
    }
}

/// Values of each key, in their order.
fn key_values(document: &mut DocumentMut) -> BTreeMap<String, Vec<String>> {
    entries(document.get_mut("key"))
        .into_iter()
        .map(|k| {
            let values = k.get("values").and_then(Item::as_array);
            let values = values.map(|a| a.iter().filter_map(|v| v.as_str().map(str::to_owned)).collect());
            (text(k, "id"), values.unwrap_or_default())
        })
        .collect()
}

/// One line of the sheet, every part of it as written.
fn line(at: &str, entry: &dyn TableLike) -> SheetLine {
    let range = entry.get("range").and_then(Item::as_array);
    SheetLine {
        at: at.to_owned(),
        says: text(entry, "says"),
        low: written(range.and_then(|r| r.get(0))),
        high: written(range.and_then(|r| r.get(1))),
        value: written(entry.get("value").and_then(Item::as_value)),
        uncertainty: written(entry.get("uncertainty").and_then(Item::as_value)),
    }
}

/// A block; `None` where the values are worked out, not written.
///
/// Lines come in the order of the key's values; a value without a line has none.
fn block(entry: &dyn TableLike, orders: &BTreeMap<String, Vec<String>>) -> Option<SheetBlock> {
    let derived = entry.contains_key("formula") || entry.get("consensus").and_then(Item::as_bool) == Some(true);
    if derived {
        return None;
    }
    let key = entry.get("key").and_then(Item::as_str).map(str::to_owned);
    let lines: Vec<SheetLine> = match &key {
        None => vec![line("", entry)],
        Some(key) => {
            let at = entry.get("at").and_then(Item::as_table_like)?;
            let order = orders.get(key).cloned().unwrap_or_default();
            order.iter().filter_map(|v| Some(line(v, at.get(v)?.as_table_like()?))).collect()
        }
    };
    let ranged = lines.iter().filter(|l| !l.low.is_empty()).count() * 2 > lines.len();
    Some(SheetBlock {
        id: text(entry, "id"),
        title: text(entry, "title"),
        unit: text(entry, "unit"),
        source: text(entry, "source"),
        key,
        ranged,
        lines,
    })
}

/// A number as a person types it, as the text of a protocol has it: its digits are kept.
///
/// A comma is a decimal mark here, as in a cell.
fn number(typed: &str) -> Option<Value> {
    let plain = typed.trim().replace(',', ".").replace('−', "-");
    let parsed: f64 = plain.parse().ok().filter(|v: &f64| v.is_finite())?;
    if !plain.starts_with(|c: char| c.is_ascii_digit() || "+-.".contains(c)) {
        return None;
    }
    // Such as `.5` or `007`, which TOML does not know.
    plain
        .parse::<Value>()
        .ok()
        .filter(|v| matches!(v, Value::Integer(_) | Value::Float(_)))
        .or_else(|| Some(Value::from(parsed)))
}

/// Puts a value in the place of another, the space around it kept.
///
/// A value that was not there is added at the end of its part.
fn put(entry: &mut dyn TableLike, name: &str, value: Value) {
    match entry.get_mut(name).and_then(Item::as_value_mut) {
        Some(old) => {
            let decor = old.decor().clone();
            *old = value;
            *old.decor_mut() = decor;
        }
        None => {
            entry.insert(name, Item::Value(value));
        }
    }
}

/// `end` is 0 for the lower and 1 for the upper; a range that was not there begins with both alike.
fn put_end(entry: &mut dyn TableLike, end: usize, value: Value) {
    match entry.get_mut("range").and_then(Item::as_array_mut) {
        Some(range) if range.len() == 2 => {
            range.replace(end, value);
        }
        _ => {
            let mut range = Array::new();
            range.push(value.clone());
            range.push(value);
            entry.insert("range", Item::Value(Value::Array(range)));
        }
    }
}

/// The text with some parts of its station sheet changed, values added to keys, and its version set
/// to `version`; the text as it is where nothing differs.
///
/// # Example
/// ```
/// use jurado_core::protocol::sheet::{Part, SheetChange, with_station_sheet};
/// let text = "version = 1\n\n[[constant]]\nid = \"g\"\ntitle = \"gravity\"\nunit = \"m/s^2\"\nvalue = 9.81 # here\n";
/// let change = |typed: &str| SheetChange {
///     block: "g".into(),
///     at: String::new(),
///     part: Part::Value,
///     text: typed.into(),
/// };
/// let changed = with_station_sheet(text, &[], &[change("9.812")], 2).expect("a number");
/// assert!(changed.contains("value = 9.812 # here") && changed.contains("version = 2"));
/// let faults = with_station_sheet(text, &[], &[change("heavy")], 2).expect_err("no number");
/// assert_eq!(faults[0].part, Part::Value);
/// ```
///
/// # Errors
/// Every part that cannot be: no number, a number that is missing, a negative uncertainty, ends of
/// a range the wrong way round, a block or line that is not there.
pub fn with_station_sheet(
    source: &str,
    added: &[(String, String)],
    changes: &[SheetChange],
    version: u32,
) -> Result<String, Vec<SheetFault>> {
    let Ok(mut document) = source.parse::<DocumentMut>() else { return Ok(source.to_owned()) };
    let before = station_sheet(source);
    let mut faults = Vec::new();
    let mut touched = add_values(&mut document, added);
    for change in changes {
        let stood =
            before.iter().find(|b| b.id == change.block).and_then(|b| b.lines.iter().find(|l| l.at == change.at));
        let fresh = added.iter().any(|(_, value)| *value == change.at);
        if stood.is_none() && !fresh {
            faults.push(fault(change, "This line is no longer there: load the page again."));
            continue;
        }
        let typed = change.text.trim();
        if stood.is_some_and(|l| change.part.of(l) == typed) || (fresh && stood.is_none() && typed.is_empty()) {
            continue;
        }
        match wanted(change) {
            Ok(value) => {
                touched = true;
                apply(&mut document, change, value);
            }
            Err(what) => faults.push(fault(change, what)),
        }
    }
    let text = if touched {
        document["version"] = toml_edit::value(i64::from(version));
        document.to_string()
    } else {
        source.to_owned()
    };
    faults.extend(crossed_ranges(&text));
    if faults.is_empty() { Ok(text) } else { Err(faults) }
}

/// A fault at one part of one line.
fn fault(c: &SheetChange, what: impl Into<String>) -> SheetFault {
    SheetFault { block: c.block.clone(), at: c.at.clone(), part: c.part, what: what.into() }
}

/// Adds values to keys; whether any was new.
///
/// A value that a key has already is not added again.
fn add_values(document: &mut DocumentMut, added: &[(String, String)]) -> bool {
    let mut touched = false;
    for (key, value) in added {
        let mut keys = entries(document.get_mut("key"));
        let Some(key) = keys.iter_mut().find(|k| text(&***k, "id") == *key) else { continue };
        let Some(values) = key.get_mut("values").and_then(Item::as_array_mut) else { continue };
        if !values.iter().any(|v| v.as_str() == Some(value)) {
            values.push(value.as_str());
            touched = true;
        }
    }
    touched
}

/// What a change writes; `None` takes an uncertainty away. `Err` says what is wrong.
///
/// A name may be anything; everything else is a number.
fn wanted(change: &SheetChange) -> Result<Option<Value>, String> {
    let typed = change.text.trim();
    match (change.part, typed) {
        (Part::Says, _) => Ok(Some(Value::from(typed))),
        (Part::Uncertainty, "") => Ok(None),
        (_, "") => Err("A number is needed here.".into()),
        _ => match number(typed) {
            None => Err(format!("“{typed}” is no number: write one such as 7.85.")),
            Some(v) if change.part == Part::Uncertainty && as_f64(&v) < 0.0 => {
                Err("A standard uncertainty is not negative.".into())
            }
            Some(v) => Ok(Some(v)),
        },
    }
}

/// Writes one part of one line, in whichever list its block stands.
///
/// A line that was not there is added under its key.
fn apply(document: &mut DocumentMut, change: &SheetChange, value: Option<Value>) {
    for kind in KINDS {
        for entry in entries(document.get_mut(kind)) {
            if text(&*entry, "id") != change.block {
                continue;
            }
            if change.at.is_empty() {
                set(entry, change.part, value.clone());
                continue;
            }
            let Some(at) = entry.get_mut("at").and_then(Item::as_table_like_mut) else { continue };
            if !at.contains_key(&change.at) {
                at.insert(&change.at, Item::Value(Value::InlineTable(InlineTable::new())));
            }
            if let Some(line) = at.get_mut(&change.at).and_then(Item::as_table_like_mut) {
                set(line, change.part, value.clone());
            }
        }
    }
}

/// Ranges whose upper end lies below the lower.
///
/// They are looked for in the text as it would be.
fn crossed_ranges(text: &str) -> Vec<SheetFault> {
    let mut faults = Vec::new();
    for block in station_sheet(text) {
        for line in block.lines.iter().filter(|l| !l.low.is_empty()) {
            let (Some(low), Some(high)) = (number(&line.low), number(&line.high)) else { continue };
            if as_f64(&low) > as_f64(&high) {
                faults.push(SheetFault {
                    block: block.id.clone(),
                    at: line.at.clone(),
                    part: Part::High,
                    what: format!("The upper end, {}, is below the lower, {}.", line.high, line.low),
                });
            }
        }
    }
    faults
}

/// Not a number for anything else.
fn as_f64(value: &Value) -> f64 {
    value.as_float().or(value.as_integer().map(|i| i as f64)).unwrap_or(f64::NAN)
}

/// Puts one part of one line in its place; an uncertainty may be taken away.
fn set(entry: &mut dyn TableLike, part: Part, value: Option<Value>) {
    match (part, value) {
        (Part::Says, Some(v)) => put(entry, "says", v),
        (Part::Low, Some(v)) => put_end(entry, 0, v),
        (Part::High, Some(v)) => put_end(entry, 1, v),
        (Part::Value, Some(v)) => put(entry, "value", v),
        (Part::Uncertainty, Some(v)) => put(entry, "uncertainty", v),
        (Part::Uncertainty, None) => {
            entry.remove("uncertainty");
        }
        (_, None) => {}
    }
}
