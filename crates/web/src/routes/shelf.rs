//! Tables that are taken out and brought back; terms that end and can still be read.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::notation::counted;
use jurado_intake::write_grid_csv;
use jurado_store::terms::{self, Kept, Term};
use jurado_store::{StoreError, labs, roster, shelf};
use serde::Deserialize;

use super::bench::{load, lost, refused};

use crate::error::{WebError, html};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::routes::course;
use crate::session::Actor;
use crate::views::bench::points;
use crate::views::frame::Frame;
use crate::views::returns::marks_grid;

const WHO: &str = "Tables are taken out and brought back by the coordinator";

#[derive(Deserialize)]
pub(crate) struct Remove {
    token: String,
    #[serde(default)]
    version: u32,
    #[serde(default)]
    reason: String,
}

/// What is asked of whoever takes something out.
const WANTED: &str = "Write in a few words why it is taken out: it is told to whoever looks for it.";

/// Takes one table out.
pub(crate) async fn remove(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Remove>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let (id, version) = (*id, form.version);
    let reason = match forms::REASON.wanted(&form.reason, WANTED) {
        Ok(reason) => reason,
        Err(fault) => return refused(&actor, &load(&actor, id).await?, fault).await,
    };
    match actor.run(move |c, user| shelf::remove_table(c, id, version, &reason, user)).await {
        Ok(_) => {
            Ok(on_to_saying("/docket", Said::done("Taken out", "The table stands under “The course” for thirty days.")))
        }
        Err(WebError::Store(StoreError::Conflict(c))) => lost(&actor, id, "take the table out", &c),
        Err(e) => Err(e),
    }
}

/// Takes all tables of a lab out.
pub(crate) async fn remove_lab(
    actor: Actor,
    lab: web::Path<u32>,
    form: web::Form<Remove>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *lab;
    let reason = forms::REASON
        .wanted(&form.reason, WANTED)
        .map_err(|fault| WebError::Bad(fault, "Go back and send it again.".into()))?;
    let count = actor.run(move |c, user| shelf::remove_lab(c, id, &reason, user)).await?;
    let said = format!("{} can be brought back under “The course” for thirty days.", counted(count, "table"));
    Ok(on_to_saying(&format!("/protocols/{id}"), Said::done("Taken out", said)))
}

#[derive(Deserialize)]
pub(crate) struct Back {
    token: String,
}

/// Brings back what was taken out.
pub(crate) async fn bring_back(
    actor: Actor,
    removal: web::Path<u32>,
    form: web::Form<Back>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let id = *removal;
    let count = actor.run(move |c, user| shelf::bring_back(c, id, user)).await?;
    let said = format!("{}, judged by what is in force now.", counted(count, "table"));
    Ok(on_to_saying("/course", Said::done("Brought back", said)))
}

#[derive(Deserialize)]
pub(crate) struct Begin {
    token: String,
    #[serde(default)]
    ends: String,
    #[serde(default)]
    begins: String,
    #[serde(default)]
    teams: Option<String>,
    /// Said by whoever knows that tables still wait.
    #[serde(default)]
    sure: Option<String>,
}

/// Ends the term that runs and begins a new one.
pub(crate) async fn begin(actor: Actor, form: web::Form<Begin>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("Terms are begun by the coordinator")?;
    let form = form.into_inner();
    let (waits, signed) = actor.look(|c, _| terms::unfinished(c)).await?;
    if waits + signed > 0 && form.sure.is_none() {
        let fault = format!(
            "{} still wait for a decision and {signed} are signed and did not go out: finish them, or say that the term ends all the same.",
            counted(waits as usize, "table"),
        );
        return course::refuse(&actor, fault, form.ends, form.begins).await;
    }
    let (ends, begins, same_teams) = (form.ends.clone(), form.begins.clone(), form.teams.is_some());
    let work = move |c: &mut jurado_store::Db, user: &jurado_store::User| {
        terms::begin(c, &terms::New { ends: &ends, begins: &begins, same_teams }, user)
    };
    match actor.run(work).await {
        Ok(_) => {
            let said = format!("“{}” runs now. “{}” can be read below.", form.begins.trim(), form.ends.trim());
            Ok(on_to_saying("/course", Said::done("A new term", said)))
        }
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let fault = format!("{}: {mend}.", crate::views::capital(&what));
            course::refuse(&actor, fault, form.ends, form.begins).await
        }
        Err(e) => Err(e),
    }
}

#[derive(Template)]
#[template(path = "term.html")]
struct TermPage {
    frame: Frame,
    term: Term,
    ended: String,
    sections: Vec<(String, Vec<KeptView>)>,
    count: usize,
}

struct KeptView {
    id: u32,
    team: String,
    lab: String,
    points: String,
    possible: String,
    went_out: bool,
}

/// A term that has ended, with its tables.
pub(crate) async fn term(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (labs, (term, kept)) = actor.look(move |c, user| Ok((labs::all(c)?, terms::tables(c, id, user)?))).await?;
    let title = |lab: u32| labs.iter().find(|l| l.id == lab).map_or(String::new(), |l| l.protocol.title.clone());
    let mut sections: Vec<(String, Vec<KeptView>)> = Vec::new();
    let count = kept.len();
    for Kept { id, lab_id, section, team, points: p, possible, went_out, .. } in kept {
        let team = if actor.blind { format!("Table {id}") } else { team };
        let row = KeptView {
            id,
            team,
            lab: title(lab_id),
            points: points(p),
            possible: possible.normalize().to_string(),
            went_out,
        };
        match sections.last_mut().filter(|s| s.0 == section) {
            Some(s) => s.1.push(row),
            None => sections.push((section, vec![row])),
        }
    }
    let ended = crate::views::course::time(term.ended_at);
    html(&TermPage { frame: actor.frame(&term.name, "sections"), term, ended, sections, count })
}

/// The marks that went out in a term that has ended, a line for each student.
pub(crate) async fn term_marks(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (labs, marks, students) = actor
        .run(move |c, user| {
            terms::tables(c, id, user)?;
            jurado_store::events::tell(c, user.id, "marks fetched", &format!("term {id}"))?;
            Ok((
                labs::all(c)?,
                jurado_store::docket::sent_marks(c, user, id, None, None)?,
                roster::students_of(c, id, user)?,
            ))
        })
        .await?;
    let grid = marks_grid(&labs, &marks, &students);
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", "attachment; filename=\"marks.csv\""))
        .body(write_grid_csv(&grid)))
}
