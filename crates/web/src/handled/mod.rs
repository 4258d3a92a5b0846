//! The handlers without a browser: requests as a page of ours would send them, against a database of their own. What a screen
//! looks like and how it is used is tested in `e2e/`; here it is what each form answers, above all to what cannot be.

mod api;
mod asking;
mod bench;
mod college;
mod course;
mod doors;
mod floor;
mod gradebook;
mod hand_in;
mod intake;
mod lot;
mod moderation;
mod once;
mod practice;
mod privacy;
mod returns;
mod room;
mod rulings;
mod search;
mod taught;
mod texts;

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::future::Future;
use std::pin::Pin;

use actix_session::Session;
use actix_web::body::to_bytes;
use actix_web::http::Method;
use actix_web::http::header::{CONTENT_TYPE, LOCATION};
use actix_web::{HttpResponse, test, web};
use diesel::connection::SimpleConnection;
use diesel::{Connection as _, MysqlConnection};
use jurado_core::decision::Action;
use jurado_core::finding::{Finding, Key, Kind};
use jurado_store::users::NewPerson;
use jurado_store::{Db, NewDecision, Role, Store, StoreError, User, docket, imports, labs, roster, sheets, users};
use rust_decimal::Decimal;

use crate::app::{Settings, Shared, application};

const LAB: &str = include_str!("../../../core/tests/labs/plate-and-disc.toml");
const HEADER: &str = "section,team,station,item,row,value,unit,plus_minus,excluded,note\n";

/// What was answered.
struct Answer {
    status: u16,
    /// Where the browser is sent on to.
    to: String,
    body: String,
    kind: String,
}

type Answering = Pin<Box<dyn Future<Output = (Answer, Vec<String>)>>>;

/// The password of everybody here.
const PASSWORD: &str = "long enough words";
static HASH: std::sync::LazyLock<String> = std::sync::LazyLock::new(|| users::hash(PASSWORD).expect("a hash"));

/// An installation with one lab, two sections and three people.
struct Site {
    store: Store,
    lab: u32,
    call: Box<dyn Fn(test::TestRequest) -> Answering>,
    ids: BTreeMap<&'static str, u32>,
    database: String,
    url: String,
}

/// A person with a browser.
struct Browser<'a> {
    site: &'a Site,
    cookie: RefCell<String>,
    token: String,
}

/// Begins a session for a person by id, so that no test waits for a password to be hashed.
async fn sign_in_as(store: web::Data<Store>, id: web::Path<u32>, session: Session) -> HttpResponse {
    let (user, now) = store.run(|c| Ok((users::get(c, *id)?, c.now()?))).expect("a person");
    crate::session::begin(&session, &user, now).expect("a session");
    HttpResponse::Ok().finish()
}

/// A table with one slip: a volume, worked out from its readings, that may be another.
fn csv(section: &str, team: &str, volume: &str) -> String {
    let mut out = HEADER.to_owned();
    for (item, value, unit) in [
        ("zero", "0.04", "mm"),
        ("plate_length", "84.44", "mm"),
        ("plate_width", "41.92", "mm"),
        ("plate_thickness", "8.62", "mm"),
        ("plate_mass", "81.89", "g"),
        ("plate_volume", volume, "cm3"),
    ] {
        out += &format!("{section},{team},1,{item},,{value},{unit},,,\n");
    }
    out
}

async fn site(name: &str) -> Site {
    site_of(name, LAB).await
}

