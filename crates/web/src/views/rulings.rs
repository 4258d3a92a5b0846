//! A ruling that is drawn up from a finding, and the rulings there are.

use std::collections::BTreeMap;

use jurado_core::decision::{Action, Ruling};
use jurado_core::finding::{Finding, Key, Kind};
use jurado_core::notation::{self, counted};
use jurado_core::protocol::{Protocol, Rule};
use jurado_core::verdict::{Judged, JudgedResult};
use jurado_core::wording;
use jurado_store::rulings::{Kept, Place};
use jurado_store::{Lab, SheetDetail, SheetState, User};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::bench::points;
use super::course::{current, time};
use crate::draw::strip::{self, Stroke};
use crate::forms;

/// What a person chose of a pattern; empty is what the finding says itself.
#[derive(Clone, Debug, Default, serde::Deserialize)]
#[serde(default)]
pub(crate) struct Chosen {
    /// Table that the ruling comes from.
    pub(crate) sheet: u32,
    /// Key of the finding there.
    pub(crate) finding: String,
    /// In place of the key what is found there, as a summary writes it.
    pub(crate) pattern: String,
    /// In place of a finding: a lab, the id of a result, and the value that its accuracy is judged against at a place.
    pub(crate) lab: u32,
    pub(crate) item: String,
    pub(crate) against: String,
    /// `any` for every kind of slip at this result.
    pub(crate) slip: String,
    /// Id of a section; empty for any.
    pub(crate) section: String,
    /// `key=value`, empty for any.
    pub(crate) at: String,
    /// `forgive`, `points` or `accept`.
    pub(crate) does: String,
    pub(crate) points: String,
    pub(crate) reason: String,
    pub(crate) token: String,
    /// What was seen of the lab's rulings.
    pub(crate) seen: String,
}

impl Chosen {
    /// The section it is kept to.
    pub(crate) fn section_id(&self) -> Option<u32> {
        self.section.parse().ok()
    }

    /// Whether it sets a reference, so that it comes from a place and not from a finding.
    pub(crate) fn sets(&self) -> bool {
        self.lab > 0
    }

    pub(crate) fn key(&self) -> Option<(String, String)> {
        self.at.split_once('=').map(|(k, v)| (k.to_owned(), v.to_owned()))
    }
}

/// The pattern that a finding and the choices give, or what is wrong with them in words.
pub(crate) struct Pattern {
    pub(crate) ruling: Ruling,
    /// Section and item in words.
    item: String,
    slip: String,
    most: Decimal,
}

/// The kind of slip that a finding is about, as rulings know it.
fn slip_of<'a>(judged: &'a Judged, finding: &Finding) -> Option<&'a JudgedResult> {
    let item = finding.place.item?;
    let at = |r: &&JudgedResult| r.item == item && (finding.place.row.is_none() || r.row == finding.place.row);
    judged.results.iter().find(at).filter(|r| r.slip.is_some() && finding.code() == "slip")
}

/// Whether a finding may be found in other tables: what a person judges, adds or repairs is of one table.
pub(crate) fn has_likes(kind: &Kind) -> bool {
    !matches!(kind, Kind::Manual(_) | Kind::Own { .. } | Kind::Repair { .. } | Kind::Rewritten { .. })
}

impl Pattern {
    /// A place whose results are judged against a value, such as its own consensus.
    fn against(protocol: &Protocol, chosen: &Chosen) -> Result<Pattern, String> {
        let item = protocol.item(&chosen.item);
        let criterion = protocol
            .criteria
            .iter()
            .find(|c| matches!(c.rule, Rule::Accuracy { result, .. } if Some(protocol.results[result].item) == item));
        let (Some(item), Some(criterion)) = (item, criterion) else {
            return Err("The accuracy of this result is not judged: no reference can be set for it.".to_owned());
        };
        let (key, at) =
            chosen.key().filter(|(_, at)| !at.is_empty()).ok_or("Say at which place: come from the Floor.")?;
        if !protocol.keys.iter().any(|k| k.id == key) {
            return Err("This lab has no such place: come from the Floor.".to_owned());
        }
        let value = forms::number(&chosen.against, &format!("the {}", protocol.full_title(item)))?;
        Ok(Pattern {
            ruling: Ruling {
                id: u64::from(u32::MAX),
                protocol: protocol.id.clone(),
                code: "accuracy".to_owned(),
                item: Some(chosen.item.clone()),
                slip: None,
                section: None,
                keys: [(key, at)].into(),
                against: Some(value),
                action: Action::Accept,
                reason: chosen.reason.trim().to_owned(),
            },
            item: protocol.full_title(item),
            slip: String::new(),
            most: criterion.points,
        })
    }

