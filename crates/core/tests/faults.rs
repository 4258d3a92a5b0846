//! What a lab's text may not say: one row an edit of a lab that loads, with the sentence that refuses it, how to mend it, and
//! the edited part of the text as its place.

use std::ops::RangeInclusive;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;

const BILGE_CURVE: &str = include_str!("labs/bilge-curve.toml");
const ECHO_WELL: &str = include_str!("labs/echo-well.toml");
const LAMP_ZONES: &str = include_str!("labs/lamp-zones.toml");
const PLATE: &str = include_str!("labs/plate-and-disc.toml");
const TIDE_TITRE: &str = include_str!("labs/tide-titre.toml");

/// The lab, what is replaced, by what, what the fault says, how it is mended.
type Row = (&'static str, &'static str, &'static str, &'static str, &'static str);

fn faults(text: &str) -> Vec<Fault> {
    Protocol::parse(text).err().unwrap_or_default()
}

/// Lines of the part (`[[reading]]`, `[[result]]` …) that a line stands in, counted from 1.
fn part(text: &str, line: usize) -> RangeInclusive<usize> {
    let lines: Vec<&str> = text.lines().collect();
    let head = |n: &usize| lines[*n].starts_with("[[");
    let first = (0..line).rev().find(head).unwrap_or(0);
    let next = (line..lines.len()).find(head).unwrap_or(lines.len());
    first + 1..=next
}

/// Edits the first place of `from`; the fault has to stand in the edited part of the text.
fn try_row((lab, from, to, what, mend): &Row) -> Option<String> {
    let Some(at) = lab.find(from) else { return Some(format!("no lab has `{from}`")) };
    let text = lab.replacen(from, to, 1);
    let told = faults(&text);
    let Some(hit) = told.iter().find(|f| f.what.contains(what)) else { return Some(format!("`{to}`: {told:#?}")) };
    let lines = part(&text, lab[..at].matches('\n').count() + 1);
    let good = hit.mend.contains(mend) && lines.contains(&hit.line);
    (!good).then(|| format!("`{to}`, in the part of lines {lines:?}, is told as {hit:?}"))
}

fn try_rows(rows: &[Row]) {
    let wrong: Vec<String> = rows.iter().filter_map(try_row).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn the_labs_load_as_they_stand() {
    for lab in [BILGE_CURVE, ECHO_WELL, LAMP_ZONES, PLATE, TIDE_TITRE] {
        assert!(faults(lab).is_empty(), "{:#?}", faults(lab));
    }
}

#[test]
fn a_table_has_rows_a_grid_that_fits_and_an_end() {
    try_rows(&[
        (BILGE_CURVE, "rows = [6, 60]", "rows = [60, 6]", "[60, 6] rows cannot be asked for", "the least first"),
        (BILGE_CURVE, "rows = [6, 60]", "rows = 0", "0 rows cannot be asked for", "a number from 1"),
        (BILGE_CURVE, "rows = [6, 60]", "rows = 100000000", "rows cannot be asked for", "a number from 1"),
        (ECHO_WELL, "rows = \"depths\"", "rows = \"deeps\"", "there is no parameter `deeps`", "[[parameter]]"),
        (ECHO_WELL, "rows = \"depths\"", "rows = \"fork\"", "there is no parameter `fork`", "[[parameter]]"),
        (ECHO_WELL, "key = \"fork\"", "key = \"form\"", "there is no key `form`", "fork"),
        (ECHO_WELL, "value = 3", "value = 7", "7 lies outside the parameter's own range", "widen"),
        (ECHO_WELL, "range = [2, 6]", "range = [6, 2]", "does not rise", "lower end first"),
        (
            LAMP_ZONES,
            "values = [200, 400, 600]",
            "values = [200, 400, 600, 800]",
            "a grid of 4 values does not fit a table of 3 rows",
            "n + 1 rows",
        ),
        (LAMP_ZONES, "values = [200, 400, 600]", "values = []", "a grid of 0 values", "change the rows"),
        (
            LAMP_ZONES,
            "within = 20",
            "within = 0",
            "how far from a grid value a display may lie must be above nought",
            "positive",
        ),
        (LAMP_ZONES, "column = \"object\"", "column = \"tilt\"", "`tilt` is no column of this table", "has this table"),
        (LAMP_ZONES, "table = \"places\"\nwords", "table = \"rail\"\nwords", "there is no table `rail`", "places"),
        (
            BILGE_CURVE,
            "stop = { column = \"ph\", at = 10, flat = 0.05, rows = 3 }",
            "stop = { column = \"ph\" }",
            "this stopping rule has no end",
            "flat = …",
        ),
        (TIDE_TITRE, "word = \"rough\"", "word = \"raw\"", "there is no word `raw`", "rough, kept"),
        (
            TIDE_TITRE,
            "rows = [2, 6]",
            "rows = [2, 6]\nabsence = [\"broken\", \" \"]",
            "would excuse every one",
            "out of reach",
        ),
    ]);
}

#[test]
fn a_reading_has_an_instrument_a_place_and_a_kind() {
    try_rows(&[
        (
            ECHO_WELL,
            "bay = \"well\"\nunit = \"cm\"\ninstrument = \"tape\"",
            "bay = \"well\"\nunit = \"cm\"",
            "the reading `rim` has no instrument",
            "kind = \"count\"",
        ),
        (ECHO_WELL, "symbol = \"x_0\"\nbay = \"well\"", "symbol = \"x_0\"", "`rim` belongs to no bay", "table = \"…\""),
        (ECHO_WELL, "symbol = \"x_0\"\nbay = \"well\"", "bay = \"wall\"", "there is no bay `wall`", "well"),
        (ECHO_WELL, "trend = \"rising\"", "trend = \"up\"", "`up` is no trend of a column", "rising, falling"),
        (
            ECHO_WELL,
            "plausible = [5, 80]",
            "plausible = [5, 80]\nreplicates = 3",
            "a column of a table has no replicates",
            "more rows",
        ),
        (ECHO_WELL, "fallback = [15, 30]", "fallback = [30, 15]", "does not rise", "lower end first"),
        (ECHO_WELL, "limit = 0.1", "limit = -0.1", "must be above nought, not -0.1", "positive"),
        (ECHO_WELL, "unit = \"cm\"\nstep = 0.1", "unit = \"ell\"\nstep = 0.1", "`ell`", "docs/protocols.md"),
        (BILGE_CURVE, "kind = \"setting\"", "kind = \"dial\"", "`dial` is no kind of reading", "number, count, word"),
        (
            BILGE_CURVE,
            "sums = \"portion\"",
            "sums = \"portions\"",
            "there is no column `portions`",
            "mend the spelling",
        ),
        (BILGE_CURVE, "step_of = \"gain\"", "step_of = \"gains\"", "there is no setting `gains`", "mend the spelling"),
        (TIDE_TITRE, "follows = \"end\"", "follows = \"ends\"", "there is no column `ends`", "mend the spelling"),
        (TIDE_TITRE, "scale = \"down\"", "scale = \"left\"", "`left` is no", "down"),
        (
            TIDE_TITRE,
            "role = \"window\"\nwindow = [2, 5]",
            "role = \"window\"",
            "a window needs its ends",
            "[low, high]",
        ),
        (TIDE_TITRE, "role = \"window\"", "role = \"wide\"", "`wide` is no role of an amount", "exact, window, free"),
        (TIDE_TITRE, "window = [2, 5]", "window = [5, 2]", "the window [5, 2] does not rise", "lower end first"),
        (
            TIDE_TITRE,
            "kind = \"count\"",
            "kind = \"count\"\nstep = [0, 1]",
            "needs a size and a tolerance",
            "step = [0.5",
        ),
        (
            TIDE_TITRE,
            "kind = \"count\"",
            "kind = \"count\"\nbracket = [\"low\", \"start\"]",
            "there is no reading `low`",
            "mend the spelling",
        ),
        (
            LAMP_ZONES,
            "required_if = \"zone == \\\"beyond\\\"\"",
            "required_if = \"object\"",
            "this is a value, where a condition is needed",
            "a comparison",
        ),
        (
            LAMP_ZONES,
            "forbidden_if = \"zone == \\\"at\\\"\"",
            "forbidden_if = \"zone == \\\"up\\\"\"",
            "`zone` is never “up”",
            "inside, at, beyond",
        ),
        (
            LAMP_ZONES,
            "words = [\"inside\", \"at\", \"beyond\"]",
            "words = []",
            "the words of `zone` are missing",
            "words",
        ),
    ]);
}

#[test]
fn what_rejects_readings_is_a_known_way_with_its_figures() {
    try_rows(&[
        (LAMP_ZONES, "by = \"grubbs\"", "by = \"eye\"", "`eye` is no way of rejecting a reading", "dixon, grubbs, esd"),
        (LAMP_ZONES, "by = \"grubbs\"", "by = \"known\"", "known repeatability needs its σ", "sigma = …"),
        (
            LAMP_ZONES,
            "by = \"grubbs\"",
            "by = \"known\", sigma = -1",
            "the known repeatability must be above nought",
            "positive",
        ),
        (LAMP_ZONES, "rejection = { by", "confidence = 80\nrejection = { by", "has no critical values", "90, 95 or 99"),
        (
            TIDE_TITRE,
            "rejection = { by = \"concordance\", within = 0.1 }",
            "rejection = { by = \"concordance\" }",
            "a tolerance is needed here",
            "percent = …",
        ),
        (
            TIDE_TITRE,
            "rejection = { by = \"concordance\", within = 0.1 }",
            "rejection = { by = \"concordance\", within = 0.1, percent = 1 }",
            "a tolerance is needed here, and only one",
            "within = …",
        ),
    ]);
}

#[test]
fn a_result_has_a_formula_of_its_unit_and_rows() {
    try_rows(&[
        (ECHO_WELL, "formula = \"level - rim\"\npoints", "points", "the result `length` has no formula", "words = […]"),
        (
            ECHO_WELL,
            "formula = \"1 / length\"",
            "formula = \"length\"",
            "comes out as length, which is not 1/m",
            "the unit",
        ),
        (ECHO_WELL, "formula = \"1 / length\"", "formula = \"length > rim\"", "is a condition, not a value", "if(…"),
        (ECHO_WELL, "formula = \"1 / length\"", "formula = \"1 / (length\"", "in the formula of `inverse`", ""),
        (
            ECHO_WELL,
            "formula = \"1 / length\"",
            "formula = \"1 / lenght\"",
            "`lenght` is not known here",
            "mend its spelling",
        ),
        (ECHO_WELL, "formula = \"1 / length\"", "formula = \"\"", "in the formula of `inverse`", ""),
        (ECHO_WELL, "formula = \"1 / length\"", "formula = \"root(length)\"", "root", ""),
        (ECHO_WELL, "formula = \"1 / length\"", "formula = \"1 / sqrt(length, rim)\"", "sqrt", ""),
        (
            ECHO_WELL,
            "\"a line with a free intercept\" = \"slope(inverse, pitch)\"",
            "\"a line with a free intercept\" = \"pitch * length\"",
            "this is a column, and `gradient` is not",
            "rows",
        ),
        (ECHO_WELL, "result = \"speed\"\nformula", "result = \"pace\"\nformula", "there is no result `pace`", "speed"),
        (
            LAMP_ZONES,
            "words = [\"upright\", \"inverted\", \"none\"]",
            "words = [\"upright\", \"inverted\", \"none\"]\nformula = \"1\"",
            "the word `attitude` has a formula",
            "[[result.right]]",
        ),
        (LAMP_ZONES, "word = \"upright\"", "word = \"straight\"", "there is no word `straight`", "upright"),
        (
            TIDE_TITRE,
            "formula = \"boat_full - boat_empty\"",
            "formula = \"boat_full - boat_empty\"\nuncertainty = \"2 * molar\"",
            "the uncertainty of `mass` is not one of its kind",
            "a standard uncertainty",
        ),
        (
            TIDE_TITRE,
            "table = \"titration\"\nunit = \"mL\"\nformula",
            "table = \"rates\"\nunit = \"mL\"\nformula",
            "there is no table `rates`",
            "titration",
        ),
    ]);
}

#[test]
fn a_reference_has_a_source_and_a_value_of_its_kind() {
    try_rows(&[
        (
            ECHO_WELL,
            "formula = \"331.3[m/s] * sqrt(kelvin(air) / 273.15[K])\"",
            "formula = \"331.3[m] * sqrt(kelvin(air) / 273.15[K])\"",
            "`sound` comes out as length, which is not m/s",
            "mend the formula or the unit",
        ),
        (
            ECHO_WELL,
            "formula = \"331.3[m/s] * sqrt(kelvin(air) / 273.15[K])\"",
            "formula = \"331.3[m/s] * sqrt(kelvin(air) / 273.15[K])\"\nvalue = 340",
            "the reference `sound` has both a formula and a value",
            "keep one",
        ),
        (
            ECHO_WELL,
            "formula = \"331.3[m/s] * sqrt(kelvin(air) / 273.15[K])\"",
            "value = 340\nrange = [330, 350]",
            "needs a value or a range here, and only one of them",
            "range = [",
        ),
        (ECHO_WELL, "a = { value = 512 }", "d = { value = 512 }", "the key `fork` has no value `d`", "a, b, c"),
        (ECHO_WELL, "uncertainty = 0.25", "uncertainty = 0,25", "a comma stands inside a number", "decimal point"),
        (TIDE_TITRE, "value = 204.22", "value = \"heavy\"", "a number is needed here", ""),
        (TIDE_TITRE, "unit = \"g/mol\"", "unit = \"g/mile\"", "mile", "docs/protocols.md"),
        (TIDE_TITRE, "id = \"mass\"", "id = \"molar\"", "`molar` is declared twice", "another id"),
        (
            TIDE_TITRE,
            "id = \"molar\"",
            "id = \"1molar\"",
            "`1molar` cannot be used in a formula",
            "begin with a letter",
        ),
        (TIDE_TITRE, "id = \"molar\"", "id = \"sqrt\"", "`sqrt` is a word of the formula language", "another id"),
    ]);
}

#[test]
fn what_is_judged_beside_the_results_compares_like_with_like() {
    try_rows(&[
        (
            ECHO_WELL,
            "left = \"level\"\nright = \"rim\"",
            "left = \"level\"",
            "has nothing to judge",
            "holds = \"…\" alone",
        ),
        (
            ECHO_WELL,
            "right = \"rim\"",
            "right = \"air\"",
            "the check `short-of-rim` compares length with",
            "same dimension",
        ),
        (ECHO_WELL, "relation = \"above\"", "relation = \"over\"", "`over` is no", "above"),
        (
            ECHO_WELL,
            "relation = \"above\"",
            "relation = \"above\"\neach = \"1\"",
            "takes points from nowhere",
            "criterion = ",
        ),
        (
            ECHO_WELL,
            "relation = \"above\"",
            "relation = \"above\"\ncriterion = \"checks\"\neach = \"1\"",
            "there is no criterion `checks`",
            "calculation",
        ),
        (ECHO_WELL, "a = \"speed\"", "a = \"rim\"", "needs two single values of one dimension", "mend one"),
        (ECHO_WELL, "b = \"4 * gradient\"", "b = \"length\"", "needs two single values of one dimension", "mend one"),
        (ECHO_WELL, "b = \"4 * gradient\"\nk = 2", "b = \"4 * gradient\"\nk = 0", "k must be above nought", "positive"),
        (ECHO_WELL, "k = 2\n\n[[cause]]", "method = \"eye\"\n\n[[cause]]", "`eye` is no way to compare", "overlap"),
        (ECHO_WELL, "k = 2\n\n[[cause]]", "method = \"percent\"\n\n[[cause]]", "needs `percent`", "percent = 2"),
        (
            ECHO_WELL,
            "k = 2\n\n[[cause]]",
            "conclusion = \"speed\"\n\n[[cause]]",
            "`speed` is no word with a yes and a no",
            "words",
        ),
        (ECHO_WELL, "on = [\"level\"]", "on = [\"lvl\"]", "`lvl`", "mend the spelling"),
        (
            LAMP_ZONES,
            "candidates = { brass = { range = [8.4, 8.7] }, bronze",
            "candidates = { brass = { }, bronze",
            "needs a value or a range here",
            "value = ",
        ),
        (
            LAMP_ZONES,
            "answer = \"metal\"",
            "answer = \"attitude\"",
            "`brass` cannot be answered in `attitude`",
            "among its words",
        ),
        (
            LAMP_ZONES,
            "result = \"density\"\nanswer",
            "result = \"mass\"\nanswer",
            "there is no result `mass`",
            "density",
        ),
        (
            LAMP_ZONES,
            "source = \"ranges of handbook densities\"",
            "source = \" \"",
            "`rim` names no source",
            "come from",
        ),
        (
            LAMP_ZONES,
            "candidates = { brass = { range = [8.4, 8.7] }, bronze = { range = [8.6, 8.9] }, steel = { range = [7.7, 8.0] } }",
            "candidates = { brass = { range = [8.4, 8.7] } }",
            "`rim` has fewer than two candidates",
            "value = …",
        ),
        (
            LAMP_ZONES,
            "[[criterion]]",
            "[[check]]\nid = \"drawn\"\ntitle = \"drawn\"\nholds = \"tilt < 5[deg]\"\n[check.sketch]\ndraw = \"rail\"\nunit = \"mm\"\nspan = [0, 1000]\nparts = [{ at = \"rise\", says = \"lamp\" }]\n\n[[criterion]]",
            "the sketch of `drawn` has 1 parts",
            "give a rail its mirror",
        ),
        (
            LAMP_ZONES,
            "[[criterion]]",
            "[[check]]\nid = \"drawn\"\ntitle = \"drawn\"\nholds = \"tilt < 5[deg]\"\n[check.sketch]\ndraw = \"beam\"\nunit = \"mm\"\nspan = [0, 1000]\nparts = [{ at = \"rise\", says = \"lamp\" }]\n\n[[criterion]]",
            "the sketch of `drawn` has no pivot",
            "a beam turns about",
        ),
        (
            LAMP_ZONES,
            "[[criterion]]",
            "[[check]]\nid = \"drawn\"\ntitle = \"drawn\"\nholds = \"tilt < 5[deg]\"\n[check.sketch]\ndraw = \"beam\"\nunit = \"mm\"\nspan = [0, 1000]\npivot = \"tilt\"\nparts = [{ at = \"rise\", says = \"lamp\" }]\n\n[[criterion]]",
            "the sketch of `drawn` is drawn in mm, and this is of",
            "give the sketch its unit",
        ),
    ]);
}

#[test]
fn points_add_up_and_every_rule_has_its_figures() {
    try_rows(&[
        (ECHO_WELL, "reference = \"sound\"", "", "the criterion `accuracy` needs `reference`", "reference = "),
        (ECHO_WELL, "reference = \"sound\"", "reference = \"light\"", "there is no reference `light`", "sound"),
        (
            ECHO_WELL,
            "result = \"speed\"\nreference",
            "result = \"inverse\"\nreference",
            "different dimensions",
            "of that result",
        ),
        (
            ECHO_WELL,
            "bands = [{ within = 2.0, points = \"2\" }, { within = 5.0, points = \"1\" }]",
            "bands = []",
            "the criterion `accuracy` needs bands",
            "bands = [",
        ),
        (
            ECHO_WELL,
            "{ within = 2.0, points = \"2\" }",
            "{ within = 2.0, points = \"3\" }",
            "gives more than the criterion's 2 points",
            "lower it",
        ),
        (ECHO_WELL, "comparison = \"two-ways\"", "comparison = \"ways\"", "there is no comparison `ways`", "two-ways"),
        (ECHO_WELL, "share = \"0.25\"", "share = \"-1\"", "a share of -1 is no part", "between 0 and 1"),
        (ECHO_WELL, "each = \"0.5\"", "", "the criterion `complete` needs `each`", "in points"),
        (
            TIDE_TITRE,
            "{ says = \"every step shown\", points = \"1\" }",
            "{ says = \"every step shown\", points = \"2\" }",
            "needs levels, each of at most its points",
            "levels = [",
        ),
        (
            TIDE_TITRE,
            "rule = \"calculation\"",
            "rule = \"calculation\"\noff = true",
            "is off, and nobody judges it by hand",
            "manual",
        ),
        (
            TIDE_TITRE,
            "points = \"5\"",
            "points = \"5\"\nstep = \"6\"",
            "points cannot be given in steps of 6",
            "no more than the points",
        ),
        (TIDE_TITRE, "possible = \"6\"", "possible = \"six\"", "`six` is no decimal number", ""),
        (
            TIDE_TITRE,
            "id = \"shown\"",
            "id = \"calculation\"",
            "the criterion `calculation` is declared twice",
            "another id",
        ),
        (BILGE_CURVE, "uncertainty = \"worst-case\"", "uncertainty = \"best-case\"", "`best-case` is no", "worst-case"),
        (
            BILGE_CURVE,
            "uncertainty = \"worst-case\"",
            "uncertainty = \"worst-case\"\nunexplained = 2",
            "leaves no room",
            "0.35 to begin with",
        ),
        (
            BILGE_CURVE,
            "uncertainty = \"worst-case\"",
            "uncertainty = \"worst-case\"\nlogarithm_table = [5, 40]",
            "no logarithm table's arithmetic",
            "[5, 4]",
        ),
        (
            BILGE_CURVE,
            "uncertainty = \"worst-case\"",
            "uncertainty = \"worst-case\"\nweights = { hunch = 0.5 }",
            "`hunch` is no kind of slip",
            "docs/protocols.md",
        ),
    ]);
}
