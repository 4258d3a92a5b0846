//! Small builders for tables, so that a test reads as a sheet does.
#![allow(dead_code, missing_docs)]

use jurado_core::cell::{Below, Held, Under};
use jurado_core::finding::Finding;
use jurado_core::judging::judge_in;
use jurado_core::protocol::Protocol;
use jurado_core::row::Row;
use jurado_core::section::Section;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::verdict::{Judged, JudgedResult};
use jurado_core::wording;

pub(crate) const ECHO: &str = include_str!("../labs/echo-well.toml");
pub(crate) const TITRE: &str = include_str!("../labs/tide-titre.toml");
pub(crate) const ZONES: &str = include_str!("../labs/lamp-zones.toml");
pub(crate) const CURVE: &str = include_str!("../labs/bilge-curve.toml");

pub(crate) const TITRE_SHEET: &str = "
    run 1: Rough\nrun 2: kept\nrun 3: kept
    start 1: 0.00 {unit mL}\nend 1: 24.95 {unit mL}
    start 2: 0.50 {unit mL}\nend 2: 24.60 {unit mL}
    start 3: 24.60 {unit mL}\nend 3: 48.80 {unit mL}
    boat_full: 12.8431 {unit g}\nboat_empty: 12.3325 {unit g}\ndrops: 3
    titre 1: 24.95 {unit mL}\ntitre 2: 24.10 {unit mL}\ntitre 3: 24.20 {unit mL}
    mean_titre: 24.15 {unit mL}\nmass: 0.5106 {unit g}\nconcentration: 0.1035 {unit mol/L} {± 0.0003}";

pub(crate) const ZONES_SHEET: &str = "
    zone 1: inside\nzone 2: at\nzone 3: beyond
    object 1: 205 {unit mm}\nobject 2: 398 {unit mm}\nobject 3: 600 {unit mm}
    image 3: 1000 {unit mm}
    tilt: 30 {unit deg}\nrim_density: 8.65 {unit g/cm^3}
    attitude 1: upright\nattitude 2: none\nattitude 3: Inverted
    focal 3: 375 {unit mm}
    rise: 500 {unit mm}\ndensity: 8.65 {unit g/cm^3}\nmetal: brass";

pub(crate) const RUNS: &str = "
    level 1: 20.8 {unit cm} {fork a}\nlevel 2: 24.1 {unit cm} {fork b}\nlevel 3: 30.8 {unit cm} {fork c}
    rim: 4.2 {unit cm}\nair: 20.0 {unit °C}
    length 1: 16.6 {unit cm}\nlength 2: 19.9 {unit cm}\nlength 3: 26.6 {unit cm}
    inverse 1: 6.02 {unit 1/m}\ninverse 2: 5.03 {unit 1/m}\ninverse 3: 3.76 {unit 1/m}
    speed: 340 {unit m/s} {± 3}\ngradient: 84.96 {unit m/s}";

pub(crate) const CURVE_SHEET: &str = "
    portion 1: 0.00 {unit mL}\nportion 2: 5.00 {unit mL}\nportion 3: 4.00 {unit mL}\nportion 4: 0.50 {unit mL}
    portion 5: 0.50 {unit mL}\nportion 6: 0.50 {unit mL}\nportion 7: 2.00 {unit mL}
    volume 1: 0.00 {unit mL}\nvolume 2: 5.00 {unit mL}\nvolume 3: 9.00 {unit mL}\nvolume 4: 9.50 {unit mL}
    volume 5: 10.00 {unit mL}\nvolume 6: 10.50 {unit mL}\nvolume 7: 12.50 {unit mL}
    ph 1: 3.10\nph 2: 4.80\nph 3: 5.60\nph 4: 6.20\nph 5: 9.40\nph 6: 10.20\nph 7: 11.00
    gain: 0.5 {unit V}\nheight: 3.4 {unit div}\namplitude: 1.7 {unit V}
    end_point: 9.75 {unit mL} {± 0.15}\nhalf_ph: 4.76\nvoltage: 1.70 {unit V}\nlevel: 44.6";

