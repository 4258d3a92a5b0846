//! The station sheet of a lab as a form: what it would change is shown before it is put in force as a new version.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::protocol::Protocol;
use jurado_core::protocol::sheet::{SheetChange, with_station_sheet};
use jurado_store::{Lab, StoreError};

use super::protocol_text::{Source, put_in_force, reason_fault};
use super::would::{Change, unseen, would};
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{Bounded, field};
use crate::views::frame::Frame;
use crate::views::stations::{StationsView, changes};
use crate::views::would::WouldView;

#[derive(Template)]
#[template(path = "stations.html")]
struct StationsPage {
    frame: Frame,
    id: u32,
    title: String,
    version: u32,
    v: StationsView,
    /// What is wrong with the whole, each with how to mend it.
    refused: Vec<String>,
    reason: String,
    /// What it would change; nothing where it was not asked.
    would: Option<WouldView>,
    /// The change that was looked at.
    looked: String,
}

const WHO: &str = "Station sheets are changed by the coordinator";

async fn loaded(actor: &Actor, id: u32) -> Result<(Lab, String), WebError> {
    actor.look(move |c, _| Ok((jurado_store::labs::get(c, id)?, jurado_store::labs::source(c, id)?))).await
}

fn show(actor: &Actor, lab: &Lab, v: StationsView) -> StationsPage {
    StationsPage {
        frame: actor.frame(&lab.protocol.title, "protocols"),
        id: lab.id,
        title: lab.protocol.title.clone(),
        version: lab.protocol.version,
        v,
        refused: Vec::new(),
        reason: String::new(),
        would: None,
        looked: String::new(),
    }
}

pub(crate) async fn page(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let (lab, source) = loaded(&actor, *lab).await?;
    html(&show(&actor, &lab, StationsView::new(&lab.protocol, &source, &Vec::new(), &[])))
}

pub(crate) async fn change(
    actor: Actor,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let (lab, source) = loaded(&actor, *lab).await?;
    let (added, said): (Vec<(String, String)>, Vec<SheetChange>) = changes(&source, &fields);
    let made = with_station_sheet(&source, &added, &said, lab.protocol.version + 1);
    let faults = made.as_ref().err().cloned().unwrap_or_default();
    let mut page = show(&actor, &lab, StationsView::new(&lab.protocol, &source, &fields, &faults));
    field(&fields, "reason").unwrap_or("").clone_into(&mut page.reason);
    field(&fields, "looked").unwrap_or("").clone_into(&mut page.looked);
    if field(&fields, "version").and_then(|v| v.parse().ok()) != Some(lab.protocol.version) {
        page.refused.push(format!(
            "Somebody has put version {} in force meanwhile. What you typed stands below, over the values that are in \
             force now: look at it and send it again.",
            lab.protocol.version
        ));
        return html_with(StatusCode::CONFLICT, &page);
    }
    let there =
        |(key, value): &&(String, String)| lab.protocol.keys.iter().any(|k| k.id == *key && k.values.contains(value));
    if let Some((_, value)) = added.iter().find(there) {
        page.refused.push(format!("“{value}” is there already: change its line, or write another name for one more."));
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    }
    let Ok(text) = made else {
        let count = jurado_core::notation::counted(faults.len(), "value");
        page.refused.push(format!("{count} cannot be: see below."));
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
    };
    let new = match Protocol::parse(&text) {
        Ok(new) => new,
        Err(faults) => {
            page.refused = faults
                .into_iter()
                .take(12)
                .map(|f| format!("{}. {}.", crate::views::capital(&f.what), crate::views::capital(&f.mend)))
                .collect();
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    if field(&fields, "then") == Some("set") {
        let reason = field(&fields, "reason").unwrap_or("").trim();
        if let Some(fault) = reason_fault(reason) {
            page.refused.push(fault);
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
        if text != source {
            if let Some(would) =
                unseen(&actor, &lab, &Change::Protocol(std::sync::Arc::new(new)), field(&fields, "looked")).await?
            {
                page.looked.clone_from(&would.looked);
                page.would = Some(would);
                return html(&page);
            }
            match put_in_force(&actor, Source::Text(text), reason).await {
                Err(WebError::Store(StoreError::Conflict(c))) => {
                    page.refused.push(format!("{} was first: {}.", c.by, c.theirs));
                    return html_with(StatusCode::CONFLICT, &page);
                }
                done => done?,
            }
        }
        return Ok(on_to(&format!("/protocols/{}", lab.id)));
    }
    let would = would(&actor, &lab, &Change::Protocol(std::sync::Arc::new(new))).await?;
    page.looked.clone_from(&would.looked);
    page.would = Some(would);
    html(&page)
}
