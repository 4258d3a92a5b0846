//! What is no fault of a protocol and still looks like one.
//!
//! A warning never keeps a lab from loading. It says what an author would want to know: that
//! nothing uses a reading, that a short form is no short form, that no caution names who decides on
//! site.

use std::collections::BTreeSet;

use super::source::{self, Text};
use crate::error::Fault;

/// A short form is one of a value when it is no farther from it than this share.
const NEAR: f64 = 0.05;
/// What is written for people: a name that stands there is not used.
const PROSE: [&str; 10] = ["id", "title", "symbol", "summary", "says", "advice", "notes", "caution", "source", "on"];

/// Everything worth a second look, in order of place.
///
/// In the order in which an author meets them.
pub(super) fn warnings(text: &str, file: &source::File) -> Vec<Fault> {
    let used = used(text);
    let mut out = Vec::new();
    let mut unused = |ids: Vec<&Text>, noun: &str, mend: &str| {
        for id in ids.into_iter().filter(|id| !used.contains(id.get_ref().as_str())) {
            out.push(Fault::at(text, id.span().start, format!("nothing uses the {noun} `{}`", id.get_ref()), mend));
        }
    };
    let recorded = "use it in a formula, a check or a criterion, or take it out if it need not be recorded";
    unused(file.reading.iter().filter(|r| looks_unused(r)).map(|r| &r.id).collect(), "reading", recorded);
    unused(file.instrument.iter().map(|i| &i.id).collect(), "instrument", "name it in a reading, or take it out");
    unused(file.constant.iter().map(|c| &c.id).collect(), "constant", "use it in a formula, or take it out");
    unused(file.reference.iter().map(|r| &r.id).collect(), "reference", "name it in a criterion, or take it out");
    unused(file.parameter.iter().map(|p| &p.id).collect(), "parameter", "use it, or take it out");
    for reference in file.constant.iter().chain(&file.reference) {
        let Some(value) = reference.value.as_ref() else { continue };
        for short in reference.short.iter().filter(|s| ((*s / value.get_ref()) - 1.0).abs() > NEAR) {
            out.push(Fault::at(
                text,
                value.span().start,
                format!("{short} is no short form of `{}`, {}", reference.id.get_ref(), value.get_ref()),
                "mend its decimal point, or take it out",
            ));
        }
    }
    if !file.caution.last().is_some_and(|line| line.to_lowercase().contains("responsible person")) {
        out.push(Fault::at(
            text,
            0,
            "no caution says who decides on site",
            "end the cautions with “Local safety rules and the responsible person on site decide.”",
        ));
    }
    out.sort_by_key(|f| (f.line, f.column));
    out
}

/// Whether nothing of the reading itself judges it: a zero belongs to its instrument, an amount to
/// its window, a column to its trend.
///
/// What is optional may be there for the record alone.
fn looks_unused(r: &source::Reading) -> bool {
    !r.zero && !r.optional && r.role.is_none() && r.trend.is_none()
}

/// Every word that stands where the program reads it.
///
/// A name that stands in a sentence for people is not used by it.
fn used(text: &str) -> BTreeSet<String> {
    fn walk(value: &toml::Value, out: &mut BTreeSet<String>) {
        match value {
            toml::Value::String(s) => {
                let words = s.split(|c: char| !(c.is_alphanumeric() || c == '_' || c == '-'));
                out.extend(words.flat_map(|w| w.split('-').chain([w])).filter(|w| !w.is_empty()).map(str::to_owned));
            }
            toml::Value::Array(values) => values.iter().for_each(|v| walk(v, out)),
            toml::Value::Table(table) => {
                let read = table.iter().filter(|(key, _)| !PROSE.contains(&key.as_str()) && key.as_str() != "run");
                read.for_each(|(_, v)| walk(v, out));
            }
            _ => {}
        }
    }
    let mut out = BTreeSet::new();
    if let Ok(table) = text.parse::<toml::Table>() {
        walk(&toml::Value::Table(table), &mut out);
    }
    out
}
