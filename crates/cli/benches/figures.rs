//! The figures of the judging specification, section 11, printed. `cargo bench -p jurado-cli --bench figures`
//!
//! The forward simulation of people at work is the sim crate's; what is planted here beside it are mistakes that no
//! hypothesis models, honest styles of writing numbers down, and readings by chance.
#![allow(missing_docs)]

mod shared;

use std::time::Instant;

use jurado_core::finding::Kind;
use jurado_core::formula::value::StepRounding;
use jurado_core::formula::{Context, Value, evaluate};
use jurado_core::judging::judge;
use jurado_core::protocol::ItemId;
use jurado_core::protocol::{ItemKind, Protocol, SlipKind};
use jurado_core::reading::{CellKind, Hints, read};
use jurado_core::stats::{Confidence, dixon, generalised_esd, grubbs, known_repeatability, modified_z};
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::verdict::{Judged, VerdictKind};
use jurado_sim::{Plant, class_of};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use shared::{normal, percent};

const KEEL: &str = include_str!("../../../crates/core/tests/labs/plate-and-disc.toml");

fn main() {
    let protocol = Protocol::parse(KEEL).expect("the shipped protocol");
    planted(&protocol);
    calibration(&protocol);
    // The weights are data: with as many unmodelled failures as there are here.
    let text = KEEL.replace("[school]", "[school]\nunexplained = 0.5");
    println!("and with `unexplained` re-estimated for such a class, 0.5:");
    calibration(&Protocol::parse(&text).expect("the shipped protocol"));
    honest(&protocol);
    outliers();
    times();
}

/// Single slips: the planted kind within the first class, exactly, and what follows from it charged again.
fn planted(protocol: &Protocol) {
    let (mut all, mut within, mut exact, mut followers, mut again) = (0, 0, 0, 0, 0);
    for plant in Plant::SLIPS {
        for table in class_of(plant, 300, 4711) {
            let judged = judge(protocol, &table.submission, &[], &[]);
            let Some(item) = table.item.as_deref().and_then(|i| protocol.item(i)) else { continue };
            let word = table.slip.as_deref().unwrap_or("");
            let slip = judged.results.iter().find(|r| r.item == item).filter(|r| r.verdict == VerdictKind::Slip);
            let slip = slip.and_then(|r| r.slip.as_ref());
            all += 1;
            exact += usize::from(slip.is_some_and(|s| s.kind.word() == word));
            within +=
                usize::from(slip.is_some_and(|s| s.kind.word() == word || s.alike.iter().any(|k| k.word() == word)));
            let mut after = vec![item];
            for r in &judged.results {
                if protocol.results[r.id].upstream.iter().any(|u| after.contains(u)) {
                    after.push(r.item);
                    followers += 1;
                    again += usize::from(matches!(r.verdict, VerdictKind::Slip | VerdictKind::Unexplained));
                }
            }
        }
    }
    println!(
        "planted single slips ({all}): within the first class {:.1} %, exactly {:.1} %",
        percent(within, all),
        percent(exact, all)
    );
    println!("what follows from them ({followers}): charged again {:.2} %", percent(again, followers));
}

