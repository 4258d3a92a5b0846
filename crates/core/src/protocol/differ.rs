//! What differs between two texts of a protocol, as a person reads it: which part, which of its
//! values, from what to what. Comments, blanks and the order of parts are no difference.
//!
//! Both texts are read as data and compared part by part: a lab that was only tidied up is the same
//! lab, and a reviewer reads three lines where a list of changed lines would fill a page.

use std::collections::BTreeMap;

use toml_edit::{DocumentMut, Item, TableLike, Value};

use super::form::{KINDS, LAB};

/// One difference.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// Which part, such as “reference value: mass of the unknown”.
    pub part: String,
    /// Which of its values, such as “at P, range”; empty for a whole part.
    pub what: String,
    /// What it was; empty where it is new.
    pub was: String,
    /// What it is; empty where it is gone.
    pub is: String,
}

/// The values of a part by their path, and its title.
///
/// Paths are keys with blanks between: `at P range`.
#[derive(Default, PartialEq, Eq)]
struct Flat {
    /// As the part is called.
    title: String,
    /// Values by their paths.
    values: BTreeMap<String, String>,
}

/// Parts by kind and id, as they are compared.
///
/// The first number puts kinds in the order in which a form shows them.
type Parts = BTreeMap<(usize, String, String), Flat>;

/// What differs from one text to another, in the order of the kinds; nothing where either is no
/// TOML.
///
/// # Example
/// ```
/// use jurado_core::example::LAB;
/// use jurado_core::protocol::differ::differences;
/// assert!(differences(LAB, LAB).is_empty());
/// let other = LAB.replace("plausible = [40, 200]", "plausible = [40, 250]");
/// assert_eq!(differences(LAB, &other).len(), 1);
/// ```
pub fn differences(was: &str, is: &str) -> Vec<Difference> {
    let (Ok(was), Ok(is)) = (was.parse::<DocumentMut>(), is.parse::<DocumentMut>()) else { return Vec::new() };
    let (was, is) = (flat(&was), flat(&is));
    let mut out = Vec::new();
    let keys: std::collections::BTreeSet<_> = was.keys().chain(is.keys()).collect();
    for key in keys {
        let name = |flat: &Flat| {
            let kind = KINDS.iter().find(|k| k.id == key.1).map_or(key.1.as_str(), |k| k.title);
            let title = if flat.title.is_empty() { key.2.as_str() } else { &flat.title };
            if title.is_empty() || key.1 == LAB { kind.to_owned() } else { format!("{kind}: {title}") }
        };
        let whole = |flat: &Flat, was: &str, is: &str| Difference {
            part: name(flat),
            what: String::new(),
            was: was.to_owned(),
            is: is.to_owned(),
        };
        match (was.get(key), is.get(key)) {
            (Some(a), None) => out.push(whole(a, "there", "")),
            (None, Some(b)) => out.push(whole(b, "", "new")),
            (Some(a), Some(b)) if a != b => out.extend(within(a, b, &key.1, &name(b))),
            _ => {}
        }
    }
    out
}

/// Differences within one part.
///
/// `kind` finds the label under which a person knows a value.
fn within(a: &Flat, b: &Flat, kind: &str, part: &str) -> Vec<Difference> {
    let fields = KINDS.iter().find(|k| k.id == kind).map_or(&[][..], |k| k.fields);
    let paths: std::collections::BTreeSet<_> = a.values.keys().chain(b.values.keys()).collect();
    let label = |path: &str| match fields.iter().find(|f| f.key == path) {
        Some(f) => f.label.split([',', ';']).next().unwrap_or(f.label).to_lowercase(),
        None => path.replace('_', " "),
    };
    paths
        .into_iter()
        .filter(|p| a.values.get(*p) != b.values.get(*p))
        .map(|p| Difference {
            part: part.to_owned(),
            what: label(p),
            was: a.values.get(p).cloned().unwrap_or_default(),
            is: b.values.get(p).cloned().unwrap_or_default(),
        })
        .collect()
}

/// The parts of a protocol's text by kind and id, each with its keys as they are written.
///
/// What stands outside of any part belongs to the lab itself.
fn flat(document: &DocumentMut) -> Parts {
    let mut out = Parts::new();
    for (key, item) in document.iter() {
        let place = KINDS.iter().position(|k| k.id == key).unwrap_or(KINDS.len());
        let mut put = |table: &dyn TableLike, n: usize| {
            let text = |key: &str| table.get(key).and_then(Item::as_str).unwrap_or("").to_owned();
            let id = if text("id").is_empty() { n.to_string() } else { text("id") };
            let mut values = BTreeMap::new();
            table.iter().for_each(|(k, v)| spread(k, v, &mut values));
            out.insert((place, key.to_owned(), id), Flat { title: text("title"), values });
        };
        match item {
            Item::ArrayOfTables(tables) => tables.iter().enumerate().for_each(|(n, t)| put(t, n)),
            Item::Value(Value::Array(list)) if list.iter().any(Value::is_inline_table) => {
                list.iter()
                    .enumerate()
                    .filter_map(|(n, v)| Some((n, v.as_inline_table()?)))
                    .for_each(|(n, t)| put(t, n));
            }
            // Texts of a list, such as cautions, are each there or not.
            Item::Value(Value::Array(list)) => {
                for v in list.iter() {
                    let title = plain(v);
                    let known = Flat { title: title.clone(), values: BTreeMap::new() };
                    out.insert((place, key.to_owned(), title), known);
                }
            }
            Item::Table(table) => put(table, 0),
            other => {
                let head = out.entry((0, LAB.to_owned(), String::new())).or_default();
                spread(key, other, &mut head.values);
            }
        }
    }
    // A table with no id of its own needs no number in its name.
    let single: Vec<_> = out.keys().filter(|(.., id)| id == "0").cloned().collect();
    for key in single {
        if let Some(flat) = out.remove(&key) {
            out.insert((key.0, key.1, String::new()), flat);
        }
    }
    out
}

