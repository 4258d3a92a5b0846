//! What is drawn and explained of a result is what was judged: over the whole library, with simulated classes.
#![allow(missing_docs)]

mod common;

use jurado_core::explain::explain;
use jurado_core::judging::judge;
use jurado_core::plots::{Plot, plots};
use jurado_core::preview::difference;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use jurado_sim::Order;

fn classes(seed: u64, teams: usize) -> Vec<(String, Protocol, Vec<Submission>)> {
    common::classes(&Order { teams, seed, slips: 0.5, ..Order::default() })
}

/// Markup whose elements close in their order, without attributes that could hide one.
fn closes(markup: &str) -> bool {
    let mut open: Vec<&str> = Vec::new();
    for tag in markup.split('<').skip(1).filter_map(|t| t.split('>').next()) {
        match tag.strip_prefix('/') {
            Some(name) if open.pop() != Some(name) => return false,
            Some(_) => {}
            None if tag.ends_with('/') => {}
            None => open.push(tag.split(' ').next().unwrap_or("")),
        }
    }
    open.is_empty()
}

/// The budget of an uncertainty is the whole of it: shares add up to one, and the parts, independent of each other, join in
/// quadrature to the standard uncertainty by which the course marks.
#[test]
fn a_budget_adds_up() {
    let mut lines = 0;
    for (name, p, tables) in classes(2, 3) {
        for table in tables {
            let judged = judge(&p, &table, &[], &[]);
            for (r, e) in judged.results.iter().zip(explain(&p, &judged)) {
                if let Some(stages) = &e.stages {
                    assert!(stages.mathml.iter().all(|m| closes(m)), "{name}, {}: {:?}", e.title, stages.mathml);
                    assert!(
                        stages.text[2].starts_with("= ") && stages.text[2].contains(&e.value),
                        "{name}: {:?}",
                        stages.text
                    );
                    assert!(
                        !stages.text.iter().any(|t| t.contains("NaN") || t.contains("inf ")),
                        "{name}: {:?}",
                        stages.text
                    );
                }
                if e.budget.is_empty() {
                    continue;
                }
                let shares: f64 = e.budget.iter().map(|l| l.share).sum();
                // Parts under a thousandth are not listed.
                assert!((0.97..=1.0 + 1e-9).contains(&shares), "{name}, {}: shares {shares}", e.title);
                assert!(e.budget.windows(2).all(|w| w[0].share >= w[1].share), "{name}: largest first");
                let joined = e.budget.iter().map(|l| l.contribution).fold(0.0, f64::hypot);
                let standard = r.budget.as_ref().expect("a budget").standard;
                assert!((joined / standard - 1.0).abs() < 0.02, "{name}, {}: {joined} against {standard}", e.title);
                // Few degrees of freedom widen what is stated, never narrow it; where a formula bends too much for its
                // parts to be added up, the figure is from trials.
                let stated = e.uncertainties.iter().find(|u| u.school == "quadrature").map(|u| u.value);
                if let Some(stated) = stated.filter(|u| *u > 0.0 && r.monte_carlo.is_none()) {
                    assert!(
                        stated >= p.school.coverage_factor * standard * (1.0 - 1e-9),
                        "{name}, {}: {stated}",
                        e.title
                    );
                }
                lines += e.budget.len();
                for l in &e.budget {
                    let share = (l.contribution / joined).powi(2);
                    assert!(
                        (share - l.share).abs() < 0.02,
                        "{name}, {}: {} has {share}, said {}",
                        e.title,
                        l.source,
                        l.share
                    );
                }
            }
        }
    }
    assert!(lines > 500, "{lines} lines");
}

