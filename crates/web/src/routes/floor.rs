//! The Floor: one lab over all its sections, and the notes for the storeroom.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::class::{Entry, shared_books, shared_tables};
use jurado_core::notation::counted;
use jurado_core::wording;
use jurado_intake::write_grid_csv;
use jurado_store::floor::{self, Depth, Seat};
use jurado_store::{Db, Lab, StoreError, labs};
use serde::Deserialize;

use crate::draw::floor as drawn;
use crate::draw::svg::Svg;
use crate::error::{WebError, html, on_to};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::Actor;
use crate::views::floor::{
    self as view, FloorView, NoteView, PlacePassage, Room, SlipView, TeamRow, Wanted, place_passage, team_rows,
};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "floor.html")]
struct FloorPage {
    frame: Frame,
    v: FloorView,
    notes: usize,
}

#[derive(Template)]
#[template(path = "floor/empty.html")]
struct EmptyPage {
    frame: Frame,
    title: String,
    labs: Vec<(u32, String)>,
}

#[derive(Template)]
#[template(path = "floor/table.html")]
struct TablePage {
    frame: Frame,
    v: FloorView,
    rows: Vec<TeamRow>,
}

#[derive(Template)]
#[template(path = "floor/wall.html")]
struct WallPage {
    frame: Frame,
    title: String,
    result: String,
    chart: Svg,
    width: u32,
    height: u32,
    says: String,
}

#[derive(Template)]
#[template(path = "floor/start.html")]
struct StartPage {
    frame: Frame,
    title: String,
    tables: usize,
    slips: Vec<SlipView>,
    cautions: Vec<String>,
}

#[derive(Template)]
#[template(path = "floor/shared.html")]
struct SharedPage {
    frame: Frame,
    lab: u32,
    title: String,
    pairs: Vec<SharedView>,
    more: usize,
    /// Tables with the same formulas.
    books: Vec<BookView>,
}

/// Tables that have the same formulas, with those that one may see.
struct BookView {
    says: String,
    tables: Vec<(String, String)>,
}

/// Two tables that share what was typed.
struct SharedView {
    says: String,
    one: Option<String>,
    other: Option<String>,
}

#[derive(Template)]
#[template(path = "floor/place.html")]
struct PlacePage {
    frame: Frame,
    lab: u32,
    title: String,
    key: String,
    at: String,
    v: PlacePassage,
    notes: Vec<NoteView>,
    fault: Option<String>,
    body: String,
}

#[derive(Template)]
#[template(path = "floor/storeroom.html")]
struct StoreroomPage {
    frame: Frame,
    open: Vec<NoteView>,
    done: Vec<NoteView>,
}

/// Pairs of tables that are listed.
const MOST_SHARED: usize = 20;
/// Slips on the page to print.
const MOST_SAID: usize = 12;

/// A lab with what its class is.
struct Loaded {
    lab: Lab,
    seats: Vec<Seat>,
    entries: Vec<Entry>,
    /// Labs of the term.
    labs: Vec<(u32, String)>,
    /// Notes that wait.
    notes: Vec<floor::StoreroomNote>,
}

impl Loaded {
    async fn of(actor: &Actor, lab: u32) -> Result<Loaded, WebError> {
        Loaded::with(actor, lab, Depth::Values).await
    }

    async fn with(actor: &Actor, lab: u32, depth: Depth) -> Result<Loaded, WebError> {
        actor
            .look(move |c, _| {
                let all = shown(c, &[lab])?;
                let (seats, entries) = floor::class(c, lab, depth)?;
                Ok(Loaded { lab: labs::get(c, lab)?, seats, entries, labs: all, notes: floor::notes(c, Some(lab))? })
            })
            .await
    }

    fn room<'a>(&'a self, actor: &'a Actor) -> Room<'a> {
        Room { lab: &self.lab, seats: &self.seats, entries: &self.entries, user: &actor.user, blind: actor.blind }
    }

    fn title(&self) -> String {
        self.lab.protocol.title.clone()
    }

    fn empty(self, actor: &Actor) -> Result<HttpResponse, WebError> {
        html(&EmptyPage { frame: actor.frame("Floor", "floor"), title: self.title(), labs: self.labs })
    }
}

/// The labs of the term and those in `besides`, with their titles.
fn shown(c: &mut Db, besides: &[u32]) -> Result<Vec<(u32, String)>, StoreError> {
    let open = labs::open(c)?.into_iter();
    let open = open.filter(|(lab, standing)| *standing == labs::Standing::Term || besides.contains(&lab.id));
    Ok(open.map(|(lab, _)| (lab.id, lab.protocol.title.clone())).collect())
}

/// The Floor of the lab that most tables are in of.
pub(crate) async fn home(actor: Actor) -> Result<HttpResponse, WebError> {
    let (labs, counts) = actor
        .look(|c, _| {
            let counts = floor::in_by_lab(c)?;
            let with: Vec<u32> = counts.iter().map(|(lab, _)| *lab).collect();
            Ok((shown(c, &with)?, counts))
        })
        .await?;
    let count = |id: u32| counts.iter().find(|(lab, _)| *lab == id).map_or(0, |(_, n)| *n);
    match labs.iter().rev().max_by_key(|(id, _)| count(*id)) {
        Some((id, _)) => Ok(on_to(&format!("/floor/{id}"))),
        None => {
            let frame = actor.frame("Floor", "floor");
            html(&EmptyPage { frame, title: "No lab is on the term".to_owned(), labs: Vec::new() })
        }
    }
}

