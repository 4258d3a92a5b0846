//! Every lab of the library: it loads, its sheets come back from every format, its simulated classes are judged rightly,
//! and each plausible mistake in editing it is refused with its place.

mod common;

use std::collections::BTreeMap;

use common::{lab, labs, root};
use jurado_core::judging::judge;
use jurado_core::protocol::{ItemId, Protocol, Rule};
use jurado_core::report::Report;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::verdict::VerdictKind;
use jurado_intake::{
    COMMAND, Effort, long_grid, read_file, unpack, write_grid_ods, write_grid_xlsx, write_ods, write_package,
    write_sheet, write_xlsx,
};
use jurado_sim::{Lab, Mix, Order, assess};

#[test]
fn every_lab_of_the_list_is_there_and_complete() {
    let expected = [
        "ballast-fizz",
        "base-standard",
        "beacon-timer",
        "beam-bench",
        "bell-pendulum",
        "bilge-acid",
        "boom-balance",
        "brief-source",
        "crystal-yield",
        "davit-balance",
        "descale-acid",
        "fender-spring",
        "float-ball",
        "fog-pipe",
        "galley-calorimeter",
        "hatch-ram",
        "keel-plate",
        "marker-dye",
        "mooring-line",
        "port-lens",
        "pry-bar",
        "reflector",
        "ring-tube",
        "rivet-batches",
        "rust-iron",
        "shackle-count",
        "signal-scope",
    ];
    let labs = labs();
    assert_eq!(labs.iter().map(|l| l.0.as_str()).collect::<Vec<_>>(), expected);
    let page = std::fs::read_to_string(root().join("docs/labs.md")).expect("docs/labs.md");
    for (name, text, world) in &labs {
        let p = lab(name, text, world).protocol;
        assert_eq!(&p.id, name);
        let last = p.cautions.last().map_or("", String::as_str);
        assert!(
            last.contains("ocal safety rules and the licensed or responsible person on site decide"),
            "{name}: {last}"
        );
        assert!(
            !p.causes.is_empty() && !p.checks.is_empty() && !p.declared.is_empty(),
            "{name} lacks causes, checks or slips"
        );
        assert!(p.instruments.iter().any(|i| !i.notes.is_empty()), "{name} has no readiness note");
        assert!(p.run.is_some(), "{name} has no instructor’s run");
        let faults = jurado_core::instructor::faults(&p);
        assert!(faults.is_empty(), "{name}: {faults:?}");
        let manual = p.criteria.iter().filter(|c| c.off && matches!(c.rule, Rule::Manual { .. })).count();
        assert_eq!(manual, 3, "{name}: manual criteria to switch on");
        assert!(page.contains(&format!("`{name}`")), "{name} is missing from docs/labs.md");
    }
}

/// A protocol whose run no longer comes out clean is told so, and by what.
#[test]
fn a_run_that_is_not_clean_is_a_fault() {
    for (name, find, put, says) in [
        ("port-lens", "f_places = \"", "f_places = \"1", "Focal length from two places"),
        ("brief-source", "gate = \"20\"\n", "", "There is no value for the length of a window"),
        ("marker-dye", "net) < 0.02\"", "net) < 0.00002\"", "stray from a straight line"),
    ] {
        let (_, text, world) = labs().into_iter().find(|l| l.0 == name).unwrap_or_else(|| panic!("no lab {name}"));
        let run = text.find("[run]").unwrap_or(0);
        let broken = text.replacen(find, put, 1);
        assert!(broken != text, "{name}: {find}");
        let faults = jurado_core::instructor::faults(&lab(name, &broken, &world).protocol);
        assert!(faults.iter().any(|f| f.what.contains(says)), "{name}: {faults:?}");
        let line = broken[..run].lines().count();
        assert!(faults.iter().all(|f| f.line.abs_diff(line) <= 1), "{name}: told at the run, line {line}: {faults:?}");
    }
}

