//! Parts of a protocol's text as small forms: an instrument, a reading, a table, a result, a
//! reference, a criterion, a caution. What a form says is written into the text; every other byte
//! stays as it was written.
//!
//! An author who does not write TOML fills in a form; one who does writes on beside it. Both work
//! on one text: a form shows the parts it knows of a part, keeps what it does not show, and changes
//! no byte that it was not asked to change.

mod kinds;

use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, Table, TableLike, Value};

use super::sheet::entries;
use crate::error::Fault;

pub use kinds::{Field, KINDS, Kind, LAB, Shape, kind};

/// The parts of a kind.
///
/// The head of the file is a part of its own.
fn of_kind<'a>(document: &'a mut DocumentMut, kind: &Kind) -> Vec<&'a mut dyn TableLike> {
    if kind.id == LAB { vec![document.as_table_mut()] } else { entries(document.get_mut(kind.id)) }
}

/// A part of a text, in a form's words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// Which fields the part may have.
    pub kind: &'static Kind,
    /// Its place among those of its kind, from 0.
    pub place: usize,
    /// What it is called in a list.
    pub name: String,
    /// What each field holds, as typed into a form; empty where it is not there.
    pub values: Vec<String>,
    /// Fields that a form does not show: they stay as they are in the text.
    pub others: Vec<String>,
}

/// The parts of a text that have a form, in the order of [`KINDS`]; none where it is no TOML.
///
/// # Example
/// ```
/// use jurado_core::example::LAB;
/// use jurado_core::protocol::form::parts;
/// let readings = parts(LAB).into_iter().filter(|p| p.kind.id == "reading").count();
/// assert_eq!(readings, 2);
/// ```
pub fn parts(source: &str) -> Vec<Part> {
    let Ok(mut document) = source.parse::<DocumentMut>() else { return Vec::new() };
    let mut out = Vec::new();
    for kind in KINDS {
        if kind.id == "caution" {
            for (place, text) in cautions(&document).iter().enumerate() {
                out.push(Part { kind, place, name: text.clone(), values: vec![text.clone()], others: Vec::new() });
            }
            continue;
        }
        for (place, table) in of_kind(&mut document, kind).into_iter().enumerate() {
            let shown = |key: &str| kind.fields.iter().any(|f| f.key == key && told(table.get(key), f.shape).is_some());
            let head = kind.id == LAB;
            let others: Vec<String> =
                table.iter().filter(|_| !head).map(|(k, _)| k.to_owned()).filter(|k| !shown(k)).collect();
            let values: Vec<String> =
                kind.fields.iter().map(|f| told(table.get(f.key), f.shape).unwrap_or_default()).collect();
            let called = values.get(1).filter(|t| !t.is_empty()).or(values.first());
            let name = if head { kind.title.to_owned() } else { called.cloned().unwrap_or_default() };
            out.push(Part { kind, place, name, values, others });
        }
    }
    out
}

/// The cautions of a text.
///
/// In their order; what is no text is passed over.
fn cautions(document: &DocumentMut) -> Vec<String> {
    let array = document.get("caution").and_then(Item::as_array);
    array.into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect()
}

/// A value as it stands in a form; nothing where a form of this shape cannot show it.
///
/// A flag that is not set is empty.
fn told(item: Option<&Item>, shape: Shape) -> Option<String> {
    let value = item?.as_value()?;
    // As it is written, without the comment that may stand behind it.
    let plain = |v: &Value| v.clone().decorated("", "").to_string();
    let all = |wanted: fn(&Value) -> Option<String>| -> Option<Vec<String>> {
        value.as_array()?.iter().map(wanted).collect()
    };
    match shape {
        Shape::Text | Shape::Points | Shape::Of(_) | Shape::Word(_) => value.as_str().map(str::to_owned),
        Shape::Number => (value.is_integer() || value.is_float()).then(|| plain(value)),
        Shape::Range => {
            let ends = all(|v| (v.is_integer() || v.is_float()).then(|| v.clone().decorated("", "").to_string()))?;
            (ends.len() == 2).then(|| ends.join(" to "))
        }
        Shape::Lines => Some(all(|v| v.as_str().map(str::to_owned))?.join("\n")),
        Shape::Flag => value.as_bool().map(|b| if b { "yes".to_owned() } else { String::new() }),
    }
}

