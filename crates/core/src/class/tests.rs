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

/// Stations × sections, one team each; station 2 is off by `effect` standard deviations.
fn class(stations: usize, sections: usize, effect: f64, seed: u64) -> Vec<Member> {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    let mut out = Vec::new();
    for group in 0..stations {
        for other in 0..sections {
            let shift = if group == 2 { effect } else { 0.0 };
            out.push(Member { group, other, value: 0.01f64.mul_add(normal(&mut state) + shift, 1.0).ln() });
        }
    }
    out
}

#[test]
fn station_effects_are_found_and_rarely_false() {
    let (mut found, mut false_names, mut classes) = (0, 0, 0);
    for seed in 1..=400 {
        let of_effect = effects(&class(8, 6, 3.0, seed), 1e-4);
        found += usize::from(of_effect.iter().any(|e| e.group == 2 && e.named));
        let quiet = effects(&class(8, 6, 0.0, seed + 5000), 1e-4);
        false_names += quiet.iter().filter(|e| e.named).count();
        classes += quiet.len();
    }
    assert!(found >= 380, "{found} of 400 found");
    assert!(false_names * 100 <= classes, "{false_names} of {classes} stations named falsely");
}

#[test]
fn a_section_that_was_taught_otherwise_shows_as_its_own_effect() {
    let mut members = class(8, 6, 0.0, 77);
    members.iter_mut().filter(|m| m.other == 1).for_each(|m| m.value += 0.2);
    let turned: Vec<Member> =
        members.iter().map(|m| Member { group: m.other, other: m.group, value: m.value }).collect();
    let named: Vec<usize> = effects(&turned, 1e-4).iter().filter(|e| e.named).map(|e| e.group).collect();
    assert_eq!(named, [1]);
    assert!(effects(&members, 1e-4).iter().all(|e| !e.named), "no station is blamed for it");
}

#[test]
fn an_effect_stands_at_three_of_its_errors_when_it_reaches_its_limit() {
    let mut members = class(8, 6, 0.0, 5);
    members.iter_mut().filter(|m| m.group == 2).for_each(|m| m.value += 0.05);
    let of = effects(&members, 1e-4);
    let e = of.iter().find(|e| e.group == 2).expect("station 2");
    assert!(e.named && (e.in_errors() - 3.0 * e.effect / e.limit).abs() < 1e-12 && e.in_errors() > 3.0);
    // Two teams name nothing, however far they are off.
    let few: Vec<Member> = members.iter().copied().filter(|m| m.group != 2 || m.other < 2).collect();
    assert!(effects(&few, 1e-4).iter().all(|e| e.group != 2 || !e.named));
    assert!(effects(&[], 1e-4).is_empty());
}

/// Tables of sections, each with what was found in it.
fn found(of: &[(&str, usize, &[&str])]) -> Vec<Entry> {
    let table = |section: &str, patterns: &[&str]| Entry {
        section: section.to_owned(),
        found: patterns.iter().map(|p| (*p).to_owned()).collect(),
        ..Entry::default()
    };
    of.iter().flat_map(|(section, count, patterns)| (0..*count).map(|_| table(section, patterns))).collect()
}

#[test]
fn what_one_section_shares_and_others_do_not_is_told_with_its_chance() {
    const SLIP: &str = "slip/volume/radius-diameter";
    let section = |entries: &[Entry]| {
        let names: Vec<String> = entries.iter().map(|e| e.section.clone()).collect();
        taught(entries, |n| names[n].clone())
    };
    let class = found(&[("a", 12, &[SLIP]), ("a", 2, &[]), ("b", 1, &[SLIP]), ("b", 69, &[])]);
    let told = section(&class);
    assert_eq!(told.len(), 1, "{told:?}");
    assert_eq!((told[0].group.as_str(), told[0].here, told[0].elsewhere), ("a", (12, 14), (1, 70)));
    // By hand: (C(13,12)·C(71,2) + C(13,13)·C(71,1))/C(84,14), for two sections and one finding.
    let by_hand = (13.0 * 2485.0 + 71.0) / 3173734438530120.0;
    assert!((told[0].chance / (2.0 * by_hand) - 1.0).abs() < 1e-9, "{} {by_hand}", told[0].chance);
    // As frequent elsewhere: nothing is told, whatever the count.
    assert!(section(&found(&[("a", 12, &[SLIP]), ("a", 2, &[]), ("b", 60, &[SLIP]), ("b", 10, &[])])).is_empty());
    // Less than half of the section: those teams, not the teaching.
    assert!(section(&found(&[("a", 6, &[SLIP]), ("a", 8, &[]), ("b", 70, &[])])).is_empty());
    // Two tables, or a remark that nobody is taught.
    assert!(section(&found(&[("a", 2, &[SLIP]), ("b", 70, &[])])).is_empty());
    assert!(section(&found(&[("a", 14, &["rows-wait//"]), ("b", 70, &[])])).is_empty());
    // A class of one section has nothing to be compared with.
    assert!(section(&found(&[("a", 14, &[SLIP])])).is_empty());
}

