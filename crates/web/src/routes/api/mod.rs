//! The interface for a course's own scripts: JSON over HTTP with a token of a person. What a person may not see or do, a token of
//! theirs may not either. Its description is made from this code and served at `/api/v1/openapi.json`.

mod answers;
mod entrance;

use actix_web::http::header::CONTENT_TYPE;
use actix_web::{HttpResponse, web};
use jurado_core::report;
use jurado_store::{DocketRow, Filter, Lab, Order, StoreError, docket, imports, labs};
use serde::Deserialize;
use utoipa::OpenApi;

use crate::door::{Door, Whose};
use crate::error::WebError;
use crate::routes::attachments::bytes_of;
use crate::routes::parts;
use answers::{BroughtAnswer, HeldAnswer, LabAnswer, MarkAnswer, TableAnswer, Told};
use entrance::{ApiError, Caller};

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Jurado",
        description = "Bring tables, read verdicts, read marks. Every request but this one carries a token."
    ),
    paths(labs_list, tables, bring, verdict, marks),
    components(schemas(Told))
)]
struct Description;

/// What the interface is, as OpenAPI.
pub(crate) async fn description() -> HttpResponse {
    HttpResponse::Ok().json(Description::openapi())
}

/// A lab by its name.
async fn lab_named(caller: &Caller, name: String) -> Result<Lab, ApiError> {
    let find = move |c: &mut jurado_store::Db, _: &jurado_store::User| {
        let found = labs::open(c)?.into_iter().map(|(lab, _)| lab).find(|lab| lab.protocol.id == name);
        found.ok_or(StoreError::NotFound("lab"))
    };
    caller.look(find).await
}

/// The labs, by name.
#[utoipa::path(get, path = "/api/v1/labs", responses((status = 200, body = [LabAnswer]), (status = 401, body = Told)))]
pub(crate) async fn labs_list(caller: Caller) -> Result<HttpResponse, ApiError> {
    let all = caller.look(|c, _| labs::open(c)).await?;
    let mut out: Vec<LabAnswer> = all.iter().map(|(lab, _)| LabAnswer::new(lab)).collect();
    out.sort_by(|a, b| a.id.cmp(&b.id));
    Ok(HttpResponse::Ok().json(out))
}

/// Which tables are asked for.
#[derive(Deserialize, utoipa::IntoParams)]
pub(crate) struct Which {
    /// Section by name; all that the token's person sees where none is named.
    #[serde(default)]
    section: Option<String>,
}

/// The tables of a lab, with how each stands.
#[utoipa::path(
    get,
    path = "/api/v1/labs/{lab}/tables",
    params(("lab" = String, Path, description = "the lab's id, such as keel-plate"), Which),
    responses((status = 200, body = [TableAnswer]), (status = 401, body = Told), (status = 404, body = Told))
)]
pub(crate) async fn tables(
    caller: Caller,
    lab: web::Path<String>,
    which: web::Query<Which>,
) -> Result<HttpResponse, ApiError> {
    let lab = lab_named(&caller, lab.into_inner()).await?;
    let rows: Vec<DocketRow> = caller
        .look(move |c, user| {
            let filter = Filter { lab: Some(lab.id), ..Filter::default() };
            docket::list(c, user, &filter, Order::Roster, i64::MAX)
        })
        .await?;
    let wanted = |r: &&DocketRow| which.section.as_ref().is_none_or(|s| *s == r.section);
    Ok(HttpResponse::Ok().json(rows.iter().filter(wanted).map(TableAnswer::new).collect::<Vec<_>>()))
}

/// The verdict on a table, as `jurado judge` prints it.
#[utoipa::path(
    get,
    path = "/api/v1/tables/{id}/verdict",
    params(("id" = u32, Path, description = "the table's id")),
    responses(
        (status = 200, description = "the object of docs/protocols.md, with one submission"),
        (status = 401, body = Told),
        (status = 404, body = Told)
    )
)]
pub(crate) async fn verdict(caller: Caller, id: web::Path<String>) -> Result<HttpResponse, ApiError> {
    let id: u32 = id.parse().map_err(|_| WebError::NotFound("table"))?;
    let text = caller
        .look(move |c, user| {
            let detail = jurado_store::sheets::get(c, id, user)?;
            let lab = labs::get_in(c, detail.lab_id, detail.section_id)?;
            let judged = detail.judge(&lab.protocol);
            Ok(report::head(&lab.protocol) + &report::table(&lab.protocol, &judged) + report::TAIL)
        })
        .await?;
    Ok(HttpResponse::Ok().insert_header((CONTENT_TYPE, "application/json")).body(text))
}