/// Tables with one mistaken result and everything after it worked out from that: half of them slips, half something
/// that no hypothesis models. Stated probability against the share that is right, in tenths.
fn calibration(protocol: &Protocol) {
    let mut chance = ChaCha8Rng::seed_from_u64(99);
    let mut said: Vec<(f64, bool)> = Vec::new();
    // Slips as often as their kinds are taken to be, those among the readings and in the columns included.
    let of_kind =
        |word: &str| -> Vec<Plant> { Plant::SLIPS.iter().copied().filter(|p| p.truth().1 == Some(word)).collect() };
    let kinds: Vec<(SlipKind, Vec<Plant>)> = SlipKind::all().map(|k| (k.clone(), of_kind(k.word()))).collect();
    let mut n = 0;
    for (kind, plants) in &kinds {
        let cases = (kind.weight(1) * 6000.0) as u64;
        for i in 0..cases {
            n += 1;
            let seed = 10_000 + n;
            match (kind, plants.get(i as usize % plants.len().max(1))) {
                (SlipKind::ReadingMistyped, _) => mistyped(protocol, seed, &mut chance, &mut said),
                (SlipKind::Exclusion, _) => dropped(protocol, seed, &mut chance, &mut said),
                (SlipKind::DigitWrong | SlipKind::DigitsSwapped | SlipKind::DecimalPoint | SlipKind::UnitFactor, _) => {
                    miswritten(protocol, seed, kind, &mut chance, &mut said);
                }
                (_, Some(plant)) => {
                    let table = &class_of(*plant, 1, seed)[0];
                    let item = table.item.as_deref().and_then(|i| protocol.item(i));
                    let judged = judge(protocol, &table.submission, &[], &[]);
                    collect(&judged, item, |kinds| kinds.contains(&kind.word()), &mut said);
                }
                // A kind this lab does not invite.
                _ => {}
            }
        }
    }
    println!("(planted: {} failures)", said.len());
    let modelled = said.len();
    for (n, right) in class_of(Plant::None, modelled, 77).iter().enumerate() {
        let clean = judge(protocol, &right.submission, &[], &[]);
        let item = protocol.item(RESULTS[n % RESULTS.len()]).expect("a result");
        let Some(c) = clean.results.iter().find(|r| r.item == item).and_then(|r| r.clean) else { continue };
        // Half close by, half anywhere over six decades.
        let factor = if chance.random_bool(0.5) {
            let size = -0.15 * chance.random::<f64>().max(1e-300).ln();
            (if chance.random_bool(0.5) { size } else { -size }).exp()
        } else {
            10f64.powf(chance.random_range(-3.0..3.0))
        };
        let id = &protocol.items[item].id;
        let Some(table) = follow(protocol, &right.submission, id, c * factor) else { continue };
        let judged = judge(protocol, &table, &[], &[]);
        collect(&judged, Some(item), |_| false, &mut said);
    }
    println!("stated probability against share right, three or more figures, half of the failures unmodelled:");
    let mut worst: f64 = 0.0;
    for tenth in 0..10 {
        let (low, high) = (f64::from(tenth) / 10.0, f64::from(tenth + 1) / 10.0);
        let mine: Vec<&(f64, bool)> =
            said.iter().filter(|(p, _)| *p >= low && (*p < high || (tenth == 9 && *p <= 1.0))).collect();
        if mine.len() < 30 {
            println!("  {low:.1}–{high:.1}: {} cases, too few to tell", mine.len());
            continue;
        }
        let mean = mine.iter().map(|(p, _)| p).sum::<f64>() / mine.len() as f64;
        let right = mine.iter().filter(|(_, r)| *r).count() as f64 / mine.len() as f64;
        worst = worst.max((mean - right).abs());
        println!("  {low:.1}–{high:.1}: {:5} cases, stated {mean:.3}, right {right:.3}", mine.len());
    }
    let sure: Vec<&(f64, bool)> = said.iter().filter(|(p, _)| *p >= 0.95).collect();
    let right = sure.iter().filter(|(_, r)| *r).count();
    println!("  farthest apart {worst:.3}; “95 % sure” right {:.1} % of {}", percent(right, sure.len()), sure.len());
}

/// Results of three figures and more.
const RESULTS: [&str; 6] =
    ["plate_volume", "disc_volume", "plate_density", "disc_density", "disc_diameter_mean", "disc_thickness_mean"];

