//! Every lab of the library, simulated classes with mistakes and trouble in them, through the pages a person sees: what is
//! drawn has numbers that are numbers, what is written is markup that closes, and nothing that somebody typed runs.

use std::sync::Arc;

use askama::Template;
use chrono::{NaiveDate, NaiveDateTime};
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::Severity;
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::summary::Mark;
use jurado_core::verdict::{Judged, VerdictKind};
use jurado_sim::{Lab as Simulated, Order};
use jurado_store::attachments::Attachment;
use jurado_store::door::{Place, Team};
use jurado_store::{DocketRow, Lab, SheetDetail, SheetState, StoredDecision};

use super::bench::BenchPage;
use super::hand_in::SheetPage as DoorPage;
use super::returns::SheetPage;
use crate::views::asked::Asks;
use crate::views::bench::{Around, BenchView, Tried};
use crate::views::entry::Fields;
use crate::views::frame::Frame;
use crate::views::hand_in::{SheetView as DoorView, fields_for, sheet_of};
use crate::views::joining::Joined;
use crate::views::returns::SheetView;

/// A picture whose name, and what it shows, somebody typed.
fn picture(name: &str) -> Attachment {
    let media = "image/png".to_owned();
    Attachment { id: 9, file_name: name.to_owned(), media, at: noon(), about: name.to_owned(), by: None }
}

fn noon() -> NaiveDateTime {
    NaiveDate::from_ymd_opt(2026, 11, 20).and_then(|d| d.and_hms_opt(12, 0, 0)).expect("a day")
}

fn folder() -> String {
    format!("{}/../../protocols", env!("CARGO_MANIFEST_DIR"))
}

/// Names of the labs that have a world to be simulated in.
fn labs() -> Vec<String> {
    let mut out: Vec<String> = std::fs::read_dir(format!("{}/worlds", folder()))
        .expect("the worlds")
        .filter_map(|e| e.ok()?.path().file_stem().map(|s| s.to_string_lossy().into_owned()))
        .collect();
    out.sort();
    assert!(out.len() >= 24, "{out:?}");
    out
}

/// A lab, and a class of it in which much goes wrong.
fn class(name: &str, seed: u64) -> (Lab, Vec<SheetDetail>) {
    let read = |path: String| std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{path}: {e}"));
    let source = read(format!("{}/{name}.toml", folder()));
    let simulated =
        Simulated::new(&source, &read(format!("{}/worlds/{name}.toml", folder()))).expect("a lab and its world");
    let order = Order { teams: 5, seed, slips: 0.8, unmodelled: 0.3, troubles: 0.6, ..Order::default() };
    let tables = simulated.simulate(&order).tables;
    let lab = Lab { id: 1, protocol_id: 1, protocol: Arc::new(Protocol::parse(&source).expect("a protocol")) };
    (lab, tables.into_iter().enumerate().map(|(i, t)| detail(i as u32 + 1, t)).collect())
}

fn detail(id: u32, submission: Submission) -> SheetDetail {
    SheetDetail {
        shelved: None,
        rulings: Vec::new(),
        id,
        lab_id: 1,
        version: 3,
        state: SheetState::Waiting,
        section_id: 1,
        team_id: id,
        settings: Section::default(),
        due_at: None,
        went_out: None,
        returns: 0,
        taken: None,
        submission_id: id,
        revision: 1,
        handed_in_at: noon(),
        submission,
        decisions: Vec::new(),
        returned_at: None,
    }
}

fn rows(details: &[SheetDetail]) -> Vec<DocketRow> {
    details
        .iter()
        .map(|d| DocketRow {
            id: d.id,
            lab_id: 1,
            section_id: 1,
            section: d.submission.section.clone(),
            team: d.submission.team.clone(),
            station: String::new(),
            state: d.state,
            decided: 1.into(),
            awarded: 1.into(),
            possible: 2.into(),
            open_findings: 1,
            hanging: 1.into(),
            mark: Mark::Slip,
            headline: String::new(),
            profile: String::new(),
            returned_at: None,
            taken_by: None,
            returns: 0,
        })
        .collect()
}

