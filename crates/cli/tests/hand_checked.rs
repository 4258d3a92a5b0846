//! Ten tables judged by the command, every number against values worked out independently: 40-digit decimal arithmetic
//! with derivatives written out by hand (`bench/hand_checked.py`), verdicts and points by a person. The zero reading
//! and the caliper's limit are shared by all lengths there as here.
#![allow(missing_docs)]

use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::Value;

/// Densities and standard uncertainties are to agree to this, relatively.
const RELATIVE: f64 = 1e-9;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn jurado(arguments: &[&str]) -> std::process::Output {
    Command::new(env!("CARGO_BIN_EXE_jurado")).current_dir(root()).args(arguments).output().expect("the command runs")
}

fn close(got: &Value, want: &Value, what: &str) {
    match (got.as_f64(), want.as_f64()) {
        (Some(a), Some(b)) => assert!((a - b).abs() <= RELATIVE * b.abs().max(1e-300), "{what}: {a} against {b}"),
        (None, None) => assert!(got.is_null() && want.is_null(), "{what}: {got} against {want}"),
        _ => panic!("{what}: {got} against {want}"),
    }
}

#[test]
fn ten_tables_agree_with_an_independent_calculation_in_every_number() {
    let out = jurado(&[
        "judge",
        "--protocol",
        "crates/core/tests/labs/plate-and-disc.toml",
        "--submissions",
        "crates/cli/tests/data/hand_checked.csv",
        "--format",
        "json",
    ]);
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let report: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let expected: Value = serde_json::from_str(include_str!("data/hand_checked.json")).expect("JSON");
    let expected = expected["teams"].as_object().expect("teams");
    let tables = report["submissions"].as_array().expect("submissions");
    assert_eq!(tables.len(), expected.len());
    for table in tables {
        let team = table["team"].as_str().expect("a team");
        let want = &expected[team];
        for result in table["results"].as_array().expect("results") {
            let id = result["id"].as_str().expect("an id");
            let want = &want["results"][id];
            let what = |field: &str| format!("{team} {id} {field}");
            close(&result["clean"]["value"], &want["clean"], &what("clean"));
            close(&result["clean"]["standard_uncertainty"], &want["u"], &what("u"));
            close(&result["carried"]["value"], &want["carried"], &what("carried"));
            assert_eq!(result["verdict"], want["verdict"], "{}", what("verdict"));
            let slip = if result["verdict"] == "slip" { result["slip"]["kind"].clone() } else { Value::Null };
            assert_eq!(slip, want["slip"], "{}", what("slip"));
        }
        for (id, value) in want["accuracy"].as_object().expect("accuracy") {
            let got = table["comparisons"]
                .as_array()
                .into_iter()
                .flatten()
                .find(|c| c["id"] == id.as_str())
                .expect("a comparison");
            close(&got["value"], value, &format!("{team} {id}"));
        }
        for (item, q) in want["dixon"].as_object().expect("tests") {
            let got = table["outliers"].as_array().into_iter().flatten().find(|o| o["item"] == item.as_str());
            close(&got.map_or(Value::Null, |o| o["statistic"].clone()), q, &format!("{team} Q of {item}"));
        }
        close(&table["score"]["awarded"], &want["points"], &format!("{team} points"));
    }
}

#[test]
fn the_object_has_the_documented_names_and_is_the_same_every_time() {
    let arguments = [
        "judge",
        "--protocol",
        "crates/core/tests/labs/plate-and-disc.toml",
        "--submissions",
        "crates/cli/tests/data/hand_checked.csv",
    ];
    let (a, b) = (jurado(&arguments), jurado(&arguments));
    assert_eq!(a.stdout, b.stdout, "byte for byte");
    let report: Value = serde_json::from_slice(&a.stdout).expect("JSON");
    let names = |v: &Value| v.as_object().map(|o| o.keys().cloned().collect::<Vec<_>>().join(" ")).unwrap_or_default();
    let first = &report["submissions"][1];
    let slip = first["results"].as_array().into_iter().flatten().find(|r| !r["slip"].is_null()).expect("a slip");
    // Sorted by name, as the reader of JSON gives them.
    for (value, expected) in [
        (&report, "engine protocol submissions"),
        (&report["protocol"], "digest id version"),
        (first, "comparisons findings keys outliers results score section station team"),
        (slip, "carried clean id reported row ruling slip verdict"),
        (&slip["reported"], "plus_minus text unit value"),
        (&slip["clean"], "standard_uncertainty unit value"),
        (&slip["slip"], "alternatives kind places probability says"),
        (&first["findings"][0], "code item row says severity"),
        (&first["outliers"][0], "critical flagged item level row statistic test"),
        (&first["comparisons"][0], "id kind limit says value verdict"),
        (&first["score"], "awarded lines possible"),
        (&first["score"]["lines"][0], "awarded criterion exact fragile possible ruling says"),
    ] {
        assert_eq!(names(value), expected);
    }
}

