//! What a reviewer adds in words: a finding of one's own, a word to the team, another sentence; and how a table came to
//! be as it is.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::decision::Action;
use jurado_core::finding::Key;
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
    token: String,
    version: u32,
    #[serde(default)]
    criterion: String,
    #[serde(default)]
    points: String,
    #[serde(default)]
    text: String,
}

#[derive(Deserialize)]
pub(crate) struct Say {
    token: String,
    version: u32,
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

/// A finding of the reviewer's own, or a word that costs nothing.
pub(crate) async fn own(actor: Actor, id: web::Path<u32>, form: web::Form<Own>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let loaded = load(&actor, id).await?;
    let text = match forms::SAYING.wanted(&form.text, "Write what the team should read.") {
        Ok(text) => text,
        Err(fault) => return refused(&actor, &loaded, fault).await,
    };
    let criterion = loaded.lab.protocol.criteria.iter().find(|c| c.id == form.criterion);
    let points = match criterion.filter(|_| !form.points.trim().is_empty()) {
        None => Ok(Decimal::ZERO),
        Some(c) => forms::points(&form.points, c.points),
    };
    let points = match points {
        Ok(points) => points,
        Err(fault) => return refused(&actor, &loaded, fault).await,
    };
    let criterion = criterion.map_or("", |c| c.id.as_str());
    // The next number that this table has not used, undone ones included: a key names one finding for good.
    let number = loaded.detail.version;
    let key = Key::Own { criterion: criterion.to_owned(), number: number.to_string() };
    let new = NewDecision::new(key, Action::Points(points), text.clone());
    store(&actor, id, form.version, new, &format!("add: “{text}”")).await
}

/// Other words for what the team is told of a finding.
pub(crate) async fn say(actor: Actor, id: web::Path<u32>, form: web::Form<Say>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let loaded = load(&actor, id).await?;
    let (on, key) = (loaded.clone(), form.finding.clone());
    let known =
        actor.think(JUDGING, move |_| on.detail.judge(&on.lab.protocol).findings.iter().any(|f| f.key == key)).await?;
    let gone = || "This finding is no longer there: the table has changed. Look at it as it is now.".to_owned();
    let text = match forms::EXPLANATION.optional(&form.text).and_then(|t| if known { Ok(t) } else { Err(gone()) }) {
        Ok(text) => text,
        Err(fault) => return refused(&actor, &loaded, fault).await,
    };
    let new = NewDecision {
        finding: Key::Say(Box::new(form.finding.clone())),
        action: Action::Say,
        reason: String::new(),
        text: text.to_owned(),
    };
    store(&actor, id, form.version, new, &format!("say: “{text}”")).await
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
