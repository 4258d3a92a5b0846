//! What the commands do.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::mpsc::sync_channel;

use jurado_core::class::{ClassReport, Entry};
use jurado_core::decision::Ruling;
use jurado_core::error::Fault;
use jurado_core::judging::judge_in;
use jurado_core::notation;
use jurado_core::protocol::Protocol;
use jurado_core::report;
use jurado_core::section::Section;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;
use jurado_core::wording;
use jurado_intake::{Effort, Intake, Portions};

/// Whether something is told to a program or to a person.
#[derive(Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum Format {
    Json,
    Text,
}

/// Tables of a lab with what they are judged by, and where to tell of them.
#[derive(clap::Args)]
pub(crate) struct Files {
    /// The lab's protocol.
    #[arg(long)]
    protocol: PathBuf,
    /// Tables handed in: .csv, .xlsx, .ods or .json.
    #[arg(long)]
    submissions: PathBuf,
    /// Rulings in force, as JSON.
    #[arg(long)]
    rulings: Option<PathBuf>,
    /// Settings of sections by name, as JSON: parameters, waivers, source of the readings.
    #[arg(long)]
    sections: Option<PathBuf>,
    /// json or text.
    #[arg(long, value_enum, default_value_t = Format::Json)]
    format: Format,
    /// Where to write; standard output if absent.
    #[arg(long)]
    out: Option<PathBuf>,
}

/// Formats of an empty data sheet.
#[derive(Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum SheetFormat {
    Csv,
    Xlsx,
    Ods,
}

pub(crate) type Outcome = Result<(), Vec<String>>;

/// Seed of the demo class.
pub(crate) const DEMO_SEED: u64 = 1871;

pub(crate) fn read(path: &Path) -> Result<Vec<u8>, Vec<String>> {
    std::fs::read(path).map_err(|e| unread(path, &e))
}

fn unread(path: &Path, e: &std::io::Error) -> Vec<String> {
    vec![format!("{}:1:1: the file cannot be read: {e}; mend its name or its rights", path.display())]
}