#[test]
fn what_cannot_be_used_is_told_with_its_place_and_leaves_no_file() {
    let folder = tempfile::tempdir().expect("a folder");
    let put = |name: &str, text: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, text).expect("written");
        path.to_str().expect("a path").to_owned()
    };
    let broken = put("broken.toml", b"format = 1\nid = 3\n");
    let bytes = put("bytes.toml", b"format = 1\nid = \"\xff\"\n");
    let empty = put("empty.csv", b"");
    let rulings = put("rulings.json", b"{");
    let sheet = put("sheet.xlsx", b"PK\x03\x04");
    let out = folder.path().join("out.json");
    let (csv, keel) = ("crates/cli/tests/data/hand_checked.csv", "crates/core/tests/labs/plate-and-disc.toml");
    let cases: &[(&str, &str, Option<&str>, &str)] = &[
        (&broken, csv, None, "broken.toml:2:6: "),
        (&bytes, csv, None, "bytes.toml:2:7: a byte that is not UTF-8"),
        ("missing.toml", csv, None, "missing.toml:1:1: the file cannot be read"),
        (keel, &empty, None, "empty.csv:1:1: the file is empty; "),
        (keel, &sheet, None, "sheet.xlsx:1:1: "),
        (keel, csv, Some(&rulings), "rulings.json:1:1: these are no rulings"),
    ];
    for (protocol, submissions, rulings, told) in cases {
        let mut arguments =
            vec!["judge", "--protocol", protocol, "--submissions", submissions, "--out", out.to_str().expect("a path")];
        arguments.extend(rulings.iter().flat_map(|r| ["--rulings", *r]));
        let done = jurado(&arguments);
        assert_eq!(done.status.code(), Some(2), "{told}");
        let message = String::from_utf8_lossy(&done.stderr);
        assert!(message.contains(told), "{message} lacks {told}");
        assert!(!out.exists(), "no half output");
    }
    let check = jurado(&["protocol", "check", keel]);
    assert!(check.status.success());
    // What is no fault is told and passes; an instructor's run that does not come out clean does not.
    let text = std::fs::read_to_string(root().join("protocols/port-lens.toml")).expect("a lab");
    let lab = folder.path().join("lens.toml");
    for (find, put, passes, says) in [
        (
            "f_far = \"",
            "f_far = \"2",
            false,
            "the instructor’s run does not come out clean: Focal length from a far object",
        ),
        (
            "instrument = [",
            "instrument = [{ id = \"spare\", title = \"spare rail\", unit = \"cm\", step = 0.1 },",
            true,
            "look again: nothing uses the instrument `spare`",
        ),
    ] {
        std::fs::write(&lab, text.replacen(find, put, 1)).expect("written");
        let check = jurado(&["protocol", "check", lab.to_str().expect("a path")]);
        let told = String::from_utf8_lossy(&check.stderr);
        assert_eq!(check.status.success(), passes, "{put}: {told}");
        assert!(told.contains(says), "{put}: {told}");
        assert!(told.contains("lens.toml:"), "with its place: {told}");
    }
    let template = jurado(&["template", "--protocol", keel, "--format", "csv"]);
    assert!(String::from_utf8_lossy(&template.stdout).starts_with("data sheet,keel-plate,"));
}

#[test]
fn a_ruling_settles_like_cases_and_is_named() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("rulings.json");
    let ruling = r#"[{"id": 7, "protocol": "keel-plate", "code": "slip", "item": "disc_volume", "slip": "radius-diameter", "action": {"do": "forgive"}, "reason": "the sheet drew the radius as the diameter"}]"#;
    std::fs::write(&path, ruling).expect("written");
    let out = jurado(&[
        "judge",
        "--protocol",
        "crates/core/tests/labs/plate-and-disc.toml",
        "--submissions",
        "crates/cli/tests/data/hand_checked.csv",
        "--rulings",
        path.to_str().expect("a path"),
    ]);
    let report: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let ruled: Vec<&str> = report["submissions"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|t| t["score"]["lines"].as_array().into_iter().flatten().any(|l| l["ruling"] == 7))
        .filter_map(|t| t["team"].as_str())
        .collect();
    assert_eq!(ruled, ["Bittern"]);
    let bittern =
        report["submissions"].as_array().into_iter().flatten().find(|t| t["team"] == "Bittern").expect("a table");
    assert_eq!(bittern["score"]["awarded"].as_f64(), Some(20.0), "what the slip took is given back");
}