fn around<'a>(rows: &'a [DocketRow], attachments: &'a [Attachment]) -> Around<'a> {
    const NONE: &(Vec<jurado_store::HeldRecord>, bool) = &(Vec::new(), false);
    Around {
        may_remove: false,
        rows,
        attachments,
        waits: NONE,
        finding: None,
        result: None,
        unfolded: false,
        held: false,
        blind: false,
        tried: None,
        asked: &[],
    }
}

fn page(lab: &Lab, d: &SheetDetail, judged: &Judged, around: &Around<'_>) -> String {
    let v = BenchView::new(&lab.protocol, d, judged, around);
    let frame = Frame { signed_in: true, blind: around.blind, ..Frame::outside(&v.team, false) };
    BenchPage { frame, v, fault: None }.render().expect("a page")
}

/// Elements that have no end.
const VOID: [&str; 7] = ["meta", "link", "input", "img", "br", "hr", "col"];

/// What is wrong with markup: an element that is not closed, or closed in another's place; a number that is none.
fn objection(html: &str) -> Option<String> {
    let mut open: Vec<&str> = Vec::new();
    let mut rest = html;
    while let Some(at) = rest.find('<') {
        rest = &rest[at + 1..];
        if rest.starts_with('!') {
            continue;
        }
        let mut quoted = false;
        let end = rest.find(|c| {
            quoted ^= c == '"';
            c == '>' && !quoted
        });
        let Some(end) = end else {
            return Some(format!("a tag does not end: {}", rest.chars().take(60).collect::<String>()));
        };
        let tag = &rest[..end];
        rest = &rest[end + 1..];
        let name = tag.trim_start_matches('/').split([' ', '/', '\n']).next().unwrap_or("");
        if let Some(closed) = tag.strip_prefix('/') {
            if open.pop() != Some(closed) {
                return Some(format!("</{closed}> closes nothing"));
            }
        } else if !tag.ends_with('/') && !VOID.contains(&name) {
            open.push(name);
        }
        for bad in ["NaN", "\"inf\"", "Minf", "Hinf", "Vinf", "-inf", "Some(", "None\""] {
            if tag.contains(bad) {
                return Some(format!("“{bad}” in <{tag}>"));
            }
        }
    }
    (!open.is_empty()).then(|| format!("left open: {open:?}"))
}

/// What is wrong with a sentence, of what can be told without understanding it.
fn clumsy(text: &str) -> Option<&'static str> {
    let found = |bad: &'static str| text.contains(bad).then_some(bad);
    let all = [
        " .",
        " ,",
        " ;",
        " :",
        "..",
        ",,",
        "  ",
        "( ",
        " )",
        "()",
        "{",
        "}",
        "NaN",
        " inf",
        "The the ",
        "the the ",
        "a the ",
        "- -",
        "--",
        " 1 readings",
        " 1 results",
        " 1 tables",
        "Some(",
        "None",
    ];
    all.into_iter().find_map(found).or_else(|| (!text.ends_with(['.', '?', '!', '”', ')'])).then_some("no end"))
}

/// The numbers of an attribute, of elements that stand in the drawing by themselves.
fn numbers(svg: &str, attribute: &str) -> Vec<f64> {
    svg.split(&format!(" {attribute}=\"")).skip(1).filter_map(|t| t.split('"').next()?.parse().ok()).collect()
}

