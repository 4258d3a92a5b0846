//! Station sheets changed in a protocol's text, over the whole library: what is said arrives, and nothing else moves.

use jurado_core::protocol::Protocol;
use jurado_core::protocol::sheet::{Part, SheetBlock, SheetChange, station_sheet, with_station_sheet};

fn library() -> Vec<(String, String)> {
    let folder = format!("{}/../../protocols", env!("CARGO_MANIFEST_DIR"));
    let mut out: Vec<(String, String)> = std::fs::read_dir(folder)
        .expect("the library")
        .filter_map(|e| Some(e.ok()?.path()).filter(|p| p.extension().is_some_and(|x| x == "toml")))
        .map(|p| {
            (
                p.file_stem().unwrap_or_default().to_string_lossy().into_owned(),
                std::fs::read_to_string(&p).expect("a text"),
            )
        })
        .collect();
    out.sort();
    out
}

fn change(block: &str, at: &str, part: Part, text: &str) -> SheetChange {
    SheetChange { block: block.into(), at: at.into(), part, text: text.into() }
}

fn everything(blocks: &[SheetBlock]) -> Vec<SheetChange> {
    let mut out = Vec::new();
    for b in blocks {
        for l in &b.lines {
            for (part, _) in Part::ALL {
                if !part.of(l).is_empty() {
                    out.push(change(&b.id, &l.at, part, part.of(l)));
                }
            }
        }
    }
    out
}

#[test]
fn the_sheet_holds_every_value_that_the_protocol_has() {
    let mut labs = 0;
    for (lab, text) in library() {
        let protocol = Protocol::parse(&text).expect("a protocol");
        let blocks = station_sheet(&text);
        let written: usize = blocks.iter().map(|b| b.lines.len()).sum();
        let compiled: usize =
            protocol.references.iter().filter(|r| r.formula.is_none() && !r.consensus).map(|r| r.entries.len()).sum();
        assert_eq!(written, compiled, "{lab}");
        for line in blocks.iter().flat_map(|b| &b.lines) {
            assert!(line.value.is_empty() != (line.low.is_empty() && line.high.is_empty()), "{lab}: {line:?}");
        }
        labs += usize::from(written > 0);
    }
    assert!(labs > 15, "{labs} labs have a sheet");
}

#[test]
fn saying_what_is_there_changes_nothing() {
    for (lab, text) in library() {
        let same = with_station_sheet(&text, &[], &everything(&station_sheet(&text)), 99);
        assert_eq!(same, Ok(text), "{lab}");
    }
}

/// Each number of each sheet by itself: one line of the text besides the version's differs, and the protocol that comes
/// of it has that number and every other as before.
#[test]
fn one_number_said_anew_moves_one_line() {
    let mut moved = 0;
    for (lab, text) in library() {
        let before = station_sheet(&text);
        for said in everything(&before) {
            if said.part == Part::Says {
                continue;
            }
            // A number of the same size with digits of its own, which must come back as typed.
            let new = format!(
                "{}0",
                if said.text.contains(['.', 'e']) { said.text.clone() } else { format!("{}.", said.text) }
            );
            if new.contains('e') {
                continue;
            }
            let said = SheetChange { text: new.clone(), ..said };
            let after = with_station_sheet(&text, &[], std::slice::from_ref(&said), 77).expect("it can be said");
            let differ = text.lines().zip(after.lines()).filter(|(a, b)| a != b).count();
            assert_eq!((differ, text.lines().count()), (2, after.lines().count()), "{lab} {said:?}");
            let protocol = Protocol::parse(&after).unwrap_or_else(|f| panic!("{lab} {said:?}: {f:?}"));
            assert_eq!(protocol.version, 77);
            let mut expected = before.clone();
            let line = expected
                .iter_mut()
                .find(|b| b.id == said.block)
                .and_then(|b| b.lines.iter_mut().find(|l| l.at == said.at))
                .expect("the line");
            match said.part {
                Part::Low => line.low = new,
                Part::High => line.high = new,
                Part::Value => line.value = new,
                _ => line.uncertainty = new,
            }
            assert_eq!(station_sheet(&after), expected, "{lab}");
            moved += 1;
        }
    }
    assert!(moved > 80, "{moved} numbers");
}

