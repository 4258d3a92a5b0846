//! Section “What it costs”.

use super::kit::*;
use jurado_core::section::{Section, Waiver};

/// Charging: section "What it costs".
pub(crate) fn charging() -> Vec<Edge> {
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

/// More of charging: what is missing, figures, units.
pub(crate) fn charging_more() -> Vec<Edge> {
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
