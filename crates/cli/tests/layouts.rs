//! Files as people lay them out, over the whole library: however columns and lines are turned about, the same readings come
//! in, and the judgement is the same to the last digit.
#![allow(missing_docs)]

mod common;

use std::collections::{BTreeMap, BTreeSet};

use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_intake::{
    ColumnMap, Effort, Intake, UPLOAD, columns_of, guess_lab, long_grid, meanings, read_file, write_grid_exact,
    write_grid_ods, write_grid_xlsx,
};
use jurado_sim::Order;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Every lab with a class of a few tables typed in the plainest way.
fn classes(seed: u64) -> Vec<(Protocol, Vec<Submission>)> {
    let order = Order { teams: 3, seed, typing: false, slips: 0.7, ..Order::default() };
    common::classes(&order).into_iter().map(|(_, p, tables)| (p, tables)).collect()
}

/// What a table holds, in an order of its own: item, row and text.
fn held(table: &Submission) -> BTreeSet<(String, Option<u32>, String)> {
    table.cells.iter().filter(|c| !c.value.is_empty()).map(|c| (c.item.clone(), c.row, c.value.clone())).collect()
}

fn read(bytes: &[u8], p: &Protocol, what: &str) -> Intake {
    let intake =
        read_file(bytes, p, None, &Effort::new(UPLOAD), None).unwrap_or_else(|f| panic!("{what} of {}: {f}", p.id));
    assert_eq!(intake.held.first(), None, "{what} of {}", p.id);
    intake
}

fn same(intake: &Intake, tables: &[Submission], what: &str, p: &Protocol) {
    let of = |tables: &[Submission]| -> BTreeMap<String, _> {
        tables.iter().map(|t| (t.team.clone(), (t.section.clone(), held(t)))).collect()
    };
    assert_eq!(of(&intake.tables), of(tables), "{what} of {}", p.id);
}

/// A long file: its columns in another order, lines shuffled, strange columns between, parted by semicolons or tabs.
#[test]
fn a_long_file_may_be_turned_about() {
    let mut files = 0;
    for (p, tables) in classes(4) {
        let mut chance = ChaCha8Rng::seed_from_u64(9);
        let grid = long_grid(&p, &tables);
        for separator in [",", ";", "\t"] {
            let mut order: Vec<usize> = (0..grid[0].len()).collect();
            order.shuffle(&mut chance);
            let mut lines: Vec<Vec<String>> =
                grid[1..].iter().map(|l| order.iter().map(|i| l[*i].clone()).collect()).collect();
            // Rows of a column keep their numbers, so that lines may come in any order.
            lines.shuffle(&mut chance);
            let mut head: Vec<String> = order.iter().map(|i| grid[0][*i].clone()).collect();
            let at = chance.random_range(0..=head.len());
            head.insert(at, "weather".into());
            lines.iter_mut().for_each(|l| l.insert(at, "calm, \"grey\"".into()));
            lines.insert(0, head);
            let text = write_grid_exact(&lines);
            let text = if separator == "," { text } else { turned(&lines, separator) };
            let intake = read(text.as_bytes(), &p, "long");
            same(&intake, &tables, "long", &p);
            assert!(intake.remarks.iter().any(|r| r.contains("“weather”")), "{:?}", intake.remarks);
            files += 1;
        }
    }
    assert_eq!(files, 27 * 3);
}

/// Lines parted by something else, quoted where they have to be.
fn turned(lines: &[Vec<String>], separator: &str) -> String {
    lines
        .iter()
        .map(|l| {
            let cells: Vec<String> = l
                .iter()
                .map(|c| {
                    if c.contains([',', ';', '\t', '"']) {
                        format!("\"{}\"", c.replace('"', "\"\""))
                    } else {
                        c.clone()
                    }
                })
                .collect();
            cells.join(separator) + "\n"
        })
        .collect()
}