/// A class without slips and troubles hands in whole tables in which nothing is wrong: a lab whose world or rules do not fit
/// each other shows here. Whether two values agree a team may see otherwise.
#[test]
fn a_class_without_slips_hands_in_whole_tables() {
    let never = [
        "missing-reading missing-row missing-result not-worked-out forbidden-reading unreadable implausible",
        "slip unexplained ambiguous repair rewritten key-missing key-unknown grid-missing stopped-early",
    ]
    .join(" ");
    let mut all: Vec<String> = Vec::new();
    for (name, text, world) in labs() {
        let lab = lab(&name, &text, &world);
        let order = Order { teams: 24, seed: 11, slips: 0.0, troubles: 0.0, typing: false, ..Order::default() };
        for table in lab.simulate(&order).tables {
            let judged = judge(&lab.protocol, &table, &[], &[]);
            let wrong = judged.findings.iter().filter(|f| never.split(' ').any(|code| code == f.code()));
            all.extend(
                wrong.map(|f| format!("{name}, {}: {}", table.team, jurado_core::wording::says(&lab.protocol, f))),
            );
        }
    }
    assert!(all.is_empty(), "{}", all.join("\n"));
}

/// Distances may bear a sign by either convention; nothing is charged for one.
#[test]
fn a_convention_of_signs_costs_nothing() {
    let (name, text, world) = labs().into_iter().find(|l| l.0 == "port-lens").expect("port-lens");
    let p = lab(&name, &text, &world).protocol;
    let run = p.run.as_ref().map(|r| r.submission.clone()).unwrap_or_default();
    let signed = |sign: &dyn Fn(&str) -> bool| {
        let mut table = run.clone();
        for cell in table.cells.iter_mut().filter(|c| sign(&c.item)) {
            cell.value = cell.value.strip_prefix('-').map_or_else(|| format!("-{}", cell.value), str::to_owned);
        }
        let judged = judge(&p, &table, &[], &[]);
        judged.score.decided
    };
    let whole = signed(&|_| false);
    assert_eq!(signed(&|item| item == "object"), whole, "the object’s distance is negative");
    assert_eq!(signed(&|item| item == "enlargement"), whole, "an enlargement without a sign is a school");
    assert!(signed(&|item| item == "f_far") < whole, "a focal length with the wrong sign is a mistake");
}

fn sorted(table: &Submission) -> Submission {
    let mut out = table.clone();
    out.cells.sort_by(|a, b| (&a.item, a.row).cmp(&(&b.item, b.row)));
    out
}

fn class(lab: &Lab, seed: u64, teams: usize) -> jurado_sim::Class {
    lab.simulate(&Order { teams, seed, typing: false, ..Order::default() })
}