#[test]
fn every_table_of_every_lab_has_a_whole_page() {
    let (mut pages, mut findings, mut charts, mut folded) = (0, 0, 0, 0);
    for name in labs() {
        let (lab, details) = class(&name, 5);
        let rows = rows(&details);
        for d in &details {
            let judged = d.judge(&lab.protocol);
            let numbered = judged.findings.iter().filter(|f| f.severity != Severity::Note).count();
            // Each finding in hand, each result, and nothing.
            let mut looks: Vec<(Option<usize>, Option<usize>)> = vec![(None, None)];
            looks.extend((1..=numbered.min(4)).map(|n| (Some(n), None)));
            looks.extend((0..judged.results.len()).step_by(5).map(|r| (None, Some(r))));
            for (finding, result) in looks {
                let html = page(&lab, d, &judged, &Around { finding, result, ..around(&rows, &[]) });
                assert_eq!(
                    objection(&html),
                    None,
                    "{name}, {}, finding {finding:?}, result {result:?}",
                    d.submission.team
                );
                pages += 1;
            }
            let whole = BenchView::new(&lab.protocol, d, &judged, &Around { unfolded: true, ..around(&rows, &[]) });
            assert_eq!(whole.findings.len(), numbered);
            let blank = judged.results.iter().filter(|r| {
                r.row.is_some() && r.verdict == VerdictKind::Missing && lab.protocol.results[r.id].optional
            });
            assert_eq!(
                whole.board.results() + blank.count(),
                judged.results.len(),
                "{name}: every result has its place"
            );
            let cells = judged.readings.iter().map(|r| r.cells.len()).sum::<usize>();
            assert_eq!(whole.board.cells(), cells, "{name}: every reading stands there");
            // Rows that agree fold; whatever was found flies its pennant all the same.
            let v = BenchView::new(&lab.protocol, d, &judged, &around(&rows, &[]));
            for board in [&whole.board, &v.board] {
                let flying = board.pennants();
                for (n, f) in judged.findings.iter().filter(|f| f.severity != Severity::Note).enumerate() {
                    let place = f.place.item.is_some_and(|i| lab.protocol.is_typed(i));
                    assert!(
                        !place || flying.contains(&Some(n + 1)) || f.place.row.is_some() && flying.contains(&None),
                        "{name}: finding {} of {} flies nowhere",
                        f.key,
                        d.submission.team
                    );
                }
            }
            folded += v.board.folds();
            findings += numbered;
            charts += v.board.all_charts().len();
            for p in v.board.all_charts() {
                assert!(!p.says.is_empty() && p.height > 0, "{name}: {}", p.title);
                // Words and points that leave the drawing would not be seen.
                for (attribute, most) in [
                    ("x", f64::from(p.width)),
                    ("cx", f64::from(p.width)),
                    ("y", f64::from(p.height)),
                    ("cy", f64::from(p.height)),
                ] {
                    for v in numbers(p.svg.as_str(), attribute) {
                        assert!((-1.0..=most + 1.0).contains(&v), "{name}, {}: {attribute} = {v} of {most}", p.title);
                    }
                }
            }
        }
    }
    assert!(folded > 20, "{folded} runs of rows are folded");
    assert!(pages > 400 && findings > 200 && charts > 40, "{pages} pages, {findings} findings, {charts} charts");
}

#[test]
fn what_is_said_of_every_table_reads_as_sentences() {
    let mut clumsily = Vec::new();
    for (name, seed) in labs().into_iter().flat_map(|l| [(l.clone(), 11), (l, 12)]) {
        let (lab, details) = class(&name, seed);
        for d in &details {
            let judged = d.judge(&lab.protocol);
            for (_, text) in jurado_core::wording::sentences(&lab.protocol, &judged) {
                clumsily.extend(clumsy(&text).map(|why| format!("{name}, told: {why:?} in “{text}”")));
            }
            for f in &judged.findings {
                let says = jurado_core::wording::says(&lab.protocol, f);
                clumsily.extend(clumsy(&says).map(|why| format!("{name}, says: {why:?} in “{says}”")));
            }
            let sheet = SheetView::new(&lab.protocol, d, &judged, Asks::default());
            let html =
                SheetPage { frame: Frame::bare("sheet"), sheets: vec![sheet], batch: false }.render().expect("a sheet");
            assert_eq!(objection(&html), None, "{name}");
        }
    }
    clumsily.sort();
    clumsily.dedup();
    assert!(
        clumsily.is_empty(),
        "{} clumsy sentences:\n{}",
        clumsily.len(),
        clumsily.iter().take(30).cloned().collect::<Vec<_>>().join("\n")
    );
}

