//! What happened to a whole column: one slip in its rows, or one factor that no slip gives.
//!
//! A column of ten rows that differ is either ten mistakes or one. One mistake made throughout has
//! the prior of one and explains ten; ten have the product of ten priors. So the column is told as
//! one wherever one form explains three quarters of what differs.

use std::collections::BTreeMap;

use super::Candidates;
use crate::finding::{Account, Clause};
use crate::formula::{ItemId, Shape};
use crate::protocol::{Protocol, ResultSpec, SlipKind};
use crate::row::Row;
use crate::verdict::{JudgedResult, Slip, VerdictKind};

/// One systematic slip down a column: it needs two rows and explains three quarters of those that
/// differ. Its joint likelihood is weighed against the rows each having a story of their own.
///
/// `rows` are those of one column, `candidates` what each left; a row that needed no story left
/// nothing. A story of the column that is likelier than not takes the place of what its rows said;
/// else the rows are asked whether they are all off by one factor.
pub(in super::super) fn down_the_column(
    protocol: &Protocol,
    spec: &ResultSpec,
    rows: &mut [JudgedResult],
    candidates: &[Option<Candidates>],
) {
    let differing: Vec<(usize, &Candidates)> =
        candidates.iter().enumerate().filter_map(|(i, c)| c.as_ref().map(|c| (i, c))).collect();
    if differing.len() < 2 {
        return;
    }
    let joint = joint(&differing);
    let apart: f64 = differing.iter().map(|(_, c)| c.evidence.max(1e-300).ln()).sum();
    let systematic =
        joint.iter().filter(|(_, j)| j.rows >= 2 && 4 * j.rows >= 3 * differing.len()).map(|(v, j)| (*v, j.score));
    let Some((best, score)) = systematic.clone().max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0))) else {
        return alike_throughout(rows, &differing, apart);
    };
    let rest: f64 = systematic.map(|(_, s)| (s - score).exp()).sum::<f64>() + (apart - score).exp();
    let class = class(&joint, best);
    let whole = class.iter().map(|(_, p)| p).sum::<f64>();
    let rest = rest.max(whole);
    let probability = whole / rest;
    if probability < 0.5 {
        return alike_throughout(rows, &differing, apart);
    }
    // What the lab's author declared gives the name.
    let declared = class.iter().map(|(v, _)| *v).find(|v| matches!(spec.variants[*v].kind, SlipKind::Declared(_)));
    let best = declared.unwrap_or(best);
    let variant = &spec.variants[best];
    let kinds = class.iter().map(|(v, p)| (&spec.variants[*v].kind, *p));
    let alternatives = alternatives(kinds.filter(|(k, _)| **k != variant.kind), rest);
    let told: Vec<usize> = differing
        .iter()
        .filter(|(_, c)| c.variants.iter().any(|(v, _, l)| *v == best && *l > 0.0))
        .map(|(i, _)| *i)
        .collect();
    let numbers: Vec<Row> = told.iter().filter_map(|i| rows[*i].row).collect();
    for i in told {
        let row = &mut rows[i];
        row.verdict = VerdictKind::Slip;
        row.slip = Some(Slip {
            kind: variant.kind.clone(),
            account: Account { clause: Clause::Said(variant.says.clone()), gives: String::new(), cell: None },
            probability,
            alternatives: alternatives.clone(),
            alike: alternatives.iter().map(|(k, _)| k.clone()).collect(),
            places: vec![protocol.items[spec.item].id.clone()],
            ambiguous: false,
            subject: variant.subject,
            rows: numbers.clone(),
            repair: None,
            predicted: row.slip.as_ref().map_or(0.0, |s| s.predicted),
        });
    }
}

/// One mistaken formula over all rows that differ.
///
/// A row that the formula does not explain counts with what nothing explains.
#[derive(Default)]
struct Joint {
    /// Rows it explains.
    rows: usize,
    /// Logarithm of its prior times its likelihoods.
    score: f64,
    /// Logarithm of its prior.
    weight: f64,
}

/// Every mistaken formula that explains some row, over all rows. In logarithms: a dozen small
/// likelihoods would vanish.
///
/// By the number of the mistaken formula among the result's.
fn joint(differing: &[(usize, &Candidates)]) -> BTreeMap<usize, Joint> {
    let mut all: BTreeMap<usize, Joint> = BTreeMap::new();
    for v in differing.iter().flat_map(|(_, c)| c.variants.iter().map(|(v, ..)| *v)) {
        all.entry(v).or_default();
    }
    for (v, joint) in &mut all {
        let mut prior = 0.0;
        for (_, c) in differing {
            match c.variants.iter().find(|(w, ..)| w == v) {
                Some((_, p, l)) if *l > 0.0 => {
                    joint.rows += 1;
                    prior = *p;
                    joint.score += l.ln();
                }
                _ => joint.score += c.unexplained.max(1e-300).ln(),
            }
        }
        joint.weight = f64::max(prior, 1e-300).ln();
        joint.score += joint.weight;
    }
    all
}

