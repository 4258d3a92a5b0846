//! Views from made-up data: what they count, draw and read back.

use std::collections::BTreeMap;
use std::sync::Arc;

use jurado_core::protocol::Protocol;
use jurado_core::protocol::SketchKind;
use jurado_core::protocol::sheet::{Part, SheetFault, station_sheet, with_station_sheet};
use jurado_core::row::Row;
use jurado_core::sketches::{Part as On, Sketch};
use jurado_store::{Counts, Lab, Role, User, roster::Section};

use super::docket::{DocketView, Waiting};
use super::entry::Fields;
use super::frame::Frame;
use super::stations::{StationsView, changes};
use crate::routes::docket::Asked;

fn source(name: &str) -> String {
    let path = format!("{}/../../protocols/{name}.toml", env!("CARGO_MANIFEST_DIR"));
    std::fs::read_to_string(path).expect("a text")
}

fn lab(id: u32, name: &str) -> Lab {
    Lab { id, protocol_id: id, protocol: Arc::new(Protocol::parse(&source(name)).expect("a protocol")) }
}

fn chief() -> User {
    User {
        id: 1,
        sign_in: "chief".into(),
        name: "Chief".into(),
        role: Role::Coordinator,
        sections: [].into(),
        epoch: 1,
        closed: false,
        demo: false,
    }
}

fn waiting(labs: Vec<Lab>, sections: usize, counts: BTreeMap<(u32, u32), Counts>) -> Waiting {
    Waiting {
        labs,
        sections: (1..=sections as u32)
            .map(|id| Section { id, name: format!("Watch {id}"), teams: 14, closed: false })
            .collect(),
        counts,
        next: Vec::new(),
        alike: Vec::new(),
        clear: Vec::new(),
        hanging: 0.0,
        held: 0,
        questions: Vec::new(),
        due: BTreeMap::new(),
        found: None,
    }
}

/// However many places there are, the sums over chart, bands and plain table are those of the counts.
#[test]
fn the_docket_adds_up_in_every_form_it_takes() {
    for (sections, bands) in [(3, false), (8, false), (9, true), (40, true), (300, true)] {
        let labs = vec![lab(1, "keel-plate"), lab(2, "fog-pipe")];
        let mut counts = BTreeMap::new();
        for s in 1..=sections as u32 {
            let n = |k: u32| ((s * 7 + k * 3) % 5) as usize;
            counts.insert((1, s), Counts { wants: n(0), clear: n(1), decided: n(2), returned: 0 });
            // Of the second lab only some have handed in.
            if s % 3 == 0 {
                counts.insert((2, s), Counts { wants: 1, clear: 0, decided: 0, returned: n(3) });
            }
        }
        let all: usize = counts.values().map(|c| c.all()).sum();
        let wants: usize = counts.values().map(|c| c.wants).sum();
        let v = DocketView::new(&waiting(labs, sections, counts), &chief(), Asked::default(), false);
        assert_eq!((v.total, v.wants), (all, wants));
        assert_eq!(v.wants + v.clear + v.done + v.returned, all);
        assert_eq!(v.absent, 2 * 14 * sections - all);
        assert_eq!(!v.bands.is_empty(), bands, "{sections} sections");
        let rows: usize = v.table.iter().map(|p| p.counts.all() + p.absent).sum();
        assert_eq!(rows, 2 * 14 * sections, "the plain table has every team");
        assert_eq!(v.table.len(), if bands { 2 } else { 2 * sections });
        if bands {
            assert_eq!(v.bands.iter().map(|b| b.counts.all()).sum::<usize>(), all);
            assert_eq!(v.band_heads.is_empty(), sections > 10);
            assert!(v.bands.iter().all(|b| b.strokes.as_str().len() < 8_000), "a band of 300 sections stays light");
            let named = v.bands[0].strokes.as_str().matches("<text").count();
            assert_eq!(named > 0, sections <= 10, "{sections} sections");
        } else {
            assert!(v.chart.as_str().contains("want a person") && !v.chart.as_str().contains("NaN"));
        }
    }
}

#[test]
fn a_passage_has_a_length_for_each_table_or_for_several() {
    for (done, total, lengths, filled) in
        [(0, 0, 0, 0), (3, 14, 14, 3), (14, 14, 14, 14), (60, 240, 120, 30), (1, 50_000, 120, 0)]
    {
        let f = Frame::bare("x").with_counts(done, total);
        assert_eq!(f.passage.len(), lengths, "{done} of {total}");
        assert_eq!(f.passage.iter().filter(|p| **p == "done").count(), filled, "{done} of {total}");
        assert!(f.passage_label.starts_with(&format!("Passage: {done} of {total} tables done")));
        assert_eq!(f.passage_label.contains("stands for"), total > 120);
    }
}

