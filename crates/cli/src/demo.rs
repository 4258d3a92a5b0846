//! The demo: sections, three people, and the tables of a class, loaded once. Its passwords are made for each installation.

mod decided;

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use jurado_core::decision::Action;
use jurado_core::submission::Submission;
use jurado_store::roster::Student;
use jurado_store::settings::Course;
use jurado_store::users::{self, Change, NewPerson};
use jurado_store::{NewDecision, Role, Store, StoreError, User};

use crate::commands::DEMO_SEED;
use crate::records::told;

/// Name to sign in with, display, role, own sections.
const PEOPLE: [(&str, &str, Role, &[&str]); 3] = [
    ("coordinator", "Coordinator", Role::Coordinator, &[]),
    ("reviewer1", "Reviewer 1", Role::Reviewer, &["Morning", "Forenoon", "Afternoon"]),
    ("reviewer2", "Reviewer 2", Role::Reviewer, &["Forenoon", "First Dog", "Last Dog", "Evening"]),
];

/// Tables of the demo by lab.
type Classes = HashMap<String, Vec<Submission>>;

/// Loads what of the demo is not there, and gives the lines that tell its sign-ins. Where real people are, nothing is loaded.
///
/// # Errors
/// Faults of the database; a file of passwords that cannot be read or written.
pub(crate) fn load(
    store: &Store,
    protocols: &Path,
    labs: &[String],
    passwords: &Path,
) -> Result<Vec<String>, Vec<String>> {
    let (all, demo) = store.look(users::count).map_err(told)?;
    if all > demo {
        return Ok(vec![
            "The demo is not loaded: real people are here. Start with --no-demo to read this no more.".into(),
        ]);
    }
    let words = words(passwords)?;
    // Once there are sections they are the coordinator's, who may rename them and take them out.
    let fresh = store.look(jurado_store::roster::names).map_err(told)?.is_empty();
    if fresh {
        begin(store).map_err(told)?;
    }
    let coordinator = people(store, &words).map_err(told)?;
    let classes = classes(protocols, labs)?;
    if fresh {
        if classes.contains_key("keel-plate") {
            last_term(store, &coordinator).map_err(told)?;
        }
        store.run(|c| jurado_store::roster::enrol(c, &students(""), &coordinator)).map_err(told)?;
    }
    let files = files(store, &classes, &coordinator).map_err(told)?;
    for (lab, name, csv) in &files {
        store
            .run(|c| {
                let import = jurado_store::imports::offer(c, *lab, &coordinator, name, csv.as_bytes())?;
                jurado_store::imports::take(c, import, &coordinator)
            })
            .map_err(told)?;
    }
    let mut reviewed = store.look(jurado_store::labs::all).map_err(told)?;
    reviewed.retain(|l| {
        jurado_sim::DEMO_REVIEWED.contains(&l.protocol.id.as_str()) && files.iter().any(|(lab, ..)| *lab == l.id)
    });
    if !reviewed.is_empty() {
        let people = store.look(users::all).map_err(told)?;
        decided::review(store, &reviewed, &people).map_err(told)?;
    }
    let mut lines = vec![format!("Demo sign-ins (name / password), kept in {}:", passwords.display())];
    for (name, _, role, sections) in PEOPLE {
        let of = if sections.is_empty() { "all sections".to_owned() } else { sections.join(", ") };
        lines.push(format!("  {name} / {}   ({}, {of})", words[name], role.word()));
    }
    Ok(lines)
}

