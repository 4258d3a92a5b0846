//! A protocol's text, to be changed by the coordinator: checked as it is typed, tried on one table, looked at over all, and
//! put in force as a new version.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::error::Fault;
use jurado_core::preview::of_table;
use jurado_core::protocol::Protocol;
use jurado_core::protocol::differ::{Difference, differences};
use jurado_store::{Filter, JobState, Lab, Order, StoreError, changes};

use super::would::{Change, unseen, would};
use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;
use crate::views::lab_form::{Input, LabFormView, used};
use crate::views::would::{Checked, WouldView, told};

#[derive(Template)]
#[template(path = "protocol_edit.html")]
struct EditPage {
    frame: Frame,
    id: u32,
    title: String,
    version: u32,
    text: String,
    refused: Option<String>,
    /// What it would change; nothing where it was not asked.
    would: Option<WouldView>,
    /// The change that was looked at.
    looked: String,
    /// What the text changes of the one in force, beside that.
    differs: Vec<Difference>,
    checked: Checked,
    parts: LabFormView,
    /// Tables to try it on: id, team and section.
    tables: Vec<(u32, String)>,
    trial: u32,
    reason: String,
}

#[derive(Template)]
#[template(path = "_checked.html")]
pub(super) struct CheckedPart {
    pub(super) checked: Checked,
}

/// What is sent of a text.
struct Edit {
    text: String,
    then: String,
    /// Version that was in force when the page was made.
    version: u32,
    /// Table to try it on.
    trial: u32,
    /// Why it is put in force.
    reason: String,
}

impl Edit {
    fn of(fields: &Fields) -> Edit {
        let text = |name: &str| field(fields, name).unwrap_or("").replace("\r\n", "\n");
        Edit {
            text: text("text"),
            then: text("then"),
            version: text("version").parse().unwrap_or(0),
            trial: text("trial").parse().unwrap_or(0),
            reason: text("reason"),
        }
    }
}

/// Which text is shown at first.
#[derive(serde::Deserialize)]
pub(crate) struct From {
    #[serde(default)]
    from: String,
}

const WHO: &str = "Protocols are changed by the coordinator";
/// Tables offered for a trial.
const MOST_TRIALS: i64 = 24;

async fn page(actor: &Actor, lab: &Lab, text: String, trial: u32) -> Result<EditPage, WebError> {
    let id = lab.id;
    let tables = actor
        .look(move |c, user| {
            let filter = Filter { lab: Some(id), ..Filter::default() };
            jurado_store::docket::list(c, user, &filter, Order::Need, MOST_TRIALS)
        })
        .await?;
    Ok(EditPage {
        frame: actor.frame(&lab.protocol.title, "protocols"),
        id,
        title: lab.protocol.title.clone(),
        version: lab.protocol.version,
        checked: checked(actor, lab, &text, trial).await?,
        parts: LabFormView::of(&text),
        text,
        refused: None,
        would: None,
        looked: String::new(),
        differs: Vec::new(),
        tables: tables.into_iter().map(|r| (r.id, format!("{}, {}", r.team, r.section))).collect(),
        trial,
        reason: String::new(),
    })
}

/// A text read off the event loop: one may be typed that takes long.
pub(super) async fn parsed(actor: &Actor, text: &str) -> Result<Result<Protocol, Vec<Fault>>, WebError> {
    let text = text.to_owned();
    actor.think("Checking this text", move |_| Protocol::parse(&text)).await
}

/// What is to be said of a text: its faults, or what it holds and what one table would come to.
async fn checked(actor: &Actor, lab: &Lab, text: &str, trial: u32) -> Result<Checked, WebError> {
    let (mut out, new) = match parsed(actor, text).await? {
        Ok(new) => (Checked::of(&new), new),
        Err(faults) => return Ok(Checked::faulty(faults)),
    };
    if trial > 0 {
        let now = lab.clone();
        out.trial = actor
            .look(move |c, user| {
                let detail = match jurado_store::sheets::get(c, trial, user) {
                    Ok(detail) if detail.lab_id == now.id => detail,
                    Ok(_) | Err(jurado_store::StoreError::NotFound(_)) => return Ok(None),
                    Err(e) => return Err(e),
                };
                let (before, after) = (detail.judge(&now.protocol), detail.judge(&new));
                let who = format!("{}, {}", after.team, after.section);
                let stays = || format!("{} as before", crate::views::bench::points(after.score.decided));
                let change = of_table((&now.protocol, &before), (&new, &after));
                let (sums, lines) = change.map_or_else(|| (stays(), String::new()), |change| told(&new, &change));
                Ok(Some((who, sums, lines)))
            })
            .await?;
    }
    Ok(out)
}