/// How a file is called.
#[derive(Deserialize, utoipa::IntoParams)]
pub(crate) struct Named {
    /// Its name, as it stands under Intake.
    #[serde(default)]
    name: Option<String>,
}

/// Brings a file of tables: CSV, a spreadsheet or JSON, as under Intake. All of it is taken or nothing; rows that cannot be used
/// wait in quarantine and are told. The same file again changes nothing.
#[utoipa::path(
    post,
    path = "/api/v1/labs/{lab}/tables",
    params(("lab" = String, Path, description = "the lab's id, such as keel-plate"), Named),
    request_body(content = String, description = "the file", content_type = "application/octet-stream"),
    responses(
        (status = 200, body = BroughtAnswer),
        (status = 401, body = Told),
        (status = 403, body = Told, description = "the token may not bring tables"),
        (status = 404, body = Told),
        (status = 422, body = Told, description = "nothing of the file can be used")
    )
)]
pub(crate) async fn bring(
    caller: Caller,
    door: web::Data<Door>,
    lab: web::Path<String>,
    named: web::Query<Named>,
    body: web::Payload,
) -> Result<HttpResponse, ApiError> {
    if !caller.brings || caller.user.role == jurado_store::Role::Auditor {
        return Err(WebError::Forbidden("This token may read and not bring tables").into());
    }
    let whose = Whose::Person(caller.user.id);
    let (mut file, turn) = parts::take_whole(&door, whose, body, jurado_intake::UPLOAD.bytes).await?;
    let lab = lab_named(&caller, lab.into_inner()).await?;
    let name = named.name.clone().unwrap_or_else(|| "brought by a script".to_owned());
    let (import, taken, held) = caller
        .run(move |c, user| {
            let id = imports::offer(c, lab.id, user, &name, &bytes_of(&mut file)?)?;
            let (taken, held) = imports::take_and_tell(c, id, user)?;
            Ok((id, taken, held))
        })
        .await?;
    drop(turn);
    let held = held.iter().map(|h| HeldAnswer::new(&h.fault)).collect();
    let answer = BroughtAnswer { import, new: taken.new, revised: taken.revised, unchanged: taken.unchanged, held };
    Ok(HttpResponse::Ok().json(answer))
}

/// Of which lab marks are asked for.
#[derive(Deserialize, utoipa::IntoParams)]
pub(crate) struct OfLab {
    /// The lab's id; all labs where none is named.
    #[serde(default)]
    lab: Option<String>,
}

/// The marks that have been returned, one of each student and lab; a team without students has one of its own.
#[utoipa::path(
    get,
    path = "/api/v1/marks",
    params(OfLab),
    responses((status = 200, body = [MarkAnswer]), (status = 401, body = Told), (status = 404, body = Told))
)]
pub(crate) async fn marks(caller: Caller, of: web::Query<OfLab>) -> Result<HttpResponse, ApiError> {
    let lab = match of.into_inner().lab {
        Some(name) => Some(lab_named(&caller, name).await?.id),
        None => None,
    };
    let (all, sent, students) = caller
        .run(move |c, user| {
            jurado_store::events::tell(c, user.id, "marks fetched", "by a script")?;
            let sent = docket::sent_marks(c, user, 0, lab, None)?;
            Ok((labs::all(c)?, sent, jurado_store::roster::students(c, user)?))
        })
        .await?;
    let grid = crate::views::returns::marks_grid(&all, &sent, &students);
    Ok(HttpResponse::Ok().json(grid.into_iter().skip(1).filter_map(MarkAnswer::of_line).collect::<Vec<_>>()))
}
