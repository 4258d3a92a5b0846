//! The room: a team's own readings as they come, what to take again and what to do next. What its phones type joins while it
//! measures, and is gone after an hour.

use actix_session::SessionExt;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_core::protocol::Protocol;
use jurado_store::room::{self, Joined, Readings};
use jurado_store::{door as store_door, secret};
use serde::Deserialize;

use super::hand_in::typed;
use super::quick::LabView;
use crate::crew::Crew;
use crate::error::{WebError, html};
use crate::views::course::time;
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;
use crate::views::quick::For;

#[derive(Template)]
#[template(path = "door/room.html")]
struct RoomPage {
    frame: Frame,
    team: String,
    section: String,
    l: LabView,
    action: String,
    may_compare: bool,
}

/// What another phone of the team typed.
#[derive(Default)]
pub(super) struct Phones {
    /// What stands in place of an empty box here: which, and what.
    pub(super) theirs: Vec<(String, String)>,
    /// What both typed, each otherwise: which, its field, here, there.
    pub(super) both: Vec<(String, String, String, String)>,
    /// Until when the last of it is kept.
    pub(super) until: String,
    /// Address of the form with what is joined.
    pub(super) form: String,
}

/// Key of what a phone is called, in the session.
const PHONE: &str = "phone";

/// What this phone is called, from now on for as long as its session lasts.
fn phone(request: &HttpRequest) -> Result<String, WebError> {
    let session = request.get_session();
    if let Some(known) = session.get::<String>(PHONE).unwrap_or_default() {
        return Ok(known);
    }
    let new: String = secret().chars().take(16).collect();
    session.insert(PHONE, &new).map_err(|e| WebError::Broken(e.to_string()))?;
    Ok(new)
}

/// The readings and keys among fields that are not empty: what joins.
fn readings(fields: &Fields) -> Readings {
    let joins = |name: &str| name.starts_with("c.") || name.starts_with("k.");
    let filled = fields.iter().filter(|(n, v)| joins(n) && !v.trim().is_empty());
    filled.map(|(n, v)| (n.clone(), v.trim().to_owned())).collect()
}

/// What a field is called: the reading and its row.
fn called(protocol: &Protocol, name: &str) -> String {
    let place = name.split_once('.').map_or(name, |(_, place)| place);
    let (id, row) = place.split_once(':').map_or((place, None), |(id, row)| (id, Some(row)));
    let key = protocol.keys.iter().find(|k| name.starts_with("k.") && k.id == id).map(|k| k.title.as_str());
    let title = key.or_else(|| protocol.item(id).map(|i| protocol.items[i].title.as_str())).unwrap_or(id);
    row.map_or_else(|| title.to_owned(), |row| format!("{title}, {row}"))
}

/// Fields of this phone with what the others typed where nothing stands here.
fn join(protocol: &Protocol, mut fields: Fields, kept: &Joined) -> (Fields, Phones) {
    let mut phones = Phones { until: kept.until.map(time).unwrap_or_default(), ..Phones::default() };
    let mut seen: Vec<&str> = Vec::new();
    for (name, value) in kept.others.iter().flatten() {
        if seen.contains(&name.as_str()) {
            continue;
        }
        seen.push(name);
        let here = field(&fields, name).unwrap_or("").trim().to_owned();
        if here.is_empty() {
            phones.theirs.push((called(protocol, name), value.clone()));
            fields.retain(|(n, _)| n != name);
            fields.push((name.clone(), value.clone()));
        } else if here != *value {
            phones.both.push((called(protocol, name), name.clone(), here, value.clone()));
        }
    }
    (fields, phones)
}

