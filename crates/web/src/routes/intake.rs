//! Intake: files offered, looked at, taken or put aside; rows in quarantine, mended or seen to.

use std::sync::Arc;

use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::notation::counted;
use jurado_intake::{ColumnMap, UPLOAD};
use jurado_store::{HeldRecord, ImportRow, ImportState, Lab, StoreError, imports};
use serde::Deserialize;

use super::auth::Token;
use super::bench;
use super::offer::{Offered, offer_all};
use super::parts::{self, Arrived, Bounds};
use crate::door::{Door, Waiting};
use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;
use crate::views::entry::{Bounded, field};
use crate::views::frame::Frame;
use crate::views::intake::{LotView, PreviewView, time};

#[derive(Template)]
#[template(path = "intake.html")]
struct IntakePage {
    frame: Frame,
    labs: Vec<(u32, String)>,
    recent: Vec<Recent>,
    held: Vec<HeldRecord>,
    fault: Option<(String, String)>,
    /// The lab that was chosen, if one was.
    chosen: Option<u32>,
    /// What was pasted, so that nothing typed is lost.
    pasted: String,
    sections: Vec<(u32, String)>,
}

struct Recent {
    id: u32,
    file_name: String,
    by: String,
    state: &'static str,
    at: String,
}

#[derive(Template)]
#[template(path = "preview.html")]
struct PreviewPage {
    frame: Frame,
    v: PreviewView,
}

#[derive(Template)]
#[template(path = "lot.html")]
struct LotPage {
    frame: Frame,
    v: LotView,
}

fn recent(row: ImportRow) -> Recent {
    use jurado_store::ImportState::{Dropped, Offered, Taken};
    let state = match row.state {
        Offered if row.taking => "being taken",
        Offered if !row.unreadable.is_empty() => "cannot be read",
        Offered => "waits for a look",
        Taken => "taken",
        Dropped => "put aside",
    };
    Recent { id: row.id, file_name: row.file_name, by: row.by, state, at: time(row.taken_at.unwrap_or(row.offered_at)) }
}

async fn show(
    actor: &Actor,
    fault: Option<(String, String)>,
    pasted: String,
    chosen: Option<u32>,
) -> Result<IntakePage, WebError> {
    let (labs, rows, held, sections) = actor
        .look(|c, user| {
            // Labs of this term come before the rest of the library.
            let labs = jurado_store::labs::open(c)?;
            Ok((
                labs.into_iter().map(|(l, _)| l).collect::<Vec<_>>(),
                imports::recent(c, user)?,
                jurado_store::quarantine::waiting(c, user)?,
                jurado_store::roster::sections(c, user)?,
            ))
        })
        .await?;
    let labs = labs.iter().map(|l| (l.id, l.protocol.title.clone())).collect();
    Ok(IntakePage {
        frame: actor.frame("Intake", "intake"),
        labs,
        recent: rows.into_iter().map(recent).collect(),
        held,
        fault,
        chosen,
        pasted,
        sections: sections.into_iter().map(|s| (s.id, s.name)).collect(),
    })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&show(&actor, None, String::new(), None).await?)
}

/// Most files of one upload.
const MOST_FILES: usize = 200;
/// How much of an upload is taken.
const BOUNDS: Bounds = Bounds {
    // What is longer is brought as a file: the page would show all of it again.
    text: 2 * 1024 * 1024,
    file: UPLOAD.bytes,
    fields: 50,
    files: MOST_FILES,
    kept: 64 * 1024 * 1024,
    all: 512 * 1024 * 1024,
};

