//! The core stays pure: what its manifest and sources may not name.
#![allow(missing_docs)]

use jurado_core::finding::Kind;
use std::path::Path;

/// Every source below a folder of the workspace, without the lines from a file's tests on: path and text.
fn sources(below: &Path) -> Vec<(String, String)> {
    let mut folders = vec![below.to_path_buf()];
    let mut out = Vec::new();
    while let Some(folder) = folders.pop() {
        for path in std::fs::read_dir(folder).expect("a folder").flatten().map(|e| e.path()) {
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|e| e == "rs") && path.file_name().is_some_and(|n| n != "tests.rs") {
                let text = std::fs::read_to_string(&path).expect("a source");
                let code = text.split("#[cfg(test)]\nmod tests {").next().expect("a part before").to_owned();
                out.push((path.display().to_string(), code));
            }
        }
    }
    out
}

/// What stands in string literals, roughly: the odd parts between quotation marks, comments left out.
fn literals(code: &str) -> impl Iterator<Item = &str> {
    code.lines().filter(|l| !l.trim_start().starts_with("//")).flat_map(|l| l.split('"').skip(1).step_by(2))
}

#[test]
fn codes_of_findings_stand_in_their_table_and_words_for_them_in_wording() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the crates");
    // Codes of one word are words of verdicts and marks too; those of several are a finding's alone.
    let codes: Vec<&str> = Kind::CODES.iter().copied().filter(|code| code.contains('-')).collect();
    assert!(codes.len() > 40, "{codes:?}");
    for folder in ["core/src", "web/src", "store/src", "cli/src"] {
        for (path, code) in sources(&crates.join(folder)) {
            let own = path.contains("/finding/");
            let named: Vec<&str> = literals(&code).filter(|l| !own && codes.contains(l)).collect();
            assert!(named.is_empty(), "{path} names findings by their codes, and should ask their kind: {named:?}");
        }
    }
    // The stories of slips are the protocol's variants'; all else that judging finds is a value.
    for (path, code) in sources(&crates.join("core/src/judging")) {
        let told = ["/diagnose", "/table.rs"].iter().any(|f| path.contains(f));
        let made: Vec<&str> = literals(&code).filter(|l| !told && l.split_whitespace().count() > 3).collect();
        assert!(made.is_empty(), "{path} makes sentences: {made:?}");
    }
}

#[test]
fn the_core_knows_no_server_database_clock_or_chance() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let manifest = std::fs::read_to_string(root.join("Cargo.toml")).expect("the manifest");
    let dependencies = manifest.split("[dev-dependencies]").next().expect("a part before");
    for crate_name in ["actix", "diesel", "askama", "tokio", "rand", "chrono", "jurado-"] {
        let named = dependencies.lines().filter(|l| !l.starts_with("name")).any(|l| l.starts_with(crate_name));
        assert!(!named, "{crate_name} in the core's manifest");
    }
    let read = sources(&root.join("src"));
    assert!(read.len() > 20, "the sources were read");
    for (path, code) in read {
        for word in ["std::fs", "std::env::", "SystemTime", "Instant::now", "std::net"] {
            assert!(!code.contains(word), "{word} in {path}");
        }
    }
}
