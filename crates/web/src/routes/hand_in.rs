//! The door: a team comes in with its code, types its sheet or brings a file, is told what to look at, hands in, and keeps a
//! receipt.

use actix_session::SessionExt;
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_core::gaps::gaps;
use jurado_core::submission::Submission;
use jurado_core::verdict::Judged;
use jurado_core::wording;
use jurado_intake::{long_grid, write_grid_exact};
use jurado_store::door::{self as store_door, Place, Team};
use jurado_store::drafts::{self, Draft};
use jurado_store::tries::{self, Counted, Pace};
use jurado_store::{Db, Store, StoreError, college};
use serde::Deserialize;

use crate::crew::{self, Crew};
use crate::door::Door;
use crate::error::{WebError, html, html_with, on_to};
use crate::forms::EXPLANATION;
use crate::session;
use crate::views::course::time;
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;
use crate::views::hand_in::{DueView, ReceiptView, SheetView, fields_for, sheet_of};
use crate::views::joining::{Joined, join};

#[derive(Template)]
#[template(path = "door/code.html")]
struct CodePage {
    frame: Frame,
    code: String,
    fault: Option<String>,
}

#[derive(Template)]
#[template(path = "door/labs.html")]
struct LabsPage {
    frame: Frame,
    team: String,
    section: String,
    labs: Vec<DueView>,
    /// What went out to other teams of the student: sheet, lab, team and term, when.
    earlier: Vec<(u32, String, String, String)>,
    /// What several of the team's sheets say alike: advice, and the labs.
    again: Vec<(&'static str, String)>,
}

#[derive(Template)]
#[template(path = "door/sheet.html")]
pub(super) struct SheetPage {
    pub(super) frame: Frame,
    pub(super) team: String,
    pub(super) section: String,
    pub(super) v: SheetView,
}

#[derive(Template)]
#[template(path = "door/receipt.html")]
struct ReceiptPage {
    frame: Frame,
    team: String,
    section: String,
    v: ReceiptView,
}

async fn code_page(
    request: &HttpRequest,
    code: &str,
    fault: Option<(StatusCode, String)>,
) -> Result<HttpResponse, WebError> {
    let frame = session::outside_now(request, "Hand in").await?;
    let (status, fault) = fault.map_or((StatusCode::OK, None), |(status, fault)| (status, Some(fault)));
    html_with(status, &CodePage { frame, code: code.to_owned(), fault })
}

/// What is due, for a team that has come in; for anybody else the form for a code.
pub(crate) async fn home(request: HttpRequest) -> Result<HttpResponse, WebError> {
    let Some(crew) = crew::of(&request).await? else { return code_page(&request, "", None).await };
    let number = crew.student.clone();
    let (mut labs, earlier, sent) = crew
        .look(move |c, team| {
            let earlier = match &number {
                Some(number) => college::earlier(c, number, team.id)?,
                None => Vec::new(),
            };
            let due = store_door::due(c, team)?;
            let mut sent = Vec::new();
            for lab in due.iter().filter(|d| d.out) {
                let said = store_door::sheet(c, team, lab.lab.id)?.as_sent(c)?;
                sent.extend(said.map(|(protocol, judged)| (protocol.title.clone(), judged)));
            }
            Ok(((due, c.now()?), earlier, sent))
        })
        .await?;
    let sent: Vec<(String, &Judged)> = sent.iter().map(|(lab, judged)| (lab.clone(), judged)).collect();
    let again = wording::repeated(&sent).into_iter().map(|r| (r.advice, r.labs.join(", "))).collect();
    // What is to be done comes first, the soonest due on top; then what came back, newest first.
    labs.0.sort_by_key(|due| match &due.sent {
        None => (0, due.due_at.map_or(i64::MAX, |at| at.and_utc().timestamp())),
        Some(sent) => (1, -sent.at.and_utc().timestamp()),
    });
    html(&LabsPage {
        frame: crew.frame("Hand in"),
        team: crew.team.name.clone(),
        section: crew.team.section.clone(),
        labs: labs.0.iter().map(|due| DueView::new(due, labs.1)).collect(),
        again,
        earlier: earlier
            .into_iter()
            .map(|e| (e.id, e.lab, e.term.map_or(e.team.clone(), |term| format!("{}, {term}", e.team)), time(e.at)))
            .collect(),
    })
}

/// The form with the code of a link: coming in is a step of its own, so that a link that is only looked at opens nothing.
pub(crate) async fn with(request: HttpRequest, code: web::Path<String>) -> Result<HttpResponse, WebError> {
    code_page(&request, &code, None).await
}

#[derive(Deserialize)]
pub(crate) struct Code {
    #[serde(default)]
    token: String,
    code: String,
}

/// Lets a team in by its code.
pub(crate) async fn come_in(
    request: HttpRequest,
    store: web::Data<Store>,
    door: web::Data<Door>,
    form: web::Form<Code>,
) -> Result<HttpResponse, WebError> {
    let form = form.into_inner();
    session::allow_outside(&request.get_session(), &form.token)?;
    let counted = Counted::new("code", &door.address_of(&request));
    let (keep, code) = (store.get_ref().clone(), form.code.clone());
    let (found, now) = web::block(move || {
        keep.run(|c| {
            // A right code comes in whatever its neighbours at one address tried.
            let found = match store_door::team_of(c, &code)? {
                Some(team) => Ok(team),
                None => Err(tries::refused_from(c, &counted)?),
            };
            Ok((found, c.now()?))
        })
    })
    .await??;
    match found {
        Ok(team) => {
            crew::begin(&request.get_session(), &team, now)?;
            Ok(on_to("/hand-in"))
        }
        Err(pace) => {
            crate::door::answer(pace).await;
            let told = "No team has this code. Look at it once more: it has twelve signs, and no O, I, 0 or 1.";
            let status = match pace {
                Pace::AtOnce => StatusCode::UNPROCESSABLE_ENTITY,
                Pace::Slowly => StatusCode::TOO_MANY_REQUESTS,
            };
            code_page(&request, &form.code, Some((status, told.to_owned()))).await
        }
    }
}

#[derive(Deserialize)]
pub(crate) struct Leave {
    token: String,
}

pub(crate) async fn leave(crew: Crew, request: HttpRequest, form: web::Form<Leave>) -> Result<HttpResponse, WebError> {
    crew.allow(&form.token)?;
    request.get_session().purge();
    Ok(on_to("/hand-in"))
}

/// The fields of a text that a draft was kept as.
fn fields_in(body: &str) -> Fields {
    serde_json::from_str(body).unwrap_or_default()
}

/// What a team typed last: the draft, else what was handed in or came in any other way.
pub(super) fn typed(place: &Place) -> Fields {
    let draft = place.draft.as_ref().filter(|d| !d.handed_in).map(|d| fields_in(&d.body));
    let handed_in = || place.sheet.as_ref().map(|sheet| fields_for(&place.lab.protocol, sheet));
    draft.or_else(handed_in).unwrap_or_default()
}

/// A sheet as a page, with what two phones typed in the same boxes and what is wrong.
pub(super) async fn shown(
    crew: &Crew,
    place: Place,
    joined: Joined,
    fault: Option<String>,
) -> Result<SheetPage, WebError> {
    let (team, now) = (crew.team.clone(), crew.look(|c, _| c.now()).await?);
    let look = move || {
        let sheet = Submission { under: place.book.clone(), ..sheet_of(&place.lab.protocol, &joined.fields, &team) };
        let told = if sheet.cells.is_empty() { Vec::new() } else { gaps(&place.lab.protocol, &place.settings, &sheet) };
        SheetView::new(&place, &joined, &told, now, fault)
    };
    let v = web::block(look).await?;
    Ok(SheetPage { frame: crew.frame(&v.title), team: crew.team.name.clone(), section: crew.team.section.clone(), v })
}

pub(crate) async fn sheet(crew: Crew, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let place = crew.look(move |c, team| store_door::place(c, team, id)).await?;
    let fields = typed(&place);
    html(&shown(&crew, place, Joined::of(fields), None).await?)
}

/// The file that a team may keep: what it typed, cell by cell.
fn file_of(place: &Place, sheet: &Submission) -> Vec<u8> {
    write_grid_exact(&long_grid(&place.lab.protocol, [sheet])).into_bytes()
}

/// What is done with the fields of a sheet.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Then {
    /// They are kept, and it is told what to look at.
    Look,
    /// They are kept, by the page's script, while the team types.
    Keep,
    /// They are kept, and the page for files is next.
    Files,
    /// They are handed in.
    HandIn,
}

