//! `jurado backup` and `jurado restore`: everything that is stored, in one file.
//!
//! The file is a ZIP of two parts: `manifest.json` says the format, the program's version and the SHA-256 of the other part,
//! `records.sql`, which MariaDB's own `mariadb-dump` writes as all was at one moment, while people work.

use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Child, Command, Stdio};

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use url::Url;
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

use jurado_store::beside::{Beside, others_at};
use jurado_store::{JobKind, changes, work_once};

use crate::commands::Outcome;
use crate::records::{Database, told};

/// Format of the file; one that is higher is not read.
const FORMAT: u32 = 1;

#[derive(Serialize, Deserialize)]
struct Manifest {
    /// Where the record ended before the records were written: `jurado verify --ends` asks whether it goes on from there.
    #[serde(default)]
    ends: Vec<String>,
    format: u32,
    program: String,
    at: String,
    sha256: String,
    bytes: u64,
}

/// A fault in one line.
fn fault(what: impl std::fmt::Display, mend: &str) -> Vec<String> {
    vec![format!("{what}; {mend}")]
}

/// A client of MariaDB's for a database. The password goes by the environment, which only the same user may read.
fn client(program: &str, url: &str, options: &[&str]) -> Result<(Command, String), Vec<String>> {
    let first = url.split([',', ' ']).next().unwrap_or(url);
    let parsed =
        Url::parse(first).map_err(|e| fault(format!("DATABASE_URL cannot be read: {e}"), "see docs/operate.md"))?;
    let decoded = |text: &str| percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned();
    let mut command = Command::new(program);
    command
        .arg("--no-defaults")
        .arg(format!("--host={}", parsed.host_str().unwrap_or("127.0.0.1")))
        .arg(format!("--port={}", parsed.port().unwrap_or(3306)))
        .arg(format!("--user={}", decoded(parsed.username())))
        .arg("--protocol=tcp")
        .arg("--default-character-set=utf8mb4")
        .args(options)
        .env("MYSQL_PWD", decoded(parsed.password().unwrap_or("")));
    Ok((command, parsed.path().trim_start_matches('/').to_owned()))
}

fn started(mut command: Command, program: &str) -> Result<Child, Vec<String>> {
    command.spawn().map_err(|e| fault(format!("{program} cannot be started: {e}"), "install Debian’s mariadb-client"))
}

/// `jurado backup`
pub(crate) fn backup(database: &Database, file: &Path) -> Outcome {
    let cannot = |e: &dyn std::fmt::Display| {
        fault(format!("{}: it cannot be written: {e}", file.display()), "choose another place")
    };
    // A file that is there already is somebody's backup.
    let unfinished = file.with_extension("part");
    if file.exists() {
        return Err(fault(format!("{} is there already", file.display()), "choose another name"));
    }
    let outcome = write_into(database, &unfinished, &cannot);
    if outcome.is_err() {
        let _ = std::fs::remove_file(&unfinished);
        return outcome;
    }
    std::fs::rename(&unfinished, file).map_err(|e| cannot(&e))
}

fn write_into(database: &Database, file: &Path, cannot: &dyn Fn(&dyn std::fmt::Display) -> Vec<String>) -> Outcome {
    const PROGRAM: &str = "mariadb-dump";
    let store = database.open();
    store.is_known().map_err(told)?;
    let ends = store.look(jurado_store::events::ends).map_err(told)?;
    drop(store);
    let options = [
        "--single-transaction",
        "--skip-lock-tables",
        "--quick",
        "--hex-blob",
        "--skip-triggers",
        "--no-tablespaces",
        "--skip-dump-date",
    ];
    let (mut command, name) = client(PROGRAM, &database.database_url, &options)?;
    command.arg(name).stdout(Stdio::piped());
    let mut child = started(command, PROGRAM)?;
    use std::os::unix::fs::OpenOptionsExt;
    let out = std::fs::OpenOptions::new()
        .write(true)
        .create(true)
        .truncate(true)
        .mode(0o600)
        .open(file)
        .map_err(|e| cannot(&e))?;
    let mut zip = ZipWriter::new(out);
    zip.start_file("records.sql", SimpleFileOptions::default().large_file(true)).map_err(|e| cannot(&e))?;
    let (mut hash, mut bytes, mut buffer) = (Sha256::new(), 0u64, vec![0; 256 * 1024]);
    let mut from = child.stdout.take().ok_or_else(|| fault("mariadb-dump gives nothing", "try again"))?;
    loop {
        let n = from.read(&mut buffer).map_err(|e| fault(e, "try again"))?;
        if n == 0 {
            break;
        }
        hash.update(&buffer[..n]);
        bytes += n as u64;
        zip.write_all(&buffer[..n]).map_err(|e| cannot(&e))?;
    }
    let ended = child.wait().map_err(|e| fault(e, "try again"))?;
    if !ended.success() {
        return Err(fault("the records could not be read to their end", "see the lines above"));
    }
    let manifest = Manifest {
        ends: ends.iter().map(ToString::to_string).collect(),
        format: FORMAT,
        program: env!("CARGO_PKG_VERSION").to_owned(),
        at: chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Secs, true),
        sha256: hex(&hash.finalize()),
        bytes,
    };
    zip.start_file("manifest.json", SimpleFileOptions::default()).map_err(|e| cannot(&e))?;
    serde_json::to_writer_pretty(&mut zip, &manifest).map_err(|e| cannot(&e))?;
    let mut out = zip.finish().map_err(|e| cannot(&e))?;
    out.flush().and_then(|()| out.sync_all()).map_err(|e| cannot(&e))?;
    println!("{bytes} bytes of records, SHA-256 {}", manifest.sha256);
    Ok(())
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// Opens a backup and checks that it is whole and of a version that can be read. Nothing is changed before that.
fn opened(file: &Path) -> Result<ZipArchive<File>, Vec<String>> {
    let broken = |e: &dyn std::fmt::Display| {
        fault(format!("{}: it is no backup that can be read: {e}", file.display()), "take another one")
    };
    let mut archive = ZipArchive::new(File::open(file).map_err(|e| broken(&e))?).map_err(|e| broken(&e))?;
    let manifest: Manifest = {
        let part = archive.by_name("manifest.json").map_err(|e| broken(&e))?;
        serde_json::from_reader(part).map_err(|e| broken(&e))?
    };
    if manifest.format > FORMAT {
        return Err(fault(
            format!("{}: it was written by Jurado {}, which is newer than this one", file.display(), manifest.program),
            "restore it with that version",
        ));
    }
    let mut hash = Sha256::new();
    {
        let mut part = archive.by_name("records.sql").map_err(|e| broken(&e))?;
        std::io::copy(&mut part, &mut hash).map_err(|e| broken(&e))?;
    }
    if hex(&hash.finalize()) != manifest.sha256 {
        return Err(broken(&"its records are not those that were written"));
    }
    Ok(archive)
}

