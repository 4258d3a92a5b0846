//! What persons changed against the computed score, places beside all others, and what two people gave the same table.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::decision::{Action, Decision, Ruling};
use jurado_core::judging::judge_in;
use jurado_core::moderation::{Agreement, Cell, Field, Moved, Pair, Row, Twice, Way, alike, places};
use jurado_core::section::Section;
use jurado_core::verdict::Judged;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rust_decimal::Decimal;

/// A length is off by a factor of ten in row 2 and carried on; the gradient is missing.
const TABLE: &str = "
    rim: 4.2 {unit cm}\nair: 20.0 {unit °C}
    level 1: 20.8 {unit cm} {fork a}\nlevel 2: 24.1 {unit cm} {fork b}\nlevel 3: 30.8 {unit cm} {fork c}
    length 1: 16.6 {unit cm}\nlength 2: 1.99 {unit cm}\nlength 3: 26.6 {unit cm}
    inverse 1: 6.02 {unit 1/m}\ninverse 2: 50.3 {unit 1/m}\ninverse 3: 3.76 {unit 1/m}
    speed: 340 {unit m/s} {± 3}";

fn run(rulings: &[Ruling], decisions: &[Decision]) -> Judged {
    judge_in(&protocol(ECHO), &Section::default(), &sheet(TABLE), rulings, decisions)
}

fn decide(finding: &str, action: Action) -> Decision {
    Decision { finding: finding.into(), action, reason: "looked at".into(), by: "R".into(), text: String::new() }
}

fn moved(judged: &Judged) -> Moved {
    let moved = Moved::of(&protocol(ECHO), judged);
    let difference: Decimal = judged.score.lines.iter().map(|l| l.decided - l.computed).sum();
    assert!((moved.sum() - difference).abs() < Decimal::new(1, 4), "the fields add up: {moved:?}, {difference}");
    assert_eq!(Moved::from_text(&moved.to_text()), Some(moved.clone()), "{}", moved.to_text());
    moved
}

/// The first finding of a field that costs something, by its key, with its cost.
fn costly(judged: &Judged, code: &str) -> (String, Decimal) {
    let f = judged.findings.iter().find(|f| f.code() == code && f.cost > Decimal::ZERO);
    let f = f.unwrap_or_else(|| panic!("{code} costs nothing: {:?}", codes(judged)));
    (f.key.to_string(), f.cost)
}

#[test]
fn what_a_person_changes_is_of_the_field_of_its_finding_and_a_ruling_is_no_persons_change() {
    let plain = run(&[], &[]);
    let nothing = moved(&plain);
    assert_eq!(nothing.points, [Decimal::ZERO; 6]);
    assert!(
        nothing.findings[Field::Slips as usize] > 0 && nothing.findings[Field::Missing as usize] > 0,
        "{nothing:?}"
    );
    for (code, field) in [("slip", Field::Slips), ("missing-result", Field::Missing)] {
        let (key, cost) = costly(&plain, code);
        let taken = moved(&run(&[], &[decide(&key, Action::Accept)]));
        assert_eq!(taken.points, [Decimal::ZERO; 6], "taking what is proposed changes nothing");
        let forgiven = moved(&run(&[], &[decide(&key, Action::Forgive)]));
        let mut want = [Decimal::ZERO; 6];
        want[field as usize] = cost;
        assert_eq!(forgiven.points, want, "{code}");
        let more = moved(&run(&[], &[decide(&key, Action::Points(cost + Decimal::new(25, 2)))]));
        assert_eq!(more.points[field as usize], Decimal::new(-25, 2), "{code}");
        let ruling = Ruling {
            id: 1,
            protocol: "echo-well".into(),
            code: code.into(),
            item: None,
            slip: None,
            section: None,
            keys: [].into(),
            against: None,
            school: None,
            since: None,
            action: Action::Forgive,
            reason: "for all".into(),
        };
        let ruled = run(std::slice::from_ref(&ruling), &[]);
        assert!(ruled.score.decided > plain.score.decided, "the ruling gives points");
        assert_eq!(moved(&ruled).points, [Decimal::ZERO; 6], "and no person changed anything");
        let against = moved(&run(&[ruling], &[decide(&key, Action::Accept)]));
        assert_eq!(against.points[field as usize], -cost, "who charges it all the same has changed it");
    }
}

