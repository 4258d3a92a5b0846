//! The worked examples of docs/labs: what `jurado judge` makes of each lab's table is what a script that knows nothing of
//! Jurado made of it (docs/labs/worked.py).
#![allow(missing_docs)]

use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::Value;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

#[test]
fn every_lab_comes_out_as_worked_by_other_means() {
    let folder = root().join("docs/labs");
    let worked: Value =
        serde_json::from_slice(&std::fs::read(folder.join("worked.json")).expect("worked.json")).expect("JSON");
    let worked = worked.as_object().expect("labs");
    let labs = std::fs::read_dir(root().join("protocols")).expect("protocols");
    let count = labs.filter_map(Result::ok).filter(|e| e.path().extension().is_some_and(|x| x == "toml")).count();
    assert_eq!(worked.len(), count, "a lab has no worked example");
    for (lab, results) in worked {
        assert!(folder.join(format!("{lab}.md")).exists(), "{lab}.md");
        let out = Command::new(env!("CARGO_BIN_EXE_jurado"))
            .current_dir(root())
            .args([
                "judge",
                "--protocol",
                &format!("protocols/{lab}.toml"),
                "--submissions",
                &format!("docs/labs/{lab}.csv"),
            ])
            .output()
            .expect("the command runs");
        assert!(out.status.success(), "{lab}: {}", String::from_utf8_lossy(&out.stderr));
        let report: Value = serde_json::from_slice(&out.stdout).expect("JSON");
        let judged = report["submissions"][0]["results"].as_array().expect("results");
        for (item, value) in results.as_object().expect("results") {
            let rows: Vec<(Option<u64>, &Value)> = match value.as_array() {
                Some(rows) => rows.iter().enumerate().map(|(n, v)| (Some(n as u64 + 1), v)).collect(),
                None => vec![(None, value)],
            };
            for (row, want) in rows {
                let what = format!("{lab} {item} {row:?}");
                let got = judged.iter().find(|r| r["id"] == item.as_str() && r["row"].as_u64() == row);
                let Some(got) = got else { panic!("{what} is not judged") };
                match want {
                    Value::Null => assert!(got["clean"]["value"].is_null(), "{what}"),
                    Value::String(_) => assert_eq!(got["verdict"], "agrees", "{what}"),
                    want => {
                        let (want, clean) = (want.as_f64().expect("a number"), got["clean"]["value"].as_f64());
                        let clean = clean.unwrap_or(f64::NAN);
                        assert!((clean - want).abs() <= 1e-9 * want.abs().max(1e-6), "{what}: {clean} against {want}");
                        let verdict = got["verdict"].as_str().unwrap_or("");
                        assert!(["agrees", "rounded"].contains(&verdict), "{what}: {verdict}");
                    }
                }
            }
        }
    }
}