/// A right value written down wrongly, or left in another unit; what follows is worked out from what was written.
fn miswritten(protocol: &Protocol, seed: u64, kind: &SlipKind, chance: &mut ChaCha8Rng, said: &mut Vec<(f64, bool)>) {
    let table = &class_of(Plant::None, 1, seed)[0].submission;
    let id = RESULTS[chance.random_range(0..RESULTS.len())];
    let item = protocol.item(id).expect("a result");
    let right = judge(protocol, table, &[], &[]);
    let Some(r) = right.results.iter().find(|r| r.item == item) else { return };
    let Some(c) = r.clean else { return };
    let text = figures(c, r.deserved.max(3));
    let mut chars: Vec<char> = text.chars().collect();
    let digits: Vec<usize> = (0..chars.len()).filter(|i| chars[*i].is_ascii_digit()).collect();
    match kind {
        SlipKind::DigitWrong => {
            // Never the last: that is rounding.
            let at = digits[chance.random_range(0..digits.len() - 1)];
            chars[at] = char::from(b'0' + chance.random_range(0..10u8));
        }
        SlipKind::DigitsSwapped => {
            let at = chance.random_range(0..digits.len() - 1);
            chars.swap(digits[at], digits[at + 1]);
        }
        _ => {}
    }
    let mut written: String = chars.iter().collect();
    match kind {
        SlipKind::DecimalPoint => {
            written = figures(c * [10.0, 0.1, 100.0, 0.01][chance.random_range(0..4)], r.deserved.max(3));
        }
        SlipKind::UnitFactor => {
            let factors: &[f64] = match id {
                "disc_diameter_mean" | "disc_thickness_mean" => &[0.1, 10.0, 1e-3, 25.4, 1.0 / 25.4, 2.54],
                "plate_volume" | "disc_volume" => &[1e3, 1e-3, 1e-6, 16.387_064, 1.0 / 16.387_064, 10.0],
                _ => &[1e3, 1e-3, 1e6, 1e-6, 10.0, 0.1],
            };
            written = figures(c * factors[chance.random_range(0..factors.len())], r.deserved.max(3));
        }
        _ => {}
    }
    let Some(wrong) = follow_typed(protocol, table, id, &written) else { return };
    let judged = judge(protocol, &wrong, &[], &[]);
    if judged.results.iter().any(|r| r.item == item && r.slip.is_some()) {
        collect(&judged, Some(item), |kinds| kinds.contains(&kind.word()), said);
    }
}

/// A slip of the pen in one reading of a right table: two digits swapped, one digit wrong, or the point moved.
fn mistyped(protocol: &Protocol, seed: u64, chance: &mut ChaCha8Rng, said: &mut Vec<(f64, bool)>) {
    let table = &class_of(Plant::None, 1, seed)[0].submission;
    let places = [
        ("plate_length", "plate_volume"),
        ("plate_width", "plate_volume"),
        ("plate_mass", "plate_density"),
        ("disc_mass", "disc_density"),
        ("disc_diameter", "disc_diameter_mean"),
    ];
    let (reading, result) = places[chance.random_range(0..places.len())];
    let mut wrong = table.clone();
    let Some(cell) = wrong.cells.iter_mut().find(|c| c.item == reading) else { return };
    let mut text: Vec<char> = cell.value.chars().collect();
    let digits: Vec<usize> = (0..text.len()).filter(|i| text[*i].is_ascii_digit()).collect();
    // Any one edit as likely as any other: far more of them make a digit wrong.
    match chance.random_range(0..44) {
        0..4 => {
            let i = chance.random_range(0..digits.len() - 1);
            text.swap(digits[i], digits[i + 1]);
        }
        4..40 => {
            let i = digits[chance.random_range(0..digits.len())];
            text[i] = char::from(b'0' + chance.random_range(0..10u8));
        }
        _ => {
            let Some(point) = text.iter().position(|c| *c == '.') else { return };
            text.swap(point, if chance.random_bool(0.5) { point - 1 } else { point + 1 });
        }
    }
    let text: String = text.into_iter().collect();
    if text == cell.value || text.starts_with('.') || text.ends_with('.') {
        return;
    }
    cell.value = text;
    let judged = judge(protocol, &wrong, &[], &[]);
    // Once repaired, its chance stands in the finding; the verdict no longer has a story.
    let repair = judged.findings.iter().find_map(|f| match f.kind {
        Kind::Repair { probability, .. } => Some((probability, f.place.item)),
        _ => None,
    });
    match repair {
        Some((probability, item)) => said.push((probability, item == protocol.item(reading))),
        None => collect(&judged, protocol.item(result), |kinds| kinds.contains(&"reading-mistyped"), said),
    }
}

