//! What a team brings as files: a sheet in place of typing it, and pictures that go with it.

use actix_multipart::Multipart;
use actix_web::http::{StatusCode, header};
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::protocol::Protocol;
use jurado_intake::{Effort, Intake, TEAM, read_own};
use jurado_store::attachments as pictures;
use jurado_store::door::{self as store_door, Place};
use jurado_store::drafts;
use serde::Deserialize;

use super::attachments::{BOUNDS, as_it_is, bytes_of, in_words, objection};
use super::hand_in::{Outcome, Then, settle, shown};
use super::parts::{self, Parts};
use super::protocols::data_sheet;
use crate::crew::Crew;
use crate::door::{Door, Waiting, Whose};
use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::views::entry::field;
use crate::views::frame::Frame;
use crate::views::hand_in::fields_for;

#[derive(Template)]
#[template(path = "door/files.html")]
struct FilesPage {
    frame: Frame,
    team: String,
    section: String,
    lab: u32,
    title: String,
    /// What a picture may show.
    about: Vec<String>,
    pictures: Vec<PictureView>,
    out: bool,
    fault: Option<String>,
    /// What of a file could not be used, line by line.
    held: Vec<String>,
}

struct PictureView {
    id: u32,
    name: String,
    about: String,
    picture: bool,
}

/// Most lines of a file that are told one by one.
const MOST_TOLD: usize = 12;

/// What a picture may show: the sheet as a whole, or one reading.
fn subjects(p: &Protocol) -> Vec<String> {
    let whole = ["the sheet on paper", "the graph", "the working"].map(str::to_owned);
    let readings = p.readings.iter().filter(|r| p.items[r.item].words.is_none()).map(|r| p.items[r.item].title.clone());
    whole.into_iter().chain(readings.map(|t| format!("the reading: {t}"))).collect()
}

fn page_of(crew: &Crew, place: &Place, fault: Option<String>, held: Vec<String>) -> FilesPage {
    let view = |a: &pictures::Attachment| PictureView {
        id: a.id,
        name: a.file_name.clone(),
        about: a.about.clone(),
        picture: a.media.starts_with("image/"),
    };
    FilesPage {
        frame: crew.frame("Files and pictures"),
        team: crew.team.name.clone(),
        section: crew.team.section.clone(),
        lab: place.lab.id,
        title: place.lab.protocol.title.clone(),
        about: subjects(&place.lab.protocol),
        pictures: place.pictures.iter().map(view).collect(),
        out: place.out,
        fault,
        held,
    }
}

async fn place(crew: &Crew, lab: u32) -> Result<Place, WebError> {
    crew.look(move |c, team| store_door::place(c, team, lab)).await
}

pub(crate) async fn page(crew: Crew, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let place = place(&crew, *lab).await?;
    html(&page_of(&crew, &place, None, Vec::new()))
}

/// What a form with files brought to a sheet.
enum Brought {
    /// The sheet and the form, one file at least.
    Files(Box<Place>, parts::Parts),
    /// Nothing, and the page that says why.
    Refused(HttpResponse),
}

/// Reads a form with files of this team, in its turn and with its token; `none` is said where no file was chosen.
async fn brought(crew: &Crew, door: &Door, lab: u32, form: Multipart, none: &str) -> Result<Brought, WebError> {
    let parts = parts::take(door, Whose::Team(crew.team.id), form, BOUNDS).await?;
    crew.allow(field(&parts.fields, "token").unwrap_or(""))?;
    let place = place(crew, lab).await?;
    let told = match objection(&parts) {
        _ if place.out => Some(OUT.to_owned()),
        Some((what, mend)) => Some(format!("{what} {mend}")),
        None => parts.files.is_empty().then(|| none.to_owned()),
    };
    match told {
        Some(told) => refused(crew, &place, told, Vec::new()).map(Brought::Refused),
        None => Ok(Brought::Files(Box::new(place), parts)),
    }
}

const OUT: &str = "Marks are out: nothing is brought to this sheet any more. Ask on a line of it instead.";

fn refused(crew: &Crew, place: &Place, told: impl Into<String>, held: Vec<String>) -> Result<HttpResponse, WebError> {
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &page_of(crew, place, Some(told.into()), held))
}

/// The lines of a file that cannot be used, in words.
fn held(intake: &Intake) -> Vec<String> {
    let line = |h: &jurado_intake::HeldRow| format!("Line {}: {}; {}.", h.fault.line, h.fault.what, h.fault.mend);
    let mut out: Vec<String> = intake.held.iter().take(MOST_TOLD).map(line).collect();
    if intake.held.len() > MOST_TOLD {
        out.push(format!("And {} lines more.", intake.held.len() - MOST_TOLD));
    }
    out
}