/// The password of each name, from the file, or made anew and kept there for whoever starts the program alone.
fn words(file: &Path) -> Result<HashMap<String, String>, Vec<String>> {
    let cannot = |what: &str, e: std::io::Error| {
        vec![format!(
            "{}:1:1: the demo’s passwords cannot be {what}: {e}; name another file with --demo-passwords",
            file.display()
        )]
    };
    let text = match std::fs::read_to_string(file) {
        Ok(text) => text,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
            let text: String = PEOPLE.iter().map(|p| format!("{} {}\n", p.0, password())).collect();
            if let Some(folder) = file.parent() {
                std::fs::create_dir_all(folder).map_err(|e| cannot("written", e))?;
            }
            write_alone(file, &text).map_err(|e| cannot("written", e))?;
            text
        }
        Err(e) => return Err(cannot("read", e)),
    };
    let words: HashMap<String, String> =
        text.lines().filter_map(|l| l.split_once(' ')).map(|(n, w)| (n.to_owned(), w.trim().to_owned())).collect();
    match PEOPLE.iter().find(|p| !words.contains_key(p.0)) {
        Some(p) => {
            Err(vec![format!("{}:1:1: it has no password for {}; delete it and start again", file.display(), p.0)])
        }
        None => Ok(words),
    }
}

fn write_alone(file: &Path, text: &str) -> std::io::Result<()> {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(file)?.write_all(text.as_bytes())
}

/// Sixteen letters and figures that cannot be taken for one another, in groups of four.
fn password() -> String {
    const LETTERS: &[u8] = b"abcdefghjkmnpqrstuvwxyz23456789";
    let bytes = jurado_store::secret().into_bytes();
    let secret: Vec<char> = bytes
        .chunks(2)
        .take(16)
        .map(|pair| {
            let value = pair.iter().fold(0usize, |v, b| v * 16 + char::from(*b).to_digit(16).unwrap_or(0) as usize);
            LETTERS[value % LETTERS.len()] as char
        })
        .collect();
    secret.chunks(4).map(|g| g.iter().collect::<String>()).collect::<Vec<_>>().join("-")
}

/// Sections and people of the demo; whoever is there keeps everything but the password of the file. Gives the coordinator.
fn people(store: &Store, words: &HashMap<String, String>) -> Result<User, StoreError> {
    for (sign_in, name, role, own) in PEOPLE {
        let secret = store.look(|c| users::secret_of(c, sign_in))?;
        let word = &words[sign_in];
        if secret.as_ref().is_some_and(|(_, hash)| users::goes_with(word, Some(hash))) {
            continue;
        }
        let hash = users::hash(word)?;
        let sections: Vec<String> = own.iter().map(|s| (*s).to_owned()).collect();
        store.run(|c| match users::id_of(c, sign_in)? {
            Some(id) => users::change(c, id, &Change::Password(&hash), None),
            None => {
                let new = NewPerson { sign_in, name, role, hash: Some(&hash), sections: &sections, demo: true };
                users::add(c, &new, None).map(|_| ())
            }
        })?;
    }
    let coordinator = store.look(|c| {
        let id = users::id_of(c, PEOPLE[0].0)?.ok_or(StoreError::NotFound("coordinator"))?;
        users::get(c, id)
    })?;
    Ok(coordinator)
}

/// Sections and teams of the demo, and what it calls them.
fn begin(store: &Store) -> Result<(), StoreError> {
    let roster: Vec<(&str, &[&str])> = jurado_sim::DEMO_SECTIONS.iter().map(|(s, teams)| (*s, &teams[..])).collect();
    store.run(|c| {
        let course = Course {
            school: "Tarn Sound Harbour College".into(),
            term: TERM.into(),
            section: "watch".into(),
            sections: "watches".into(),
            ..Course::default()
        };
        jurado_store::settings::set_course(c, &course, None)?;
        jurado_store::roster::add(c, &roster)
    })
}

/// The lab in which every fourth team works in a spreadsheet.
const BOOKED: &str = "shackle-count";

/// Names of the demo's terms: the one that runs, and the one before.
const TERM: &str = "Autumn";
const LAST_TERM: &str = "Spring";
/// Tables of the term before, so that there is something to look back at.
const LAST_TABLES: usize = 12;