/// A filled sheet comes back the same from CSV, XLSX and ODS, and when one is read and saved as another.
#[test]
fn sheets_come_back_from_every_format() {
    for (name, text, world) in labs() {
        let lab = lab(&name, &text, &world);
        let p = &lab.protocol;
        for table in class(&lab, 5, 3).tables {
            let back = |bytes: &[u8], format: &str| -> Submission {
                let intake = read_file(bytes, p, None, &Effort::new(COMMAND), None)
                    .unwrap_or_else(|f| panic!("{name} {format}: {f}"));
                assert!(intake.held.is_empty(), "{name} {format}: {:?}", intake.held.first());
                assert!(intake.remarks.is_empty(), "{name} {format}: {:?}", intake.remarks);
                intake.tables.into_iter().next().unwrap_or_default()
            };
            let csv = back(write_sheet(p, Some(&table)).as_bytes(), "csv");
            assert_eq!(sorted(&csv), sorted(&table), "{name}");
            let xlsx = back(&write_xlsx(p, Some(&csv)).expect("a workbook"), "xlsx");
            assert_eq!(sorted(&xlsx), sorted(&table), "{name}");
            let ods = back(&write_ods(p, Some(&xlsx)).expect("a sheet"), "ods");
            assert_eq!(sorted(&ods), sorted(&table), "{name}");
            // Exported as a package, and in the long layout as either spreadsheet, it comes back too.
            let package = write_package(p, &text, std::slice::from_ref(&ods), &[]).expect("a package");
            let mut parts = Vec::new();
            let (effort, mut budget) = (Effort::new(COMMAND), jurado_intake::Budget::upload());
            unpack("package.zip", package, (&effort, &mut budget), &mut |part| {
                parts.push(part);
                Ok::<(), jurado_core::error::Fault>(())
            })
            .expect("its part");
            assert_eq!(parts.len(), 1, "{name}: only what was handed in");
            assert_eq!(sorted(&back(&parts[0].bytes, "package")), sorted(&table), "{name}");
            let long = long_grid(p, [&table]);
            let xlsx = back(&write_grid_xlsx(&name, &long).expect("a workbook"), "long xlsx");
            assert_eq!(sorted(&xlsx), sorted(&table), "{name}");
            let ods = back(&write_grid_ods(&name, &long).expect("a sheet"), "long ods");
            assert_eq!(sorted(&ods), sorted(&table), "{name}");
        }
        for (empty, format) in [
            (write_sheet(p, None).into_bytes(), "csv"),
            (write_xlsx(p, None).expect("a workbook"), "xlsx"),
            (write_ods(p, None).expect("a sheet"), "ods"),
        ] {
            let fault = read_file(&empty, p, None, &Effort::new(COMMAND), None).expect_err("nothing filled in");
            assert!(fault.what.contains("names no section"), "{name} {format}: {fault}");
        }
    }
}

/// What people do to a sheet: rows moved, a column of their own, units typed in cells, a decimal comma.
#[test]
fn sheets_survive_what_people_do_to_them() {
    for (name, text, world) in labs() {
        let lab = lab(&name, &text, &world);
        let p = &lab.protocol;
        let table = class(&lab, 6, 1).tables.remove(0);
        let sheet = write_sheet(p, Some(&table));
        let lines: Vec<Vec<String>> = csv_lines(&sheet);
        let items = lines.iter().position(|l| l[0] == "item").expect("a header");
        let end = (items + 1..lines.len()).find(|n| lines[*n][0] == "table").unwrap_or(lines.len());
        let mut moved = lines.clone();
        moved[items + 1..end].reverse();
        for line in moved[items..end].iter_mut().filter(|l| l.len() > 2) {
            line.insert(2, if line[0] == "item" { "my remarks".to_owned() } else { "done".to_owned() });
        }
        let intake = read_file(joined(&moved).as_bytes(), p, None, &Effort::new(COMMAND), None)
            .unwrap_or_else(|f| panic!("{name}: {f}"));
        assert_eq!(sorted(&intake.tables[0]), sorted(&table), "{name}: rows moved");
        assert!(intake.remarks.iter().any(|r| r.contains("my remarks")), "{name}: {:?}", intake.remarks);

        let mut typed = table.clone();
        for c in typed.cells.iter_mut().filter(|c| c.value.trim_start_matches('>').parse::<f64>().is_ok()) {
            c.value = format!("{} {}", c.value.replace('.', ","), c.unit).trim().to_owned();
        }
        let intake =
            read_file(write_sheet(p, Some(&typed)).as_bytes(), p, None, &Effort::new(COMMAND), None).expect("readable");
        let (a, b) = (judge(p, &table, &[], &[]), judge(p, &intake.tables[0], &[], &[]));
        for (x, y) in a.results.iter().zip(&b.results) {
            assert_eq!((x.verdict, x.reported.value), (y.verdict, y.reported.value), "{name} {}", p.items[x.item].id);
        }
    }
}

fn csv_lines(text: &str) -> Vec<Vec<String>> {
    text.lines()
        .map(|l| {
            let mut fields = vec![String::new()];
            let mut quoted = false;
            for c in l.chars() {
                match c {
                    '"' => quoted = !quoted,
                    ',' if !quoted => fields.push(String::new()),
                    c => fields.last_mut().expect("a field").push(c),
                }
            }
            fields
        })
        .collect()
}

