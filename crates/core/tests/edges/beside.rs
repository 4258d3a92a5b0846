//! Sections “Beside a reference” and “The stated ±”.

use super::kit::*;

/// References and agreement: section "Beside a reference".
pub(crate) fn beside() -> Vec<Edge> {
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
pub(crate) fn uncertain() -> Vec<Edge> {
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

/// More of references and of the stated ±.
pub(crate) fn beside_more() -> Vec<Edge> {
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

/// A mean of three trials, with its ±.
fn trials(mean: &str) -> String {
    let rule = criterion("uncertainty", "1", "missing = \"0.5\"\nunfair = \"0.25\"\ndigits = \"0.25\"");
    lab("", &(rows("3", "x - y") + &result_of("m", "cm", mean) + "plus_minus = true\n" + &rule))
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