#[test]
fn with_names_hidden_no_page_says_whose_table_it_is() {
    let (lab, mut details) = class("keel-plate", 3);
    for (i, d) in details.iter_mut().enumerate() {
        d.submission.team = format!("Quillback {i}");
        d.submission.section = "Wrackline".into();
    }
    let rows = rows(&details);
    let pictures = [picture("Quillback 0 graph.png")];
    for d in &details {
        let judged = d.judge(&lab.protocol);
        let open = page(&lab, d, &judged, &around(&rows, &pictures));
        assert!(open.contains("Quillback") && open.contains("Wrackline"));
        let blind = page(&lab, d, &judged, &Around { blind: true, ..around(&rows, &pictures) });
        for name in ["Quillback", "Wrackline"] {
            assert!(!blind.contains(name), "{name} in the page of table {}", d.id);
        }
    }
}

/// Markup in every place where somebody types: each stands in the page as text, and the page closes as before.
#[test]
fn nothing_that_is_typed_becomes_markup() {
    type Put<'a> = (&'a str, &'a dyn Fn(&mut SheetDetail));
    const EVIL: &str = "\"><script>alert('x')</script><b>&amp;";
    let (lab, details) = class("keel-plate", 8);
    let first = &details[0];
    let item = |d: &Submission| d.cells.iter().position(|c| c.item == "plate_density").expect("a result");
    let places: [Put<'_>; 8] = [
        ("team", &|d| d.submission.team = EVIL.into()),
        ("section", &|d| d.submission.section = EVIL.into()),
        ("key", &|d| {
            d.submission.keys.insert("station".into(), EVIL.into());
        }),
        ("value", &|d| {
            let i = item(&d.submission);
            d.submission.cells[i].value = EVIL.into();
        }),
        ("unit", &|d| {
            let i = item(&d.submission);
            d.submission.cells[i].unit = EVIL.into();
        }),
        ("note", &|d| d.submission.cells.iter_mut().for_each(|c| c.note = EVIL.into())),
        ("reason of a reading left out", &|d| {
            let at =
                d.submission.cells.iter().position(|c: &SubmittedCell| c.item == "disc_diameter").expect("a reading");
            d.submission.cells[at].excluded = EVIL.into();
        }),
        ("a finding of one's own", &|d| {
            d.decisions.push(StoredDecision {
                id: 1,
                decision: Decision {
                    finding: "own:digits:1".into(),
                    action: Action::Points("0.5".parse().expect("points")),
                    reason: EVIL.into(),
                    by: EVIL.into(),
                    text: EVIL.into(),
                },
                at: noon(),
            });
        }),
    ];
    let pictures = [picture(EVIL)];
    for (place, put) in places {
        let mut d = detail(1, first.submission.clone());
        put(&mut d);
        let judged = d.judge(&lab.protocol);
        let rows = rows(std::slice::from_ref(&d));
        let numbered = judged.findings.iter().filter(|f| f.severity != Severity::Note).count();
        for finding in (0..=numbered).map(|n| Some(n).filter(|n| *n > 0)) {
            let html = page(&lab, &d, &judged, &Around { finding, ..around(&rows, &pictures) });
            assert!(!html.contains("<script>alert"), "{place}: it would run");
            assert_eq!(objection(&html), None, "{place}");
        }
        let sheet = SheetView::new(&lab.protocol, &d, &judged, Asks::default());
        let html = SheetPage { frame: Frame::bare(EVIL), sheets: vec![sheet], batch: true }.render().expect("a sheet");
        assert!(!html.contains("<script>alert"), "{place}: it would run on the sheet");
        assert_eq!(objection(&html), None, "{place} on the sheet");
    }
}

