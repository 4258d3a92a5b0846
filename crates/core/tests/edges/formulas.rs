//! Section “What a formula says”: the team's own formula under a result.

use super::kit::*;

/// A triangle of two readings, worked out with a formula that gave a value.
fn tri(formula: &str, shown: &str, raw: &str) -> String {
    format!("a: 12.3000 {{unit cm}}\nb: 4.5000 {{unit cm}}\ntri: {shown} {{unit cm^2}} {{= {formula}}} {{raw {raw}}}")
}

/// The same with its formula left out.
fn plain(shown: &str) -> String {
    format!("a: 12.3000 {{unit cm}}\nb: 4.5000 {{unit cm}}\ntri: {shown} {{unit cm^2}}")
}

fn half() -> String {
    fine(&result_of("tri", "cm^2", "a * b / 2"))
}

/// A half and, from it, a whole.
fn two_steps() -> String {
    fine(&(result_of("tri", "cm^2", "a * b / 2") + &result_of("box", "cm^3", "tri * b")))
}

fn steps(tri: &str, formula: &str, shown: &str, raw: &str) -> String {
    format!(
        "a: 12.3000 {{unit cm}}\nb: 4.5000 {{unit cm}}\ntri: {tri} {{unit cm^2}}\n\
         box: {shown} {{unit cm^3}} {{= {formula}}} {{raw {raw}}}"
    )
}

/// The formula itself: whether it counts, and whether it is the lab's.
pub(crate) fn formulas() -> Vec<Edge> {
    let half = half();
    vec![
        edge(
            "A formula that gives its value",
            &half,
            [&tri("a*b", "55.350", "55.35"), &tri("a*b*2", "55.350", "55.35")],
            tells("formula", "gives"),
            ["not told", "told"],
        ),
        edge(
            "One formula, however it is written",
            &half,
            // Twelve and a half and four and a half happen to give the same as a fixed number would.
            [&tri("b/(1/a)-a*b*0.5", "27.675", "27.675"), &tri("a*b-27.675", "27.675", "27.675")],
            tells("formula", "right to its figures"),
            ["not told", "told"],
        ),
        edge(
            "What differs is the mistake",
            &half,
            [&tri("a*b", "55.35", "55.35"), &tri("a*b/2", "27.68", "27.675")],
            named("tri"),
            ["slip literal", "agrees"],
        ),
        edge(
            "No guess beside a formula",
            &half,
            [&tri("a*SIN(b)+67.3736204472807", "55.350", "55.35"), &plain("55.350")],
            named("tri"),
            ["unexplained", "slip literal"],
        ),
        edge(
            "Right by its own formula",
            &two_steps(),
            [&steps("28.1", "tri*b", "126.45", "126.45"), &steps("27.675", "tri*a", "340.40", "340.4025")],
            named("box"),
            ["carried", "slip wrong-cell"],
        ),
        edge(
            "Right to its figures all the same",
            &half,
            [&tri("a*b/2.0001", "27.7", "27.67361631918404"), &tri("a*b/2", "27.7", "27.675")],
            tells("formula", "right to its figures"),
            ["told", "not told"],
        ),
        edge(
            "Rounded on the way",
            &half,
            [&tri("ROUND(a*b,0)/2", "27.500", "27.5"), &tri("ROUND(a*b,0)", "55.000", "55")],
            named("tri"),
            ["rounded", "slip literal"],
        ),
    ]
}

/// A disc by its radius.
fn disc() -> String {
    fine(&result_of("disc", "cm^2", "pi * a^2"))
}

fn of_disc(formula: &str, shown: &str, raw: &str) -> String {
    format!("a: 12.3000 {{unit cm}}\nb: 4.5000 {{unit cm}}\ndisc: {shown} {{unit cm^2}} {{= {formula}}} {{raw {raw}}}")
}

/// What a formula reads: constants, typed numbers, helper cells, cells that changed.
pub(crate) fn formulas_more() -> Vec<Edge> {
    let half = half();
    let changed = |b: &str| tri("a*b", "55.350", "55.35").replace("b: 4.5000", &format!("b: {b}"));
    let texts = |b: &str| {
        format!("a: 12.3000 {{unit cm}}\nb: {b}\ntri: 27.675 {{unit cm^2}} {{= a*AVERAGE(b,b)/2}} {{raw 27.675}}")
    };
    let by_formula = |formula: &str| {
        format!("a: 12.3000 {{unit cm}} {{= {formula}}}\nb: 4.5000 {{unit cm}}\ntri: 27.675 {{unit cm^2}}")
    };
    let helped = |held: &str, shown: &str, raw: &str| format!("cell H1: {held}\n{}", tri("a*H1/2", shown, raw));
    vec![
        edge(
            "A constant as books round it",
            &disc(),
            [&of_disc("3.14*a^2", "475.0506", "475.0506"), &of_disc("3.1*a^2", "468.9990", "468.999")],
            named("disc"),
            ["rounded", "slip literal"],
        ),
        edge(
            "A number typed in for a cell",
            &half,
            [&tri("12.3*b/2", "27.675", "27.675"), &tri("13.2*b/2", "29.700", "29.7")],
            named("tri"),
            ["agrees", "slip reading-miskeyed"],
        ),
        edge(
            "A helper cell",
            &half,
            [&helped("2.25", "13.8375", "13.8375"), &helped("4.5", "27.675", "27.675")],
            named("tri"),
            ["slip wrong-cell", "agrees"],
        ),
        edge(
            "A cell that was typed over since",
            &half,
            [&tri("a*b", "27.675", "55.35"), &tri("a*b", "55.350", "55.35")],
            tells("formula", "typed over"),
            ["told", "not told"],
        ),
        edge(
            "A reading that changed since",
            &half,
            [&changed("4.6000 {raw 4.5}"), &changed("4.5000")],
            tells("formula", "was worked out before"),
            ["told", "not told"],
        ),
        edge(
            "Numbers kept as texts",
            &half,
            [&texts("4.5000 cm"), &texts("4.5000 {unit cm}")],
            tells("formula", "gives #DIV/0!"),
            ["told", "not told"],
        ),
        edge(
            "A reading worked out by a formula",
            &half,
            [&by_formula("b*2.733333"), &by_formula("12.3")],
            has("formula"),
            ["found", "not found"],
        ),
    ]
}
