//! A team's own sheet once it has gone out, and what it asks on a line of it.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::questions::{self, Question};
use jurado_store::{SheetDetail, StoreError, college, door};
use serde::Deserialize;

use crate::crew::Crew;
use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::views::asked::Asks;
use crate::views::frame::Frame;
use crate::views::returns::SheetView;

#[derive(Template)]
#[template(path = "door/returned.html")]
struct ReturnedPage {
    frame: Frame,
    team: String,
    section: String,
    v: SheetView,
    fault: Option<String>,
}

/// What is told of a sheet of which nothing else is kept than its points.
fn too_old() -> WebError {
    let says = "This sheet went out before Jurado kept what it was judged from.";
    WebError::Bad(says.into(), "Ask your reviewer for it.".into())
}

/// The sheet as it went out last, whatever became of it since.
async fn shown(
    crew: &Crew,
    lab: u32,
    typed: (String, String),
    fault: Option<String>,
) -> Result<ReturnedPage, WebError> {
    let (detail, sent, asked): (SheetDetail, _, Vec<Question>) = crew
        .look(move |c, team| {
            let detail = door::sheet(c, team, lab)?;
            let sent = detail.as_sent(c)?;
            let asked = questions::of(c, detail.id)?;
            Ok((detail, sent, asked))
        })
        .await?;
    let Some((protocol, judged)) = sent else {
        return Err(too_old());
    };
    let v = web::block(move || SheetView::for_team(&protocol, &detail, &judged, Asks::new(&asked, Some(lab), typed)))
        .await?;
    let frame = crew.frame(&v.lab);
    Ok(ReturnedPage { frame, team: crew.team.name.clone(), section: crew.team.section.clone(), v, fault })
}

/// A sheet that went out to another team that the student was in, to be read alone.
pub(crate) async fn earlier(crew: Crew, sheet: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let missing = WebError::NotFound("sheet that has gone out");
    let (sheet, number) = (*sheet, crew.student.clone().ok_or(missing)?);
    let (found, detail, sent, asked) = crew
        .look(move |c, team| {
            let (found, detail) = college::earlier_sheet(c, &number, team.id, sheet)?;
            let sent = detail.as_sent(c)?;
            let asked = questions::of(c, detail.id)?;
            Ok((found, detail, sent, asked))
        })
        .await?;
    let Some((protocol, judged)) = sent else { return Err(too_old()) };
    let asks = Asks::new(&asked, None, Default::default());
    let v = web::block(move || SheetView::for_team(&protocol, &detail, &judged, asks)).await?;
    let frame = crew.frame(&v.lab);
    html(&ReturnedPage { frame, team: found.team, section: found.term.unwrap_or_default(), v, fault: None })
}

pub(crate) async fn sheet(crew: Crew, lab: web::Path<u32>) -> Result<HttpResponse, WebError> {
    html(&shown(&crew, *lab, Default::default(), None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Asking {
    token: String,
    #[serde(default)]
    line: String,
    #[serde(default)]
    body: String,
}

/// Asks on a line of the sheet.
pub(crate) async fn ask(crew: Crew, lab: web::Path<u32>, form: web::Form<Asking>) -> Result<HttpResponse, WebError> {
    crew.allow(&form.token)?;
    let (lab, form) = (*lab, form.into_inner());
    let typed = (form.line.clone(), form.body.clone());
    let page = shown(&crew, lab, typed, None).await?;
    let body = forms::QUESTION.wanted(&form.body, "Write what you would like to know, or what you see otherwise.");
    let says = page.v.line_says(&form.line);
    let refused = |told: String| {
        let page = ReturnedPage { fault: Some(told), ..page };
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
    };
    let (says, body) = match (says, body) {
        (None, _) => return refused("The sheet has no such line: ask on one of those below.".into()),
        (_, Err(told)) => return refused(told),
        (Some(says), Ok(body)) => (says, body),
    };
    let line = form.line;
    match crew.run(move |c, team| questions::ask(c, team, lab, &line, &says, &body)).await {
        Ok(id) => Ok(on_to(&format!("/hand-in/{lab}/sheet#q{id}"))),
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            refused(format!("{}: {mend}.", crate::views::capital(&what)))
        }
        Err(e) => Err(e),
    }
}
