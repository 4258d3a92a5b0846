//! `jurado user`: people who sign in, from the command line.

use std::io::{BufRead, IsTerminal};

use clap::{Subcommand, ValueEnum};
use jurado_store::users::{self, Change, NewPerson};
use jurado_store::{Role, Store, StoreError};

use crate::commands::Outcome;
use crate::records::{Database, told};

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum RoleName {
    Coordinator,
    Reviewer,
    Auditor,
}

impl From<RoleName> for Role {
    fn from(name: RoleName) -> Role {
        match name {
            RoleName::Coordinator => Role::Coordinator,
            RoleName::Reviewer => Role::Reviewer,
            RoleName::Auditor => Role::Auditor,
        }
    }
}

#[derive(Subcommand)]
pub(crate) enum UserCommand {
    /// Add a person. The password is asked for, or read from standard input; with --link a one-time link is printed instead.
    Add {
        /// Name to sign in with.
        sign_in: String,
        /// Name that others read; the name to sign in with if absent.
        #[arg(long)]
        name: Option<String>,
        #[arg(long, value_enum, default_value_t = RoleName::Reviewer)]
        role: RoleName,
        /// A section of the person's own; may be given several times.
        #[arg(long)]
        section: Vec<String>,
        #[command(flatten)]
        link: Link,
    },
    /// List all people.
    List,
    /// Set a person's password, or print a one-time link with which the person chooses one.
    Password {
        sign_in: String,
        #[command(flatten)]
        link: Link,
    },
    /// Change what a person may do.
    Role {
        sign_in: String,
        #[arg(value_enum)]
        role: RoleName,
    },
    /// Say which sections are a person's own, in place of those before.
    Sections { sign_in: String, sections: Vec<String> },
    /// Let a person sign in no more; what was decided stays.
    Close { sign_in: String },
    /// Let a person sign in again.
    Open { sign_in: String },
}

#[derive(clap::Args)]
pub(crate) struct Link {
    /// Print a one-time link instead of asking for a password.
    #[arg(long)]
    link: bool,
    /// Address under which people reach the application, for the link.
    #[arg(long, default_value = "http://127.0.0.1:8080")]
    public_url: String,
}

impl Link {
    fn print(&self, secret: &str) {
        println!("{}/link/{secret}", self.public_url.trim_end_matches('/'));
    }
}

/// A password from the terminal, twice, without showing it; from standard input where that is no terminal.
fn ask(sign_in: &str) -> Result<String, Vec<String>> {
    let broken = |e: std::io::Error| vec![format!("the password could not be read: {e}")];
    let password = if std::io::stdin().is_terminal() {
        let first = rpassword::prompt_password(format!("Password for {sign_in}: ")).map_err(broken)?;
        let again = rpassword::prompt_password("The same once more: ").map_err(broken)?;
        if first != again {
            return Err(vec!["the two do not agree; type the same password twice".to_owned()]);
        }
        first
    } else {
        let mut line = String::new();
        std::io::stdin().lock().read_line(&mut line).map_err(broken)?;
        line.trim_end_matches(['\r', '\n']).to_owned()
    };
    users::check_password(sign_in, &password).map_err(told)?;
    Ok(password)
}

fn find(store: &Store, sign_in: &str) -> Result<u32, Vec<String>> {
    store
        .look(|c| users::id_of(c, sign_in))
        .map_err(told)?
        .ok_or_else(|| vec![format!("nobody signs in as “{sign_in}”; see `jurado user list`")])
}

fn change(store: &Store, sign_in: &str, what: &Change<'_>) -> Outcome {
    let id = find(store, sign_in)?;
    store.run(|c| users::change(c, id, what, None)).map_err(told)
}

/// `jurado user`
pub(crate) fn user(database: &Database, command: UserCommand) -> Outcome {
    let store = database.up_to_date()?;
    match command {
        UserCommand::Add { sign_in, name, role, section, link } => {
            let hash = match link.link {
                true => None,
                false => Some(users::hash(&ask(&sign_in)?).map_err(told)?),
            };
            let new = NewPerson {
                sign_in: &sign_in,
                name: name.as_deref().unwrap_or(&sign_in),
                role: role.into(),
                hash: hash.as_deref(),
                sections: &section,
                demo: false,
            };
            let secret = store
                .run(|c| {
                    let id = users::add(c, &new, None)?;
                    if link.link { users::invite(c, Some(id), None).map(Some) } else { Ok(None) }
                })
                .map_err(told)?;
            if let Some(secret) = secret {
                link.print(&secret);
            }
            Ok(())
        }
        UserCommand::List => list(&store),
        UserCommand::Password { sign_in, link } => {
            let id = find(&store, &sign_in)?;
            if link.link {
                let secret = store.run(|c| users::invite(c, Some(id), None)).map_err(told)?;
                link.print(&secret);
                return Ok(());
            }
            let hash = users::hash(&ask(&sign_in)?).map_err(told)?;
            store.run(|c| users::change(c, id, &Change::Password(&hash), None)).map_err(told)
        }
        UserCommand::Role { sign_in, role } => change(&store, &sign_in, &Change::Role(role.into())),
        UserCommand::Sections { sign_in, sections } => change(&store, &sign_in, &Change::Sections(&sections)),
        UserCommand::Close { sign_in } => change(&store, &sign_in, &Change::Close),
        UserCommand::Open { sign_in } => change(&store, &sign_in, &Change::Open),
    }
}

fn list(store: &Store) -> Outcome {
    let rows = store
        .look(|c| {
            let sections: Vec<(u32, String)> = jurado_store::roster::names(c)?;
            Ok::<_, StoreError>((users::all(c)?, sections))
        })
        .map_err(told)?;
    let (people, sections) = rows;
    for p in people {
        let own: Vec<&str> =
            sections.iter().filter(|(id, _)| p.sections.contains(id)).map(|(_, n)| n.as_str()).collect();
        let of = if p.sees_all() { "all sections".to_owned() } else { own.join(", ") };
        let closed = if p.closed { "   closed" } else { "" };
        println!("{}   {}   {}   {of}{closed}", p.sign_in, p.name, p.role.word());
    }
    Ok(())
}