    /// `judged` is the table that it comes from; none where it comes from a place.
    pub(crate) fn new(lab: &Lab, judged: Option<&Judged>, chosen: &Chosen) -> Result<Pattern, String> {
        let protocol = &lab.protocol;
        let Some(judged) = judged else { return Pattern::against(protocol, chosen) };
        let key = Key::from(chosen.finding.clone());
        let finding = judged.findings.iter().find(|f| f.key == key).ok_or_else(|| {
            "This finding is no longer there: the table has changed. Look at it as it is now.".to_owned()
        })?;
        if !has_likes(&finding.kind) {
            return Err("This finding is of this table alone: it has no like.".to_owned());
        }
        let criterion = finding.criterion.as_deref().and_then(|id| protocol.criteria.iter().find(|c| c.id == id));
        let most = criterion.map_or(Decimal::ZERO, |c| c.points);
        let kind = slip_of(judged, finding).and_then(|r| r.slip.as_ref()).map(|s| &s.kind);
        let action = match chosen.does.as_str() {
            "" | "forgive" => Action::Forgive,
            "accept" => Action::Accept,
            "points" => Action::Points(forms::points(&chosen.points, most)?),
            other => return Err(format!("“{other}” is no ruling: choose one of the list.")),
        };
        let item = finding.place.item;
        Ok(Pattern {
            ruling: Ruling {
                id: u64::from(u32::MAX),
                protocol: protocol.id.clone(),
                code: finding.code().to_owned(),
                item: item.map(|i| protocol.items[i].id.clone()),
                slip: kind.filter(|_| chosen.slip != "any").map(|k| k.word().to_owned()),
                section: None,
                keys: chosen.key().into_iter().collect(),
                against: None,
                action,
                reason: chosen.reason.trim().to_owned(),
            },
            item: item.map_or_else(|| "table".to_owned(), |i| protocol.full_title(i)),
            slip: match kind {
                Some(kind) => wording::slip(protocol, kind).to_owned(),
                None => wording::label(&finding.kind).to_owned(),
            },
            most,
        })
    }
}

/// One choice of a line.
pub(crate) struct Choice {
    pub(crate) value: String,
    pub(crate) words: String,
    /// Tables that it would leave.
    pub(crate) count: usize,
    pub(crate) chosen: bool,
}

/// One line of the pattern.
pub(crate) struct Line {
    pub(crate) title: String,
    pub(crate) name: &'static str,
    pub(crate) choices: Vec<Choice>,
}

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

/// Everything that the page of a ruling lays out.
pub(crate) struct RulingView {
    pub(crate) chosen: Chosen,
    pub(crate) lab: String,
    pub(crate) item: String,
    pub(crate) team: String,
    pub(crate) like: usize,
    pub(crate) moves: usize,
    pub(crate) sum: String,
    pub(crate) sentence: String,
    pub(crate) lines: Vec<Line>,
    pub(crate) most: String,
    pub(crate) strip: Vec<StripView>,
    pub(crate) groups: Vec<Group>,
    pub(crate) fault: Option<String>,
}

/// A table that holds a finding like it.
struct Like {
    at: usize,
    same_slip: bool,
    by_hand: bool,
}

/// Tables of a lab up to which every section is drawn, and most sections that are.
const MOST_DRAWN: usize = 300;
const MOST_STRIPS: usize = 16;
/// Teams listed of one group.
const LISTED: usize = 24;
/// Height of a strip and an arrow, px, for the page.
pub(crate) const STRIP: f64 = strip::LINE;

/// What a ruling does, in words.
fn does(action: Action) -> String {
    match action {
        Action::Forgive => "it costs nothing".to_owned(),
        Action::Points(p) => format!("it costs {}", points(p)),
        _ => "what is proposed is taken".to_owned(),
    }
}

/// A pattern as a sentence.
fn sentence(lab: &str, item: &str, slip: &str, ruling: &Ruling, section: Option<&str>) -> String {
    let keys: Vec<String> = ruling.keys.iter().map(|(k, v)| format!(", at {} {v}", k.replace('_', " "))).collect();
    if let Some(value) = ruling.against {
        let value = notation::figures(value, 6);
        return format!(
            "In {lab}{}, the accuracy of the {item} is judged against {value} in place of the reference, before and from now on.",
            keys.concat()
        );
    }
    let section = match section {
        Some(name) => format!(", in {name}"),
        None => format!(", in any {}", current().section),
    };
    format!(
        "In {lab}, where the {item} has {slip}{}{section}, before and from now on: {}.",
        keys.concat(),
        does(ruling.action)
    )
}