impl Then {
    fn of(text: &str) -> Then {
        match text {
            "in" => Then::HandIn,
            "keep" => Then::Keep,
            "files" => Then::Files,
            _ => Then::Look,
        }
    }
}

/// What became of the fields of a sheet.
pub(super) enum Outcome {
    /// Kept as a draft.
    Kept(Place, Joined),
    /// Handed in.
    HandedIn,
    /// Not kept: another phone typed in the same boxes, which nobody was told yet.
    Untold,
    /// Not kept, and why.
    Refused(Place, Joined, String),
}

/// How often what two phones save at the same moment is joined anew.
const ROUNDS: usize = 6;

/// Joins what was typed here with what another phone of the team saved since version `seen`, and keeps it or hands it in. What
/// both typed in one box is kept as typed here, told, and not handed in before it was looked at.
pub(super) async fn settle(
    crew: &Crew,
    id: u32,
    (seen, mine): (Option<u32>, Fields),
    then: Then,
) -> Result<Outcome, WebError> {
    let mut lost = WebError::NotFound("sheet");
    for _ in 0..ROUNDS {
        let (place, base) = crew
            .look(move |c, team| {
                // What both began with is read after what is there: where there is a draft, the version before it is kept too.
                let place = store_door::place(c, team, id)?;
                let base = seen.map(|version| drafts::body(c, team, id, version)).transpose()?.flatten();
                Ok((place, base))
            })
            .await?;
        let last = place.draft.as_ref().map_or(0, |d| d.version);
        let joined = match (&place.draft, seen) {
            (Some(draft), Some(seen)) if draft.version != seen => {
                join(&base.as_deref().map(fields_in).unwrap_or_default(), &fields_in(&draft.body), mine.clone())
            }
            _ => Joined::of(mine.clone()),
        };
        let sheet = sheet_of(&place.lab.protocol, &joined.fields, &crew.team);
        let sheet = Submission { under: place.book.clone(), ..sheet };
        let said = joined.fields.iter().filter(|(n, _)| n.starts_with("w.") || n.starts_with("x."));
        let long = said.into_iter().find_map(|(_, why)| EXPLANATION.optional(why).err());
        let empty = (then == Then::HandIn && sheet.cells.is_empty())
            .then(|| "Nothing is typed yet: there is no sheet to hand in.".to_owned());
        if let Some(told) = long.or(empty) {
            return Ok(Outcome::Refused(place, joined, told));
        }
        // A script that saves shows nobody what both typed: that is kept only where a page tells it.
        if then == Then::Keep && !joined.both.is_empty() {
            return Ok(Outcome::Untold);
        }
        let body = serde_json::to_string(&joined.fields).map_err(|e| WebError::Broken(e.to_string()))?;
        if last == 0 {
            let first = place.sheet.as_ref().map(|sheet| fields_for(&place.lab.protocol, sheet)).unwrap_or_default();
            let first = serde_json::to_string(&first).map_err(|e| WebError::Broken(e.to_string()))?;
            crew.run(move |c, team| drafts::keep_first(c, team, id, &first)).await?;
        }
        let put = if then == Then::HandIn && joined.both.is_empty() {
            let file = file_of(&place, &sheet);
            let arrived = crate::request::arrived();
            let hand_in = move |c: &mut Db, team: &Team| {
                store_door::hand_in(c, team, id, (&sheet, &file), (last, &body), arrived).map(|_| Outcome::HandedIn)
            };
            crew.run(hand_in).await
        } else {
            let keep = move |c: &mut Db, team: &Team| {
                let at = drafts::keep(c, team, id, (last, &body), false)?;
                Ok(Draft { version: last + 1, body: body.clone(), at, handed_in: false })
            };
            let (kept, both) = (crew.run(keep).await, joined.clone());
            kept.map(|draft| Outcome::Kept(Place { draft: Some(draft), ..place.clone() }, both))
        };
        match put {
            Err(e @ WebError::Store(StoreError::Conflict(_))) => lost = e,
            Err(WebError::Store(StoreError::Bad(what, mend))) => {
                let told = format!("{}: {mend}.", crate::views::capital(&what));
                return Ok(Outcome::Refused(place, joined, told));
            }
            other => return other,
        }
    }
    Err(lost)
}

