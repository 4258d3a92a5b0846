//! Both sides of every promised rule: a table just inside it and one just outside, and what is said of each. A row names the
//! rule of `docs/judging.md` that it proves; every rule there has a row here.
#![allow(missing_docs)]

mod common;

use std::collections::BTreeSet;

use common::*;
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::Kind;
use jurado_core::judging::judge_in;
use jurado_core::protocol::Protocol;
use jurado_core::section::{Section, Source, Waiver};
use jurado_core::verdict::{Face, Judged};

/// What is looked at: a verdict, the codes, a cost.
type Look = Box<dyn Fn(&Protocol, &Judged) -> String>;

/// One rule, a table just inside it and one just outside.
struct Edge {
    rule: &'static str,
    labs: [String; 2],
    sheets: [String; 2],
    look: Look,
    want: [&'static str; 2],
    sections: [Section; 2],
    decisions: [Vec<Decision>; 2],
}

impl Edge {
    /// The same with a person's decision on the first side.
    fn decided(mut self, key: &str, action: Action) -> Edge {
        let (reason, by) = ("seen on the photo".to_owned(), "a reviewer".to_owned());
        self.decisions[0] = vec![Decision { finding: key.into(), action, reason, by, text: String::new() }];
        self
    }

    /// The same with a section's setting on the first side.
    fn inside(mut self, section: Section) -> Edge {
        self.sections[0] = section;
        self
    }
}

fn edge(rule: &'static str, lab: &str, sheets: [&str; 2], look: Look, want: [&'static str; 2]) -> Edge {
    Edge {
        rule,
        labs: [lab.to_owned(), lab.to_owned()],
        sheets: sheets.map(str::to_owned),
        look,
        want,
        sections: Default::default(),
        decisions: Default::default(),
    }
}

/// One table by two protocols that differ in the rule.
fn between(rule: &'static str, labs: [&str; 2], sheet: &str, look: Look, want: [&'static str; 2]) -> Edge {
    Edge {
        rule,
        labs: labs.map(str::to_owned),
        sheets: [sheet.to_owned(), sheet.to_owned()],
        look,
        want,
        sections: Default::default(),
        decisions: Default::default(),
    }
}

/// A bench of readings of many digits, with the results and criteria of one rule.
fn lab(school: &str, parts: &str) -> String {
    let points: f64 = parts
        .split("[[result]]")
        .skip(1)
        .filter_map(|r| r.split("points = \"").nth(1)?.split('"').next()?.parse::<f64>().ok())
        .sum();
    let more: f64 = parts
        .split("[[criterion]]")
        .skip(1)
        .filter_map(|r| r.split("points = \"").nth(1)?.split('"').next()?.parse::<f64>().ok())
        .sum();
    format!(
        "format = 1\nid = \"edge-bench\"\nversion = 1\ntitle = \"Edge bench\"\nsummary = \"One rule at a time.\"\n\
         possible = \"{}\"\n[school]\n{school}\n[[bay]]\nid = \"bench\"\ntitle = \"Bench\"\n\
         [[instrument]]\nid = \"rule\"\ntitle = \"rule\"\nunit = \"cm\"\nstep = 0.1\n\
         [[instrument]]\nid = \"bridge\"\ntitle = \"bridge\"\nunit = \"cm\"\nstep = 0.0001\n{parts}\n\
         [[criterion]]\nid = \"calculation\"\ntitle = \"Calculation\"\npoints = \"{points}\"\nrule = \"calculation\"\n",
        points + more
    )
}

/// A reading of the fine bridge, or of the coarse rule.
fn reading(id: &str, with: &str) -> String {
    format!("[[reading]]\nid = \"{id}\"\ntitle = \"{id}\"\nbay = \"bench\"\nunit = \"cm\"\ninstrument = \"{with}\"\n")
}

fn result_of(id: &str, unit: &str, formula: &str) -> String {
    format!(
        "[[result]]\nid = \"{id}\"\ntitle = \"{id}\"\nbay = \"bench\"\nunit = \"{unit}\"\nformula = \"{formula}\"\npoints = \"1\"\n"
    )
}

fn verdict(id: &'static str) -> Look {
    Box::new(move |p, j| {
        let item = p.item(id).expect("an item");
        let all: Vec<&str> = j.results.iter().filter(|r| r.item == item).map(|r| r.verdict.word()).collect();
        all.join(" ")
    })
}

/// Whether a value is taken as right, whatever the reason.
fn right(id: &'static str) -> Look {
    Box::new(move |p, j| match result(p, j, id, None).verdict.word() {
        "agrees" | "rounded" | "carried" => "right".to_owned(),
        _ => "wrong".to_owned(),
    })
}

/// The verdict, and the kind of slip where it is one.
fn named(id: &'static str) -> Look {
    Box::new(move |p, j| {
        let r = result(p, j, id, None);
        match (&r.slip, r.verdict.word()) {
            (Some(s), "slip") => format!("slip {}", s.kind),
            (_, word) => word.to_owned(),
        }
    })
}

fn has(code: &'static str) -> Look {
    Box::new(move |_, j| if codes(j).contains(&code) { "found".to_owned() } else { "not found".to_owned() })
}

fn face(id: &'static str) -> Look {
    Box::new(move |p, j| match &result(p, j, id, None).face {
        Some(Face::EveryStep { .. }) => "every step".to_owned(),
        Some(face) => format!("{face:?}"),
        None => result(p, j, id, None).verdict.word().to_owned(),
    })
}

fn product() -> String {
    lab("", &(reading("a", "rule") + &reading("b", "rule") + &result_of("area", "cm^2", "a * b")))
}

fn fine(results: &str) -> String {
    lab("", &(reading("a", "bridge") + &reading("b", "bridge") + results))
}

/// Comparing: section "The verdict on a reported value" of docs/judging.md.
fn comparing() -> Vec<Edge> {
    // A second use of the reading, so that nobody takes the reading for miscopied.
    let same = fine(&(result_of("same", "cm", "a") + &result_of("also", "cm", "a + b")));
    let sum =
        fine(&(result_of("p", "cm", "a / 3") + &result_of("q", "cm", "b / 3") + &result_of("whole", "cm", "p + q")));
    let chain =
        fine(&(result_of("u", "cm", "2 * a") + &result_of("v", "cm", "3 * u") + &result_of("w", "cm", "v + b")));
    let ab = "a: 12.3 {unit cm}\nb: 4.5 {unit cm}\n";
    let with = |r: &str| format!("{ab}area: {r} {{unit cm^2}}");
    let one = |a: &str, r: &str| {
        let also = a.parse::<f64>().expect("a number") + 1.0;
        format!("a: {a} {{unit cm}}\nb: 1.0000 {{unit cm}}\nsame: {r} {{unit cm}}\nalso: {also:.4} {{unit cm}}")
    };
    let two = |r: &str| {
        format!(
            "a: 12.3000 {{unit cm}}\nb: 12.6000 {{unit cm}}\np: 4.1 {{unit cm}}\nq: 4.2 {{unit cm}}\nwhole: {r} {{unit cm}}"
        )
    };
    let cut = |r: &str| {
        format!(
            "a: 12.5997 {{unit cm}}\nb: 12.6000 {{unit cm}}\np: 4.1 {{unit cm}}\nq: 4.2000 {{unit cm}}\nwhole: {r} {{unit cm}}"
        )
    };
    let mended = |w: &str| {
        format!(
            "a: 10.0000 {{unit cm}}\nb: 1.0000 {{unit cm}}\nu: 26.3178 {{unit cm}}\nv: 7.89534 {{unit cm}}\nw: {w} {{unit cm}}"
        )
    };
    vec![
        edge("Agrees", &same, [&one("1.5649", "1.56"), &one("1.5651", "1.56")], verdict("same"), ["agrees", "rounded"]),
        edge(
            "Room for the last figure deserved",
            &product(),
            [&with("55.39"), &with("55.41")],
            right("area"),
            ["right", "wrong"],
        ),
        edge(
            "A calculator dump",
            &product(),
            [&with("55.3499999"), &with("55.34999")],
            verdict("area"),
            ["agrees", "rounded"],
        ),
        edge("Padded noughts", &product(), [&with("55.000"), &with("54.000")], face("area"), ["Padded", "unexplained"]),
        edge(
            "Rounding in two steps",
            &same,
            [&one("1.5645", "1.57"), &one("1.5644", "1.57")],
            face("same"),
            ["TwoSteps", "unexplained"],
        ),
        edge(
            "Cut off",
            &same,
            [&one("1.5699", "1.56"), &one("1.5701", "1.56")],
            face("same"),
            ["CutOff", "unexplained"],
        ),
        edge(
            "The rounding envelope",
            &sum,
            [&two("8.399"), &two("8.401")],
            verdict("whole"),
            ["rounded", "unexplained"],
        ),
        edge(
            "The width of a value that was cut off",
            &sum,
            [&cut("8.395"), &cut("8.405")],
            verdict("whole"),
            ["rounded", "unexplained"],
        ),
        edge(
            "A mended value",
            &chain,
            [&mended("79.9534"), &mended("81.9534")],
            verdict("w"),
            ["carried", "unexplained"],
        ),
    ]
}

