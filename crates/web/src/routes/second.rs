//! A table to be marked a second time: judged as it was handed in, without what others decided and without its team.

use std::collections::HashMap;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::decision::{Action, Decision};
use jurado_core::finding::{Finding, Key, Kind, Severity};
use jurado_core::verdict::Judged;
use jurado_store::{Lab, SheetDetail, SheetState, StoreError, labs, second};
use rust_decimal::Decimal;

use super::bench::{JUDGING, Look};
use crate::error::{WebError, html, html_with};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::Actor;
use crate::views::bench::{Around, BenchView, SegmentView};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "second.html")]
struct SecondPage {
    frame: Frame,
    v: BenchView,
    id: u32,
    submission: u32,
    /// What was chosen of each finding, and the points typed: as it was sent, if it could not be kept.
    chosen: Vec<(String, String)>,
    fault: Option<String>,
}

#[derive(Clone)]
struct Loaded {
    detail: SheetDetail,
    lab: Lab,
}

async fn load(actor: &Actor, id: u32) -> Result<Loaded, WebError> {
    actor
        .look(move |c, user| {
            let mut detail = second::get(c, id, user)?;
            let lab = labs::get_in(c, detail.lab_id, detail.section_id)?;
            // Neither whose it is nor what became of it.
            detail.submission.team = "the team".into();
            (detail.state, detail.returned_at, detail.due_at) = (SheetState::Waiting, None, None);
            Ok(Loaded { detail, lab })
        })
        .await
}

/// Findings to decide, in the order in which the page numbers them.
fn numbered(judged: &Judged) -> impl Iterator<Item = &Finding> {
    judged.findings.iter().filter(|f| f.severity != Severity::Note)
}

async fn shown(
    actor: &Actor,
    (id, loaded): (u32, Loaded),
    look: Look,
    chosen: Vec<(String, String)>,
    fault: Option<String>,
) -> Result<SecondPage, WebError> {
    actor
        .think(JUDGING, move |actor| {
            let judged = loaded.detail.judge(&loaded.lab.protocol);
            let around = Around { blind: true, ..Around::alone(look.f, look.r) };
            let v = BenchView::new(&loaded.lab.protocol, &loaded.detail, &judged, &around);
            let v = BenchView { team: "the team".into(), ..v };
            let mut chosen = chosen;
            chosen.resize(v.findings.len(), (String::new(), String::new()));
            let frame = actor.frame("A second mark", "moderation");
            SecondPage { frame, v, id, submission: loaded.detail.submission_id, chosen, fault }
        })
        .await
}

pub(crate) async fn page(actor: Actor, id: web::Path<u32>, look: web::Query<Look>) -> Result<HttpResponse, WebError> {
    let loaded = load(&actor, *id).await?;
    html(&shown(&actor, (*id, loaded), look.into_inner(), Vec::new(), None).await?)
}

/// The decisions of the form, or what is wrong with it.
fn read(form: &HashMap<String, String>, judged: &Judged, by: &str) -> Result<Vec<Decision>, String> {
    let field = |name: &str, n: usize| form.get(&format!("{name}{n}")).map_or("", |s| s.trim());
    let mut out = Vec::new();
    for (n, f) in numbered(judged).enumerate().map(|(n, f)| (n + 1, f)) {
        // What only a person can judge stands as it was given.
        if matches!(f.kind, Kind::Manual(_)) {
            continue;
        }
        if field("k", n) != f.key.to_string() {
            return Err("The table is judged otherwise by now: look at its findings again.".into());
        }
        let most = || {
            let line = judged.score.lines.iter().find(|l| Some(l.criterion.as_str()) == f.criterion.as_deref());
            line.map_or(Decimal::ZERO, |l| l.possible)
        };
        let action = match field("a", n) {
            // What nobody has to decide stands as it is computed, by rule or by a ruling.
            "accept" if !f.open() => continue,
            "accept" => Action::Accept,
            "forgive" => Action::Forgive,
            "refuse" if matches!(f.key, Key::Repair { .. }) => Action::Refuse,
            "points" => Action::Points(forms::points(field("p", n), most()).map_err(|e| format!("Finding {n}: {e}"))?),
            _ => return Err(format!("Finding {n} is not decided: take it as proposed, forgive it, or set points.")),
        };
        let by = by.to_owned();
        out.push(Decision { finding: f.key.clone(), action, reason: "second mark".into(), by, text: String::new() });
    }
    Ok(out)
}

pub(crate) async fn mark(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<HashMap<String, String>>,
) -> Result<HttpResponse, WebError> {
    actor.allow(form.get("token").map_or("", String::as_str))?;
    let (id, form) = (*id, form.into_inner());
    let based_on: u32 = form.get("submission").and_then(|s| s.parse().ok()).unwrap_or(0);
    let loaded = load(&actor, id).await?;
    let (on, by) = (loaded.clone(), actor.user.name.clone());
    let (new, chosen) = actor
        .think(JUDGING, move |_| {
            let judged = on.detail.judge(&on.lab.protocol);
            let text = |name: &str, n: usize| form.get(&format!("{name}{n}")).cloned().unwrap_or_default();
            let chosen = (1..=numbered(&judged).count()).map(|n| (text("a", n), text("p", n))).collect::<Vec<_>>();
            (read(&form, &judged, &by), chosen)
        })
        .await?;
    let fault = match new {
        Err(fault) => fault,
        Ok(new) => match actor.run(move |c, user| second::mark(c, id, based_on, &new, user)).await {
            Ok(()) => {
                let said = "Your mark is kept beside the first. The team’s sheet is as it was.";
                return Ok(on_to_saying("/moderation", Said::done("Marked a second time", said)));
            }
            Err(WebError::Store(StoreError::Conflict(c))) => {
                format!("{} was first: {}. Look at it as it is now.", c.by, c.theirs)
            }
            Err(e) => return Err(e),
        },
    };
    let page = shown(&actor, (id, loaded), Look::default(), chosen, Some(fault)).await?;
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
}
