//! Intake: files offered, looked at, taken or put aside; rows in quarantine, mended or seen to.

use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use futures_util::TryStreamExt;
use jurado_core::error::Fault;
use jurado_intake::{ColumnMap, UPLOAD, unpack};
use jurado_store::{HeldRecord, ImportRow, StoreError, attachments, imports};
use serde::Deserialize;

use super::auth::Token;
use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{Fields, field};
use crate::views::frame::Frame;
use crate::views::intake::{LotView, PreviewView, taken_in_words, time};

#[derive(Template)]
#[template(path = "intake.html")]
struct IntakePage {
    frame: Frame,
    labs: Vec<(u32, String)>,
    recent: Vec<Recent>,
    held: Vec<HeldRecord>,
    fault: Option<(String, String)>,
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
    use jurado_store::ImportState::{Dropped, Offered, Taken, Taking};
    let state = match row.state {
        Offered => "waits for a look",
        Taking => "being taken",
        Taken => "taken",
        Dropped => "put aside",
    };
    Recent { id: row.id, file_name: row.file_name, by: row.by, state, at: time(row.taken_at.unwrap_or(row.offered_at)) }
}

async fn show(actor: &Actor, fault: Option<(String, String)>, pasted: String) -> Result<IntakePage, WebError> {
    let (labs, rows, held, sections) = actor
        .run(|c, user| {
            let used = jurado_store::docket::labs_in_use(c)?;
            let mut labs: Vec<_> =
                jurado_store::labs::all(c)?.into_iter().map(|lab| (!used.contains(&lab.id), lab)).collect();
            // Labs of this term come before the rest of the library.
            labs.sort_by_key(|(unused, _)| *unused);
            Ok((
                labs.into_iter().map(|(_, l)| l).collect::<Vec<_>>(),
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
        pasted,
        sections: sections.into_iter().map(|s| (s.id, s.name)).collect(),
    })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    html(&show(&actor, None, String::new()).await?)
}

/// Past this many bytes an upload is no longer read to its end for the sake of a kind answer.
const MOST_READ: usize = 512 * 1024 * 1024;
/// Most files of one upload.
const MOST_FILES: usize = 200;

/// The parts of the upload, read in order and bounded as they come.
#[derive(Default)]
struct Upload {
    token: String,
    lab: Option<u32>,
    files: Vec<(String, Vec<u8>)>,
    pasted: String,
    /// Names of files that are larger than may be.
    too_large: Vec<String>,
    too_many: bool,
}

async fn read(mut payload: Multipart) -> Result<Upload, WebError> {
    let mut out = Upload::default();
    let broken = |_| WebError::Bad("The file did not arrive whole.".into(), "Send it again.".into());
    let mut arrived = 0usize;
    while let Some(mut part) = payload.try_next().await.map_err(broken)? {
        let name = part.name().unwrap_or("").to_owned();
        let file = part.content_disposition().and_then(|d| d.get_filename()).unwrap_or("").to_owned();
        let limit = if name == "file" || name == "pasted" { UPLOAD.bytes } else { 1024 };
        let (mut bytes, mut over) = (Vec::new(), false);
        while let Some(chunk) = part.try_next().await.map_err(broken)? {
            arrived += chunk.len();
            if arrived > MOST_READ {
                return Err(WebError::Bad(
                    "The files are far too large to be read to their end.".into(),
                    "Hand in one section at a time.".into(),
                ));
            }
            if over || bytes.len() + chunk.len() > limit {
                // The rest is read and forgotten, so that the browser gets to see the answer.
                over = true;
                bytes = Vec::new();
            } else {
                bytes.extend_from_slice(&chunk);
            }
        }
        if over {
            out.too_large.push(if file.is_empty() { "What was pasted".to_owned() } else { format!("“{file}”") });
            continue;
        }
        let text = || String::from_utf8_lossy(&bytes).trim().to_owned();
        match name.as_str() {
            "token" => out.token = text(),
            "lab" => out.lab = text().parse().ok(),
            "pasted" => out.pasted = String::from_utf8_lossy(&bytes).into_owned(),
            "file" if !(file.is_empty() && bytes.is_empty()) => {
                if out.files.len() >= MOST_FILES {
                    out.too_many = true;
                } else {
                    out.files.push((file, bytes));
                }
            }
            _ => {}
        }
    }
    Ok(out)
}

pub(crate) async fn upload(actor: Actor, payload: Multipart) -> Result<HttpResponse, WebError> {
    let mut upload = read(payload).await?;
    actor.allow(&upload.token)?;
    let told = |what: String, mend: &str| Some((what, mend.to_owned()));
    if upload.files.is_empty() && !upload.pasted.trim().is_empty() {
        upload.files.push(("pasted text".to_owned(), upload.pasted.clone().into_bytes()));
    }
    let fault = if !upload.too_large.is_empty() {
        let verb = if upload.too_large.len() == 1 { "is" } else { "are" };
        told(
            format!("{} {verb} larger than {} megabytes.", upload.too_large.join(", "), UPLOAD.bytes / 1_048_576),
            "Hand in one section at a time.",
        )
    } else if upload.too_many {
        told(format!("There are more than {MOST_FILES} files."), "Pack them into a ZIP, or bring them in two lots.")
    } else if upload.lab.is_none() {
        told("No lab was chosen.".into(), "Choose the lab that the tables belong to.")
    } else if upload.files.is_empty() {
        told("No file was chosen and nothing was pasted.".into(), "Choose files, or paste their lines.")
    } else {
        None
    };
    let (None, Some(lab)) = (&fault, upload.lab) else {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, fault, upload.pasted).await?);
    };
    let files = upload.files;
    // A file none of which can be used, and of whose columns nothing can be said, is told at once and not kept.
    let outcome = actor
        .run(move |c, user| {
            let lab = jurado_store::labs::get(c, lab)?;
            let (mut offered, mut refused, mut attached) = (Vec::new(), Vec::new(), Vec::new());
            for (name, bytes) in files {
                match unpack(&name, bytes) {
                    Err(f) => refused.push((name, f)),
                    Ok(parts) => {
                        for part in parts {
                            // A picture or PDF goes with the table of the team that its name says.
                            if attachments::media_of(&part.bytes).is_some() {
                                match attachments::team_named(c, user, &part.name)? {
                                    Some((team, section, name)) => {
                                        match attachments::put(c, lab.id, team, user, &part.name, &part.bytes) {
                                            Ok(_) => attached.push(format!("{} with {name} of {section}", part.name)),
                                            Err(StoreError::File(f)) => refused.push((part.name, f)),
                                            Err(e) => return Err(e),
                                        }
                                    }
                                    None => {
                                        let what = "its name does not say of which team it is".to_owned();
                                        let mend =
                                            "name it such as `Heron graph.png`, or put it with the table on the Bench"
                                                .to_owned();
                                        refused.push((part.name, Fault { line: 1, column: 1, what, mend }));
                                    }
                                }
                                continue;
                            }
                            let id = imports::offer(c, lab.id, user, &part.name, &part.bytes)?;
                            let look = imports::preview(c, id, user)?;
                            match look.intake {
                                Err(f) if look.columns.len() < 2 => {
                                    imports::drop(c, id, user)?;
                                    refused.push((part.name, f));
                                }
                                _ => offered.push(id),
                            }
                        }
                    }
                }
            }
            Ok((offered, refused, attached))
        })
        .await?;
    let (offered, refused, attached) = outcome;
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
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, Some((what, mend)), upload.pasted).await?)
        }
        (offered, refused) if offered.len() == 1 && refused.is_empty() && attached.is_empty() => {
            Ok(on_to(&format!("/intake/{}", offered[0])))
        }
        (offered, refused) => {
            let ids: Vec<String> = offered.iter().map(u32::to_string).collect();
            let refused: Vec<String> =
                refused.iter().take(20).map(|(n, f)| format!("{n}: {}; {}", f.what, f.mend)).collect();
            Ok(on_to(&format!(
                "/intake/lot?ids={}&refused={}&attached={}",
                ids.join("-"),
                crate::views::query(&refused.join("\n")),
                crate::views::query(&attached.into_iter().take(60).collect::<Vec<_>>().join("\n"))
            )))
        }
    }
}