/// One replicate dropped from a mean without a word.
fn dropped(protocol: &Protocol, seed: u64, chance: &mut ChaCha8Rng, said: &mut Vec<(f64, bool)>) {
    let table = &class_of(Plant::None, 1, seed)[0].submission;
    let values: Vec<f64> =
        table.cells.iter().filter(|c| c.item == "disc_diameter").filter_map(|c| c.value.parse().ok()).collect();
    let gone = chance.random_range(0..values.len());
    let rest: Vec<f64> = values.iter().enumerate().filter(|(i, _)| *i != gone).map(|(_, v)| *v).collect();
    let zero: f64 = table.cells.iter().find(|c| c.item == "zero").and_then(|c| c.value.parse().ok()).unwrap_or(0.0);
    let mean = rest.iter().sum::<f64>() / rest.len() as f64 - zero;
    let Some(wrong) = follow(protocol, table, "disc_diameter_mean", mean) else { return };
    let judged = judge(protocol, &wrong, &[], &[]);
    let item = protocol.item("disc_diameter_mean");
    // What rounding covers is no failure.
    if judged.results.iter().any(|r| Some(r.item) == item && r.slip.is_some()) {
        collect(&judged, item, |kinds| kinds.contains(&"exclusion"), said);
    }
}

fn collect(judged: &Judged, item: Option<ItemId>, right: impl Fn(&[&str]) -> bool, said: &mut Vec<(f64, bool)>) {
    let Some(r) = judged.results.iter().find(|r| Some(r.item) == item) else { return };
    let (Some(slip), Some(number)) = (&r.slip, &r.reported.number) else { return };
    if number.figures() < 3 {
        return;
    }
    let kinds: Vec<&str> = std::iter::once(slip.kind.word()).chain(slip.alike.iter().map(|k| k.word())).collect();
    said.push((slip.probability, right(&kinds)));
}

/// The table with one result replaced and the later ones worked out from it, as its team would have.
fn follow(protocol: &Protocol, table: &Submission, id: &str, value: f64) -> Option<Submission> {
    follow_typed(protocol, table, id, &figures(value, 4))
}

fn follow_typed(protocol: &Protocol, table: &Submission, id: &str, text: &str) -> Option<Submission> {
    let mut out = table.clone();
    put(&mut out, id, text);
    let mut tainted = vec![protocol.item(id)?];
    for spec in &protocol.results {
        if spec.upstream.iter().any(|u| tainted.contains(u)) {
            tainted.push(spec.item);
            let carried = judge(protocol, &out, &[], &[]).results.iter().find(|r| r.item == spec.item)?.carried?;
            put(&mut out, &protocol.items[spec.item].id, &figures(carried, 4));
        }
    }
    Some(out)
}

fn put(table: &mut Submission, id: &str, text: &str) {
    if let Some(cell) = table.cells.iter_mut().find(|c| c.item == id) {
        cell.value = text.to_owned();
    }
}

/// A value with so many figures, without powers of ten.
fn figures(value: f64, count: i32) -> String {
    let place = value.abs().log10().floor() as i32 - count + 1;
    if place <= 0 {
        format!("{value:.*}", usize::try_from(-place).unwrap_or(0))
    } else {
        let unit = 10f64.powi(place);
        format!("{:.0}", (value / unit).round() * unit)
    }
}

