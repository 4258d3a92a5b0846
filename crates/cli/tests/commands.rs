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

/// The demo class eight times over: more tables than are read together.
fn many_teams() -> (String, Vec<Vec<String>>) {
    let folder = tempfile::tempdir().expect("a folder");
    let out = jurado(&["demo", "--out", &folder.path().to_string_lossy()]);
    assert!(out.status.success(), "{}", told(&out));
    let text = std::fs::read_to_string(folder.path().join("submissions.csv")).expect("the class");
    let (header, rows) = text.split_once('\n').expect("a header");
    let mut teams: Vec<Vec<String>> = Vec::new();
    let whose = |row: &str| row.split(',').take(2).map(str::to_owned).collect::<Vec<_>>();
    for row in rows.lines() {
        match teams.last_mut().filter(|team| whose(&team[0]) == whose(row)) {
            Some(team) => team.push(row.to_owned()),
            None => teams.push(vec![row.to_owned()]),
        }
    }
    let again = |n: usize| teams.iter().map(move |team| team.iter().map(|row| format!("{n} {row}")).collect());
    (header.to_owned(), (0..8).flat_map(again).collect())
}

/// A file in order of its teams is read a portion at a time; one in which the teams take turns cannot be cut and is read as a
/// whole. What is judged and told is the same, and a row of the last portion is named by its line in the file.
#[test]
fn a_file_read_in_portions_is_judged_as_one_that_is_read_whole() {
    let folder = tempfile::tempdir().expect("a folder");
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    let (header, mut teams) = many_teams();
    assert!(teams.len() > 600);
    teams.last_mut().expect("a team").push("9 Monday,Nobody,1,no_such_reading,,1,,,,".to_owned());
    let most = teams.iter().map(Vec::len).max().unwrap_or(0);
    let in_turn: Vec<&String> = (0..most).flat_map(|n| teams.iter().filter_map(move |team| team.get(n))).collect();
    let in_order: Vec<&String> = teams.iter().flatten().collect();
    std::fs::write(at("sections.json"), r#"{"Nowhere": {}}"#).expect("settings");
    let judged = [in_order, in_turn].map(|rows| {
        let line = 2 + rows.iter().position(|row| row.contains("no_such_reading")).expect("the row");
        let text = rows.into_iter().fold(header.clone(), |text, row| text + "\n" + row);
        std::fs::write(at("class.csv"), text).expect("a file");
        let (class, settings, verdicts) = (at("class.csv"), at("sections.json"), at("verdicts.json"));
        let lab = "protocols/keel-plate.toml";
        let to = ["--submissions", &class, "--sections", &settings, "--out", &verdicts];
        let out = jurado(&[["judge", "--protocol", lab].as_slice(), &to].concat());
        assert!(out.status.success(), "{}", told(&out));
        assert!(told(&out).contains(&format!("class.csv:{line}:")), "{}", told(&out));
        assert!(told(&out).contains("name the section `Nowhere`"), "{}", told(&out));
        std::fs::read_to_string(verdicts).expect("verdicts")
    });
    let tables: Value = serde_json::from_str(&judged[0]).expect("JSON");
    assert_eq!(tables["submissions"].as_array().map(Vec::len), Some(teams.len()));
    assert!(judged[0] == judged[1], "the verdicts of the two files differ");
}

/// Where no row can be used nothing is written, though the file could be cut.
#[test]
fn a_file_without_a_usable_row_leaves_what_was_written_before() {
    let folder = tempfile::tempdir().expect("a folder");
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    std::fs::write(at("class.csv"), "section,team,item,value\nMonday,Heron,no_such_reading,1\n").expect("a file");
    std::fs::write(at("verdicts.json"), "as it was").expect("a file");
    let (class, verdicts) = (at("class.csv"), at("verdicts.json"));
    let out =
        jurado(&["judge", "--protocol", "protocols/keel-plate.toml", "--submissions", &class, "--out", &verdicts]);
    assert_eq!(out.status.code(), Some(2));
    assert!(told(&out).contains("class.csv:2:") && told(&out).contains("no row can be used"), "{}", told(&out));
    assert_eq!(std::fs::read_to_string(verdicts).expect("the file"), "as it was");
}
