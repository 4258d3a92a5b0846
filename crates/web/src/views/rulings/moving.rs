//! What a ruling would move, or taking it back would: each table before and after, and a strip of all.

use std::collections::BTreeMap;

use jurado_core::decision::Ruling;
use jurado_core::finding::Finding;
use jurado_core::judging::judge_in;
use jurado_core::notation::counted;
use jurado_core::verdict::Judged;
use jurado_store::rulings::Place;
use jurado_store::{Lab, SheetDetail, SheetState, User, on_all_cores};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use crate::draw::strip::{self, Stroke};
use crate::views::bench::points;
use crate::views::course::time;

/// A section of the strip.
pub(crate) struct StripView {
    pub(crate) section: String,
    pub(crate) svg: crate::draw::svg::Svg,
    pub(crate) width: u32,
    pub(crate) says: String,
}

/// A table that is like it.
pub(crate) struct Team {
    pub(crate) id: Option<u32>,
    pub(crate) name: String,
    pub(crate) section: String,
    pub(crate) now: String,
    pub(crate) before: String,
    pub(crate) after: String,
    pub(crate) svg: crate::draw::svg::Svg,
}

/// Tables under one head.
pub(crate) struct Group {
    pub(crate) title: String,
    pub(crate) says: String,
    pub(crate) teams: Vec<Team>,
    pub(crate) more: usize,
}

/// A table that holds a finding like it.
pub(super) struct Like {
    pub(super) at: usize,
    /// Whether the finding is at the result that the ruling comes from, with whatever slip.
    pub(super) here: bool,
    /// Whether it is there with the same slip.
    pub(super) here_same: bool,
    /// Whether the same slip is at any result.
    pub(super) same: bool,
    pub(super) by_hand: bool,
}

/// Tables of a lab up to which every section is drawn, and most sections that are.
const MOST_DRAWN: usize = 300;
const MOST_STRIPS: usize = 16;
/// Why a table that is like it stays as it is.
const OUTSIDE: &str = "settled by hand, by a narrower ruling, or outside the pattern";
/// Teams listed of one group.
const LISTED: usize = 24;
/// All that the page of a ruling is worked out from.
pub(super) struct Seen<'a> {
    pub(super) lab: &'a Lab,
    pub(super) all: &'a [SheetDetail],
    pub(super) places: &'a [Place],
    pub(super) judged: Vec<Judged>,
    pub(super) ruling: &'a Ruling,
    /// The table that it comes from.
    pub(super) sheet: u32,
    /// Whether the ruling is there and would be taken back.
    pub(super) back: bool,
    pub(super) user: &'a User,
    pub(super) blind: bool,
}

/// What would move, laid out.
pub(super) struct Moving {
    pub(super) groups: Vec<Group>,
    pub(super) strip: Vec<StripView>,
    pub(super) moves: usize,
    pub(super) sum: String,
}

/// Points with their sign.
fn signed(sum: Decimal) -> String {
    format!("{}{}", if sum < Decimal::ZERO { "−" } else { "+" }, points(sum.abs()))
}

