//! Serving: tables up to date, protocols installed, the demo loaded once, then the web application.

use std::collections::HashMap;
use std::path::Path;

use jurado_core::submission::Submission;
use jurado_store::{Db, Role, Store, StoreError};

use crate::commands::{DEMO_SEED, Outcome};

/// Demo sign-ins: name, display, role, password, own sections.
const DEMO_PEOPLE: [(&str, &str, Role, &str, &[&str]); 3] = [
    ("coordinator", "Coordinator", Role::Coordinator, "harbour light", &[]),
    ("reviewer1", "Reviewer 1", Role::Reviewer, "morning tide", &["Morning", "Forenoon", "Afternoon"]),
    ("reviewer2", "Reviewer 2", Role::Reviewer, "evening tide", &["Forenoon", "First Dog", "Last Dog", "Evening"]),
];

fn told(e: StoreError) -> Vec<String> {
    vec![match e {
        StoreError::Unavailable(why) => {
            format!("the database cannot be reached ({why}); check that it runs and that DATABASE_URL is right")
        }
        e => e.to_string(),
    }]
}

/// `jurado migrate`
pub(crate) fn migrate(url: &str) -> Outcome {
    Store::open(url).migrate().map_err(told)
}

/// `jurado serve`
pub(crate) fn serve(url: &str, port: u16, protocols: &Path, demo: bool, demo_labs: &[String]) -> Outcome {
    env_logger::Builder::from_env(env_logger::Env::default().default_filter_or("warn")).init();
    let store = Store::open(url);
    store.migrate().map_err(told)?;
    install(&store, protocols)?;
    store.run(jurado_store::sheets::rejudge_stale).map_err(told)?;
    store.run(jurado_store::imports::recover).map_err(told)?;
    let mut greeting = format!("Jurado answers on http://127.0.0.1:{port}/");
    if demo {
        let classes = demo_classes(protocols, demo_labs)?;
        store.run(|c| load_demo(c, &classes)).map_err(told)?;
        greeting += "\nDemo sign-ins (name / password):";
        for (name, _, role, password, sections) in DEMO_PEOPLE {
            let of = if sections.is_empty() { "all sections".to_owned() } else { sections.join(", ") };
            greeting += &format!("\n  {name} / {password}   ({}, {of})", role.word());
        }
    }
    actix_web::rt::System::new()
        .block_on(jurado_web::serve(store, jurado_web::Settings { port, greeting }))
        .map_err(|e| vec![e])
}

/// Installs every protocol of a folder; one with faults stops the start with all of them named.
fn install(store: &Store, folder: &Path) -> Outcome {
    let unreadable = |e: std::io::Error| {
        vec![format!("{}:1:1: the protocols cannot be read: {e}; name their folder with --protocols", folder.display())]
    };
    let mut files: Vec<_> = std::fs::read_dir(folder)
        .map_err(unreadable)?
        .filter_map(|entry| entry.ok().map(|e| e.path()))
        .filter(|p| p.extension().is_some_and(|e| e == "toml"))
        .collect();
    files.sort();
    for file in files {
        crate::commands::load(&file)?;
        let text = std::fs::read_to_string(&file).map_err(unreadable)?;
        store.run(|c| jurado_store::labs::install(c, &text)).map_err(told)?;
    }
    Ok(())
}

/// Sections, people and the class's tables, once: a second start keeps what is there.
fn load_demo(c: &mut Db, classes: &DemoClasses) -> Result<(), StoreError> {
    let roster: Vec<(&str, &[&str])> = jurado_sim::DEMO_SECTIONS.iter().map(|(s, teams)| (*s, &teams[..])).collect();
    jurado_store::roster::add(c, &roster)?;
    let mut coordinator = None;
    for (name, display, role, password, sections) in DEMO_PEOPLE {
        let id = match jurado_store::users::id_of(c, name)? {
            Some(id) => id,
            None => jurado_store::users::put(c, name, display, role, password, sections)?,
        };
        if role == Role::Coordinator {
            coordinator = Some(jurado_store::users::get(c, id)?);
        }
    }
    let user = coordinator.ok_or(StoreError::NotFound("coordinator"))?;
    for lab in jurado_store::labs::all(c)? {
        let Some(tables) = classes.get(&lab.protocol.id) else { continue };
        if !jurado_store::docket::of_lab(c, lab.id, &user)?.is_empty() {
            continue;
        }
        for (section, _) in jurado_sim::DEMO_SECTIONS {
            let name = format!("{}-{}.csv", lab.protocol.id, section.to_lowercase().replace(' ', "-"));
            let mine: Vec<Submission> = tables.iter().filter(|t| t.section == section).cloned().collect();
            let csv = jurado_sim::class_csv(&lab.protocol, &mine);
            let import = jurado_store::imports::offer(c, lab.id, &user, &name, csv.as_bytes())?;
            jurado_store::imports::take(c, import, &user)?;
        }
    }
    Ok(())
}

/// Tables of the demo by lab.
type DemoClasses = HashMap<String, Vec<Submission>>;

/// Simulates the demo's classes: the keel plate's, and those of the labs that have a world beside their protocol.
fn demo_classes(protocols: &Path, wanted: &[String]) -> Result<DemoClasses, Vec<String>> {
    let want = |id: &str| wanted.is_empty() || wanted.iter().any(|w| w == id);
    let mut out = DemoClasses::new();
    if want("keel-plate") {
        out.insert("keel-plate".to_owned(), jurado_sim::demo_class(DEMO_SEED).tables());
    }
    for id in jurado_sim::DEMO_LABS.into_iter().filter(|id| want(id)) {
        let file = protocols.join(format!("{id}.toml"));
        // A folder of one's own need not hold the demo's labs.
        if file.exists() {
            let lab = crate::simulating::load_lab(&file, None)?;
            out.insert(id.to_owned(), jurado_sim::demo_lab(&lab, DEMO_SEED).tables);
        }
    }
    Ok(out)
}