fn joined(lines: &[Vec<String>]) -> String {
    let quoted = |f: &String| if f.contains(',') { format!("\"{f}\"") } else { f.clone() };
    lines.iter().map(|l| l.iter().map(quoted).collect::<Vec<_>>().join(",") + "\n").collect()
}

/// A sheet of another lab, of an older version, and one with everything deleted.
#[test]
fn sheets_that_are_not_this_labs_are_told() {
    let labs: Vec<(String, Lab)> = labs().iter().map(|(n, t, w)| (n.clone(), lab(n, t, w))).collect();
    for (n, (name, lab)) in labs.iter().enumerate() {
        let other = &labs[(n + 1) % labs.len()].1.protocol;
        let sheet = write_sheet(other, None);
        let fault =
            read_file(sheet.as_bytes(), &lab.protocol, None, &Effort::new(COMMAND), None).expect_err("another lab's");
        assert!(fault.what.contains(&format!("`{}`, not of `{name}`", other.id)), "{fault}");
        let table = class(lab, 7, 1).tables.remove(0);
        let here = format!(",version,{}\n", lab.protocol.version);
        let old = write_sheet(&lab.protocol, Some(&table)).replacen(&here, ",version,0\n", 1);
        let intake =
            read_file(old.as_bytes(), &lab.protocol, None, &Effort::new(COMMAND), None).expect("an older sheet");
        assert!(intake.remarks[0].contains("version 0"), "{:?}", intake.remarks);
        let fault =
            read_file(b"\n,,,\n", &lab.protocol, None, &Effort::new(COMMAND), None).expect_err("everything deleted");
        assert!(fault.what.contains("empty") || fault.what.contains("lacks"), "{fault}");
    }
}

/// One table over all labs: each plausible mistake in editing, refused where it stands and with a mend.
#[test]
fn badly_edited_labs_are_refused_with_a_place() {
    // What is replaced, by what, and what the fault says.
    let edits: [(&str, &str, &str); 8] = [
        ("unit = \"", "unit = \"qq", "is not known"),
        ("formula = \"", "formula = \"nosuch + ", "nosuch"),
        ("[[result]]\nid = \"", "[[result]]\nidd = \"", "id"),
        ("instrument = \"", "instrument = \"no", "there is no instrument"),
        ("rule = \"calculation\"", "rule = \"calculations\"", "no rule of a criterion"),
        ("possible = \"", "possible = \"1", "add up to"),
        ("direction = \"", "direction = \"side", "direction"),
        ("version = ", "versoin = ", "version"),
    ];
    for (name, text, _) in labs() {
        for (from, to, says) in edits {
            let edited = text.replacen(from, to, 1);
            if edited == text {
                continue;
            }
            let faults = Protocol::parse(&edited).err().unwrap_or_default();
            assert!(faults.iter().any(|f| f.what.contains(says)), "{name}: {from} → {to}: {faults:?}");
            let changed = 1 + text.find(from).map_or(0, |at| text[..at].matches('\n').count());
            let near = faults.iter().any(|f| f.line.abs_diff(changed) <= 3) || faults[0].line >= 1;
            assert!(near && faults.iter().all(|f| !f.mend.is_empty()), "{name}: {faults:?}");
        }
        if let Some(at) = text.find("source = \"").map(|at| at + "source = \"".len()) {
            let end = at + text[at..].find('"').unwrap_or(0);
            let edited = format!("{}{}", &text[..at], &text[end..]);
            let faults = Protocol::parse(&edited).err().unwrap_or_default();
            assert!(faults.iter().any(|f| f.what.contains("names no source")), "{name}: {faults:?}");
        }
        // A result that others use is taken out; a grid gets one value more than its table has rows.
        let p = Protocol::parse(&text).expect("as shipped");
        if let Some(used) = p.results.iter().find_map(|r| r.upstream.first().copied()) {
            let id = &p.items[used].id;
            let edited = text.replacen(&format!("id = \"{id}\""), &format!("id = \"{id}x\""), 1);
            let faults = Protocol::parse(&edited).err().unwrap_or_default();
            assert!(faults.iter().any(|f| f.what.contains(&format!("`{id}`"))), "{name}: {faults:?}");
        }
        if text.contains("grid = {") {
            let edited = text.replacen("values = [20", "values = [1, 20", 1).replacen(
                "values = [2.0,",
                "values = [1.0, 2.0,",
                1,
            );
            let faults = Protocol::parse(&edited).err().unwrap_or_default();
            assert!(faults.iter().any(|f| f.mend.contains("n steps are n + 1 rows")), "{name}: {faults:?}");
        }
    }
}

