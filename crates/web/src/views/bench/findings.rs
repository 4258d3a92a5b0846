//! Findings with what is proposed, the worked correction of the result in hand, the score line by line.

use jurado_core::explain::{self, Explained};
use jurado_core::finding::{Finding, Kind, Severity};
use jurado_core::notation;
use jurado_core::protocol::{ItemId, Rule};
use jurado_core::row::Row;
use jurado_core::wording;
use rust_decimal::Decimal;

use super::super::{Mark, capital};
use super::{ExplainView, FindingView, LineView, Maker, points};

impl Maker<'_> {
    pub(super) fn finding(&self, number: usize, f: &Finding) -> FindingView {
        let criterion = f.criterion.as_deref().and_then(|id| self.protocol.criteria.iter().find(|c| c.id == id));
        let chance = match &f.kind {
            Kind::Slip(story) if story.account.cell.is_some() => "its formula shows it".to_owned(),
            Kind::Slip(story) => notation::chance(story.probability),
            _ => String::new(),
        };
        // A criterion gives no less than nothing: fifteen quarters off one point are that point.
        let took = |p: Decimal| match criterion.map_or(p, |c| p.min(c.points)) {
            p if p > Decimal::ZERO => format!("−{}", points(p)),
            _ => "no points".to_owned(),
        };
        let decided = match &f.decision {
            Some(d) => {
                let reason = if d.reason.is_empty() { String::new() } else { format!(": “{}”", d.reason) };
                match d.action {
                    jurado_core::decision::Action::Accept => format!("taken by {}{reason}", d.by),
                    jurado_core::decision::Action::Forgive => format!("forgiven by {}{reason}", d.by),
                    jurado_core::decision::Action::Refuse => format!("refused by {}{reason}", d.by),
                    jurado_core::decision::Action::Points(p) => format!("{} by {}{reason}", took(p), d.by),
                    _ => format!("by {}{reason}", d.by),
                }
            }
            None => match f.ruling.and_then(|id| self.detail.rulings.iter().find(|r| r.id == id)) {
                Some(r) => format!("settled by ruling {}: “{}”", r.id, r.reason),
                None => String::new(),
            },
        };
        let proposal = match (&f.decision, f.severity) {
            (Some(_), _) => took(f.decided_cost),
            (None, _) if f.ruling.is_some() => took(f.decided_cost),
            (None, Severity::Charge) => format!("by rule, {}", took(f.cost)),
            (None, _) => took(f.cost),
        };
        FindingView {
            number,
            key: f.key.to_string(),
            mark: Mark::of(&f.kind),
            about: f.place.item.map(|i| self.protocol.full_title(i)).unwrap_or_default(),
            short: wording::brief(self.protocol, f),
            says: wording::says(self.protocol, f),
            proposal,
            chance,
            fragile: f.fragile.as_ref().filter(|_| f.decision.is_none()).map(wording::fragile),
            open: f.open(),
            done: !f.open(),
            now: number > 0 && self.hand == Some(number),
            decided,
            most: criterion.map_or_else(|| "0".to_owned(), |c| c.points.normalize().to_string()),
            has_likes: super::super::rulings::has_likes(&f.kind),
            repair: matches!(f.kind, Kind::Repair { .. } | Kind::Rewritten { .. }),
            levels: match criterion.map(|c| &c.rule) {
                Some(Rule::Manual { levels }) if matches!(f.kind, Kind::Manual(_)) => levels
                    .iter()
                    .enumerate()
                    .map(|(n, (says, p))| (n + 1, says.clone(), p.normalize().to_string()))
                    .collect(),
                _ => Vec::new(),
            },
            line: f.criterion.clone().unwrap_or_default(),
            tells: wording::tells(self.protocol, f),
        }
    }

    /// How the result in hand comes about; with nothing in hand, the last one: what the lab is after.
    pub(super) fn explain(&self) -> Option<ExplainView> {
        let judged = self.tried.map_or(self.judged, |t| &t.judged);
        let place = self.place_in_hand().or_else(|| self.judged.results.iter().rposition(|r| r.clean.is_some()))?;
        let e: Explained = explain::one(self.protocol, judged, judged.results.get(place)?);
        let unit = if e.unit.is_empty() { String::new() } else { format!(" {}", e.unit) };
        Some(ExplainView {
            title: capital(&e.title),
            math: e.stages.map(crate::views::stages).unwrap_or_default(),
            under: self.under(&self.judged.results[place]),
            budget: e
                .budget
                .iter()
                .take(8)
                .map(|l| {
                    (
                        l.source.clone(),
                        format!("{}{unit}", notation::uncertainty(l.contribution.abs())),
                        format!("{:.1}", 100.0 * l.share),
                        (100.0 * l.share).round() as u32,
                    )
                })
                .collect(),
            // A school that has nothing to go by says nothing.
            schools: e
                .uncertainties
                .iter()
                .filter(|s| s.value > 0.0)
                .map(|s| (s.school, format!("± {}{unit}", notation::uncertainty(s.value)), s.marked))
                .collect(),
            sentences: e.sentences,
            previous: place.checked_sub(1),
            next: (place + 1 < self.judged.results.len()).then_some(place + 1),
        })
    }

    /// The place of the result in hand.
    fn place_in_hand(&self) -> Option<usize> {
        let hand = self.in_hand().and_then(|f| f.place.item);
        self.judged.results.iter().position(|r| self.is_in_hand(r, hand))
    }

    /// The cells that the formula of the result in hand reads.
    pub(super) fn read_by_the_one_in_hand(&self) -> Vec<(ItemId, Option<Row>)> {
        let under = self.place_in_hand().and_then(|n| self.judged.results[n].under.as_deref());
        under.map(|u| u.reads.clone()).unwrap_or_default()
    }

    pub(super) fn lines(&self) -> Vec<LineView> {
        self.judged
            .score
            .lines
            .iter()
            .map(|l| LineView {
                id: l.criterion.clone(),
                title: l.title.clone(),
                says: wording::standing(self.protocol, l),
                hangs: l.fragile.as_ref().map(wording::fragile),
                awarded: points(l.awarded),
                decided: points(l.decided),
                possible: l.possible.normalize().to_string(),
                changed: match (&l.changed, l.ruling) {
                    (Some(d), _) => Some(format!("changed by {}: “{}”", d.by, d.reason)),
                    (None, ruling) => ruling.map(|id| format!("by ruling {id}")),
                },
                open: self.judged.findings.iter().any(|f| f.open() && f.criterion.as_deref() == Some(&l.criterion)),
                pennants: self.pennants(|f| f.criterion.as_deref() == Some(&l.criterion)),
            })
            .collect()
    }

    pub(super) fn sentences(&self) -> Vec<(Option<usize>, bool, String)> {
        wording::sentences(self.protocol, self.judged)
            .into_iter()
            .map(|(key, text)| {
                let number = self.numbered.iter().position(|i| self.judged.findings[*i].key == key).map(|n| n + 1);
                let done = number.is_some_and(|n| !self.judged.findings[self.numbered[n - 1]].open());
                (number, done, text)
            })
            .chain(super::super::rulings::told(self.judged, &self.detail.rulings).into_iter().map(|t| (None, true, t)))
            .collect()
    }
}
