//! The try-out: readings changed, added or left out, another school, and everything worked out anew. Nothing is stored
//! until it is proposed as the correction.

use std::sync::Arc;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::Key;
use jurado_core::judging::judge_in;
use jurado_core::protocol::{Protocol, UncertaintySchool};
use jurado_core::verdict::{Judged, JudgedCell};
use jurado_store::{NewDecision, SheetDetail, StoreError};

use super::bench::{BenchPage, JUDGING, Loaded, Look, load, lost, show};
use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::bench::{TESTS, Tried};
use crate::views::entry::{Bounded, Fields, field};

/// What differs from the table as it is judged now, as decisions on cells.
fn changes(protocol: &Protocol, judged: &Judged, fields: &Fields, reason: &str) -> Result<Vec<NewDecision>, String> {
    let mut out = Vec::new();
    for reading in &judged.readings {
        let item = &protocol.items[reading.item];
        for cell in &reading.cells {
            let name = cell.row.map_or_else(|| item.id.clone(), |r| format!("{}:{r}", item.id));
            let Some(text) = field(fields, &format!("c.{name}")) else { continue };
            if text.chars().count() > forms::CELL.most {
                return Err(format!("The {} is longer than a reading can be: write the number alone.", item.title));
            }
            let left_out = field(fields, &format!("o.{name}")).is_some();
            let was_out = is_out(cell);
            let new = |action, text: &str| NewDecision {
                finding: Key::from(format!("cell:{name}")),
                action,
                reason: reason.to_owned(),
                text: text.to_owned(),
            };
            if left_out && !was_out {
                out.push(new(Action::LeaveOut, ""));
            } else if text != cell.text || (was_out && !left_out) {
                out.push(new(Action::Read, text.trim()));
            }
        }
    }
    Ok(out)
}

/// Whether the team or a reviewer left the cell out.
fn is_out(cell: &JudgedCell) -> bool {
    cell.by_person || cell.excluded.is_some()
}

/// The protocol with the schools that the person chose.
fn schooled(protocol: &Protocol, fields: &Fields) -> Protocol {
    let mut out = protocol.clone();
    if let Some(word) = field(fields, "school")
        && let Some((school, _)) = UncertaintySchool::ALL.iter().find(|(_, w)| *w == word)
    {
        out.school.uncertainty = *school;
    }
    if let Some(id) = field(fields, "test").filter(|t| !t.is_empty())
        && let Some((_, _, test)) = TESTS.iter().find(|(t, ..)| *t == id)
    {
        out.school.rejection = *test;
        // A lab that names a test for a reading is asked with the one chosen all the same.
        out.readings.iter_mut().for_each(|r| r.rejection = None);
    }
    out
}

/// A table with what was changed in the fields of its try-out.
pub(super) fn tried(protocol: &Protocol, detail: &SheetDetail, fields: &Fields) -> Tried {
    let now = detail.judge(protocol);
    let (new, fault) = match changes(protocol, &now, fields, "tried") {
        Ok(new) => (new, None),
        Err(fault) => (Vec::new(), Some(fault)),
    };
    let protocol = schooled(protocol, fields);
    let mut decisions: Vec<Decision> = detail.in_force();
    decisions.extend(new.iter().map(|n| Decision {
        finding: n.finding.clone(),
        action: n.action,
        reason: n.reason.clone(),
        by: "you".to_owned(),
        text: n.text.clone(),
    }));
    let judged = judge_in(&protocol, &detail.settings, &detail.submission, &detail.rulings, &decisions);
    Tried { judged, protocol, changed: new.len(), fault }
}

/// The page of a table with what was tried, judged off the event loop.
async fn shown(
    actor: &Actor,
    loaded: &Arc<Loaded>,
    fields: &Arc<Fields>,
    fault: Option<String>,
) -> Result<BenchPage, WebError> {
    let (loaded, fields) = (loaded.clone(), fields.clone());
    actor
        .think(JUDGING, move |actor| {
            let tried = tried(&loaded.lab.protocol, &loaded.detail, &fields);
            show(actor, &loaded, Look::default(), Some(&tried), fault)
        })
        .await
}

pub(crate) async fn begin(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let loaded = load(&actor, *id).await?;
    html(&shown(&actor, &loaded, &Arc::new(Vec::new()), None).await?)
}

/// Works the try-out out. A post, since a table does not fit an address; it changes nothing.
pub(crate) async fn work(
    actor: Actor,
    id: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow_own(field(&fields, "token").unwrap_or(""))?;
    let loaded = load(&actor, *id).await?;
    html(&shown(&actor, &loaded, &Arc::new(fields), None).await?)
}

/// What was tried as decisions on the table's cells, or what is wrong with it.
pub(super) fn corrections(
    protocol: &Protocol,
    detail: &SheetDetail,
    fields: &Fields,
) -> Result<Vec<NewDecision>, String> {
    let wanted = "To take this as the correction, write the reason in a few words: it is kept beside the mark.";
    let reason = forms::REASON.wanted(field(fields, "reason").unwrap_or(""), wanted)?;
    let new = changes(protocol, &detail.judge(protocol), fields, &reason)?;
    if new.is_empty() {
        return Err("Nothing differs from the table: change a reading, or leave one out, first.".to_owned());
    }
    Ok(new)
}

/// Proposes what was tried as the correction: decisions on its cells, to be undone like any.
pub(crate) async fn correct(
    actor: Actor,
    id: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let (id, fields) = (*id, fields.into_inner().0);
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    let loaded = load(&actor, id).await?;
    let fields = Arc::new(fields);
    let (on, asked) = (loaded.clone(), fields.clone());
    let new = match actor.think(JUDGING, move |_| corrections(&on.lab.protocol, &on.detail, &asked)).await? {
        Ok(new) => new,
        Err(fault) => {
            let page = shown(&actor, &loaded, &fields, Some(fault)).await?;
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    let version: u32 = field(&fields, "version").and_then(|v| v.parse().ok()).unwrap_or(0);
    match actor.run(move |c, user| jurado_store::sheets::decide(c, id, version, user, &new)).await {
        Ok(()) => Ok(on_to(&format!("/bench/{id}"))),
        Err(WebError::Store(StoreError::Conflict(c))) => lost(&actor, id, "correct the readings", &c),
        Err(e) => Err(e),
    }
}