/// A fitted line by what every least-squares line has: leverages add up to the number of its parameters, each between 0 and
/// 1; residuals are the distances shown; the band is narrowest inside the points and holds the line in its middle.
#[test]
fn a_fitted_line_is_one_of_least_squares() {
    let (mut free, mut through) = (0, 0);
    for (name, p, tables) in classes(3, 4) {
        for table in tables {
            let judged = judge(&p, &table, &[], &[]);
            for plot in plots(&p, &judged) {
                let Plot::Fit(f) = plot else { continue };
                let sum: f64 = f.leverage.iter().sum();
                let parameters = sum.round();
                assert!(
                    (sum - parameters).abs() < 1e-6 && (1.0..=2.0).contains(&parameters),
                    "{name}: leverages {sum}"
                );
                assert!(f.leverage.iter().all(|h| (-1e-12..=1.0 + 1e-9).contains(h)), "{name}: {:?}", f.leverage);
                if parameters == 1.0 {
                    through += 1
                } else {
                    free += 1
                }
                assert!(parameters == 2.0 || f.intercept == 0.0, "{name}: through the origin");
                for (point, r) in f.points.iter().zip(&f.residuals) {
                    let want = point.y - (f.intercept + f.slope * point.x);
                    assert!((r - want).abs() <= 1e-9 * (point.y.abs() + want.abs()), "{name}: residual {r} {want}");
                }
                for (x, low, high) in &f.band {
                    let middle = f.intercept + f.slope * x;
                    assert!(
                        (low + high - 2.0 * middle).abs() <= 1e-9 * (low.abs() + high.abs()),
                        "{name}: band off its line"
                    );
                }
                if let (Some(first), Some(last), true) = (f.band.first(), f.band.last(), parameters == 2.0) {
                    let narrowest = f.band.iter().map(|b| b.2 - b.1).fold(f64::INFINITY, f64::min);
                    assert!(narrowest <= (first.2 - first.1).min(last.2 - last.1), "{name}: a band widens to its ends");
                }
                // The point set apart pulled the line: without it the line is another.
                if let (Some((_, true)), Some((slope, intercept))) = (f.suspect, f.without) {
                    assert!(slope != f.slope || intercept != f.intercept, "{name}");
                }
            }
        }
    }
    assert!(free > 20 && through > 5, "{free} free, {through} through the origin");
}

/// What a change of a protocol would do: nothing where it is the same; where a rule costs more, the lines that it says add
/// up to the change of the points.
#[test]
fn a_preview_is_the_difference_of_two_judgements() {
    let mut changed = 0;
    for (name, p, tables) in classes(5, 5) {
        let before: Vec<_> = tables.iter().map(|t| judge(&p, t, &[], &[])).collect();
        assert!(difference((&p, &before), (&p, &before)).is_empty(), "{name}: the same changes nothing");
        let path = common::root().join(format!("protocols/{name}.toml"));
        let text = std::fs::read_to_string(path).expect("a text");
        let dear = text.replace("each = \"0.25\"", "each = \"0.5\"").replace("share = \"0.5\"", "share = \"1\"");
        let new = Protocol::parse(&dear).unwrap_or_else(|f| panic!("{name}: {f:?}"));
        let after: Vec<_> = tables.iter().map(|t| judge(&new, t, &[], &[])).collect();
        let told = difference((&p, &before), (&new, &after));
        for (i, table) in tables.iter().enumerate() {
            let moved = after[i].score.decided - before[i].score.decided;
            let mine = told.iter().find(|x| x.team == table.team && x.section == table.section);
            match mine {
                None => assert_eq!(moved, rust_decimal::Decimal::ZERO, "{name}: {} moved and is not told", table.team),
                Some(x) => {
                    assert_eq!(x.to - x.from, moved, "{name}");
                    let lines: rust_decimal::Decimal = x.lines.iter().map(|l| l.to - l.from).sum();
                    assert_eq!(lines, moved, "{name}: the lines of {}", table.team);
                    changed += 1;
                }
            }
        }
    }
    assert!(changed > 20, "{changed}");
}

/// A mean that is written out is a true equation: the numbers in it are those that were averaged.
#[test]
fn a_mean_that_is_shown_is_the_mean_of_what_is_shown() {
    let mut means = 0;
    for (name, p, tables) in classes(11, 6) {
        for table in tables {
            let judged = judge(&p, &table, &[], &[]);
            for e in explain(&p, &judged) {
                let Some(stages) = &e.stages else { continue };
                let only = |t: &&str| !t.contains(['(', ')']);
                let inside = stages.text[1].strip_prefix("= mean(").and_then(|t| t.strip_suffix(')')).filter(only);
                let Some(inside) = inside else { continue };
                let number = |t: &str| t.split(' ').next().and_then(|n| n.replace('−', "-").parse::<f64>().ok());
                let shown: Option<Vec<f64>> = inside.split(", ").map(number).collect();
                let (Some(shown), Some(value)) = (shown, number(&e.value)) else { continue };
                let mean = shown.iter().sum::<f64>() / shown.len() as f64;
                // Each number is rounded where it is shown, and the answer may be in another unit.
                let ratio = (mean / value).abs();
                let same = ratio / 10f64.powf(ratio.log10().round());
                assert!((same - 1.0).abs() <= 2e-3, "{name}, {}: {:?}", table.team, stages.text);
                means += 1;
            }
        }
    }
    assert!(means > 40, "{means} means");
}
