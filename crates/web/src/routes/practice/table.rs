//! A practice table on the Bench: the same page and the same forms as of a table of the course, kept beside it.

use std::slice;
use std::sync::Arc;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_store::practice::{self, Class, Table};
use jurado_store::sheets::NOTHING_TO_UNDO;
use jurado_store::{NewDecision, SheetDetail, SheetState, StoreError, StoredDecision, labs};

use super::super::bench::{Based, BenchPage, Decide, JUDGING, Look, read};
use super::super::tryout::{corrections, tried};
use super::super::words::{Own, Say, own_of, said_of};
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::bench::{Around, BenchView, Tried};
use crate::views::entry::{Bounded, Fields, field};
use crate::views::practice::{TruthView, kind_title};

/// A table with its class.
#[derive(Clone)]
struct Loaded {
    class: Class,
    table: Table,
    of: u32,
    signed: usize,
    protocol: Arc<Protocol>,
}

async fn load(actor: &Actor, (id, number): (u32, u32)) -> Result<Loaded, WebError> {
    actor
        .look(move |c, user| {
            let (class, tables) = practice::get(c, id, user)?;
            let protocol = labs::protocol(c, class.protocol_id)?;
            let (of, signed) = (tables.len() as u32, tables.iter().filter(|t| t.signed_at.is_some()).count());
            let table = tables.into_iter().find(|t| t.number == number);
            let table = table.ok_or(StoreError::NotFound("practice table"))?;
            Ok(Loaded { class, table, of, signed, protocol })
        })
        .await
}

impl Loaded {
    /// The table as the Bench takes one: of no section, with no due time and nothing that went out.
    fn detail(&self) -> SheetDetail {
        let decided = self.table.in_force(&self.protocol);
        SheetDetail {
            id: 0,
            lab_id: self.class.lab_id,
            version: self.table.version,
            state: if self.table.signed_at.is_some() { SheetState::Signed } else { SheetState::Waiting },
            section_id: 0,
            team_id: 0,
            settings: Section::default(),
            rulings: Vec::new(),
            due_at: None,
            shelved: None,
            went_out: None,
            returns: 0,
            taken: None,
            submission_id: 0,
            revision: 1,
            handed_in_at: self.class.begun_at,
            submission: self.table.submission.clone(),
            decisions: decided
                .into_iter()
                .map(|decision| StoredDecision { id: 0, decision, at: self.class.begun_at })
                .collect(),
            returned_at: None,
        }
    }

    fn page(&self, actor: &Actor, look: Look, tried: Option<&Tried>, fault: Option<String>) -> BenchPage {
        let (detail, n) = (self.detail(), self.table.number);
        let judged = self.table.judge(&self.protocol);
        let around = Around { unfolded: look.o.is_some(), tried, ..Around::alone(look.f, look.r) };
        let v = BenchView::new(&self.protocol, &detail, &judged, &around);
        let ended = self.class.ended_at.is_some();
        let at = |n: u32| format!("/practice/{}/{n}", self.class.id);
        let v = BenchView {
            at: at(n),
            practice: true,
            class: format!("/practice/{}", self.class.id),
            team: format!("Table {n}"),
            place: format!("Practice, {} · {}", kind_title(&self.class.kind), self.protocol.title),
            aside: format!("{n} of {} · only you see it", self.of),
            previous: (n > 1).then(|| at(n - 1)),
            next: (n < self.of).then(|| at(n + 1)),
            may_change: !ended,
            can_sign: v.can_sign && !ended,
            can_undo: !ended && (self.table.signed_at.is_some() || !self.table.decisions.is_empty()),
            truth: ended.then(|| TruthView::new(&self.protocol, &self.table, &judged, self.class.id)),
            ..v
        };
        let frame = actor.frame(&format!("Practice: table {n}"), "practice").with_counts(self.signed, self.of as usize);
        BenchPage { frame, v, fault }
    }
}

async fn shown(actor: &Actor, loaded: Loaded, look: Look, fault: Option<String>) -> Result<BenchPage, WebError> {
    actor.think(JUDGING, move |actor| loaded.page(actor, look, None, fault)).await
}

pub(crate) async fn page(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    look: web::Query<Look>,
) -> Result<HttpResponse, WebError> {
    let at = *at;
    let loaded = load(&actor, at).await?;
    if loaded.table.opened_at.is_none() && loaded.class.ended_at.is_none() {
        actor.run(move |c, user| practice::look(c, at.0, at.1, user)).await?;
    }
    html(&shown(&actor, loaded, look.into_inner(), None).await?)
}

/// The page again, with what is wrong: of what was typed, or because the table is another by now.
async fn refused(actor: &Actor, at: (u32, u32), fault: String) -> Result<HttpResponse, WebError> {
    let loaded = load(actor, at).await?;
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &shown(actor, loaded, Look::default(), Some(fault)).await?)
}