/// A value as it is written, or what is wrong with what was typed.
///
/// An empty field never comes here.
fn written(field: &Field, typed: &str) -> Result<Value, String> {
    match field.shape {
        Shape::Text | Shape::Of(_) => Ok(Value::from(typed)),
        Shape::Word(words) if words.contains(&typed) => Ok(Value::from(typed)),
        Shape::Word(words) => Err(format!("“{typed}” may be {}", words.join(", "))),
        Shape::Number => number_typed(typed),
        Shape::Points => {
            let text = typed.replace(',', ".");
            match text.parse::<rust_decimal::Decimal>() {
                Ok(_) => Ok(Value::from(text)),
                Err(_) => Err(format!("“{typed}” is no number of points: write one such as 1.5")),
            }
        }
        Shape::Range => {
            let Some((low, high)) = typed.split_once(" to ").or_else(|| typed.split_once(';')) else {
                return Err(format!("“{typed}” has not two ends: write them such as 45 to 55"));
            };
            let mut out = Array::new();
            out.push(number_typed(low)?);
            out.push(number_typed(high)?);
            Ok(Value::Array(out))
        }
        Shape::Lines => Ok(Value::Array(typed.lines().map(str::trim).filter(|l| !l.is_empty()).collect::<Array>())),
        Shape::Flag => Ok(Value::from(true)),
    }
}

/// A number as it is typed, with a comma or a point.
///
/// The digits stay as typed.
fn number_typed(text: &str) -> Result<Value, String> {
    let text = text.trim().replace(',', ".").replace('−', "-");
    match text.parse::<Value>() {
        Ok(v) if v.is_integer() || v.as_float().is_some_and(f64::is_finite) => Ok(v),
        _ => Err(format!("“{text}” is no number: write one such as 0.02")),
    }
}

/// Writes what a form says into a text: a part there is, or a new one where `place` is none. Fields
/// are in the order of the kind's. What the form does not change keeps every byte.
///
/// # Example
/// ```
/// use jurado_core::example::LAB;
/// use jurado_core::protocol::form::{kind, parts, with_part};
/// let reading = kind("reading").expect("a kind");
/// let girth = parts(LAB).into_iter().find(|p| p.kind == reading).expect("the girth");
/// // What is typed as it stands changes nothing.
/// assert_eq!(with_part(LAB, reading, Some(girth.place), &girth.values).expect("as it stands"), LAB);
/// ```
///
/// # Errors
/// What cannot be, each with how to mend it; nothing is written then.
pub fn with_part(source: &str, kind: &Kind, place: Option<usize>, typed: &[String]) -> Result<String, Vec<Fault>> {
    let mut document = read(source)?;
    let there = place.and_then(|at| parts(source).into_iter().find(|p| p.kind == kind && p.place == at));
    let in_the_text = |key: &str| there.as_ref().is_some_and(|p| p.others.iter().any(|o| o == key));
    let new = filled(kind, typed, &in_the_text)?;
    if kind.id == "caution" {
        put_caution(&mut document, place, new.into_iter().find_map(|(_, v)| v));
    } else {
        put_table(&mut document, kind, place, new)?;
    }
    Ok(document.to_string())
}

