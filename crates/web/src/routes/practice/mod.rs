//! Practice: classes whose truth is known, begun, worked through on the Bench, and told at the end. Only the person sees
//! their own; examples of the course's are kept by the coordinator.

mod table;

use std::path::PathBuf;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::class::{ClassReport, Entry};
use jurado_core::judging::judge;
use jurado_sim::{Lab as Simulated, Level};
use jurado_store::practice::{self, Asked, EXAMPLES, Example};
use jurado_store::{Lab, StoreError, labs};
use serde::Deserialize;

pub(crate) use table::{begin_try, correct, decide, own, page as table_page, say, sign, undo, work_try};

use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;
use crate::views::course::time;
use crate::views::frame::Frame;
use crate::views::practice::{AccountView, ClassLine, kind_title};

/// Where the worlds are, beside the protocols: what of a lab can be simulated.
#[derive(Clone, Debug)]
pub(crate) struct Worlds(pub(crate) PathBuf);

impl Worlds {
    /// The world of a lab, if there is one.
    fn of(&self, slug: &str) -> Option<String> {
        std::fs::read_to_string(self.0.join(format!("{slug}.toml"))).ok()
    }

    fn has(&self, slug: &str) -> bool {
        self.0.join(format!("{slug}.toml")).is_file()
    }
}

/// A lab to choose: id, title, whether it can be simulated, and how many examples serve.
struct Choice {
    id: u32,
    title: String,
    simulated: bool,
    examples: usize,
}

#[derive(Template)]
#[template(path = "practice.html")]
struct PracticePage {
    frame: Frame,
    fault: Option<String>,
    open: Vec<ClassLine>,
    ended: Vec<ClassLine>,
    labs: Vec<Choice>,
    levels: [Level; 3],
    asked: Option<Asked>,
    /// Example, lab, when, and the rest.
    examples: Vec<(Example, String, String)>,
    /// What was chosen of a class that could not begin.
    lab: u32,
    kind: String,
}

#[derive(Template)]
#[template(path = "practice/class.html")]
struct ClassPage {
    frame: Frame,
    id: u32,
    lab: String,
    kind: String,
    begun: String,
    /// Number, and whether it is signed.
    tables: Vec<(u32, bool)>,
    next: Option<u32>,
    signed: usize,
}

#[derive(Template)]
#[template(path = "practice/over.html")]
struct OverPage {
    frame: Frame,
    id: u32,
    lab: String,
    told: String,
}

#[derive(Template)]
#[template(path = "practice/account.html")]
struct AccountPage {
    frame: Frame,
    v: AccountView,
    asked: Option<Asked>,
}

#[derive(Deserialize)]
pub(crate) struct Begin {
    token: String,
    #[serde(default)]
    lab: u32,
    #[serde(default)]
    kind: String,
}

#[derive(Deserialize)]
pub(crate) struct Token {
    token: String,
}

#[derive(Deserialize)]
pub(crate) struct Keep {
    token: String,
    #[serde(default)]
    says: String,
}

/// What making a class waits for, in the words of a fault.
const MAKING: &str = "Making a practice class";

async fn shown(
    actor: &Actor,
    worlds: &web::Data<Worlds>,
    (lab, kind): (u32, String),
    fault: Option<String>,
) -> Result<PracticePage, WebError> {
    let (classes, open_labs, examples, asked) = actor
        .look(|c, user| {
            Ok((practice::list(c, user)?, labs::open(c)?, practice::examples(c)?, practice::asked(c, user)?))
        })
        .await?;
    let all: Vec<Lab> = open_labs.into_iter().map(|(lab, _)| lab).collect();
    let title =
        |id: u32| all.iter().find(|l| l.id == id).map_or("a lab that was retired", |l| &l.protocol.title).to_owned();
    let (open, ended): (Vec<ClassLine>, Vec<ClassLine>) = classes
        .iter()
        .map(|(class, signed, of)| ClassLine::new(class, title(class.lab_id), (*signed, *of)))
        .partition(|line| line.open);
    let labs = all
        .iter()
        .map(|l| Choice {
            id: l.id,
            title: l.protocol.title.clone(),
            simulated: worlds.has(&l.protocol.id),
            examples: examples.iter().filter(|e| e.lab_id == l.id && e.serves).count(),
        })
        .filter(|c| c.simulated || c.examples > 0)
        .collect();
    let examples = examples.into_iter().map(|e| (title(e.lab_id), time(e.at), e)).map(|(l, t, e)| (e, l, t)).collect();
    let frame = actor.frame("Practice", "practice");
    Ok(PracticePage { frame, fault, open, ended, labs, levels: Level::ALL, asked, examples, lab, kind })
}

pub(crate) async fn page(actor: Actor, worlds: web::Data<Worlds>) -> Result<HttpResponse, WebError> {
    html(&shown(&actor, &worlds, (0, Level::Plain.word().to_owned()), None).await?)
}