pub(crate) async fn upload(actor: Actor, door: web::Data<Door>, payload: Multipart) -> Result<HttpResponse, WebError> {
    let parts = parts::take(&door, actor.whose(), payload, BOUNDS).await?;
    actor.allow(field(&parts.fields, "token").unwrap_or("").trim())?;
    let pasted = field(&parts.fields, "pasted").unwrap_or("").to_owned();
    let asked = field(&parts.fields, "lab").unwrap_or("").trim().to_owned();
    let told = |what: String, mend: &str| Some((what, mend.to_owned()));
    let mut files = parts.files;
    if files.is_empty() && !pasted.trim().is_empty() {
        files.push(Arrived::holding("pasted text", pasted.as_bytes()).map_err(parts::not_kept)?);
    }
    let fault = if parts.too_large.iter().any(|(_, file)| file.is_empty()) {
        let most = BOUNDS.text / 1_048_576;
        told(format!("What was pasted is longer than {most} megabytes."), "Bring it as a file.")
    } else if !parts.too_large.is_empty() {
        let verb = if parts.too_large.len() == 1 { "is" } else { "are" };
        let names: Vec<String> = parts.too_large.iter().map(|(_, file)| format!("“{file}”")).collect();
        told(
            format!(
                "{} {verb} larger than {} megabytes, or all together are larger than {}.",
                names.join(", "),
                UPLOAD.bytes / 1_048_576,
                BOUNDS.kept / 1_048_576
            ),
            "Hand in one section at a time.",
        )
    } else if parts.too_many {
        told(format!("There are more than {MOST_FILES} files."), "Pack them into a ZIP, or bring them in two lots.")
    } else if files.is_empty() {
        told("No file was chosen and nothing was pasted.".into(), "Choose files, or paste their lines.")
    } else {
        None
    };
    let lab: Option<u32> = asked.parse().ok();
    if fault.is_some() {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, fault, pasted, lab).await?);
    }
    // A file none of which can be used, and of whose columns nothing can be said, is told at once and not kept.
    let (store, user) = (actor.store.clone(), actor.user.clone());
    let (waiting, turn) = (Waiting::default(), parts.turn);
    let gone = waiting.flag();
    let outcome = web::block(move || {
        let _turn = turn;
        offer_all(&store, &user, lab, &mut files, gone)
    });
    let outcome = outcome.await??;
    let Offered { offered, refused, attached } = outcome;
    match (offered, refused) {
        (offered, refused) if offered.is_empty() && attached.is_empty() => {
            let (name, f) = &refused[0];
            let which =
                if refused.len() > 1 || name != "pasted text" { format!("“{name}”: l") } else { "L".to_owned() };
            let more = if refused.len() > 1 {
                format!(" {} more could not be used either.", refused.len() - 1)
            } else {
                String::new()
            };
            let what = format!("{which}ine {}, column {}: {}.", f.line, f.column, f.what);
            let mend = format!("{}{more}", crate::views::capital(&format!("{}.", f.mend)));
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, Some((what, mend)), pasted, lab).await?)
        }
        (offered, refused) if offered.len() == 1 && refused.is_empty() && attached.is_empty() => {
            Ok(on_to(&format!("/intake/{}", offered[0])))
        }
        (offered, refused) => {
            let ids: Vec<String> = offered.iter().map(u32::to_string).collect();
            let attached: Vec<String> = attached.iter().map(u32::to_string).collect();
            let place = format!("/intake/lot?ids={}&attached={}", ids.join("-"), attached.join("-"));
            if refused.is_empty() {
                return Ok(on_to(&place));
            }
            let head = match refused.len() {
                1 => "One file could not be used".to_owned(),
                n => format!("{n} files could not be used"),
            };
            let lines = refused.iter().map(|(n, f)| format!("{n}: {}; {}", f.what, f.mend)).collect();
            Ok(on_to_saying(&place, Said { head, lines, bad: true }))
        }
    }
}

/// Files brought together.
#[derive(Deserialize)]
pub(crate) struct Lot {
    ids: String,
    /// Pictures that were put with tables.
    #[serde(default)]
    attached: String,
}

fn ids_of(text: &str) -> Vec<u32> {
    text.split('-').filter_map(|t| t.parse().ok()).take(MOST_FILES + jurado_intake::MOST_PARTS).collect()
}

