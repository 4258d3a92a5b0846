//! A ruling that is drawn up from a finding, and the rulings there are.

use std::collections::BTreeMap;

use jurado_core::decision::{Action, Ruling};
use jurado_core::finding::{Finding, Key, Kind};
use jurado_core::notation::counted;
use jurado_core::protocol::{Protocol, SlipKind};
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

    fn key(&self) -> Option<(String, String)> {
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
    pub(crate) fn new(lab: &Lab, judged: &Judged, chosen: &Chosen) -> Result<Pattern, String> {
        let protocol = &lab.protocol;
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

impl RulingView {
    pub(crate) fn new(
        lab: &Lab,
        (all, places): (&[SheetDetail], &[Place]),
        pattern: &Pattern,
        chosen: &Chosen,
        (user, blind): (&User, bool),
    ) -> RulingView {
        let protocol = &lab.protocol;
        let r = &pattern.ruling;
        let judged: Vec<Judged> = all.iter().map(|d| d.judge(protocol)).collect();
        let wide = |f: &&Finding| {
            let item = f.place.item.map(|i| protocol.items[i].id.as_str());
            f.code() == r.code && (r.item.is_none() || item == r.item.as_deref())
        };
        let source = all.iter().position(|d| d.id == chosen.sheet);
        let slip = source.and_then(|n| {
            let f = judged[n].findings.iter().find(|f| f.key == Key::from(chosen.finding.clone()))?;
            slip_of(&judged[n], f).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word())
        });
        let likes: Vec<Like> = judged
            .iter()
            .enumerate()
            .filter_map(|(at, j)| {
                let of: Vec<&Finding> = j.findings.iter().filter(wide).collect();
                let same = |f: &&Finding| slip_of(j, f).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word()) == slip;
                let first = of.first()?;
                let near = of.iter().copied().find(|f| same(f));
                Some(Like { at, same_slip: near.is_some(), by_hand: near.unwrap_or(first).decision.is_some() })
            })
            .collect();
        let fits = |l: &Like, slip_any: bool, section: Option<u32>, key: Option<&(String, String)>| {
            let d = &all[l.at];
            (slip_any || l.same_slip)
                && section.is_none_or(|s| d.section_id == s)
                && key.is_none_or(|(k, v)| d.submission.keys.get(k) == Some(v))
        };
        let (any, section, key) = (chosen.slip == "any", chosen.section_id(), chosen.key());
        let count = |any: bool, section: Option<u32>, key: Option<&(String, String)>| {
            likes.iter().filter(|l| fits(l, any, section, key)).count()
        };
        let mut lines = Vec::new();
        if slip.is_some() {
            let choice = |value: &str, words: String, is: bool| Choice {
                value: value.to_owned(),
                words,
                count: count(value == "any", section, key.as_ref()),
                chosen: is,
            };
            let choices = vec![
                choice("", pattern.slip.clone(), !any),
                choice("any", format!("any slip in the {}", pattern.item), any),
            ];
            lines.push(Line { title: "Slip".into(), name: "slip", choices });
        }
        let mut sections: Vec<(u32, String)> = Vec::new();
        for d in all {
            if !sections.iter().any(|(id, _)| *id == d.section_id) {
                sections.push((d.section_id, d.submission.section.clone()));
            }
        }
        let mut choices = vec![Choice {
            value: String::new(),
            words: "any".into(),
            count: count(any, None, key.as_ref()),
            chosen: section.is_none(),
        }];
        choices.extend(sections.iter().map(|(id, name)| Choice {
            value: id.to_string(),
            words: name.clone(),
            count: count(any, Some(*id), key.as_ref()),
            chosen: section == Some(*id),
        }));
        lines.push(Line { title: super::capital(&current().section), name: "section", choices });
        let mut values: BTreeMap<(String, String), ()> = BTreeMap::new();
        for l in &likes {
            all[l.at].submission.keys.iter().for_each(|(k, v)| {
                values.insert((k.clone(), v.clone()), ());
            });
        }
        if !values.is_empty() {
            let mut choices = vec![Choice {
                value: String::new(),
                words: "any".into(),
                count: count(any, section, None),
                chosen: key.is_none(),
            }];
            choices.extend(values.keys().map(|kv| {
                let title = protocol.keys.iter().find(|k| k.id == kv.0).map_or(kv.0.as_str(), |k| k.title.as_str());
                Choice {
                    value: format!("{}={}", kv.0, kv.1),
                    words: format!("{} {}", title.to_lowercase(), kv.1),
                    count: count(any, section, Some(kv)),
                    chosen: key.as_ref() == Some(kv),
                }
            }));
            lines.push(Line { title: "Where".into(), name: "at", choices });
        }
        let name = |at: usize| {
            let d = &all[at];
            match (blind, user.sees(d.section_id)) {
                (true, _) => format!("Table {}", d.id),
                (false, true) => d.submission.team.clone(),
                (false, false) => "a team".to_owned(),
            }
        };
        let (mut now, mut out, mut stay) = (Vec::new(), Vec::new(), Vec::new());
        let mut strokes: BTreeMap<u32, Stroke> = BTreeMap::new();
        let mut moved = Decimal::ZERO;
        // One axis for all, from a little below the least.
        let sums = likes.iter().filter_map(|l| judged[l.at].score.decided.to_f64());
        let least = (sums.fold(f64::INFINITY, f64::min) - 2.0).max(0.0).floor();
        for l in &likes {
            let (d, before) = (&all[l.at], &judged[l.at]);
            let within = fits(l, any, section, key.as_ref());
            let with = SheetDetail { rulings: d.rulings.iter().chain([r]).cloned().collect(), ..d.clone() };
            let after = if within { with.judge(protocol) } else { before.clone() };
            let (a, b) = (before.score.decided, after.score.decided);
            let touched = within && after.findings.iter().any(|f| f.ruling == Some(r.id) && f.decision.is_none());
            let narrower = after.findings.iter().filter(wide).find_map(|f| f.ruling.filter(|id| *id != r.id));
            let by = (b - a).to_f64().unwrap_or(0.0);
            let stroke = match (touched, within && l.by_hand) {
                (true, _) => Stroke::Moves(by),
                (_, true) => Stroke::ByHand,
                _ => Stroke::Outside,
            };
            strokes.insert(d.id, stroke);
            let most = before.score.possible.to_f64().unwrap_or(0.0);
            let team = Team {
                id: user.sees(d.section_id).then_some(d.id),
                name: name(l.at),
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
            if touched {
                moved += b - a;
            }
            match (touched, d.state) {
                (true, SheetState::Returned) => out.push((team, b - a)),
                (true, _) => now.push((team, b - a)),
                _ => stay.push((team, Decimal::ZERO)),
            }
        }
        let moves = now.len() + out.len();
        let signed = |sum: Decimal| format!("{}{}", if sum < Decimal::ZERO { "−" } else { "+" }, points(sum.abs()));
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
        // Of a large course the sections in which something is like it, as many as are looked at.
        let few = places.len() <= MOST_DRAWN;
        let mut drawn_of: Vec<(u32, String)> = Vec::new();
        for (sheet, id, name) in places {
            if (few || strokes.contains_key(sheet)) && !drawn_of.iter().any(|(i, _)| i == id) {
                drawn_of.push((*id, name.clone()));
            }
        }
        drawn_of.truncate(MOST_STRIPS);
        let strip = drawn_of
            .iter()
            .map(|(id, name)| {
                let of: Vec<u32> = places.iter().filter(|(_, s, _)| s == id).map(|(sheet, ..)| *sheet).collect();
                let drawn: Vec<Stroke> = of.iter().map(|n| strokes.get(n).copied().unwrap_or(Stroke::Other)).collect();
                let moving = drawn.iter().filter(|s| matches!(s, Stroke::Moves(_))).count();
                let others = drawn.iter().filter(|s| matches!(s, Stroke::ByHand | Stroke::Outside)).count();
                StripView {
                    section: name.clone(),
                    svg: strip::line(&drawn, of.iter().position(|n| *n == chosen.sheet)),
                    width: (strip::PITCH * of.len().max(1) as f64 + 8.0) as u32,
                    says: match (moving, others) {
                        (0, 0) => format!("none of {}", counted(of.len(), "table")),
                        (0, n) => format!("none moves, {n} like it"),
                        (m, 0) => format!("{m} of {}", counted(of.len(), "table")),
                        (m, n) => format!("{m} of {}, {n} more like it", counted(of.len(), "table")),
                    },
                }
            })
            .collect();
        let in_section = section.and_then(|s| sections.iter().find(|(id, _)| *id == s)).map(|(_, n)| n.as_str());
        RulingView {
            chosen: chosen.clone(),
            lab: protocol.title.clone(),
            item: pattern.item.clone(),
            team: source.map_or_else(String::new, name),
            like: likes.len(),
            moves,
            sum: signed(moved),
            sentence: sentence(&protocol.title, &pattern.item, &slip_words(pattern, any), r, in_section),
            lines,
            most: pattern.most.normalize().to_string(),
            strip,
            groups: groups.into_iter().filter(|g| !g.teams.is_empty()).collect(),
            fault: None,
        }
    }
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
        let mut parts = alike.pattern.splitn(3, '/');
        let (code, item, slip) = (parts.next().unwrap_or(""), parts.next().unwrap_or(""), parts.next().unwrap_or(""));
        let item = protocol.item(item).map_or_else(|| "table".to_owned(), |i| protocol.full_title(i));
        AlikeView {
            tables: alike.tables,
            says: format!("{}, {item}: {}", protocol.title, what(protocol, code, Some(slip).filter(|s| !s.is_empty()))),
            href: format!("/rulings/new?sheet={}", alike.sheet.unwrap_or(0)),
        }
    }
}

/// What a pattern is about, in words: its kind of slip, any slip, or its code.
fn what(protocol: &Protocol, code: &str, slip: Option<&str>) -> String {
    match slip {
        Some(word) => {
            let mut own = protocol.results.iter().flat_map(|r| &r.variants).map(|v| &v.kind);
            let kind = own.find(|k| k.word() == word).cloned().or_else(|| SlipKind::named(word));
            kind.map_or_else(|| word.replace('-', " "), |k| wording::slip(protocol, &k).to_owned())
        }
        None if code == "slip" => "any slip".to_owned(),
        None => code.replace('-', " "),
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
        let slip = what(protocol, &r.code, r.slip.as_deref());
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
