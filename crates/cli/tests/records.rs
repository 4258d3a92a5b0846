//! The program on a database: people from the command line, a backup and its way back, what is stored checked from outside.
//! `./test` names the server in TEST_DATABASE_URL.
#![allow(missing_docs)]

use std::io::Write;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use tempfile::tempdir;

struct Place {
    url: String,
    name: String,
}

/// A database of its own.
fn place(name: &str) -> Place {
    let url = std::env::var("TEST_DATABASE_URL").expect("TEST_DATABASE_URL names a throwaway MariaDB: run ./test");
    let base = url.rsplit_once('/').expect("a database").0.to_owned();
    let name = format!("jurado_cli_{name}");
    let place = Place { url: format!("{base}/{name}"), name };
    place.sql(
        "",
        &format!(
            "DROP DATABASE IF EXISTS {0}; CREATE DATABASE {0} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
            place.name
        ),
    );
    place
}

impl Place {
    fn sql(&self, database: &str, text: &str) -> String {
        let rest = self.url.strip_prefix("mysql://").expect("a URL");
        let (person, at) = rest.split_once('@').expect("a person");
        let (user, password) = person.split_once(':').expect("a password");
        let port = at.split(['/', ':']).nth(1).expect("a port");
        let mut command = Command::new("mariadb");
        command.args(["--no-defaults", "-h127.0.0.1", &format!("-P{port}"), &format!("-u{user}"), "-N", "-B"]);
        if !database.is_empty() {
            command.arg(database);
        }
        let out = command.args(["-e", text]).env("MYSQL_PWD", password).output().expect("mariadb runs");
        assert!(out.status.success(), "{text}: {}", String::from_utf8_lossy(&out.stderr));
        String::from_utf8_lossy(&out.stdout).trim().to_owned()
    }

    fn run_with(&self, input: &str, arguments: &[&str]) -> Output {
        let mut child = Command::new(env!("CARGO_BIN_EXE_jurado"))
            .args(arguments)
            .env("DATABASE_URL", &self.url)
            .env_remove("MIGRATE_DATABASE_URL")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("jurado runs");
        child.stdin.take().expect("a pipe").write_all(input.as_bytes()).expect("written");
        child.wait_with_output().expect("it ends")
    }

    fn run(&self, arguments: &[&str]) -> Output {
        self.run_with("", arguments)
    }
}

fn said(out: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr))
}

#[track_caller]
fn well(out: &Output) -> String {
    assert!(out.status.success(), "{}", said(out));
    said(out)
}

#[test]
fn people_are_looked_after_from_the_command_line() {
    let p = place("people");
    well(&p.run(&["migrate"]));
    well(&p.run_with("four words of harbour\n", &["user", "add", "chief", "--name", "Chief", "--role", "coordinator"]));
    let link = well(&p.run(&["user", "add", "heron", "--link", "--public-url", "https://jurado.example/"]));
    assert!(link.trim().starts_with("https://jurado.example/link/") && link.trim().len() > 60, "{link}");
    for (arguments, says) in [
        (&["user", "add", "heron", "--link"][..], "somebody signs in as “heron” already"),
        (&["user", "add", "knot", "--link", "--section", "Noon"], "there is no section “Noon”"),
        (&["user", "role", "nobody", "reviewer"], "nobody signs in as “nobody”"),
        (&["user", "close", "chief"], "the only coordinator"),
    ] {
        let out = p.run(arguments);
        assert_eq!(out.status.code(), Some(2), "{arguments:?}");
        assert!(said(&out).contains(says), "{arguments:?}: {}", said(&out));
    }
    let short = p.run_with("short\n", &["user", "password", "heron"]);
    assert!(!short.status.success() && said(&short).contains("fewer than 10 characters"), "{}", said(&short));
    well(&p.run(&["user", "close", "heron"]));
    let list = well(&p.run(&["user", "list"]));
    assert!(list.contains("chief   Chief   coordinator   all sections"), "{list}");
    assert!(list.lines().any(|l| l.starts_with("heron") && l.ends_with("closed")), "{list}");
    assert!(well(&p.run(&["verify", "--record"])).contains("0 faults"));
}

/// A lab with tables, stored through the library as the application would.
fn filled(p: &Place) {
    use jurado_store::{Role, Store, imports, labs, roster, users};
    let store = Store::open(&p.url);
    store.migrate().expect("migrated");
    let protocol =
        std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../protocols/keel-plate.toml"))
            .expect("a protocol");
    let lists: Vec<(&str, &[&str])> = jurado_sim::DEMO_SECTIONS.iter().map(|(s, t)| (*s, &t[..])).collect();
    store
        .run(|c| {
            roster::add(c, &lists)?;
            let new = users::NewPerson {
                sign_in: "chief",
                name: "Chief",
                role: Role::Coordinator,
                hash: Some("x"),
                sections: &[],
                demo: false,
            };
            let id = users::add(c, &new, None)?;
            let user = users::get(c, id)?;
            let lab = labs::install(c, &protocol)?;
            let tables = jurado_sim::demo_class(7).tables();
            let import = imports::offer(
                c,
                lab.id,
                &user,
                "class.csv",
                jurado_sim::class_csv(&lab.protocol, &tables).as_bytes(),
            )?;
            imports::take(c, import, &user)
        })
        .expect("filled");
}

