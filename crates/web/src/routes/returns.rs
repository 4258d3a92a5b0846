//! Returns: what goes back, the marks, and a lab's data as a whole. Nothing leaves before it is released.

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_intake::{PackageTable, write_grid_csv, write_grid_ods, write_grid_xlsx, write_package};
use jurado_store::{DocketRow, Filter, Lab, Order, Role, SheetDetail};
use serde::Deserialize;

use crate::error::{WebError, html, on_to};
use crate::session::Actor;
use crate::views::frame::Frame;
use crate::views::returns::{ReleaseView, ReturnsView, SheetView, marks_grid, package_tables};

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

/// Tables that a list shows before a section has to be chosen.
const MOST_LISTED: usize = 120;

pub(crate) async fn page(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    let place = place.into_inner();
    let asked = place.clone();
    let (labs, sections, counts, rows) = actor
        .run(move |c, user| {
            let counts = jurado_store::docket::counts(c, user)?;
            let labs: Vec<Lab> = jurado_store::labs::all(c)?
                .into_iter()
                .filter(|l| counts.keys().any(|(lab, _)| *lab == l.id))
                .collect();
            let lab = asked.lab.or(labs.first().map(|l| l.id));
            let filter = Filter { lab, ..asked.filter() };
            let rows = jurado_store::docket::list(c, user, &filter, Order::Roster, MOST_LISTED as i64 + 1)?;
            Ok((labs, jurado_store::roster::sections(c, user)?, counts, rows))
        })
        .await?;
    let may = actor.user.role == Role::Coordinator;
    let v = ReturnsView::new(&labs, &sections, &counts, &rows, (place.lab, place.section), MOST_LISTED, may);
    html(&ReturnsPage { frame: actor.frame("Returns", "returns"), v })
}

/// Who would get their sheet, and what changed since they got one: a release asks.
pub(crate) async fn look(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    actor.coordinator("Marks are released by the coordinator")?;
    let place = place.into_inner();
    let asked = place.clone();
    let (labs, details) = actor
        .run(move |c, user| {
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
    let filter = Filter { state: Some("returned".into()), ..place.filter() };
    let (labs, rows, students) = actor
        .run(move |c, user| {
            Ok((
                jurado_store::labs::all(c)?,
                jurado_store::docket::list(c, user, &filter, Order::Roster, i64::MAX)?,
                jurado_store::roster::students(c, user)?,
            ))
        })
        .await?;
    let grid = marks_grid(&labs, &rows, &students);
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
    let (detail, lab) = actor
        .run(move |c, user| {
            let detail = jurado_store::sheets::get(c, id, user)?;
            let lab = jurado_store::labs::get(c, detail.lab_id)?;
            Ok((detail, lab))
        })
        .await?;
    let judged = detail.judge(&lab.protocol);
    let sheets = vec![SheetView::new(&lab.protocol, &detail, &judged)];
    html(&SheetPage { frame: actor.frame("Returns", "returns"), sheets, batch: false })
}

/// All sheets of a lab in a section, to be printed one after the other.
pub(crate) async fn batch(actor: Actor, place: web::Query<Place>) -> Result<HttpResponse, WebError> {
    let (Some(lab), Some(section)) = (place.lab, place.section) else {
        return Err(WebError::NotFound("lab and section"));
    };
    let (lab, details) = actor
        .run(move |c, user| {
            let details = jurado_store::sheets::details_of(c, lab, Some(section), user)?;
            Ok((jurado_store::labs::get(c, lab)?, details))
        })
        .await?;
    let sheets = details.iter().map(|d| SheetView::new(&lab.protocol, d, &d.judge(&lab.protocol))).collect::<Vec<_>>();
    html(&SheetPage { frame: actor.frame("Sheets of a section", "returns"), sheets, batch: true })
}
