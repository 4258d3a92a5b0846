//! Returns: what goes back, the marks, and a lab's data as a whole. Nothing leaves before it is released.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_intake::{PackageTable, write_grid_csv, write_grid_ods, write_grid_xlsx, write_package};
use jurado_store::{Db, DocketRow, Filter, Lab, Order, Role, SheetDetail, SheetState, StoreError};
use serde::Deserialize;

use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::asked::Asks;
use crate::views::entry::{Bounded, field};
use crate::views::frame::Frame;
use crate::views::returns::{MovedView, ReleaseView, ReturnsView, SheetView, Stock, marks_grid, package_tables};

#[derive(Template)]
#[template(path = "returns.html")]
struct ReturnsPage {
    frame: Frame,
    v: ReturnsView,
}

#[derive(Template)]
#[template(path = "sheet.html")]
pub(super) struct SheetPage {
    pub(super) frame: Frame,
    pub(super) sheets: Vec<SheetView>,
    pub(super) batch: bool,
}

#[derive(Template)]
#[template(path = "release.html")]
struct ReleasePage {
    frame: Frame,
    v: ReleaseView,
}

/// A lab, and a section of it.
#[derive(Deserialize, Default, Clone)]
pub(crate) struct Place {
    #[serde(default)]
    pub(crate) lab: Option<u32>,
    #[serde(default)]
    pub(crate) section: Option<u32>,
}

#[derive(Deserialize)]
pub(crate) struct Release {
    token: String,
    #[serde(default)]
    lab: Option<u32>,
    #[serde(default)]
    section: Option<u32>,
}

impl Place {
    fn filter(&self) -> Filter {
        Filter { lab: self.lab, section: self.section, ..Filter::default() }
    }
}

/// Sheets that would give other marks now, at most as many as are listed.
const MOST_MOVED: i64 = 200;
/// Tables that a list shows before a section has to be chosen.
const MOST_LISTED: usize = 120;

pub(crate) async fn page(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    let place = place.into_inner();
    let asked = place.clone();
    let stock = actor
        .look(move |c, user| {
            let counts = jurado_store::docket::counts(c, user)?;
            let labs: Vec<Lab> = jurado_store::labs::all(c)?
                .into_iter()
                .filter(|l| counts.keys().any(|(lab, _)| *lab == l.id))
                .collect();
            let lab = asked.lab.or(labs.first().map(|l| l.id));
            let filter = Filter { lab, ..asked.filter() };
            let rows = jurado_store::docket::list(c, user, &filter, Order::Roster, MOST_LISTED as i64 + 1)?;
            let sent = jurado_store::docket::sent_marks(c, user, 0, lab, asked.section)?;
            let moved = if user.sees_all() { jurado_store::sheets::moved(c, user, None, MOST_MOVED)?.len() } else { 0 };
            Ok(Stock {
                labs,
                sections: jurado_store::roster::sections(c, user)?,
                counts,
                rows,
                sent: sent.into_iter().map(|m| (m.id, m.points)).collect(),
                moved,
            })
        })
        .await?;
    let may = actor.user.role == Role::Coordinator;
    let v = ReturnsView::new(&stock, (place.lab, place.section), MOST_LISTED, may);
    html(&ReturnsPage { frame: actor.frame("Returns", "returns"), v })
}

/// Who would get their sheet, and what changed since they got one: a release asks.
pub(crate) async fn look(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    actor.coordinator("Marks are released by the coordinator")?;
    let place = place.into_inner();
    let asked = place.clone();
    let (labs, details) = actor
        .look(move |c, user| {
            let filter = Filter { state: Some("signed".into()), ..asked.filter() };
            let rows = jurado_store::docket::list(c, user, &filter, Order::Roster, i64::MAX)?;
            let details: Vec<(DocketRow, SheetDetail)> = rows
                .into_iter()
                .map(|r| jurado_store::sheets::get(c, r.id, user).map(|d| (r, d)))
                .collect::<Result<_, _>>()?;
            Ok((jurado_store::labs::all(c)?, details))
        })
        .await?;
    let v = ReleaseView::new(&labs, &details, (place.lab, place.section));
    html(&ReleasePage { frame: actor.frame("Release", "returns"), v })
}