/// The fields of a form as they were typed, `None` for those that are empty; `in_the_text` says
/// what the part has already that the form does not show.
///
/// A field that is needed and empty is a fault, unless the text has it in a way that the form does
/// not show.
fn filled<'a>(kind: &'a Kind, typed: &[String], in_the_text: &dyn Fn(&str) -> bool) -> Result<Filled<'a>, Vec<Fault>> {
    let mut faults = Vec::new();
    let mut new: Filled<'a> = Vec::new();
    for (i, field) in kind.fields.iter().enumerate() {
        let text = typed.get(i).map_or("", |t| t.trim());
        if text.is_empty() {
            if field.needed && !in_the_text(field.key) {
                faults.push(fault(format!("“{}” is empty", field.label), "write it"));
            }
            new.push((field, None));
            continue;
        }
        match written(field, text) {
            Ok(value) => new.push((field, Some(value))),
            Err(what) => faults.push(fault(format!("{}: {what}", field.label), "write it anew")),
        }
    }
    if faults.is_empty() { Ok(new) } else { Err(faults) }
}

/// What a form's fields say, by field.
type Filled<'a> = Vec<(&'a Field, Option<Value>)>;

/// Takes a part out of a text.
///
/// # Errors
/// A fault where it is not there.
///
/// # Example
/// ```
/// use jurado_core::example::LAB;
/// use jurado_core::protocol::form::{kind, parts, without_part};
/// let reading = kind("reading").expect("a kind");
/// let text = without_part(LAB, reading, 1).expect("the height is there");
/// assert!(!text.contains("id = \"height\"") && text.contains("id = \"girth\""));
/// ```
pub fn without_part(source: &str, kind: &Kind, place: usize) -> Result<String, Vec<Fault>> {
    let mut document = read(source)?;
    if kind.id == "caution" {
        if place >= cautions(&document).len() {
            return Err(gone());
        }
        put_caution(&mut document, Some(place), None);
        return Ok(document.to_string());
    }
    match document.get_mut(kind.id) {
        Some(Item::ArrayOfTables(tables)) if place < tables.len() => {
            tables.remove(place);
        }
        Some(Item::Value(Value::Array(list))) if place < list.len() => {
            list.remove(place);
        }
        _ => return Err(gone()),
    }
    Ok(document.to_string())
}

/// A fault that is not at a line of the text.
///
/// A form has no lines.
fn fault(what: impl Into<String>, mend: &str) -> Fault {
    Fault { line: 1, column: 1, what: what.into(), mend: mend.to_owned() }
}

/// The fault of changing a part that somebody took out meanwhile.
fn gone() -> Vec<Fault> {
    vec![fault("this part is not in the text any more", "choose it anew")]
}

/// The text as a document that keeps every byte it is not asked to change.
///
/// A text that cannot be read is mended as a text first.
fn read(source: &str) -> Result<DocumentMut, Vec<Fault>> {
    source.parse::<DocumentMut>().map_err(|e| {
        vec![fault(
            format!("the text cannot be read yet: {}", e.message()),
            "mend it where the check says so, then use the form",
        )]
    })
}

/// Sets, adds or takes out a caution; its neighbours keep their lines and comments.
///
/// Without a text the caution is taken out; without a place it is added.
fn put_caution(document: &mut DocumentMut, place: Option<usize>, text: Option<Value>) {
    let item = document.entry("caution").or_insert_with(|| Item::Value(Value::Array(Array::new())));
    let Some(array) = item.as_array_mut() else { return };
    match (place.filter(|p| *p < array.len()), text) {
        (Some(place), Some(text)) => keep_around(array.get_mut(place), text),
        (Some(place), None) => {
            array.remove(place);
        }
        (None, Some(text)) => push_like_the_last(array, text),
        (None, None) => {}
    }
}

/// Adds a value to a list as the one before it stands: on a line of its own, or beside it.
///
/// A list over several lines stays one.
fn push_like_the_last(list: &mut Array, value: Value) {
    let blanks = list.iter().last().and_then(|v| v.decor().prefix()?.as_str()).map(|before| {
        // A comment over the last one is not the new one's.
        before.rfind('\n').map_or_else(|| before.to_owned(), |at| before[at..].to_owned())
    });
    list.push(value);
    if let (Some(blanks), Some(last)) = (blanks, list.iter_mut().last()) {
        last.decor_mut().set_prefix(blanks);
    }
}