pub(crate) fn protocol(text: &str) -> Protocol {
    Protocol::parse(text)
        .unwrap_or_else(|f| panic!("{}", f.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")))
}

/// A table from lines `item: value`, or `item 2: value` for row 2. After the value, marks in braces: `{out reason}`,
/// `{± 0.02}`, `{unit mm}`, `{fork a}` for a row's key; `{= a*b/2}` for the formula under it, which calls cells by their items (`x_2` for row 2), and
/// `{raw 55.354}` for what it last gave. A line `cell H1: 3.5` is a cell of the team's own beside the sheet.
pub(crate) fn sheet(lines: &str) -> Submission {
    let mut out = Submission { section: "Morning".into(), team: "Heron".into(), ..Submission::default() };
    let mut under = Under { home: "Data sheet".into(), ..Under::default() };
    for line in lines.lines().map(str::trim).filter(|l| !l.is_empty()) {
        let (place, rest) = line.split_once(':').unwrap_or_else(|| panic!("a line without a colon: {line}"));
        let mut place = place.split_whitespace();
        let item = place.next().unwrap_or_default();
        let row = place.next().and_then(|r| r.parse().ok());
        let (value, marks) = rest.split_once('{').unwrap_or((rest, ""));
        let held = |v: &str| if v.parse::<f64>().is_ok() { Held::Number(v.into()) } else { Held::Text(v.into()) };
        let mut below = Below { item: item.into(), row, held: held(value.trim()), formula: None };
        if item == "cell" {
            let address = line.split([' ', ':']).nth(1).unwrap_or_default().to_owned();
            under.cells.insert(address, Below { item: String::new(), ..below });
            continue;
        }
        let mut cell = SubmittedCell { item: item.into(), row, value: value.trim().into(), ..SubmittedCell::default() };
        for mark in marks.split('{').map(|m| m.trim().trim_end_matches('}').trim()).filter(|m| !m.is_empty()) {
            match mark.split_once(' ').unwrap_or((mark, "")) {
                ("out", reason) => cell.excluded = if reason.is_empty() { "x".into() } else { reason.into() },
                ("±", pm) => cell.plus_minus = pm.into(),
                ("unit", unit) => cell.unit = unit.into(),
                ("note", note) => cell.note = note.into(),
                ("=", formula) => below.formula = Some(format!("={formula}")),
                ("raw", "") => below.held = Held::Empty,
                ("raw", text) => below.held = held(text),
                ("waiting", rows) => out.waiting = rows.parse().unwrap_or(0),
                (key, value) => {
                    cell.keys.insert(key.into(), value.into());
                }
            }
        }
        let address = format!("A{}", under.cells.len() + 1);
        let name = row.map_or_else(|| item.to_owned(), |r: u32| format!("{item}_{r}"));
        under.names.insert(name, format!("={address}"));
        under.cells.insert(address, below);
        out.cells.push(cell);
    }
    out.under = under.cells.values().any(|c| c.formula.is_some()).then(|| Box::new(under));
    out
}

pub(crate) fn judged(text: &str, lines: &str) -> Judged {
    judged_in(text, &Section::default(), lines)
}

pub(crate) fn judged_in(text: &str, section: &Section, lines: &str) -> Judged {
    judge_in(&protocol(text), section, &sheet(lines), &[], &[])
}

pub(crate) fn result<'j>(p: &Protocol, j: &'j Judged, id: &str, row: Option<u32>) -> &'j JudgedResult {
    let item = p.item(id).unwrap_or_else(|| panic!("no item {id}"));
    j.results
        .iter()
        .find(|r| r.item == item && r.row.map(Row::number) == row)
        .unwrap_or_else(|| panic!("no result {id} {row:?}"))
}

pub(crate) fn verdicts(p: &Protocol, j: &Judged) -> Vec<String> {
    j.results
        .iter()
        .map(|r| {
            let row = r.row.map_or_else(String::new, |r| format!(" {r}"));
            let kind = r
                .slip
                .as_ref()
                .filter(|_| r.verdict.word() == "slip")
                .map_or_else(String::new, |s| format!(" {}", s.kind));
            format!("{}{row} {}{kind}", p.items[r.item].id, r.verdict.word())
        })
        .collect()
}

pub(crate) fn finding<'j>(j: &'j Judged, code: &str) -> Option<&'j Finding> {
    j.findings.iter().find(|f| f.code() == code)
}

/// What the reviewer reads of the first finding of a kind; empty where there is none.
pub(crate) fn said(text: &str, j: &Judged, code: &str) -> String {
    finding(j, code).map_or_else(String::new, |f| wording::says(&protocol(text), f))
}

/// The sentences the team reads.
pub(crate) fn told(text: &str, j: &Judged) -> Vec<String> {
    wording::sentences(&protocol(text), j).into_iter().map(|(_, s)| s).collect()
}

pub(crate) fn codes(j: &Judged) -> Vec<&'static str> {
    j.findings.iter().map(|f| f.code()).collect()
}

pub(crate) fn close(got: f64, want: f64, relative: f64) -> bool {
    (got - want).abs() <= relative * want.abs()
}
