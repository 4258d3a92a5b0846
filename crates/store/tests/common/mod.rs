//! A world of one lab, two sections and two people, on a database of its own.
#![allow(dead_code, missing_docs)]

use diesel::connection::SimpleConnection;
use diesel::{Connection as _, MysqlConnection};
use jurado_core::decision::Action;
use jurado_store::{
    Db, JobState, NewDecision, Role, Store, StoreError, User, changes, docket, imports, labs, roster, sheets, users,
    verify,
};

pub(crate) const KEEL_PLATE: &str = include_str!("../../../../crates/core/tests/labs/plate-and-disc.toml");
pub(crate) const HEADER: &str = "section,team,station,item,row,value,unit,plus_minus,excluded,note\n";

pub(crate) struct World {
    pub(crate) store: Store,
    pub(crate) coordinator: User,
    pub(crate) reviewer: User,
    pub(crate) lab: u32,
    pub(crate) database: String,
}

pub(crate) fn world(name: &str) -> World {
    let url = std::env::var("TEST_DATABASE_URL").expect("TEST_DATABASE_URL names a throwaway MariaDB: run ./test");
    let database = format!("jurado_store_{name}");
    let mut root = MysqlConnection::establish(&url).expect("the test server answers");
    root.batch_execute(&format!(
        "DROP DATABASE IF EXISTS {database}; CREATE DATABASE {database} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
    ))
    .expect("a fresh database");
    let base = url.rsplit_once('/').expect("a database in the URL").0;
    let store = Store::open(&format!("{base}/{database}"));
    store.migrate().expect("migrated");
    let (coordinator, reviewer, lab) = store
        .run(|c| {
            roster::add(c, &[("Morning", &["Alfa", "Bittern"]), ("Evening", &["Zulu"])])?;
            let person = |sign_in, name, role, sections| users::NewPerson {
                sign_in,
                name,
                role,
                hash: Some("no password goes with this"),
                sections,
                demo: false,
            };
            let coordinator = users::add(c, &person("chief", "Chief", Role::Coordinator, &[]), None)?;
            let reviewer = users::add(c, &person("rev", "Rev", Role::Reviewer, &["Morning".to_owned()]), None)?;
            let lab = labs::install(c, KEEL_PLATE)?.id;
            Ok((users::get(c, coordinator)?, users::get(c, reviewer)?, lab))
        })
        .expect("a world");
    World { store, coordinator, reviewer, lab, database }
}

/// A table with one slip: the volume of the plate has its decimal point astray.
pub(crate) fn csv(section: &str, team: &str, volume: &str) -> String {
    let mut out = HEADER.to_owned();
    for (item, row, value, unit) in [
        ("zero", "", "0.04", "mm"),
        ("plate_length", "", "84.44", "mm"),
        ("plate_width", "", "41.92", "mm"),
        ("plate_thickness", "", "8.62", "mm"),
        ("plate_mass", "", "81.89", "g"),
        ("plate_volume", "", volume, "cm3"),
    ] {
        out += &format!("{section},{team},1,{item},{row},{value},{unit},,,\n");
    }
    out
}

impl World {
    pub(crate) fn run<T>(&self, work: impl FnMut(&mut Db) -> Result<T, StoreError>) -> T {
        self.store.run(work).expect("database work")
    }

    pub(crate) fn bring(&self, text: &str) -> imports::Taken {
        self.run(|c| {
            let id = imports::offer(c, self.lab, &self.coordinator, "class.csv", text.as_bytes())?;
            imports::take(c, id, &self.coordinator)
        })
    }

    pub(crate) fn sheet(&self, team: &str) -> u32 {
        let rows = self.run(|c| docket::of_lab(c, self.lab, &self.coordinator));
        rows.iter().find(|r| r.team == team).expect("a sheet").id
    }

    /// Puts a text in force, with all that follows. Gives how many tables were judged anew.
    pub(crate) fn put_in_force(&self, source: &str) -> Result<u32, StoreError> {
        let job = self.store.run(|c| changes::ask_in_force(c, source, Some(&self.coordinator), "a test"))?;
        let done = jurado_store::work_on(&self.store, job.id)?;
        assert_eq!(done.state, JobState::Done, "{}", done.outcome);
        Ok(done.total)
    }

    /// Judges every table anew and gives what differs from what is kept.
    pub(crate) fn differences(&self) -> Vec<verify::Difference> {
        let checked = verify::check(&self.store).expect("checked");
        assert!(checked.missing.is_empty(), "{:?}", checked.missing);
        checked.differences
    }

    /// Takes everything that is proposed about a table. Gives the version it has then.
    pub(crate) fn decide_all(&self, id: u32) -> u32 {
        let detail = self.run(|c| sheets::get(c, id, &self.coordinator));
        let lab = self.run(|c| labs::get(c, detail.lab_id));
        let open: Vec<NewDecision> = detail
            .judge(&lab.protocol)
            .findings
            .iter()
            .filter(|f| f.open())
            .map(|f| NewDecision::new(&f.key, Action::Accept, ""))
            .collect();
        self.run(|c| sheets::decide(c, id, detail.version, &self.coordinator, &open));
        detail.version + 1
    }

    pub(crate) fn accept(&self, id: u32, version: u32, user: &User) -> Result<(), StoreError> {
        let new = [NewDecision::new("slip:plate_volume", Action::Accept, "")];
        self.store.run(|c| sheets::decide(c, id, version, user, &new))
    }
}

/// Runs a statement on the world's database, beside the store.
pub(crate) fn sql(w: &World, text: &str) {
    let url = std::env::var("TEST_DATABASE_URL").expect("TEST_DATABASE_URL");
    let base = url.rsplit_once('/').expect("a database in the URL").0;
    let mut c = MysqlConnection::establish(&format!("{base}/{}", w.database)).expect("connected");
    c.batch_execute(text).expect("run");
}