/// Keeps what is typed and says what to look at, or hands it in.
pub(crate) async fn send(
    crew: Crew,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    crew.allow(field(&fields, "token").unwrap_or(""))?;
    let id = *lab;
    let then = Then::of(field(&fields, "then").unwrap_or("look"));
    let seen = field(&fields, "seen").and_then(|v| v.parse().ok());
    let ours = ["token", "then", "seen"];
    let mine: Fields = fields.into_iter().filter(|(n, _)| !ours.contains(&n.as_str())).collect();
    match (settle(&crew, id, (seen, mine), then).await?, then) {
        (Outcome::HandedIn, _) => Ok(on_to(&format!("/hand-in/{id}/receipt"))),
        (Outcome::Refused(place, joined, told), _) => {
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &shown(&crew, place, joined, Some(told)).await?)
        }
        (Outcome::Untold, _) => Ok(HttpResponse::Conflict().finish()),
        (Outcome::Kept(place, _), Then::Keep) => Ok(kept_aside(&place)),
        (Outcome::Kept(_, joined), Then::Files) if joined.both.is_empty() => Ok(on_to(&format!("/hand-in/{id}/files"))),
        (Outcome::Kept(place, joined), _) => {
            let fault = (then == Then::HandIn).then(|| {
                "Not handed in yet: another phone of your team typed in the same boxes. Look at them.".to_owned()
            });
            let status = if fault.is_some() { StatusCode::CONFLICT } else { StatusCode::OK };
            html_with(status, &shown(&crew, place, joined, fault).await?)
        }
    }
}

