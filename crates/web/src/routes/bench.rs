//! The Bench: one table, judged and decided.

use std::sync::Arc;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::decision::Action;
use jurado_core::finding::Key;
use jurado_core::protocol::{Protocol, Rule};
use jurado_core::verdict::Judged;
use jurado_store::attachments::Attachment;
use jurado_store::questions::{self, Question};
use jurado_store::{DocketRow, HeldRecord, Lab, NewDecision, Role, SheetDetail, SheetState, StoreError};
use rust_decimal::Decimal;
use serde::Deserialize;

use jurado_store::sheets::NOTHING_TO_UNDO;

use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::bench::{Around, BenchView, SegmentView, Tried};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "bench.html")]
pub(super) struct BenchPage {
    pub(super) frame: Frame,
    pub(super) v: BenchView,
    pub(super) fault: Option<String>,
}

#[derive(Template)]
#[template(path = "conflict.html")]
struct ConflictPage {
    frame: Frame,
    id: u32,
    version: u32,
    mine: String,
    by: String,
    theirs: String,
    form: Option<Mine>,
}

/// What the person wanted, to be sent again.
struct Mine {
    finding: Key,
    action: String,
    points: String,
    reason: String,
}

/// What of a table is in hand.
#[derive(Clone, Copy, Debug, Default, Deserialize)]
pub(crate) struct Look {
    /// Finding, from 1.
    #[serde(default)]
    pub(super) f: Option<usize>,
    /// Result, from 0.
    #[serde(default)]
    pub(super) r: Option<usize>,
    /// Asked for with any figure: all rows are shown, folded ones too.
    #[serde(default)]
    pub(super) o: Option<u8>,
}

#[derive(Deserialize)]
pub(crate) struct Decide {
    pub(super) token: String,
    pub(super) version: u32,
    finding: Key,
    action: String,
    #[serde(default)]
    points: String,
    #[serde(default)]
    reason: String,
}

#[derive(Deserialize)]
pub(crate) struct Based {
    pub(super) token: String,
    pub(super) version: u32,
}

#[derive(Clone)]
pub(super) struct Loaded {
    pub(super) detail: SheetDetail,
    pub(super) lab: Lab,
    rows: Vec<DocketRow>,
    attachments: Vec<Attachment>,
    asked: Vec<Question>,
    /// Rows that wait in quarantine, and whether who looks may release them.
    pub(super) waits: (Vec<HeldRecord>, bool),
}

pub(super) async fn load(actor: &Actor, id: u32) -> Result<Arc<Loaded>, WebError> {
    load_and(actor, id, false).await
}

/// Loads a table; one that is looked at is taken in hand, if nobody else has it.
async fn load_and(actor: &Actor, id: u32, hold: bool) -> Result<Arc<Loaded>, WebError> {
    let (loaded, to_hold) = actor
        .look(move |c, user| {
            let detail = jurado_store::sheets::get(c, id, user)?;
            let lab = jurado_store::labs::get_in(c, detail.lab_id, detail.section_id)?;
            let rows = jurado_store::docket::of_watch(c, lab.id, detail.section_id, user)?;
            let attachments = jurado_store::attachments::of(c, lab.id, detail.team_id)?;
            let asked = if detail.returns > 0 { questions::of(c, detail.id)? } else { Vec::new() };
            let waits = match detail.submission.waiting {
                0 => (Vec::new(), false),
                _ => jurado_store::quarantine::of_table(c, detail.submission_id, detail.team_id, user)?,
            };
            let may_hold = hold && user.role != Role::Auditor;
            let to_hold = may_hold
                && detail.state == SheetState::Waiting
                && !jurado_store::hands::holds_well(c, detail.taken, user)?;
            Ok((Loaded { detail, lab, rows, attachments, asked, waits }, to_hold))
        })
        .await?;
    if to_hold {
        // A courtesy: whatever keeps it from being written down does not keep the table from being looked at.
        if let Err(e) = actor.run(move |c, user| jurado_store::hands::hold(c, id, user)).await {
            log::debug!("table {id} could not be put in hand: {e}");
        }
    }
    Ok(Arc::new(loaded))
}

