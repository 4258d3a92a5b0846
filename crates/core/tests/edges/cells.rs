//! Sections “Cells and columns” and “What stands apart”.

use super::common::*;
use super::kit::*;
use jurado_core::section::{Section, Source};

/// Readings and columns: section "Cells and columns".
pub(crate) fn cells() -> Vec<Edge> {
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

/// Outliers: section "What stands apart".
pub(crate) fn apart() -> Vec<Edge> {
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

/// More of cells and columns, and of what stands apart.
pub(crate) fn cells_more() -> Vec<Edge> {
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

/// How a finding weighs.
fn severity(code: &'static str) -> Look {
    Box::new(move |_, j| finding(j, code).map_or("none", |f| f.severity.word()).to_owned())
}
