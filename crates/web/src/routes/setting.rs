//! What a section sets for a lab. A change shows what it would change before it is applied.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::StoreError;

use super::would::{Change, unseen, would};
use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::entry::{Bounded, field};
use crate::views::frame::Frame;
use crate::views::setting::{Loaded, SettingView, parse};
use crate::views::would::WouldView;

#[derive(Template)]
#[template(path = "setting.html")]
struct SettingPage {
    frame: Frame,
    v: SettingView,
}

async fn load(actor: &Actor, section: u32, lab: u32) -> Result<Loaded, WebError> {
    actor
        .look(move |c, user| {
            let mine = jurado_store::roster::sections(c, user)?;
            let (this, others): (Vec<_>, Vec<_>) =
                mine.into_iter().map(|s| (s.id, s.name)).partition(|s| s.0 == section);
            let (_, name) = this.into_iter().next().ok_or(StoreError::NotFound("section"))?;
            Ok(Loaded {
                lab: jurado_store::labs::get(c, lab)?,
                section: name,
                others,
                now: jurado_store::sections::get(c, section, lab)?,
                past: jurado_store::sections::past(c, section, lab)?,
            })
        })
        .await
}

pub(crate) async fn page(actor: Actor, place: web::Path<(u32, u32)>) -> Result<HttpResponse, WebError> {
    let (section, lab) = *place;
    let loaded = load(&actor, section, lab).await?;
    let v = SettingView::new(&loaded, section, &loaded.now.settings, loaded.now.due_at);
    html(&SettingPage { frame: actor.frame("Sections", "sections"), v })
}

pub(crate) async fn set(
    actor: Actor,
    place: web::Path<(u32, u32)>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    let (section, lab) = *place;
    let loaded = load(&actor, section, lab).await?;
    let reason = field(&fields, "reason").unwrap_or("").trim().to_owned();
    let also: Vec<u32> =
        loaded.others.iter().map(|o| o.0).filter(|id| field(&fields, &format!("also.{id}")).is_some()).collect();
    let refuse = |fault: String| {
        let mut v = SettingView::new(&loaded, section, &loaded.now.settings, loaded.now.due_at);
        v.keep(&fields);
        v.fault = Some(fault);
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &SettingPage { frame: actor.frame("Sections", "sections"), v })
    };
    let (new, due) = match parse(&loaded.lab.protocol, &fields, &loaded.now.settings) {
        Ok(new) => new,
        Err(fault) => return refuse(fault),
    };
    let change = Change::Settings([&[section], &also[..]].concat(), new.clone());
    let shown = |would: WouldView| {
        let mut v = SettingView::new(&loaded, section, &new, due);
        v.reason.clone_from(&reason);
        v.choose(&also);
        v.looked.clone_from(&would.looked);
        v.would = Some(would);
        html(&SettingPage { frame: actor.frame("Sections", "sections"), v })
    };
    if field(&fields, "then") == Some("set") {
        let reason = match forms::REASON.wanted(&reason, "Write the reason in a few words: it is kept in the history.")
        {
            Ok(reason) => reason,
            Err(fault) => return refuse(fault),
        };
        if let Some(would) = unseen(&actor, &loaded.lab, &change, field(&fields, "looked")).await? {
            return shown(would);
        }
        let version: u32 = field(&fields, "version").and_then(|v| v.parse().ok()).unwrap_or(0);
        let (set, why, also) = (new.clone(), reason.clone(), also.clone());
        let work = move |c: &mut jurado_store::Db, user: &jurado_store::User| {
            jurado_store::changes::set_sections(c, (section, lab), &also, version, (&set, due), &why, user)
        };
        return match actor.run(work).await {
            Ok(_) => Ok(on_to(&format!("/sections/{section}/{lab}"))),
            Err(WebError::Store(StoreError::Conflict(c))) => {
                let told = format!("{} was first: {}. Load the page anew and look at what is set now.", c.by, c.theirs);
                refuse(told)
            }
            Err(e) => Err(e),
        };
    }
    shown(would(&actor, &loaded.lab, &change).await?)
}
