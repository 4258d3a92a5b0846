//! Slips of the pen: readings copied or keyed wrongly, columns written wrongly, other numbers for constants and counts.

use std::collections::HashMap;

use jurado_core::protocol::ItemKind;
use jurado_core::submission::{Submission, SubmittedCell};

use crate::mistake::{Act, Rewrite};
use crate::random::Chance;
use crate::truth::Meant;
use crate::worker::{Left, Outcome, Plan, Worker, half_of, number, significant};
use crate::world::{Seen, Shown};

/// A reading as it was keyed in: its row from 0, and the value, SI.
pub(crate) struct Keyed {
    pub(crate) row: Option<usize>,
    pub(crate) si: f64,
}

impl Worker<'_> {
    /// The cells of the sheet that a plan writes otherwise than they were read, with their new texts.
    pub(crate) fn written_otherwise(
        &self,
        plan: &Plan,
        cells: &[SubmittedCell],
        chance: &mut Chance,
    ) -> Vec<(usize, String)> {
        let of = |name: &str| -> Vec<usize> { (0..cells.len()).filter(|c| cells[*c].item == name).collect() };
        let text = |c: usize| cells[c].value.as_str();
        match &plan.chancy.act {
            Act::ReadingMistyped(name) => {
                let mine = of(name);
                let Some(c) = mine.get(chance.one_of(mine.len().max(1))).copied() else { return Vec::new() };
                let after = match chance.one_of(4) {
                    0 => swapped(text(c), chance),
                    1 => point_beside(text(c), chance),
                    _ => other_digit(text(c), chance),
                };
                vec![(c, after)]
            }
            Act::Rewritten(name, Rewrite::Unit(places)) => {
                of(name).into_iter().map(|c| (c, shifted(text(c), *places))).collect()
            }
            Act::Rewritten(name, Rewrite::Offset) => {
                let mine = of(name);
                let step = mine.first().map_or(0.0, |c| 2.0 * half_of(text(*c)));
                let by = step * [5.0, 10.0, -5.0, 20.0][chance.one_of(4)];
                mine.into_iter().map(|c| (c, moved(text(c), by))).collect()
            }
            Act::Rewritten(name, Rewrite::Rows) => {
                let mine = of(name);
                let (a, b) = (chance.one_of(mine.len().max(1)), chance.one_of(mine.len().max(1)));
                match (mine.get(a), mine.get(b)) {
                    (Some(a), Some(b)) if text(*a) != text(*b) => {
                        vec![(*a, text(*b).to_owned()), (*b, text(*a).to_owned())]
                    }
                    _ => Vec::new(),
                }
            }
            Act::Rewritten(name, Rewrite::Columns(other)) => exchanged(&of(name), &of(other), cells, None),
            Act::Rewritten(name, Rewrite::InRow(other)) => {
                let mine = of(name);
                let row = chance.one_of(mine.len().max(1));
                exchanged(&mine, &of(other), cells, Some(row))
            }
            _ => Vec::new(),
        }
    }

    /// The readings that stand otherwise on a sheet than they were seen: a sheet begins with them, in their order.
    pub(crate) fn meant(&self, seen: &Seen, sheet: &Submission) -> Vec<Meant> {
        let cells = seen.readings.iter().zip(&sheet.cells);
        cells
            .filter(|(r, cell)| self.reading_cell(r).value != cell.value)
            .map(|(r, cell)| {
                let unit = &self.protocol.items[r.item].unit.text;
                let text = if unit == "1" { r.text.clone() } else { format!("{} {unit}", r.text) };
                Meant { item: cell.item.clone(), row: cell.row, text }
            })
            .collect()
    }

    /// What a change of the sheet shows at the plan's result: the readings as they stand now give another value than the
    /// team has.
    pub(crate) fn shown_by(
        &self,
        plan: &Plan,
        changes: &[(usize, String)],
        (seen, left): (&Seen, &Left),
        cells: &[SubmittedCell],
    ) -> Option<Outcome> {
        let mut copied = Seen {
            readings: seen.readings.clone(),
            truth: HashMap::new(),
            row_keys: seen.row_keys.clone(),
            rows: seen.rows.clone(),
        };
        for (c, after) in changes {
            if let Some(r) = copied.readings.get_mut(*c) {
                r.si = self.protocol.items[r.item].to_si(number(after));
            }
        }
        let recomputed = self.chain(self.sheet(&copied), left);
        let result = &self.protocol.items[self.lines[plan.line].item];
        let row = plan.row.or_else(|| changes.first().and_then(|(c, _)| cells[*c].row).map(|r| r as usize - 1));
        let mut mine = cells.iter().filter(|x| x.item == result.id);
        let reported = mine.find(|x| x.row.is_none() || x.row.map(|r| r as usize - 1) == row)?;
        Some(Outcome {
            right: number(&reported.value),
            wrong: result.from_si(recomputed.get(&result.id)?.row(row).number()),
            half: half_of(&reported.value),
            figures: significant(&reported.value),
        })
    }

    /// What one reading of a plan is keyed in as: a slip of the pen in what stands on the sheet.
    pub(crate) fn keyed(&self, plan: &Plan, seen: &Seen, chance: &mut Chance) -> Option<Keyed> {
        let name = match &plan.chancy.act {
            Act::ReadingMiskeyed(name) => name,
            Act::OtherNumber(name) => return self.other_number(name, plan, seen, chance),
            _ => return None,
        };
        let of = |r: &&Shown| self.protocol.items[r.item].id == *name && r.si.is_finite();
        let here = |r: &&Shown| plan.row.is_none_or(|row| r.row.is_none_or(|n| n as usize - 1 == row));
        let mine: Vec<&Shown> = seen.readings.iter().filter(of).filter(here).collect();
        let shown = mine.get(chance.one_of(mine.len().max(1)))?;
        let text = match chance.one_of(4) {
            0 => swapped(&shown.text, chance),
            1 => point_beside(&shown.text, chance),
            _ => other_digit(&shown.text, chance),
        };
        let si = self.protocol.items[shown.item].to_si(number(&text));
        let at = shown.row.map(|r| r as usize - 1);
        Some(Keyed { row: at, si }).filter(|k| k.si.is_finite() && text != shown.text)
    }

    /// What is put in for a constant or a count.
    pub(crate) fn other_number(&self, name: &str, plan: &Plan, seen: &Seen, chance: &mut Chance) -> Option<Keyed> {
        let item = self.protocol.item(name)?;
        let it = &self.protocol.items[item];
        if let ItemKind::Reference(r) = it.kind {
            let text =
                format!("{}", (it.from_si(self.protocol.references[r].entries.first()?.middle()) * 1e9).round() / 1e9);
            let other = if chance.happens(0.4) { swapped(&text, chance) } else { other_digit(&text, chance) };
            return Some(Keyed { row: None, si: it.to_si(number(&other)) })
                .filter(|k| k.si.is_finite() && other != text);
        }
        let by = [1.0, -1.0, 2.0, -1.0, 1.0][chance.one_of(5)];
        if let ItemKind::Parameter(p) = it.kind {
            return Some(Keyed { row: None, si: it.to_si(self.protocol.parameters[p].value + by) });
        }
        let here = |r: &&Shown| plan.row.is_none_or(|row| r.row.is_none_or(|n| n as usize - 1 == row));
        let mine: Vec<&Shown> =
            seen.readings.iter().filter(|r| r.item == item && r.si.is_finite()).filter(here).collect();
        let shown = mine.get(chance.one_of(mine.len().max(1)))?;
        let si = shown.si + it.to_si(by) - it.to_si(0.0);
        Some(Keyed { row: shown.row.map(|r| r as usize - 1), si }).filter(|k| k.si > 0.0)
    }
}

