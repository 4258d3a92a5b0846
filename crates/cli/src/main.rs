//! The one binary: parses arguments, calls a library, prints. Exit 0: done. Exit 2: the input cannot be used, and every
//! fault is on standard error as `file:line:column: what; how to mend`.

mod backup;
mod commands;
mod demo;
mod people;
mod records;
mod serving;
mod simulating;
mod stand_in;

use std::path::PathBuf;
use std::process::ExitCode;

use commands::{Files, Format, SheetFormat};

use clap::{Parser, Subcommand};

/// Judging makes and drops many small texts on every core at once; the system's allocator took a quarter of its time.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

#[derive(Parser)]
#[command(name = "jurado", version, about = "Judges data tables from lab sections")]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Judge submissions against a protocol.
    Judge(Files),
    /// Look at a lab over all its sections: consensus, effects of stations and sections, what was taught otherwise, what to
    /// say at the start of the next lab.
    Class(Files),
    /// Show how every result follows from the readings: formula, numbers put in, value, budget of uncertainty.
    Explain {
        /// The lab's protocol.
        #[arg(long)]
        protocol: PathBuf,
        /// Tables handed in: .csv, .xlsx, .ods or .json.
        #[arg(long)]
        submissions: PathBuf,
        /// One team alone.
        #[arg(long)]
        team: Option<String>,
        /// json or text.
        #[arg(long, value_enum, default_value_t = Format::Text)]
        format: Format,
        /// Where to write; standard output if absent.
        #[arg(long)]
        out: Option<PathBuf>,
    },
    /// Stand in for a service of the college where there is none.
    StandIn {
        #[command(subcommand)]
        which: stand_in::StandIn,
    },
    /// Simulate a class whose truth is known: submissions.csv and truth.json.
    Simulate {
        /// The lab's protocol.
        #[arg(long)]
        protocol: PathBuf,
        /// Its world; `worlds/<name of the protocol's file>` beside the protocol if absent.
        #[arg(long)]
        world: Option<PathBuf>,
        /// Sections.
        #[arg(long, default_value_t = 1)]
        sections: usize,
        /// Teams of each section.
        #[arg(long, default_value_t = 14)]
        teams: usize,
        /// Seed.
        #[arg(long, default_value_t = 1)]
        seed: u64,
        /// Share of teams with a mistake in working the table through.
        #[arg(long, default_value_t = 0.3)]
        slips: f64,
        /// Share of those mistakes that have no name.
        #[arg(long, default_value_t = 0.15)]
        unmodelled: f64,
        /// Share of teams with trouble among the readings.
        #[arg(long, default_value_t = 0.1)]
        troubles: f64,
        /// Faults of apparatus, by their ids in the world.
        #[arg(long)]
        fault: Vec<String>,
        /// A section that was taught a declared slip: SECTION=SLIP.
        #[arg(long)]
        habit: Vec<String>,
        /// Every kind of mistake as often as any other, instead of as often as people make it.
        #[arg(long)]
        even: bool,
        /// Slips of the pen in readings as often as people make them: copied wrongly into the sheet, and keyed wrongly into
        /// one calculation.
        #[arg(long, conflicts_with = "even")]
        pen: bool,
        /// Numbers and units typed in the plainest way only.
        #[arg(long)]
        plain: bool,
        /// Folder to write into.
        #[arg(long)]
        out: PathBuf,
    },
    /// Measure verdicts against the truth of a simulated class.
    Assess {
        /// truth.json of the class; several are added up.
        #[arg(long, required = true)]
        truth: Vec<PathBuf>,
        /// Verdicts on its submissions, in the same order.
        #[arg(long, required = true)]
        verdicts: Vec<PathBuf>,
        /// json or text.
        #[arg(long, value_enum, default_value_t = Format::Text)]
        format: Format,
        /// Where to write; standard output if absent.
        #[arg(long)]
        out: Option<PathBuf>,
    },
    /// Look after protocols.
    Protocol {
        #[command(subcommand)]
        command: ProtocolCommand,
    },
    /// Write an empty data sheet for students.
    Template {
        /// The lab's protocol.
        #[arg(long)]
        protocol: PathBuf,
        /// csv, xlsx or ods.
        #[arg(long, value_enum, default_value_t = SheetFormat::Csv)]
        format: SheetFormat,
        /// Where to write; standard output if absent.
        #[arg(long)]
        out: Option<PathBuf>,
    },
    /// Serve the application.
    Serve(serving::Serve),
    /// Bring the database's tables up to date.
    Migrate {
        #[command(flatten)]
        database: records::Database,
    },
    /// Look after the people who sign in.
    User {
        #[command(flatten)]
        database: records::Database,
        #[command(subcommand)]
        command: people::UserCommand,
    },
    /// Judge every stored table anew and compare it with what is kept beside it. Exit 1 where something differs.
    Verify {
        #[command(flatten)]
        database: records::Database,
        /// Put right what differs; each is written in the record.
        #[arg(long)]
        mend: bool,
        /// Check that nothing in the record was changed, put in or taken out between events.
        #[arg(long)]
        record: bool,
        /// With it, that the record goes on from the ends which this file names: a log of the server, or a backup.
        #[arg(long, value_name = "FILE")]
        ends: Option<PathBuf>,
    },
    /// Write everything that is stored into one file, while people work.
    Backup {
        #[command(flatten)]
        database: records::Database,
        /// Where to write; nothing is written over.
        file: PathBuf,
    },
    /// Bring everything back from a file that `backup` wrote, and verify it.
    Restore {
        #[command(flatten)]
        database: records::Database,
        /// The file.
        file: PathBuf,
        /// Write over a database that people are in already.
        #[arg(long)]
        replace: bool,
        /// Bring it back although its tables differ from what judging them gives: they differed when it was written.
        #[arg(long)]
        as_it_is: bool,
    },
    /// Write the demo class: its tables as CSV and what was planted in them.
    Demo {
        /// Seed.
        #[arg(long, default_value_t = commands::DEMO_SEED)]
        seed: u64,
        /// Folder to write submissions.csv and truth.json into.
        #[arg(long)]
        out: PathBuf,
    },
}

