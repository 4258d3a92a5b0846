//! A paper sheet typed off in its own order, once or twice. What is typed becomes a file like any other: looked at, then
//! taken.

use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_store::attachments::Attachment;
use jurado_store::{Lab, StoreError, imports};
use serde::Deserialize;

use super::{attachments, parts};
use crate::door::Door;
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{Fields, FormView, field, fields_of, form, submission};
use crate::views::frame::Frame;
use crate::views::revisions::difference;

#[derive(Template)]
#[template(path = "entry.html")]
struct EntryPage {
    frame: Frame,
    lab: String,
    lab_id: u32,
    section: String,
    section_id: u32,
    teams: Vec<String>,
    team: String,
    form: FormView,
    fault: Option<String>,
    /// The first typing, as JSON, while the second is done.
    first: String,
    second: bool,
    /// Cell, first, second, and the box it stands in.
    differences: Vec<(String, String, String, String)>,
    /// The team's pictures of this lab: id, name, and whether it is a picture.
    scans: Vec<(u32, String, bool)>,
}

#[derive(Deserialize)]
pub(crate) struct Place {
    lab: u32,
    section: u32,
    #[serde(default)]
    team: String,
}

struct There {
    lab: Lab,
    section: String,
    teams: Vec<String>,
    /// Id of the team that is typed, if it is one of them.
    team: Option<u32>,
    scans: Vec<Attachment>,
}

async fn there(actor: &Actor, lab: u32, section: u32, team: &str) -> Result<There, WebError> {
    let team = team.to_owned();
    actor
        .look(move |c, user| {
            let lab = jurado_store::labs::get(c, lab)?;
            let name = jurado_store::roster::sections(c, user)?
                .into_iter()
                .find(|s| s.id == section)
                .ok_or(StoreError::NotFound("section"))?
                .name;
            let roster = jurado_store::roster::roster(c, user)?;
            let teams: Vec<String> =
                roster.sections.get(&name).map(|t| t.iter().cloned().collect()).unwrap_or_default();
            let team = jurado_store::roster::team(c, section, &team)?;
            let scans = match team {
                Some(team) => jurado_store::attachments::of(c, lab.id, team)?,
                None => Vec::new(),
            };
            Ok(There { lab, section: name, teams, team, scans })
        })
        .await
}

fn show(actor: &Actor, there: &There, section_id: u32, fields: &Fields) -> EntryPage {
    EntryPage {
        frame: actor.frame("From paper", "intake"),
        lab: there.lab.protocol.title.clone(),
        lab_id: there.lab.id,
        section: there.section.clone(),
        section_id,
        teams: there.teams.clone(),
        team: field(fields, "team").unwrap_or("").to_owned(),
        form: form(&there.lab.protocol, fields, true),
        fault: None,
        first: String::new(),
        second: false,
        differences: Vec::new(),
        scans: there.scans.iter().map(|a| (a.id, a.file_name.clone(), a.media.starts_with("image/"))).collect(),
    }
}

pub(crate) async fn page(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    let there = there(&actor, place.lab, place.section, &place.team).await?;
    html(&show(&actor, &there, place.section, &vec![("team".to_owned(), place.into_inner().team)]))
}

/// Cells in which two typings differ: what, first, second, and the name of the box.
fn differ(protocol: &Protocol, first: &Submission, second: &Submission) -> Vec<(String, String, String, String)> {
    let (a, b) = (fields_of(protocol, first), fields_of(protocol, second));
    let lines = difference(protocol, first, second).0;
    let mut boxes: Vec<String> = Vec::new();
    for (name, _) in a.iter().chain(&b) {
        if name.starts_with("c.") && field(&a, name) != field(&b, name) && !boxes.contains(name) {
            boxes.push(name.clone());
        }
    }
    lines
        .into_iter()
        .map(|l| {
            let at = boxes.iter().find(|n| {
                let is = |fields: &Fields, text: &str| field(fields, n).is_none_or(|v| text.starts_with(v));
                is(&a, &l.before) && is(&b, &l.after)
            });
            (l.title, l.before, l.after, at.cloned().unwrap_or_default())
        })
        .collect()
}

pub(crate) async fn typed(actor: Actor, door: web::Data<Door>, form: Multipart) -> Result<HttpResponse, WebError> {
    let sent = parts::take(&door, actor.whose(), form, attachments::BOUNDS).await?;
    let objection = attachments::objection(&sent);
    let (fields, mut files) = (sent.fields, sent.files);
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    let number = |name: &str| field(&fields, name).and_then(|v| v.parse::<u32>().ok());
    let (Some(lab), Some(section)) = (number("lab"), number("section")) else {
        return Err(WebError::NotFound("lab or section"));
    };
    let team = field(&fields, "team").unwrap_or("").to_owned();
    let mut there = there(&actor, lab, section, &team).await?;
    // The scan goes with the table at once: it need not be chosen again, whatever becomes of what is typed.
    let mut refused = objection.map(|(what, mend)| format!("{what} {mend}"));
    if let (Some(team), false) = (there.team, files.is_empty()) {
        let put = actor
            .run(move |c, user| {
                for file in &mut files {
                    let bytes = attachments::bytes_of(file)?;
                    jurado_store::attachments::put(c, lab, team, Some(user), &file.name, &bytes)?;
                }
                Ok(())
            })
            .await;
        match put.map_err(attachments::in_words) {
            Ok(()) => {}
            Err(Ok((what, mend))) => refused = Some(format!("{what} {mend}")),
            Err(Err(e)) => return Err(e),
        }
        there.scans = actor.look(move |c, _| jurado_store::attachments::of(c, lab, team)).await?;
    }
    let p = &there.lab.protocol;
    let table = submission(p, &fields, &there.section, &team);
    let again = |fault: &str| {
        let mut page = show(&actor, &there, section, &fields);
        page.fault = Some(fault.to_owned());
        page.second = field(&fields, "first").is_some();
        page.first = field(&fields, "first").unwrap_or("").to_owned();
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
    };
    if let Some(refused) = refused {
        return again(&refused);
    }
    if there.team.is_none() {
        return again("Choose the team whose sheet this is; then its scan, if there is one.");
    }
    if table.cells.is_empty() {
        return again("Nothing is typed yet.");
    }
    if field(&fields, "then") == Some("again") {
        let mut page = show(&actor, &there, section, &vec![("team".to_owned(), team)]);
        page.first = serde_json::to_string(&table).map_err(|e| WebError::Broken(e.to_string()))?;
        page.second = true;
        return html(&page);
    }
    if let Some(first) = field(&fields, "first") {
        let first: Submission = serde_json::from_str(first).map_err(|e| {
            WebError::Bad(format!("The first typing came back damaged: {e}."), "Type the sheet anew.".into())
        })?;
        let differences = differ(p, &first, &table);
        if !differences.is_empty() {
            // Shown once; what is sent from here counts.
            let mut page = show(&actor, &there, section, &fields);
            page.differences = differences;
            page.second = true;
            return html(&page);
        }
    }
    let name = format!("typed off: {team}, {}", there.section);
    let body = serde_json::to_vec(&[&table]).map_err(|e| WebError::Broken(e.to_string()))?;
    let id = actor.run(move |c, user| imports::offer(c, lab, user, &name, &body)).await?;
    Ok(on_to(&format!("/intake/{id}")))
}