#[test]
fn a_line_a_reading_and_an_own_finding_have_their_fields() {
    let plain = run(&[], &[]);
    let line = plain.score.lines.iter().find(|l| l.decided > Decimal::ONE).expect("a line with points");
    let changed = moved(&run(&[], &[decide(&format!("line:{}", line.criterion), Action::Points(Decimal::ZERO))]));
    assert_eq!(changed.points[Field::Rest as usize], -line.decided);
    let own = format!("own:{}:1", line.criterion);
    let added = moved(&run(&[], &[decide(&own, Action::Points(Decimal::new(5, 1)))]));
    assert_eq!(added.points[Field::Rest as usize], Decimal::new(-5, 1));
    // A reading read otherwise: other things are charged, and that is a person's change.
    let read = Decision { text: "6.19".into(), ..decide("cell:level:2", Action::Read) };
    let otherwise = run(&[], &[read]);
    let fields = moved(&otherwise);
    assert_ne!(otherwise.score.decided, plain.score.decided, "{:?}", codes(&otherwise));
    assert_eq!(otherwise.score.lines.iter().map(|l| l.computed).sum::<Decimal>(), plain.score.decided, "as handed in");
    assert_eq!(fields.points[Field::Rest as usize], fields.sum(), "{fields:?}");
    // A run left out: the mean that the team wrote does not follow any more.
    let titre =
        |decisions: &[Decision]| judge_in(&protocol(TITRE), &Section::default(), &sheet(TITRE_SHEET), &[], decisions);
    let out = titre(&[decide("cell:titre:3", Action::LeaveOut), decide("cell:end:3", Action::LeaveOut)]);
    let left = Moved::of(&protocol(TITRE), &out);
    assert_ne!(out.score.decided, titre(&[]).score.decided, "the run counted: {:?}", codes(&out));
    assert_eq!(left.points[Field::LeftOut as usize], left.sum(), "{left:?}");
    for broken in ["", "1 0", "1 0;1 0;1 0;1 0;1 0;x 0", "1 0;1 0;1 0;1 0;1 0;1 0;1 0", "1 0;1 0;1 0;1 0;1 0;1"] {
        assert_eq!(Moved::from_text(broken), None, "{broken:?}");
    }
}

fn row(slips: impl IntoIterator<Item = f64>, findings: u32) -> Row {
    let tables = slips.into_iter().map(|p| [p, 0.0, 0.0, 0.0, 0.0, 0.0]).collect();
    Row { tables, findings: [findings, 0, 0, 0, 0, 0] }
}

/// Means of nought with a spread: +¼, −¼, 0, 0 and so on.
fn usual(n: usize) -> impl Iterator<Item = f64> {
    (0..n).map(|i| [0.25, -0.25, 0.0, 0.0][i % 4])
}

#[test]
fn a_place_has_a_mean_from_six_findings_on_and_stands_apart_beside_twenty_tables_of_others() {
    let slips = |rows: &[Row]| -> Vec<Cell> { places(rows).into_iter().map(|p| p.fields[0]).collect() };
    let high = || row((0..12).map(|i| 0.25 + [0.25, 0.0][i % 2]), 12);
    let seen = slips(&[row(usual(12), 12), row(usual(8), 8), high()]);
    assert!(seen[2].apart && !seen[0].apart && !seen[1].apart, "{seen:?}");
    assert!(seen[2].mean.is_some_and(|(m, _)| (m - 0.375).abs() < 1e-12), "{seen:?}");
    // The same mean out of one large change: its interval reaches the others.
    let once = slips(&[row(usual(12), 12), row(usual(8), 8), row((0..12).map(|i| if i == 5 { 4.5 } else { 0.0 }), 12)]);
    let (channel, mean) = (once[2].channel.expect("a channel"), once[2].mean.expect("a mean").0);
    assert!(mean > channel.1 && !once[2].apart, "{once:?}");
    // 19 tables of others: nothing is named, and no channel drawn.
    let few = slips(&[row(usual(11), 11), row(usual(8), 8), high()]);
    assert!(few[2].channel.is_none() && !few[2].apart && few[2].mean.is_some(), "{few:?}");
    // Five findings: no mean; six have one.
    assert!(slips(&[row(usual(40), 5), high()])[0].mean.is_none());
    assert!(slips(&[row(usual(40), 6), high()])[0].mean.is_some());
    // Others that changed nothing have no spread to compare with.
    assert!(slips(&[row([0.0; 40], 40), high()])[1].channel.is_none());
    // Who changed nothing is not known exactly: half the others' spread, t at 39 degrees of freedom.
    let calm = slips(&[row([0.0; 40], 40), row(usual(40), 40)])[0].mean.expect("a mean");
    let spread = (20.0 * 0.0625 / 39.0f64).sqrt();
    assert!((calm.1 - 2.0226909 * spread / 2.0 / 40f64.sqrt()).abs() < 1e-6, "{calm:?}");
}