pub(crate) async fn lot(actor: Actor, lot: web::Query<Lot>) -> Result<HttpResponse, WebError> {
    let lot = lot.into_inner();
    let (ids, attached) = (ids_of(&lot.ids), ids_of(&lot.attached));
    let (previews, attached) = actor
        .look(move |c, user| {
            let previews = ids.iter().map(|id| imports::preview(c, *id, user)).collect::<Result<Vec<_>, _>>()?;
            Ok((previews, jurado_store::attachments::placed(c, &attached, user)?))
        })
        .await?;
    let v = LotView::new(&lot.ids, &previews, &attached);
    html(&LotPage { frame: actor.frame("Intake", "intake"), v })
}

#[derive(Deserialize)]
pub(crate) struct TakeLot {
    token: String,
    ids: String,
}

/// Takes every file of a lot that can be taken; one that cannot does not hold the others up.
pub(crate) async fn take_lot(actor: Actor, form: web::Form<TakeLot>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let ids = ids_of(&form.ids);
    let (store, user) = (actor.store.clone(), actor.user.clone());
    // Each file is a transaction of its own.
    let (sum, failed) = web::block(move || {
        let (mut sum, mut failed) = (jurado_store::Taken::default(), 0);
        for id in ids {
            match store.run(|c| imports::take(c, id, &user)) {
                Ok(t) => {
                    sum.new += t.new;
                    sum.revised += t.revised;
                    sum.unchanged += t.unchanged;
                    sum.held += t.held;
                }
                Err(StoreError::File(_)) => failed += 1,
                Err(e) => return Err(e),
            }
        }
        Ok((sum, failed))
    })
    .await??;
    let mut done = sum.in_words();
    if failed > 0 {
        done.push_str(&format!(" {failed} files wait for a word on their columns."));
    }
    let ids: Vec<String> = ids_of(&form.ids).iter().map(u32::to_string).collect();
    Ok(on_to_saying(&format!("/intake/lot?ids={}", ids.join("-")), Said::done("Taken", done)))
}

#[derive(Deserialize)]
pub(crate) struct Looked {
    /// Asked for with anything: its tables are looked at as taking the place of those there.
    #[serde(default)]
    replace: Option<String>,
}

pub(crate) async fn preview(
    actor: Actor,
    id: web::Path<u32>,
    looked: web::Query<Looked>,
) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (look, lab, standing, sections, labs) = actor
        .look(move |c, user| {
            let look = imports::preview(c, id, user)?;
            let lab = jurado_store::labs::get(c, look.file.lab_id)?;
            let names: Vec<(String, String)> =
                look.intake.iter().flat_map(|i| &i.tables).map(|t| (t.section.clone(), t.team.clone())).collect();
            let standing = jurado_store::sheets::standing(c, lab.id, &names, user)?;
            let labs: Vec<Lab> = jurado_store::labs::open(c)?.into_iter().map(|(lab, _)| lab).collect();
            Ok((look, lab, standing, jurado_store::roster::sections(c, user)?, labs))
        })
        .await?;
    let sections: Vec<String> = sections.into_iter().map(|s| s.name).collect();
    let done = look.file.state == ImportState::Taken && actor.said.is_some();
    let v = PreviewView::new(&lab.protocol, &look, &standing, (&sections, &labs), done, looked.replace.is_some());
    html(&PreviewPage { frame: actor.frame("Intake", "intake"), v })
}

/// What each column means, said by a person; the file is read anew with it.
pub(crate) async fn columns(
    actor: Actor,
    id: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let (id, fields) = (*id, fields.into_inner().0);
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    let mut columns: Vec<(usize, String)> = fields
        .iter()
        .filter_map(|(n, v)| Some((n.strip_prefix("m.")?.parse().ok()?, v.clone())))
        .filter(|(n, _)| *n < jurado_intake::MAX_COLUMNS)
        .collect();
    columns.sort();
    let map = ColumnMap {
        columns: columns.into_iter().map(|(_, m)| m).collect(),
        section: field(&fields, "section").unwrap_or("").to_owned(),
    };
    actor.run(move |c, user| imports::say_columns(c, id, user, &map)).await?;
    Ok(on_to(&format!("/intake/{id}")))
}

