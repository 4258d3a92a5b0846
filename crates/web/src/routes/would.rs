//! What a change would do to the tables there are. Whatever can move a mark is looked at here before it is done.

use std::sync::Arc;

use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_store::{Lab, SheetDetail, on_all_cores, sheets};

use crate::error::WebError;
use crate::session::Actor;
use crate::views::would::{Pair, WouldView};

/// A change that may move marks.
#[derive(Clone)]
pub(super) enum Change {
    /// Another text in place of the one in force.
    Protocol(Arc<Protocol>),
    /// Other settings of some sections.
    Settings(Vec<u32>, Section),
}

impl Change {
    /// Names it among all changes, over what is in force.
    fn name(&self, now: &Lab) -> String {
        match self {
            Change::Protocol(new) => format!("{}.{}", now.protocol_id, new.digest),
            Change::Settings(sections, new) => {
                let text = serde_json::to_string(&(sections, new)).unwrap_or_default();
                format!("{}.{}", now.protocol_id, jurado_store::digest(text.as_bytes()))
            }
        }
    }

    fn after(&self, now: &Protocol, d: &SheetDetail) -> jurado_core::verdict::Judged {
        match self {
            Change::Protocol(new) => d.judge(new),
            Change::Settings(_, new) => {
                // What many teams gave of a reading's spread is no setting of a form.
                let repeatability = d.settings.repeatability.clone();
                SheetDetail { settings: Section { repeatability, ..new.clone() }, ..d.clone() }.judge(now)
            }
        }
    }
}

/// What a change would do, over all tables that it is about.
pub(super) async fn would(actor: &Actor, now: &Lab, change: &Change) -> Result<WouldView, WebError> {
    let (lab, sections) = (now.id, change.clone());
    let details = actor
        .look(move |c, user| match &sections {
            Change::Protocol(_) => sheets::details_of(c, lab, None, user),
            Change::Settings(sections, _) => {
                let mut all = Vec::new();
                for section in sections {
                    all.extend(sheets::details_of(c, lab, Some(*section), user)?);
                }
                Ok(all)
            }
        })
        .await?;
    let (now, change) = (now.clone(), change.clone());
    actor
        .think("Looking at what would change", move |actor| {
            let verdicts = on_all_cores(&details, |d| (d.judge(&now.protocol), change.after(&now.protocol, d)));
            let pairs: Vec<Pair> = details.into_iter().zip(verdicts).map(|(d, (a, b))| (d, a, b)).collect();
            let new = match &change {
                Change::Protocol(new) => new,
                Change::Settings(..) => &now.protocol,
            };
            WouldView::new((&now.protocol, new), &pairs, change.name(&now), (&actor.user, actor.blind))
        })
        .await
}

/// What is to be looked at before a change is done: nothing where it was, or where no table moves.
pub(super) async fn unseen(
    actor: &Actor,
    now: &Lab,
    change: &Change,
    looked: Option<&str>,
) -> Result<Option<WouldView>, WebError> {
    if looked == Some(change.name(now).as_str()) {
        return Ok(None);
    }
    let would = would(actor, now, change).await?;
    Ok((would.moving.moves > 0).then_some(WouldView { asked: true, ..would }))
}