/// Puts a value in the place of another, with the blanks and comments that were around that.
///
/// Nothing is done where nothing stands.
fn keep_around(there: Option<&mut Value>, mut new: Value) {
    if let Some(there) = there {
        *new.decor_mut() = there.decor().clone();
        *there = new;
    }
}

/// Sets the fields of one part and leaves everything else of it as it is written; without a place a
/// new part is added at the end of its kind.
///
/// Fields that are empty are taken out of the text.
fn put_table(
    document: &mut DocumentMut,
    kind: &Kind,
    place: Option<usize>,
    new: Vec<(&Field, Option<Value>)>,
) -> Result<(), Vec<Fault>> {
    let Some(place) = place.or((kind.id == LAB).then_some(0)) else {
        let filled = new.into_iter().filter_map(|(field, value)| Some((field.key, value?)));
        match document.entry(kind.id).or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new())) {
            Item::ArrayOfTables(tables) => {
                let mut table: Table = filled.map(|(key, value)| (key, Item::Value(value))).collect();
                table.decor_mut().set_prefix("\n");
                tables.push(table);
            }
            Item::Value(Value::Array(list)) => {
                push_like_the_last(list, Value::InlineTable(filled.collect::<InlineTable>()));
            }
            _ => return Err(vec![fault(format!("`{}` is written in another way", kind.id), "change it in the text")]),
        }
        return Ok(());
    };
    let table = of_kind(document, kind).into_iter().nth(place).ok_or_else(gone)?;
    for (field, value) in new {
        let there = table.get(field.key);
        let shown = told(there, field.shape);
        match value {
            // What a form cannot show it does not change either.
            _ if there.is_some() && shown.is_none() => {}
            None => {
                table.remove(field.key);
            }
            // What is typed as it stands keeps its bytes.
            Some(value) if shown.is_some() && told(Some(&Item::Value(value.clone())), field.shape) == shown => {}
            Some(value) => match table.get_mut(field.key).and_then(Item::as_value_mut) {
                Some(there) => keep_around(Some(there), value),
                None => {
                    table.insert(field.key, Item::Value(value));
                }
            },
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::protocol::{Protocol, draft};

    fn of<'a>(parts: &'a [Part], kind: &str, id: &str) -> &'a Part {
        parts.iter().find(|p| p.kind.id == kind && p.values[0] == id).expect("the part")
    }

    fn set(part: &Part, key: &str, text: &str) -> Vec<String> {
        let at = part.kind.fields.iter().position(|f| f.key == key).expect("a field");
        let mut values = part.values.clone();
        values[at] = text.to_owned();
        values
    }

    /// Every text of the library.
    fn library() -> Vec<String> {
        let folder = format!("{}/../../protocols", env!("CARGO_MANIFEST_DIR"));
        let files = std::fs::read_dir(folder).expect("the library").flatten().map(|e| e.path());
        let texts = files.filter(|p| p.extension().is_some_and(|e| e == "toml"));
        texts.map(|p| std::fs::read_to_string(p).expect("a text")).collect()
    }

    #[test]
    fn a_form_sent_as_it_was_shown_leaves_every_byte_of_every_lab() {
        let mut seen = 0;
        for text in library() {
            for p in parts(&text) {
                let again = with_part(&text, p.kind, Some(p.place), &p.values);
                assert_eq!(again.as_ref(), Ok(&text), "{} {}", p.kind.id, p.name);
                if p.kind.id == LAB {
                    let new = with_part(&text, p.kind, Some(0), &set(&p, "version", "99")).expect("written");
                    assert_eq!(Protocol::parse(&new).map(|l| l.version).ok(), Some(99));
                    assert!(without_part(&text, p.kind, 0).is_err(), "the head stays");
                }
                seen += 1;
            }
        }
        assert!(seen > 700, "{seen} parts");
    }

    #[test]
    fn one_field_said_anew_changes_its_line_alone() {
        let mut changed = 0;
        for text in library() {
            for p in parts(&text).iter().filter(|p| p.kind.id != "caution" && p.kind.id != LAB) {
                let new = with_part(&text, p.kind, Some(p.place), &set(p, "title", "another name")).unwrap_or_default();
                let differ: Vec<_> = text.lines().zip(new.lines()).filter(|(a, b)| a != b).collect();
                assert_eq!(text.lines().count(), new.lines().count(), "{}", p.name);
                assert!(differ.len() == 1 && differ[0].1.contains("another name"), "{}: {differ:?}", p.name);
                changed += 1;
            }
        }
        assert!(changed > 500, "{changed}");
    }

    #[test]
    fn a_lab_grows_by_forms_alone() {
        let blank = draft::BLANK;
        let of_kind = |id: &str| kind(id).expect("a kind");
        let filled = |id: &str, pairs: &[(&str, &str)]| -> Vec<String> {
            let value = |f: &Field| pairs.iter().find(|(k, _)| *k == f.key).map_or("", |(_, v)| v).to_owned();
            of_kind(id).fields.iter().map(value).collect()
        };
        let add = |text: &str, id: &str, pairs: &[(&str, &str)]| {
            with_part(text, of_kind(id), None, &filled(id, pairs)).expect("written")
        };
        let bay = parts(blank).iter().find(|p| p.kind.id == "bay").expect("a part of the sheet").values[0].clone();
        let mut text =
            add(blank, "instrument", &[("id", "balance"), ("title", "balance"), ("unit", "g"), ("step", "0,010")]);
        assert!(text.contains("step = 0.010"), "the digits that were typed stay: {text}");
        let reading = [
            ("id", "load"),
            ("title", "load"),
            ("bay", bay.as_str()),
            ("unit", "g"),
            ("instrument", "balance"),
            ("plausible", "1 to 20"),
        ];
        text = add(&text, "reading", &reading);
        text = add(&text, "caution", &[("caution", "Mind the edge.")]);
        let with = Protocol::parse(&text).map_err(|f| format!("{f:?}\n{text}"));
        let with = with.expect("a protocol still");
        assert!(with.item("load").is_some() && with.cautions.contains(&"Mind the edge.".to_owned()));
        // Taken out again, part by part, it is the text it was.
        for (id, name) in [("reading", "load"), ("instrument", "balance"), ("caution", "Mind the edge.")] {
            let place = of(&parts(&text), id, name).place;
            text = without_part(&text, of_kind(id), place).expect("taken out");
        }
        assert_eq!(text, blank);
    }

    #[test]
    fn what_cannot_be_is_told_and_nothing_is_written() {
        let text = library().remove(0);
        let all = parts(&text);
        let instrument = all.iter().find(|p| p.kind.id == "instrument").expect("an instrument");
        for (key, typed, says) in [
            ("step", "wide", "is no number"),
            ("step", "", "is empty"),
            ("step", "inf", "is no number"),
            ("range", "0", "two ends"),
            ("range", "0 to b", "is no number"),
            ("distribution", "round", "rectangular, triangular"),
        ] {
            let told = with_part(&text, instrument.kind, Some(instrument.place), &set(instrument, key, typed));
            let told = told.expect_err("refused")[0].what.clone();
            assert!(told.contains(says), "{key} {typed}: {told}");
        }
        assert!(with_part("id = [", instrument.kind, None, &instrument.values).is_err());
        assert!(with_part(&text, instrument.kind, Some(99), &instrument.values).is_err());
        assert!(without_part(&text, instrument.kind, 99).is_err());
    }
}