async fn site_of(name: &str, text: &str) -> Site {
    let root = std::env::var("TEST_DATABASE_URL").expect("TEST_DATABASE_URL names a throwaway MariaDB: run ./test");
    let database = format!("jurado_web_{name}");
    let mut c = MysqlConnection::establish(&root).expect("the test server answers");
    c.batch_execute(&format!(
        "DROP DATABASE IF EXISTS {database}; CREATE DATABASE {database} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
    ))
    .expect("a fresh database");
    let url = format!("{}/{database}", root.rsplit_once('/').expect("a database in the URL").0);
    let store = Store::open(&url);
    store.migrate().expect("migrated");
    let (ids, lab) = store
        .run(|c| {
            roster::add(c, &[("Morning", &["Alfa", "Bittern"]), ("Evening", &["Zulu"])])?;
            let mut ids = BTreeMap::new();
            for (sign_in, role, own) in [
                ("chief", Role::Coordinator, &[][..]),
                ("rev", Role::Reviewer, &["Morning".to_owned()]),
                ("other", Role::Reviewer, &["Evening".to_owned()]),
            ] {
                let hash = Some(HASH.as_str());
                let new = NewPerson { sign_in, name: sign_in, role, hash, sections: own, demo: false };
                ids.insert(sign_in, users::add(c, &new, None)?);
            }
            let lab = labs::install(c, text)?;
            Ok((ids, lab.id))
        })
        .expect("a world");
    let settings = Settings {
        listener: std::net::TcpListener::bind("127.0.0.1:0").expect("a port"),
        public_url: None,
        proxy: false,
        worlds: concat!(env!("CARGO_MANIFEST_DIR"), "/../../protocols/worlds").into(),
        greeting: String::new(),
    };
    let shared = Shared::new(&store, &"k".repeat(64), &settings);
    let app = test::init_service(application(&shared).route("/as/{id}", web::get().to(sign_in_as))).await;
    let app = std::rc::Rc::new(app);
    let call = move |request: test::TestRequest| -> Answering {
        let app = app.clone();
        Box::pin(async move {
            let answer = test::call_service(&*app, request.to_request()).await;
            let head = |name| answer.headers().get(name).and_then(|v| v.to_str().ok()).unwrap_or("").to_owned();
            let cookies = answer.response().cookies().map(|c| format!("{}={}", c.name(), c.value())).collect();
            let (status, to, kind) = (answer.status().as_u16(), head(LOCATION), head(CONTENT_TYPE));
            let bytes = to_bytes(answer.into_body()).await.unwrap_or_default();
            (Answer { status, to, kind, body: String::from_utf8_lossy(&bytes).into_owned() }, cookies)
        })
    };
    Site { store, lab, call: Box::new(call), ids, database, url }
}

impl Site {
    async fn browser(&self, who: &str) -> Browser<'_> {
        let mut browser = Browser { site: self, cookie: RefCell::default(), token: String::new() };
        browser.get(&format!("/as/{}", self.ids[who])).await;
        let page = browser.get("/account").await.body;
        browser.token = field_of(&page, "token");
        assert!(!browser.token.is_empty(), "{who} is let in");
        browser
    }

    fn run<T>(&self, work: impl FnMut(&mut Db) -> Result<T, StoreError>) -> T {
        self.store.run(work).expect("database work")
    }

    fn user(&self, who: &str) -> User {
        self.run(|c| users::get(c, self.ids[who]))
    }

    /// Brings a file as the coordinator, and takes it.
    fn bring(&self, text: &str) -> imports::Taken {
        let chief = self.user("chief");
        self.run(|c| {
            let id = imports::offer(c, self.lab, &chief, "class.csv", text.as_bytes())?;
            imports::take(c, id, &chief)
        })
    }

    fn section(&self, name: &str) -> u32 {
        self.run(roster::names).into_iter().find(|(_, n)| n == name).expect("a section").0
    }

    fn sheet(&self, team: &str) -> u32 {
        let chief = self.user("chief");
        self.run(|c| docket::of_lab(c, self.lab, &chief)).iter().find(|r| r.team == team).expect("a sheet").id
    }

    /// Decides all that is open of a table, each as `choose` says of its key, and half a point where only the paper tells.
    /// Gives the version that it has then.
    fn decide_open(&self, id: u32, who: &str, choose: impl Fn(&str) -> (Action, &'static str)) -> u32 {
        let user = self.user(who);
        self.run(|c| {
            let detail = sheets::get(c, id, &user)?;
            let judged = detail.judge(&labs::get(c, detail.lab_id)?.protocol);
            let decision = |f: &Finding| match (&f.kind, &f.criterion) {
                (Kind::Manual(_), Some(line)) => {
                    NewDecision::new(Key::Line(line.clone()), Action::Points(Decimal::new(5, 1)), "seen on the paper")
                }
                _ => {
                    let (action, why) = choose(&f.key.to_string());
                    NewDecision::new(f.key.clone(), action, why)
                }
            };
            let new: Vec<NewDecision> = judged.findings.iter().filter(|f| f.open()).map(decision).collect();
            sheets::decide(c, id, detail.version, &user, &new)?;
            Ok(detail.version + 1)
        })
    }

    /// Changes the database as nothing of ours does.
    fn alter(&self, text: &str) {
        let mut c = MysqlConnection::establish(&self.url).expect("connected");
        c.batch_execute(text).expect("altered");
    }

    /// A number out of the database.
    fn count(&self, text: &str) -> i64 {
        #[derive(diesel::QueryableByName)]
        struct N {
            #[diesel(sql_type = diesel::sql_types::BigInt)]
            n: i64,
        }
        use diesel::RunQueryDsl;
        let mut c = MysqlConnection::establish(&self.url).expect("connected");
        diesel::sql_query(format!("SELECT CAST(({text}) AS SIGNED) AS n")).get_result::<N>(&mut c).expect("a number").n
    }
}