/// On to the table that most wants a person: one already in hand, else the next that nobody has.
pub(crate) async fn next(actor: Actor) -> Result<HttpResponse, WebError> {
    if actor.user.role == Role::Auditor {
        return Ok(on_to("/docket"));
    }
    let id = actor.run(|c, user| jurado_store::hands::take_next(c, user, None, None)).await?;
    Ok(on_to(&id.map_or_else(|| "/docket".to_owned(), |id| format!("/bench/{id}"))))
}

pub(super) fn show(
    actor: &Actor,
    loaded: &Loaded,
    look: Look,
    tried: Option<&Tried>,
    fault: Option<String>,
) -> BenchPage {
    let judged = loaded.detail.judge(&loaded.lab.protocol);
    crate::metrics::judged();
    let row = loaded.rows.iter().find(|r| r.id == loaded.detail.id);
    let around = Around {
        rows: &loaded.rows,
        attachments: &loaded.attachments,
        waits: &loaded.waits,
        finding: look.f,
        result: look.r,
        unfolded: look.o.is_some(),
        held: row.is_some_and(|r| r.held_from(&actor.user)),
        may_remove: actor.user.role == Role::Coordinator,
        blind: actor.blind,
        asked: &loaded.asked,
        tried,
    };
    let v = BenchView::new(&loaded.lab.protocol, &loaded.detail, &judged, &around);
    let title = format!("Bench: {}, {}", v.team, loaded.lab.protocol.title);
    let frame = actor.frame(&title, "bench").with_passage(loaded.rows.iter(), Some(loaded.detail.id));
    BenchPage { frame, v, fault }
}

/// What the person who judges waits for, in the words of a fault.
pub(super) const JUDGING: &str = "Judging this table";

/// The page of a table, judged off the event loop.
pub(super) async fn shown(
    actor: &Actor,
    loaded: &Arc<Loaded>,
    look: Look,
    fault: Option<String>,
) -> Result<BenchPage, WebError> {
    let loaded = loaded.clone();
    actor.think(JUDGING, move |actor| show(actor, &loaded, look, None, fault)).await
}

/// The page again, with what is wrong.
pub(super) async fn refused(actor: &Actor, loaded: &Arc<Loaded>, fault: String) -> Result<HttpResponse, WebError> {
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &shown(actor, loaded, Look::default(), Some(fault)).await?)
}

pub(crate) async fn page(actor: Actor, id: web::Path<u32>, look: web::Query<Look>) -> Result<HttpResponse, WebError> {
    let loaded = load_and(&actor, *id, true).await?;
    html(&shown(&actor, &loaded, look.into_inner(), None).await?)
}

/// What was asked, or what is wrong with it in words.
pub(super) fn read(form: &Decide, protocol: &Protocol, judged: &Judged) -> Result<NewDecision, String> {
    let reason = forms::REASON.optional(&form.reason)?;
    let most = match &form.finding {
        Key::Line(line) => judged.score.lines.iter().find(|l| l.criterion == *line).map(|l| l.possible),
        _ => judged.findings.iter().find(|f| f.key == form.finding).map(|f| {
            let criterion = f.criterion.as_deref().unwrap_or("");
            judged.score.lines.iter().find(|l| l.criterion == criterion).map_or(Decimal::ZERO, |l| l.possible)
        }),
    };
    let Some(most) = most else {
        return Err("This finding is no longer there: the table has changed. Look at it as it is now.".into());
    };
    let action = match form.action.as_str() {
        "accept" if matches!(form.finding, Key::Line(_)) => {
            return Err("A line is changed with points and a reason.".into());
        }
        "accept" => Action::Accept,
        "forgive" => Action::Forgive,
        "refuse" if matches!(form.finding, Key::Repair { .. }) => Action::Refuse,
        "points" => Action::Points(forms::points(&form.points, most)?),
        other => return Err(format!("“{other}” is no decision: take what is proposed, forgive, or set points.")),
    };
    // A level says by itself why.
    let line = if let Key::Line(line) = &form.finding { Some(line) } else { None };
    let level = line.and_then(|line| {
        let criterion = protocol.criteria.iter().find(|c| c.id == *line)?;
        let (Rule::Manual { levels }, Action::Points(p)) = (&criterion.rule, action) else { return None };
        levels.iter().find(|(_, points)| *points == p).map(|(says, _)| says.clone())
    });
    let reason = if reason.is_empty() { level.unwrap_or_default() } else { reason };
    if action != Action::Accept && reason.is_empty() {
        return Err(
            "To decide otherwise than proposed, write the reason in a few words: it is kept beside the mark.".into()
        );
    }
    Ok(NewDecision::new(&form.finding, action, reason))
}