/// A try-out shows what it changes, beside what stands: the ghost on the ladder, the value in the rung, the sum.
#[test]
fn a_try_out_is_drawn_beside_what_stands() {
    let mut moved = 0;
    for name in ["keel-plate", "davit-balance", "fog-pipe", "bilge-acid"] {
        let (lab, details) = class(name, 21);
        for d in &details {
            let judged = d.judge(&lab.protocol);
            let mut tried = d.submission.clone();
            let cell = tried.cells.iter_mut().find(|c| {
                lab.protocol.item(&c.item).is_some_and(|i| lab.protocol.reading_of(i).is_some())
                    && c.value.parse::<f64>().is_ok()
            });
            let Some(cell) = cell else { continue };
            cell.value = format!("{}", cell.value.parse::<f64>().expect("a number") * 1.5 + 1.0);
            let again = jurado_core::judging::judge_in(&lab.protocol, &d.settings, &tried, &[], &[]);
            let rows = rows(&details);
            let shown = Tried { judged: again, protocol: (*lab.protocol).clone(), changed: 1, fault: None };
            let at = Around { tried: Some(&shown), ..around(&rows, &[]) };
            let v = BenchView::new(&lab.protocol, d, &judged, &at);
            let differ = judged
                .results
                .iter()
                .zip(&shown.judged.results)
                .filter(|(a, b)| a.clean != b.clean || a.right_word != b.right_word)
                .count();
            assert_eq!(v.board.tried(), (differ, 1), "{name}");
            assert!(!v.can_sign, "nothing is signed from a try-out");
            assert_eq!(objection(&page(&lab, d, &judged, &at)), None, "{name}");
            moved += differ;
        }
    }
    assert!(moved > 20, "{moved}");
}

#[test]
fn the_checker_of_markup_finds_what_is_wrong() {
    for (html, wrong) in [
        ("<p>a<b>c</b></p><input><br>", false),
        ("<svg><path d=\"M1 2\"/></svg>", false),
        ("<p title=\"a > b\">x</p>", false),
        ("<p><b></p></b>", true),
        ("<p>", true),
        ("<path d=\"MNaN 2\"/>", true),
        ("</p>", true),
        ("<p", true),
    ] {
        assert_eq!(objection(html).is_some(), wrong, "{html}: {:?}", objection(html));
    }
    for (text, wrong) in [("It is 4 mm.", false), ("It is 4 .", true), ("It is", true)] {
        assert_eq!(clumsy(text).is_some(), wrong, "{text}");
    }
}

/// The value of an attribute in a piece of markup, as it was before it was written into it.
fn attribute(of: &str, name: &str) -> Option<String> {
    let (_, rest) = of.split_once(&format!(" {name}=\""))?;
    let (value, _) = rest.split_once('"')?;
    let plain = value.replace("&#34;", "\"").replace("&#39;", "'").replace("&#60;", "<").replace("&#62;", ">");
    Some(plain.replace("&#38;", "&"))
}

/// The fields that a browser would send of a form as it stands.
fn sent(html: &str) -> Fields {
    let html = html.replace("\n", " ");
    let mut out = Fields::new();
    for tag in html.split("<input").skip(1).filter_map(|t| t.split_once('>')).map(|(tag, _)| tag) {
        out.extend(attribute(tag, "name").zip(attribute(tag, "value")));
    }
    for select in html.split("<select").skip(1).filter_map(|s| s.split_once("</select>")).map(|(s, _)| s) {
        let chosen = select.split_once("<option selected>").and_then(|(_, rest)| rest.split_once('<'));
        out.extend(
            attribute(select, "name")
                .zip(chosen.map(|(v, _)| attribute(&format!(" x=\"{v}\""), "x").unwrap_or_default())),
        );
    }
    out
}