/// The form of every lab's station sheet, sent back as it is, says nothing new; one box changed says one thing, and the
/// form made anew from what was sent shows it.
#[test]
fn a_station_sheet_form_says_what_was_typed() {
    for name in ["keel-plate", "davit-balance", "boom-balance", "fog-pipe", "crystal-yield", "ring-tube", "reflector"] {
        let text = source(name);
        let protocol = Protocol::parse(&text).expect("a protocol");
        let form = StationsView::new(&protocol, &text, &Vec::new(), &[]);
        let mut fields: Fields = form
            .groups
            .iter()
            .flat_map(|g| g.blocks.iter().flat_map(|b| &b.lines).flat_map(|l| &l.boxes))
            .map(|b| (b.name.clone(), b.value.clone()))
            .collect();
        assert!(fields.len() > 3, "{name}");
        let mut labels: Vec<&str> = form
            .groups
            .iter()
            .flat_map(|g| &g.blocks)
            .flat_map(|b| &b.lines)
            .flat_map(|l| &l.boxes)
            .map(|b| b.label.as_str())
            .collect();
        labels.sort_unstable();
        let before = labels.len();
        labels.dedup();
        assert_eq!(labels.len(), before, "{name}: no two boxes are called alike");
        let (added, said) = changes(&text, &fields);
        assert!(added.is_empty());
        assert_eq!(with_station_sheet(&text, &added, &said, 9), Ok(text.clone()), "{name}");
        let number = fields.iter().position(|(_, v)| v.parse::<f64>().is_ok()).expect("a number");
        fields[number].1.push('1');
        let (added, said) = changes(&text, &fields);
        let after = with_station_sheet(&text, &added, &said, 9);
        // An upper end may have come to lie below a lower one: then that is said, and where.
        match after {
            Ok(after) => assert_ne!(station_sheet(&after), station_sheet(&text), "{name}"),
            Err(faults) => assert!(faults.iter().all(|f| f.part == Part::High), "{name}: {faults:?}"),
        }
        let again = StationsView::new(&protocol, &text, &fields, &[]);
        let moved: Vec<&str> = again
            .groups
            .iter()
            .flat_map(|g| &g.blocks)
            .flat_map(|b| &b.lines)
            .flat_map(|l| &l.boxes)
            .filter(|b| b.changed)
            .map(|b| b.name.as_str())
            .collect();
        assert_eq!(moved, [fields[number].0.as_str()], "{name}: what was changed is marked");
    }
}

#[test]
fn a_fault_of_a_station_sheet_stands_at_its_box() {
    let text = source("davit-balance");
    let protocol = Protocol::parse(&text).expect("a protocol");
    let fault = SheetFault { block: "weighed".into(), at: "Q".into(), part: Part::High, what: "It is below.".into() };
    let typed: Fields = vec![("more.unknown_letter".into(), "T".into()), ("v.0.more.low".into(), "x".into())];
    let (added, said) = changes(&text, &typed);
    assert_eq!(added, [("unknown_letter".to_owned(), "T".to_owned())]);
    assert!(said.iter().any(|c| c.at == "T" && c.part == Part::Low && c.text == "x"));
    let v = StationsView::new(&protocol, &text, &typed, &[fault]);
    let lines = &v.groups[0].blocks[0].lines;
    let wrong: Vec<(&str, usize)> = lines
        .iter()
        .map(|l| (l.at.as_str(), l.boxes.iter().filter(|b| b.wrong).count()))
        .filter(|(_, n)| *n > 0)
        .collect();
    assert_eq!(wrong, [("Q", 1)]);
    assert_eq!(lines.iter().find(|l| l.at == "Q").map(|l| l.faults.clone()), Some(vec!["It is below.".to_owned()]));
    assert_eq!(
        lines.last().map(|l| (l.at.as_str(), l.boxes[1].value.as_str())),
        Some(("", "x")),
        "what was typed for the new one stays"
    );
}

/// Whatever stands on it and wherever, a sketch keeps its words and lines inside its frame.
#[test]
fn a_sketch_stays_in_its_frame() {
    let protocol = Protocol::parse(&source("boom-balance")).expect("a protocol");
    let mut state = 7u64;
    let mut chance = move || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 32) as f64 / 4_294_967_296.0
    };
    for round in 0..300 {
        let kind = [SketchKind::Beam, SketchKind::Rail, SketchKind::Rings][round % 3];
        let parts = if kind == SketchKind::Rail { 3 } else { 1 + (chance() * 9.0) as usize };
        let by_row = kind == SketchKind::Beam && chance() < 0.4;
        // Now and then a reading far off, as a decimal point gone astray puts it.
        let mut far = |v: f64| if chance() < 0.15 { v * 1000.0 } else { v };
        let pivot = (kind == SketchKind::Beam).then(|| far(50.0));
        let sketch = Sketch {
            check: 0,
            kind,
            row: None,
            unit: "cm".into(),
            span: (0.0, 100.0),
            pivot,
            parts: (0..parts)
                .map(|i| {
                    let at = far(100.0 * ((i * 37 + round * 11) % 100) as f64 / 100.0);
                    let weight = (kind == SketchKind::Beam).then(|| far(1.0 + i as f64) - 0.5);
                    On {
                        says: format!("part {i} of a long name & <more>"),
                        row: by_row.then(|| Row::at(i)),
                        at,
                        weight,
                        moment: weight.zip(pivot).map(|(w, p)| w * (at - p)),
                        height: (kind == SketchKind::Rail).then(|| far(20.0) * if i == 2 { -1.0 } else { 1.0 }),
                    }
                })
                .collect(),
            moment_unit: "g cm".into(),
        };
        let drawn = crate::draw::apparatus::draw(&protocol, std::slice::from_ref(&sketch));
        let [p] = &drawn[..] else { panic!("one drawing") };
        assert!(
            !p.svg.as_str().contains("NaN") && !p.svg.as_str().contains("inf") && !p.says.contains("NaN"),
            "{sketch:?}"
        );
        assert!(!p.svg.as_str().contains("<more>"), "a name is text");
        for attribute in ["x", "y", "cx", "cy"] {
            let most = if attribute.ends_with('x') { 424.0 } else { f64::from(p.height) };
            for v in p
                .svg
                .as_str()
                .split(&format!(" {attribute}=\""))
                .skip(1)
                .filter_map(|t| t.split('"').next()?.parse::<f64>().ok())
            {
                assert!((-1.0..=most + 1.0).contains(&v), "{attribute} = {v} of {most}: {sketch:?}");
            }
        }
    }
}
