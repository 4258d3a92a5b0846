//! The core stays pure: what its manifest and sources may not name.
#![allow(missing_docs)]

use std::path::Path;

#[test]
fn the_core_knows_no_server_database_clock_or_chance() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let manifest = std::fs::read_to_string(root.join("Cargo.toml")).expect("the manifest");
    let dependencies = manifest.split("[dev-dependencies]").next().expect("a part before");
    for crate_name in ["actix", "diesel", "askama", "tokio", "rand", "chrono", "jurado-"] {
        let named = dependencies.lines().filter(|l| !l.starts_with("name")).any(|l| l.starts_with(crate_name));
        assert!(!named, "{crate_name} in the core's manifest");
    }
    let mut folders = vec![root.join("src")];
    let mut seen = 0;
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).expect("a folder").flatten() {
            let path = entry.path();
            if path.is_dir() {
                folders.push(path);
                continue;
            }
            seen += 1;
            let text = std::fs::read_to_string(&path).expect("a source");
            for word in ["std::fs", "std::env::", "SystemTime", "Instant::now", "std::net"] {
                assert!(!text.contains(word), "{word} in {}", path.display());
            }
        }
    }
    assert!(seen > 20, "the sources were read");
}