/// The words of a file in which the ends of the record stand: those of a backup, or a text.
pub(crate) fn text_of(file: &Path) -> Result<String, Vec<String>> {
    let bytes = std::fs::read(file)
        .map_err(|e| fault(format!("{}: it cannot be read: {e}", file.display()), "name another"))?;
    if !bytes.starts_with(b"PK\x03\x04") {
        return Ok(String::from_utf8_lossy(&bytes).into_owned());
    }
    let mut text = String::new();
    opened(file)?
        .by_name("manifest.json")
        .map_err(|e| fault(e, "take another backup"))?
        .read_to_string(&mut text)
        .map_err(|e| fault(e, "take another backup"))?;
    Ok(text)
}

/// Refuses to go on while a server, or anybody else, is at the database.
fn alone(database: &Database) -> Outcome {
    // A connection that was just ended is gone within moments.
    for _ in 0..10 {
        if others_at(&database.database_url).map_err(told)? == 0 {
            return Ok(());
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    Err(fault("a server is at this database, or somebody else", "stop it first, on every node"))
}

/// `jurado restore`: into a schema beside the one in use, brought up to date, judged and checked there, and then put in its place in one
/// step.
pub(crate) fn restore(database: &Database, file: &Path, replace: bool, as_it_is: bool) -> Outcome {
    let archive = opened(file)?;
    alone(database)?;
    let people = {
        let store = database.open();
        store.look(jurado_store::users::count).map_or(0, |(all, _)| all)
    };
    if people > 0 && !replace {
        return Err(fault(
            format!("{people} people are in this database already"),
            "restore into an empty one, or write over it with --replace",
        ));
    }
    let url = database.migrate_url.as_deref().unwrap_or(&database.database_url);
    let first = url.split([',', ' ']).next().unwrap_or(url);
    let beside = Beside::begin(first).map_err(told)?;
    match made_ready(&beside, archive, as_it_is).and_then(|()| alone(database)) {
        Ok(()) => beside.switch().map_err(told)?,
        Err(faults) => {
            // What an earlier try left is taken away by the next one too.
            let _ = beside.give_up();
            return Err(faults);
        }
    }
    database.up_to_date().map(|_| ())
}

/// Writes the records into the schema, brings its tables up to date, judges what an older judge judged, and checks all.
fn made_ready(beside: &Beside, mut archive: ZipArchive<File>, as_it_is: bool) -> Outcome {
    const PROGRAM: &str = "mariadb";
    let (mut command, name) = client(PROGRAM, &beside.url(), &["--batch"])?;
    // A statement that is cut off is shown whole by the client, with all that stands in it.
    command.arg(name).stdin(Stdio::piped()).stderr(Stdio::piped());
    let mut child = started(command, PROGRAM)?;
    let mut into = child.stdin.take().ok_or_else(|| fault("mariadb takes nothing", "try again"))?;
    let mut part = archive.by_name("records.sql").map_err(|e| fault(e, "take another backup"))?;
    let copied = std::io::copy(&mut part, &mut into);
    drop(into);
    let ended = child.wait_with_output().map_err(|e| fault(e, "try again"))?;
    if copied.is_err() || !ended.status.success() {
        let said = String::from_utf8_lossy(&ended.stderr);
        let line = said.lines().find(|l| l.starts_with("ERROR")).unwrap_or("its client gave up");
        let line: String = line.chars().take(200).collect();
        return Err(fault(format!("the records could not be written to their end: {line}"), "nothing was changed"));
    }
    let store = beside.up_to_date().map_err(told)?;
    store.run(changes::ask_stale).map_err(told)?;
    while work_once(&store, JobKind::InForce).map_err(told)? {}
    let checked = jurado_store::verify::check(&store).map_err(told)?;
    let (events, faults) = store.look(jurado_store::events::check).map_err(told)?;
    println!("{} tables and {events} events are back", checked.tables);
    let mut wrong: Vec<String> =
        checked.differences.iter().map(|d| format!("sheet {} ({}): {}", d.sheet, d.place, d.what.join("; "))).collect();
    wrong.extend(checked.missing);
    wrong.extend(faults);
    if wrong.is_empty() || as_it_is {
        wrong.iter().for_each(|w| eprintln!("{w}"));
        return Ok(());
    }
    wrong.push(
        "nothing was changed; bring it back all the same with --as-it-is, if it was so when it was written".into(),
    );
    Err(wrong)
}