impl Drop for Site {
    fn drop(&mut self) {
        let dropped = MysqlConnection::establish(&self.url)
            .map(|mut c| c.batch_execute(&format!("DROP DATABASE {}", self.database)).is_ok());
        log::debug!("{dropped:?}");
    }
}

fn free_port() -> u16 {
    std::net::TcpListener::bind("127.0.0.1:0").and_then(|l| l.local_addr()).expect("a free port").port()
}

/// Waits until a service on this machine answers.
async fn answers(port: u16) {
    for _ in 0..100 {
        if std::net::TcpStream::connect(("127.0.0.1", port)).is_ok() {
            break;
        }
        actix_web::rt::time::sleep(std::time::Duration::from_millis(20)).await;
    }
}

/// What another service answers: its head and its body.
fn called(method: &str, url: &str, kind: &str, body: &str) -> (String, String) {
    use std::io::{Read, Write};
    let rest = url.strip_prefix("http://").expect("an address");
    let (host, path) = rest.split_once('/').expect("a path");
    let mut line = std::net::TcpStream::connect(host).expect("connected");
    let head = format!("Host: {host}\r\nContent-Type: {kind}\r\nContent-Length: {}\r\n", body.len());
    write!(line, "{method} /{path} HTTP/1.0\r\n{head}\r\n{body}").expect("asked");
    let mut text = String::new();
    line.read_to_string(&mut text).expect("an answer");
    let (head, body) = text.split_once("\r\n\r\n").expect("a head");
    (head.to_owned(), body.to_owned())
}

/// The value of the first hidden field of a name.
fn field_of(page: &str, name: &str) -> String {
    let from = format!("name=\"{name}\" value=\"");
    let value =
        page.split_once(&from).and_then(|(_, rest)| rest.split_once('"')).map_or(String::new(), |(v, _)| v.to_owned());
    // A token is that of the session: what a page adds would make one act of two that a test means.
    if name == "token" { value.split('.').next().unwrap_or_default().to_owned() } else { value }
}

/// A page's text without its markup, blanks run together.
fn words(page: &str) -> String {
    let main = page.split_once("<main").map_or(page, |(_, rest)| rest);
    let mut out = String::new();
    let mut inside = false;
    for c in main.chars() {
        match c {
            '<' => inside = true,
            '>' => {
                inside = false;
                out.push(' ');
            }
            c if !inside => out.push(c),
            _ => {}
        }
    }
    let plain = out
        .replace("&#39;", "'")
        .replace("&#60;", "<")
        .replace("&#62;", ">")
        .replace("&#34;", "\"")
        .replace("&quot;", "\"")
        .replace("&lt;", "<")
        .replace("&amp;", "&");
    plain.split_whitespace().collect::<Vec<_>>().join(" ")
}

