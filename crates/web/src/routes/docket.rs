//! The Docket: what waits, and the clear tables as one lot.

use std::collections::{BTreeMap, BTreeSet};

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::notation::counted;
use jurado_core::summary::Mark;
use jurado_store::{Filter, Order, sheets};
use serde::Deserialize;

use crate::error::{WebError, html, on_to};
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;
use crate::views::bench::points;
use crate::views::docket::{DocketView, Found, Waiting};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "docket.html")]
struct DocketPage {
    frame: Frame,
    v: DocketView,
    /// Whether the person has to practise before the first evening.
    to_practise: bool,
}

/// What is asked for; blank fields ask for all.
#[derive(Deserialize, Default, Clone)]
pub(crate) struct Asked {
    #[serde(default)]
    pub(crate) lab: String,
    #[serde(default)]
    pub(crate) section: String,
    #[serde(default)]
    pub(crate) state: String,
    #[serde(default)]
    pub(crate) mark: String,
    #[serde(default)]
    pub(crate) find: String,
}

impl Asked {
    /// As the store reads it; `None` where nothing is asked for in particular.
    pub(crate) fn filter(&self) -> Option<Filter> {
        let text = |t: &str| Some(t.trim().to_owned()).filter(|t| !t.is_empty());
        let filter = Filter {
            lab: self.lab.parse().ok(),
            section: self.section.parse().ok(),
            mark: Mark::of_word(self.mark.trim()),
            state: text(&self.state),
            find: text(&self.find),
        };
        (filter != Filter::default()).then_some(filter)
    }
}

/// Patterns told, each with how many tables wait for it.
const MOST_ALIKE: usize = 4;
/// Questions of teams that are told one by one.
pub(crate) const MOST_QUESTIONS: i64 = 4;
/// Most tables that a search lists.
const MOST_FOUND: i64 = 60;

pub(crate) async fn home(_: Actor) -> HttpResponse {
    on_to("/docket")
}

pub(crate) async fn page(actor: Actor, asked: web::Query<Asked>) -> Result<HttpResponse, WebError> {
    let asked = asked.into_inner();
    let filter = asked.filter();
    // Counting a whole term takes longest: it is done beside the rest, on a connection of its own.
    let counted = actor.look(jurado_store::docket::counts);
    let alike = actor.look(|c, user| jurado_store::docket::alike(c, user, MOST_ALIKE));
    let rest = actor.look(move |c, user| {
        let wants = Filter { state: Some("wants".into()), ..Filter::default() };
        let clear = Filter { state: Some("clear".into()), ..Filter::default() };
        let due: BTreeMap<(u32, u32), _> =
            jurado_store::sections::due(c)?.into_iter().map(|(s, l, at)| ((l, s), at)).collect();
        let found = match &filter {
            None => None,
            Some(f) => Some(Found {
                rows: jurado_store::docket::list(c, user, f, Order::Need, MOST_FOUND + 1)?,
                most: MOST_FOUND as usize,
            }),
        };
        let to_practise = jurado_store::practice::asked(c, user)?.is_some_and(|a| !a.is_met());
        let waiting = Waiting {
            labs: jurado_store::labs::open(c)?.into_iter().map(|(lab, _)| lab).collect(),
            sections: jurado_store::roster::sections(c, user)?,
            counts: BTreeMap::new(),
            next: jurado_store::docket::list(c, user, &wants, Order::Need, 30)?,
            alike: Vec::new(),
            clear: jurado_store::docket::list(c, user, &clear, Order::Need, 1)?,
            hanging: jurado_store::docket::hanging(c, user)?,
            held: jurado_store::quarantine::count(c, user)?,
            questions: jurado_store::questions::list(c, user, false, MOST_QUESTIONS + 1)?,
            due,
            found,
        };
        Ok((waiting, to_practise))
    });
    let (counted, alike, rest) = futures_util::future::join3(counted, alike, rest).await;
    let ((mut waiting, to_practise), mine) = (rest?, actor.user.clone());
    waiting.counts = counted?;
    waiting.alike = alike?;
    // A lab that nobody has handed in yet is in the library, not on the docket.
    let used: BTreeSet<u32> = waiting.counts.keys().map(|(lab, _)| *lab).collect();
    waiting.labs.retain(|l| used.contains(&l.id));
    waiting.labs.sort_by(|a, b| a.protocol.title.cmp(&b.protocol.title));
    let v = DocketView::new(&waiting, &mine, asked, actor.blind);
    let frame = actor.frame("Docket", "docket").with_counts(v.done + v.returned, v.total);
    html(&DocketPage { frame, v, to_practise })
}

