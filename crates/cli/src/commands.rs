//! What the commands do.

use std::io::Write;
use std::path::Path;

use jurado_core::decision::Ruling;
use jurado_core::error::Fault;
use jurado_core::judging::judge as judge_table;
use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::report::Report;
use jurado_core::verdict::Judged;

pub(crate) type Outcome = Result<(), Vec<String>>;

/// Seed of the demo class.
pub(crate) const DEMO_SEED: u64 = 1871;

fn read(path: &Path) -> Result<Vec<u8>, Vec<String>> {
    std::fs::read(path)
        .map_err(|e| vec![format!("{}:1:1: the file cannot be read: {e}; mend its name or its rights", path.display())])
}

fn told(path: &Path, fault: &Fault) -> String {
    format!("{}:{fault}", path.display())
}

/// Reads and checks a protocol.
pub(crate) fn load(path: &Path) -> Result<Protocol, Vec<String>> {
    let bytes = read(path)?;
    let text = String::from_utf8(bytes).map_err(|e| {
        let bytes = e.as_bytes();
        let before = String::from_utf8_lossy(&bytes[..e.utf8_error().valid_up_to()]).into_owned();
        vec![told(path, &Fault::at(&before, before.len(), "a byte that is not UTF-8", "save the protocol as UTF-8"))]
    })?;
    Protocol::parse(&text).map_err(|faults| faults.iter().map(|f| told(path, f)).collect())
}

/// Writes whole or not at all: to a file beside the target, then renamed.
fn write(out: Option<&Path>, text: &str) -> Outcome {
    let Some(path) = out else {
        let mut stdout = std::io::stdout().lock();
        // A reader that has seen enough (`| head`) is no fault of ours.
        let _ = stdout.write_all(text.as_bytes()).and_then(|()| stdout.flush());
        return Ok(());
    };
    let mut beside = path.as_os_str().to_owned();
    beside.push(".part");
    std::fs::write(&beside, text)
        .and_then(|()| std::fs::rename(&beside, path))
        .map_err(|e| vec![format!("{}:1:1: cannot be written: {e}; choose another place", path.display())])
}

/// `jurado protocol check`
pub(crate) fn check(path: &Path) -> Outcome {
    let p = load(path)?;
    println!(
        "{}: {} version {}, {} readings, {} results, {} points",
        path.display(),
        p.id,
        p.version,
        p.readings.len(),
        p.results.len(),
        p.possible
    );
    Ok(())
}

/// `jurado template`
pub(crate) fn template(protocol: &Path, out: Option<&Path>) -> Outcome {
    write(out, &jurado_intake::write_sheet(&load(protocol)?, None))
}

/// `jurado demo`
pub(crate) fn demo(seed: u64, out: &Path) -> Outcome {
    let demo = jurado_sim::demo_class(seed);
    std::fs::create_dir_all(out)
        .map_err(|e| vec![format!("{}:1:1: cannot be made: {e}; choose another folder", out.display())])?;
    write(Some(&out.join("submissions.csv")), &demo.csv())?;
    let truth = serde_json::to_string_pretty(&demo.class).map_err(|e| vec![e.to_string()])?;
    write(Some(&out.join("truth.json")), &(truth + "\n"))
}

/// `jurado judge`
pub(crate) fn judge(
    protocol: &Path,
    submissions: &Path,
    rulings: Option<&Path>,
    json: bool,
    out: Option<&Path>,
) -> Outcome {
    let protocol = load(protocol)?;
    let bytes = read(submissions)?;
    let kind = submissions.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
    let intake = match kind.as_str() {
        "json" => jurado_intake::read_json(&bytes, &protocol),
        "xlsx" | "ods" => {
            return Err(vec![format!(
                "{}:1:1: spreadsheets are not read yet; save the sheet as “CSV UTF-8” and give that",
                submissions.display()
            )]);
        }
        _ => jurado_intake::read_csv(&bytes, &protocol, None),
    }
    .map_err(|f| vec![told(submissions, &f)])?;
    let rulings: Vec<Ruling> = match rulings {
        None => Vec::new(),
        Some(path) => serde_json::from_slice(&read(path)?).map_err(|e| {
            vec![format!(
                "{}:{}:{}: these are no rulings: {e}; see docs/protocols.md",
                path.display(),
                e.line().max(1),
                e.column().max(1)
            )]
        })?,
    };
    // Rows that cannot be used do not stop the others; they are told, and the verdicts are of the rest.
    for held in &intake.held {
        eprintln!("{}", told(submissions, &held.fault));
    }
    if intake.tables.is_empty() {
        return Err(vec![format!("{}:1:1: no row can be used; mend the rows named above", submissions.display())]);
    }
    let class: Vec<Judged> = intake.tables.iter().map(|t| judge_table(&protocol, t, &rulings, &[])).collect();
    let text = if json { Report::new(&protocol, &class).to_json() } else { text_report(&protocol, &class) };
    write(out, &text)
}

/// A short account for reading in a terminal.
fn text_report(protocol: &Protocol, class: &[Judged]) -> String {
    let mut out = String::new();
    for j in class {
        let keys: Vec<String> = j.keys.iter().map(|(k, v)| format!("{k} {v}")).collect();
        out +=
            &format!("{} / {} ({}): {} of {}\n", j.section, j.team, keys.join(", "), j.score.awarded, j.score.possible);
        for r in &j.results {
            let item = &protocol.items[r.item];
            let clean = r.clean.map_or_else(|| "—".to_owned(), |_| jurado_core::judging::shown_clean(r));
            let slip = r
                .slip
                .as_ref()
                .map(|s| format!("  {} ({})", s.kind, notation::chance(s.probability)))
                .unwrap_or_default();
            out += &format!(
                "  {:<22}{:>12}  {:>12} {:<6} {}{slip}\n",
                item.id,
                r.reported.text,
                clean,
                item.unit.text,
                r.verdict.word()
            );
        }
        for f in &j.findings {
            out += &format!("  · {} [{}, −{}] {}\n", f.code, f.severity.word(), f.cost, f.says);
        }
        out.push('\n');
    }
    out
}