async fn show(crew: &Crew, lab: u32, fields: Option<Fields>, kept: Joined) -> Result<HttpResponse, WebError> {
    let place = crew.look(move |c, team| store_door::place(c, team, lab)).await?;
    let look = move || {
        // It begins with what the team has typed on its sheet; what a phone types now is newer.
        let now = |name: &str| kept.others.iter().any(|o| o.contains_key(name));
        let fields = fields.unwrap_or_else(|| typed(&place).into_iter().filter(|(n, _)| !now(n)).collect());
        let (fields, mut phones) = join(&place.lab.protocol, fields, &kept);
        phones.form = format!("/hand-in/{lab}/room");
        LabView { phones, ..LabView::new(&place.lab, &place.settings, &fields, For::Team) }
    };
    let l = web::block(look).await?;
    html(&RoomPage {
        frame: crew.frame(&l.title),
        team: crew.team.name.clone(),
        section: crew.team.section.clone(),
        action: format!("/hand-in/{lab}/room"),
        may_compare: false,
        l,
    })
}

#[derive(Deserialize)]
pub(crate) struct Taken {
    /// A field of which the other phone's text is taken.
    #[serde(default)]
    take: String,
}

/// The form with what this phone sent within the hour, and what the others did.
pub(crate) async fn page(
    crew: Crew,
    request: HttpRequest,
    lab: web::Path<u32>,
    taken: web::Query<Taken>,
) -> Result<HttpResponse, WebError> {
    let (lab, phone, taken) = (*lab, phone(&request)?, taken.into_inner().take);
    let kept = crew.look(move |c, team| room::look(c, team, lab, &phone)).await?;
    if kept.mine.is_empty() && taken.is_empty() {
        return show(&crew, lab, None, kept).await;
    }
    let fields = kept.mine.iter().filter(|(name, _)| **name != taken).map(|(n, v)| (n.clone(), v.clone())).collect();
    show(&crew, lab, Some(fields), kept).await
}

/// Looks at what is typed so far. A post, since a table does not fit an address; it changes nothing but what the team's
/// phones have of each other.
pub(crate) async fn look(
    crew: Crew,
    request: HttpRequest,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    crew.allow(field(&fields, "token").unwrap_or(""))?;
    let (lab, phone, mine) = (*lab, phone(&request)?, readings(&fields));
    let kept = crew
        .run(move |c, team| {
            store_door::place(c, team, lab)?;
            room::send(c, team, lab, &phone, &mine)
        })
        .await?;
    show(&crew, lab, Some(fields), kept).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_another_phone_typed_stands_where_nothing_is_here_and_what_both_typed_is_told() {
        let protocol = Protocol::parse(include_str!("../../../../protocols/base-standard.toml")).expect("a lab");
        let pairs = |text: &str| -> Vec<(String, String)> {
            let each = text.split_whitespace().filter_map(|p| p.split_once('='));
            each.map(|(n, v)| (n.to_owned(), v.to_owned())).collect()
        };
        let id = &protocol.items[protocol.readings[0].item].id;
        let here = pairs(&format!("c.{id}:1=1.0 c.{id}:2= token=x"));
        let (new, old) = (format!("c.{id}:1=1.5 c.{id}:2=2.0"), format!("c.{id}:2=9.9 c.{id}:3=3.0"));
        let kept = Joined {
            others: vec![pairs(&new).into_iter().collect(), pairs(&old).into_iter().collect()],
            ..Joined::default()
        };
        let (fields, phones) = join(&protocol, here, &kept);
        assert_eq!(field(&fields, &format!("c.{id}:1")), Some("1.0"), "what is typed here stays");
        assert_eq!(field(&fields, &format!("c.{id}:2")), Some("2.0"), "the newest of the others");
        assert_eq!(field(&fields, &format!("c.{id}:3")), Some("3.0"));
        assert_eq!(phones.theirs.len(), 2);
        let [(_, name, mine, theirs)] = &phones.both[..] else { panic!("one box that both typed") };
        assert_eq!((name.as_str(), mine.as_str(), theirs.as_str()), (&*format!("c.{id}:1"), "1.0", "1.5"));
        assert_eq!(readings(&pairs("c.a=1 k.station=2 e.a:1=3 token=x c.b=")).len(), 2, "an estimate is one's own");
    }
}
