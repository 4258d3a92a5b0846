//! Section “What seems to have happened”: stories, repairs and what is not named.

use super::common::*;
use super::kit::*;
use jurado_core::decision::Action;
use jurado_core::finding::Kind;

/// How many rows the slip runs through that has the most.
fn rows_of_slip() -> Look {
    Box::new(|_, j| {
        let rows = j.findings.iter().map(|f| if let Kind::Slip(s) = &f.kind { s.rows.len() } else { 0 });
        format!("{} rows", rows.max().unwrap_or(0))
    })
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
pub(crate) fn diagnosing() -> Vec<Edge> {
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

/// As [`fine`], for readings that are diameters.
fn round(results: &str) -> String {
    fine(results).replace("instrument = \"bridge\"\n", "instrument = \"bridge\"\nshape = \"diameter\"\n")
}

/// More of diagnosis: chances, classes and what is not named.
pub(crate) fn diagnosing_more() -> Vec<Edge> {
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
pub(crate) fn diagnosing_together() -> Vec<Edge> {
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
    let coarse = zeroed.replace("instrument = \"bridge\"", "instrument = \"rule\"");
    let in_tenths = |p: &str, q: &str| {
        format!("a: 12.3 {{unit cm}}\nb: 4.5 {{unit cm}}\nz: 0.5 {{unit cm}}\np: {p} {{unit cm}}\nq: {q} {{unit cm}}")
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
        // A digit of p alone could have been written wrongly; two results that went the same way speak for the idea.
        edge(
            "One wrong idea in several results",
            &coarse,
            [&in_tenths("12.8", "5.0"), &in_tenths("12.8", "4.0")],
            chance("p"),
            ["100 in 100", "86 in 100"],
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

/// Repairs, and what two sides of a story weigh.
pub(crate) fn repairing() -> Vec<Edge> {
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