impl Browser<'_> {
    async fn send(&self, request: test::TestRequest) -> Answer {
        let cookie = self.cookie.borrow().clone();
        let (answer, set) = (self.site.call)(request.insert_header(("cookie", cookie))).await;
        let mut jar: BTreeMap<String, String> = BTreeMap::new();
        for pair in self.cookie.borrow().split("; ").map(str::to_owned).chain(set) {
            if let Some((name, value)) = pair.split_once('=') {
                jar.insert(name.to_owned(), value.to_owned());
            }
        }
        *self.cookie.borrow_mut() = jar.iter().map(|(n, v)| format!("{n}={v}")).collect::<Vec<_>>().join("; ");
        answer
    }

    async fn get(&self, path: &str) -> Answer {
        self.send(test::TestRequest::get().uri(path)).await
    }

    /// A page's words; it has to be there.
    async fn page(&self, path: &str) -> String {
        let answer = self.get(path).await;
        assert_eq!(answer.status, 200, "{path}: {}", words(&answer.body));
        words(&answer.body)
    }

    /// Sends a form with this session's token.
    async fn post(&self, path: &str, fields: &[(&str, &str)]) -> Answer {
        let all: Vec<(&str, &str)> = [("token", self.token.as_str())].iter().chain(fields).copied().collect();
        self.send(test::TestRequest::default().method(Method::POST).uri(path).set_form(all)).await
    }

    /// Sends a form that has to be taken, and goes where it leads. Gives the words of that page.
    async fn done(&self, path: &str, fields: &[(&str, &str)]) -> String {
        let answer = self.post(path, fields).await;
        assert_eq!(answer.status, 303, "{path} {fields:?}: {}", words(&answer.body));
        self.page(answer.to.split('#').next().unwrap_or("/")).await
    }

    /// Sends a form that would move marks: it is shown what would, and is taken once that was looked at. Gives the words of
    /// both pages.
    async fn looked(&self, path: &str, fields: &[(&str, &str)]) -> (String, String) {
        let look = self.post(path, fields).await;
        let told = words(&look.body);
        assert!(
            look.status == 200 && told.contains("Since marks would move"),
            "{path} {fields:?}: {} {told}",
            look.status
        );
        let seen = field_of(&look.body, "looked");
        let again: Vec<(&str, &str)> = fields.iter().copied().chain([("looked", seen.as_str())]).collect();
        (told, self.done(path, &again).await)
    }

    /// Sends a form that has to be refused. Gives the words of the page.
    async fn refused(&self, path: &str, fields: &[(&str, &str)]) -> String {
        let answer = self.post(path, fields).await;
        assert_eq!(answer.status, 422, "{path} {fields:?}: {}", words(&answer.body));
        words(&answer.body)
    }

    /// Sends files as a form with a file field does.
    async fn files(&self, path: &str, fields: &[(&str, &str)], files: &[(&str, &[u8])]) -> Answer {
        let mut body = Vec::new();
        let token = ("token", self.token.as_str());
        for (name, value) in [token].iter().chain(fields) {
            body.extend_from_slice(
                format!("--cut\r\ncontent-disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n").as_bytes(),
            );
        }
        for (name, bytes) in files {
            let head = format!(
                "--cut\r\ncontent-disposition: form-data; name=\"file\"; filename=\"{name}\"\r\ncontent-type: application/octet-stream\r\n\r\n"
            );
            body.extend_from_slice(head.as_bytes());
            body.extend_from_slice(bytes);
            body.extend_from_slice(b"\r\n");
        }
        body.extend_from_slice(b"--cut--\r\n");
        let request = test::TestRequest::post()
            .uri(path)
            .insert_header((CONTENT_TYPE, "multipart/form-data; boundary=cut"))
            .set_payload(body);
        self.send(request).await
    }
}