impl Seen<'_> {
    /// Whether a finding is of the kind that the ruling is about, whatever its slip.
    pub(super) fn wide(&self, f: &Finding) -> bool {
        let item = f.place.item.map(|i| self.lab.protocol.items[i].id.as_str());
        f.code() == self.ruling.code && (self.ruling.item.is_none() || item == self.ruling.item.as_deref())
    }

    pub(super) fn name(&self, at: usize) -> String {
        let d = &self.all[at];
        match (self.blind, self.user.sees(d.section_id)) {
            (true, _) => format!("Table {}", d.id),
            (false, true) => d.submission.team.clone(),
            (false, false) => "a team".to_owned(),
        }
    }

    /// Sections of the tables like it, in their order.
    pub(super) fn sections(&self) -> Vec<(u32, String)> {
        let mut sections: Vec<(u32, String)> = Vec::new();
        for d in self.all {
            if !sections.iter().any(|(id, _)| *id == d.section_id) {
                sections.push((d.section_id, d.submission.section.clone()));
            }
        }
        sections
    }

    /// A table as it would be judged.
    fn after(&self, l: &Like) -> Judged {
        let (d, r) = (&self.all[l.at], self.ruling);
        let others = d.rulings.iter().filter(|other| other.id != r.id);
        let rulings: Vec<Ruling> = others.chain((!self.back).then_some(r)).cloned().collect();
        judge_in(&self.lab.protocol, &d.settings, &d.submission, &rulings, &d.in_force())
    }

    /// One table as a row, with what becomes of it and by how much it moves; `None` where it stays.
    fn team(&self, l: &Like, after: Option<&Judged>, least: f64) -> (Team, Stroke, Option<Decimal>) {
        let (d, before, r) = (&self.all[l.at], &self.judged[l.at], self.ruling);
        let (within, after) = (after.is_some(), after.unwrap_or(before));
        let (a, b) = (before.score.decided, after.score.decided);
        let ruled = if self.back { before } else { after };
        let by_it = ruled.findings.iter().any(|f| f.ruling == Some(r.id) && f.decision.is_none());
        // A reference that gives all points leaves no finding behind.
        let touched = within && (by_it || (r.against.is_some() && a != b));
        let narrower = after.findings.iter().filter(|f| self.wide(f)).find_map(|f| f.ruling.filter(|id| *id != r.id));
        let stroke = match (touched, within && l.by_hand) {
            (true, _) => Stroke::Moves((b - a).to_f64().unwrap_or(0.0)),
            (_, true) => Stroke::ByHand,
            _ => Stroke::Outside,
        };
        let most = before.score.possible.to_f64().unwrap_or(0.0);
        let team = Team {
            id: self.user.sees(d.section_id).then_some(d.id),
            name: self.name(l.at),
            section: d.submission.section.clone(),
            now: match (l.by_hand, d.state) {
                (true, _) => "settled by hand".to_owned(),
                _ if within && !touched && narrower.is_some() => {
                    format!("ruling {} is narrower", narrower.unwrap_or(0))
                }
                (_, SheetState::Returned) => {
                    format!("returned {}", d.returned_at.map(time).unwrap_or_default())
                }
                (_, SheetState::Signed) => "signed".to_owned(),
                _ => "waits".to_owned(),
            },
            before: points(a),
            after: if touched { points(b) } else { "stays".to_owned() },
            svg: strip::arrow(a.to_f64().unwrap_or(0.0), b.to_f64().unwrap_or(0.0), (least, most)),
        };
        (team, stroke, touched.then(|| b - a))
    }

    /// What would move of the tables like it.
    pub(super) fn moving(&self, likes: &[Like], within: impl Fn(&Like) -> bool + Sync) -> Moving {
        let (mut now, mut out, mut stay) = (Vec::new(), Vec::new(), Vec::new());
        let mut strokes: BTreeMap<u32, Stroke> = BTreeMap::new();
        // One axis for all, from a little below the least.
        let sums = likes.iter().filter_map(|l| self.judged[l.at].score.decided.to_f64());
        let least = (sums.fold(f64::INFINITY, f64::min) - 2.0).max(0.0).floor();
        let afters = on_all_cores(likes, |l| within(l).then(|| self.after(l)));
        for (l, after) in likes.iter().zip(&afters) {
            let (team, stroke, by) = self.team(l, after.as_ref(), least);
            strokes.insert(self.all[l.at].id, stroke);
            match (by, self.all[l.at].state) {
                (Some(by), SheetState::Returned) => out.push((team, by)),
                (Some(by), _) => now.push((team, by)),
                (None, _) => stay.push((team, Decimal::ZERO)),
            }
        }
        let moves = now.len() + out.len();
        let moved: Decimal = now.iter().chain(&out).map(|(_, by)| *by).sum();
        let group = |title: String, says: &str, list: Vec<(Team, Decimal)>, sum: bool| {
            let total: Decimal = list.iter().map(|(_, by)| *by).sum();
            let more = list.len().saturating_sub(LISTED);
            let says = if sum { format!("{} points{says}", signed(total)) } else { says.to_owned() };
            Group { title, says, teams: list.into_iter().take(LISTED).map(|(t, _)| t).collect(), more }
        };
        let verb = |n: usize, one: &str, many: &str| format!("{n} {}", if n == 1 { one } else { many });
        let at_once = if self.back {
            verb(now.len(), "stands as before at once", "stand as before at once")
        } else {
            verb(now.len(), "is settled at once", "are settled at once")
        };
        let groups = vec![
            group(at_once, "", now, true),
            group(
                verb(out.len(), "is returned already", "are returned already"),
                "; the team keeps what it was told until somebody returns it again",
                out,
                true,
            ),
            group(
                verb(stay.len(), "stays as it is", "stay as they are"),
                if self.back { "settled by hand, or by another ruling" } else { OUTSIDE },
                stay,
                false,
            ),
        ];
        Moving {
            groups: groups.into_iter().filter(|g| !g.teams.is_empty()).collect(),
            strip: self.strips(&strokes),
            moves,
            sum: signed(moved),
        }
    }

    /// A section a line. Of a large course the sections in which something is like it, as many as are looked at.
    fn strips(&self, strokes: &BTreeMap<u32, Stroke>) -> Vec<StripView> {
        let few = self.places.len() <= MOST_DRAWN;
        let mut drawn_of: Vec<(u32, String)> = Vec::new();
        for (sheet, id, name) in self.places {
            if (few || strokes.contains_key(sheet)) && !drawn_of.iter().any(|(i, _)| i == id) {
                drawn_of.push((*id, name.clone()));
            }
        }
        drawn_of.truncate(MOST_STRIPS);
        drawn_of
            .iter()
            .map(|(id, name)| {
                let of: Vec<u32> = self.places.iter().filter(|(_, s, _)| s == id).map(|(sheet, ..)| *sheet).collect();
                let drawn: Vec<Stroke> = of.iter().map(|n| strokes.get(n).copied().unwrap_or(Stroke::Other)).collect();
                let moving = drawn.iter().filter(|s| matches!(s, Stroke::Moves(_))).count();
                let others = drawn.iter().filter(|s| matches!(s, Stroke::ByHand | Stroke::Outside)).count();
                StripView {
                    section: name.clone(),
                    svg: strip::line(&drawn, of.iter().position(|n| *n == self.sheet)),
                    width: (strip::PITCH * of.len().max(1) as f64 + 8.0) as u32,
                    says: match (moving, others) {
                        (0, 0) => format!("none of {}", counted(of.len(), "table")),
                        (0, n) => format!("none moves, {n} like it"),
                        (m, 0) => format!("{m} of {}", counted(of.len(), "table")),
                        (m, n) => format!("{m} of {}, {n} more like it", counted(of.len(), "table")),
                    },
                }
            })
            .collect()
    }
}
