//! What the student reads: the sentences of the findings, those that say the same of many cells joined into one.

use crate::verdict::{Finding, Judged};

/// The sentences the student reads, in the order of the findings, each with its finding's key. A forgiven finding is
/// still told, with what it would have cost left out. Cells of a column that are not there, and readings that are not
/// there, are told in one sentence, under the key of the first.
pub fn sentences(judged: &Judged) -> Vec<(String, String)> {
    let told: Vec<&Finding> = judged.findings.iter().filter(|f| !f.tells.is_empty()).collect();
    let mut out: Vec<(String, String)> = Vec::new();
    let mut done = vec![false; told.len()];
    for (i, first) in told.iter().enumerate() {
        if done[i] {
            continue;
        }
        let joined = column(&told, i).or_else(|| readings(&told, i));
        for other in joined.iter().flat_map(|(_, others)| others) {
            done[*other] = true;
        }
        out.push((first.key.clone(), joined.map_or_else(|| first.tells.clone(), |(text, _)| text)));
    }
    out
}

/// The two middles of the sentence on a result that is missing.
pub(super) const NOT_THERE: &str = " is not there yet";
pub(super) const READINGS_GIVE: &str = ": your readings give ";

/// Row, title without it and value of a result that is missing in a row, unless somebody said it in other words.
fn not_there(f: &Finding) -> Option<(u32, &str, &str)> {
    let row = f.row.filter(|_| f.code == "missing-result")?;
    let (title, value) = f.tells.split_once(&format!("{NOT_THERE}{READINGS_GIVE}"))?;
    Some((row, title.strip_suffix(&format!(" in row {row}"))?, value.strip_suffix('.')?))
}

/// The missing rows of the column that a finding is about, as one sentence, and which findings those are.
fn column(told: &[&Finding], first: usize) -> Option<(String, Vec<usize>)> {
    let (_, stem, _) = not_there(told[first])?;
    let rows: Vec<(usize, u32, &str)> = (first..told.len())
        .filter_map(|i| not_there(told[i]).filter(|(_, s, _)| *s == stem).map(|(row, _, value)| (i, row, value)))
        .collect();
    if rows.len() < 2 {
        return None;
    }
    let which: Vec<String> = rows.iter().map(|(_, row, _)| row.to_string()).collect();
    let values: Vec<&str> = rows.iter().map(|(.., value)| *value).collect();
    let text = format!("{stem}{NOT_THERE} in rows {}{READINGS_GIVE}{}.", which.join(", "), values.join(", "));
    Some((text, rows.iter().map(|r| r.0).collect()))
}

/// Before and after the place of a reading that is missing.
const THE_VALUE: &str = "The value of ";
const IS_MISSING: &str = " is not there; what needs it could not be checked and costs nothing more.";

/// The sentence on a reading that is missing.
pub(super) fn missing_reading(place: &str) -> String {
    format!("{THE_VALUE}{place}{IS_MISSING}")
}

/// The place of a reading that is missing, unless somebody said it in other words.
fn gone(f: &Finding) -> Option<&str> {
    f.tells.strip_prefix(THE_VALUE)?.strip_suffix(IS_MISSING).filter(|_| f.code == "missing-reading")
}

/// All missing readings from one on, as one sentence, and which findings those are.
fn readings(told: &[&Finding], first: usize) -> Option<(String, Vec<usize>)> {
    gone(told[first])?;
    let (which, places): (Vec<usize>, Vec<&str>) =
        (first..told.len()).filter_map(|i| gone(told[i]).map(|place| (i, place))).unzip();
    if places.len() < 2 {
        return None;
    }
    // Readings of one quantity are named once, with their numbers.
    let mut groups: Vec<(&str, Vec<&str>)> = Vec::new();
    for place in &places {
        let (number, of) = match place.strip_prefix("reading ").and_then(|rest| rest.split_once(" of ")) {
            Some((number, of)) => (vec![number], of),
            None => (Vec::new(), *place),
        };
        match groups.last_mut() {
            Some((last, numbers)) if *last == of && !number.is_empty() => numbers.extend(number),
            _ => groups.push((of, number)),
        }
    }
    let names: Vec<String> = groups
        .into_iter()
        .map(|(of, numbers)| match &numbers[..] {
            [] => of.to_owned(),
            [one] => format!("reading {one} of {of}"),
            many => format!("readings {} of {of}", many.join(", ")),
        })
        .collect();
    let text = match names.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, rest)) => format!("{} and {last}", rest.join(", ")),
        None => return None,
    };
    Some((
        format!("The values of {text} are not there; what needs them could not be checked and costs nothing more."),
        which,
    ))
}
