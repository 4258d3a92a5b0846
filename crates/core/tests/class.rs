//! What `docs/class.md` promises of the Floor, each on both sides.
#![allow(missing_docs)]

mod common;

use common::{ECHO, protocol};
use jurado_core::class::{Asked, By, Entry, Essence, Floor, Scale, Value, main_key, thing};
use jurado_core::protocol::{Protocol, ResultId};

const PLATE: &str = include_str!("labs/plate-and-disc.toml");
const DESCALER: &str = include_str!("../../../protocols/descale-acid.toml");

fn result(protocol: &Protocol, id: &str) -> ResultId {
    protocol.item(id).and_then(|item| protocol.result_of(item)).expect("a result")
}

/// A value with its reference, given to hundredths.
fn value(item: &str, clean: f64, sheet: Option<[f64; 2]>) -> Value {
    Value { item: item.into(), clean: Some(clean), sheet, place: -3, ..Value::default() }
}

/// Six sections with a team at each of five stations; `of` gives the value of a team by station, from nought.
fn class(of: impl Fn(usize, f64) -> Value) -> Vec<Entry> {
    (0..30)
        .map(|n| {
            let (station, section) = (n % 5, n / 5);
            // Noise from −1 to 1 that hangs on neither station nor section.
            let noise = 2.0 * ((n as f64 * 12.9898).sin() * 43_758.545_3).rem_euclid(1.0) - 1.0;
            let keys = [("station".to_owned(), (station + 1).to_string())].into();
            let essence = Essence { keys, values: vec![of(station, noise)], ..Essence::default() };
            Entry { section: format!("Section {section}"), team: format!("Team {n}"), essence, ..Entry::default() }
        })
        .collect()
}

fn by_station(protocol: &Protocol, entries: &[Entry], id: &str) -> Floor {
    Floor::of(protocol, entries, &Asked::usual(protocol, entries, result(protocol, id), By::Key("station".into())))
}

fn named(floor: &Floor) -> Vec<&str> {
    floor.groups.iter().filter(|g| g.effect.is_some_and(|e| e.named)).map(|g| g.name.as_str()).collect()
}

const METALS: [[f64; 2]; 5] = [[2.68, 2.72], [7.83, 7.87], [8.39, 8.43], [8.92, 8.96], [4.42, 4.46]];

/// Densities around the middle of each station's metal; station 3 is off by a share.
fn densities(off: f64) -> Vec<Entry> {
    class(|station, noise| {
        let [low, high] = METALS[station];
        let shift = if station == 2 { off } else { 0.0 };
        value("plate_density", (low + high) / 2.0 * (1.0 + 0.0005 * noise + shift), Some([low, high]))
    })
}

#[test]
fn a_station_is_named_beyond_what_its_sheet_leaves_open_and_not_within() {
    let p = protocol(PLATE);
    let far = by_station(&p, &densities(0.02), "plate_density");
    assert_eq!((far.scale, named(&far)), (Scale::Percent, vec!["3"]));
    let third = far.groups.iter().find(|g| g.name == "3").and_then(|g| g.effect).expect("an effect");
    assert!((far.on_scale(third.effect) - 2.0).abs() < 0.1, "{third:?}");
    // Brass may be anything from 8.39 to 8.43: a fifth of a percent is no fault of the gauge, however many teams agree.
    let near = by_station(&p, &densities(0.002), "plate_density");
    let third = near.groups.iter().find(|g| g.name == "3").and_then(|g| g.effect).expect("an effect");
    assert!(third.in_errors() > 3.0 && !third.named, "{third:?}");
    assert!(named(&near).is_empty());
}

#[test]
fn taken_out_every_groups_median_lies_on_the_consensus() {
    let p = protocol(PLATE);
    let floor = by_station(&p, &densities(0.02), "plate_density");
    let centre = floor.consensus.expect("values").centre;
    for n in 0..floor.groups.len() {
        let mut out: Vec<f64> = floor.points.iter().filter(|q| q.group == n).map(|q| floor.taken_out(q)).collect();
        out.sort_by(f64::total_cmp);
        assert!(((out[2] + out[3]) / 2.0 - centre).abs() < 1e-9, "{out:?} {centre}");
    }
    let third = floor.groups.iter().find(|g| g.name == "3").expect("station 3");
    assert!((third.median - centre).abs() > 1.0, "as measured it does not");
}

#[test]
fn one_reference_keeps_the_unit_and_tables_without_a_value_are_counted() {
    let p = protocol(PLATE);
    let mut entries = class(|_, noise| value("plate_density", 8.41 + 0.01 * noise, Some([8.39, 8.43])));
    entries[4].essence.values.clear();
    let floor = by_station(&p, &entries, "plate_density");
    assert_eq!((floor.scale, floor.reference, floor.without), (Scale::Unit, Some([8.39, 8.43]), 1));
    // Where each has its own, a table that lacks it cannot be placed.
    let mut entries = densities(0.0);
    entries[7].essence.values[0].sheet = None;
    let floor = by_station(&p, &entries, "plate_density");
    assert_eq!((floor.without, floor.reference), (1, Some([0.0, 0.0])));
    // A reference that may be negative is taken off and not divided by.
    let low = class(|station, noise| {
        value("plate_density", station as f64 - 2.0 + 0.1 * noise, Some([station as f64 - 2.0; 2]))
    });
    assert_eq!(by_station(&p, &low, "plate_density").scale, Scale::Apart);
}

