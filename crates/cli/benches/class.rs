//! What is found over a class, and what is found falsely, printed. `cargo bench -p jurado-cli --bench class`
#![allow(missing_docs)]

mod shared;

use std::collections::HashMap;
use std::time::Instant;

use jurado_core::class::{Asked, By, Entry, Floor, Member, comparable, effects, main_key, shared_tables, taught};
use jurado_core::judging::judge;
use jurado_sim::{Lab, Order};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use shared::{normal, percent};

const STATIONS: usize = 8;
const TEAMS: usize = 6;
const SECTIONS: usize = 6;

/// Labs with a declared slip that a section could have been taught.
const LABS: [(&str, &str, &str); 3] = [
    (
        "keel-plate",
        include_str!("../../../protocols/keel-plate.toml"),
        include_str!("../../../protocols/worlds/keel-plate.toml"),
    ),
    (
        "beam-bench",
        include_str!("../../../protocols/beam-bench.toml"),
        include_str!("../../../protocols/worlds/beam-bench.toml"),
    ),
    (
        "hatch-ram",
        include_str!("../../../protocols/hatch-ram.toml"),
        include_str!("../../../protocols/worlds/hatch-ram.toml"),
    ),
];

fn main() {
    stations();
    for (name, protocol, world) in LABS {
        let lab = Lab::new(protocol, world).unwrap_or_else(|f| panic!("{name}: {f:?}"));
        let slip =
            lab.protocol.declared.first().map(|(kind, _)| kind.word().trim_start_matches("declared:").to_owned());
        if let Some(slip) = slip {
            sections_taught(name, &lab, &slip);
        }
        copied(name, &lab);
    }
    times();
}

/// Plain numbers: every station in every section with so many teams; station 3 off by `effect` standard deviations.
fn numbers(chance: &mut ChaCha8Rng, teams: usize, effect: f64) -> Vec<Member> {
    (0..STATIONS * SECTIONS * teams)
        .map(|n| {
            let (group, other) = (n % STATIONS, n / STATIONS % SECTIONS);
            let shift = if group == 3 { effect } else { 0.0 };
            Member { group, other, value: 0.01 * (normal(chance) + shift) }
        })
        .collect()
}

fn stations() {
    let chance = &mut ChaCha8Rng::seed_from_u64(13);
    for (teams, classes) in [(1, 4000), (TEAMS, 1000)] {
        let named = |members: &[Member]| effects(members, 1e-4).iter().filter(|e| e.named).count();
        let mut falsely = 0;
        let mut found = 0;
        for _ in 0..classes {
            falsely += named(&numbers(chance, teams, 0.0));
            found += usize::from(effects(&numbers(chance, teams, 3.0), 1e-4).iter().any(|e| e.named && e.group == 3));
        }
        println!(
            "{STATIONS} stations × {SECTIONS} sections, {teams} at each: false effects {:.2} % per station, 3 sd found {:.1} % ({classes} classes each)",
            percent(falsely, classes * STATIONS),
            percent(found, classes)
        );
    }
}

fn class(lab: &Lab, seed: u64, change: impl FnOnce(&mut Order)) -> Vec<Entry> {
    let sections = (0..SECTIONS).map(|s| format!("Section {}", s + 1)).collect();
    let mut order = Order { sections, teams: STATIONS * TEAMS, seed, ..Order::default() };
    change(&mut order);
    let tables = lab.simulate(&order).tables;
    tables.iter().map(|t| Entry::of(&lab.protocol, &judge(&lab.protocol, t, &[], &[]))).collect()
}

/// A section that was taught a declared slip, in classes of six sections of fourteen and of forty-eight teams.
fn sections_taught(name: &str, lab: &Lab, slip: &str) {
    for teams in [14, STATIONS * TEAMS] {
        let classes = 40;
        let (mut found, mut falsely) = (0, 0);
        for seed in 1..=classes {
            let entries = class(lab, seed, |order| {
                order.teams = teams;
                order.habits = vec![("Section 3".to_owned(), slip.to_owned())];
            });
            let told = taught(&entries, |n| entries[n].section.clone());
            let is_it = |s: &&jurado_core::class::Shared| s.group == "Section 3";
            found += usize::from(told.iter().filter(is_it).any(|s| s.pattern.ends_with(slip)));
            falsely += usize::from(told.iter().any(|s| s.group != "Section 3"));
        }
        println!(
            "{name}: a section of {teams} taught “{slip}” is found and named in {:.1} %, another section in {:.1} % ({classes} classes)",
            percent(found, classes as usize),
            percent(falsely, classes as usize)
        );
    }
}