/// The term before: a few tables, decided, signed, returned and put away.
fn last_term(store: &Store, user: &User) -> Result<(), StoreError> {
    store.run(|c| jurado_store::roster::enrol(c, &students("S"), user))?;
    let lab = store.look(|c| jurado_store::labs::by_slug(c, "keel-plate"))?.ok_or(StoreError::NotFound("lab"))?;
    let tables: Vec<Submission> =
        jurado_sim::demo_class(DEMO_SEED + 1).tables().into_iter().take(LAST_TABLES).collect();
    let csv = jurado_sim::class_csv(&lab.protocol, &tables);
    store.run(|c| {
        let import = jurado_store::imports::offer(c, lab.id, user, "keel-plate-spring.csv", csv.as_bytes())?;
        jurado_store::imports::take(c, import, user)
    })?;
    for row in store.look(|c| jurado_store::docket::of_lab(c, lab.id, user))? {
        store.run(|c| {
            let detail = jurado_store::sheets::get(c, row.id, user)?;
            let judged = detail.judge(&lab.protocol);
            let open = judged.findings.iter().filter(|f| f.open());
            let taken: Vec<NewDecision> = open.map(|f| NewDecision::new(&f.key, Action::Accept, "")).collect();
            if !taken.is_empty() {
                jurado_store::sheets::decide(c, row.id, detail.version, user, &taken)?;
            }
            jurado_store::sheets::sign(c, row.id, detail.version + u32::from(!taken.is_empty()), user)
        })?;
    }
    let new = jurado_store::terms::New { ends: LAST_TERM, begins: TERM, same_teams: true };
    store.run(|c| {
        jurado_store::sheets::release(c, &jurado_store::Filter::default(), user)?;
        jurado_store::terms::begin(c, &new, user)
    })?;
    Ok(())
}

/// Surnames of the demo's students, who are nobody.
const SURNAMES: [&str; 21] = [
    "Bollard", "Bowline", "Cleat", "Clew", "Davit", "Fairlead", "Fender", "Gaff", "Gunwale", "Halyard", "Jibe",
    "Lanyard", "Leech", "Luff", "Oakum", "Painter", "Quoin", "Scupper", "Thwart", "Transom", "Winch",
];

/// Two students for each team of the demo; numbers of another term begin differently.
fn students(term: &str) -> Vec<Student> {
    let teams = jurado_sim::DEMO_SECTIONS.iter().flat_map(|(s, teams)| teams.iter().map(move |t| (*s, *t)));
    teams
        .flat_map(|team| [team, team])
        .enumerate()
        .map(|(n, (section, team))| Student {
            section: section.to_owned(),
            team: team.to_owned(),
            number: format!("TS{term}{:04}", 1001 + 7 * n),
            name: format!("{}. {}", char::from(b'A' + (n / SURNAMES.len()) as u8), SURNAMES[n % SURNAMES.len()]),
        })
        .collect()
}

/// The files of labs that have no table yet: lab, name, content.
fn files(store: &Store, classes: &Classes, user: &User) -> Result<Vec<(u32, String, String)>, StoreError> {
    // In a term that the coordinator has begun nothing is the demo's to add.
    let term = store.look(jurado_store::settings::course)?.term;
    if !term.is_empty() && term != TERM {
        return Ok(Vec::new());
    }
    let labs = store.look(|c| {
        let used = jurado_store::docket::labs_in_use(c)?;
        Ok(jurado_store::labs::all(c)?.into_iter().filter(|l| !used.contains(&l.id)).collect::<Vec<_>>())
    })?;
    let mut out = Vec::new();
    for lab in labs {
        let Some(tables) = classes.get(&lab.protocol.id) else { continue };
        for (section, _) in jurado_sim::DEMO_SECTIONS {
            let name = format!("{}-{}", lab.protocol.id, section.to_lowercase().replace(' ', "-"));
            let mine: Vec<Submission> = tables.iter().filter(|t| t.section == section).cloned().collect();
            // Text has no formulas under its cells.
            let (ending, text) = match mine.iter().any(|t| t.under.is_some()) {
                true => ("json", serde_json::to_string(&mine).unwrap_or_default()),
                false => ("csv", jurado_sim::class_csv(&lab.protocol, &mine)),
            };
            out.push((lab.id, format!("{name}.{ending}"), text));
        }
    }
    log::debug!("{} files of the demo for {}", out.len(), user.name);
    Ok(out)
}