pub(crate) async fn decide(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Decide>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let id = *id;
    let loaded = load(&actor, id).await?;
    // A stale form is told as a lost race before its content is looked at.
    let form = Arc::new(form.into_inner());
    let (asked, on) = (form.clone(), loaded.clone());
    let reading = move |_: &Actor| read(&asked, &on.lab.protocol, &on.detail.judge(&on.lab.protocol));
    let decision = match actor.think(JUDGING, reading).await? {
        Ok(decision) => decision,
        Err(_) if loaded.detail.version != form.version => NewDecision::new(&form.finding, Action::Accept, ""),
        Err(fault) => return refused(&actor, &loaded, fault).await,
    };
    let (version, new) = (form.version, vec![decision]);
    match actor.run(move |c, user| jurado_store::sheets::decide(c, id, version, user, &new)).await {
        Ok(()) => Ok(on_to(&format!("/bench/{id}"))),
        Err(WebError::Store(StoreError::Conflict(c))) => {
            let mine = in_words(&form);
            let form = Mine {
                finding: form.finding.clone(),
                action: form.action.clone(),
                points: form.points.clone(),
                reason: form.reason.clone(),
            };
            let page = ConflictPage {
                frame: actor.frame("Somebody was first", "bench"),
                id,
                version: c.version,
                mine,
                by: c.by.clone(),
                theirs: c.theirs.clone(),
                form: Some(form),
            };
            html_with(StatusCode::CONFLICT, &page)
        }
        Err(e) => Err(e),
    }
}

fn in_words(form: &Decide) -> String {
    let what = match form.action.as_str() {
        "accept" => "take what was proposed".to_owned(),
        "forgive" => "forgive it".to_owned(),
        "refuse" => "refuse the repair".to_owned(),
        _ => format!("set {} points", form.points.trim()),
    };
    let reason = if form.reason.trim().is_empty() { String::new() } else { format!(" (“{}”)", form.reason.trim()) };
    format!("{what} for {}{reason}", form.finding)
}

pub(crate) async fn undo(actor: Actor, id: web::Path<u32>, form: web::Form<Based>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, version) = (*id, form.version);
    match actor.run(move |c, user| jurado_store::sheets::undo(c, id, version, user)).await {
        Ok(_) => Ok(on_to(&format!("/bench/{id}"))),
        Err(WebError::Store(StoreError::NotFound(NOTHING_TO_UNDO))) => Ok(on_to(&format!("/bench/{id}"))),
        Err(WebError::Store(StoreError::Conflict(c))) => lost(&actor, id, "take the last decision back", &c),
        Err(e) => Err(e),
    }
}

pub(crate) async fn sign(actor: Actor, id: web::Path<u32>, form: web::Form<Based>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, version) = (*id, form.version);
    match actor.run(move |c, user| jurado_store::sheets::sign(c, id, version, user)).await {
        Ok(()) => {
            // The same watch and lab first, so that like tables follow one another.
            let next = actor
                .run(move |c, user| {
                    let place = jurado_store::sheets::get(c, id, user)?;
                    jurado_store::hands::take_next(c, user, Some((place.lab_id, place.section_id)), Some(id))
                })
                .await?;
            let next = next.map_or_else(|| "/docket".to_owned(), |id| format!("/bench/{id}"));
            Ok(on_to(&next))
        }
        Err(WebError::Store(StoreError::Conflict(c))) => lost(&actor, id, "sign the table", &c),
        Err(e) => Err(e),
    }
}

pub(super) fn lost(actor: &Actor, id: u32, mine: &str, c: &jurado_store::Conflict) -> Result<HttpResponse, WebError> {
    let page = ConflictPage {
        frame: actor.frame("Somebody was first", "bench"),
        id,
        version: c.version,
        mine: mine.to_owned(),
        by: c.by.clone(),
        theirs: c.theirs.clone(),
        form: None,
    };
    html_with(StatusCode::CONFLICT, &page)
}