#[test]
fn what_was_found_most_often_comes_first() {
    let entries = found(&[
        ("a", 2, &["slip/x/power", "digits-few/y/"]),
        ("b", 1, &["digits-few/y/"]),
        ("b", 1, &["slip/z/root"]),
    ]);
    let told: Vec<(String, usize, usize)> =
        frequent(&entries).into_iter().map(|f| (f.pattern, f.tables, f.sections)).collect();
    assert_eq!(told, [("digits-few/y/".to_owned(), 3, 2), ("slip/x/power".to_owned(), 2, 1)]);
}

fn typed(station: &str, cells: &[&str]) -> Entry {
    let essence = Essence {
        keys: [("station".to_owned(), station.to_owned())].into(),
        cells: [("length".to_owned(), cells.iter().map(|c| (*c).to_owned()).collect())].into(),
        ..Essence::default()
    };
    Entry { essence, ..Entry::default() }
}

#[test]
fn a_copied_table_is_told_and_what_one_display_explains_is_not() {
    let mut state = 41;
    // Ten readings of a team, each with a last figure or two of its own.
    let mut cells = |rows: usize| -> Vec<String> {
        (0..rows).map(|row| format!("{:.2}", 40.0 + row as f64 + 0.2 * normal(&mut state))).collect()
    };
    let mut table = |station: usize, rows: usize| {
        let cells = cells(rows);
        typed(&station.to_string(), &cells.iter().map(String::as_str).collect::<Vec<_>>())
    };
    let mut entries: Vec<Entry> = (0..24).map(|team| table(team % 4, 10)).collect();
    entries[9] = Entry { essence: entries[5].essence.clone(), ..Entry::default() };
    let told = shared_tables(&entries, Some("station"));
    assert_eq!(told.iter().map(|s| (s.one, s.other, s.cells, s.alike)).collect::<Vec<_>>(), [(5, 9, 10, 10)]);
    // Everybody reads the same display: all cells agree everywhere, and no pair stands out.
    let same: Vec<Entry> = (0..24).map(|n| typed(&(n % 4).to_string(), &["1.0"; 10])).collect();
    assert!(shared_tables(&same, Some("station")).is_empty());
    // Five cells alike are never enough.
    let mut few: Vec<Entry> = (0..24).map(|_| table(1, 5)).collect();
    few[9] = Entry { essence: few[5].essence.clone(), ..Entry::default() };
    assert!(shared_tables(&few, Some("station")).is_empty());
}

#[test]
fn a_copied_table_of_ten_coarse_readings_is_told() {
    let mut state = 43;
    // A dozen likely values each: two tables agree in one cell or two, and copied ones in all ten.
    let mut table = |station: usize| {
        let cells: Vec<String> =
            (0..10).map(|row| format!("{:.0}", 40.0 * row as f64 + 5.0 * normal(&mut state))).collect();
        typed(&station.to_string(), &cells.iter().map(String::as_str).collect::<Vec<_>>())
    };
    let mut entries: Vec<Entry> = (0..120).map(|team| table(team % 2)).collect();
    assert!(shared_tables(&entries, Some("station")).is_empty());
    entries[98] = Entry { essence: entries[5].essence.clone(), ..Entry::default() };
    let told = shared_tables(&entries, Some("station"));
    assert_eq!(told.iter().map(|s| (s.one, s.other)).collect::<Vec<_>>(), [(5, 98)]);
}

#[test]
fn an_essence_is_read_back_as_it_was_written() {
    let mut essence = typed("3", &["50.12", "", "50.14"]).essence;
    essence.values.push(Value {
        item: "density".to_owned(),
        row: Some(2),
        at: Some("fork ; a \"b\"".to_owned()),
        clean: Some(8.466_666_666_666_667),
        sheet: Some([8.4, 8.6]),
        place: -2,
        word: None,
    });
    essence.values.push(Value { item: "metal".to_owned(), word: Some((2, Some(1))), ..Value::default() });
    let bare = Essence { cells: Default::default(), ..essence.clone() };
    assert_eq!(Essence::without_cells(&essence.to_text()), Some(bare));
    assert_eq!(Essence::from_text(&essence.to_text()), Some(essence));
    assert_eq!(Essence::from_text(""), None);
    assert_eq!(Essence::from_text("{}"), Some(Essence::default()));
}

#[test]
fn tails_of_unlike_trials() {
    // Two coins and a die: at least two of (½, ½, 1/6) = 1/4·1/6 + 1/4·5/6 + 2·1/4·1/6 = 1/3.
    assert!((at_least(&[0.5, 0.5, 1.0 / 6.0], 2) - 1.0 / 3.0).abs() < 1e-15);
    assert!((at_least(&[0.3, 0.4], 0) - 1.0).abs() < 1e-15);
    assert!((at_least(&[0.3, 0.4], 2) - 0.12).abs() < 1e-15);
    assert_eq!(at_least(&[], 1), 0.0);
}
