//! What the team reads of a whole table: the sentences of the findings, those that say the same of
//! many cells joined.
//!
//! Nine rows without a result are one sentence with nine numbers, since nine sentences are read by
//! nobody. Only what reads alike is joined: a row of which a person said something in other words
//! stays by itself.

use super::At;
use super::team::{is_told, missing_readings, missing_rows, plus_minus_rows, readings_of, tells};
use crate::finding::{Finding, Key, Kind};
use crate::formula::ItemId;
use crate::protocol::Protocol;
use crate::row::Row;
use crate::verdict::Judged;

/// The sentences the team reads, in the order of the findings, each with its finding's key. A
/// forgiven finding is still told, with what it would have cost left out. Rows of a column that are
/// not there or whose ± has the same fault, and readings that are not there, are told in one
/// sentence, under the key of the first.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::{judging::judge, wording};
/// // A table in which nothing is found has nothing to be told.
/// assert!(wording::sentences(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[])).is_empty());
/// assert_eq!(wording::sentences(&lab(), &judge(&lab(), &table("94.2", "6969"), &[], &[])).len(), 1);
/// ```
pub fn sentences(protocol: &Protocol, judged: &Judged) -> Vec<(Key, String)> {
    let told: Vec<&Finding> = judged.findings.iter().filter(|f| is_told(protocol, f)).collect();
    let mut out: Vec<(Key, String)> = Vec::new();
    let mut done = vec![false; told.len()];
    for (i, first) in told.iter().enumerate() {
        if done[i] {
            continue;
        }
        let joined =
            column(protocol, &told, i).or_else(|| readings(protocol, &told, i)).or_else(|| spreads(protocol, &told, i));
        for other in joined.iter().flat_map(|(_, others)| others) {
            done[*other] = true;
        }
        out.push((first.key.clone(), joined.map_or_else(|| tells(protocol, first), |(text, _)| text)));
    }
    out
}

/// Item, row and what the readings give of a result that is missing in a row, unless somebody said
/// it in other words.
///
/// `None` for anything else.
fn not_there(protocol: &Protocol, f: &Finding) -> Option<(ItemId, Row, String)> {
    match &f.kind {
        Kind::MissingResult { right } if f.reworded.is_none() => {
            Some((f.place.item?, f.place.row?, At::of(protocol, f).right(right)))
        }
        _ => None,
    }
}

/// The missing rows of the column that a finding is about, as one sentence, and which findings
/// those are.
///
/// `told` are all findings that the team reads, `first` the place of one among them. `None` where
/// no other row of its column is missing.
fn column(protocol: &Protocol, told: &[&Finding], first: usize) -> Option<(String, Vec<usize>)> {
    let (item, ..) = not_there(protocol, told[first])?;
    let alike = |i: usize| not_there(protocol, told[i]).filter(|(other, ..)| *other == item).map(|(_, r, v)| (i, r, v));
    let rows: Vec<(usize, Row, String)> = (first..told.len()).filter_map(alike).collect();
    if rows.len() < 2 {
        return None;
    }
    let numbers: Vec<Row> = rows.iter().map(|r| r.1).collect();
    let values: Vec<String> = rows.iter().map(|r| r.2.clone()).collect();
    let at = At::of(protocol, told[first]);
    Some((missing_rows(&at, &numbers, &values), rows.into_iter().map(|r| r.0).collect()))
}

/// Whether a finding is a missing reading, told in our words.
///
/// What a person put in other words is not joined.
fn gone(f: &Finding) -> bool {
    f.kind == Kind::MissingReading && f.reworded.is_none()
}

/// All missing readings from one on, as one sentence, and which findings those are.
///
/// Readings of one quantity are named once: “readings 2 and 3 of the titre”.
fn readings(protocol: &Protocol, told: &[&Finding], first: usize) -> Option<(String, Vec<usize>)> {
    let which: Vec<usize> = (first..told.len()).filter(|i| gone(told[*i])).collect();
    if !gone(told[first]) || which.len() < 2 {
        return None;
    }
    // Readings of one quantity are named once, with their numbers.
    let mut groups: Vec<(&str, Vec<Row>)> = Vec::new();
    for place in which.iter().map(|i| told[*i].place) {
        let title = At { protocol, place }.title();
        match (groups.last_mut(), place.row) {
            (Some((last, numbers)), Some(row)) if *last == title => numbers.push(row),
            _ => groups.push((title, place.row.into_iter().collect())),
        }
    }
    let names: Vec<String> = groups.iter().map(|(title, numbers)| readings_of(title, numbers)).collect();
    Some((missing_readings(&names), which))
}

/// Item, row, and whether nothing is stated at all, of a ± that has one of the faults that read
/// alike in every row.
///
/// The second value is whether nothing is stated at all.
fn spread(f: &Finding) -> Option<(ItemId, bool, Row)> {
    let missing = match f.kind {
        Kind::PlusMinusMissing { .. } => true,
        Kind::PlusMinusDigits { .. } => false,
        _ => return None,
    };
    f.reworded.is_none().then_some((f.place.item?, missing, f.place.row?))
}

/// The rows of a column whose ± has the same fault, as one sentence, and which findings those are.
///
/// `None` where no other row of the column has the fault.
fn spreads(protocol: &Protocol, told: &[&Finding], first: usize) -> Option<(String, Vec<usize>)> {
    let (item, missing, _) = spread(told[first])?;
    let alike = |i: usize| spread(told[i]).filter(|(o, m, _)| (*o, *m) == (item, missing)).map(|(.., row)| (i, row));
    let rows: Vec<(usize, Row)> = (first..told.len()).filter_map(alike).collect();
    if rows.len() < 2 {
        return None;
    }
    let numbers: Vec<Row> = rows.iter().map(|r| r.1).collect();
    let text = plus_minus_rows(&At::of(protocol, told[first]), &numbers, missing);
    Some((text, rows.into_iter().map(|r| r.0).collect()))
}