/// How many rows the slip runs through that has the most.
fn rows_of_slip() -> Look {
    Box::new(|_, j| {
        let rows = j.findings.iter().map(|f| if let Kind::Slip(s) = &f.kind { s.rows.len() } else { 0 });
        format!("{} rows", rows.max().unwrap_or(0))
    })
}

/// What the reviewer reads of the first finding of a kind has this in it.
fn tells(code: &'static str, part: &'static str) -> Look {
    Box::new(move |p, j| {
        let said = finding(j, code).map(|f| jurado_core::wording::says(p, f)).unwrap_or_default();
        if said.contains(part) { "told".to_owned() } else { "not told".to_owned() }
    })
}

/// What a kind of finding costs in all.
fn cost(code: &'static str) -> Look {
    Box::new(move |_, j| {
        let all: rust_decimal::Decimal = j.findings.iter().filter(|f| f.code() == code).map(|f| f.cost).sum();
        all.normalize().to_string()
    })
}

/// Whether the first finding of a kind is fragile.
fn fragile(code: &'static str) -> Look {
    Box::new(move |_, j| match finding(j, code) {
        Some(f) if f.fragile.is_some() => "fragile".to_owned(),
        Some(_) => "firm".to_owned(),
        None => "not found".to_owned(),
    })
}

fn line_of(criterion: &'static str) -> Look {
    Box::new(move |_, j| {
        let line = j.score.lines.iter().find(|l| l.criterion == criterion).expect("a line");
        line.awarded.normalize().to_string()
    })
}

/// A table of rows of the fine bridge with a value worked out in each.
fn rows(count: &str, formula: &str) -> String {
    let table = format!("[[table]]\nid = \"runs\"\ntitle = \"runs\"\nbay = \"bench\"\nrows = {count}\n");
    let read = |id: &str| reading(id, "bridge").replace("bay = \"bench\"", "table = \"runs\"");
    let result = result_of("r", "cm", formula).replace("bay = \"bench\"", "table = \"runs\"");
    table + &read("x") + &read("y") + &result
}

/// A sheet of rows: x, y and what was written for r.
fn filled(rows: &[(&str, &str, &str)]) -> String {
    rows.iter()
        .enumerate()
        .map(|(i, (x, y, r))| {
            let cell = |id: &str, v: &str| {
                if v.is_empty() { String::new() } else { format!("{id} {}: {v} {{unit cm}}\n", i + 1) }
            };
            cell("x", x) + &cell("y", y) + &cell("r", r)
        })
        .collect()
}

/// Four rows with x − y = 11.1, 12.2, 13.3, 14.4, and what was written for it.
fn differences(r: [&str; 4]) -> String {
    filled(&[
        ("12.3456", "1.2456", r[0]),
        ("14.5678", "2.3678", r[1]),
        ("16.7891", "3.4891", r[2]),
        ("18.9123", "4.5123", r[3]),
    ])
}

/// Diagnosis: section "What seems to have happened".
fn diagnosing() -> Vec<Edge> {
    let half = fine(&result_of("tri", "cm^2", "a * b / 2"));
    let tri = |r: &str| format!("a: 12.3000 {{unit cm}}\nb: 4.5000 {{unit cm}}\ntri: {r} {{unit cm^2}}");
    let four = lab("", &rows("4", "x - y"));
    let column = differences;
    let down = TITRE;
    let up = TITRE.replace("scale = \"down\"\n", "");
    vec![
        edge(
            "Named from one half on",
            &half,
            [&tri("55.350"), &tri("40.9126")],
            named("tri"),
            ["slip literal", "unexplained"],
        ),
        edge(
            "One slip down a column",
            &four,
            [
                &column(["12.3456", "14.5678", "16.7891", "19.7777"]),
                &column(["12.3456", "14.5678", "11.1717", "19.7777"]),
            ],
            rows_of_slip(),
            ["3 rows", "0 rows"],
        ),
        edge(
            "Rows all off by one factor",
            &four,
            [
                &column(["15.3624", "16.8848", "18.4072", "19.9296"]),
                &column(["15.3624", "16.8848", "18.4072", "21.1111"]),
            ],
            tells("unexplained", "something was done throughout"),
            ["told", "not told"],
        ),
        between(
            "A scale read downwards",
            [down, &up],
            // 48.73 mirrored about the mark at 48.5: no slip of the pen makes 48.27 of it.
            &TITRE_SHEET
                .replace("end 3: 48.80", "end 3: 48.27")
                .replace("titre 3: 24.20", "titre 3: 24.13")
                .replace("mean_titre: 24.15", "mean_titre: 24.115")
                .replace("0.1035", "0.1037"),
            has("repair"),
            ["found", "not found"],
        ),
    ]
}

/// Charging: section "What it costs".
fn charging() -> Vec<Edge> {
    let three = lab("", &rows("3", "x - y"));
    let gone =
        |r: [&str; 3]| filled(&[("12.3456", "1.2456", r[0]), ("14.5678", "2.3678", r[1]), ("16.7891", "3.4891", r[2])]);
    let open = lab("", &rows("[2, 6]", "x - y"));
    let ends =
        |y3: &str| filled(&[("12.3456", "1.2456", "11.1000"), ("14.5678", "2.3678", "12.2000"), ("16.7891", y3, "")]);
    let whole = fine(&(result_of("p", "cm", "a / 3") + &result_of("twice", "cm", "2 * p")));
    let early = |a: &str, p: &str, r: &str| {
        format!("a: {a} {{unit cm}}\nb: 1.0000 {{unit cm}}\np: {p} {{unit cm}}\ntwice: {r} {{unit cm}}")
    };
    vec![
        edge(
            "A column's points",
            &three,
            [&gone(["11.1000", "12.2000", ""]), &gone(["", "", ""])],
            cost("missing-result"),
            ["0.34", "1"],
        ),
        edge(
            "The end of a table",
            &open,
            [&filled(&[("12.3456", "1.2456", "11.1000"), ("14.5678", "2.3678", "12.2000")]), &ends("")],
            has("not-worked-out"),
            ["not found", "found"],
        ),
        edge("The end of a table", &open, [&ends(""), &ends("3.4891")], has("missing-result"), ["not found", "found"]),
        edge(
            "Figures cut too early",
            &whole,
            [&early("2.8200", "0.9", "1.83"), &early("3.3300", "1.1", "2.17")],
            has("cut-too-early"),
            ["found", "not found"],
        ),
    ]
}

/// Readings and columns: section "Cells and columns".
fn cells() -> Vec<Edge> {
    let ranged = product().replace("step = 0.1\n", "step = 0.1\nrange = [0, 30]\n");
    let at = |a: &str| format!("a: {a} {{unit cm}}\nb: 4.5 {{unit cm}}");
    let heap = lab("", &(reading("a", "rule") + "replicates = 6\nheaping = 0.5\n" + &result_of("m", "cm", "mean(a)")));
    let six =
        |v: [&str; 6]| v.iter().enumerate().map(|(i, v)| format!("a {}: {v} {{unit cm}}\n", i + 1)).collect::<String>();
    vec![
        edge("The end of a scale", &ranged, [&at("30.0"), &at("29.9")], has("end-of-scale"), ["found", "not found"]),
        edge("Beyond the scale", &ranged, [&at("30.1"), &at("30.0")], has("beyond-scale"), ["found", "not found"]),
        edge(
            "Round numbers",
            &heap,
            [
                &six(["12.5", "13.0", "12.5", "13.0", "13.5", "12.7"]),
                &six(["12.5", "13.0", "12.5", "13.0", "12.8", "12.7"]),
            ],
            has("heaping"),
            ["found", "not found"],
        ),
    ]
}

/// A criterion besides the calculation.
fn criterion(id: &str, points: &str, rest: &str) -> String {
    format!("[[criterion]]\nid = \"{id}\"\ntitle = \"{id}\"\npoints = \"{points}\"\nrule = \"{id}\"\n{rest}\n")
}

/// Replicates of one reading, their mean, and a criterion of precision.
fn replicates(n: usize, rejection: &str) -> String {
    let spread = "reading = \"a\"\nbands = [{ within = 0.2, points = \"2\" }, { within = 0.5, points = \"1\" }]\noutlier = \"0.5\"";
    let read = reading("a", "rule") + &format!("replicates = {n}\nrejection = {{ by = \"{rejection}\" }}\n");
    lab("", &(read + &result_of("m", "cm", "mean(a)") + &criterion("precision", "2", spread)))
}

fn several(values: &[&str]) -> String {
    values.iter().enumerate().map(|(i, v)| format!("a {}: {v} {{unit cm}}\n", i + 1)).collect()
}