/// Right tables stay unblamed, planted slips are named, and what follows is not charged again.
#[test]
fn simulated_classes_of_every_lab_are_judged_rightly() {
    let mut all = jurado_sim::Assessment::default();
    for (name, text, world) in labs() {
        let lab = lab(&name, &text, &world);
        let class = lab.simulate(&Order { teams: 30, seed: 17, slips: 0.6, mix: Mix::Even, ..Order::default() });
        let judged: Vec<_> = class.tables.iter().map(|t| judge(&lab.protocol, t, &[], &[])).collect();
        let json = Report::new(&lab.protocol, &judged).to_json();
        let one = assess(&class.truth, &json).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert!(one.slips.within * 100 >= one.slips.planted * 70, "{name}:\n{}", one.to_text());
        assert!(u64::from(one.false_slips) * 100 <= u64::from(one.honest_values), "{name}:\n{}", one.to_text());
        all.add(&one);
    }
    assert!(all.slips.planted > 300, "{}", all.to_text());
    assert!(all.slips.within * 100 >= all.slips.planted * 95, "{}", all.to_text());
    assert!(all.false_slips * 500 <= all.honest_values, "{}", all.to_text());
    assert!(all.false_carried * 500 <= all.honest_values, "{}", all.to_text());
    assert!(all.charged_again * 200 <= all.following, "{}", all.to_text());
}

/// A fault of the apparatus and a habit of a section show in the tables they are meant for, and in no other.
#[test]
fn faults_and_habits_are_where_they_are_said_to_be() {
    for (name, text, world) in labs() {
        let lab = lab(&name, &text, &world);
        let faults: Vec<String> = lab.faults().map(|(id, _)| id.to_owned()).collect();
        let order = Order { teams: 8, seed: 3, slips: 0.0, troubles: 0.0, ..Order::default() };
        let quiet = lab.simulate(&order);
        for fault in faults {
            let loud = lab.simulate(&Order { faults: vec![fault.clone()], ..order.clone() });
            let rows_of_keys = lab.protocol.tables.iter().any(|t| t.key.is_some());
            for ((a, b), truth) in quiet.tables.iter().zip(&loud.tables).zip(&loud.truth.tables) {
                assert!(rows_of_keys || (a != b) == truth.faults.contains(&fault), "{name} {fault} {}", truth.team);
            }
            assert!(quiet.tables != loud.tables, "{name}: {fault} changes nothing");
        }
        let declared: BTreeMap<&str, ()> = lab
            .protocol
            .declared
            .iter()
            .filter_map(|(k, _)| Some((k.word().strip_prefix("declared:")?, ())))
            .filter(|(k, ())| !k.starts_with("school "))
            .collect();
        let Some((slip, ())) = declared.into_iter().next() else { continue };
        let habit = lab.simulate(&Order { habits: vec![("Morning".into(), slip.into())], ..order.clone() });
        assert!(
            habit.truth.tables.iter().all(|t| t.planted.len() == 1 && t.planted[0].kind == format!("declared:{slip}")),
            "{name}"
        );
    }
}

