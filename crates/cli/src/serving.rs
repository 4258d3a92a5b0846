//! Serving: tables up to date, what the folder of protocols holds looked at, the demo loaded once, then the application.

use std::collections::BTreeMap;
use std::io::Write;
use std::net::{IpAddr, TcpListener};
use std::path::{Path, PathBuf};
use std::time::Duration;

use clap::Args;
use jurado_core::protocol::Protocol;
use jurado_store::{FromFolder, Store, StoreError, changes, users};

use crate::commands::Outcome;
use crate::demo;
use crate::records::{Database, told};

#[derive(Args)]
pub(crate) struct Serve {
    #[command(flatten)]
    database: Database,
    /// Address to listen on. Anything but loopback wants a proxy with TLS in front.
    #[arg(long, default_value = "127.0.0.1")]
    bind: IpAddr,
    /// Port.
    #[arg(long, default_value_t = 8080)]
    port: u16,
    /// Address under which people reach it, such as https://jurado.example: cookies are then for HTTPS alone, requests for
    /// another host are refused, and the word of the proxy in front on whose request it is is believed. Without it, see --proxy.
    #[arg(long, value_parser = public_url)]
    public_url: Option<String>,
    /// A proxy stands in front: the last entry of its X-Forwarded-For says whose request it is. So it is with an https:// address too.
    #[arg(long)]
    proxy: bool,
    /// Protocols: labs that are not there are added, higher versions put in force, anything else told.
    #[arg(long, default_value = "protocols")]
    protocols: PathBuf,
    /// Load the demo class where no real people are.
    #[arg(long)]
    demo: bool,
    /// Labs of the demo to load; all of them if none is named.
    #[arg(long)]
    demo_lab: Vec<String>,
    /// Where the demo's passwords are kept.
    #[arg(long, default_value = "var/demo-passwords")]
    demo_passwords: PathBuf,
}

fn public_url(text: &str) -> Result<String, String> {
    let rest = text.strip_prefix("https://").or_else(|| text.strip_prefix("http://"));
    match rest {
        Some(host) if !host.is_empty() && !host.trim_end_matches('/').contains('/') => {
            Ok(text.trim_end_matches('/').to_owned())
        }
        _ => Err("write it such as https://jurado.example, without a path".to_owned()),
    }
}

/// `jurado serve`
pub(crate) fn serve(options: &Serve) -> Outcome {
    log_lines();
    let listener = TcpListener::bind((options.bind, options.port)).map_err(|e| {
        vec![format!("{} port {} cannot be used: {e}; choose another with --port", options.bind, options.port)]
    })?;
    let store = options.database.up_to_date()?;
    if store.may_change_the_record().map_err(told)? {
        eprintln!(
            "The database user who serves may change the record of who did what; name another for the tables with \
             --migrate-url (docs/operate.md)."
        );
    }
    for line in from_folder(&store, &options.protocols)? {
        eprintln!("{line}");
    }
    store.run(changes::ask_stale).map_err(told)?;
    let local = format!("http://{}:{}", options.bind, options.port);
    let address = options.public_url.clone().unwrap_or(local);
    let mut greeting = format!("Jurado answers on {address}/");
    if options.demo {
        for line in demo::load(&store, &options.protocols, &options.demo_lab, &options.demo_passwords)? {
            greeting += &format!("\n{line}");
        }
    }
    if store.look(users::count).map_err(told)?.0 == 0 {
        let secret = store.run(|c| users::invite(c, None, None)).map_err(told)?;
        greeting +=
            &format!("\nNobody can sign in yet. The first coordinator begins here, once:\n  {address}/link/{secret}");
    }
    let settings = jurado_web::Settings {
        listener,
        public_url: options.public_url.clone(),
        proxy: options.proxy,
        worlds: options.protocols.join("worlds"),
        greeting,
    };
    // Where the record ends stands in what the machine keeps of this program's words, where the database's root does not write.
    tell_ends(&store);
    let keep = store.clone();
    std::thread::spawn(move || {
        loop {
            std::thread::sleep(Duration::from_secs(3600));
            tell_ends(&keep);
        }
    });
    let served = actix_web::rt::System::new().block_on(jurado_web::serve(store.clone(), settings));
    tell_ends(&store);
    served.map_err(|e| vec![e])
}

