//! What several tests use.

use std::path::Path;

use jurado_sim::Lab;

/// A lab of the library with its world.
pub(crate) fn lab(id: &str) -> Lab {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../protocols");
    let read = |p: &Path| std::fs::read_to_string(p).unwrap_or_else(|e| panic!("{}: {e}", p.display()));
    Lab::new(&read(&folder.join(format!("{id}.toml"))), &read(&folder.join(format!("worlds/{id}.toml"))))
        .unwrap_or_else(|f| panic!("{id}: {f:?}"))
}
