//! What a ruling would move, or taking it back would.

use jurado_core::decision::Ruling;
use jurado_core::finding::Finding;
use jurado_core::judging::judge_in;
use jurado_core::verdict::Judged;
use jurado_store::{Lab, SheetDetail, on_all_cores};

use crate::views::moving::{Around, Moving, Step, Words};

/// A table that holds a finding like it.
#[derive(Clone, Copy)]
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

/// All that the page of a ruling is worked out from.
pub(super) struct Seen<'a> {
    pub(super) lab: &'a Lab,
    pub(super) all: &'a [SheetDetail],
    pub(super) judged: Vec<Judged>,
    pub(super) ruling: &'a Ruling,
    /// Whether the ruling is there and would be taken back.
    pub(super) back: bool,
    pub(super) around: Around<'a>,
}

/// Findings that want a person.
fn opens(judged: &Judged) -> usize {
    judged.findings.iter().filter(|f| f.open()).count()
}

impl Seen<'_> {
    /// Whether a finding is of the kind that the ruling is about, whatever its slip.
    pub(super) fn wide(&self, f: &Finding) -> bool {
        let item = f.place.item.map(|i| self.lab.protocol.items[i].id.as_str());
        f.code() == self.ruling.code && (self.ruling.item.is_none() || item == self.ruling.item.as_deref())
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

    /// What becomes of one table.
    fn step(&self, l: &Like, after: Option<&Judged>) -> Step<'_> {
        let (detail, before, r) = (&self.all[l.at], &self.judged[l.at], self.ruling);
        let (within, after) = (after.is_some(), after.unwrap_or(before));
        let (a, b) = (before.score.decided, after.score.decided);
        let ruled = if self.back { before } else { after };
        let by_it = ruled.findings.iter().any(|f| f.ruling == Some(r.id) && f.decision.is_none());
        // What sets something is told of every table: it moves those alone that come out otherwise. A reference that gives
        // all points leaves no finding behind.
        let otherwise = a != b || opens(before) != opens(after);
        let touched = within && if r.code == Ruling::TAUGHT { otherwise } else { by_it || (r.sets() && a != b) };
        let narrower = after.findings.iter().filter(|f| self.wide(f)).find_map(|f| f.ruling.filter(|id| *id != r.id));
        let because = match (l.by_hand, narrower.filter(|_| within && !touched)) {
            (true, _) => Some("settled by hand".to_owned()),
            (false, narrower) => narrower.map(|id| format!("ruling {id} is narrower")),
        };
        Step { detail, before: &before.score, after: touched.then_some(b), by_hand: within && l.by_hand, because }
    }

    /// What would move of the tables like it.
    pub(super) fn moving(&self, likes: &[Like], within: impl Fn(&Like) -> bool + Sync) -> Moving {
        let afters = on_all_cores(likes, |l| within(l).then(|| self.after(l)));
        let steps: Vec<Step<'_>> = likes.iter().zip(&afters).map(|(l, after)| self.step(l, after.as_ref())).collect();
        let words = match (self.back, self.ruling.code == Ruling::TAUGHT) {
            (true, _) => Words {
                one: "stands as before at once",
                many: "stand as before at once",
                stay: "settled by hand, or by another ruling",
            },
            (false, true) => Words {
                one: "is judged otherwise at once",
                many: "are judged otherwise at once",
                stay: "it makes no difference to them",
            },
            (false, false) => Words {
                one: "is settled at once",
                many: "are settled at once",
                stay: "settled by hand, by a narrower ruling, or outside the pattern",
            },
        };
        self.around.moving(&steps, &words)
    }
}