/// Prints where the newest strands of the record end: `jurado verify --ends` reads it.
fn tell_ends(store: &Store) {
    match store.look(jurado_store::events::ends) {
        Ok(ends) => {
            let last: Vec<String> = ends.iter().rev().take(4).map(ToString::to_string).collect();
            println!("{}", last.join(" "));
        }
        Err(e) => log::warn!("where the record ends cannot be told: {e}"),
    }
}

/// One JSON object a line: time, level, place in the code, number of the request, words. What is shown is said with RUST_LOG.
fn log_lines() {
    env_logger::Builder::from_env(env_logger::Env::default().default_filter_or("warn"))
        .format(|out, record| {
            let line = serde_json::json!({
                "at": chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Millis, true),
                "level": record.level().as_str().to_lowercase(),
                "from": record.target(),
                "request": jurado_web::request_number(),
                "says": record.args().to_string(),
            });
            writeln!(out, "{line}")
        })
        .init();
}

/// Looks at every protocol of a folder, and gives the lines that tell what was not taken as it is. Nothing that is in force
/// is changed by a text that is no higher version; a file that cannot be used keeps no other from being served.
fn from_folder(store: &Store, folder: &Path) -> Result<Vec<String>, Vec<String>> {
    let entries = std::fs::read_dir(folder).map_err(|e| {
        vec![format!("{}:1:1: the protocols cannot be read: {e}; name their folder with --protocols", folder.display())]
    })?;
    let mut files: Vec<PathBuf> = entries
        .filter_map(|entry| entry.ok().map(|e| e.path()))
        .filter(|p| p.extension().is_some_and(|e| e == "toml"))
        .collect();
    files.sort();
    let (mut lines, mut by_id) = (Vec::new(), BTreeMap::<String, Vec<(PathBuf, String)>>::new());
    for file in files {
        match readable(&file) {
            Ok((id, text)) => by_id.entry(id).or_default().push((file, text)),
            Err(faults) => lines.extend(faults.into_iter().map(|f| format!("left aside: {f}"))),
        }
    }
    for (id, files) in by_id {
        match &files[..] {
            [(file, text)] => lines.extend(taken(store, file, text).map_err(told)?),
            several => {
                let names: Vec<String> = several.iter().map(|(f, _)| f.display().to_string()).collect();
                lines.push(format!("left aside: {} have one id, {id}; keep one of them", names.join(" and ")));
            }
        }
    }
    Ok(lines)
}

/// Id and text of a protocol's file, or every fault of it.
fn readable(file: &Path) -> Result<(String, String), Vec<String>> {
    let text = std::fs::read_to_string(file)
        .map_err(|e| vec![format!("{}:1:1: the file cannot be read: {e}; mend or remove it", file.display())])?;
    let protocol = Protocol::parse(&text)
        .map_err(|faults| faults.iter().map(|f| format!("{}:{f}", file.display())).collect::<Vec<_>>())?;
    Ok((protocol.id, text))
}

/// What is done with one text of the folder, in a line where a person should know.
fn taken(store: &Store, file: &Path, text: &str) -> Result<Option<String>, StoreError> {
    let name = file.display();
    Ok(match store.run(|c| jurado_store::labs::from_folder(c, text))? {
        FromFolder::Added | FromFolder::Same | FromFolder::Left => None,
        FromFolder::Newer => {
            match store.run(|c| changes::ask_in_force(c, text, None, "a higher version in the folder at a start")) {
                Ok(_) => Some(format!("{name}: it is a higher version and is being put in force")),
                // A start before this one asked for it already.
                Err(StoreError::Conflict(_)) => None,
                Err(e) => return Err(e),
            }
        }
        FromFolder::Aside { in_force, file } => Some(format!(
            "{name}: the folder holds another text, version {file}; version {in_force} stays in force. Look at it, take it, \
             or leave it on Protocols"
        )),
    })
}
