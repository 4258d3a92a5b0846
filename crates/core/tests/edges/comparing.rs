//! Section “The verdict on a reported value” of docs/judging.md.

use super::common::*;
use super::kit::*;
use jurado_core::verdict::Face;

fn face(id: &'static str) -> Look {
    Box::new(move |p, j| match &result(p, j, id, None).face {
        Some(Face::EveryStep { .. }) => "every step".to_owned(),
        Some(face) => format!("{face:?}"),
        None => result(p, j, id, None).verdict.word().to_owned(),
    })
}

/// Comparing: section "The verdict on a reported value" of docs/judging.md.
pub(crate) fn comparing() -> Vec<Edge> {
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

/// More of comparing: what stands above, noughts, constants and steps.
pub(crate) fn comparing_more() -> Vec<Edge> {
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
