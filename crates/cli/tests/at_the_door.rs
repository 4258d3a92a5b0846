//! What a team is told before it hands in holds nothing that the sheet does not hold: over the whole library, with simulated
//! classes in which half of the tables have mistakes.
#![allow(missing_docs)]

mod common;

use std::collections::BTreeSet;

use jurado_core::gaps::{Gap, gaps};
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_sim::Order;

/// The numbers of a text: digits with a point or comma between them.
fn numbers(text: &str) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for word in text.split(|c: char| !(c.is_ascii_digit() || c == '.' || c == ',')) {
        let word = word.trim_matches(|c| c == '.' || c == ',');
        if !word.is_empty() {
            out.insert(word.to_owned());
        }
    }
    out
}

/// All that a sheet itself says: what was typed, rows, names of items and keys.
fn on_the_sheet(p: &Protocol, table: &Submission) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for c in &table.cells {
        for text in [&c.value, &c.unit, &c.plus_minus, &c.excluded, &c.note] {
            out.extend(numbers(text));
        }
    }
    for item in &p.items {
        out.extend(numbers(&item.title).into_iter().chain(numbers(&item.unit.text)));
    }
    for text in p.tables.iter().map(|t| &t.title).chain(p.instruments.iter().map(|i| &i.title)) {
        out.extend(numbers(text));
    }
    out.extend(p.keys.iter().flat_map(|k| &k.values).flat_map(|v| numbers(v)));
    out.extend((0..=60).map(|n: u32| n.to_string()));
    out
}

#[test]
fn no_number_is_told_that_the_sheet_does_not_hold() {
    let (mut told, mut kinds) = (0, BTreeSet::new());
    for (name, p, tables) in common::classes(&Order { teams: 6, seed: 11, slips: 0.6, ..Order::default() }) {
        for (n, mut table) in tables.into_iter().enumerate() {
            // Every fifth cell is spoilt: empty, with a letter, or a digit short.
            for (at, cell) in table.cells.iter_mut().enumerate().filter(|(at, _)| (at + n) % 5 == 0) {
                match at % 3 {
                    0 => cell.value.clear(),
                    1 => cell.value.push('O'),
                    _ => {
                        cell.value.pop();
                    }
                }
            }
            let sheet = on_the_sheet(&p, &table);
            for Gap { what, look, mark, .. } in gaps(&p, &Section::default(), &table) {
                let text = format!("{what} {look}");
                let other: Vec<String> = numbers(&text).into_iter().filter(|x| !sheet.contains(x)).collect();
                assert!(other.is_empty(), "{name}: “{text}” tells {other:?}");
                assert!(what.ends_with('.') && !what.contains("  "), "{name}: “{what}”");
                for word in ["wrong", "invalid", "error", "must correct", "failed"] {
                    assert!(!text.contains(word) || p.items.iter().any(|i| i.title.contains(word)), "{name}: “{text}”");
                }
                kinds.insert(mark.word());
                told += 1;
            }
        }
    }
    assert!(told > 500 && kinds.len() >= 3, "{told} things of {kinds:?}");
}

/// What was mended is not told again, and a reason is as good as a value.
#[test]
fn an_empty_place_is_told_once_until_it_is_filled_or_explained() {
    let mut looked_at = 0;
    for (name, p, tables) in common::classes(&Order { teams: 1, seed: 3, slips: 0.0, ..Order::default() }) {
        let Some(table) = tables.first() else { continue };
        let clean = gaps(&p, &Section::default(), table).len();
        let single = table.cells.iter().position(|c| {
            c.row.is_none() && p.item(&c.item).is_some_and(|i| p.reading_of(i).is_some() && p.items[i].words.is_none())
        });
        let Some(at) = single else { continue };
        let mut empty = table.clone();
        empty.cells[at].value.clear();
        let now = gaps(&p, &Section::default(), &empty);
        if now.len() <= clean {
            // A reading that may be left out.
            continue;
        }
        let about = |g: &&Gap| g.may_say_why && g.cells.iter().any(|(i, _)| Some(*i) == p.item(&table.cells[at].item));
        assert_eq!(now.iter().filter(about).count(), 1, "{name}: {now:?}");
        empty.cells[at].note = "the scale was covered".into();
        let said = gaps(&p, &Section::default(), &empty);
        assert_eq!(said.iter().filter(about).count(), 0, "{name}: {said:?}");
        looked_at += 1;
    }
    assert!(looked_at >= 15, "{looked_at} labs");
}