#[test]
fn a_backup_comes_back_whole_and_a_spoiled_one_changes_nothing() {
    let (p, folder) = (place("backup"), tempdir().expect("a folder"));
    filled(&p);
    let file = folder.path().join("records.zip");
    let name = file.to_str().expect("a path");
    assert!(well(&p.run(&["backup", name])).contains("SHA-256"));
    use std::os::unix::fs::PermissionsExt;
    assert_eq!(
        std::fs::metadata(&file).expect("there").permissions().mode() & 0o777,
        0o600,
        "hashes of passwords are in it"
    );
    let again = p.run(&["backup", name]);
    assert!(!again.status.success() && said(&again).contains("is there already"), "{}", said(&again));
    let tables = "SELECT COUNT(*), SUM(decided), MD5(GROUP_CONCAT(digest ORDER BY submissions.id)) FROM sheets JOIN submissions ON submissions.id = submission_id";
    let before = p.sql(&p.name, &format!("SET group_concat_max_len = 10000000; {tables}"));
    // Into a database that people are in, only when it is said.
    let refused = p.run(&["restore", name]);
    assert!(!refused.status.success() && said(&refused).contains("--replace"), "{}", said(&refused));
    p.sql(&p.name, "UPDATE sheets SET decided = 0; DELETE FROM events ORDER BY id LIMIT 3");
    assert_eq!(p.run(&["verify"]).status.code(), Some(1), "what is wrong is found");
    assert_eq!(p.run(&["verify", "--record"]).status.code(), Some(1));
    assert!(well(&p.run(&["restore", name, "--replace"])).contains("84 tables"));
    assert_eq!(p.sql(&p.name, &format!("SET group_concat_max_len = 10000000; {tables}")), before);
    assert!(well(&p.run(&["verify"])).contains("84 tables judged anew, 0 differ"));
    well(&p.run(&["verify", "--record"]));
    // Into an empty one, as after a fire.
    let empty = place("fire");
    assert!(well(&empty.run(&["restore", name])).contains("84 tables"));
    // A byte that is another, and a file that ends too early.
    let bytes = std::fs::read(&file).expect("read");
    let mut spoiled = bytes.clone();
    spoiled[500] ^= 0x55;
    for (what, content) in
        [("spoiled", &spoiled[..]), ("cut", &bytes[..bytes.len() / 2]), ("words", b"no backup at all")]
    {
        let bad = folder.path().join(what);
        std::fs::write(&bad, content).expect("written");
        let other = place(&format!("bad_{what}"));
        let out = other.run(&["restore", bad.to_str().expect("a path")]);
        assert!(!out.status.success() && said(&out).contains("no backup that can be read"), "{what}: {}", said(&out));
        assert_eq!(
            other.sql(
                "",
                &format!("SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = '{}'", other.name)
            ),
            "0"
        );
    }
}

#[test]
fn what_differs_is_listed_and_mended() {
    let p = place("verify");
    filled(&p);
    well(&p.run(&["verify"]));
    p.sql(&p.name, "UPDATE sheets SET decided = decided + 1 WHERE id IN (1, 2)");
    let out = p.run(&["verify"]);
    assert_eq!(out.status.code(), Some(1));
    assert!(
        said(&out).contains("sheet 1 (keel-plate, ") && said(&out).contains("84 tables judged anew, 2 differ"),
        "{}",
        said(&out)
    );
    assert!(well(&p.run(&["verify", "--mend"])).contains("2 put right, 0 left"));
    well(&p.run(&["verify"]));
    assert_eq!(p.sql(&p.name, "SELECT COUNT(*) FROM events WHERE what = 'put right'"), "2");
    let away = Place { url: "mysql://nobody:x@127.0.0.1:1/none".into(), name: String::new() };
    assert_eq!(away.run(&["verify"]).status.code(), Some(2));
}