#[test]
fn without_a_reference_a_key_whose_values_lie_close_together_is_of_different_things() {
    let p = protocol(PLATE);
    let volume = result(&p, "plate_volume");
    let bores =
        |spread: f64| class(move |station, noise| value("plate_volume", 30.0 + spread * station as f64 + noise, None));
    // Medians ten apart and one of noise: five different plates. All within a few of noise: one thing.
    let unlike = bores(10.0);
    assert_eq!(thing(&p, &unlike, volume).as_deref(), Some("station"));
    let floor = by_station(&p, &unlike, "plate_volume");
    assert!(floor.scale == Scale::Spreads && floor.groups.iter().all(|g| g.effect.is_none()));
    for (n, group) in floor.groups.iter().enumerate() {
        assert!((group.own.centre - 30.0 - 10.0 * n as f64).abs() < 1.0, "{group:?}");
        let of = |f: fn(f64, f64) -> f64| floor.points.iter().filter(|q| q.group == n).map(|q| q.z).fold(0.0, f);
        assert!(of(f64::min) < 0.0 && of(f64::max) > 0.0, "each stands around its own consensus");
    }
    assert_eq!(thing(&p, &bores(0.5), volume), None);
    // With a reference it is that which tells, whatever the values do.
    assert_eq!(thing(&p, &densities(0.0), result(&p, "plate_density")), None);
}

#[test]
fn of_different_things_sections_are_compared_whatever_the_size_of_the_numbers() {
    let p = protocol(PLATE);
    for scale in [1e-3, 1.0, 1e6] {
        let mut entries = class(|station, noise| {
            let place = (scale * 0.001_f64).log10().round() as i32;
            Value { place, ..value("plate_volume", scale * (30.0 + 10.0 * station as f64 + 0.2 * noise), None) }
        });
        for e in entries.iter_mut().filter(|e| e.section == "Section 4") {
            e.essence.values[0].clean = e.essence.values[0].clean.map(|v| v + scale);
        }
        let asked = Asked::usual(&p, &entries, result(&p, "plate_volume"), By::Section);
        let floor = Floor::of(&p, &entries, &asked);
        assert_eq!(named(&floor), ["Section 4"], "{scale}");
    }
}

#[test]
fn a_shared_unknown_is_known_by_its_own_teams() {
    let p = protocol(DESCALER);
    let molar = result(&p, "molar");
    assert_eq!((main_key(&p, molar), thing(&p, &[], molar).as_deref()), (Some("letter"), Some("letter")));
    assert_eq!(thing(&p, &[], result(&p, "acid")), None, "this one has a reference");
}

/// Four rows of one team, each with a fork of its own.
fn forks(section: &str, off: f64) -> Entry {
    let row = |n: u32| Value {
        row: Some(n),
        at: Some(char::from(b'a' + n as u8 - 1).to_string()),
        ..value("length", 10.0 * f64::from(n) + off + 0.003 * f64::from(n * 7 % 5), None)
    };
    let values = (1..=4).map(row).collect();
    Entry { section: section.into(), essence: Essence { values, ..Essence::default() }, ..Entry::default() }
}

#[test]
fn a_team_with_many_rows_is_one_team_of_its_section() {
    let p = protocol(ECHO);
    let length = result(&p, "length");
    let mut entries: Vec<Entry> =
        (0..12).map(|n| forks(["a", "b", "c"][n % 3], 0.01 * ((n * 5 % 7) as f64 - 3.0))).collect();
    // One team alone in its section, far off in all its rows.
    entries.push(forks("d", 0.5));
    let asked = Asked::usual(&p, &entries, length, By::Section);
    assert_eq!(asked.thing.as_deref(), Some("fork"), "rows are told apart by the fork");
    let floor = Floor::of(&p, &entries, &asked);
    assert_eq!(floor.points.len(), 13 * 4, "every row has its point");
    let d = floor.groups.iter().find(|g| g.name == "d").and_then(|g| g.effect).expect("an effect");
    assert_eq!((d.teams, d.named), (1, false), "one team names no section: {d:?}");
    assert_eq!(floor.mandel.expect("sections").rows.last().map(|r| r.count), Some(1));
    // By the fork itself every team is there once in each.
    let by_fork = Floor::of(&p, &entries, &Asked { by: By::Key("fork".into()), ..asked });
    assert_eq!(
        by_fork.groups.iter().map(|g| (g.name.as_str(), g.own.count)).collect::<Vec<_>>(),
        [("a", 13), ("b", 13), ("c", 13), ("d", 13)]
    );
}
