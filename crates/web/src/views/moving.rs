//! What a change would move, whatever it is that changes: each table before and after, and a strip of all.

use std::collections::BTreeMap;

use jurado_core::notation::counted;
use jurado_core::verdict::Score;
use jurado_store::rulings::Place;
use jurado_store::{SheetDetail, SheetState, User};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::bench::points;
use super::course::time;
use crate::draw::strip::{self, Stroke};

/// A section of the strip.
pub(crate) struct StripView {
    pub(crate) section: String,
    pub(crate) svg: crate::draw::svg::Svg,
    pub(crate) width: u32,
    pub(crate) says: String,
}

/// A table that is looked at.
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

/// What would move, laid out.
pub(crate) struct Moving {
    pub(crate) groups: Vec<Group>,
    pub(crate) strip: Vec<StripView>,
    pub(crate) moves: usize,
    pub(crate) sum: String,
}

/// One table, and what becomes of it.
pub(crate) struct Step<'a> {
    pub(crate) detail: &'a SheetDetail,
    pub(crate) before: &'a Score,
    /// The sum as it would be; `None` where the table stays.
    pub(crate) after: Option<Decimal>,
    /// Whether it would be touched, had nobody settled it by hand.
    pub(crate) by_hand: bool,
    /// What is said of it in place of how it stands.
    pub(crate) because: Option<String>,
}

/// The words of a change: of one table that moves, of several, and why the others stay.
pub(crate) struct Words {
    pub(crate) one: &'static str,
    pub(crate) many: &'static str,
    pub(crate) stay: &'static str,
}

/// Whose tables they are, and who looks at them.
pub(crate) struct Around<'a> {
    /// All tables of the lab, or of the sections that the change is about.
    pub(crate) places: &'a [Place],
    /// The table that it comes from.
    pub(crate) sheet: u32,
    pub(crate) user: &'a User,
    pub(crate) blind: bool,
}

/// Tables of a lab up to which every section is drawn, and most sections that are.
const MOST_DRAWN: usize = 300;
const MOST_STRIPS: usize = 16;
/// Teams listed of one group.
const LISTED: usize = 24;

/// Points with their sign.
fn signed(sum: Decimal) -> String {
    format!("{}{}", if sum < Decimal::ZERO { "−" } else { "+" }, points(sum.abs()))
}

impl Around<'_> {
    /// The name of a table's team, as whoever looks may see it.
    pub(crate) fn name(&self, d: &SheetDetail) -> String {
        match (self.blind, self.user.sees(d.section_id)) {
            (true, _) => format!("Table {}", d.id),
            (false, true) => d.submission.team.clone(),
            (false, false) => "a team".to_owned(),
        }
    }

    /// One table as a row, on an axis from `least`.
    fn team(&self, step: &Step<'_>, least: f64) -> Team {
        let (d, a) = (step.detail, step.before.decided);
        let b = step.after.unwrap_or(a);
        let most = step.before.possible.to_f64().unwrap_or(0.0);
        let stands = match d.state {
            SheetState::Returned => format!("returned {}", d.returned_at.map(time).unwrap_or_default()),
            SheetState::Signed => "signed".to_owned(),
            _ => "waits".to_owned(),
        };
        Team {
            id: self.user.sees(d.section_id).then_some(d.id),
            name: self.name(d),
            section: d.submission.section.clone(),
            now: step.because.clone().unwrap_or(stands),
            before: points(a),
            after: step.after.map_or_else(|| "stays".to_owned(), points),
            svg: strip::arrow(a.to_f64().unwrap_or(0.0), b.to_f64().unwrap_or(0.0), (least, most)),
        }
    }

    /// Everything that would move, and what would not.
    pub(crate) fn moving(&self, steps: &[Step<'_>], words: &Words) -> Moving {
        let (mut now, mut out, mut stay) = (Vec::new(), Vec::new(), Vec::new());
        let mut strokes: BTreeMap<u32, Stroke> = BTreeMap::new();
        // One axis for all, from a little below the least.
        let sums = steps.iter().filter_map(|s| s.before.decided.to_f64());
        let least = (sums.fold(f64::INFINITY, f64::min) - 2.0).max(0.0).floor();
        for step in steps {
            let by = step.after.map(|b| b - step.before.decided);
            let stroke = match (by, step.by_hand) {
                (Some(by), _) => Stroke::Moves(by.to_f64().unwrap_or(0.0)),
                (None, true) => Stroke::ByHand,
                (None, false) => Stroke::Outside,
            };
            strokes.insert(step.detail.id, stroke);
            let list = match (by, step.detail.state) {
                (None, _) => &mut stay,
                (Some(_), SheetState::Returned) => &mut out,
                (Some(_), _) => &mut now,
            };
            list.push((step, by.unwrap_or_default()));
        }
        let moved: Decimal = now.iter().chain(&out).map(|(_, by)| *by).sum();
        let moves = now.len() + out.len();
        let verb = |n: usize, one: &str, many: &str| format!("{n} {}", if n == 1 { one } else { many });
        let group = |title: String, says: &str, list: Vec<(&Step<'_>, Decimal)>, sum: bool| {
            let total: Decimal = list.iter().map(|(_, by)| *by).sum();
            let says = if sum { format!("{} points{says}", signed(total)) } else { says.to_owned() };
            let teams = list.iter().take(LISTED).map(|(step, _)| self.team(step, least)).collect();
            Group { title, says, teams, more: list.len().saturating_sub(LISTED) }
        };
        let groups = [
            group(verb(now.len(), words.one, words.many), "", now, true),
            group(
                verb(out.len(), "is returned already", "are returned already"),
                "; the team keeps what it was told until somebody returns it again",
                out,
                true,
            ),
            group(verb(stay.len(), "stays as it is", "stay as they are"), words.stay, stay, false),
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
                        (0, n) => format!("none moves, {n} looked at"),
                        (m, 0) => format!("{m} of {}", counted(of.len(), "table")),
                        (m, n) => format!("{m} of {}, {n} more looked at", counted(of.len(), "table")),
                    },
                }
            })
            .collect()
    }
}