pub(crate) fn told(path: &Path, fault: &Fault) -> String {
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
pub(crate) fn write(out: Option<&Path>, parts: impl IntoIterator<Item = String>) -> Outcome {
    write_bytes(out, parts.into_iter().map(|part| Ok(part.into_bytes())))
}

/// As [`write`]; a part that could not be made ends it.
fn write_bytes(out: Option<&Path>, parts: impl IntoIterator<Item = Result<Vec<u8>, Vec<String>>>) -> Outcome {
    let Some(path) = out else {
        return match write_parts(&mut std::io::stdout().lock(), parts) {
            // A reader that has seen enough (`| head`) is no fault of ours.
            Ok(()) | Err(Stopped::Writing(_)) => Ok(()),
            Err(Stopped::Making(faults)) => Err(faults),
        };
    };
    let told = |stopped: Stopped| match stopped {
        Stopped::Making(faults) => faults,
        Stopped::Writing(e) => vec![format!("{}:1:1: cannot be written: {e}; choose another place", path.display())],
    };
    // A device or a pipe is written into: a file renamed over it would put an end to it.
    if std::fs::metadata(path).is_ok_and(|m| !m.is_file()) {
        let into = std::fs::OpenOptions::new().write(true).open(path);
        return into.map_err(Stopped::Writing).and_then(|mut file| write_parts(&mut file, parts)).map_err(told);
    }
    let mut beside = path.as_os_str().to_owned();
    beside.push(".part");
    std::fs::File::create(&beside)
        .map_err(Stopped::Writing)
        .and_then(|mut file| write_parts(&mut file, parts))
        .and_then(|()| std::fs::rename(&beside, path).map_err(Stopped::Writing))
        .map_err(told)
}

/// What put an end to writing.
enum Stopped {
    /// The place could not take what was written.
    Writing(std::io::Error),
    /// The next part could not be made: what is told of it.
    Making(Vec<String>),
}

/// Writes parts as they are made, up to the first that could not be.
fn write_parts(
    to: &mut dyn Write,
    parts: impl IntoIterator<Item = Result<Vec<u8>, Vec<String>>>,
) -> Result<(), Stopped> {
    for part in parts {
        to.write_all(&part.map_err(Stopped::Making)?).map_err(Stopped::Writing)?;
    }
    to.flush().map_err(Stopped::Writing)
}

/// `jurado protocol check`
pub(crate) fn check(path: &Path) -> Outcome {
    let p = load(path)?;
    let faults = jurado_core::instructor::faults(&p);
    if !faults.is_empty() {
        return Err(faults.iter().map(|f| told(path, f)).collect());
    }
    for warning in &p.warnings {
        eprintln!(
            "{}:{}:{}: look again: {}; {}",
            path.display(),
            warning.line,
            warning.column,
            warning.what,
            warning.mend
        );
    }
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
pub(crate) fn template(protocol: &Path, format: SheetFormat, out: Option<&Path>) -> Outcome {
    let protocol = load(protocol)?;
    let failed = |e: &dyn std::fmt::Display| vec![format!("1:1: the sheet cannot be written: {e}; use another format")];
    let bytes = match format {
        SheetFormat::Csv => return write(out, [jurado_intake::write_sheet(&protocol, None)]),
        SheetFormat::Xlsx => jurado_intake::write_xlsx(&protocol, None).map_err(|e| failed(&e))?,
        SheetFormat::Ods => jurado_intake::write_ods(&protocol, None).map_err(|e| failed(&e))?,
    };
    write_bytes(out, [Ok(bytes)])
}

/// `jurado demo`
pub(crate) fn demo(seed: u64, out: &Path) -> Outcome {
    let demo = jurado_sim::demo_class(seed);
    let keel = load(Path::new("protocols/keel-plate.toml"))?;
    std::fs::create_dir_all(out)
        .map_err(|e| vec![format!("{}:1:1: cannot be made: {e}; choose another folder", out.display())])?;
    write(Some(&out.join("submissions.csv")), [jurado_sim::class_csv(&keel, &demo.tables())])?;
    let truth = serde_json::to_string_pretty(&demo.class).map_err(|e| vec![e.to_string()])?;
    write(Some(&out.join("truth.json")), [truth + "\n"])
}

/// All that tables are judged by.
struct Given {
    protocol: Protocol,
    rulings: Vec<Ruling>,
    sections: Sections,
    usual: Section,
}

impl Given {
    fn load(files: &Files) -> Result<Given, Vec<String>> {
        let protocol = load(&files.protocol)?;
        let sections = section_settings(&protocol, files.sections.as_deref())?;
        let rulings: Vec<Ruling> = match &files.rulings {
            None => Vec::new(),
            Some(path) => json_file(path, "rulings")?,
        };
        Ok(Given { protocol, rulings, sections, usual: Section::default() })
    }

    fn judge(&self, table: &Submission) -> Judged {
        let settings = self.sections.get(&table.section).unwrap_or(&self.usual);
        judge_in(&self.protocol, settings, table, &self.rulings, &[])
    }

    /// The tables as they are read. At the end it is told which settings name a section that no table belongs to.
    fn tables<'a>(&'a self, files: &'a Files) -> Result<impl Iterator<Item = Portion> + Send + 'a, Vec<String>> {
        let mut portions = tables(&self.protocol, &files.submissions)?;
        let mut unseen: BTreeSet<&str> = self.sections.keys().map(String::as_str).collect();
        Ok(std::iter::from_fn(move || {
            let portion = portions.next();
            match &portion {
                Some(Ok(tables)) => unseen.retain(|name| tables.iter().all(|t| t.section != *name)),
                Some(Err(_)) => unseen.clear(),
                None => std::mem::take(&mut unseen).iter().for_each(|name| {
                    eprintln!(
                        "the settings name the section `{name}`, of which no table is here; mend its spelling if it should be"
                    );
                }),
            }
            portion
        }))
    }
}

/// `jurado class`
pub(crate) fn class(files: &Files) -> Outcome {
    let given = Given::load(files)?;
    let one = |t: &Submission| Entry::of(&given.protocol, &given.judge(t));
    let tables = given.tables(files)?;
    let entries: Vec<Vec<Entry>> = std::thread::scope(|scope| in_order(scope, tables, &one).collect::<Result<_, _>>())?;
    let entries: Vec<Entry> = entries.into_iter().flatten().collect();
    let report = ClassReport::new(&given.protocol, &entries);
    let text = match files.format {
        // Its numbers and texts cannot fail to be written.
        Format::Json => serde_json::to_string(&report).unwrap_or_default() + "\n",
        Format::Text => report.to_text(),
    };
    write(files.out.as_deref(), [text])
}

/// `jurado judge`
pub(crate) fn judge(files: &Files) -> Outcome {
    let given = Given::load(files)?;
    let protocol = &given.protocol;
    let json = files.format == Format::Json;
    let told = |t: &Submission| {
        let judged = given.judge(t);
        if json { report::table(protocol, &judged) } else { text_report(protocol, &judged) }
    };
    let (head, between, tail) =
        if json { (report::head(protocol), ",\n", report::TAIL) } else { (String::new(), "", "") };
    let tables = given.tables(files)?;
    std::thread::scope(|scope| {
        let mut chunks = in_order(scope, tables, &told).peekable();
        // Where no table can be read nothing is written.
        if let Some(Err(faults)) = chunks.next_if(Result::is_err) {
            return Err(faults);
        }
        let parts = chunks.enumerate().map(|(n, texts)| {
            let texts = texts?.join(between);
            Ok(if n == 0 { texts } else { format!("{between}{texts}") })
        });
        let whole = std::iter::once(Ok(head)).chain(parts).chain(std::iter::once(Ok(tail.to_owned())));
        write_bytes(files.out.as_deref(), whole.map(|part| part.map(String::into_bytes)))
    })
}

/// Tables judged at a time by one thread: a whole course's verdicts need not be held in memory.
const CHUNK: usize = 64;

/// Tables read at a time at least, where a file can be cut between them.
const PORTION: usize = 512;

/// Tables that were read together, or what stands in the way of all.
type Portion = Result<Vec<Submission>, Vec<String>>;

/// What `one` makes of every table, chunk by chunk, in the order of the tables. One thread reads them; there is a thread for
/// each core, and they take the chunks in turn. None runs more than a few chunks ahead of who takes what is made.
fn in_order<'scope, T: Send + 'scope>(
    scope: &'scope std::thread::Scope<'scope, '_>,
    portions: impl Iterator<Item = Portion> + Send + 'scope,
    one: &'scope (dyn Fn(&Submission) -> T + Sync),
) -> impl Iterator<Item = Result<Vec<T>, Vec<String>>> {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let (readers, threads): (Vec<_>, Vec<_>) = (0..cores)
        .map(|_| {
            let (read, chunks) = sync_channel::<Portion>(2);
            let (done, made) = sync_channel(2);
            scope.spawn(move || {
                for chunk in chunks {
                    // Nobody listens any more where writing has failed.
                    if done.send(Some(chunk.map(|tables| tables.iter().map(one).collect()))).is_err() {
                        return;
                    }
                }
                let _ = done.send(None);
            });
            (read, made)
        })
        .unzip();
    scope.spawn(move || {
        let chunks = portions.flat_map(chunks);
        for (chunk, reader) in chunks.zip(readers.iter().cycle()) {
            if reader.send(chunk).is_err() {
                break;
            }
        }
    });
    // A thread that has panicked has been told, and sends no more: its tables would be missing, so the whole stops.
    let stopped = || std::panic::resume_unwind(Box::new("a thread that judges has stopped"));
    (0..).map_while(move |n: usize| threads[n % cores].recv().unwrap_or_else(|_| stopped()))
}

/// The tables of a portion, as many together as one thread judges at a time.
fn chunks(portion: Portion) -> Vec<Portion> {
    match portion {
        Err(faults) => vec![Err(faults)],
        Ok(tables) => {
            let mut tables = tables.into_iter().peekable();
            let mut chunks = Vec::new();
            while tables.peek().is_some() {
                chunks.push(Ok(tables.by_ref().take(CHUNK).collect()));
            }
            chunks
        }
    }
}

/// Settings of sections by name, for `--sections`.
type Sections = BTreeMap<String, Section>;

fn section_settings(protocol: &Protocol, path: Option<&Path>) -> Result<Sections, Vec<String>> {
    let Some(path) = path else { return Ok(Sections::new()) };
    let sections: Sections = json_file(path, "settings of sections")?;
    match sections.iter().find_map(|(name, s)| Some((name, s.unknown(protocol)?))) {
        None => Ok(sections),
        Some((section, (what, name))) => Err(vec![format!(
            "{}:1:1: the settings of `{section}` name the {what} `{name}`, which the protocol does not have; mend its spelling",
            path.display()
        )]),
    }
}

fn json_file<T: serde::de::DeserializeOwned>(path: &Path, what: &str) -> Result<T, Vec<String>> {
    serde_json::from_slice(&read(path)?).map_err(|e| {
        vec![format!(
            "{}:{}:{}: these are no {what}: {e}; see docs/protocols.md",
            path.display(),
            e.line().max(1),
            e.column().max(1)
        )]
    })
}

/// `jurado explain`
pub(crate) fn explain(
    protocol: &Path,
    submissions: &Path,
    team: Option<&str>,
    json: bool,
    out: Option<&Path>,
) -> Outcome {
    let protocol = load(protocol)?;
    let tables: Vec<Vec<Submission>> = tables(&protocol, submissions)?.collect::<Result<_, _>>()?;
    let mut text = String::new();
    let mut all = Vec::new();
    for table in tables.iter().flatten().filter(|t| team.is_none_or(|name| t.team == name)) {
        let judged = judge_in(&protocol, &Section::default(), table, &[], &[]);
        let explained = jurado_core::explain::explain(&protocol, &judged);
        text += &format!("{} / {}\n{}\n", table.section, table.team, jurado_core::explain::to_text(&explained));
        all.push(serde_json::json!({ "section": table.section, "team": table.team, "results": explained }));
    }
    if all.is_empty() {
        return Err(vec![format!(
            "{}:1:1: there is no team `{}`; mend its name",
            submissions.display(),
            team.unwrap_or_default()
        )]);
    }
    if json {
        text = serde_json::to_string_pretty(&all).map_err(|e| vec![e.to_string()])? + "\n";
    }
    write(out, [text])
}

/// `jurado protocol schema`
pub(crate) fn schema(out: Option<&Path>) -> Outcome {
    write(out, [jurado_core::protocol::schema() + "\n"])
}

/// The tables of a file, a portion at a time where it can be cut between teams. Rows that cannot be used do not stop the
/// others; they are told, and the verdicts are of the rest.
fn tables<'a>(
    protocol: &'a Protocol,
    submissions: &'a Path,
) -> Result<impl Iterator<Item = Portion> + Send + 'a, Vec<String>> {
    let mut intakes = intakes(protocol, submissions)?;
    let mut none = true;
    Ok(std::iter::from_fn(move || {
        let intake = match intakes.next() {
            Some(intake) => intake.map_err(|f| vec![told(submissions, &f)]),
            None if std::mem::take(&mut none) => {
                Err(vec![format!("{}:1:1: no row can be used; mend the rows named above", submissions.display())])
            }
            None => return None,
        };
        none &= intake.as_ref().is_ok_and(|i| i.tables.is_empty());
        Some(intake.map(|intake| {
            for held in &intake.held {
                eprintln!("{}", told(submissions, &held.fault));
            }
            intake.tables
        }))
    }))
}