pub(crate) async fn release(actor: Actor, form: web::Form<Release>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("Marks are released by the coordinator")?;
    let place = Place { lab: form.lab, section: form.section };
    let filter = place.filter();
    actor.run(move |c, user| jurado_store::sheets::release(c, &filter, user)).await?;
    let lab = place.lab.map_or_else(String::new, |l| format!("?lab={l}"));
    Ok(on_to(&format!("/returns{lab}")))
}

fn file(name: &str, media: &'static str, body: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type(media)
        .insert_header(("Content-Disposition", format!("attachment; filename=\"{name}\"")))
        .body(body)
}

pub(crate) const XLSX: &str = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
pub(crate) const ODS: &str = "application/vnd.oasis.opendocument.spreadsheet";

/// Marks of what has been returned, a line for each student.
pub(crate) async fn marks(
    actor: Actor,
    ending: web::Path<String>,
    place: web::Query<Place>,
) -> Result<HttpResponse, WebError> {
    let (lab, section) = (place.lab, place.section);
    let about = format!("marks.{ending}");
    let (labs, marks, students) = actor
        .run(move |c, user| {
            jurado_store::events::tell(c, user.id, "marks fetched", &about)?;
            Ok((
                jurado_store::labs::all(c)?,
                jurado_store::docket::sent_marks(c, user, 0, lab, section)?,
                jurado_store::roster::students(c, user)?,
            ))
        })
        .await?;
    let grid = marks_grid(&labs, &marks, &students);
    let broken = |e: &dyn std::fmt::Display| WebError::Broken(e.to_string());
    match ending.as_str() {
        "csv" => Ok(file("marks.csv", "text/csv; charset=utf-8", write_grid_csv(&grid).into_bytes())),
        "xlsx" => Ok(file("marks.xlsx", XLSX, write_grid_xlsx("Marks", &grid).map_err(|e| broken(&e))?)),
        "ods" => Ok(file("marks.ods", ODS, write_grid_ods("Marks", &grid).map_err(|e| broken(&e))?)),
        _ => Err(WebError::NotFound("kind of file")),
    }
}

/// A lab with what was handed in and what became of it, to be kept or brought back.
pub(crate) async fn package(actor: Actor, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *lab;
    let (lab, source, details) = actor
        .run(move |c, user| {
            jurado_store::events::tell(c, user.id, "data package fetched", &format!("lab {id}"))?;
            let lab = jurado_store::labs::get(c, id)?;
            let source = jurado_store::labs::source(c, id)?;
            Ok((lab, source, jurado_store::sheets::details_of(c, id, None, user)?))
        })
        .await?;
    let name = format!("{}-data.zip", lab.protocol.id);
    let bytes = web::block(move || {
        let tables: Vec<_> = details.iter().map(|d| d.submission.clone()).collect();
        let further: Vec<PackageTable> = package_tables(&lab.protocol, &details);
        write_package(&lab.protocol, &source, &tables, &further)
    })
    .await?
    .map_err(|e| WebError::Broken(e.to_string()))?;
    Ok(file(&name, "application/zip", bytes))
}

pub(crate) async fn sheet(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let sheets = actor
        .look(move |c, user| {
            let detail = jurado_store::sheets::get(c, id, user)?;
            sheet_views(c, vec![detail])
        })
        .await?;
    html(&SheetPage { frame: actor.frame("Returns", "returns"), sheets, batch: false })
}