/// Reviewers who are alike: over a thousand pages of 35 places about one in twenty shows one that stands apart.
#[test]
fn about_one_page_in_twenty_shows_a_place_apart_by_chance() {
    let mut chance = ChaCha8Rng::seed_from_u64(7);
    let mut page = || {
        let rows: Vec<Row> = (0..7)
            .map(|_| {
                let tables = (0..40)
                    .map(|_| {
                        std::array::from_fn(|f| if f < 5 { f64::from(chance.random_range(-2..=2)) / 4.0 } else { 0.0 })
                    })
                    .collect();
                Row { tables, findings: [40; 6] }
            })
            .collect();
        places(&rows).iter().any(|p| p.fields.iter().any(|c| c.apart))
    };
    let shown = (0..1000).filter(|_| page()).count();
    assert!((25..=85).contains(&shown), "{shown} of 1000 pages");
}

fn twice(first: Way, second: Way) -> Twice {
    Twice { pattern: "a/b/".into(), first, second, same: first == second }
}

#[test]
fn agreement_is_what_the_random_pairs_say() {
    let ways = [Way::Less, Way::Proposed, Way::More];
    let counts = [[4, 2, 0], [1, 10, 2], [0, 1, 5]];
    let each = (0..9).flat_map(|n| std::iter::repeat_n(twice(ways[n / 3], ways[n % 3]), counts[n / 3][n % 3]));
    let mut decided: Vec<Twice> = each.collect();
    let differences = [0.0, 0.25, -0.25, 0.0, 0.5, 0.0, -0.5, 0.0, 0.25, 0.0];
    let mut pairs: Vec<Pair> =
        differences.iter().map(|d| Pair { first: 15.0, second: 15.0 + d, random: true, twice: Vec::new() }).collect();
    while let Some(one) = decided.pop() {
        let at = decided.len() % pairs.len();
        pairs[at].twice.push(one);
    }
    // One that was chosen because it hangs on a decision is not counted.
    pairs.push(Pair { first: 1.0, second: 20.0, random: false, twice: vec![twice(Way::Less, Way::More); 50] });
    let a = Agreement::of(&pairs).expect("enough pairs");
    assert_eq!((a.pairs, a.close, a.findings, a.same), (10, 8, 25, 19));
    let near = |got: f64, want: f64| assert!((got - want).abs() < 1e-4, "{got} is not {want}");
    near(a.mean, 0.025);
    near(a.mean_in.1 - a.mean, 0.196813);
    near(a.limits.0, -0.514247);
    near(a.limits.1, 0.564247);
    near(a.limit_half, 0.340891);
    near(a.kappa.expect("a kappa"), 0.671053);
    let (from, to) = a.kappa_in.expect("an interval");
    assert!(from < 0.671053 && 0.671053 < to && from > 0.2 && to < 0.95, "{from} to {to}");
    assert_eq!(Agreement::of(&pairs[3..]), None, "seven random pairs are too few");
    // Everybody takes everything as proposed: there is nothing to disagree on.
    let calm: Vec<Pair> = (0..8)
        .map(|_| Pair { first: 9.0, second: 9.0, random: true, twice: vec![twice(Way::Proposed, Way::Proposed)] })
        .collect();
    assert_eq!(Agreement::of(&calm).map(|a| (a.kappa, a.mean, a.limits)), Some((None, 0.0, (0.0, 0.0))));
}

#[test]
fn findings_that_one_of_two_changed_or_both_had_to_decide_are_compared() {
    let p = protocol(ECHO);
    let plain = run(&[], &[]);
    let (slip, cost) = costly(&plain, "slip");
    let (bare, _) = costly(&plain, "missing-result");
    let first = run(&[], &[decide(&slip, Action::Accept), decide(&bare, Action::Forgive)]);
    let second = run(&[], &[decide(&slip, Action::Points(cost + Decimal::ONE))]);
    let both = alike(&p, &first, &second);
    let of = |code: &str| both.iter().find(|t| t.pattern.starts_with(code)).expect("compared");
    assert_eq!((of("slip/").first, of("slip/").second, of("slip/").same), (Way::Proposed, Way::More, false));
    assert_eq!(
        (of("missing-result").first, of("missing-result").second, of("missing-result").same),
        (Way::Less, Way::Proposed, false)
    );
    let quiet = alike(&p, &plain, &plain);
    assert!(quiet.iter().all(|t| t.same) && quiet.len() < plain.findings.len(), "{quiet:?}");
}