/// Outliers: section "What stands apart".
fn apart() -> Vec<Edge> {
    let five = replicates(5, "dixon");
    let q = |last: &str| several(&["12.1", "12.5", "12.3", "12.7", last]);
    let titres = TITRE;
    let four = |end: &str, titre: &str| {
        TITRE_SHEET.replace("end 3: 48.80", &format!("end 3: {end}"))
            + &format!(
                "\nrun 4: kept\nstart 4: 0.00 {{unit mL}}\nend 4: {titre} {{unit mL}}\ntitre 4: {titre} {{unit mL}}"
            )
    };
    vec![
        edge(
            "A replicate that stands apart",
            &five,
            [&q("14.9"), &q("13.0")],
            has("outlier-kept"),
            ["found", "not found"],
        ),
        edge("Near a test's limit", &five, [&q("14.1"), &q("13.7")], has("outlier-near"), ["found", "not found"]),
        edge("A kept outlier and the spread", &five, [&q("16.9"), &q("12.9")], cost("precision"), ["1", "1"]),
        edge(
            "Concordance that is tied",
            titres,
            [&four("48.80", "24.00"), &four("48.80", "23.90")],
            has("concordance-tied"),
            ["found", "not found"],
        ),
    ]
}

/// References and agreement: section "Beside a reference".
fn beside() -> Vec<Edge> {
    let reference = |uncertainty: &str| {
        let bands = "result = \"same\"\nreference = \"standard\"\nbands = [{ within = 1.0, points = \"2\" }, { within = 5.0, points = \"1\" }]";
        let standard = format!(
            "[[reference]]\nid = \"standard\"\ntitle = \"standard\"\nunit = \"cm\"\nsource = \"a standard of our own\"\nvalue = 100\n{uncertainty}"
        );
        lab(
            "",
            &(reading("a", "bridge") + &result_of("same", "cm", "a") + &standard + &criterion("accuracy", "2", bands)),
        )
    };
    let exact = reference("");
    let doubted = reference("uncertainty = 0.5\n");
    let a = |v: &str| format!("a: {v} {{unit cm}}\nsame: {v} {{unit cm}}");
    let two = |method: &str| {
        let compare = format!(
            "[[comparison]]\nid = \"ways\"\ntitle = \"two ways\"\na = \"p\"\nb = \"q\"\n{method}\nconclusion = \"said\"\n"
        );
        let said = "[[result]]\nid = \"said\"\ntitle = \"said\"\nbay = \"bench\"\nwords = [\"agree\", \"differ\"]\npoints = \"1\"\n";
        lab(
            "",
            &(reading("a", "bridge")
                + &reading("b", "bridge")
                + &result_of("p", "cm", "a")
                + &result_of("q", "cm", "b")
                + said
                + &compare),
        )
    };
    let percent = two("method = \"percent\"\npercent = 2");
    let ways = |b: &str, word: &str| {
        format!("a: 10.0000 {{unit cm}}\nb: {b} {{unit cm}}\np: 10.0000 {{unit cm}}\nq: {b} {{unit cm}}\nsaid: {word}")
    };
    vec![
        edge("A band's edge", &exact, [&a("101.0000"), &a("101.0100")], line_of("accuracy"), ["2", "1"]),
        edge(
            "A reference's own uncertainty",
            &doubted,
            [&a("100.6000"), &a("100.4000")],
            fragile("accuracy"),
            ["fragile", "not found"],
        ),
        edge(
            "Agreement within a tenth of its limit",
            &percent,
            [&ways("10.2150", "agree"), &ways("10.2300", "agree")],
            verdict("said"),
            ["agrees", "differs"],
        ),
        edge(
            "Two ways alike to the last digit",
            &percent,
            [&ways("10.0000", "agree"), &ways("10.0001", "agree")],
            has("last-digit"),
            ["found", "not found"],
        ),
    ]
}

