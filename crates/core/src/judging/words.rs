//! Results that are words: real or inverted, agree or differ, the name of a metal.
//!
//! The right word is that of the first line whose condition holds. A word may be carried, as a
//! number may: “agree” is the right word for two values that the team got wrong in the same way,
//! and is not charged.

use super::ground::Ground;
use super::values::{Env, sliced};
use crate::formula::{Context, ItemId, evaluate_any};
use crate::protocol::{ResultId, ResultSpec};
use crate::verdict::{JudgedResult, Reported, VerdictKind};

/// Judges one word; words that hang on a comparison or an unknown are judged afterwards by
/// [`settle`].
///
/// `row` counts from 0. `reported` holds the values above as the team wrote them, `done` their
/// verdicts.
pub(super) fn judge(
    ground: &Ground<'_>,
    id: ResultId,
    row: Option<usize>,
    written: &Reported,
    reported: &Env,
    done: &[JudgedResult],
) -> JudgedResult {
    let spec = &ground.protocol.results[id];
    let mut out = JudgedResult::unjudged(id, spec.item, row, written);
    let right = by_condition(ground, spec, ground.clean, row);
    out.right_word = right;
    if !said(&mut out, written) {
        return out;
    }
    if spec.right.is_empty() {
        // Until it is settled: nothing to compare with.
        out.verdict = VerdictKind::Unchecked;
        return out;
    }
    let follows = by_condition(ground, spec, reported, row);
    let uses = |item: ItemId| spec.right.iter().filter_map(|r| r.condition.as_ref()).any(|n| n.uses(item));
    let tainted = done.iter().any(|r| r.verdict.taints() && uses(r.item));
    out.verdict = verdict(written.word, right, follows.filter(|_| tainted));
    out
}

/// Whether there is a word to be judged; sets `missing` and `unreadable`.
///
/// An empty cell stays missing; a text that is no word of the list is unreadable.
fn said(out: &mut JudgedResult, written: &Reported) -> bool {
    if written.word.is_none() && !written.text.trim().is_empty() {
        out.verdict = VerdictKind::Unreadable;
    }
    written.word.is_some()
}

/// The verdict of a word beside the right one and the one that follows from the values reported
/// above. Words are numbers of the item's list.
fn verdict(word: Option<u32>, right: Option<u32>, follows: Option<u32>) -> VerdictKind {
    match right {
        None => VerdictKind::Unchecked,
        Some(r) if word == Some(r) => VerdictKind::Agrees,
        Some(_) if follows.is_some() && word == follows => VerdictKind::Carried,
        Some(_) => VerdictKind::Differs,
    }
}

/// The first line whose condition holds.
///
/// `None` where no condition holds, or where one cannot be worked out: then nothing after it is
/// tried, since it might have been the one.
fn by_condition(ground: &Ground<'_>, spec: &ResultSpec, env: &Env, row: Option<usize>) -> Option<u32> {
    let slice;
    let env = match row {
        Some(r) => {
            slice = sliced(env, r);
            &slice
        }
        None => env,
    };
    for line in &spec.right {
        match &line.condition {
            None => return Some(line.word),
            Some(node) => {
                let holds = evaluate_any(node, &Context::without(env, ground.out)).ok()?.at(row).copied()?;
                if holds != 0.0 {
                    return Some(line.word);
                }
            }
        }
    }
    None
}

/// Settles the words that hang on a comparison or an unknown: `clean` are the words the readings
/// give, `follows` those that the team's own reported values give.
///
/// Both lists have several words where the right one hangs on a band: any of them is right.
/// `tainted` says whether a value above was wrong.
pub(super) fn settle(results: &mut [JudgedResult], id: ResultId, clean: &[u32], follows: &[u32], tainted: bool) {
    for r in results.iter_mut().filter(|r| r.id == id) {
        r.right_word = clean.first().copied();
        let Some(word) = r.reported.word else { continue };
        r.verdict = if clean.is_empty() && follows.is_empty() {
            VerdictKind::Unchecked
        } else if clean.contains(&word) {
            VerdictKind::Agrees
        } else if follows.contains(&word) && (tainted || clean.is_empty()) {
            VerdictKind::Carried
        } else {
            VerdictKind::Differs
        };
    }
}