#[derive(Template)]
#[template(path = "docket/clear.html")]
struct ClearPage {
    frame: Frame,
    /// Of one lab, or of all.
    lab: String,
    groups: Vec<ClearGroup>,
    count: usize,
    /// Whether there are more than are signed at once.
    more: bool,
    /// What was seen, as the form sends it back.
    seen: String,
}

/// The clear tables of one lab.
struct ClearGroup {
    lab: u32,
    title: String,
    rows: Vec<ClearView>,
}

struct ClearView {
    id: u32,
    team: String,
    section: String,
    points: String,
    possible: String,
    says: String,
}

#[derive(Deserialize, Default)]
pub(crate) struct OfLab {
    #[serde(default)]
    lab: String,
}

/// The tables that look clear, to be looked over and signed together.
pub(crate) async fn clear(actor: Actor, of: web::Query<OfLab>) -> Result<HttpResponse, WebError> {
    let lab: Option<u32> = of.lab.parse().ok();
    let most = sheets::MOST_AT_ONCE;
    let (mut rows, labs) = actor
        .look(move |c, user| {
            Ok((jurado_store::docket::clear_lot(c, user, lab, most as i64 + 1)?, jurado_store::labs::all(c)?))
        })
        .await?;
    let more = rows.len() > most;
    rows.truncate(most);
    let seen: Vec<String> = rows.iter().map(|r| format!("{}-{}", r.id, r.version)).collect();
    let mut groups: Vec<ClearGroup> = Vec::new();
    for (n, r) in rows.iter().enumerate() {
        if n == 0 || rows[n - 1].lab_id != r.lab_id {
            let title = labs.iter().find(|l| l.id == r.lab_id).map_or_else(String::new, |l| l.protocol.title.clone());
            groups.push(ClearGroup { lab: r.lab_id, title, rows: Vec::new() });
        }
        let view = ClearView {
            id: r.id,
            team: if actor.blind { format!("Table {}", r.id) } else { r.team.clone() },
            section: r.section.clone(),
            points: points(r.decided),
            possible: r.possible.normalize().to_string(),
            says: if r.decided < r.possible { r.headline.clone() } else { String::new() },
        };
        if let Some(group) = groups.last_mut() {
            group.rows.push(view);
        }
    }
    let frame = actor.frame("Clear tables", "docket");
    html(&ClearPage { frame, lab: of.lab.clone(), count: rows.len(), groups, more, seen: seen.join(" ") })
}

#[derive(Deserialize)]
pub(crate) struct SignClear {
    token: String,
    #[serde(default)]
    lab: String,
    seen: String,
}

pub(crate) async fn sign_clear(actor: Actor, form: web::Form<SignClear>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let pairs = form.seen.split_whitespace().filter_map(|p| p.split_once('-'));
    let seen: Vec<(u32, u32)> = pairs.filter_map(|(id, v)| Some((id.parse().ok()?, v.parse().ok()?))).collect();
    let wanted = seen.len();
    let signed = actor.run(move |c, user| sheets::sign_clear(c, &seen, user)).await?;
    let left = match wanted - signed {
        0 => String::new(),
        n => format!(" {} changed meanwhile and waits as before.", counted(n, "table")),
    };
    let to = if form.lab.parse::<u32>().is_ok() { format!("/docket?lab={}", form.lab) } else { "/docket".to_owned() };
    let said = format!("{} signed.{left} Each can be opened again on its Bench.", counted(signed, "table"));
    Ok(on_to_saying(&to, Said::done("The clear ones", said)))
}