/// Uncertainty: section "The stated ±".
fn uncertain() -> Vec<Edge> {
    let rule = "missing = \"1\"\nunfair = \"0.5\"\ndigits = \"0.25\"";
    let limited = |school: &str| {
        let read = reading("a", "rule");
        lab(
            school,
            &(read
                + &(result_of("ten", "cm", "10 * a") + "plus_minus = true\n")
                + &criterion("uncertainty", "1", rule)),
        )
        .replace("step = 0.1\n", "step = 0.1\nlimit = 0.1\n")
    };
    // u = 10·√(0.1²/12 + 0.1²/3) cm = 0.645 cm: fair from 0.32 to 1.29 cm.
    let plain = limited("");
    let pm = |v: &str, pm: &str| format!("a: 12.3 {{unit cm}}\nten: {v} {{unit cm}} {{± {pm}}}");
    // The lab's own: u = 10 % of the reading = 1.23 cm, fair from 0.62 to 2.46 cm; ten more centimetres follow it.
    let own = plain.replace("10 * a\"\n", "10 * a\"\nuncertainty = \"0.1 * a\"\n");
    let onwards = |lab: &str| {
        lab.replace("[[result]]", "[[result]]\nid = \"more\"\ntitle = \"more\"\nbay = \"bench\"\nunit = \"cm\"\nformula = \"ten + 10[cm]\"\npoints = \"1\"\nplus_minus = true\n[[result]]")
            .replace("points = \"1\"\nrule = \"calculation\"", "points = \"2\"\nrule = \"calculation\"")
            .replace("possible = \"2\"", "possible = \"3\"")
    };
    let further = |v: &str| format!("{}\nmore: 133.0 {{unit cm}} {{± {v}}}", pm("123.0", "1.2"));
    vec![
        between(
            "A lab’s own formula for a ±",
            [&own, &plain],
            &pm("123.0", "2.4"),
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        between(
            "A lab’s own formula for a ±",
            [&onwards(&own), &onwards(&plain)],
            &further("2.4"),
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        edge(
            "A lab’s own formula for a ±",
            &own,
            [&pm("123.0", "2.4"), &pm("123.0", "2.6")],
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        edge(
            "A fair ±, not too large",
            &plain,
            [&pm("123.0", "1.2"), &pm("123.0", "1.4")],
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        edge(
            "A fair ±, not too small",
            &plain,
            [&pm("123.0", "0.4"), &pm("123.0", "0.3")],
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        edge(
            "Digits of a ±",
            &plain,
            [&pm("123.00", "0.65"), &pm("123.000", "0.645")],
            has("plus-minus-digits"),
            ["not found", "found"],
        ),
        between(
            "Events by chance",
            [&flashes("events = true\n"), &flashes("")],
            "n: 400\nhalf: 200 {± 10}",
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        between(
            "Repeated results",
            [&trials("mean(r)"), &trials("sum(r) / 3")],
            &(filled(&[
                ("12.3456", "1.2456", "11.1000"),
                ("14.5678", "2.3678", "12.2000"),
                ("16.7891", "3.4891", "13.3000"),
            ]) + "m: 12.20 {unit cm} {± 0.64}"),
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        edge(
            "An end point between two steep steps",
            &curve(),
            // Steps of 0.0999 cm and of 0.0909 cm: the second is steeper by a tenth.
            [&steep("10.2999", "10.3999"), &steep("10.2909", "10.3909")],
            Box::new(|_, j| {
                let u = j.results[0].budget.as_ref().map_or(0.0, |b| b.standard);
                if (u - 0.0999 / 12f64.sqrt()).abs() < 1e-6 { "of the step".to_owned() } else { "its own".to_owned() }
            }),
            ["of the step", "its own"],
        ),
        edge(
            "Noughts that hold places",
            &plain,
            [&pm("123", "600"), &pm("123", "601")],
            has("plus-minus-digits"),
            ["not found", "found"],
        ),
        edge(
            "A ± beside a scaled value",
            &plain,
            [&pm("12.30", "0.06"), &pm("12.30", "0.20")],
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        // Just fair beside a value ten times too large: 2 u; the coverage factor alone is told, not the share.
        Edge {
            sheets: [pm("1230", "12.9"), pm("1230", "25.8")],
            ..between(
                "A ± beside a scaled value",
                [&plain, &limited("coverage_factor = 2")],
                "",
                tells("plus-minus-near", "standard uncertainties"),
                ["not told", "told"],
            )
        },
    ]
}

/// As [`fine`], for readings that are diameters.
fn round(results: &str) -> String {
    fine(results).replace("instrument = \"bridge\"\n", "instrument = \"bridge\"\nshape = \"diameter\"\n")
}

/// How many findings of a kind there are.
fn count(code: &'static str) -> Look {
    Box::new(move |_, j| codes(j).iter().filter(|c| **c == code).count().to_string())
}

/// More of comparing: what stands above, noughts, constants and steps.
fn comparing_more() -> Vec<Edge> {
    let pair = |written: &str, formula: &str| {
        fine(&(result_of("p", "cm", "a / 3") + &result_of("q", "cm", "b / 3") + &result_of(written, "cm", formula)))
    };
    let (gap, whole) = (pair("gap", "p - q"), pair("whole", "p + q"));
    let gap_of = |q: &str, r: &str| {
        format!(
            "a: 12.4000 {{unit cm}}\nb: 12.2000 {{unit cm}}\np: 4.1 {{unit cm}}\nq: {q} {{unit cm}}\ngap: {r} {{unit cm}}"
        )
    };
    let wrong = |r: &str| {
        format!(
            "a: 12.3000 {{unit cm}}\nb: 12.6000 {{unit cm}}\np: 9.9317 {{unit cm}}\nq: 7.7153 {{unit cm}}\nwhole: {r} {{unit cm}}"
        )
    };
    let guess = fine(&(result_of("g", "cm", "a") + "guess = true\n"));
    let no_guess = fine(&result_of("g", "cm", "a"));
    let circle = fine(&result_of("ring", "cm", "pi * a"));
    let of_pi = |r: &str| format!("a: 12.3456 {{unit cm}}\nb: 1.0000 {{unit cm}}\nring: {r} {{unit cm}}");
    let less = fine(&result_of("less", "cm^2", "a * b - 56[cm^2]"));
    let stepped = |r: &str| format!("a: 12.3456 {{unit cm}}\nb: 4.5678 {{unit cm}}\nless: {r} {{unit cm^2}}");
    let log = fine(&(result_of("u", "cm", "a - b") + &result_of("l", "1", "ln(u / 1[cm])")));
    let logged = |u: &str| format!("a: 4.0000 {{unit cm}}\nb: 1.0000 {{unit cm}}\nu: {u} {{unit cm}}\nl: 7.7153");
    let same = fine(&(result_of("same", "cm", "a") + &result_of("also", "cm", "a + b")));
    let signed = |r: &str| {
        format!("a: 1.5699 {{unit cm}}\nb: 1.0000 {{unit cm}}\nsame: {r} {{unit cm}}\nalso: 2.5699 {{unit cm}}")
    };
    let fitted = |more: &str| lab("", &(rows("4", "x - y") + &result_of("tilt", "1", "slope(y, x)") + more));
    let scattered = filled(&[
        ("12.3456", "1.2456", "11.1000"),
        ("14.9678", "2.3678", "12.6000"),
        ("16.4891", "3.4891", "13.0000"),
        ("18.9123", "4.5123", "14.4000"),
    ]) + "tilt: 2.0531";
    vec![
        between(
            "Seen in a graph",
            [&fitted(""), &fitted("by_eye = false\n")],
            &scattered,
            right("tilt"),
            ["right", "wrong"],
        ),
        edge(
            "A reported nought",
            &gap,
            [&gap_of("4.1", "0.00"), &gap_of("4.0", "0.00")],
            right("gap"),
            ["right", "wrong"],
        ),
        edge(
            "A tainted value taken as clean",
            &whole,
            [&wrong("14.1317"), &wrong("14.4317")],
            right("whole"),
            ["right", "wrong"],
        ),
        between(
            "A guess",
            [&guess, &no_guess],
            "a: 12.3456 {unit cm}\nb: 1.0000 {unit cm}\ng: 77.1 {unit cm}",
            right("g"),
            ["right", "wrong"],
        ),
        edge(
            "A short form of π",
            &circle,
            [&of_pi("38.7652"), &of_pi("38.7752")],
            face("ring"),
            ["Pi(\"3.14\")", "unexplained"],
        ),
        edge(
            "Every step rounded",
            &less,
            [&stepped("0.400"), &stepped("0.410")],
            face("less"),
            ["every step", "unexplained"],
        ),
        edge(
            "What follows and is not defined",
            &log,
            [&logged("-3.0000"), &logged("5.3171")],
            verdict("l"),
            ["unchecked", "unexplained"],
        ),
        edge(
            "Cut off, with the same sign",
            &same,
            [&signed("1.56"), &signed("-1.56")],
            right("same"),
            ["right", "wrong"],
        ),
    ]
}

/// More of diagnosis: chances, classes and what is not named.
fn diagnosing_more() -> Vec<Edge> {
    let with = |shares: &str| with_a_weight() + shares;
    let total = with("");
    let at = weighed;
    let mild = with("share = \"0.5\"\n[criterion.shares]\nsign = \"0.2\"\nterm-omitted = \"0.6\"\n");
    let harsh = with("share = \"0.5\"\n[criterion.shares]\nsign = \"0.9\"\nterm-omitted = \"0.7\"\n");
    let half = fine(&result_of("tri", "cm^2", "a * b / 2"));
    let tri = |a: &str, r: &str| format!("a: {a} {{unit cm}}\nb: 4.5678 {{unit cm}}\ntri: {r} {{unit cm^2}}");
    let set = fine(
        &("[[reading]]\nid = \"gain\"\ntitle = \"gain\"\nbay = \"bench\"\nkind = \"setting\"\nunit = \"1\"\nsettings = [1, 3, 7, 19]\n"
            .to_owned()
            + &result_of("out", "cm", "a * gain")),
    );
    let out = |r: &str| format!("a: 12.3456 {{unit cm}}\nb: 1.0000 {{unit cm}}\ngain: 3\nout: {r} {{unit cm}}");
    let rings = round(&(result_of("one", "cm^2", "pi * (a / 2)^2") + &result_of("two", "cm^2", "pi * (a / 2)^2 / 3")));
    let apart = round(&(result_of("one", "cm^2", "pi * (a / 2)^2") + &result_of("two", "cm^2", "pi * (b / 2)^2 / 3")));
    let twice = "a: 12.3456 {unit cm}\nb: 12.3456 {unit cm}\none: 478.820 {unit cm^2}\ntwo: 159.607 {unit cm^2}";
    vec![
        edge(
            "Several stories",
            &total,
            [&at("0.9", "54.9"), &at("0.9", "54.8")],
            has("ambiguous"),
            ["found", "not found"],
        ),
        between(
            "The mildest of several stories",
            [&mild, &harsh],
            &at("0.9", "54.9"),
            cost("ambiguous"),
            ["0.2", "0.5"],
        ),
        edge(
            "A diagnosis in doubt",
            &total,
            [&at("1.6", "55.9"), &at("1.2", "54.9")],
            fragile("slip"),
            ["fragile", "firm"],
        ),
        edge(
            "A likely story of an unexplained value",
            &total,
            [&at("1.2", "59.5"), &at("1.2", "59.3")],
            fragile("unexplained"),
            ["fragile", "firm"],
        ),
        edge(
            "A mistaken value that was cut off",
            &half,
            [&tri("12.4568", "56"), &tri("12.5000", "56")],
            named("tri"),
            ["slip literal", "unexplained"],
        ),
        edge(
            "A setting misread by a step",
            &set,
            [&out("86.4192"), &out("234.5664")],
            named("out"),
            ["slip setting", "unexplained"],
        ),
        edge(
            "A decimal point gone astray",
            &half,
            [&tri("12.3456", "281.96"), &tri("12.3456", "283.90")],
            named("tri"),
            ["slip decimal-point", "unexplained"],
        ),
        between("One slip in several results", [&rings, &apart], twice, count("slip"), ["1", "2"]),
    ]
}

/// Diagnosis beside other results and other rows, and what stories are told and charged.
fn diagnosing_together() -> Vec<Edge> {
    let half = fine(&result_of("tri", "cm^2", "a * b / 2"));
    let tri = |r: &str| format!("a: 12.3456 {{unit cm}}\nb: 4.5678 {{unit cm}}\ntri: {r} {{unit cm^2}}");
    let shares = |kinds: &str| format!("{half}[criterion.shares]\n{kinds}\n");
    let invited = "[[slip]]\nid = \"whole-box\"\nresult = \"tri\"\nformula = \"a * b\"\nsays = \"the box was taken for its half\"\n";
    // Even where the course holds the other kind to be far likelier.
    let heavy = |lab: String| lab.replace("[school]\n", "[school]\n[school.weights]\nliteral = 50\n");
    let two = |second: &str| fine(&(result_of("tri", "cm^2", "a * b / 2") + &result_of("other", "cm^2", second)));
    let both = "a: 12.3456 {unit cm}\nb: 4.5678 {unit cm}\ntri: 56.3922 {unit cm^2}\nother: 152.4135 {unit cm^2}";
    let zeroed = lab(
        "",
        &(reading("a", "bridge")
            + &reading("b", "bridge")
            + &reading("z", "bridge")
            + &result_of("p", "cm", "a - z")
            + &result_of("q", "cm", "b - z")),
    );
    let zero = |p: &str, q: &str| {
        format!(
            "a: 12.3456 {{unit cm}}\nb: 4.5678 {{unit cm}}\nz: 1.2345 {{unit cm}}\np: {p} {{unit cm}}\nq: {q} {{unit cm}}"
        )
    };
    let weight_shares = |unit: &str, term: &str| {
        with_a_weight() + &format!("[criterion.shares]\nunit-factor = \"{unit}\"\nterm-omitted = \"{term}\"\n")
    };
    let four = lab("", &rows("4", "x - y"));
    let column = differences;
    let bent = fine(
        &("[[constant]]\nid = \"k\"\ntitle = \"bend\"\nunit = \"1\"\nvalue = 3.728\nsource = \"tables\"\n".to_owned()
            + &result_of("out", "cm", "a * k + b")),
    );
    let of_bend = |r: &str| format!("a: 12.3456 {{unit cm}}\nb: 4.5678 {{unit cm}}\nout: {r} {{unit cm}}");
    let shared = fine(
        &("[[reading]]\nid = \"n\"\ntitle = \"pieces\"\nbay = \"bench\"\nkind = \"count\"\n".to_owned()
            + &result_of("each", "cm", "(a + b) / n")),
    );
    let of_count = |r: &str| format!("a: 12.3456 {{unit cm}}\nb: 4.5678 {{unit cm}}\nn: 17\neach: {r} {{unit cm}}");
    vec![
        edge(
            "Another number for a constant",
            &bent,
            // 3.278 and 3.333 in place of 3.728.
            [&of_bend("45.0367"), &of_bend("45.7157")],
            named("out"),
            ["slip constant-wrong", "unexplained"],
        ),
        edge(
            "A miscount",
            &shared,
            // By 14 and by 13 in place of 17.
            [&of_count("1.20810"), &of_count("1.30103")],
            named("each"),
            ["slip count-wrong", "unexplained"],
        ),
        edge(
            "A lone row",
            &four,
            [
                &column(["12.3456", "17.1717", "19.8181", "14.4000"]),
                &column(["12.3456", "12.2000", "19.8181", "14.4000"]),
            ],
            has("slip"),
            ["not found", "found"],
        ),
        edge(
            "One wrong idea in several results",
            &zeroed,
            [&zero("13.5801", "5.8023"), &zero("11.0211", "3.2433")],
            has("repair"),
            ["not found", "found"],
        ),
        between(
            "One number left out in several results",
            [&two("a^2 / 2"), &two("a^2 / 3")],
            both,
            count("slip"),
            ["1", "2"],
        ),
        between(
            "The author's words",
            [&heavy(half.clone() + invited), &heavy(half.clone())],
            &tri("56.3922"),
            named("tri"),
            ["slip declared:whole-box", "slip literal"],
        ),
        between(
            "The author's words",
            [&(half.clone() + invited), &half],
            &tri("56.3922"),
            named("tri"),
            ["slip declared:whole-box", "slip literal"],
        ),
        edge(
            "Other stories",
            &with_a_weight(),
            [&weighed("0.6", "55.2"), &weighed("0.6", "55.3")],
            tells("slip", " Or: "),
            ["told", "not told"],
        ),
        between(
            "The mildest of alike kinds",
            [&weight_shares("0.8", "0.2"), &weight_shares("0.3", "0.9")],
            &weighed("0.6", "55.4"),
            cost("slip"),
            ["0.2", "0.3"],
        ),
        between(
            "Points in steps",
            [&shares("literal = \"0.38\""), &shares("literal = \"0.37\"")],
            &tri("56.3922"),
            line_of("calculation"),
            ["0.5", "0.75"],
        ),
    ]
}

/// A product with a small part beside it.
fn with_a_weight() -> String {
    let read = reading("a", "rule") + &reading("b", "rule") + &reading("c", "rule");
    lab("", &(read + &result_of("total", "cm^2", "a * b + 1[cm] * c")))
}

fn weighed(c: &str, r: &str) -> String {
    format!("a: 12.3 {{unit cm}}\nb: 4.5 {{unit cm}}\nc: {c} {{unit cm}}\ntotal: {r} {{unit cm^2}}")
}

/// More of charging: what is missing, figures, units.
fn charging_more() -> Vec<Edge> {
    let gone = |b: &str| format!("a: 12.3 {{unit cm}}\n{b}");
    let waiver = |item: &str| Section {
        waivers: vec![Waiver { item: item.to_owned(), reason: "not taken here".to_owned() }],
        ..Section::default()
    };
    let digits = lab(
        "",
        &(reading("a", "rule")
            + &reading("b", "rule")
            + &result_of("area", "cm^2", "a * b")
            + &criterion("digits", "1", "each = \"0.25\"")),
    );
    let written = |r: &str| format!("a: 12.3 {{unit cm}}\nb: 45.6 {{unit cm}}\narea: {r} {{unit cm^2}}");
    let chained = lab(
        "",
        &(reading("a", "rule")
            + &result_of("u", "cm", "2 * a")
            + &result_of("v", "cm", "3 * u")
            + &criterion("digits", "1", "each = \"0.25\"")),
    );
    let chain = |u: &str, v: &str| format!("a: 12.3 {{unit cm}}\nu: {u} {{unit cm}}\nv: {v} {{unit cm}}");
    let each = criterion("digits", "1", "each = \"0.25\"");
    let two = reading("a", "rule") + &reading("b", "rule") + &result_of("area", "cm^2", "a * b");
    let feeding = lab("", &(two.clone() + &result_of("volume", "cm^3", "area * a") + &each));
    let pieces = "[[reading]]\nid = \"n\"\ntitle = \"pieces\"\nbay = \"bench\"\nkind = \"count\"\n";
    let same = lab("", &(reading("a", "rule") + &result_of("copy", "cm", "a") + &each));
    let limited = lab("", &(reading("a", "bridge") + &result_of("copy", "cm", "a") + &each))
        .replace("step = 0.0001", "step = 0.0001\nlimit = 0.01");
    let of_a = |a: &str, copy: &str| format!("a: {a} {{unit cm}}\ncopy: {copy} {{unit cm}}");
    let logarithms = lab("", &rows("3", "ln(x / y - 1) * 1[cm]"));
    let logs = |x: &str, y: &str| filled(&[("12.3456", "1.2456", "2.187"), (x, y, ""), ("16.7891", "3.4891", "1.338")]);
    let counted = lab("", &(pieces.to_owned() + &result_of("share", "1", "1 / n") + &each));
    // Six figures on the display, and a limit of error that leaves two of them.
    let sharp = lab("", &(reading("a", "bridge") + &result_of("area", "cm^2", "a^2") + &each));
    let blunt = sharp.replace("step = 0.0001", "step = 0.0001\nlimit = 1");
    let unitless = lab("", &(rows("3", "x - y") + &criterion("units", "1", "each = \"0.25\"")));
    let no_unit = |unit: &str| {
        let row = |n: usize, x: &str, y: &str, r: &str| {
            format!("x {n}: {x} {{unit cm}}\ny {n}: {y} {{unit cm}}\nr {n}: {r}{unit}\n")
        };
        row(1, "12.3456", "1.2456", "11.1000")
            + &row(2, "14.5678", "2.3678", "12.2000")
            + &row(3, "16.7891", "3.4891", "13.3000")
    };
    vec![
        edge(
            "Results that wait",
            &product(),
            [&gone(""), &gone("b: 4.5 {unit cm}")],
            cost("missing-result"),
            ["0", "1"],
        ),
        edge(
            "A waiver",
            &product(),
            [&gone("b: 4.5 {unit cm}"), &gone("b: 4.5 {unit cm}")],
            has("missing-result"),
            ["not found", "found"],
        )
        .inside(waiver("area")),
        edge(
            "Too few figures",
            &digits,
            [&written("6e2"), &written("5.6e2")],
            has("digits-few"),
            ["found", "not found"],
        ),
        edge(
            "Too many figures",
            &digits,
            [&written("560.8800"), &written("560.88")],
            has("digits-many"),
            ["found", "not found"],
        ),
        between(
            "Final answers alone",
            [&digits, &feeding],
            &(written("560.880000") + "\nvolume: 6900 {unit cm^3}"),
            has("digits-many"),
            ["found", "not found"],
        ),
        between(
            "Exact numbers",
            [&digits, &counted],
            "a: 12.3 {unit cm}\nb: 45.6 {unit cm}\narea: 560.880000 {unit cm^2}\nn: 5\nshare: 0.2000000",
            has("digits-many"),
            ["found", "not found"],
        ),
        between(
            "Figures by the uncertainty",
            [&blunt, &sharp],
            "a: 12.3456 {unit cm}\narea: 1.5e2 {unit cm^2}",
            has("digits-few"),
            ["not found", "found"],
        ),
        // Figures by rule alone: where the uncertainty would ask for more, a figure fewer than deserved is fair; where it
        // would ask for fewer, one more is.
        edge(
            "Too few figures",
            &same,
            [&of_a("12.0", "12"), &of_a("20.0", "2e1")],
            has("digits-few"),
            ["not found", "found"],
        ),
        edge(
            "Too many figures",
            &limited,
            [&of_a("12.3456", "12.34560"), &of_a("12.3456", "12.345600")],
            has("digits-many"),
            ["not found", "found"],
        ),
        Edge {
            sheets: ["n: 7\nshare: 3.5".into(), "n: 7.0000 {unit cm}\nshare: 3.5 {unit cm}".into()],
            ..between(
                "Exact numbers",
                [
                    &counted.replace("1 / n", "n / 2"),
                    &lab("", &(reading("n", "bridge") + &result_of("share", "cm", "n / 2") + &each)),
                ],
                "",
                has("digits-few"),
                ["not found", "found"],
            )
        },
        between(
            "A result that may be left out",
            [&same.replace("formula = \"a\"\n", "formula = \"a\"\noptional = true\n"), &same],
            "a: 12.0 {unit cm}",
            has("missing-result"),
            ["not found", "found"],
        ),
        edge(
            "A row without a value",
            &logarithms,
            [&logs("14.5678", "15.5678"), &logs("14.5678", "")],
            has("not-worked-out"),
            ["not found", "found"],
        ),
        between(
            "Free of figures",
            [&digits.replace("formula = \"a * b\"\n", "formula = \"a * b\"\ndigits = false\n"), &digits],
            &written("560.8800 {unit cm^2}"),
            has("digits-many"),
            ["not found", "found"],
        ),
        edge(
            "Beside its ±",
            &digits,
            [
                &written("560.8800 {unit cm^2} {± 1.3000}").replace(" {unit cm^2}\n", "\n"),
                &written("560.8800 {unit cm^2} {± 1.3}").replace(" {unit cm^2}\n", "\n"),
            ],
            has("digits-many"),
            ["not found", "found"],
        ),
        edge(
            "Figures of a carried value",
            &chained,
            [&chain("21.37", "64.1100"), &chain("24.6", "73.8000")],
            has("digits-many"),
            ["not found", "found"],
        ),
        edge(
            "A unit left out down a column",
            &unitless,
            [&no_unit(""), &no_unit(" {unit cm}")],
            cost("unit-missing"),
            ["0.25", "0"],
        ),
    ]
}

/// More of cells and columns, and of what stands apart.
fn cells_more() -> Vec<Edge> {
    let shared = |source: Source| Section { readings: source, ..Section::default() };
    let five = replicates(5, "dixon");
    let far = several(&["12.1", "12.5", "12.3", "12.7", "16.9"]);
    let six = replicates(6, "dixon");
    let opinion = |last: &str| several(&["12.1", "12.5", "12.3", "12.7", "12.6", last]);
    let esd = replicates(12, "esd");
    let dozen = |last: &str| {
        several(&["12.1", "12.5", "12.3", "12.7", "12.6", "12.2", "12.4", "12.8", "12.5", "12.6", "12.3", last])
    };
    let rough = |kind: &str| {
        TITRE_SHEET
            .replace("run 1: Rough", &format!("run 1: {kind}"))
            .replace("end 1: 24.95", "end 1: 24.20")
            .replace("titre 1: 24.95", "titre 1: 24.20")
    };
    let line =
        lab("", &(rows("6", "x - y") + &result_of("k", "1", "slope(x, y)"))).replace("step = 0.0001", "step = 1");
    let points = |last: &str| {
        filled(&[
            ("10", "1.01", ""),
            ("20", "2.00", ""),
            ("30", "3.02", ""),
            ("40", "3.99", ""),
            ("50", "5.01", ""),
            ("60", last, ""),
        ])
    };
    let planned =
        lab("", &rows("4", "x - y").replace("title = \"x\"\n", "title = \"x\"\nplan = [{ step = [1.0, 0.1] }]\n"));
    let steps = |mark: &str| {
        format!(
            "x 1: 1.0000 {{unit cm}}\nx 2: 2.0000 {{unit cm}}\nx 3: 3.5000 {{unit cm}}{mark}\nx 4: 4.5000 {{unit cm}}\n"
        ) + "y 1: 0.1000 {unit cm}\ny 2: 0.1000 {unit cm}\ny 3: 0.1000 {unit cm}\ny 4: 0.1000 {unit cm}"
    };
    let end = |n: usize| {
        let (typed, other) = if n == 3 { ("600", "570") } else { ("398", "350") };
        ZONES_SHEET.replace(
            &format!("object {n}: {typed} {{unit mm}}"),
            &format!("object {n}: {other} {{unit mm}} {{out the rail ends there}}"),
        )
    };
    let needed = fine(
        &("[[reading]]\nid = \"seen\"\ntitle = \"seen\"\nbay = \"bench\"\nwords = [\"yes\", \"no\"]\n".to_owned()
            + &reading("c", "bridge")
            + "forbidden_if = \"seen == \\\"no\\\"\"\n"
            + &result_of("r", "cm", "a")),
    );
    let seen =
        |word: &str| format!("a: 1.0000 {{unit cm}}\nb: 1.0000 {{unit cm}}\nseen: {word}\nr: 1.0000 {{unit cm}}");
    let typed = |a: &str, unit: &str| format!("a: {a} {{unit {unit}}}\nb: 4.5 {{unit cm}}");
    let words = fine(
        &(result_of("u", "cm", "a - b")
            + "[[result]]\nid = \"size\"\ntitle = \"size\"\nbay = \"bench\"\nwords = [\"large\", \"small\"]\npoints = \"1\"\n[[result.right]]\nif = \"u > 5[cm]\"\nword = \"large\"\n[[result.right]]\nword = \"small\"\n"),
    );
    let size = |u: &str| format!("a: 6.0400 {{unit cm}}\nb: 1.0000 {{unit cm}}\nu: {u} {{unit cm}}\nsize: small");
    let rising = lab("", &rows("3", "x - y").replace("id = \"x\"", "id = \"x\"\ntrend = \"rising\""))
        .replace("step = 0.0001", "step = 0.0001\nlimit = 0.01");
    let back = |second: &str| {
        filled(&[("12.3456", "1.2456", "11.1000"), (second, "1.2456", ""), ("14.3456", "1.2456", "13.1000")])
    };
    let complete = lab("", &(rows("3", "x - y") + &criterion("completeness", "2", "each = \"0.5\"")));
    let row_of = |second: &str| {
        filled(&[("12.3456", "1.2456", "11.1000")])
            + second
            + "x 3: 16.7891 {unit cm}\ny 3: 3.4891 {unit cm}\nr 3: 13.3000 {unit cm}\n"
    };
    let excused = complete.replace("rows = 3", "rows = 3\nabsence = [\"out of reach\"]");
    let lone = lab(
        "",
        &(reading("a", "bridge")
            + &reading("b", "bridge")
            + "absence = [\"out of reach\"]\n"
            + &result_of("both", "cm", "a + b")),
    );
    let bounded = lab(
        "",
        &(reading("a", "bridge")
            + &reading("b", "bridge")
            + "bound = true\n"
            + &result_of("both", "cm", "a + b")
            + &criterion("completeness", "1", "each = \"0.5\"")),
    );
    let ab = |b: &str| format!("a: 1.0000 {{unit cm}}\n{b}");
    let whole = "[[check]]\nid = \"whole\"\ntitle = \"whole\"\nleft = \"sum(x)\"\nright = \"b\"\nrelation = \"equal\"\nk = 2\nsays = \"the parts do not add up to the whole\"\n";
    let added = lab("", &(reading("b", "bridge") + &rows("3", "x - y") + whole));
    let parts = |second: &str| {
        filled(&[("12.3456", "1.2456", "11.1000"), (second, "2.3678", ""), ("16.7891", "3.4891", "13.3000")])
            + "b: 43.7025 {unit cm}"
    };
    vec![
        edge("A check over a gap", &added, [&parts(""), &parts("15.5678")], has("check"), ["not found", "found"]),
        edge(
            "A lost row",
            &complete,
            [&row_of(""), &row_of("y 2: 2.3678 {unit cm}\n")],
            has("missing-row"),
            ["found", "not found"],
        ),
        edge(
            "A lost row",
            &complete,
            [&row_of(""), &row_of("y 2: 2.3678 {unit cm}\n")],
            count("missing-result"),
            ["0", "0"],
        ),
        edge(
            "A reason that the protocol lists",
            &excused,
            [&row_of("x 2: {out the rail ends: Out of Reach}\n"), &row_of("x 2: {out the rail ends before it}\n")],
            severity("missing-row"),
            ["note", "decide"],
        ),
        between(
            "A bound that is a right entry",
            [&bounded, &bounded.replace("bound = true\n", "")],
            &ab("b: > 5 {unit cm}"),
            line_of("completeness"),
            ["1", "0.5"],
        ),
        edge(
            "A reason that the protocol lists",
            &lone,
            [&ab("b: {out out of reach}"), &ab("b: {out too far}")],
            severity("absent"),
            ["note", "decide"],
        ),
        // One row of three, and the whole of it where two rows are missing; a missing value that could be worked out is
        // charged as before.
        edge(
            "Results that wait",
            &complete,
            [&row_of(""), &row_of("x 2: 2.3678 {unit cm}\ny 2: 2.1678 {unit cm}\n")],
            count("not-worked-out"),
            ["1", "0"],
        ),
        edge("Results that wait", &lone, [&ab(""), &ab("b: {out too far}")], line_of("calculation"), ["0", "1"]),
        edge("Results that wait", &lone, [&ab(""), &ab("b: {out out of reach}")], count("not-worked-out"), ["1", "0"]),
        edge(
            "Rows in quarantine",
            &complete,
            [&row_of("x 2: {waiting 1}\n"), &row_of("")],
            line_of("completeness"),
            ["2", "1.5"],
        ),
        edge(
            "Rows in quarantine",
            &complete,
            [&row_of("x 2: {waiting 1}\n"), &row_of("")],
            has("rows-wait"),
            ["found", "not found"],
        ),
        edge(
            "A reason for an absence",
            &complete,
            [&row_of("x 2: {out the rail ends before it}\n"), &row_of("")],
            line_of("completeness"),
            ["2", "1.5"],
        ),
        edge("A step back", &rising, [&back("12.3345"), &back("12.3357")], has("trend"), ["found", "not found"]),
        edge("Readings that everybody shares", &five, [&far, &far], has("outlier-kept"), ["not found", "found"])
            .inside(shared(Source::Shown)),
        edge("The spread of shared readings", &five, [&far, &far], line_of("precision"), ["2", "0.5"])
            .inside(shared(Source::Shown)),
        edge(
            "A second opinion",
            &six,
            [&opinion("13.9"), &opinion("14.5")],
            tells("outlier-kept", "says otherwise"),
            ["told", "not told"],
        ),
        edge(
            "The level of the generalised test",
            &esd,
            [&dozen("13.5"), &dozen("13.6")],
            has("outlier-kept"),
            ["not found", "found"],
        ),
        edge(
            "A planned rough run",
            TITRE,
            [&rough("rough"), &rough("kept")],
            verdict("mean_titre"),
            ["agrees", "slip"],
        ),
        edge(
            "Points on a coarse scale",
            &line,
            [&points("6.50"), &points("15.00")],
            has("point-apart"),
            ["not found", "found"],
        ),
        edge(
            "A step off its plan",
            &planned,
            [&steps(""), &steps(" {out the curve was flat}")],
            has("step-off-plan"),
            ["found", "not found"],
        ),
        edge("The end of a grid", ZONES, [&end(3), &end(2)], has("grid-missing"), ["not found", "found"]),
        edge(
            "A cell with nothing to read",
            &needed,
            [&seen("no"), &seen("yes")],
            has("missing-reading"),
            ["not found", "found"],
        ),
        edge(
            "Values between the marks",
            &product(),
            [&typed("12.34", "cm"), &typed("123.4", "mm")],
            has("off-graduation"),
            ["found", "not found"],
        ),
        edge("A word that follows", &words, [&size("4.0000"), &size("5.0")], verdict("size"), ["carried", "differs"]),
    ]
}

/// More of references and of the stated ±.
fn beside_more() -> Vec<Edge> {
    let reference = |instrument: &str, value: &str, bands: &str| {
        let rule = format!("result = \"same\"\nreference = \"standard\"\n{bands}");
        let standard = format!(
            "[[reference]]\nid = \"standard\"\ntitle = \"standard\"\nunit = \"cm\"\nsource = \"a standard of our own\"\n{value}\n"
        );
        lab(
            "",
            &(reading("a", instrument)
                + &result_of("same", "cm", "a")
                + &standard
                + &criterion("accuracy", "2", &rule)),
        )
    };
    let bands = "bands = [{ within = 1.0, points = \"2\" }, { within = 5.0, points = \"1\" }]";
    let coarse = reference("rule", "value = 100", bands);
    let ranged = reference("rule", "range = [90, 110]", bands);
    let in_u = reference(
        "rule",
        "value = 100.02",
        "in_uncertainties = true\nbands = [{ within = 3, points = \"2\" }, { within = 5, points = \"1\" }]",
    );
    let a = |v: &str| format!("a: {v} {{unit cm}}\nsame: {v} {{unit cm}}");
    let compare = "[[comparison]]\nid = \"ways\"\ntitle = \"two ways\"\na = \"p\"\nb = \"q\"\nk = 2\n";
    let ways = lab(
        "",
        &(reading("a", "rule")
            + &reading("b", "bridge")
            + &result_of("p", "cm", "a")
            + &result_of("q", "cm", "a + b")
            + compare),
    );
    let both =
        |b: &str, q: &str| format!("a: 10.0 {{unit cm}}\nb: {b} {{unit cm}}\np: 10.0 {{unit cm}}\nq: {q} {{unit cm}}");
    let rule = "missing = \"1\"\nunfair = \"0.5\"\ndigits = \"0.25\"";
    let alike = lab(
        "",
        &(reading("a", "rule")
            + "replicates = 4\n"
            + &result_of("m", "cm", "mean(a)")
            + "plus_minus = true\n"
            + &criterion("uncertainty", "1", rule)),
    );
    let mean = |pm: &str| several(&["12.3", "12.3", "12.3", "12.3"]) + &format!("m: 12.30 {{unit cm}} {{± {pm}}}");
    let single = lab(
        "",
        &(reading("a", "rule")
            + &(result_of("ten", "cm", "10 * a") + "plus_minus = true\n")
            + &criterion("uncertainty", "1", rule)),
    );
    let place = |v: &str| format!("a: 12.3 {{unit cm}}\nten: {v} {{unit cm}} {{± 0.29}}");
    vec![
        edge(
            "The last figure at a band's edge",
            &coarse,
            [&a("101.0"), &a("100.9")],
            fragile("accuracy"),
            ["fragile", "not found"],
        ),
        edge("A reference with a range", &ranged, [&a("111.0"), &a("112.0")], line_of("accuracy"), ["2", "1"]),
        edge("Bands in standard uncertainties", &in_u, [&a("100.1"), &a("99.9")], line_of("accuracy"), ["2", "1"]),
        edge(
            "What two values share",
            &ways,
            [&both("0.0000", "10.0"), &both("0.0200", "10.02")],
            has("disagreement"),
            ["not found", "found"],
        ),
        edge(
            "Replicates without a spread",
            &alike,
            [&mean("0.03"), &mean("0.09")],
            has("plus-minus-unfair"),
            ["not found", "found"],
        ),
        edge(
            "Where a ± ends",
            &single,
            [&place("123.00"), &place("123.0")],
            has("plus-minus-digits"),
            ["not found", "found"],
        ),
    ]
}

/// How a finding weighs.
fn severity(code: &'static str) -> Look {
    Box::new(move |_, j| finding(j, code).map_or("none", |f| f.severity.word()).to_owned())
}

/// A mean of three trials, with its ±.
fn trials(mean: &str) -> String {
    let rule = criterion("uncertainty", "1", "missing = \"0.5\"\nunfair = \"0.25\"\ndigits = \"0.25\"");
    lab("", &(rows("3", "x - y") + &result_of("m", "cm", mean) + "plus_minus = true\n" + &rule))
}

/// A curve with its end point: volumes of the fine bridge, a signal of the coarse rule.
fn curve() -> String {
    let table = "[[table]]\nid = \"runs\"\ntitle = \"runs\"\nbay = \"bench\"\nrows = 6\n";
    let read = |id: &str, with: &str| reading(id, with).replace("bay = \"bench\"", "table = \"runs\"");
    let end = result_of("end", "cm", "equivalence(x, y)") + "plus_minus = true\n";
    let rule = criterion("uncertainty", "1", "missing = \"0.5\"\nunfair = \"0.25\"\ndigits = \"0.25\"");
    lab("", &(table.to_owned() + &read("x", "bridge") + &read("y", "rule") + &end + &rule))
}

/// A curve whose steepest step ends at two volumes that are asked for.
fn steep(fourth: &str, fifth: &str) -> String {
    let points =
        [("10.0", "5.0"), ("10.1", "5.4"), ("10.2", "6.2"), (fourth, "7.0"), (fifth, "7.8"), ("10.5000", "8.2")];
    let cell = |(i, (x, y)): (usize, &(&str, &str))| format!("x {0}: {x} {{unit cm}}\ny {0}: {y} {{unit cm}}\n", i + 1);
    points.iter().enumerate().map(cell).collect::<String>() + "end: 10.25 {unit cm} {± 0.03}"
}

/// Half of a count, with its ±.
fn flashes(more: &str) -> String {
    let constant = "[[constant]]\nid = \"k\"\ntitle = \"share\"\nunit = \"1\"\nvalue = 0.5\nuncertainty = 0.001\nsource = \"tables\"\n";
    let count = format!("[[reading]]\nid = \"n\"\ntitle = \"flashes\"\nbay = \"bench\"\nkind = \"count\"\n{more}");
    let half = result_of("half", "1", "k * n") + "plus_minus = true\n";
    let rule = criterion("uncertainty", "1", "missing = \"0.5\"\nunfair = \"0.25\"\ndigits = \"0.25\"");
    lab("", &(constant.to_owned() + &count + &half + &rule))
}

/// How likely the story of a value is said to be.
fn chance(id: &'static str) -> Look {
    Box::new(move |p, j| {
        let slip = result(p, j, id, None).slip.as_ref();
        slip.map_or_else(|| "none".to_owned(), |s| jurado_core::notation::chance(s.probability))
    })
}

/// Repairs, and what two sides of a story weigh.
fn repairing() -> Vec<Edge> {
    let two = fine(&(result_of("same", "cm", "2 * a") + &result_of("also", "cm", "a + b")));
    let copied = |also: &str| format!("a: 1.2354 {{unit cm}}\nb: 1.0000 {{unit cm}}\nsame: 2.4690 {{unit cm}}\n{also}");
    let four = fine(
        &(result_of("p", "cm", "2 * a")
            + &result_of("p2", "cm", "a + 1[cm]")
            + &result_of("q", "cm", "2 * b")
            + &result_of("q2", "cm", "b + 1[cm]")),
    );
    let twice = |q: &str| {
        "a: 1.2354 {unit cm}\nb: 7.6583 {unit cm}\np: 2.4690 {unit cm}\np2: 2.2354 {unit cm}\nq2: 8.6583 {unit cm}\n"
            .to_owned()
            + &format!("q: {q} {{unit cm}}")
    };
    let half = lab("", &(reading("a", "rule") + &reading("b", "rule") + &result_of("tri", "cm^2", "a * b / 2")));
    let tri = |r: &str| format!("a: 12.3 {{unit cm}}\nb: 4.5 {{unit cm}}\ntri: {r} {{unit cm^2}}");
    let five =
        reading("w", "rule").replace("bay = \"bench\"\n", "bay = \"bench\"\nreplicates = 5\nplausible = [10, 20]\n");
    let mean_of_five = lab("", &(five + &result_of("m", "cm", "mean(w)")));
    let weighed = |w: [&str; 5], m: &str| {
        let cells = w.iter().enumerate().filter(|(_, w)| !w.is_empty());
        let rows: String = cells.map(|(n, w)| format!("w {}: {w}\n", n + 1)).collect();
        rows + &format!("m: {m} {{unit cm}}")
    };
    let cm = |v: &str| format!("{v} {{unit cm}}");
    // The team had 14.4 in the third place.
    let gapped = |m: &str| weighed([&cm("14.1"), &cm("14.2"), "", &cm("14.3"), &cm("14.2")], m);
    // Without the third reading the mean is 14.25.
    let marked = |m: &str, out: &str| {
        weighed([&cm("14.1"), &cm("14.3"), &format!("14.9 {{unit cm}}{out}"), &cm("14.3"), &cm("14.3")], m)
    };
    let times = |n: &str| {
        let formula = format!("a * b * {n}");
        lab("", &(reading("a", "rule") + &reading("b", "rule") + &result_of("tri", "cm^2", &formula)))
    };
    let chained = fine(&(result_of("u", "cm", "2 * a") + &result_of("v", "cm^2", "u * b / 2")));
    let v = |u: &str, v: &str| {
        format!("a: 12.3456 {{unit cm}}\nb: 4.5678 {{unit cm}}\nu: {u} {{unit cm}}\nv: {v} {{unit cm^2}}")
    };
    let after = fine(&(result_of("u", "cm", "2 * a") + &result_of("w", "cm", "3 * u")));
    let stand_in =
        |w: &str| format!("a: 10.0000 {{unit cm}}\nb: 1.0000 {{unit cm}}\nu: 2.63 {{unit cm}}\nw: {w} {{unit cm}}");
    let five = replicates(5, "dixon");
    let left = several(&["12.1", "12.5", "12.3", "12.7"]) + "a 5: 12.9 {unit cm}";
    let left_out = left.clone() + " {out}";
    let plain = rows("4", "x - y");
    let bounded = |x: &str, y: &str, more: &str| {
        let within = |id: &str, range: &str| format!("id = \"{id}\"\nplausible = {range}\n");
        let columns = plain.replace("id = \"x\"\n", &within("x", x)).replace("id = \"y\"\n", &within("y", y));
        lab("", &(columns + more))
    };
    let (narrow, wide) = (bounded("[10, 30]", "[1, 5]", ""), bounded("[1, 300]", "[1, 300]", ""));
    let topped = bounded("[1, 300]", "[1, 300]", &result_of("top", "cm", "max(x)"));
    let rows_of = |x: [&str; 4], y: [&str; 4]| {
        let r = ["11.1000", "12.2000", "13.3000", "14.4000"];
        filled(&[(x[0], y[0], r[0]), (x[1], y[1], r[1]), (x[2], y[2], r[2]), (x[3], y[3], r[3])])
    };
    let (x, y) = (["12.3456", "14.5678", "16.7891", "18.9123"], ["1.2456", "2.3678", "3.4891", "4.5123"]);
    let in_mm = rows_of(["123.4560", "145.6780", "167.8910", "189.1230"], y);
    let turned = rows_of(y, x);
    let offset = lab(
        "",
        &(reading("b", "bridge")
            + &rows("3", "x - b").replace("[[reading]]\nid = \"y\"", "[[reading]]\nid = \"y\"\noptional = true")
            + &result_of("also", "cm", "b + 1[cm]").replace("points", "optional = true\npoints")),
    );
    let taken_off = |also: &str| {
        filled(&[("12.3456", "", "11.0711"), ("14.5678", "", "13.2933"), ("16.7891", "", "15.5146")])
            + &format!("b: 1.2475 {{unit cm}}\n{also}")
    };
    vec![
        between("A column in another unit", [&narrow, &wide], &in_mm, has("rewritten"), ["found", "not found"]),
        edge(
            "Rows exchanged",
            &wide,
            [&rows_of([x[0], x[2], x[1], x[3]], y), &rows_of([x[0], "16.1891", "14.1678", x[3]], y)],
            has("rewritten"),
            ["found", "not found"],
        ),
        // Refused at its column, it is judged without the story.
        edge(
            "Rows exchanged",
            &wide,
            [&rows_of([x[0], x[2], x[1], x[3]], y), &rows_of([x[0], x[2], x[1], x[3]], y)],
            has("rewritten"),
            ["not found", "found"],
        )
        .decided("repair:x", Action::Refuse),
        edge(
            "A column off by a constant",
            &topped,
            [
                &(rows_of(["13.3456", "15.5678", "17.7891", "19.9123"], y) + "top: 18.9123 {unit cm}"),
                &(rows_of(["13.3456", "15.5678", "17.7891", "19.9123"], y) + "top: 19.9123 {unit cm}"),
            ],
            has("rewritten"),
            ["found", "not found"],
        ),
        between("Columns exchanged", [&narrow, &wide], &turned, has("rewritten"), ["found", "not found"]),
        edge(
            "A repair that helps",
            &two,
            [&copied("also: 2.2345 {unit cm}"), &copied("")],
            has("repair"),
            ["found", "not found"],
        ),
        edge(
            "A story that another result contradicts",
            &four,
            [&twice("15.3076"), &twice("15.3166")],
            named("q"),
            ["slip reading-miskeyed", "agrees"],
        ),
        between(
            "The right value is no mistake",
            [&times("1"), &times("2")],
            "a: 2 {unit cm}\nb: 3 {unit cm}\ntri: 6.4 {unit cm^2}",
            named("tri"),
            ["unexplained", "slip literal"],
        ),
        edge("Few figures", &half, [&tri("55"), &tri("55.35")], chance("tri"), ["85 in 100", "99 in 100"]),
        edge(
            "Keyed or copied",
            &two,
            [&copied(""), &copied("also: 2.2345 {unit cm}")],
            has("repair"),
            ["not found", "found"],
        ),
        // The rows of a column are one calculation: 1.2745 for 1.2475 in all of them.
        edge(
            "Keyed or copied",
            &offset,
            [&taken_off(""), &taken_off("also: 2.2745 {unit cm}")],
            has("repair"),
            ["not found", "found"],
        ),
        edge(
            "Keyed or copied",
            &offset,
            [&taken_off(""), &taken_off("also: 2.2745 {unit cm}")],
            count("slip"),
            ["1", "0"],
        ),
        edge(
            "A gap in a column",
            &mean_of_five,
            [&gapped("14.24"), &gapped("19.99")],
            verdict("m"),
            ["unchecked", "unexplained"],
        ),
        edge(
            "The team's own marks",
            &mean_of_five,
            [&marked("14.25", " {out}"), &marked("14.25", "")],
            tells("slip", "as the sheet marks it"),
            ["told", "not told"],
        ),
        edge(
            "Two slips in one result",
            &half,
            [&tri("276.8"), &tri("553.5")],
            named("tri"),
            ["slip decimal-point", "unexplained"],
        ),
        edge(
            "A story from reported values alone",
            &chained,
            [&v("20", "91"), &v("24.6912", "112.78")],
            chance("v"),
            ["85 in 100", "100 in 100"],
        ),
        edge(
            "The figures of a value that stands in",
            &after,
            [&stand_in("60.1"), &stand_in("60.3")],
            right("w"),
            ["right", "wrong"],
        ),
        edge(
            "A reading that a reviewer leaves out",
            &five,
            [&left, &left_out],
            has("exclusion-unsupported"),
            ["not found", "found"],
        )
        .decided("cell:a:5", Action::LeaveOut),
    ]
}

fn all() -> Vec<Edge> {
    [
        comparing(),
        comparing_more(),
        diagnosing(),
        diagnosing_more(),
        diagnosing_together(),
        charging(),
        charging_more(),
        cells(),
        cells_more(),
        apart(),
        beside(),
        beside_more(),
        repairing(),
        uncertain(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

#[test]
fn each_rule_holds_just_inside_and_not_just_outside() {
    let mut wrong = Vec::new();
    for e in all() {
        for (n, side) in ["inside", "outside"].into_iter().enumerate() {
            let (p, want) = (protocol(&e.labs[n]), e.want[n]);
            let j = judge_in(&p, &e.sections[n], &sheet(&e.sheets[n]), &[], &e.decisions[n]);
            let got = (e.look)(&p, &j);
            if got != want {
                wrong.push(format!("{}, {side}: {got} and not {want}; {:?} {:?}", e.rule, verdicts(&p, &j), codes(&j)));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The names of the rules of a page: what stands in bold at the start of a point.
fn rules(page: &str) -> BTreeSet<String> {
    let named = page.lines().filter_map(|l| l.strip_prefix("- **")?.split_once("**"));
    named.map(|(name, _)| name.trim_end_matches('.').to_owned()).collect()
}

#[test]
fn every_rule_of_the_page_has_a_row_and_every_row_a_rule() {
    let written = rules(include_str!("../../../docs/judging.md"));
    let proved: BTreeSet<String> = all().into_iter().map(|e| e.rule.to_owned()).collect();
    let without: Vec<&String> = written.difference(&proved).collect();
    let nowhere: Vec<&String> = proved.difference(&written).collect();
    assert!(
        without.is_empty() && nowhere.is_empty(),
        "no row proves {without:#?}; no rule is written for {nowhere:#?}"
    );
}
