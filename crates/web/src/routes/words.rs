//! What a reviewer adds in words: a finding of one's own, a word to the team, another sentence; and how a table came to
//! be as it is.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::decision::Action;
use jurado_core::finding::Key;
use jurado_core::protocol::Protocol;
use jurado_core::verdict::Judged;
use jurado_store::{NewDecision, StoreError};
use rust_decimal::Decimal;
use serde::Deserialize;

use super::bench::{JUDGING, load, lost, refused};
use crate::error::{WebError, html, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::frame::Frame;
use crate::views::revisions::RevisionsView;

#[derive(Template)]
#[template(path = "revisions.html")]
struct RevisionsPage {
    frame: Frame,
    v: RevisionsView,
}

#[derive(Deserialize)]
pub(crate) struct Own {
    pub(super) token: String,
    pub(super) version: u32,
    #[serde(default)]
    criterion: String,
    #[serde(default)]
    points: String,
    #[serde(default)]
    text: String,
}

#[derive(Deserialize)]
pub(crate) struct Say {
    pub(super) token: String,
    pub(super) version: u32,
    finding: Key,
    #[serde(default)]
    text: String,
}

async fn store(actor: &Actor, id: u32, version: u32, new: NewDecision, mine: &str) -> Result<HttpResponse, WebError> {
    match actor.run(move |c, user| jurado_store::sheets::decide(c, id, version, user, std::slice::from_ref(&new))).await
    {
        Ok(()) => Ok(on_to(&format!("/bench/{id}"))),
        Err(WebError::Store(StoreError::Conflict(c))) => lost(actor, id, mine, &c),
        Err(e) => Err(e),
    }
}

/// A finding of the reviewer's own out of its form, or what is wrong with it. `number` is one that the table has not used,
/// undone ones included: a key names one finding for good.
pub(super) fn own_of(form: &Own, protocol: &Protocol, number: u32) -> Result<NewDecision, String> {
    let text = forms::SAYING.wanted(&form.text, "Write what the team should read.")?;
    let criterion = protocol.criteria.iter().find(|c| c.id == form.criterion);
    let points = match criterion.filter(|_| !form.points.trim().is_empty()) {
        None => Decimal::ZERO,
        Some(c) => forms::points(&form.points, c.points)?,
    };
    let criterion = criterion.map_or("", |c| c.id.as_str());
    let key = Key::Own { criterion: criterion.to_owned(), number: number.to_string() };
    Ok(NewDecision::new(key, Action::Points(points), text))
}

/// Other words for a finding out of their form, or what is wrong with them.
pub(super) fn said_of(form: &Say, judged: &Judged) -> Result<NewDecision, String> {
    let text = forms::EXPLANATION.optional(&form.text)?;
    if !judged.findings.iter().any(|f| f.key == form.finding) {
        return Err("This finding is no longer there: the table has changed. Look at it as it is now.".to_owned());
    }
    let finding = Key::Say(Box::new(form.finding.clone()));
    Ok(NewDecision { finding, action: Action::Say, reason: String::new(), text })
}

/// A finding of the reviewer's own, or a word that costs nothing.
pub(crate) async fn own(actor: Actor, id: web::Path<u32>, form: web::Form<Own>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let loaded = load(&actor, *id).await?;
    match own_of(&form, &loaded.lab.protocol, loaded.detail.version) {
        Ok(new) => {
            let mine = format!("add: “{}”", new.reason);
            store(&actor, *id, form.version, new, &mine).await
        }
        Err(fault) => refused(&actor, &loaded, fault).await,
    }
}

/// Other words for what the team is told of a finding.
pub(crate) async fn say(actor: Actor, id: web::Path<u32>, form: web::Form<Say>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let loaded = load(&actor, *id).await?;
    let (on, form) = (loaded.clone(), form.into_inner());
    let version = form.version;
    match actor.think(JUDGING, move |_| said_of(&form, &on.detail.judge(&on.lab.protocol))).await? {
        Ok(new) => {
            let mine = format!("say: “{}”", new.text);
            store(&actor, *id, version, new, &mine).await
        }
        Err(fault) => refused(&actor, &loaded, fault).await,
    }
}

/// How the table changed from one handing in to the next.
pub(crate) async fn revisions(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (revisions, lab) = actor
        .look(move |c, user| {
            let revisions = jurado_store::sheets::revisions(c, id, user)?;
            let detail = jurado_store::sheets::get(c, id, user)?;
            Ok((revisions, jurado_store::labs::get_in(c, detail.lab_id, detail.section_id)?))
        })
        .await?;
    let v = RevisionsView::new(&lab.protocol, id, &revisions);
    html(&RevisionsPage { frame: actor.frame("Revisions", "bench"), v })
}