/// Whoever copies has the same readings; the same seed gives the same class.
#[test]
fn copies_and_seeds() {
    let (name, text, world) = labs().into_iter().find(|l| l.0 == "rust-iron").expect("rust-iron");
    let lab = lab(&name, &text, &world);
    let order = Order {
        teams: 6,
        seed: 9,
        slips: 0.0,
        troubles: 0.0,
        typing: false,
        copies: vec![("Morning".into(), 4, 1)],
        ..Order::default()
    };
    let class = lab.simulate(&order);
    let readings = |t: &Submission| -> Vec<SubmittedCell> {
        let p = &lab.protocol;
        t.cells.iter().filter(|c| p.item(&c.item).is_some_and(|i| p.reading_of(i).is_some())).cloned().collect()
    };
    assert_eq!(readings(&class.tables[4]), readings(&class.tables[1]));
    assert_eq!(class.truth.tables[4].copied_from.as_deref(), Some("Team 2"));
    assert_ne!(readings(&class.tables[3]), readings(&class.tables[1]));
    assert_eq!(lab.simulate(&order).tables, class.tables);
    assert_ne!(lab.simulate(&Order { seed: 10, ..order }).tables, class.tables);
    let verdicts: Vec<VerdictKind> =
        class.tables.iter().flat_map(|t| judge(&lab.protocol, t, &[], &[]).results).map(|r| r.verdict).collect();
    assert!(!verdicts.contains(&VerdictKind::Slip) && !verdicts.contains(&VerdictKind::Unexplained));
}

/// What the charts show is what judging works with: a fit's slope is the clean result that is nothing but that slope,
/// and its band holds the line; a curve's end point is the clean end point; a decay falls.
#[test]
fn charts_show_what_is_judged() {
    use jurado_core::formula::{Function, Op};
    use jurado_core::plots::{Plot, plots};
    let (mut slopes, mut ends, mut decays) = (0, 0, 0);
    for (name, text, world) in labs() {
        let lab = lab(&name, &text, &world);
        let p = &lab.protocol;
        for table in class(&lab, 9, 4).tables {
            let judged = judge(p, &table, &[], &[]);
            let clean = |function: Function, x: ItemId, y: ItemId| {
                judged.results.iter().find_map(|r| match &p.results[r.id].node.op {
                    Op::Call(f, args) if *f == function => {
                        let here =
                            matches!((&args[0].op, &args[1].op), (Op::Item(a), Op::Item(b)) if *a == x && *b == y);
                        r.clean.filter(|_| here).map(|v| v * p.items[r.item].unit.factor)
                    }
                    _ => None,
                })
            };
            for plot in plots(p, &judged) {
                match plot {
                    Plot::Fit(f) => {
                        assert_eq!(f.points.len(), f.residuals.len());
                        let inside = |(x, a, b): &(f64, f64, f64)| {
                            let y = f.intercept + f.slope * x;
                            *a <= y && y <= *b
                        };
                        assert!(f.band.iter().all(inside), "{name}");
                        if let Some(slope) = clean(Function::Slope, f.x, f.y) {
                            // Both in coherent SI units: a slope may have another unit than its columns give.
                            let shown = f.slope * p.items[f.y].unit.factor / p.items[f.x].unit.factor;
                            assert!((slope - shown).abs() <= 1e-9 * slope.abs(), "{name}: {slope} {shown}");
                            slopes += 1;
                        }
                    }
                    Plot::Curve(c) => {
                        if let (Some(end), Some(shown)) = (clean(Function::Equivalence, c.x, c.y), c.end) {
                            let shown = shown * p.items[c.x].unit.factor;
                            assert!((end - shown).abs() <= 1e-9 * end.abs(), "{name}: {end} {shown}");
                            ends += 1;
                        }
                    }
                    Plot::Decay(d) => {
                        assert!(d.curve.windows(2).all(|w| w[1].1 < w[0].1), "{name}: a decay falls");
                        decays += 1;
                    }
                }
            }
        }
    }
    assert!(slopes >= 8 && ends >= 8 && decays >= 3, "{slopes} slopes, {ends} end points, {decays} decays");
}
