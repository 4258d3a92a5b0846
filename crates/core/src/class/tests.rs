use super::shared::at_least;
use super::*;

fn normal(state: &mut u64) -> f64 {
    let mut uniform = || {
        *state ^= *state << 13;
        *state ^= *state >> 7;
        *state ^= *state << 17;
        ((*state >> 11) as f64 + 0.5) / (1u64 << 53) as f64
    };
    (-2.0 * uniform().ln()).sqrt() * (std::f64::consts::TAU * uniform()).cos()
}

#[test]
fn algorithm_a_is_not_moved_by_a_wild_team() {
    let quiet = [9.8, 9.9, 10.0, 10.1, 10.2, 10.0, 9.95, 10.05];
    let a = algorithm_a(&quiet, 0.01).expect("values");
    let mut wild = quiet.to_vec();
    wild.push(100.0);
    let b = algorithm_a(&wild, 0.01).expect("values");
    assert!((a.centre - 10.0).abs() < 0.02 && (b.centre - a.centre).abs() < 0.06, "{a:?} {b:?}");
    assert!((a.uncertainty - 1.25 * a.spread / 8f64.sqrt()).abs() < 1e-12);
    // No spread: half a resolution stands in.
    let same = algorithm_a(&[3.0; 5], 0.1).expect("values");
    assert_eq!((same.centre, same.spread), (3.0, 0.1 / 12f64.sqrt()));
    assert!(algorithm_a(&[], 0.1).is_none());
    assert_eq!(z_scores(&[3.0, 4.0], &Robust { centre: 3.0, spread: 0.5, uncertainty: 0.0, count: 2 }), [0.0, 2.0]);
}

#[test]
fn algorithm_a_reaches_its_fixed_point() {
    let values = [1.0, 2.0, 2.5, 3.0, 3.2, 4.0, 9.0];
    let r = algorithm_a(&values, 0.0).expect("values");
    let drawn: Vec<f64> =
        values.iter().map(|x| x.clamp(r.centre - 1.5 * r.spread, r.centre + 1.5 * r.spread)).collect();
    let s = crate::stats::summary(&drawn).expect("values");
    assert!((s.mean - r.centre).abs() < 1e-8 && (1.134 * s.sd.expect("seven") - r.spread).abs() < 1e-8, "{r:?}");
}

fn sections(values: &[&[f64]]) -> Vec<(String, Vec<f64>)> {
    values.iter().enumerate().map(|(i, v)| (format!("s{i}"), v.to_vec())).collect()
}

#[test]
fn limits_of_mandel_and_cochran_are_those_of_the_tables() {
    let six: Vec<(String, Vec<f64>)> =
        (0..6).map(|i| (format!("s{i}"), vec![f64::from(i), f64::from(i) + 1.0, f64::from(i) + 3.0])).collect();
    let m = mandel(&six).expect("six sections");
    // p = 6: 1.656 at 5 %, 1.872 at 1 %.
    assert!((m.h_limits[0] - 1.656).abs() < 1e-3 && (m.h_limits[1] - 1.872).abs() < 1e-3, "{:?}", m.h_limits);
    // Equal spreads: k = 1 in each. With two degrees of freedom above, F at 1 − α is (ν/2)(α^(−2/ν) − 1) in closed
    // form, here with ν = 10 below; k = √(p/(1 + (p − 1)/F)).
    assert!(m.rows.iter().all(|r| r.k.is_some_and(|k| (k - 1.0).abs() < 1e-12)));
    for (n, alpha) in [(0, 0.05f64), (1, 0.01)] {
        let f = 5.0 * (alpha.powf(-0.2) - 1.0);
        let k = (6.0 / (1.0 + 5.0 / f)).sqrt();
        assert!(m.rows[0].k_limits.is_some_and(|l| (l[n] - k).abs() < 1e-9), "{:?} {k}", m.rows[0].k_limits);
    }
    for (p, n, critical) in [(5, 3, 0.684), (10, 2, 0.602)] {
        let classes: Vec<(String, Vec<f64>)> =
            (0..p).map(|i| (format!("s{i}"), (0..n).map(|j| f64::from(i * j)).collect())).collect();
        let c = cochran(&classes).expect("sections");
        assert!((c.critical - critical).abs() < 6e-4, "p = {p}, n = {n}: {}", c.critical);
    }
    assert!(mandel(&six[..2]).is_none() && cochran(&sections(&[&[1.0], &[2.0]])).is_none());
}

fn class(stations: usize, teams: usize, effect: f64, seed: u64) -> Vec<TeamValue> {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    let mut out = Vec::new();
    for s in 0..stations {
        for t in 0..teams {
            // Teams of every section at every station, in turn.
            let shift = if s == 2 { effect } else { 0.0 };
            let normalised = 0.01f64.mul_add(normal(&mut state) + shift, 1.0);
            out.push(TeamValue {
                section: format!("w{}", t % 3),
                team: format!("{s}-{t}"),
                station: s.to_string(),
                value: normalised,
                normalised,
            });
        }
    }
    out
}

#[test]
fn station_effects_are_found_and_rarely_false() {
    let (mut found, mut false_names, mut classes) = (0, 0, 0);
    for seed in 1..=400 {
        let effects = effects(&class(8, 6, 3.0, seed), true, 1e-4);
        found += usize::from(effects.iter().any(|e| e.name == "2" && e.named));
        let quiet = super::effects(&class(8, 6, 0.0, seed + 5000), true, 1e-4);
        false_names += quiet.iter().filter(|e| e.named).count();
        classes += quiet.len();
    }
    assert!(found >= 380, "{found} of 400 found");
    assert!(false_names * 100 <= classes, "{false_names} of {classes} stations named falsely");
}

#[test]
fn a_section_that_was_taught_otherwise_shows_as_its_own_effect() {
    let mut values = class(8, 6, 0.0, 77);
    values.iter_mut().filter(|v| v.section == "w1").for_each(|v| v.normalised *= 1.2);
    let named: Vec<String> =
        section_effects(&values, true, 1e-4).into_iter().filter(|e| e.named).map(|e| e.name).collect();
    assert_eq!(named, ["w1"]);
    assert!(effects(&values, true, 1e-4).iter().all(|e| !e.named), "no station is blamed for it");
}

#[test]
fn tails_of_unlike_trials() {
    // Two coins and a die: at least two of (½, ½, 1/6) = 1/4·1/6 + 1/4·5/6 + 2·1/4·1/6 = 1/3.
    assert!((at_least(&[0.5, 0.5, 1.0 / 6.0], 2) - 1.0 / 3.0).abs() < 1e-15);
    assert!((at_least(&[0.3, 0.4], 0) - 1.0).abs() < 1e-15);
    assert!((at_least(&[0.3, 0.4], 2) - 0.12).abs() < 1e-15);
    assert_eq!(at_least(&[], 1), 0.0);
}