/// A restore leaves nothing of what it replaces, changes nothing while a server is there, and leaves nothing beside it.
#[test]
fn a_restore_is_all_or_nothing_and_wants_to_be_alone() {
    let (p, folder) = (place("alone"), tempdir().expect("a folder"));
    filled(&p);
    let file = folder.path().join("records.zip");
    let name = file.to_str().expect("a path");
    well(&p.run(&["backup", name]));
    p.sql(&p.name, "CREATE TABLE of_a_later_version (id INT PRIMARY KEY); UPDATE sheets SET decided = 0");
    let beside = || {
        p.sql("", &format!("SELECT COUNT(*) FROM information_schema.schemata WHERE schema_name LIKE '{}\\_%'", p.name))
    };
    {
        let server = jurado_store::Store::open(&p.url);
        server.look(jurado_store::users::count).expect("it is at the database");
        let out = p.run(&["restore", name, "--replace"]);
        assert_eq!(out.status.code(), Some(2));
        assert!(said(&out).contains("a server is at this database"), "{}", said(&out));
    }
    assert_eq!((p.sql(&p.name, "SELECT SUM(decided) = 0 FROM sheets"), beside()), ("1".into(), "0".into()));
    // What an earlier try left beside is in nobody's way.
    p.sql("", &format!("CREATE DATABASE {0}_restored; CREATE TABLE {0}_restored.events (id INT)", p.name));
    well(&p.run(&["restore", name, "--replace"]));
    let later = "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'of_a_later_version'";
    assert_eq!((p.sql(&p.name, later), beside()), ("0".into(), "0".into()));
    well(&p.run(&["verify"]));
    // One whose tables differed when it was written is brought back only when that is said.
    p.sql(&p.name, "UPDATE sheets SET decided = decided + 1 WHERE id = 1");
    let odd = folder.path().join("odd.zip");
    let odd = odd.to_str().expect("a path");
    well(&p.run(&["backup", odd]));
    assert!(well(&p.run(&["verify", "--mend"])).contains("1 put right, 0 left"));
    let out = p.run(&["restore", odd, "--replace"]);
    assert!(said(&out).contains("sheet 1") && said(&out).contains("--as-it-is"), "{}", said(&out));
    well(&p.run(&["verify"]));
    well(&p.run(&["restore", odd, "--replace", "--as-it-is"]));
    assert_eq!(p.run(&["verify"]).status.code(), Some(1));
}

/// What is gone, and what was changed where nothing is judged, is found by whatever names it.
#[test]
fn what_is_not_there_any_more_is_missed() {
    let (p, folder) = (place("missed"), tempdir().expect("a folder"));
    filled(&p);
    let file = folder.path().join("records.zip");
    let name = file.to_str().expect("a path");
    well(&p.run(&["backup", name]));
    well(&p.run(&["verify", "--ends", name]));
    for (what, spoil, with, says) in [
        ("a file", "DELETE FROM imports", &["verify"][..], "84 revisions lack the file they came with"),
        ("a revision", "DELETE FROM submissions WHERE id = 3", &["verify"], "1 sheets lack their newest revision"),
        ("a protocol", "DELETE FROM protocols", &["verify"], "1 labs lack the protocol in force"),
        (
            "what was handed in",
            "UPDATE submissions SET body = REPLACE(body, '\"team\":', '\"team\": ') WHERE id = 5",
            &["verify"],
            "1 revisions are not what was handed in",
        ),
        (
            "a decision that nobody made",
            "INSERT INTO decisions (submission_id, finding, action, reason, user_id, decided_at, text) SELECT 1, 'x', 'forgive', '', MIN(id), UTC_TIMESTAMP(), '' FROM users",
            &["verify"],
            "1 decisions stand otherwise in the record",
        ),
        (
            "the newest events",
            "DELETE FROM events ORDER BY id DESC LIMIT 2",
            &["verify", "--ends", name],
            "its newest were taken out",
        ),
        ("all events", "DELETE FROM events", &["verify", "--ends", name], "its newest were taken out"),
    ] {
        p.sql(&p.name, &format!("SET foreign_key_checks = 0; {spoil}"));
        let out = p.run(with);
        assert!(!out.status.success() && said(&out).contains(says), "{what}: {}", said(&out));
        well(&p.run(&["restore", name, "--replace"]));
    }
    let log = folder.path().join("log");
    std::fs::write(&log, "nothing of it").expect("written");
    let out = p.run(&["verify", "--ends", log.to_str().expect("a path")]);
    assert!(said(&out).contains("no end of the record stands in it"), "{}", said(&out));
}

#[test]
fn an_older_program_leaves_the_tables_of_a_newer_one() {
    let (p, folder) = (place("newer"), tempdir().expect("a folder"));
    well(&p.run(&["migrate"]));
    p.sql(&p.name, "INSERT INTO __diesel_schema_migrations (version) VALUES ('99991231000001')");
    let file = folder.path().join("records.zip");
    let port = std::net::TcpListener::bind("127.0.0.1:0").expect("a port");
    let free = "0";
    for arguments in
        [&["migrate"][..], &["verify"], &["backup", file.to_str().expect("a path")], &["serve", "--port", free]]
    {
        let out = p.run(arguments);
        assert_eq!(out.status.code(), Some(2), "{arguments:?}");
        assert!(said(&out).contains("a newer Jurado"), "{arguments:?}: {}", said(&out));
    }
    // A port that is taken is told before the tables are looked at.
    let taken = port.local_addr().expect("bound").port().to_string();
    let out = p.run(&["serve", "--port", &taken]);
    assert!(said(&out).contains("cannot be used") && !said(&out).contains("newer"), "{}", said(&out));
}