/// Ids of the labs that a folder holds.
fn in_folder(protocols: &Path) -> Vec<String> {
    let names = std::fs::read_dir(protocols).into_iter().flatten().flatten().map(|e| e.path());
    let mut ids: Vec<String> = names
        .filter(|p| p.extension().is_some_and(|e| e == "toml"))
        .filter_map(|p| Some(p.file_stem()?.to_string_lossy().into_owned()))
        .collect();
    ids.sort();
    ids
}

/// Simulates the demo's classes: of the labs asked for, else the keel plate's and those of the demo's own labs. A lab
/// needs a world beside its protocol.
///
/// # Errors
/// A lab asked for that the folder does not hold, with those it holds.
fn classes(protocols: &Path, wanted: &[String]) -> Result<Classes, Vec<String>> {
    let want = |id: &str| wanted.is_empty() || wanted.iter().any(|w| w == id);
    let there = in_folder(protocols);
    if let Some(unknown) = wanted.iter().find(|id| !there.contains(id)) {
        return Err(vec![format!(
            "--demo-lab {unknown}: the folder of protocols holds no such lab. It holds {}.",
            there.join(", ")
        )]);
    }
    let mut out = Classes::new();
    if want("keel-plate") {
        out.insert("keel-plate".to_owned(), jurado_sim::demo_class(DEMO_SEED).tables());
    }
    let demo: Vec<&str> = jurado_sim::DEMO_LABS.into_iter().chain(jurado_sim::DEMO_REVIEWED).collect();
    let own = demo.iter().map(|id| (*id).to_owned()).filter(|id| want(id));
    let more = wanted.iter().filter(|id| *id != "keel-plate" && !demo.contains(&id.as_str())).cloned();
    for id in own.chain(more) {
        let file: PathBuf = protocols.join(format!("{id}.toml"));
        // A folder of one's own need not hold the demo's labs.
        if file.exists() {
            let lab = crate::simulating::load_lab(&file, None)?;
            let mut tables = jurado_sim::demo_lab(&lab, DEMO_SEED).tables;
            if id == BOOKED {
                let booked = |table: &Submission| lab.booked(table, DEMO_SEED, 0.3).submission;
                tables.iter_mut().step_by(4).for_each(|t| *t = booked(t));
            }
            out.insert(id, tables);
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::{password, words};

    #[test]
    fn a_lab_that_the_folder_does_not_hold_is_told_with_those_it_holds() {
        let folder = tempfile::tempdir().expect("a folder");
        std::fs::write(folder.path().join("port-lens.toml"), "").expect("written");
        let told = super::classes(folder.path(), &["porthole".to_owned()]).expect_err("no such lab");
        assert!(told[0].contains("porthole") && told[0].ends_with("It holds port-lens."), "{told:?}");
    }

    #[test]
    fn passwords_are_made_once_for_an_installation_and_kept_for_its_owner_alone() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("var/demo-passwords");
        let first = words(&file).expect("made");
        assert_eq!(words(&file).expect("kept"), first);
        assert_eq!(std::fs::metadata(&file).expect("there").permissions().mode() & 0o777, 0o600);
        assert_ne!(password(), password());
        assert_eq!(first["coordinator"].len(), 19);
        std::fs::write(&file, "coordinator x\n").expect("written");
        assert!(words(&file).expect_err("names are missing")[0].contains("reviewer1"));
    }
}