pub(crate) async fn page(
    actor: Actor,
    lab: web::Path<u32>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, WebError> {
    let loaded = Loaded::of(&actor, *lab).await?;
    let work = move |actor: &Actor| {
        let v = FloorView::new(&loaded.room(actor), &loaded.labs, &wanted).filter(|_| !loaded.entries.is_empty());
        (v, loaded)
    };
    match actor.think("Looking at a class", work).await? {
        (Some(v), loaded) => {
            let done = loaded.seats.iter().filter(|s| s.decided).count();
            let frame = actor.frame(&format!("Floor: {}", v.title), "floor").with_counts(done, loaded.seats.len());
            html(&FloorPage { frame, v, notes: loaded.notes.iter().filter(|n| n.done_at.is_none()).count() })
        }
        (None, loaded) => loaded.empty(&actor),
    }
}

/// The Floor with one table ringed.
pub(crate) async fn of_table(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let lab = actor.look(move |c, user| Ok(jurado_store::sheets::get(c, id, user)?.lab_id)).await?;
    Ok(on_to(&format!("/floor/{lab}?from={id}")))
}

/// Where a lab is chosen without a script.
#[derive(Deserialize)]
pub(crate) struct ToLab {
    lab: u32,
}

pub(crate) async fn to_lab(_: Actor, to: web::Query<ToLab>) -> HttpResponse {
    on_to(&format!("/floor/{}", to.lab))
}

/// What a result's page and its file are made of.
async fn rows(actor: &Actor, lab: u32, wanted: Wanted) -> Result<Result<(FloorView, Vec<TeamRow>), Loaded>, WebError> {
    let loaded = Loaded::of(actor, lab).await?;
    let work = move |actor: &Actor| {
        let room = loaded.room(actor);
        let made = FloorView::new(&room, &loaded.labs, &wanted).zip(view::chosen(&room, &wanted));
        let made = made.filter(|_| !loaded.entries.is_empty());
        match made.map(|(v, (result, by))| (v, team_rows(&room, &view::class(&room, result, &by)))) {
            Some(made) => Ok(made),
            None => Err(loaded),
        }
    };
    actor.think("Looking at a class", work).await
}

pub(crate) async fn table(
    actor: Actor,
    lab: web::Path<u32>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, WebError> {
    match rows(&actor, *lab, wanted.into_inner()).await? {
        Ok((v, rows)) => html(&TablePage { frame: actor.frame(&format!("Floor: {}", v.title), "floor"), v, rows }),
        Err(loaded) => loaded.empty(&actor),
    }
}

pub(crate) async fn csv(
    actor: Actor,
    lab: web::Path<u32>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, WebError> {
    let (v, rows) = match rows(&actor, *lab, wanted.into_inner()).await? {
        Ok(made) => made,
        Err(loaded) => return loaded.empty(&actor),
    };
    let mut grid = vec![vec![
        "section".to_owned(),
        "team".to_owned(),
        v.by_id.clone(),
        v.result_id.clone(),
        "on the scale".to_owned(),
        "z".to_owned(),
    ]];
    grid.extend(rows.into_iter().map(|r| {
        let [value, placed, z] = r.exact.map(|v| v.to_string());
        vec![r.section, r.team, r.group, value, placed, z]
    }));
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", format!("attachment; filename=\"floor-{}.csv\"", v.result_id)))
        .body(write_grid_csv(&grid)))
}

