//! `jurado simulate` and `jurado assess`.

use std::path::{Path, PathBuf};

use jurado_sim::{Assessment, Lab, Mix, Order, Truth};

use crate::commands::{Outcome, read, told, write};

/// Names of sections: the watches, then numbers.
const WATCHES: [&str; 6] = ["Morning", "Forenoon", "Afternoon", "First Dog", "Last Dog", "Evening"];

/// An order from the command's arguments.
#[allow(clippy::too_many_arguments)]
pub(crate) fn order(
    sections: usize,
    teams: usize,
    seed: u64,
    shares: [f64; 3],
    faults: Vec<String>,
    habits: &[String],
    typing: bool,
    mix: Mix,
) -> Result<Order, Vec<String>> {
    for (share, name) in shares.iter().zip(["--slips", "--unmodelled", "--troubles"]) {
        if !(0.0..=1.0).contains(share) {
            return Err(vec![format!("{name}:1:1: {share} is no share; write a number from 0 to 1")]);
        }
    }
    if sections == 0 || teams == 0 {
        return Err(vec!["--teams:1:1: a class needs a section and a team; write at least 1".to_owned()]);
    }
    let habits = habits
        .iter()
        .map(|h| {
            let (section, slip) = h
                .split_once('=')
                .ok_or_else(|| vec![format!("--habit:1:1: `{h}` names no slip; write SECTION=SLIP")])?;
            Ok((section.to_owned(), slip.to_owned()))
        })
        .collect::<Result<Vec<_>, Vec<String>>>()?;
    let name = |n: usize| WATCHES.get(n).map_or_else(|| format!("Section {}", n + 1), |w| (*w).to_owned());
    Ok(Order {
        sections: (0..sections).map(name).collect(),
        teams,
        seed,
        slips: shares[0],
        unmodelled: shares[1],
        troubles: shares[2],
        faults,
        habits,
        typing,
        mix,
        ..Order::default()
    })
}

/// The world that belongs to a protocol's file.
fn beside(protocol: &Path) -> PathBuf {
    let name = protocol.file_name().unwrap_or_default();
    protocol.parent().unwrap_or(Path::new("")).join("worlds").join(name)
}

/// A lab from its protocol's file and its world's.
pub(crate) fn load_lab(protocol: &Path, world: Option<&Path>) -> Result<Lab, Vec<String>> {
    let world = world.map_or_else(|| beside(protocol), Path::to_path_buf);
    let text = |path: &Path| -> Result<String, Vec<String>> {
        String::from_utf8(read(path)?).map_err(|_| vec![format!("{}:1:1: not UTF-8; save it as UTF-8", path.display())])
    };
    let (of_protocol, of_world) = (text(protocol)?, text(&world)?);
    Lab::new(&of_protocol, &of_world).map_err(|(in_world, faults)| {
        let path = if in_world { &world } else { protocol };
        faults.iter().map(|f| told(path, f)).collect::<Vec<String>>()
    })
}

/// `jurado simulate`
pub(crate) fn simulate(protocol: &Path, world: Option<&Path>, order: &Order, out: &Path) -> Outcome {
    let lab = load_lab(protocol, world)?;
    let world = world.map_or_else(|| beside(protocol), Path::to_path_buf);
    for fault in &order.faults {
        if !lab.faults().any(|(id, _)| id == fault) {
            let known: Vec<&str> = lab.faults().map(|(id, _)| id).collect();
            return Err(vec![format!(
                "{}:1:1: there is no fault `{fault}`; it knows {}",
                world.display(),
                known.join(", ")
            )]);
        }
    }
    let class = lab.simulate(order);
    std::fs::create_dir_all(out)
        .map_err(|e| vec![format!("{}:1:1: cannot be made: {e}; choose another folder", out.display())])?;
    write(Some(&out.join("submissions.csv")), [jurado_sim::class_csv(&lab.protocol, &class.tables)])?;
    let truth = serde_json::to_string_pretty(&class.truth).map_err(|e| vec![e.to_string()])?;
    write(Some(&out.join("truth.json")), [truth + "\n"])
}

/// `jurado assess`
pub(crate) fn assess(truths: &[PathBuf], verdicts: &[PathBuf], json: bool, out: Option<&Path>) -> Outcome {
    if truths.len() != verdicts.len() {
        return Err(vec![format!(
            "--verdicts:1:1: {} truths and {} verdicts; give one for the other",
            truths.len(),
            verdicts.len()
        )]);
    }
    let mut all = Assessment::default();
    for (t, v) in truths.iter().zip(verdicts) {
        let truth: Truth = serde_json::from_slice(&read(t)?).map_err(|e| {
            vec![format!(
                "{}:{}:{}: this is no truth: {e}; write it with `jurado simulate`",
                t.display(),
                e.line(),
                e.column()
            )]
        })?;
        let text = String::from_utf8_lossy(&read(v)?).into_owned();
        all.add(&jurado_sim::assess(&truth, &text).map_err(|e| vec![format!("{}:{e}", v.display())])?);
    }
    let text =
        if json { serde_json::to_string_pretty(&all).map_err(|e| vec![e.to_string()])? + "\n" } else { all.to_text() };
    write(out, [text])
}