/// All sheets of a lab in a section, to be printed one after the other.
pub(crate) async fn batch(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    let (Some(lab), Some(section)) = (place.lab, place.section) else {
        return Err(WebError::NotFound("lab and section"));
    };
    let sheets = actor
        .look(move |c, user| {
            let details = jurado_store::sheets::details_of(c, lab, Some(section), user)?;
            sheet_views(c, details)
        })
        .await?;
    html(&SheetPage { frame: actor.frame("Sheets of a section", "returns"), sheets, batch: true })
}

/// Sheets as their teams see them: what went out as it went out, the others as they stand.
fn sheet_views(c: &mut Db, details: Vec<SheetDetail>) -> Result<Vec<SheetView>, StoreError> {
    let mut views = Vec::with_capacity(details.len());
    for detail in details {
        let asks = Asks::new(&jurado_store::questions::of(c, detail.id)?, None, Default::default());
        let sent = if detail.state == SheetState::Returned { detail.as_sent(c)? } else { None };
        views.push(match sent {
            Some((protocol, judged)) => SheetView::new(&protocol, &detail, &judged, asks),
            None => {
                let lab = jurado_store::labs::get_in(c, detail.lab_id, detail.section_id)?;
                SheetView::new(&lab.protocol, &detail, &detail.judge(&lab.protocol), asks)
            }
        });
    }
    Ok(views)
}

#[derive(Template)]
#[template(path = "moved.html")]
struct MovedPage {
    frame: Frame,
    rows: Vec<MovedView>,
    fault: Option<String>,
    reason: String,
}

const WHO: &str = "What has gone out is looked after by the coordinator";

async fn show_moved(actor: &Actor, fault: Option<String>, reason: String) -> Result<MovedPage, WebError> {
    let rows = actor
        .look(|c, user| {
            let labs = jurado_store::labs::all(c)?;
            let moved = jurado_store::sheets::moved(c, user, None, MOST_MOVED)?;
            let mut rows = Vec::with_capacity(moved.len());
            for m in &moved {
                rows.extend(MovedView::new(&labs, m, &jurado_store::sheets::get(c, m.id, user)?));
            }
            Ok(rows)
        })
        .await?;
    Ok(MovedPage { frame: actor.frame("Would change since it went out", "returns"), rows, fault, reason })
}

/// Sheets that would give other marks now than those that went out.
pub(crate) async fn moved(actor: Actor) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    html(&show_moved(&actor, None, String::new()).await?)
}

/// Sends chosen sheets out again, or leaves them as they went out, with one reason for all.
pub(crate) async fn settle_moved(actor: Actor, fields: web::Form<Bounded>) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let typed = field(&fields, "reason").unwrap_or("").to_owned();
    let reason = forms::REASON.wanted(&typed, "Write the reason in a few words: it is kept with each of them.");
    let which: Vec<(u32, u32)> = fields
        .iter()
        .filter(|(name, _)| name == "sheet")
        .filter_map(|(_, v)| {
            v.split_once(':').and_then(|(id, version)| Some((id.parse().ok()?, version.parse().ok()?)))
        })
        .collect();
    let again = field(&fields, "then") == Some("again");
    let chosen = if which.is_empty() { Err("Choose at least one sheet.".to_owned()) } else { reason };
    let reason = match chosen {
        Ok(reason) => reason,
        Err(fault) => {
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show_moved(&actor, Some(fault), typed).await?);
        }
    };
    let why = reason.clone();
    let done = actor
        .run(move |c, user| {
            if again {
                jurado_store::sheets::release_again(c, &which, &why, user)
            } else {
                jurado_store::sheets::keep_as_sent(c, &which, &why, user)
            }
        })
        .await;
    match done {
        Ok(_) => Ok(on_to("/returns/moved")),
        Err(WebError::Store(StoreError::Conflict(c))) => {
            let fault =
                format!("{} was first: {}. Nothing was sent or kept; look at the list as it is now.", c.by, c.theirs);
            html_with(StatusCode::CONFLICT, &show_moved(&actor, Some(fault), reason).await?)
        }
        Err(e) => Err(e),
    }
}