/// The class for a wall of the room: no name, no figure, no reference.
pub(crate) async fn wall(
    actor: Actor,
    lab: web::Path<u32>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, WebError> {
    let loaded = Loaded::of(&actor, *lab).await?;
    let frame = actor.frame("The class on the wall", "floor");
    let work = move |actor: &Actor| {
        let room = loaded.room(actor);
        let Some((result, by)) = view::chosen(&room, &wanted).filter(|_| !loaded.entries.is_empty()) else {
            return Err(loaded);
        };
        let p = &loaded.lab.protocol;
        Ok(WallPage {
            frame,
            title: loaded.title(),
            result: p.full_title(p.results[result].item),
            chart: view::wall(&room, result, &by),
            width: drawn::SIZE.0 as u32,
            height: drawn::SIZE.1 as u32,
            says: format!("{} by {}", counted(loaded.entries.len(), "table"), room.noun(&by)),
        })
    };
    match actor.think("Looking at a class", work).await? {
        Ok(page) => html(&page),
        Err(loaded) => loaded.empty(&actor),
    }
}

/// What to say at the start of the next lab, to be printed.
pub(crate) async fn start(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let loaded = Loaded::of(&actor, *lab).await?;
    let frame = actor.frame("To say at the start", "floor");
    let work = move |actor: &Actor| StartPage {
        frame,
        title: loaded.title(),
        tables: loaded.entries.len(),
        slips: view::slips(&loaded.room(actor), MOST_SAID),
        cautions: loaded.lab.protocol.cautions.clone(),
    };
    html(&actor.think("Looking at a class", work).await?)
}

/// Tables that share what was typed: by itself, since every pair is looked at.
pub(crate) async fn shared(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let loaded = Loaded::with(&actor, *lab, Depth::Cells).await?;
    let frame = actor.frame("Shared readings", "floor");
    let page = actor
        .think("Looking for shared readings", move |actor| {
            let room = loaded.room(actor);
            let key = view::station(&room);
            let found = shared_tables(&loaded.entries, key);
            let more = found.len().saturating_sub(MOST_SHARED);
            let name = |n: usize| format!("{} of {}", room.name(n), loaded.entries[n].section);
            let table = |n: usize| {
                actor.user.sees(loaded.seats[n].section_id).then(|| format!("/bench/{}", loaded.seats[n].sheet))
            };
            let pairs = found.iter().take(MOST_SHARED).map(|s| SharedView {
                says: wording::shared(&name(s.one), &name(s.other), (s.alike, s.cells), s.chance),
                one: table(s.one),
                other: table(s.other),
            });
            let books = shared_books(&loaded.entries).into_iter().take(MOST_SHARED).map(|b| BookView {
                says: wording::same_book(
                    &b.tables.iter().map(|n| name(*n)).collect::<Vec<_>>(),
                    (b.book.formulas, b.book.own),
                    b.of,
                ),
                tables: b.tables.iter().filter_map(|n| Some((name(*n), table(*n)?))).collect(),
            });
            let (pairs, books) = (pairs.collect(), books.collect());
            SharedPage { frame, lab: loaded.lab.id, title: loaded.title(), pairs, more, books }
        })
        .await?;
    html(&page)
}

/// A place of the apparatus: key and value.
#[derive(Clone, Deserialize)]
pub(crate) struct At {
    by: String,
    at: String,
}

async fn place_page(actor: &Actor, lab: u32, place: At, said: (Option<String>, String)) -> Result<PlacePage, WebError> {
    let loaded = Loaded::of(actor, lab).await?;
    if !loaded.lab.protocol.keys.iter().any(|k| k.id == place.by) {
        return Err(WebError::NotFound("such place in this lab"));
    }
    let frame = actor.frame("A place through the term", "floor");
    actor
        .think("Looking at a place", move |actor| {
            let v = place_passage(&loaded.room(actor), &place.by, &place.at);
            let here: Vec<floor::StoreroomNote> =
                loaded.notes.iter().filter(|n| n.key == place.by && n.at == place.at).cloned().collect();
            let (fault, body) = said;
            PlacePage {
                frame,
                lab,
                title: loaded.title(),
                key: place.by,
                at: place.at,
                v,
                notes: view::notes(std::slice::from_ref(&loaded.lab), &here),
                fault,
                body,
            }
        })
        .await
}

/// A station, a fork, a batch through the term.
pub(crate) async fn place(actor: Actor, lab: web::Path<u32>, at: web::Query<At>) -> Result<HttpResponse, WebError> {
    html(&place_page(&actor, *lab, at.into_inner(), (None, String::new())).await?)
}

#[derive(Deserialize)]
pub(crate) struct Written {
    token: String,
    by: String,
    at: String,
    #[serde(default)]
    body: String,
}

/// Writes a note for the storeroom.
pub(crate) async fn note(
    actor: Actor,
    lab: web::Path<u32>,
    form: web::Form<Written>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let Written { by, at, body, .. } = form.into_inner();
    let wanted = "Write in a few words what was seen: the storeroom reads it.";
    let text = match forms::STOREROOM.wanted(&body, wanted) {
        Ok(text) => text,
        Err(fault) => {
            let page = place_page(&actor, *lab, At { by, at }, (Some(fault), body)).await?;
            return crate::error::html_with(actix_web::http::StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    let lab = *lab;
    let to = format!("/floor/{lab}/place?by={}&at={}", crate::views::query(&by), crate::views::query(&at));
    actor.run(move |c, user| floor::write_note(c, lab, (&by, &at), &text, user)).await?;
    Ok(on_to_saying(
        &to,
        Said::done("Noted for the storeroom", "It stands under Storeroom until somebody has seen to it."),
    ))
}

/// All notes for the storeroom.
pub(crate) async fn storeroom(actor: Actor) -> Result<HttpResponse, WebError> {
    let (labs, notes) = actor.look(|c, _| Ok((labs::all(c)?, floor::notes(c, None)?))).await?;
    let (done, open): (Vec<_>, Vec<_>) = view::notes(&labs, &notes).into_iter().partition(|n| n.done.is_some());
    html(&StoreroomPage { frame: actor.frame("Storeroom", "floor"), open, done })
}

#[derive(Deserialize)]
pub(crate) struct Token {
    token: String,
}

/// Says that a note was seen to.
pub(crate) async fn seen_to(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Token>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| floor::see_to_note(c, id, user)).await?;
    Ok(on_to("/floor/storeroom"))
}