/// Reads a file into the form, where it is looked at before it is handed in.
pub(crate) async fn file(
    crew: Crew,
    door: web::Data<Door>,
    lab: web::Path<u32>,
    form: Multipart,
) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let none = "No file was chosen: choose the filled data sheet.";
    let (place, parts) = match brought(&crew, &door, id, form, none).await? {
        Brought::Files(place, parts) => (place, parts),
        Brought::Refused(page) => return Ok(page),
    };
    let Parts { files, turn, .. } = parts;
    let Some(mut file) = files.into_iter().next() else { return Err(WebError::NotFound("file")) };
    let (name, protocol, team) = (file.name.clone(), place.lab.protocol.clone(), crew.team.clone());
    let waiting = Waiting::default();
    let gone = waiting.flag();
    let read = web::block(move || {
        let effort = Effort::new(TEAM).until_gone(gone);
        let read = file.bytes().map(|bytes| read_own(&bytes, &protocol, (&team.section, &team.name), &effort));
        // What follows needs none of its memory.
        drop(turn);
        read
    });
    let intake = match read.await?.map_err(parts::not_kept)? {
        Ok(intake) => intake,
        Err(f) => {
            let told = format!("“{name}”, line {}: {}; {}.", f.line, f.what, f.mend);
            return refused(&crew, &place, told, Vec::new());
        }
    };
    let Some(table) = intake.tables.first().filter(|t| t.cells.iter().any(|c| !c.value.trim().is_empty())) else {
        return refused(&crew, &place, format!("Nothing is filled in in “{name}” that could be used."), held(&intake));
    };
    // The file takes the place of what is there, and is kept beside what another phone saves meanwhile.
    let seen = place.draft.as_ref().map(|d| d.version);
    let cells = table.cells.iter().filter(|c| !c.value.trim().is_empty()).count();
    let outcome = settle(&crew, id, (seen, fields_for(&place.lab.protocol, table)), Then::Look).await?;
    // The formulas belong to what was taken into the form: of a file that was not, none are kept.
    if !matches!(outcome, Outcome::Refused(..)) {
        let under = table.under.clone();
        crew.run(move |c, team| drafts::keep_book(c, team, id, under.as_deref())).await?;
    }
    match outcome {
        Outcome::Refused(place, _, told) => refused(&crew, &place, told, held(&intake)),
        // Another phone saved at this moment: what both say is looked at in the form.
        Outcome::Kept(place, joined) if !joined.both.is_empty() => html(&shown(&crew, place, joined, None).await?),
        Outcome::Kept(place, _) if !intake.held.is_empty() => {
            let told =
                format!("{cells} boxes of “{name}” were read; the lines below were not. Mend them, or type them.");
            refused(&crew, &place, told, held(&intake))
        }
        _ => {
            let said = Said::done("Read, not handed in yet", format!("{cells} boxes of “{name}”. Look, then hand in."));
            Ok(on_to_saying(&format!("/hand-in/{id}"), said))
        }
    }
}

/// Takes pictures of the sheet, the graph, the working or a single reading.
pub(crate) async fn picture(
    crew: Crew,
    door: web::Data<Door>,
    lab: web::Path<u32>,
    form: Multipart,
) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let none = "No picture was chosen: choose one, or take one with the phone.";
    let (place, parts) = match brought(&crew, &door, id, form, none).await? {
        Brought::Files(place, parts) => (place, parts),
        Brought::Refused(page) => return Ok(page),
    };
    let asked = field(&parts.fields, "about").unwrap_or("");
    let about = subjects(&place.lab.protocol).into_iter().find(|s| s == asked).unwrap_or_default();
    let Parts { mut files, turn, .. } = parts;
    let put = crew
        .run(move |c, team| {
            for file in &mut files {
                let bytes = bytes_of(file)?;
                pictures::bring(c, id, team, &about, (&file.name, &bytes))?;
            }
            Ok(())
        })
        .await;
    drop(turn);
    match put.map_err(in_words) {
        Ok(()) => Ok(on_to(&format!("/hand-in/{id}/files"))),
        Err(Ok((what, mend))) => refused(&crew, &place, format!("{what} {mend}"), Vec::new()),
        Err(Err(e)) => Err(e),
    }
}

/// Shows a picture that the team brought itself.
pub(crate) async fn show(crew: Crew, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (media, body) = crew.look(move |c, team| pictures::of_team_get(c, id, team)).await?;
    Ok(as_it_is(media, body))
}

#[derive(Deserialize)]
pub(crate) struct Remove {
    token: String,
}

pub(crate) async fn remove(
    crew: Crew,
    at: web::Path<(u32, u32)>,
    form: web::Form<Remove>,
) -> Result<HttpResponse, WebError> {
    crew.allow(&form.token)?;
    let (lab, id) = *at;
    let place = place(&crew, lab).await?;
    if place.out {
        return refused(&crew, &place, OUT, Vec::new());
    }
    crew.run(move |c, team| pictures::take_away(c, id, lab, team)).await?;
    Ok(on_to(&format!("/hand-in/{lab}/files")))
}

/// The lab's data sheet with the team's name on it, to be filled in and brought back.
pub(crate) async fn blank(crew: Crew, at: web::Path<(u32, String)>) -> Result<HttpResponse, WebError> {
    let (lab, ending) = at.into_inner();
    let place = place(&crew, lab).await?;
    let p = &place.lab.protocol;
    let own = jurado_core::submission::Submission {
        section: crew.team.section.clone(),
        team: crew.team.name.clone(),
        ..Default::default()
    };
    let (media, body) = data_sheet(p, Some(&own), &ending)?;
    let name = format!("attachment; filename=\"{}-sheet.{ending}\"", p.id);
    Ok(HttpResponse::Ok().content_type(media).insert_header((header::CONTENT_DISPOSITION, name)).body(body))
}