/// The tables of a class: simulated from the lab's protocol in force, or the course's own examples.
async fn tables_of(
    actor: &Actor,
    worlds: &web::Data<Worlds>,
    lab: u32,
    kind: &str,
) -> Result<Result<Vec<(jurado_core::submission::Submission, jurado_core::practice::Truth)>, String>, WebError> {
    if kind == EXAMPLES {
        return Ok(Ok(actor.look(move |c, _| practice::example_tables(c, lab)).await?));
    }
    let Some(level) = Level::of(kind) else {
        return Ok(Err("Choose how hard the class is to be.".to_owned()));
    };
    let (source, slug) =
        actor.look(move |c, _| Ok((labs::source(c, lab)?, labs::get(c, lab)?.protocol.id.clone()))).await?;
    let worlds = worlds.clone();
    let seed: u64 = rand::random();
    actor
        .think(MAKING, move |_| {
            let world = worlds.of(&slug).ok_or("This lab cannot be simulated: choose another, or its examples.")?;
            let lab = Simulated::new(&source, &world).map_err(|(_, faults)| {
                let why = faults.first().map(|f| f.what.clone()).unwrap_or_default();
                format!("This lab cannot be simulated as its protocol is now: {why}. Choose another, or its examples.")
            })?;
            Ok(lab.practice(level, seed))
        })
        .await
}

pub(crate) async fn begin(
    actor: Actor,
    worlds: web::Data<Worlds>,
    form: web::Form<Begin>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let Begin { lab, kind, .. } = form.into_inner();
    let fault = match tables_of(&actor, &worlds, lab, &kind).await {
        Ok(Ok(tables)) => {
            let word = kind.clone();
            match actor.run(move |c, user| practice::begin(c, lab, &word, &tables, user)).await {
                Ok(id) => return Ok(on_to(&format!("/practice/{id}/1"))),
                Err(WebError::Store(StoreError::Bad(what, mend))) => format!("{what}; {mend}."),
                Err(e) => return Err(e),
            }
        }
        Ok(Err(fault)) => fault,
        Err(WebError::Store(StoreError::NotFound(_))) => "Choose a lab.".to_owned(),
        Err(e) => return Err(e),
    };
    let fault = jurado_core::notation::capital(&fault);
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &shown(&actor, &worlds, (lab, kind), Some(fault)).await?)
}

/// A class that is open: what is left of it. One that has ended: its account.
pub(crate) async fn class(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (class, tables, protocol, asked) = actor
        .look(move |c, user| {
            let (class, tables) = practice::get(c, id, user)?;
            let protocol = labs::protocol(c, class.protocol_id)?;
            Ok((class, tables, protocol, practice::asked(c, user)?))
        })
        .await?;
    let signed = tables.iter().filter(|t| t.signed_at.is_some()).count();
    let frame = actor.frame("Practice", "practice").with_counts(signed, tables.len());
    if class.ended_at.is_none() {
        let next = tables.iter().find(|t| t.signed_at.is_none()).map(|t| t.number);
        return html(&ClassPage {
            frame,
            id,
            lab: protocol.title.clone(),
            kind: kind_title(&class.kind).to_owned(),
            begun: time(class.begun_at),
            tables: tables.iter().map(|t| (t.number, t.signed_at.is_some())).collect(),
            next,
            signed,
        });
    }
    let v = actor.think(super::bench::JUDGING, move |_| AccountView::new(&protocol, &class, &tables)).await?;
    html(&AccountPage { frame, v, asked })
}

/// The whole class at a glance, by station and by every other key: whether something is the team's or the apparatus's shows
/// in no single table.
pub(crate) async fn over(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (tables, protocol) = actor
        .look(move |c, user| {
            let (class, tables) = practice::get(c, id, user)?;
            Ok((tables, labs::protocol(c, class.protocol_id)?))
        })
        .await?;
    let lab = protocol.title.clone();
    let told = actor
        .think(super::bench::JUDGING, move |_| {
            let judged = |t: &practice::Table| judge(&protocol, &t.submission, &[], &[]);
            let entries: Vec<Entry> = tables.iter().map(|t| Entry::of(&protocol, &judged(t))).collect();
            ClassReport::new(&protocol, &entries).to_text()
        })
        .await?;
    html(&OverPage { frame: actor.frame("Practice: over the class", "practice"), id, lab, told })
}

pub(crate) async fn end(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| practice::end(c, id, user)).await?;
    Ok(on_to(&format!("/practice/{id}")))
}

const WHO: &str = "Examples are kept by the coordinator";

/// Keeps a signed table of the Bench as an example.
pub(crate) async fn keep(actor: Actor, id: web::Path<u32>, form: web::Form<Keep>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let (id, says) = (*id, form.into_inner().says);
    actor.run(move |c, user| practice::keep_example(c, id, &says, user)).await?;
    let said = "Without its team. Reviewers find it under Practice, among the examples of this lab.";
    Ok(on_to_saying(&format!("/bench/{id}"), Said::done("Kept as an example", said)))
}

pub(crate) async fn close(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *id;
    actor.run(move |c, user| practice::close_example(c, id, user)).await?;
    Ok(on_to_saying("/practice", Said::done("Taken out", "Classes that were begun with it keep it.")))
}
