//! The commands around a class: simulate, judge, assess, and the empty data sheet in three formats; what they say of
//! arguments and files that cannot be used.
#![allow(missing_docs)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use serde_json::Value;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn jurado(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_jurado")).current_dir(root()).args(arguments).output().expect("the command runs")
}

fn told(out: &Output) -> String {
    String::from_utf8_lossy(&out.stderr).into_owned()
}

#[test]
fn a_class_is_simulated_judged_and_assessed() {
    let folder = tempfile::tempdir().expect("a folder");
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    let lab = "protocols/descale-acid.toml";
    let out = jurado(&[
        "simulate",
        "--protocol",
        lab,
        "--sections",
        "2",
        "--teams",
        "9",
        "--seed",
        "5",
        "--slips",
        "1",
        "--out",
        &at("class"),
    ]);
    assert!(out.status.success(), "{}", told(&out));
    let truth: Value =
        serde_json::from_slice(&std::fs::read(at("class/truth.json")).expect("the truth")).expect("JSON");
    assert_eq!(truth["tables"].as_array().map(Vec::len), Some(18));
    let submissions = at("class/submissions.csv");
    let again = jurado(&[
        "simulate",
        "--protocol",
        lab,
        "--sections",
        "2",
        "--teams",
        "9",
        "--seed",
        "5",
        "--slips",
        "1",
        "--out",
        &at("again"),
    ]);
    assert!(again.status.success());
    assert_eq!(
        std::fs::read(&submissions).ok(),
        std::fs::read(at("again/submissions.csv")).ok(),
        "the same seed, the same class"
    );
    let out = jurado(&["judge", "--protocol", lab, "--submissions", &submissions, "--out", &at("verdicts.json")]);
    assert!(out.status.success(), "{}", told(&out));
    let out =
        jurado(&["assess", "--truth", &at("class/truth.json"), "--verdicts", &at("verdicts.json"), "--format", "json"]);
    assert!(out.status.success(), "{}", told(&out));
    let account: Value = serde_json::from_slice(&out.stdout).expect("JSON");
    assert_eq!(account["tables"], 18);
    let planted: u64 =
        account["kinds"].as_object().expect("kinds").values().filter_map(|k| k["planted"].as_u64()).sum();
    let in_truth: usize =
        truth["tables"].as_array().expect("tables").iter().filter_map(|t| t["planted"].as_array()).map(Vec::len).sum();
    assert_eq!(planted as usize, in_truth);
    // Verdicts on another class are not measured against this truth.
    let other = jurado(&[
        "simulate",
        "--protocol",
        lab,
        "--sections",
        "3",
        "--teams",
        "9",
        "--seed",
        "5",
        "--out",
        &at("other"),
    ]);
    assert!(other.status.success());
    jurado(&["judge", "--protocol", lab, "--submissions", &at("other/submissions.csv"), "--out", &at("others.json")]);
    let out = jurado(&["assess", "--truth", &at("class/truth.json"), "--verdicts", &at("others.json")]);
    assert_eq!(out.status.code(), Some(2));
    assert!(told(&out).contains("the truth knows no table of Afternoon"), "{}", told(&out));
}

#[test]
fn arguments_and_worlds_that_cannot_be_used_are_told() {
    let folder = tempfile::tempdir().expect("a folder");
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    let world = |text: &str| {
        std::fs::write(folder.path().join("world.toml"), text).expect("written");
        at("world.toml")
    };
    let lab = "protocols/mooring-line.toml";
    let cases: Vec<(Vec<String>, &str)> = vec![
        (vec!["--slips".into(), "1.5".into()], "1.5 is no share; write a number from 0 to 1"),
        (vec!["--teams".into(), "0".into()], "write at least 1"),
        (vec!["--habit".into(), "Morning".into()], "`Morning` names no slip; write SECTION=SLIP"),
        (vec!["--fault".into(), "none".into()], "there is no fault `none`"),
        (vec!["--world".into(), at("nowhere.toml")], "the file cannot be read"),
        (
            vec!["--world".into(), world("lab = \"mooring-line\"\nmake = [{ id = \"along\", value = \"x\" }]")],
            "uses `x`, which is not known there",
        ),
    ];
    for (more, says) in cases {
        if says.contains("uses `x`") {
            world("lab = \"mooring-line\"\nmake = [{ id = \"along\", value = \"x\" }]");
        }
        let mut arguments = vec!["simulate", "--protocol", lab, "--out"];
        let out_folder = at("out");
        arguments.push(&out_folder);
        arguments.extend(more.iter().map(String::as_str));
        let out = jurado(&arguments);
        assert_eq!(out.status.code(), Some(2), "{more:?}");
        assert!(told(&out).contains(says), "{more:?}: {}", told(&out));
        assert!(!folder.path().join("out/submissions.csv").exists(), "half a class for {more:?}");
    }
    let other = world("lab = \"keel-plate\"\n");
    let out = jurado(&["simulate", "--protocol", lab, "--world", &other, "--out", &at("out")]);
    assert!(told(&out).contains("world.toml:1:7: this is a world of `keel-plate`"), "{}", told(&out));
}