/// A line a team, a column a cell, headed by ids with their rows: CSV, XLSX and ODS give the same, and so does a file whose
/// columns nobody could know until a person has said what they hold.
#[test]
fn a_wide_file_gives_the_same_readings() {
    let mut said = 0;
    for (p, tables) in classes(6) {
        let mut chance = ChaCha8Rng::seed_from_u64(3);
        let mut places: Vec<(String, Option<u32>)> =
            tables.iter().flat_map(held).map(|(i, r, _)| (i, r)).collect::<BTreeSet<_>>().into_iter().collect();
        places.shuffle(&mut chance);
        // As many columns as a file may have, and no more.
        places.truncate(150);
        let mut head = vec!["Watch".to_owned(), "Team name".to_owned()];
        head.extend(places.iter().map(|(item, row)| match row {
            Some(row) => format!("{item}[{row}]"),
            None => item.clone(),
        }));
        let kept: Vec<Submission> = tables
            .iter()
            .map(|t| {
                let mut t = t.clone();
                t.cells.retain(|c| places.contains(&(c.item.clone(), c.row)) && !c.value.is_empty());
                t
            })
            .collect();
        let mut grid = vec![head.clone()];
        grid.extend(kept.iter().map(|t| {
            let value = |(item, row): &(String, Option<u32>)| {
                t.cells.iter().find(|c| c.item == *item && c.row == *row).map_or_else(String::new, |c| c.value.clone())
            };
            [vec![t.section.clone(), t.team.clone()], places.iter().map(value).collect()].concat()
        }));
        same(&read(write_grid_exact(&grid).as_bytes(), &p, "wide"), &kept, "wide", &p);
        same(&read(&write_grid_xlsx("wide", &grid).expect("a workbook"), &p, "XLSX"), &kept, "XLSX", &p);
        same(&read(&write_grid_ods("wide", &grid).expect("a workbook"), &p, "ODS"), &kept, "ODS", &p);
        // Under names that say nothing, once the person has said what they hold.
        let mut strange = grid.clone();
        strange[0] = (0..head.len()).map(|i| format!("q{i}x")).collect();
        let text = write_grid_exact(&strange);
        let columns = columns_of(text.as_bytes(), &p);
        assert!(columns.iter().all(|c| !c.by_name), "{}: {columns:?}", p.id);
        let known: Vec<String> = meanings(&p).into_iter().map(|(m, _)| m).collect();
        let map = ColumnMap {
            columns: ["section".to_owned(), "team".to_owned()]
                .into_iter()
                .chain(places.iter().map(|(item, row)| match row {
                    Some(row) => format!("cell:{item}:{row}"),
                    None => format!("cell:{item}"),
                }))
                .collect(),
            section: String::new(),
        };
        // A page offers thirty rows of a column; who has more uses a column of row numbers.
        let far = |m: &str| m.rsplit_once(':').and_then(|(_, r)| r.parse::<u32>().ok()).is_some_and(|r| r > 30);
        let unknown: Vec<&String> = map.columns.iter().filter(|m| !known.contains(m) && !far(m)).collect();
        assert!(unknown.is_empty(), "{}: a person cannot say {unknown:?}", p.id);
        let intake = read_file(text.as_bytes(), &p, None, &Effort::new(UPLOAD), Some(&map))
            .unwrap_or_else(|f| panic!("{}: {f}", p.id));
        same(&intake, &kept, "said", &p);
        said += 1;
    }
    assert_eq!(said, 27);
}

/// The order of the cells in a file is nothing that a judgement may hang on.
#[test]
fn judging_does_not_know_in_which_order_a_file_came() {
    for (p, tables) in classes(8) {
        let mut chance = ChaCha8Rng::seed_from_u64(5);
        for table in tables {
            let mut other = table.clone();
            other.cells.shuffle(&mut chance);
            let (a, b) = (judge(&p, &table, &[], &[]), judge(&p, &other, &[], &[]));
            assert_eq!(a.score.awarded, b.score.awarded, "{}", p.id);
            let told = |j: &jurado_core::verdict::Judged| -> Vec<(String, String)> {
                j.findings.iter().map(|f| (f.key.to_string(), jurado_core::wording::says(&p, f))).collect()
            };
            assert_eq!(told(&a), told(&b), "{}", p.id);
            for (x, y) in a.results.iter().zip(&b.results) {
                assert_eq!(x.clean.map(f64::to_bits), y.clean.map(f64::to_bits), "{}", p.id);
            }
        }
    }
}

/// A class's own files say of which lab they are, among all of the library, in whatever layout.
#[test]
fn a_class_is_known_among_all_labs_by_its_files() {
    let all = classes(10);
    let protocols: Vec<&Protocol> = all.iter().map(|(p, _)| p).collect();
    for (i, (p, tables)) in all.iter().enumerate() {
        let grid = long_grid(p, tables);
        let json = serde_json::to_vec(tables).expect("a list");
        for (bytes, what) in [
            (write_grid_exact(&grid).into_bytes(), "long"),
            (json, "JSON"),
            (write_grid_xlsx("x", &grid).expect("a workbook"), "XLSX"),
        ] {
            assert_eq!(
                guess_lab(&bytes, &protocols, &Effort::new(UPLOAD)),
                Ok(jurado_intake::LabGuess::One(i)),
                "{what} of {}",
                p.id
            );
        }
    }
}