/// For the page's script: the version that was kept, and when.
fn kept_aside(place: &Place) -> HttpResponse {
    let mut answer = HttpResponse::NoContent();
    if let Some(draft) = &place.draft {
        answer.insert_header(("draft-version", draft.version.to_string()));
        answer.insert_header(("draft-saved", crate::views::course::time(draft.at)));
    }
    answer.finish()
}

pub(crate) async fn receipt(crew: Crew, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let (place, now) = crew.look(move |c, team| Ok((store_door::place(c, team, id)?, c.now()?))).await?;
    if place.receipts.is_empty() {
        return Err(WebError::NotFound("receipt"));
    }
    let look = move || {
        let told = place.sheet.as_ref().map_or_else(Vec::new, |s| gaps(&place.lab.protocol, &place.settings, s));
        ReceiptView::new(&place, &told, now)
    };
    let v = web::block(look).await?;
    html(&ReceiptPage {
        frame: crew.frame("Handed in"),
        team: crew.team.name.clone(),
        section: crew.team.section.clone(),
        v,
    })
}

/// The file of a receipt, of which the digest was told.
pub(crate) async fn kept(crew: Crew, receipt: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *receipt;
    let file = crew.look(move |c, team| store_door::file_of(c, team, id)).await?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("content-disposition", format!("attachment; filename=\"receipt-{id}.csv\"")))
        .body(file))
}