/// Adds the teams that a file names and the roster does not hold; the file is then looked at anew.
pub(crate) async fn teams(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let added = actor.run(move |c, user| imports::add_teams(c, id, user)).await?;
    let said = format!("{} on the roster now.", counted(added, "team"));
    Ok(on_to_saying(&format!("/intake/{id}"), Said::done("Added", said)))
}

#[derive(Deserialize)]
pub(crate) struct OtherLab {
    token: String,
    lab: u32,
}

/// Looks at a file as one of another lab.
pub(crate) async fn other_lab(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<OtherLab>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, lab) = (*id, form.lab);
    let there = actor.run(move |c, user| imports::move_to_lab(c, id, lab, user)).await?;
    Ok(on_to(&format!("/intake/{there}")))
}

/// Taking a file.
#[derive(Deserialize)]
pub(crate) struct Take {
    token: String,
    /// Said where its tables take the place of those there.
    #[serde(default)]
    replace: Option<String>,
}

/// Takes a file: at once, or, where it is long, in the background; the page says how far it is, also after it was closed.
pub(crate) async fn take(actor: Actor, id: web::Path<u32>, form: web::Form<Take>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, replaces) = (*id, form.replace.is_some());
    actor.run(move |c, user| imports::say_replaces(c, id, user, replaces)).await?;
    let tables =
        actor.look(move |c, user| Ok(imports::preview(c, id, user)?.intake.map_or(0, |i| i.tables.len()))).await?;
    if tables < imports::LONG {
        let taken = actor.run(move |c, user| imports::take(c, id, user)).await?;
        return Ok(on_to_saying(&format!("/intake/{id}"), Said::done("Taken", taken.in_words())));
    }
    actor.run(move |c, user| imports::ask_to_take(c, id, user, tables)).await?;
    Ok(on_to(&format!("/intake/{id}")))
}

pub(crate) async fn put_aside(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Token>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| imports::drop(c, id, user)).await?;
    Ok(on_to("/intake"))
}

pub(crate) async fn settle(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Settle>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| jurado_store::quarantine::settle(c, id, user)).await?;
    Ok(back_to(form.bench))
}

#[derive(Deserialize)]
pub(crate) struct Settle {
    token: String,
    /// The table on whose Bench it was done.
    bench: Option<u32>,
}

#[derive(Deserialize)]
pub(crate) struct Mend {
    token: String,
    text: String,
    /// As above.
    bench: Option<u32>,
}

/// Where a row was seen to: on the Bench of its table, or among all that wait.
fn back_to(bench: Option<u32>) -> HttpResponse {
    on_to(&bench.map_or_else(|| "/intake#quarantine".to_owned(), |id| format!("/bench/{id}")))
}

/// A held row, mended and released.
pub(crate) async fn mend(actor: Actor, id: web::Path<u32>, form: web::Form<Mend>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, text) = (*id, form.text.replace(['\r', '\n'], " "));
    match actor.run(move |c, user| imports::mend(c, id, &text, user)).await {
        Ok(_) => Ok(back_to(form.bench)),
        Err(WebError::Store(StoreError::File(f))) => {
            let what = format!("The row still cannot be used: {}.", f.what);
            let mend = crate::views::capital(&format!("{}.", f.mend));
            if let Some(sheet) = form.bench {
                let mut loaded = bench::load(&actor, sheet).await?;
                if let Some(h) = Arc::make_mut(&mut loaded).waits.0.iter_mut().find(|h| h.id == id) {
                    h.body.clone_from(&form.text);
                }
                return bench::refused(&actor, &loaded, format!("{what} {mend}")).await;
            }
            let mut page = show(&actor, Some((what, mend)), String::new(), None).await?;
            // What was typed stays where it was typed.
            if let Some(h) = page.held.iter_mut().find(|h| h.id == id) {
                h.body.clone_from(&form.text);
            }
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
        Err(e) => Err(e),
    }
}