/// Files brought together.
#[derive(Deserialize)]
pub(crate) struct Lot {
    ids: String,
    #[serde(default)]
    refused: String,
    #[serde(default)]
    attached: String,
    #[serde(default)]
    done: String,
}

fn ids_of(text: &str) -> Vec<u32> {
    text.split('-').filter_map(|t| t.parse().ok()).take(MOST_FILES + jurado_intake::MOST_PARTS).collect()
}

pub(crate) async fn lot(actor: Actor, lot: web::Query<Lot>) -> Result<HttpResponse, WebError> {
    let lot = lot.into_inner();
    let ids = ids_of(&lot.ids);
    let previews = actor
        .run(move |c, user| ids.iter().map(|id| imports::preview(c, *id, user)).collect::<Result<Vec<_>, _>>())
        .await?;
    let v = LotView::new(&lot.ids, &previews, &lot.refused, &lot.attached, &lot.done);
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
    let (sum, failed) = actor
        .run(move |c, user| {
            let (mut sum, mut failed) = (jurado_store::Taken::default(), 0);
            for id in ids {
                match imports::take(c, id, user) {
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
        .await?;
    let mut done = taken_in_words(&sum);
    if failed > 0 {
        done.push_str(&format!(" {failed} files wait for a word on their columns."));
    }
    Ok(on_to(&format!("/intake/lot?ids={}&done={}", form.ids, crate::views::query(&done))))
}

#[derive(Deserialize)]
pub(crate) struct Done {
    #[serde(default)]
    done: Option<String>,
}

pub(crate) async fn preview(
    actor: Actor,
    id: web::Path<u32>,
    done: web::Query<Done>,
) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (look, lab, standing, sections) = actor
        .run(move |c, user| {
            let look = imports::preview(c, id, user)?;
            let lab = jurado_store::labs::get(c, look.file.lab_id)?;
            let names: Vec<(String, String)> =
                look.intake.iter().flat_map(|i| &i.tables).map(|t| (t.section.clone(), t.team.clone())).collect();
            let standing = jurado_store::sheets::standing(c, lab.id, &names, user)?;
            Ok((look, lab, standing, jurado_store::roster::sections(c, user)?))
        })
        .await?;
    let sections: Vec<String> = sections.into_iter().map(|s| s.name).collect();
    let v = PreviewView::new(&lab.protocol, &look, &standing, &sections, done.into_inner().done);
    html(&PreviewPage { frame: actor.frame("Intake", "intake"), v })
}

/// What each column means, said by a person; the file is read anew with it.
pub(crate) async fn columns(
    actor: Actor,
    id: web::Path<u32>,
    fields: web::Form<Fields>,
) -> Result<HttpResponse, WebError> {
    let (id, fields) = (*id, fields.into_inner());
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

/// Takes a file: at once, or, where it is long, in the background; the page says how far it is, also after it was closed.
pub(crate) async fn take(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let tables =
        actor.run(move |c, user| Ok(imports::preview(c, id, user)?.intake.map_or(0, |i| i.tables.len()))).await?;
    if tables < imports::LONG {
        let taken = actor.run(move |c, user| imports::take(c, id, user)).await?;
        return Ok(on_to(&format!("/intake/{id}?done={}", crate::views::query(&taken_in_words(&taken)))));
    }
    let mine = actor.run(move |c, _| imports::begin(c, id, tables)).await?;
    if mine {
        let (store, user) = (actor.store.clone(), actor.user.clone());
        actix_web::rt::task::spawn_blocking(move || {
            let mut told = 0;
            let outcome = store.run(|c| {
                imports::take_telling(c, id, &user, &mut |done, all| {
                    // Now and then, on another connection: what is told there is seen before all is done.
                    if done == all || done >= told + all.div_ceil(40) {
                        told = done;
                        let _ = store.run(|c| imports::progress(c, id, done));
                    }
                })
            });
            let (words, failed) = match &outcome {
                Ok(taken) => (taken_in_words(taken), false),
                Err(e) => (format!("It could not be taken, and nothing of it was stored: {e}"), true),
            };
            if let Err(e) = store.run(|c| imports::finish(c, id, &words, failed)) {
                log::error!("import {id}: {e}");
            }
        });
    }
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

pub(crate) async fn settle(actor: Actor, id: web::Path<u32>, form: web::Form<Token>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    actor.run(move |c, user| jurado_store::quarantine::settle(c, id, user)).await?;
    Ok(on_to("/intake#quarantine"))
}

#[derive(Deserialize)]
pub(crate) struct Mend {
    token: String,
    text: String,
}

/// A held row, mended and released.
pub(crate) async fn mend(actor: Actor, id: web::Path<u32>, form: web::Form<Mend>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, text) = (*id, form.text.replace(['\r', '\n'], " "));
    match actor.run(move |c, user| imports::mend(c, id, &text, user)).await {
        Ok(_) => Ok(on_to("/intake#quarantine")),
        Err(WebError::Store(StoreError::File(f))) => {
            let what = format!("The row still cannot be used: {}.", f.what);
            let mend = crate::views::capital(&format!("{}.", f.mend));
            let mut page = show(&actor, Some((what, mend)), String::new()).await?;
            // What was typed stays where it was typed.
            if let Some(h) = page.held.iter_mut().find(|h| h.id == id) {
                h.body.clone_from(&form.text);
            }
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
        Err(e) => Err(e),
    }
}