/// The text in force, or the one of the folder.
pub(crate) async fn edit(actor: Actor, lab: web::Path<u32>, from: web::Query<From>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let (id, folder) = (*lab, from.from == "folder");
    let (lab, text) = actor
        .look(move |c, _| {
            let lab = jurado_store::labs::get(c, id)?;
            let aside = if folder { jurado_store::labs::folder_text(c, &lab.protocol.id)? } else { None };
            let text = match aside {
                Some(aside) => aside.source,
                None => jurado_store::labs::source(c, id)?,
            };
            Ok((lab, text))
        })
        .await?;
    html(&page(&actor, &lab, text, 0).await?)
}

/// Checks a text while it is typed; nothing is kept.
pub(crate) async fn check(
    actor: Actor,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    actor.allow(field(&fields.0.0, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let (id, form) = (*lab, Edit::of(&fields.0.0));
    let lab = actor.look(move |c, _| jurado_store::labs::get(c, id)).await?;
    html(&CheckedPart { checked: checked(&actor, &lab, &form.text, form.trial).await? })
}

/// Shows what a changed text would change over all tables, or puts it in force as a new version and judges anew, in that
/// order of care; or does what a form beside the text asks for.
pub(crate) async fn change(
    actor: Actor,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let (id, form) = (*lab, Edit::of(&fields));
    let now = actor.look(move |c, _| jurado_store::labs::get(c, id)).await?;
    if let Some(made) = used(&form.text, &fields) {
        let page = page(&actor, &now, made.text, form.trial).await?;
        return html(&EditPage { parts: made.view, version: form.version, reason: form.reason, ..page });
    }
    let text = form.text.clone();
    let mut page = page(&actor, &now, text.clone(), form.trial).await?;
    page.version = form.version;
    page.reason.clone_from(&form.reason);
    field(&fields, "looked").unwrap_or("").clone_into(&mut page.looked);
    let Ok(new) = parsed(&actor, &text).await? else {
        page.refused = Some("It cannot be put in force yet: see below.".into());
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    };
    page.refused = if new.id != now.protocol.id {
        Some(format!("Its id is `{}`: a lab keeps its id, {}.", new.id, now.protocol.id))
    } else if now.protocol.version != form.version {
        Some(format!(
            "Somebody has put version {} in force meanwhile: copy your changes into that one.",
            now.protocol.version
        ))
    } else if form.then == "set" && new.version <= now.protocol.version && new.digest != now.protocol.digest {
        Some(format!("Count the version up: {} is in force.", now.protocol.version))
    } else if form.then == "set" && !page.checked.faults.is_empty() {
        Some("The instructor’s run does not come out clean: see below.".to_owned())
    } else {
        None
    };
    if page.refused.is_some() {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    }
    if form.then == "set" {
        let reason = form.reason.trim();
        if let Some(fault) = reason_fault(reason) {
            page.refused = Some(fault);
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
        if let Some(would) =
            unseen(&actor, &now, &Change::Protocol(std::sync::Arc::new(new)), field(&fields, "looked")).await?
        {
            page.looked.clone_from(&would.looked);
            page.would = Some(would);
            return html(&page);
        }
        return match put_in_force(&actor, Source::Text(text.clone()), reason).await {
            Err(WebError::Store(StoreError::Conflict(c))) => {
                page.refused = Some(format!("{} was first: {}.", c.by, c.theirs));
                html_with(StatusCode::CONFLICT, &page)
            }
            done => done.map(|()| on_to(&format!("/protocols/{id}"))),
        };
    }
    let was = actor.look(move |c, _| jurado_store::labs::source(c, id)).await?;
    page.differs = differences(&was, &text);
    let would = would(&actor, &now, &Change::Protocol(std::sync::Arc::new(new))).await?;
    page.looked.clone_from(&would.looked);
    page.would = Some(would);
    html(&page)
}

/// What is wrong with a reason, if anything.
pub(super) fn reason_fault(reason: &str) -> Option<String> {
    forms::REASON.wanted(reason, "Write in a few words why it is put in force: it is kept in the record.").err()
}

/// What is put in force.
pub(super) enum Source {
    /// A text.
    Text(String),
    /// A text that is kept already, by its id, of a lab.
    Kept(Lab, u32),
}

/// Puts a protocol in force: at once where few tables are concerned, else beside people's work, with its progress on the
/// lab's page.
pub(super) async fn put_in_force(actor: &Actor, source: Source, reason: &str) -> Result<(), WebError> {
    let (store, reason) = (actor.store.clone(), reason.to_owned());
    let job = actor
        .run(move |c, user| match &source {
            Source::Text(text) => changes::ask_in_force(c, text, Some(user), &reason),
            Source::Kept(lab, id) => changes::ask_in_force_of(c, lab, *id, Some(user), &reason),
        })
        .await?;
    if job.total <= changes::AT_ONCE {
        let done = web::block(move || jurado_store::work_on(&store, job.id)).await??;
        if done.state == JobState::Failed {
            return Err(WebError::Broken(done.outcome));
        }
    }
    Ok(())
}