/// The best formula and those that fit every row as well, with their odds against it: they cannot
/// be told apart.
///
/// `fit` leaves the priors out: two forms that explain the rows alike are told as one, whichever is
/// likelier.
fn class(joint: &BTreeMap<usize, Joint>, best: usize) -> Vec<(usize, f64)> {
    let Some(first) = joint.get(&best) else { return Vec::new() };
    let fit = |j: &Joint| j.score - j.weight;
    joint
        .iter()
        .filter(|(v, j)| **v == best || (j.rows >= 2 && (fit(j) - fit(first)).abs() < 1e-9))
        .map(|(v, j)| (*v, (j.score - first.score).exp()))
        .collect()
}

/// The other kinds of a class with their probabilities, likeliest first.
///
/// `rest` is what all probabilities are a share of.
fn alternatives<'a>(class: impl Iterator<Item = (&'a SlipKind, f64)>, rest: f64) -> Vec<(SlipKind, f64)> {
    let mut out: Vec<(SlipKind, f64)> = Vec::new();
    for (other, p) in class {
        match out.iter_mut().find(|(k, _)| k == other) {
            Some((_, sum)) => *sum += p / rest,
            None => out.push((other.clone(), p / rest)),
        }
    }
    out.retain(|(_, p)| *p >= 0.005);
    out.sort_by(|a, b| b.1.total_cmp(&a.1));
    out
}

/// One row of a column with a story of its own beside two or more that nothing explains: the column
/// is one case, and a hit in one row of many is luck.
///
/// A row that a spreadsheet's formula explains, or one of several that share a slip, is no lone
/// one.
pub(in super::super) fn lone_rows(rows: &mut [JudgedResult]) {
    let odd = rows.iter().filter(|r| r.verdict == VerdictKind::Unexplained && r.gap.is_none()).count();
    let mut told = rows.iter_mut().filter(|r| r.verdict == VerdictKind::Slip);
    let (Some(lone), None) = (told.next(), told.next()) else { return };
    // A reading copied wrongly has the rest of the table for it.
    if odd >= 2 && lone.slip.as_ref().is_none_or(|s| s.rows.is_empty() && s.repair.is_none()) {
        lone.verdict = VerdictKind::Unexplained;
        lone.slip = None;
    }
}

/// A single reading that was keyed wrongly into every row of a column is one slip down it.
///
/// The rows keep their own stories; each learns of the others, so that one charge is made for all.
pub(in super::super) fn keyed_throughout(protocol: &Protocol, rows: &mut [JudgedResult]) {
    let told = |r: &JudgedResult| -> Option<(ItemId, Clause)> {
        let slip = r.slip.as_ref().filter(|s| r.verdict == VerdictKind::Slip && s.rows.is_empty())?;
        let subject = slip.subject.filter(|i| protocol.items[*i].rows == Shape::Scalar)?;
        (slip.kind == SlipKind::ReadingMiskeyed).then(|| (subject, slip.account.clause.clone()))
    };
    let Some(first) = rows.iter().find_map(told) else { return };
    let same: Vec<usize> = (0..rows.len()).filter(|i| told(&rows[*i]).as_ref() == Some(&first)).collect();
    if same.len() < 2 {
        return;
    }
    let numbers: Vec<Row> = same.iter().filter_map(|i| rows[*i].row).collect();
    for i in same {
        if let Some(slip) = &mut rows[i].slip {
            slip.rows.clone_from(&numbers);
        }
    }
}

/// Rows that are all off by one and the same factor which no slip gives: something was done
/// throughout that nobody has thought of. It is weighed against every row having a story of its
/// own, and lowers the chance of those.
///
/// The factor is the middle one of R/F over the rows. It is told as a factor and not as a mistake,
/// since nobody knows what was done.
fn alike_throughout(rows: &mut [JudgedResult], differing: &[(usize, &Candidates)], apart: f64) {
    let mut ratios: Vec<f64> = differing.iter().map(|(_, c)| c.ratio.0).collect();
    ratios.sort_by(f64::total_cmp);
    let factor = ratios[ratios.len() / 2];
    let common = differing.iter().all(|(_, c)| (c.ratio.0 - factor).abs() <= c.ratio.1);
    if !common || !factor.is_finite() || factor == 0.0 || (factor - 1.0).abs() < 1e-9 {
        return;
    }
    // The first row pays for the factor; the others then are what they must be.
    let together = differing[0].1.unexplained.max(1e-300).ln();
    let share = 1.0 / (1.0 + (together - apart).exp());
    for (i, _) in differing {
        let row = &mut rows[*i];
        row.throughout = Some(factor);
        if let Some(slip) = &mut row.slip {
            slip.probability *= share;
            slip.alternatives.iter_mut().for_each(|(_, p)| *p *= share);
            slip.ambiguous &= slip.probability + slip.alternatives.iter().map(|(_, p)| p).sum::<f64>() >= 0.5;
            if slip.probability < 0.5 {
                row.verdict = VerdictKind::Unexplained;
            }
        }
    }
}