/// What a file gives, in portions or as a whole.
fn intakes<'a>(
    protocol: &'a Protocol,
    submissions: &'a Path,
) -> Result<Box<dyn Iterator<Item = Result<Intake, Fault>> + Send + 'a>, Vec<String>> {
    let kind = submissions.extension().and_then(|e| e.to_str()).unwrap_or("").to_lowercase();
    let json = kind == "json";
    let portions = if json { None } else { Portions::of(submissions, PORTION).map_err(|e| unread(submissions, &e))? };
    if let Some(mut portions) = portions {
        return Ok(Box::new(std::iter::from_fn(move || portions.next(protocol))));
    }
    let bytes = read(submissions)?;
    // The effort is that of the thread which reads.
    Ok(Box::new(std::iter::once_with(move || {
        let effort = Effort::command(bytes.len());
        if json {
            jurado_intake::read_json(&bytes, protocol, &effort)
        } else {
            jurado_intake::read_file(&bytes, protocol, None, &effort, None)
        }
    })))
}

/// A short account for reading in a terminal.
fn text_report(protocol: &Protocol, j: &Judged) -> String {
    let mut out = String::new();
    let keys: Vec<String> = j.keys.iter().map(|(k, v)| format!("{k} {v}")).collect();
    out += &format!(
        "{} / {} ({}): {} of {}\n",
        j.section,
        j.team,
        keys.join(", "),
        j.score.awarded.normalize(),
        j.score.possible.normalize()
    );
    for r in &j.results {
        let item = &protocol.items[r.item];
        let clean = r.clean.map_or_else(|| "—".to_owned(), |_| jurado_core::judging::shown_clean(r));
        let slip =
            r.slip.as_ref().map(|s| format!("  {} ({})", s.kind, notation::chance(s.probability))).unwrap_or_default();
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
        out += &format!("  · {} [{}, −{}] {}\n", f.code(), f.severity.word(), f.cost, wording::says(protocol, f));
    }
    out.push('\n');
    out
}