#[test]
fn an_empty_sheet_is_written_in_three_formats_and_the_same_each_time() {
    let folder = tempfile::tempdir().expect("a folder");
    for format in ["csv", "xlsx", "ods"] {
        let file = folder.path().join(format!("sheet.{format}"));
        let path = file.to_string_lossy().into_owned();
        let write =
            || jurado(&["template", "--protocol", "protocols/bilge-acid.toml", "--format", format, "--out", &path]);
        assert!(write().status.success());
        let bytes = std::fs::read(&file).expect("a sheet");
        assert!(write().status.success());
        assert_eq!(std::fs::read(&file).ok(), Some(bytes), "{format}");
        // Judging it says what is missing.
        let out = jurado(&["judge", "--protocol", "protocols/bilge-acid.toml", "--submissions", &path]);
        assert_eq!(out.status.code(), Some(2));
        assert!(told(&out).contains("the sheet names no section"), "{format}: {}", told(&out));
    }
}

#[test]
fn a_class_is_looked_at_as_json_and_as_text_and_what_cannot_be_read_is_told() {
    let folder = tempfile::tempdir().expect("a folder");
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    let lab = "protocols/rust-iron.toml";
    let out = jurado(&[
        "simulate",
        "--protocol",
        lab,
        "--sections",
        "3",
        "--teams",
        "8",
        "--seed",
        "2",
        "--habit",
        "Forenoon=one-pipette",
        "--out",
        &at("class"),
    ]);
    assert!(out.status.success(), "{}", told(&out));
    let tables = at("class/submissions.csv");
    let class = |more: &[&str]| jurado(&[&["class", "--protocol", lab, "--submissions", &tables], more].concat());
    let json: Value = serde_json::from_slice(&class(&[]).stdout).expect("JSON");
    assert_eq!((json["tables"].as_u64(), json["protocol"]["id"].as_str()), (Some(24), Some("rust-iron")));
    let first = &json["taught"][0];
    assert_eq!((first["group"].as_str(), first["by"].as_str()), (Some("Forenoon"), Some("section")), "{first}");
    assert!(first["pattern"].as_str().is_some_and(|p| p.ends_with("one-pipette")), "{first}");
    let teams = |by: &str| {
        let of = json["results"].as_array().expect("results").iter();
        of.filter(|r| r["id"] == "iron_share" || r["by"] == by).map(|r| r["teams"].as_array().map_or(0, Vec::len)).max()
    };
    assert!(teams("sample").is_some_and(|n| n > 20) && teams("section").is_some_and(|n| n > 20), "{json}");
    // The same class by the same program is the same text, on as many threads as there are.
    assert_eq!(class(&["--format", "text"]).stdout, class(&["--format", "text"]).stdout);
    let text = String::from_utf8(class(&["--format", "text"]).stdout).expect("text");
    assert!(text.contains("8 of 8 tables of section Forenoon") && text.contains("taught so?"), "{text}");
    assert!(text.contains("To say at the start of the next lab"), "{text}");
    // A ruling changes marks and no value: what the class is does not change.
    let ruling = r#"[{"id":1,"protocol":"rust-iron","code":"slip","action":{"do":"forgive"},"reason":"shown so"}]"#;
    std::fs::write(at("rulings.json"), ruling).expect("written");
    assert_eq!(class(&["--rulings", &at("rulings.json")]).stdout, class(&[]).stdout);
    for (more, says) in [
        (["--rulings", &at("none.json")], "cannot be read"),
        (["--sections", &at("class/truth.json")], "these are no settings of sections"),
    ] {
        let out = class(&more);
        assert_eq!((out.status.code(), out.stdout.len()), (Some(2), 0), "{more:?}");
        assert!(told(&out).contains(says), "{more:?}: {}", told(&out));
    }
}
