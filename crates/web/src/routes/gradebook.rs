//! Marks on their way to the college's gradebook, and the roster from it. The coordinator's page.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_college::Client;
use jurado_college::client::check_url;
use jurado_college::is_same_place;
use jurado_core::notation::counted;
use jurado_intake::{MOST_ROSTER_LINES, write_grid_csv};
use jurado_store::ScoreState;
use jurado_store::outbox::{self, Place};
use serde::Deserialize;

use super::auth::Token;
use crate::door::Door;
use crate::error::{WebError, html, html_with};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::Actor;
use crate::views::entry::{Bounded, field};
use crate::views::frame::Frame;
use crate::views::gradebook::{ComparedView, WayView, compare};

#[derive(Template)]
#[template(path = "gradebook.html")]
struct GradebookPage {
    frame: Frame,
    /// Its address, as set or as typed.
    url: String,
    /// Whether there is one.
    set: bool,
    waiting: i64,
    sent: i64,
    refused: i64,
    ways: Vec<WayView>,
    more: bool,
    compared: Vec<ComparedView>,
    fault: Option<String>,
}

const WHO: &str = "Marks go to the gradebook by the coordinator";
/// Scores on their way that are told one by one.
const MOST_LISTED: i64 = 80;
/// Scores of a lab that are compared.
const MOST_COMPARED: i64 = 100_000;