/// Places of the digits that carry a figure.
fn digit_places(text: &str) -> Vec<usize> {
    let end = text.find('e').unwrap_or(text.len());
    let first = text.find(|c: char| ('1'..='9').contains(&c)).unwrap_or(0);
    text[..end].char_indices().filter(|(i, c)| *i >= first && c.is_ascii_digit()).map(|(i, _)| i).collect()
}

pub(crate) fn swapped(text: &str, chance: &mut Chance) -> String {
    let places = digit_places(text);
    let unlike: Vec<usize> = (0..places.len().saturating_sub(1))
        .filter(|i| text.as_bytes()[places[*i]] != text.as_bytes()[places[*i + 1]])
        .collect();
    if unlike.is_empty() {
        return text.to_owned();
    }
    let i = unlike[chance.one_of(unlike.len())];
    let mut bytes = text.as_bytes().to_vec();
    bytes.swap(places[i], places[i + 1]);
    String::from_utf8(bytes).unwrap_or_default()
}

/// Two columns exchanged, in all rows or in one.
fn exchanged(mine: &[usize], theirs: &[usize], cells: &[SubmittedCell], row: Option<usize>) -> Vec<(usize, String)> {
    let pairs = mine.iter().zip(theirs).enumerate().filter(|(n, _)| row.is_none_or(|row| *n == row));
    let swap = |(a, b): (&usize, &usize)| [(*a, cells[*b].value.clone()), (*b, cells[*a].value.clone())];
    pairs.flat_map(|(_, pair)| swap(pair)).collect()
}

/// A number with its point so many places further right.
fn shifted(text: &str, places: i32) -> String {
    let decimals = text.split_once('.').map_or(0, |(_, d)| d.len() as i32);
    let left = usize::try_from(decimals - places).unwrap_or(0);
    format!("{:.left$}", number(text) * 10f64.powi(places))
}

/// A number with something added, to its own places.
fn moved(text: &str, by: f64) -> String {
    let places = text.split_once('.').map_or(0, |(_, d)| d.len());
    format!("{:.places$}", number(text) + by)
}

/// One digit, but not the last, is another.
pub(crate) fn other_digit(text: &str, chance: &mut Chance) -> String {
    let places = digit_places(text);
    if places.len() < 2 {
        return text.to_owned();
    }
    let at = places[chance.one_of(places.len() - 1)];
    let mut bytes = text.as_bytes().to_vec();
    let old = bytes[at] - b'0';
    bytes[at] = b'0' + (old + 1 + chance.one_of(9) as u8) % 10;
    String::from_utf8(bytes).unwrap_or_default()
}

/// The point one digit to the left or the right.
fn point_beside(text: &str, chance: &mut Chance) -> String {
    let Some(at) = text.find('.') else { return text.to_owned() };
    let to = if chance.happens(0.5) { at.saturating_sub(1) } else { at + 1 };
    let mut chars: Vec<char> = text.chars().collect();
    if to >= chars.len() || !chars[to].is_ascii_digit() {
        return text.to_owned();
    }
    chars.swap(at, to);
    let out: String = chars.into_iter().collect();
    if out.starts_with('.') || out.ends_with('.') || out.starts_with("-.") { text.to_owned() } else { out }
}
