//! A gradebook where there is none: the score interface of [`crate::scores`], kept in memory. It can be slow, fail, do a request
//! twice and lose an answer, as a real one does, so that what stands on the other side can be tried.

use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use actix_web::{App, HttpRequest, HttpResponse, HttpServer, web};
use futures_util::stream;
use serde::{Deserialize, Serialize};

use crate::scores::{Became, Person, Receipt, Refusal, Score};

/// What goes amiss with the next scores.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Faults {
    /// Milliseconds before each answer.
    pub delay_ms: u64,
    /// Scores that are not taken: it answers 503.
    pub fail: u32,
    /// Scores that are taken, and whose answer is lost.
    pub lose: u32,
    /// Scores that are done twice.
    pub twice: u32,
}

/// What it holds.
#[derive(Debug, Default)]
struct Book {
    scores: BTreeMap<(String, String), Score>,
    keys: BTreeSet<String>,
    /// Every time a score changed a column, in order.
    changes: Vec<Score>,
    faults: Faults,
}

impl Book {
    /// Takes a score: once under its key, and the one with the higher sequence stands.
    fn put(&mut self, score: &Score) -> Became {
        if !self.keys.insert(score.key.clone()) {
            return Became::Known;
        }
        let at = (score.column.clone(), score.student.clone());
        if self.scores.get(&at).is_some_and(|s| s.sequence > score.sequence) {
            return Became::Older;
        }
        self.scores.insert(at, score.clone());
        self.changes.push(score.clone());
        Became::Stored
    }
}

/// Uses one of a number of faults up.
fn one(left: &mut u32) -> bool {
    let is = *left > 0;
    *left = left.saturating_sub(1);
    is
}

struct Desk {
    book: Mutex<Book>,
    roster: Vec<Person>,
    token: String,
}

impl Desk {
    fn book(&self) -> std::sync::MutexGuard<'_, Book> {
        self.book.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn allows(&self, request: &HttpRequest) -> bool {
        let shown = request.headers().get("authorization").and_then(|v| v.to_str().ok());
        shown == Some(&format!("Bearer {}", self.token))
    }
}

fn refuse(status: u16, what: &str) -> HttpResponse {
    let status = actix_web::http::StatusCode::from_u16(status).unwrap_or_default();
    HttpResponse::build(status).json(Refusal { what: what.to_owned() })
}

async fn put(desk: web::Data<Desk>, request: HttpRequest, score: web::Json<Score>) -> HttpResponse {
    let faults = desk.book().faults;
    tokio::time::sleep(Duration::from_millis(faults.delay_ms)).await;
    if !desk.allows(&request) {
        return refuse(401, "this token is not known");
    }
    let mut book = desk.book();
    if one(&mut book.faults.fail) {
        return refuse(503, "it is not there at the moment");
    }
    if !desk.roster.is_empty() && !desk.roster.iter().any(|p| p.number == score.student) {
        return refuse(404, &format!("there is no student {}", score.student));
    }
    if score.points > score.possible || score.key.is_empty() {
        return refuse(422, "more points than there are");
    }
    let became = book.put(&score);
    if one(&mut book.faults.twice) {
        book.put(&score);
    }
    if one(&mut book.faults.lose) {
        // The line breaks before the answer is there.
        let cut = stream::iter([Err::<web::Bytes, _>(std::io::Error::other("the line broke"))]);
        return HttpResponse::Ok().streaming(cut);
    }
    HttpResponse::Ok().json(Receipt { became })
}

#[derive(Deserialize)]
struct Column {
    column: String,
}

async fn scores(desk: web::Data<Desk>, request: HttpRequest, of: web::Query<Column>) -> HttpResponse {
    if !desk.allows(&request) {
        return refuse(401, "this token is not known");
    }
    let book = desk.book();
    HttpResponse::Ok().json(book.scores.values().filter(|s| s.column == of.column).collect::<Vec<_>>())
}

async fn roster(desk: web::Data<Desk>, request: HttpRequest) -> HttpResponse {
    if desk.allows(&request) { HttpResponse::Ok().json(&desk.roster) } else { refuse(401, "this token is not known") }
}

/// Every change there was, for whoever looks whether a score counted once.
async fn changes(desk: web::Data<Desk>) -> HttpResponse {
    HttpResponse::Ok().json(&desk.book().changes)
}

async fn set_faults(desk: web::Data<Desk>, faults: web::Json<Faults>) -> HttpResponse {
    desk.book().faults = *faults;
    HttpResponse::NoContent().finish()
}

/// Somebody changed a score by hand.
async fn by_hand(desk: web::Data<Desk>, score: web::Json<Score>) -> HttpResponse {
    let score = score.into_inner();
    desk.book().scores.insert((score.column.clone(), score.student.clone()), score);
    HttpResponse::NoContent().finish()
}

/// How the stand-in is run.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Address it listens on.
    pub bind: IpAddr,
    /// Port.
    pub port: u16,
    /// Token that it asks for.
    pub token: String,
    /// Students that it knows; where there are none it takes any.
    pub roster: Vec<Person>,
    /// What goes amiss.
    pub faults: Faults,
}

/// Serves until stopped.
///
/// # Errors
/// Where the port cannot be had, in one line.
pub async fn serve(settings: Settings) -> Result<(), String> {
    let Settings { bind, port, token, roster: people, faults } = settings;
    let book = Mutex::new(Book { faults, ..Book::default() });
    let desk = web::Data::new(Desk { book, roster: people, token });
    let server = HttpServer::new(move || {
        App::new()
            .app_data(desk.clone())
            .route("/scores", web::put().to(put))
            .route("/scores", web::get().to(scores))
            .route("/roster", web::get().to(roster))
            .route("/changes", web::get().to(changes))
            .route("/faults", web::put().to(set_faults))
            .route("/by-hand", web::put().to(by_hand))
    })
    .workers(1)
    .bind((bind, port))
    .map_err(|e| format!("{bind} port {port} cannot be used: {e}; choose another with --port"))?;
    println!("The stand-in gradebook answers on http://{bind}:{port}");
    server.run().await.map_err(|e| e.to_string())
}

#[cfg(test)]
mod tests {
    use rust_decimal::Decimal;

    use super::Book;
    use crate::scores::{Became, Score};

    fn score(key: &str, sequence: u32, points: i64) -> Score {
        Score {
            key: key.into(),
            sequence,
            student: "17".into(),
            column: "keel-plate".into(),
            points: Decimal::new(points, 0),
            possible: Decimal::new(20, 0),
            at: String::new(),
        }
    }

    #[test]
    fn a_score_counts_once_and_the_later_one_stands_in_whatever_order_they_come() {
        let mut book = Book::default();
        assert_eq!(book.put(&score("a", 1, 12)), Became::Stored);
        assert_eq!(book.put(&score("a", 1, 12)), Became::Known);
        assert_eq!(book.put(&score("c", 3, 15)), Became::Stored);
        assert_eq!(book.put(&score("b", 2, 14)), Became::Older);
        assert_eq!(book.scores.values().map(|s| s.points).collect::<Vec<_>>(), [Decimal::new(15, 0)]);
        assert_eq!(book.changes.len(), 2);
    }
}