async fn show(
    actor: &Actor,
    typed: Option<String>,
    compared: Vec<ComparedView>,
    fault: Option<String>,
) -> Result<GradebookPage, WebError> {
    let (place, counts, rows, now) = actor
        .look(|c, _| {
            let open = [ScoreState::Refused, ScoreState::Waiting];
            Ok((outbox::place(c)?, outbox::counts(c)?, outbox::rows(c, &open, None, MOST_LISTED + 1)?, c.now()?))
        })
        .await?;
    let of = |state| counts.iter().find(|(s, _)| *s == state).map_or(0, |(_, n)| *n);
    Ok(GradebookPage {
        frame: actor.frame("Gradebook", "returns"),
        set: place.is_some(),
        url: typed.unwrap_or_else(|| place.map(|p| p.url).unwrap_or_default()),
        waiting: of(ScoreState::Waiting),
        sent: of(ScoreState::Sent),
        refused: of(ScoreState::Refused),
        more: rows.len() > MOST_LISTED as usize,
        ways: rows.iter().take(MOST_LISTED as usize).map(|r| WayView::new(r, now)).collect(),
        compared,
        fault,
    })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    html(&show(&actor, None, Vec::new(), None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Set {
    token: String,
    #[serde(default)]
    url: String,
    #[serde(default)]
    secret: String,
    #[serde(default)]
    then: String,
}

/// Sets where the gradebook is, or that there is none.
pub(crate) async fn set(actor: Actor, form: web::Form<Set>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    if form.then == "none" {
        actor.run(|c, user| outbox::set_place(c, None, user)).await?;
        return Ok(on_to_saying(HERE, Said::done("Set", "Nothing is sent to a gradebook any more.")));
    }
    let before = actor.look(|c, _| outbox::place(c)).await?;
    let secret = match (form.secret.trim(), before) {
        // A token that is not typed anew stays, and goes to no other address.
        ("", Some(before)) if is_same_place(&before.url, &form.url) => Ok(before.token),
        (secret, _) => forms::SECRET.wanted(secret, "Write the token that the gradebook gave for Jurado."),
    };
    match (forms::ADDRESS.optional(&form.url).and_then(|url| check_url(&url)), secret) {
        (Ok(url), Ok(token)) => {
            let place = Place { url, token };
            actor.run(move |c, user| outbox::set_place(c, Some(&place), user)).await?;
            Ok(on_to_saying(HERE, Said::done("Set", "What went out is sent within seconds.")))
        }
        (Err(told), _) | (_, Err(told)) => {
            let page = show(&actor, Some(form.url.clone()), Vec::new(), Some(told)).await?;
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
    }
}

const HERE: &str = "/returns/gradebook";

/// Tries what waits and what was refused at once.
pub(crate) async fn try_now(actor: Actor, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let n = actor.run(outbox::try_now).await?;
    Ok(on_to_saying(HERE, Said::done("Tried again", format!("{} on their way.", counted(n, "score")))))
}

/// A client of the gradebook, or what to do where there is none.
async fn client(actor: &Actor) -> Result<Client, WebError> {
    let place = actor.look(|c, _| outbox::place(c)).await?;
    place.as_ref().map(Client::new).ok_or_else(|| {
        WebError::Bad("No gradebook is set.".into(), "Set its address and token under Returns, Gradebook.".into())
    })
}

/// Reads what is in the gradebook of every lab of which something went out, and says how it differs.
pub(crate) async fn reconcile(actor: Actor, door: web::Data<Door>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let client = client(&actor).await?;
    let labs = actor
        .look(|c, _| {
            let mut out = Vec::new();
            for (lab, _) in jurado_store::labs::open(c)? {
                let states = [ScoreState::Sent, ScoreState::Waiting, ScoreState::Refused];
                let rows = outbox::rows(c, &states, Some(&lab.protocol.id), MOST_COMPARED)?;
                if !rows.is_empty() {
                    out.push((lab, rows));
                }
            }
            Ok(out)
        })
        .await?;
    let ask = move || -> Result<Vec<ComparedView>, String> {
        let of = |(lab, rows): &(jurado_store::Lab, Vec<outbox::Row>)| {
            let theirs = client.scores(&lab.protocol.id)?;
            Ok(compare(&lab.protocol.id, &lab.protocol.title, rows, &theirs))
        };
        labs.iter().map(of).collect()
    };
    match door.outside(ask).await? {
        Ok(compared) => html(&show(&actor, None, compared, None).await?),
        Err(told) => html_with(StatusCode::BAD_GATEWAY, &show(&actor, None, Vec::new(), Some(told)).await?),
    }
}

/// Sends chosen scores anew.
pub(crate) async fn again(actor: Actor, fields: web::Form<Bounded>) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let column = field(&fields, "column").unwrap_or("").to_owned();
    let numbers: Vec<String> = fields.iter().filter(|(n, _)| n == "student").map(|(_, v)| v.clone()).collect();
    if numbers.is_empty() {
        let told = "Choose at least one score to be sent anew.".to_owned();
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, None, Vec::new(), Some(told)).await?);
    }
    let n = actor.run(move |c, user| outbox::send_anew(c, &column, &numbers, user)).await?;
    Ok(on_to_saying(HERE, Said::done("Sent anew", format!("{} on their way.", counted(n, "score")))))
}

/// The roster as the college has it, put where a roster is pasted: it is looked at before it is taken.
pub(crate) async fn roster(actor: Actor, door: web::Data<Door>) -> Result<HttpResponse, WebError> {
    actor.coordinator("The roster is brought by the coordinator")?;
    let client = client(&actor).await?;
    let people = door.outside(move || client.roster()).await?;
    match people {
        Ok(people) if people.len() > MOST_ROSTER_LINES => Err(WebError::Bad(
            format!("The gradebook’s roster has {} lines; at most {MOST_ROSTER_LINES} are taken.", people.len()),
            "Paste the roster of this course alone.".into(),
        )),
        Ok(people) => {
            let mut grid = vec![["section", "team", "number", "name"].map(str::to_owned).to_vec()];
            grid.extend(people.into_iter().map(|p| vec![p.section, p.team, p.number, p.name]));
            super::sections::with_roster(&actor, write_grid_csv(&grid)).await
        }
        Err(told) => Err(WebError::Bad(told, "Try again in a minute, or paste the roster.".into())),
    }
}