/// What stands in a cell, with its unit where that is not the lab's own.
fn cell_of(p: &Protocol, c: &SubmittedCell) -> [String; 5] {
    let own = p.item(&c.item).map_or("", |i| p.items[i].unit.text.as_str());
    let unit = if c.unit.is_empty() || c.unit == own || c.value.trim().is_empty() { "" } else { c.unit.as_str() };
    let keys: Vec<String> = c.keys.iter().map(|(k, v)| format!("{k}={v}")).collect();
    let value = format!("{} {unit}", c.value.trim()).trim().to_owned();
    [value, c.plus_minus.trim().to_owned(), c.excluded.trim().to_owned(), c.note.trim().to_owned(), keys.join(" ")]
}

/// A sheet at the door, sent as it stands, is the sheet that came in: nothing that a file said goes lost in the form. Each
/// thing that is told has its number once on the sheet, in its place.
#[test]
fn a_sheet_at_the_door_loses_nothing_and_tells_each_thing_in_its_place() {
    let (mut cells, mut things) = (0, 0);
    for name in labs() {
        let (lab, details) = class(&name, 31);
        let p = lab.protocol.clone();
        for mut d in details {
            // Every fifth cell is empty, has a letter or lacks a digit; a key is one that the lab does not have.
            for (at, c) in
                d.submission.cells.iter_mut().enumerate().filter(|(at, _)| (at + d.id as usize).is_multiple_of(5))
            {
                match at % 3 {
                    0 => c.value.clear(),
                    1 => c.value.push('O'),
                    _ => {
                        c.value.pop();
                    }
                }
            }
            if let Some(station) = d.submission.keys.values_mut().next() {
                *station = "99".into();
            }
            // What somebody typed runs nowhere, and comes back as it was typed.
            if let Some(c) = d.submission.cells.iter_mut().find(|c| !c.value.trim().is_empty()) {
                c.note = "\"><script>alert('x')</script>&amp;".into();
            }
            let team =
                Team { id: 1, name: "Alfa".into(), section_id: 1, section: "Morning".into(), code: String::new() };
            let place = Place {
                lab: lab.clone(),
                settings: Section::default(),
                due_at: None,
                sheet: Some(d.submission.clone()),
                draft: None,
                book: None,
                receipts: Vec::new(),
                pictures: Vec::new(),
                out: false,
            };
            let fields = fields_for(&p, &d.submission);
            let gaps = jurado_core::gaps::gaps(&p, &place.settings, &sheet_of(&p, &fields, &team));
            let v = DoorView::new(&place, &Joined::of(fields), &gaps, noon(), None);
            let page = DoorPage { frame: Frame::bare("Hand in"), team: "Alfa".into(), section: "Morning".into(), v };
            let html = page.render().expect("a page");
            assert_eq!(objection(&html), None, "{name}");
            assert!(!html.contains("<script>alert"), "{name}: it would run");
            for (n, gap) in gaps.iter().enumerate().map(|(n, g)| (n + 1, g)) {
                let there = html.matches(&format!("id=\"told-{n}\"")).count();
                assert_eq!(there, 1, "{name}: {gap:?} stands {there} times");
                things += 1;
            }
            let back = sheet_of(&p, &sent(&html), &team);
            let find = |all: &[SubmittedCell], c: &SubmittedCell| {
                all.iter().find(|o| o.item == c.item && o.row == c.row).map(|o| cell_of(&p, o))
            };
            for c in &d.submission.cells {
                // Of a cell that is there twice the first counts in a form.
                let first = find(&d.submission.cells, c).expect("it is there");
                if first == cell_of(&p, c) && first.iter().take(4).any(|t| !t.is_empty()) {
                    assert_eq!(find(&back.cells, c), Some(first), "{name}, {} row {:?}", c.item, c.row);
                    cells += 1;
                }
            }
            assert_eq!(back.keys, d.submission.keys, "{name}");
        }
    }
    assert!(cells > 2_000 && things > 300, "{cells} cells, {things} things");
}