/// A value, by its path; a table within is followed.
///
/// A list of tables is numbered from 1.
fn spread(path: &str, item: &Item, out: &mut BTreeMap<String, String>) {
    let below = |table: &dyn TableLike, out: &mut BTreeMap<String, String>| {
        table.iter().for_each(|(k, v)| spread(&format!("{path} {k}"), v, out));
    };
    match item {
        Item::Table(table) => below(table, out),
        Item::Value(Value::InlineTable(table)) => below(table, out),
        Item::ArrayOfTables(tables) => {
            tables
                .iter()
                .enumerate()
                .for_each(|(n, t)| t.iter().for_each(|(k, v)| spread(&format!("{path} {} {k}", n + 1), v, out)));
        }
        Item::Value(value) => {
            out.insert(path.to_owned(), plain(value));
        }
        Item::None => {}
    }
}

/// A value as a person reads it: a text without quotes, a list with commas, a table in braces.
///
/// A list of two numbers is a range.
fn plain(value: &Value) -> String {
    match value {
        Value::String(text) => text.value().clone(),
        Value::Array(list) => {
            let each: Vec<String> = list.iter().map(plain).collect();
            let range = each.len() == 2 && list.iter().all(|v| v.is_integer() || v.is_float());
            each.join(if range { " to " } else { ", " })
        }
        Value::InlineTable(table) => {
            let each: Vec<String> = table.iter().map(|(k, v)| format!("{k} {}", plain(v))).collect();
            format!("({})", each.join(", "))
        }
        other => other.clone().decorated("", "").to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "# a lab\nid = \"a\"\nversion = 1\ncaution = [\"Mind the edge.\"]\n\n[school]\nconfidence = 95\n\n\
        [[reference]]\nid = \"m\"\ntitle = \"mass\"\nunit = \"g\"\nat = { P = { says = \"red\", range = [148.2, 149.0] } }\n\n\
        [[result]]\nid = \"r\"\ntitle = \"density\"\npoints = \"1.5\"\n[result.schools]\n\"by hand\" = \"m\"\n";

    fn told(from: &str, to: &str) -> Vec<String> {
        let changed = TEXT.replace(from, to);
        assert!(from.is_empty() || changed != TEXT, "“{from}” is not in the text");
        differences(TEXT, &changed).iter().map(|d| format!("{} | {} | {} > {}", d.part, d.what, d.was, d.is)).collect()
    }

    #[test]
    fn a_difference_is_told_by_part_and_value() {
        for (from, to, says) in [
            ("149.0", "149.10", "reference value: mass | at P range | 148.2 to 149.0 > 148.2 to 149.10"),
            ("points = \"1.5\"", "points = \"2\"", "result: density | points of its calculation | 1.5 > 2"),
            ("version = 1", "version = 2", "lab itself | version | 1 > 2"),
            ("confidence = 95", "confidence = 99", "school | confidence | 95 > 99"),
            ("\"by hand\" = \"m\"", "\"by hand\" = \"2 * m\"", "result: density | schools by hand | m > 2 * m"),
            (
                "points = \"1.5\"",
                "points = \"1.5\"\nplus_minus = true",
                "result: density | it is told with ± |  > true",
            ),
        ] {
            assert_eq!(told(from, to), [says], "{from}");
        }
    }

    #[test]
    fn a_part_that_is_new_or_gone_is_told_once() {
        assert_eq!(
            told("Mind the edge.", "Keep off."),
            ["caution: Keep off. |  |  > new", "caution: Mind the edge. |  | there > "]
        );
        let gone = TEXT.split("[[result]]").next().expect("a text");
        let out = differences(TEXT, gone);
        assert_eq!((out.len(), out[0].part.as_str(), out[0].is.as_str()), (1, "result: density", ""));
    }

    #[test]
    fn comments_blanks_and_the_order_of_parts_are_no_difference() {
        for (from, to) in [("# a lab\n", "# another word\n\n"), ("confidence = 95", "confidence   =  95 # as agreed")] {
            assert_eq!(told(from, to), Vec::<String>::new(), "{from}");
        }
        let (head, rest) = TEXT.split_once("[[reference]]").expect("a reference");
        let (reference, result) = rest.split_once("[[result]]").expect("a result");
        let turned = format!("{head}[[result]]{result}\n[[reference]]{reference}");
        assert_eq!(differences(TEXT, &turned), Vec::new());
        assert_eq!(differences(TEXT, "id = ["), Vec::new());
    }
}
