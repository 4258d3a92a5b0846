//! The library of labs, each with its world.
#![allow(dead_code, missing_docs)]

use std::path::{Path, PathBuf};

use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_sim::{Lab, Order};

pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Name, protocol and world of every lab.
pub(crate) fn labs() -> Vec<(String, String, String)> {
    let folder = root().join("protocols");
    let mut names: Vec<String> = std::fs::read_dir(&folder)
        .expect("the protocols")
        .filter_map(|e| e.ok()?.file_name().to_str()?.strip_suffix(".toml").map(str::to_owned))
        .collect();
    names.sort();
    let read = |p: PathBuf| std::fs::read_to_string(&p).unwrap_or_else(|e| panic!("{}: {e}", p.display()));
    names
        .into_iter()
        .map(|n| (n.clone(), read(folder.join(format!("{n}.toml"))), read(folder.join(format!("worlds/{n}.toml")))))
        .collect()
}

pub(crate) fn lab(name: &str, protocol: &str, world: &str) -> Lab {
    Lab::new(protocol, world)
        .unwrap_or_else(|(w, f)| panic!("{name}: {} {}", if w { "world" } else { "protocol" }, f[0]))
}

/// Every lab with a class of it.
pub(crate) fn classes(order: &Order) -> Vec<(String, Protocol, Vec<Submission>)> {
    labs()
        .into_iter()
        .map(|(name, text, world)| {
            let lab = lab(&name, &text, &world);
            let tables = lab.simulate(order).tables;
            (name, lab.protocol, tables)
        })
        .collect()
}