/// How often two tables are told that nobody copied, and how often a copied one is told: whole tables, and ten readings of
/// each. Beside it, how many pairs of honest tables have all of it alike: where there are more of them than one in a hundred
/// classes, nothing that sees the readings alone can find a copied table and name so few falsely.
fn copied(name: &str, lab: &Lab) {
    let classes = 100;
    let key = comparable(&lab.protocol).first().and_then(|n| main_key(&lab.protocol, *n));
    let (mut falsely, mut found, mut honest) = ([0; 2], [0; 2], [0; 2]);
    for seed in 1..=classes {
        let mut entries = class(lab, seed, |_| {});
        for of_ten in [0, 1] {
            if of_ten == 1 {
                entries.iter_mut().for_each(ten);
            }
            falsely[of_ten] += shared_tables(&entries, key).len();
            honest[of_ten] += wholly_alike(&entries);
            let (from, to) = ((seed as usize * 31) % entries.len(), (seed as usize * 77 + 5) % entries.len());
            if from == to {
                continue;
            }
            let mut copied = entries.clone();
            copied[to].essence = entries[from].essence.clone();
            let pair = (from.min(to), from.max(to));
            found[of_ten] += usize::from(shared_tables(&copied, key).iter().any(|s| (s.one, s.other) == pair));
        }
    }
    for (of_ten, what) in ["whole tables", "ten readings of each"].iter().enumerate() {
        println!(
            "{name}, {what}: {} pairs told falsely, a copied one found in {:.0} %; honest pairs that are wholly alike: {} ({classes} classes of {})",
            falsely[of_ten],
            percent(found[of_ten], classes as usize),
            honest[of_ten],
            STATIONS * TEAMS * SECTIONS
        );
    }
}

/// Pairs of tables with the same cells throughout, none of them empty.
fn wholly_alike(entries: &[Entry]) -> usize {
    let mut of: HashMap<String, usize> = HashMap::new();
    for cells in entries.iter().map(|e| &e.essence.cells).filter(|c| c.values().flatten().all(|t| !t.is_empty())) {
        *of.entry(format!("{cells:?}")).or_default() += 1;
    }
    of.values().map(|n| n * (n - 1) / 2).sum()
}

/// Leaves a table ten readings.
fn ten(entry: &mut Entry) {
    let mut left = 10;
    for cells in entry.essence.cells.values_mut() {
        let keep = left.min(cells.len());
        cells.truncate(keep);
        left -= keep;
    }
}

fn times() {
    let (_, protocol, world) = LABS[0];
    let lab = Lab::new(protocol, world).unwrap_or_else(|f| panic!("{f:?}"));
    let order = Order { sections: (0..140).map(|s| format!("Section {s}")).collect(), ..Order::default() };
    let tables = lab.simulate(&order).tables;
    let entries: Vec<Entry> =
        tables.iter().map(|t| Entry::of(&lab.protocol, &judge(&lab.protocol, t, &[], &[]))).collect();
    let texts: Vec<String> = entries.iter().map(|e| e.essence.to_text()).collect();
    let best = |mut work: Box<dyn FnMut()>| {
        let one = || {
            let start = Instant::now();
            work();
            start.elapsed().as_secs_f64() * 1e3
        };
        std::iter::repeat_with(one).take(9).fold(f64::INFINITY, f64::min)
    };
    let result = comparable(&lab.protocol)[1];
    let asked = Asked::usual(&lab.protocol, &entries, result, By::Key("station".to_owned()));
    let mean = texts.iter().map(String::len).sum::<usize>() / texts.len();
    println!("{} teams, {mean} bytes kept of each:", entries.len());
    let read = best(Box::new(|| assert!(texts.iter().all(|t| jurado_core::class::Essence::from_text(t).is_some()))));
    let floor = best(Box::new(|| assert!(Floor::of(&lab.protocol, &entries, &asked).consensus.is_some())));
    let told = best(Box::new(|| drop(taught(&entries, |n| entries[n].section.clone()))));
    let shared = best(Box::new(|| drop(shared_tables(&entries, Some("station")))));
    println!("  read {read:.1} ms, one result {floor:.1} ms, taught {told:.1} ms, shared tables {shared:.0} ms");
}