/// All that the page of a ruling is worked out from.
struct Seen<'a> {
    lab: &'a Lab,
    all: &'a [SheetDetail],
    places: &'a [Place],
    judged: Vec<Judged>,
    ruling: &'a Ruling,
    /// The table that it comes from.
    sheet: u32,
    /// Whether the ruling is there and would be taken back.
    back: bool,
    user: &'a User,
    blind: bool,
}

/// What would move, laid out.
struct Moving {
    groups: Vec<Group>,
    strip: Vec<StripView>,
    moves: usize,
    sum: String,
}

/// Points with their sign.
fn signed(sum: Decimal) -> String {
    format!("{}{}", if sum < Decimal::ZERO { "−" } else { "+" }, points(sum.abs()))
}

impl Seen<'_> {
    /// Whether a finding is of the kind that the ruling is about, whatever its slip.
    fn wide(&self, f: &Finding) -> bool {
        let item = f.place.item.map(|i| self.lab.protocol.items[i].id.as_str());
        f.code() == self.ruling.code && (self.ruling.item.is_none() || item == self.ruling.item.as_deref())
    }

    fn name(&self, at: usize) -> String {
        let d = &self.all[at];
        match (self.blind, self.user.sees(d.section_id)) {
            (true, _) => format!("Table {}", d.id),
            (false, true) => d.submission.team.clone(),
            (false, false) => "a team".to_owned(),
        }
    }

    /// Sections of the tables like it, in their order.
    fn sections(&self) -> Vec<(u32, String)> {
        let mut sections: Vec<(u32, String)> = Vec::new();
        for d in self.all {
            if !sections.iter().any(|(id, _)| *id == d.section_id) {
                sections.push((d.section_id, d.submission.section.clone()));
            }
        }
        sections
    }

    /// One table as a row, with what becomes of it and by how much it moves; `None` where it stays.
    fn team(&self, l: &Like, within: bool, least: f64) -> (Team, Stroke, Option<Decimal>) {
        let (d, before, r) = (&self.all[l.at], &self.judged[l.at], self.ruling);
        let others = d.rulings.iter().filter(|other| other.id != r.id);
        let with = SheetDetail { rulings: others.chain((!self.back).then_some(r)).cloned().collect(), ..d.clone() };
        let after = if within { with.judge(&self.lab.protocol) } else { before.clone() };
        let (a, b) = (before.score.decided, after.score.decided);
        let ruled = if self.back { before } else { &after };
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
    fn moving(&self, likes: &[Like], within: impl Fn(&Like) -> bool) -> Moving {
        let (mut now, mut out, mut stay) = (Vec::new(), Vec::new(), Vec::new());
        let mut strokes: BTreeMap<u32, Stroke> = BTreeMap::new();
        // One axis for all, from a little below the least.
        let sums = likes.iter().filter_map(|l| self.judged[l.at].score.decided.to_f64());
        let least = (sums.fold(f64::INFINITY, f64::min) - 2.0).max(0.0).floor();
        for l in likes {
            let (team, stroke, by) = self.team(l, within(l), least);
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
        let groups = vec![
            group(verb(now.len(), "is settled at once", "are settled at once"), "", now, true),
            group(
                verb(out.len(), "is returned already", "are returned already"),
                "; the team keeps what it was told until somebody returns it again",
                out,
                true,
            ),
            group(
                verb(stay.len(), "stays as it is", "stay as they are"),
                "settled by hand, by a narrower ruling, or outside the pattern",
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

/// What a person has chosen of the pattern.
struct Choices {
    any: bool,
    section: Option<u32>,
    key: Option<(String, String)>,
}

impl Choices {
    fn fits(&self, d: &SheetDetail, l: &Like) -> bool {
        let at = |(k, v): &(String, String)| d.submission.keys.get(k) == Some(v);
        (self.any || l.same_slip) && self.section.is_none_or(|s| d.section_id == s) && self.key.as_ref().is_none_or(at)
    }
}

impl RulingView {
    pub(crate) fn new(
        lab: &Lab,
        (all, places): (&[SheetDetail], &[Place]),
        pattern: &Pattern,
        chosen: &Chosen,
        (user, blind): (&User, bool),
    ) -> RulingView {
        let protocol = &lab.protocol;
        let judged: Vec<Judged> = all.iter().map(|d| d.judge(protocol)).collect();
        let ruling = &pattern.ruling;
        let seen = Seen { lab, all, places, judged, ruling, sheet: chosen.sheet, back: false, user, blind };
        let source = all.iter().position(|d| d.id == chosen.sheet);
        let slip = source.and_then(|n| {
            let f = seen.judged[n].findings.iter().find(|f| f.key == Key::from(chosen.finding.clone()))?;
            slip_of(&seen.judged[n], f).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word())
        });
        let likes = if chosen.sets() { all_of(&seen) } else { likes(&seen, slip) };
        let now =
            Choices { any: chosen.slip == "any" || chosen.sets(), section: chosen.section_id(), key: chosen.key() };
        let lines = if chosen.sets() { Vec::new() } else { lines(&seen, &likes, pattern, slip.is_some(), &now) };
        let Moving { groups, strip, moves, sum } = seen.moving(&likes, |l| now.fits(&all[l.at], l));
        let sections = seen.sections();
        let in_section = now.section.and_then(|s| sections.iter().find(|(id, _)| *id == s)).map(|(_, n)| n.as_str());
        RulingView {
            chosen: chosen.clone(),
            lab: protocol.title.clone(),
            item: pattern.item.clone(),
            team: source.map_or_else(String::new, |n| seen.name(n)),
            like: likes.len(),
            moves,
            sum,
            sentence: sentence(
                &protocol.title,
                &pattern.item,
                &slip_words(pattern, now.any),
                &pattern.ruling,
                in_section,
            ),
            lines,
            most: pattern.most.normalize().to_string(),
            strip,
            groups,
            fault: None,
        }
    }
}

/// What taking a ruling back would restore.
pub(crate) struct BackView {
    pub(crate) id: u64,
    pub(crate) sentence: String,
    pub(crate) reason: String,
    pub(crate) by: String,
    pub(crate) moves: usize,
    pub(crate) sum: String,
    pub(crate) groups: Vec<Group>,
    pub(crate) strip: Vec<StripView>,
    pub(crate) fault: Option<String>,
}

impl BackView {
    /// `all` are the tables that a ruling in force may have touched.
    pub(crate) fn new(
        lab: &Lab,
        (all, places): (&[SheetDetail], &[Place]),
        kept: &Kept,
        (user, blind): (&User, bool),
    ) -> BackView {
        let ruling = &kept.ruling;
        let judged: Vec<Judged> = all.iter().map(|d| d.judge(&lab.protocol)).collect();
        let seen = Seen { lab, all, places, judged, ruling, sheet: 0, back: true, user, blind };
        let mut likes = all_of(&seen);
        likes.retain(|l| {
            let held = all[l.at].rulings.iter().any(|r| r.id == ruling.id);
            held && (ruling.against.is_some() || seen.judged[l.at].findings.iter().any(|f| f.ruling == Some(ruling.id)))
        });
        let Moving { groups, strip, moves, sum } = seen.moving(&likes, |_| true);
        let KeptView { id, sentence, reason, by, .. } = KeptView::new(kept, &lab.protocol);
        BackView { id, sentence, reason, by, moves, sum, groups, strip, fault: None }
    }
}

/// Tables that hold a finding like the one that a ruling comes from.
fn likes(seen: &Seen<'_>, slip: Option<&str>) -> Vec<Like> {
    let of_table = |(at, j): (usize, &Judged)| {
        let of: Vec<&Finding> = j.findings.iter().filter(|f| seen.wide(f)).collect();
        let same = |f: &&Finding| slip_of(j, f).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word()) == slip;
        let first = of.first()?;
        let near = of.iter().copied().find(|f| same(f));
        Some(Like { at, same_slip: near.is_some(), by_hand: near.unwrap_or(first).decision.is_some() })
    };
    seen.judged.iter().enumerate().filter_map(of_table).collect()
}

/// All tables of a place: a reference concerns each of them.
fn all_of(seen: &Seen<'_>) -> Vec<Like> {
    let by_hand = |j: &Judged| j.findings.iter().any(|f| seen.wide(f) && f.decision.is_some());
    seen.judged.iter().enumerate().map(|(at, j)| Like { at, same_slip: true, by_hand: by_hand(j) }).collect()
}

/// The lines of a pattern with their choices, each with how many tables it would leave.
fn lines(seen: &Seen<'_>, likes: &[Like], pattern: &Pattern, of_slip: bool, now: &Choices) -> Vec<Line> {
    let protocol = &seen.lab.protocol;
    let count = |any: bool, section: Option<u32>, key: Option<&(String, String)>| {
        let choices = Choices { any, section, key: key.cloned() };
        likes.iter().filter(|l| choices.fits(&seen.all[l.at], l)).count()
    };
    let key = now.key.as_ref();
    let choice = |value: String, words: String, count: usize, chosen: bool| Choice { value, words, count, chosen };
    let mut lines = Vec::new();
    if of_slip {
        let any = format!("any slip in the {}", pattern.item);
        let choices = vec![
            choice(String::new(), pattern.slip.clone(), count(false, now.section, key), !now.any),
            choice("any".into(), any, count(true, now.section, key), now.any),
        ];
        lines.push(Line { title: "Slip".into(), name: "slip", choices });
    }
    let mut choices = vec![choice(String::new(), "any".into(), count(now.any, None, key), now.section.is_none())];
    choices.extend(
        seen.sections()
            .into_iter()
            .map(|(id, name)| choice(id.to_string(), name, count(now.any, Some(id), key), now.section == Some(id))),
    );
    lines.push(Line { title: super::capital(&current().section), name: "section", choices });
    let keys = likes.iter().flat_map(|l| &seen.all[l.at].submission.keys);
    let values: std::collections::BTreeSet<(String, String)> = keys.map(|(k, v)| (k.clone(), v.clone())).collect();
    if !values.is_empty() {
        let mut choices = vec![choice(String::new(), "any".into(), count(now.any, now.section, None), key.is_none())];
        choices.extend(values.iter().map(|kv| {
            let title = protocol.keys.iter().find(|k| k.id == kv.0).map_or(kv.0.as_str(), |k| k.title.as_str());
            let words = format!("{} {}", title.to_lowercase(), kv.1);
            choice(format!("{}={}", kv.0, kv.1), words, count(now.any, now.section, Some(kv)), key == Some(kv))
        }));
        lines.push(Line { title: "Where".into(), name: "at", choices });
    }
    lines
}

fn slip_words(pattern: &Pattern, any: bool) -> String {
    if any { "any slip".to_owned() } else { pattern.slip.clone() }
}

/// What a team reads of the rulings that touched its table: that it is so for all like it, and why.
pub(crate) fn told(judged: &Judged, rulings: &[Ruling]) -> Vec<String> {
    let touched = |r: &&Ruling| judged.findings.iter().any(|f| f.ruling == Some(r.id) && f.decision.is_none());
    let say = |r: &Ruling| {
        let reason = r.reason.trim_end_matches('.');
        match r.action {
            Action::Forgive => format!("One thing costs you nothing, as it costs nobody: {reason}."),
            _ => format!("One thing was decided alike for every team: {reason}."),
        }
    };
    rulings.iter().filter(touched).map(say).collect()
}

/// What many tables wait for alike, on the Docket.
pub(crate) struct AlikeView {
    pub(crate) tables: i64,
    pub(crate) says: String,
    /// Where it is ruled on.
    pub(crate) href: String,
}

impl AlikeView {
    pub(crate) fn new(alike: &jurado_store::docket::Alike, protocol: &Protocol) -> AlikeView {
        AlikeView {
            tables: alike.tables,
            says: format!("{}, {}", protocol.title, wording::pattern(protocol, &alike.pattern)),
            href: format!("/rulings/new?sheet={}", alike.sheet.unwrap_or(0)),
        }
    }
}

/// A ruling of the list.
pub(crate) struct KeptView {
    pub(crate) id: u64,
    pub(crate) sentence: String,
    pub(crate) reason: String,
    pub(crate) touched: String,
    pub(crate) by: String,
    /// Who withdrew it, and why.
    pub(crate) withdrawn: Option<String>,
}

impl KeptView {
    pub(crate) fn new(kept: &Kept, protocol: &Protocol) -> KeptView {
        let r = &kept.ruling;
        let item = r.item.as_deref().and_then(|id| protocol.item(id)).map(|i| protocol.full_title(i));
        let slip = wording::what(protocol, &r.code, r.slip.as_deref());
        KeptView {
            id: r.id,
            sentence: sentence(&protocol.title, item.as_deref().unwrap_or("table"), &slip, r, r.section.as_deref()),
            reason: r.reason.clone(),
            touched: counted(kept.touched as usize, "table"),
            by: format!("{}, {}", kept.by, time(kept.at)),
            withdrawn: kept
                .withdrawn
                .as_ref()
                .map(|(by, at, why)| format!("withdrawn by {by}, {}: “{why}”", time(*at))),
        }
    }
}