/// A station more: in every lab whose values go by a key of the table, with each of its blocks filled in; and refused by
/// the protocol itself, with the name of the block, where one is forgotten.
#[test]
fn a_station_more_needs_a_value_everywhere() {
    let mut labs = 0;
    for (lab, text) in library() {
        let blocks = station_sheet(&text);
        let Some(key) = blocks.iter().find_map(|b| b.key.clone()) else { continue };
        let mine: Vec<&SheetBlock> = blocks.iter().filter(|b| b.key.as_ref() == Some(&key)).collect();
        let mut said = Vec::new();
        for b in &mine {
            let like = b.lines.first().expect("a line");
            for (part, _) in Part::ALL {
                if !part.of(like).is_empty() {
                    said.push(change(&b.id, "new one", part, part.of(like)));
                }
            }
        }
        let added = [(key.clone(), "new one".to_owned())];
        let after = with_station_sheet(&text, &added, &said, 50).expect("it can be said");
        Protocol::parse(&after).unwrap_or_else(|f| panic!("{lab}: {f:?}\n{after}"));
        for b in station_sheet(&after).iter().filter(|b| b.key.as_ref() == Some(&key)) {
            assert_eq!(b.lines.last().map(|l| l.at.as_str()), Some("new one"), "{lab}");
            assert_eq!(b.lines.last().map(|l| l.low.clone()), b.lines.first().map(|l| l.low.clone()), "{lab}");
        }
        let forgotten = mine.last().expect("a block").id.clone();
        said.retain(|c| c.block != forgotten);
        let half = with_station_sheet(&text, &added, &said, 50).expect("as a text it is one");
        let faults = Protocol::parse(&half).expect_err("a value is missing");
        assert!(faults.iter().any(|f| f.what.contains(&forgotten) && f.what.contains("new one")), "{lab}: {faults:?}");
        labs += 1;
    }
    assert!(labs >= 10, "{labs} labs have a key");
}

#[test]
fn what_cannot_be_is_said_where_it_stands() {
    let text = library().into_iter().find(|(lab, _)| lab == "keel-plate").expect("the keel plate").1;
    for (part, typed, says) in [
        (Part::Low, "", "A number is needed here."),
        (Part::Low, "heavy", "“heavy” is no number: write one such as 7.85."),
        (Part::Low, "1e999", "“1e999” is no number: write one such as 7.85."),
        (Part::Low, "nan", "“nan” is no number: write one such as 7.85."),
        (Part::Low, "inf", "“inf” is no number: write one such as 7.85."),
        (Part::Low, "9", "The upper end, 7.87, is below the lower, 9."),
        (Part::Uncertainty, "-0.1", "A standard uncertainty is not negative."),
    ] {
        let faults =
            with_station_sheet(&text, &[], &[change("plate_reference", "2", part, typed)], 9).expect_err(typed);
        assert_eq!(faults.iter().map(|f| f.what.as_str()).collect::<Vec<_>>(), [says], "{typed}");
        assert_eq!((faults[0].block.as_str(), faults[0].at.as_str()), ("plate_reference", "2"));
    }
    let gone = with_station_sheet(&text, &[], &[change("plate_reference", "99", Part::Low, "1")], 9);
    assert!(gone.is_err_and(|f| f[0].what.contains("no longer there")));
    // As people type numbers.
    for (typed, stands) in [
        ("7,80", "7.80"),
        (" 7.80 ", "7.80"),
        ("7", "7"),
        (".5", "0.5"),
        ("007", "7.0"),
        ("−1", "-1"),
        ("7.8e0", "7.8e0"),
    ] {
        let after =
            with_station_sheet(&text, &[], &[change("plate_reference", "2", Part::Low, typed)], 9).expect(typed);
        let blocks = station_sheet(&after);
        let line = blocks.iter().find(|b| b.id == "plate_reference").and_then(|b| b.lines.iter().find(|l| l.at == "2"));
        assert_eq!(line.map(|l| l.low.as_str()), Some(stands), "{typed}");
    }
}
