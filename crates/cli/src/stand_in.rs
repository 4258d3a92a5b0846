//! Small services that take the place of the college's where there are none.

use std::net::{IpAddr, Ipv4Addr};
use std::path::PathBuf;

use clap::Subcommand;
use jurado_college::door;
use jurado_college::scores::Person;
use jurado_college::stand_in::{Faults, Settings, serve};

use crate::commands::Outcome;

#[derive(Subcommand)]
pub(crate) enum StandIn {
    /// A gradebook with the score interface, kept in memory.
    Gradebook {
        /// Port on loopback.
        #[arg(long, default_value_t = 8095)]
        port: u16,
        /// Token that it asks for.
        #[arg(long, default_value = "made up")]
        token: String,
        /// A roster (section,team,number,name); without one it takes any student.
        #[arg(long)]
        roster: Option<PathBuf>,
        /// Milliseconds before each answer.
        #[arg(long, default_value_t = 0)]
        delay_ms: u64,
        /// Scores that it does not take at first.
        #[arg(long, default_value_t = 0)]
        fail: u32,
        /// Scores whose answer is lost.
        #[arg(long, default_value_t = 0)]
        lose: u32,
    },
    /// A college's door that speaks OpenID Connect: people sign in by saying who they are.
    Door {
        /// Port on loopback.
        #[arg(long, default_value_t = 8096)]
        port: u16,
        /// Name of the client that it knows.
        #[arg(long, default_value = "jurado")]
        client: String,
        /// Secret of that client.
        #[arg(long, default_value = "made up")]
        secret: String,
        /// People that it knows; without any it takes everybody.
        #[arg(long)]
        person: Vec<String>,
    },
}

/// `jurado stand-in`
pub(crate) fn run(which: &StandIn) -> Outcome {
    let (port, token, roster, delay_ms, fail, lose) = match which {
        StandIn::Gradebook { port, token, roster, delay_ms, fail, lose } => (port, token, roster, delay_ms, fail, lose),
        StandIn::Door { port, client, secret, person } => {
            let settings = door::Settings {
                bind: IpAddr::V4(Ipv4Addr::LOCALHOST),
                port: *port,
                client: client.clone(),
                secret: secret.clone(),
                people: person.clone(),
            };
            return actix_web::rt::System::new().block_on(door::serve(settings)).map_err(|e| vec![e]);
        }
    };
    let roster = match roster {
        None => Vec::new(),
        Some(file) => {
            let at = file.display();
            let bytes =
                std::fs::read(file).map_err(|e| vec![format!("{at}:1:1: cannot be read: {e}; name another file")])?;
            let lines = jurado_intake::read_roster(&bytes)
                .map_err(|f| vec![format!("{at}:{}:{}: {}; {}", f.line, f.column, f.what, f.mend)])?;
            let person = |l: jurado_intake::RosterLine| Person {
                section: l.section,
                team: l.team,
                number: l.number,
                name: l.name,
            };
            lines.into_iter().map(person).collect()
        }
    };
    let settings = Settings {
        bind: IpAddr::V4(Ipv4Addr::LOCALHOST),
        port: *port,
        token: token.clone(),
        roster,
        faults: Faults { delay_ms: *delay_ms, fail: *fail, lose: *lose, twice: 0 },
    };
    actix_web::rt::System::new().block_on(serve(settings)).map_err(|e| vec![e])
}