fn cut(value: f64, count: i32) -> String {
    let place = value.abs().log10().floor() as i32 - count + 1;
    let unit = 10f64.powi(place);
    let kept = (value / unit * (1.0 + 1e-14)).trunc() * unit;
    format!("{kept:.*}", usize::try_from(-place).unwrap_or(0))
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Style {
    FullPrecision,
    Chained,
    Mixed,
    CutOff,
    EveryStep,
    ShortPi,
    Dump,
    TrailingZeros,
}

/// Right tables written down in honest ways.
fn honest(protocol: &Protocol) {
    use Style::*;
    let (mut all, mut blamed, mut carried) = (0, 0, 0);
    for style in [FullPrecision, Chained, Mixed, CutOff, EveryStep, ShortPi, Dump, TrailingZeros] {
        let (mut n, mut bad, mut passed) = (0, 0, 0);
        let mut chance = ChaCha8Rng::seed_from_u64(5);
        for right in class_of(Plant::None, 600, 31) {
            let table = written(protocol, &right.submission, style, &mut chance);
            for r in judge(protocol, &table, &[], &[]).results {
                // A percent error that nearly cancels has one figure or none: it is judged, but says little of a style.
                n += 1;
                bad += usize::from(matches!(r.verdict, VerdictKind::Slip | VerdictKind::Unexplained));
                passed += usize::from(r.verdict == VerdictKind::Carried);
            }
        }
        println!(
            "honest, {style:?} ({n} values): slip or unexplained {:.2} %, carried {:.2} %",
            percent(bad, n),
            percent(passed, n)
        );
        (all, blamed, carried) = (all + n, blamed + bad, carried + passed);
    }
    println!(
        "honest values in all ({all}): slip or unexplained {:.3} %, carried {:.3} %",
        percent(blamed, all),
        percent(carried, all)
    );
}

fn written(protocol: &Protocol, table: &Submission, style: Style, chance: &mut ChaCha8Rng) -> Submission {
    let judged = judge(protocol, table, &[], &[]);
    let mut out = table.clone();
    // What the person goes on with: full values, or what was written down.
    let mut env: Vec<Option<Value<f64>>> = protocol
        .items
        .iter()
        .map(|item| match item.kind {
            ItemKind::Reading(r) => {
                let values: Vec<f64> =
                    judged.readings[r].cells.iter().filter_map(|c| c.value).map(|v| item.to_si(v)).collect();
                match values.as_slice() {
                    [one] if protocol.readings[r].replicates == 1 => Some(Value::Scalar(*one)),
                    _ => Some(Value::column(values)),
                }
            }
            ItemKind::Reference(r) => {
                let reference = &protocol.references[r];
                let at = reference.key.and_then(|k| table.keys.get(&protocol.keys[k].id));
                reference.entries.iter().find(|e| Some(&e.at) == at).map(|e| Value::Scalar(e.middle()))
            }
            _ => None,
        })
        .collect();
    for (spec, r) in protocol.results.iter().zip(&judged.results) {
        let item = &protocol.items[spec.item];
        let this = if style == Style::Mixed {
            [Style::FullPrecision, Style::Chained, Style::CutOff, Style::Dump][chance.random_range(0..4)]
        } else {
            style
        };
        let mut context = Context::exact(&env);
        match this {
            Style::EveryStep => context.steps = Some(StepRounding { figures: 4, cut: false }),
            #[allow(clippy::approx_constant)]
            Style::ShortPi => context.pi = 3.14,
            _ => {}
        }
        let Ok(si) = evaluate(&spec.node, &context) else { continue };
        let value = item.from_si(si);
        // At least three figures, as people keep for a percentage.
        let keep = r.deserved.max(3);
        let text = match this {
            Style::CutOff => cut(value, keep),
            Style::Dump => format!("{value:.9}"),
            // `8.410` for 8.41; of a whole number the noughts hold places.
            Style::TrailingZeros => {
                let text = figures(value, keep);
                if text.contains('.') { format!("{text}0") } else { text }
            }
            Style::EveryStep => figures(value, 4),
            _ => figures(value, keep),
        };
        put(&mut out, &item.id, &text);
        let goes_on = matches!(this, Style::Chained | Style::CutOff | Style::EveryStep);
        let kept = match read(&text, &Hints::default()).kind {
            CellKind::Number(n) if goes_on => item.to_si(n.value),
            _ => si,
        };
        env[spec.item] = Some(Value::Scalar(kept));
    }
    out
}

/// Replicates 8 standard deviations off, found; ordinary ones, false alarms, on fine and on coarse scales.
fn outliers() {
    let mut chance = ChaCha8Rng::seed_from_u64(8);
    let trials = 20_000;
    type Test = fn(&[f64], f64) -> bool;
    let tests: [(&str, usize, f64, Test); 9] = [
        ("Dixon, n = 5", 5, 5.0, |x, d| dixon(x, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())),
        ("Dixon, n = 7", 7, 5.0, |x, d| dixon(x, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())),
        ("Dixon, n = 10", 10, 5.0, |x, d| dixon(x, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())),
        ("Grubbs, n = 8", 8, 5.0, |x, d| grubbs(x, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())),
        ("Grubbs, n = 12", 12, 5.0, |x, d| grubbs(x, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())),
        ("generalised ESD, n = 12", 12, 5.0, |x, d| {
            generalised_esd(x, d, Confidence::NinetyFive).iter().any(|t| t.flagged())
        }),
        ("known repeatability, n = 3", 3, 5.0, |x, d| {
            known_repeatability(x, 1.0, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())
        }),
        ("known repeatability, n = 5", 5, 5.0, |x, d| {
            known_repeatability(x, 1.0, d, Confidence::NinetyFive).is_some_and(|t| t.flagged())
        }),
        ("modified z, n = 10 (no stated level)", 10, f64::NAN, |x, d| modified_z(x, d).is_some_and(|t| t.flagged())),
    ];
    for (name, n, level, test) in tests {
        let mut rates = Vec::new();
        for (off, step) in [(8.0, 0.0), (0.0, 0.0), (0.0, 0.5), (0.0, 1.0)] {
            let mut raised = 0;
            for _ in 0..trials {
                let mut x: Vec<f64> = (0..n).map(|_| normal(&mut chance)).collect();
                x[0] += off;
                if step > 0.0 {
                    x.iter_mut().for_each(|v| *v = (*v / step).round() * step);
                }
                raised += usize::from(test(&x, step));
            }
            rates.push(percent(raised, trials));
        }
        println!(
            "{name}: 8 sd off found {:.1} %; false alarms {:.2} % fine, {:.2} % at δ = σ/2, {:.2} % at δ = σ (level {level} %)",
            rates[0], rates[1], rates[2], rates[3]
        );
    }
}

/// Three plates and three discs on one sheet: 24 results from 61 readings.
fn threefold() -> Protocol {
    let body_from = KEEL.find("# Readings ---").expect("readings");
    let body_to = KEEL.find("# What can push").expect("causes");
    let ids = ["zero", "plate_", "disc_"];
    let copy = |n: usize| {
        let mut text = KEEL[body_from..body_to].to_owned();
        for id in ids {
            let (from, to) = if id == "zero" {
                ("zero".to_owned(), format!("zero{n}"))
            } else {
                (id.to_owned(), format!("{}{n}_", id.trim_end_matches('_')))
            };
            text = text.replace(&from, &to);
        }
        // The words of the file itself stay as they are.
        text.replace(&format!("zero{n} reading"), "zero reading").replace(&format!("\nzero{n} = true"), "\nzero = true")
    };
    let more: String = (2..=3).map(copy).collect();
    let text = format!("{}{more}{}", &KEEL[..body_to], &KEEL[body_to..])
        .replace("possible = \"20\"", "possible = \"36\"")
        .replacen("points = \"8\"\nrule = \"calculation\"", "points = \"24\"\nrule = \"calculation\"", 1);
    Protocol::parse(&text).unwrap_or_else(|f| panic!("{}", f[0]))
}

fn tripled(table: &Submission) -> Submission {
    let mut out = table.clone();
    for n in 2..=3 {
        out.cells.extend(table.cells.iter().map(|c| SubmittedCell {
            item: if c.item == "zero" { format!("zero{n}") } else { c.item.replacen('_', &format!("{n}_"), 1) },
            ..c.clone()
        }));
    }
    out
}

fn times() {
    let protocol = threefold();
    let demo: Vec<Submission> = jurado_sim::demo_class(1871).class.iter().map(|t| tripled(&t.submission)).collect();
    let mut micros: Vec<f64> = Vec::new();
    for round in 0..60 {
        for table in &demo {
            let start = Instant::now();
            std::hint::black_box(judge(&protocol, std::hint::black_box(table), &[], &[]));
            if round > 0 {
                micros.push(start.elapsed().as_secs_f64() * 1e6);
            }
        }
    }
    micros.sort_by(f64::total_cmp);
    let at = |share: f64| micros[((micros.len() - 1) as f64 * share) as usize];
    println!(
        "one submission of {} results, diagnosis included: median {:.0} µs, p95 {:.0} µs ({} judgements)",
        protocol.results.len(),
        at(0.5),
        at(0.95),
        micros.len()
    );
}
