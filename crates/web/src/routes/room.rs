//! The room: a team's own readings as they come, what to take again and what to do next. Nothing of it is stored.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::door as store_door;

use super::hand_in::typed;
use super::quick::LabView;
use crate::crew::Crew;
use crate::error::{WebError, html};
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;
use crate::views::quick::For;

#[derive(Template)]
#[template(path = "door/room.html")]
struct RoomPage {
    frame: Frame,
    team: String,
    section: String,
    l: LabView,
    action: String,
    may_compare: bool,
}

async fn show(crew: &Crew, lab: u32, fields: Option<Fields>) -> Result<HttpResponse, WebError> {
    let place = crew.look(move |c, team| store_door::place(c, team, lab)).await?;
    let look = move || {
        // It begins with what the team has typed on its sheet.
        let fields = fields.unwrap_or_else(|| typed(&place));
        LabView::new(&place.lab, &place.settings, &fields, For::Team)
    };
    let l = web::block(look).await?;
    html(&RoomPage {
        frame: crew.frame(&l.title),
        team: crew.team.name.clone(),
        section: crew.team.section.clone(),
        action: format!("/hand-in/{lab}/room"),
        may_compare: false,
        l,
    })
}

pub(crate) async fn page(crew: Crew, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    show(&crew, *lab, None).await
}

/// Looks at what is typed so far. A post, since a table does not fit an address; it changes nothing.
pub(crate) async fn look(
    crew: Crew,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    crew.allow(field(&fields, "token").unwrap_or(""))?;
    show(&crew, *lab, Some(fields)).await
}