#[derive(Subcommand)]
enum ProtocolCommand {
    /// Check a protocol and say every fault.
    Check {
        /// The protocol.
        file: PathBuf,
    },
    /// Write the JSON Schema of the file format, for editors.
    Schema {
        /// Where to write; standard output if absent.
        #[arg(long)]
        out: Option<PathBuf>,
    },
}

fn main() -> ExitCode {
    let outcome = match Arguments::parse().command {
        Command::Judge(files) => commands::judge(&files),
        Command::Class(files) => commands::class(&files),
        Command::StandIn { which } => stand_in::run(&which),
        Command::Explain { protocol, submissions, team, format, out } => {
            commands::explain(&protocol, &submissions, team.as_deref(), format == Format::Json, out.as_deref())
        }
        Command::Simulate {
            protocol,
            world,
            sections,
            teams,
            seed,
            slips,
            unmodelled,
            troubles,
            fault,
            habit,
            even,
            pen,
            plain,
            out,
        } => {
            let mix = match (even, pen) {
                (true, _) => jurado_sim::Mix::Even,
                (_, true) => jurado_sim::Mix::Pen,
                _ => jurado_sim::Mix::Usual,
            };
            let order =
                simulating::order(sections, teams, seed, [slips, unmodelled, troubles], fault, &habit, !plain, mix);
            order.and_then(|order| simulating::simulate(&protocol, world.as_deref(), &order, &out))
        }
        Command::Assess { truth, verdicts, format, out } => {
            simulating::assess(&truth, &verdicts, format == Format::Json, out.as_deref())
        }
        Command::Protocol { command: ProtocolCommand::Check { file } } => commands::check(&file),
        Command::Protocol { command: ProtocolCommand::Schema { out } } => commands::schema(out.as_deref()),
        Command::Template { protocol, format, out } => commands::template(&protocol, format, out.as_deref()),
        Command::Serve(options) => serving::serve(&options),
        Command::Migrate { database } => records::migrate(&database),
        Command::User { database, command } => people::user(&database, command),
        Command::Verify { database, mend, record, ends } => {
            return records::verify(&database, mend, record, ends.as_deref());
        }
        Command::Backup { database, file } => backup::backup(&database, &file),
        Command::Restore { database, file, replace, as_it_is } => backup::restore(&database, &file, replace, as_it_is),
        Command::Demo { seed, out } => commands::demo(seed, &out),
    };
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(faults) => {
            for fault in faults {
                eprintln!("{fault}");
            }
            ExitCode::from(2)
        }
    }
}