/// What is told of a change that was not kept, where the page can tell it.
fn objection(e: WebError) -> Result<String, WebError> {
    match e {
        WebError::Store(StoreError::Conflict(c)) => {
            Ok(format!("{} was first: {}. Look at it as it is now.", c.by, c.theirs))
        }
        WebError::Store(StoreError::Bad(what, mend)) => {
            Ok(format!("{}; {mend}.", jurado_core::notation::capital(&what)))
        }
        e => Err(e),
    }
}

async fn store(
    actor: &Actor,
    at: (u32, u32),
    version: u32,
    new: Result<NewDecision, String>,
) -> Result<HttpResponse, WebError> {
    let fault = match new {
        Err(fault) => fault,
        Ok(new) => {
            match actor.run(move |c, user| practice::decide(c, at, version, user, slice::from_ref(&new))).await {
                Ok(()) => return Ok(on_to(&format!("/practice/{}/{}", at.0, at.1))),
                Err(e) => objection(e)?,
            }
        }
    };
    refused(actor, at, fault).await
}

pub(crate) async fn decide(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    form: web::Form<Decide>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (loaded, form) = (load(&actor, *at).await?, form.into_inner());
    let version = form.version;
    let new =
        actor.think(JUDGING, move |_| read(&form, &loaded.protocol, &loaded.table.judge(&loaded.protocol))).await?;
    store(&actor, *at, version, new).await
}

pub(crate) async fn own(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    form: web::Form<Own>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let loaded = load(&actor, *at).await?;
    let new = own_of(&form, &loaded.protocol, loaded.table.version);
    store(&actor, *at, form.version, new).await
}

pub(crate) async fn say(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    form: web::Form<Say>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (loaded, form) = (load(&actor, *at).await?, form.into_inner());
    let version = form.version;
    let new = actor.think(JUDGING, move |_| said_of(&form, &loaded.table.judge(&loaded.protocol))).await?;
    store(&actor, *at, version, new).await
}

/// The page of a table with what was tried.
async fn trying(actor: &Actor, loaded: Loaded, fields: Fields, fault: Option<String>) -> Result<BenchPage, WebError> {
    actor
        .think(JUDGING, move |actor| {
            let tried = tried(&loaded.protocol, &loaded.detail(), &fields);
            loaded.page(actor, Look::default(), Some(&tried), fault)
        })
        .await
}

pub(crate) async fn begin_try(actor: Actor, at: web::Path<(u32, u32)>) -> Result<HttpResponse, WebError> {
    let loaded = load(&actor, *at).await?;
    html(&trying(&actor, loaded, Vec::new(), None).await?)
}

pub(crate) async fn work_try(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow_own(field(&fields, "token").unwrap_or(""))?;
    let loaded = load(&actor, *at).await?;
    html(&trying(&actor, loaded, fields, None).await?)
}

/// Takes what was tried as the correction of the practice table.
pub(crate) async fn correct(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let (at, fields) = (*at, fields.into_inner().0);
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    let loaded = load(&actor, at).await?;
    let version: u32 = field(&fields, "version").and_then(|v| v.parse().ok()).unwrap_or(0);
    let (on, asked) = (loaded.clone(), fields.clone());
    let fault = match actor.think(JUDGING, move |_| corrections(&on.protocol, &on.detail(), &asked)).await? {
        Ok(new) => match actor.run(move |c, user| practice::decide(c, at, version, user, &new)).await {
            Ok(()) => return Ok(on_to(&format!("/practice/{}/{}", at.0, at.1))),
            Err(e) => objection(e)?,
        },
        Err(fault) => fault,
    };
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &trying(&actor, loaded, fields, Some(fault)).await?)
}

pub(crate) async fn undo(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    form: web::Form<Based>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (at, version) = (*at, form.version);
    match actor.run(move |c, user| practice::undo(c, at, version, user)).await {
        Ok(()) | Err(WebError::Store(StoreError::NotFound(NOTHING_TO_UNDO))) => {
            Ok(on_to(&format!("/practice/{}/{}", at.0, at.1)))
        }
        Err(e) => refused(&actor, at, objection(e)?).await,
    }
}

/// Signs, and goes on to the next table; after the last one to the account.
pub(crate) async fn sign(
    actor: Actor,
    at: web::Path<(u32, u32)>,
    form: web::Form<Based>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (at, version) = (*at, form.version);
    match actor.run(move |c, user| practice::sign(c, at, version, user)).await {
        Ok(Some(next)) => Ok(on_to(&format!("/practice/{}/{next}", at.0))),
        Ok(None) => Ok(on_to(&format!("/practice/{}", at.0))),
        Err(e) => refused(&actor, at, objection(e)?).await,
    }
}
