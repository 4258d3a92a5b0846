//! A protocol's text, to be changed by the coordinator: checked as it is typed, tried on one table, looked at over all, and
//! put in force as a new version.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::preview::difference;
use jurado_core::protocol::Protocol;
use jurado_store::{Filter, Lab, Order};

use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::frame::Frame;
use crate::views::would::{Checked, told};

#[derive(Template)]
#[template(path = "protocol_edit.html")]
struct EditPage {
    frame: Frame,
    id: u32,
    title: String,
    version: u32,
    text: String,
    refused: Option<String>,
    /// Section and team, points, lines; nothing where it was not asked.
    would: Option<Vec<(String, String, String)>>,
    checked: Checked,
    /// Tables to try it on: id, team and section.
    tables: Vec<(u32, String)>,
    trial: u32,
}

#[derive(Template)]
#[template(path = "_checked.html")]
struct CheckedPart {
    checked: Checked,
}

#[derive(serde::Deserialize)]
pub(crate) struct Edit {
    token: String,
    text: String,
    #[serde(default)]
    then: String,
    /// Version that was in force when the page was made.
    version: u32,
    /// Table to try it on.
    #[serde(default)]
    trial: String,
}

const WHO: &str = "Protocols are changed by the coordinator";
/// Tables offered for a trial.
const MOST_TRIALS: i64 = 24;

async fn page(actor: &Actor, lab: &Lab, text: String, trial: u32) -> Result<EditPage, WebError> {
    let id = lab.id;
    let tables = actor
        .run(move |c, user| {
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
        text,
        refused: None,
        would: None,
        tables: tables.into_iter().map(|r| (r.id, format!("{}, {}", r.team, r.section))).collect(),
        trial,
    })
}

/// What is to be said of a text: its faults, or what it holds and what one table would come to.
async fn checked(actor: &Actor, lab: &Lab, text: &str, trial: u32) -> Result<Checked, WebError> {
    let new = match Protocol::parse(text) {
        Ok(new) => new,
        Err(faults) => return Ok(Checked::faulty(faults)),
    };
    let mut out = Checked::of(&new);
    if trial > 0 {
        let now = lab.clone();
        out.trial = actor
            .run(move |c, user| {
                let detail = match jurado_store::sheets::get(c, trial, user) {
                    Ok(detail) if detail.lab_id == now.id => detail,
                    Ok(_) | Err(jurado_store::StoreError::NotFound(_)) => return Ok(None),
                    Err(e) => return Err(e),
                };
                let (before, after) = (vec![detail.judge(&now.protocol)], vec![detail.judge(&new)]);
                let who = format!("{}, {}", after[0].team, after[0].section);
                let stays = format!("{} as before", crate::views::bench::points(after[0].score.decided));
                let changes = difference((&now.protocol, &before), (&new, &after));
                Ok(Some(told(&new, changes, true).into_iter().next().unwrap_or((who, stays, String::new()))))
            })
            .await?;
    }
    Ok(out)
}

/// The text in force.
pub(crate) async fn edit(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let id = *lab;
    let (lab, text) =
        actor.run(move |c, _| Ok((jurado_store::labs::get(c, id)?, jurado_store::labs::source(c, id)?))).await?;
    html(&page(&actor, &lab, text, 0).await?)
}

/// Checks a text while it is typed; nothing is kept.
pub(crate) async fn check(actor: Actor, lab: web::Path<u32>, form: web::Form<Edit>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *lab;
    let lab = actor.run(move |c, _| jurado_store::labs::get(c, id)).await?;
    let text = form.text.replace("\r\n", "\n");
    html(&CheckedPart { checked: checked(&actor, &lab, &text, form.trial.parse().unwrap_or(0)).await? })
}

/// Shows what a changed text would change over all tables, or puts it in force as a new version and judges anew, in that
/// order of care.
pub(crate) async fn change(actor: Actor, lab: web::Path<u32>, form: web::Form<Edit>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *lab;
    let now = actor.run(move |c, _| jurado_store::labs::get(c, id)).await?;
    let text = form.text.replace("\r\n", "\n");
    let mut page = page(&actor, &now, text.clone(), form.trial.parse().unwrap_or(0)).await?;
    page.version = form.version;
    let Ok(new) = Protocol::parse(&text) else {
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
    } else {
        None
    };
    if page.refused.is_some() {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    }
    if form.then == "set" {
        actor.run(move |c, _| jurado_store::sheets::put_in_force(c, &text)).await?;
        return Ok(on_to(&format!("/protocols/{id}")));
    }
    page.would = Some(would(&actor, now, new).await?);
    html(&page)
}

/// What a protocol in place of the one in force would change, over all tables: whose, their points, and in which lines and
/// verdicts.
pub(super) async fn would(actor: &Actor, now: Lab, new: Protocol) -> Result<Vec<(String, String, String)>, WebError> {
    actor
        .run(move |c, user| {
            let details = jurado_store::sheets::details_of(c, now.id, None, user)?;
            let before: Vec<_> = details.iter().map(|d| d.judge(&now.protocol)).collect();
            let after: Vec<_> = details.iter().map(|d| d.judge(&new)).collect();
            Ok(told(&new, difference((&now.protocol, &before), (&new, &after)), true))
        })
        .await
}
