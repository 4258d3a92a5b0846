//! Summaries and lines against public reference data sets and data whose exact answers are known by whole-number
//! arithmetic. The reference sets (univariate: the four "NumAcc" sets; linear: Norris, NoInt1, NoInt2; curves: Misra1a, DanWood, of the Statistical
//! Reference Datasets of the United States' institute of standards) are checked here against exact arithmetic first: a
//! digit misremembered would show.
#![allow(missing_docs)]

use jurado_core::stats::{least_squares, line, summary};

/// Correct decimal digits.
fn digits(got: f64, want: f64) -> f64 {
    if got == want { 16.0 } else { -((got - want).abs() / want.abs()).log10() }
}

/// Mean and standard deviation of whole numbers over a scale, exactly but for the last division.
fn exact_summary(values: &[i128], scale: f64) -> (f64, f64) {
    let n = values.len() as i128;
    let sum: i128 = values.iter().sum();
    let squares: i128 = values.iter().map(|v| v * v).sum();
    // s² = (nΣx² − (Σx)²)/(n(n − 1)), in whole numbers to the end.
    let variance = (n * squares - sum * sum) as f64 / (n * (n - 1)) as f64;
    // The mean in two parts: the whole part and the rest, so that no digit is lost before the last rounding.
    (((sum / n) as f64 + (sum % n) as f64 / n as f64) / scale, variance.sqrt() / scale)
}

#[test]
fn summaries_keep_ten_digits_and_seven_on_the_hardest() {
    let alternating = |middle: i128| -> Vec<i128> {
        std::iter::once(middle).chain((0..1000).map(|i| if i % 2 == 0 { middle - 1 } else { middle + 1 })).collect()
    };
    // name, values in units of 1/scale, scale, certified mean, certified sd, digits of mean, digits of sd
    let cases = [
        ("NumAcc1", vec![10_000_001, 10_000_003, 10_000_002], 1.0, 10_000_002.0, 1.0, 10.0, 10.0),
        ("NumAcc2", alternating(12), 10.0, 1.2, 0.1, 10.0, 10.0),
        ("NumAcc3", alternating(10_000_002), 10.0, 1_000_000.2, 0.1, 10.0, 8.0),
        // In binary 10 000 000.2 itself has lost nine digits of what its neighbours differ by.
        ("NumAcc4", alternating(100_000_002), 10.0, 10_000_000.2, 0.1, 10.0, 7.0),
        ("tenths near a million millions", alternating(10_000_000_000_005), 10.0, 1_000_000_000_000.5, 0.1, 10.0, 2.0),
        ("halves near a million millions", alternating(2_000_000_000_001), 2.0, 1_000_000_000_000.5, 0.5, 10.0, 10.0),
    ];
    for (name, values, scale, mean, sd, mean_digits, sd_digits) in cases {
        let (exact_mean, exact_sd) = exact_summary(&values, scale);
        assert!(digits(exact_mean, mean) > 14.0 && digits(exact_sd, sd) > 14.0, "{name}: the certified values");
        let floats: Vec<f64> = values.iter().map(|v| *v as f64 / scale).collect();
        let s = summary(&floats).expect("values");
        let (m, d) = (digits(s.mean, mean), digits(s.sd.expect("many"), sd));
        println!("{name}: mean {m:.1} digits, sd {d:.1} digits");
        assert!(m >= mean_digits && d >= sd_digits, "{name}: {m:.1} and {d:.1} digits");
    }
}

/// Slope, intercept, their standard errors and the residual sd of whole numbers over a scale.
struct Exact {
    slope: f64,
    intercept: f64,
    slope_error: f64,
    intercept_error: f64,
    residual_sd: f64,
}

fn exact_line(x: &[i128], y: &[i128], scale: f64, through_origin: bool) -> Exact {
    let n = x.len() as i128;
    let sum = |v: &[i128]| v.iter().sum::<i128>();
    let dot = |a: &[i128], b: &[i128]| a.iter().zip(b).map(|(a, b)| a * b).sum::<i128>();
    if through_origin {
        let (xx, xy, yy) = (dot(x, x), dot(x, y), dot(y, y));
        // RSS = (Σy²Σx² − (Σxy)²)/Σx².
        let rss = (yy * xx - xy * xy) as f64 / xx as f64;
        let s = (rss / (n - 1) as f64).sqrt();
        return Exact {
            slope: xy as f64 / xx as f64,
            intercept: 0.0,
            slope_error: s / (xx as f64).sqrt(),
            intercept_error: 0.0,
            residual_sd: s / scale,
        };
    }
    let (sx, sy) = (sum(x), sum(y));
    let (sxx, sxy, syy) = (n * dot(x, x) - sx * sx, n * dot(x, y) - sx * sy, n * dot(y, y) - sy * sy);
    let rss = (syy * sxx - sxy * sxy) as f64 / (n * sxx) as f64;
    let s = (rss / (n - 2) as f64).sqrt();
    // a = (Σy Sxx − Σx Sxy)/(n Sxx).
    Exact {
        slope: sxy as f64 / sxx as f64,
        intercept: (sy * sxx - sx * sxy) as f64 / (n * sxx) as f64 / scale,
        slope_error: s / (sxx as f64 / n as f64).sqrt(),
        intercept_error: s * (dot(x, x) as f64 / sxx as f64).sqrt() / scale,
        residual_sd: s / scale,
    }
}

/// Norris: instrument against reference, in tenths.
const NORRIS: [(i128, i128); 36] = [
    (2, 1),
    (3374, 3388),
    (1182, 1181),
    (8846, 8880),
    (101, 92),
    (2265, 2281),
    (6663, 6685),
    (9963, 9985),
    (4486, 4491),
    (7770, 7789),
    (5582, 5592),
    (4, 3),
    (6, 1),
    (7755, 7781),
    (6669, 6688),
    (3380, 3393),
    (4475, 4489),
    (116, 108),
    (5560, 5577),
    (2281, 2283),
    (9958, 9980),
    (8876, 8888),
    (1202, 1196),
    (3, 3),
    (3, 6),
    (5568, 5576),
    (3391, 3393),
    (8872, 8880),
    (9990, 9985),
    (7790, 7789),
    (111, 102),
    (1183, 1176),
    (2292, 2289),
    (6691, 6684),
    (4489, 4492),
    (5, 2),
];

#[test]
fn lines_keep_ten_digits_and_seven_on_the_hardest() {
    let norris: (Vec<i128>, Vec<i128>) = NORRIS.iter().copied().unzip();
    let no_int1: (Vec<i128>, Vec<i128>) = ((60..=70).collect(), (130..=140).collect());
    let far: (Vec<i128>, Vec<i128>) = (
        (0..25).map(|i| 1_000_000_000 + 7 * i).collect(),
        (0..25).map(|i| 3_000_000_000 + 21 * i + (i * i) % 5).collect(),
    );
    // name, (x, y), scale, through the origin, certified slope and residual sd, digits
    for (name, (x, y), scale, origin, certified, least) in [
        ("Norris", &norris, 10.0, false, Some((1.002_116_818_020_45, 0.884_796_396_144_373)), 10.0),
        ("NoInt1", &no_int1, 1.0, true, Some((2.074_380_165_289_26, 3.567_530_340_063_38)), 10.0),
        (
            "NoInt2",
            &(vec![4, 5, 6], vec![3, 4, 4]),
            1.0,
            true,
            Some((0.727_272_727_272_727, 0.369_274_472_937_998)),
            10.0,
        ),
        ("far from nought", &far, 1.0, false, None, 7.0),
    ] {
        let exact = exact_line(x, y, scale, origin);
        if let Some((slope, sd)) = certified {
            assert!(
                digits(exact.slope, slope) > 13.0 && digits(exact.residual_sd, sd) > 13.0,
                "{name}: the certified values"
            );
        }
        let floats = |v: &[i128]| v.iter().map(|v| *v as f64 / scale).collect::<Vec<f64>>();
        let fit = line(&floats(x), &floats(y), None, origin).expect("a line");
        let mut all = vec![
            ("slope", digits(fit.slope, exact.slope)),
            ("its error", digits(fit.slope_error.expect("spare"), exact.slope_error)),
            ("residual sd", digits(fit.residual_sd.expect("spare"), exact.residual_sd)),
        ];
        if !origin {
            all.push(("intercept", digits(fit.intercept, exact.intercept)));
            all.push(("its error", digits(fit.intercept_error.expect("spare"), exact.intercept_error)));
        }
        for (what, d) in all {
            println!("{name}: {what} {d:.1} digits");
            assert!(d >= least, "{name}: {what} has {d:.1} digits");
        }
    }
}

#[test]
fn equal_weights_change_nothing_and_weights_are_repetitions() {
    let (x, y) = ([1.0, 2.0, 4.0, 7.0], [2.2, 3.9, 8.3, 13.8]);
    let plain = line(&x, &y, None, false).expect("a line");
    let even = line(&x, &y, Some(&[3.0; 4]), false).expect("a line");
    assert!((plain.slope - even.slope).abs() < 1e-14 && (plain.intercept - even.intercept).abs() < 1e-14);
    let twice = line(&[1.0, 2.0, 4.0, 7.0, 7.0], &[2.2, 3.9, 8.3, 13.8, 13.8], None, false).expect("a line");
    let heavy = line(&x, &y, Some(&[1.0, 1.0, 1.0, 2.0]), false).expect("a line");
    assert!((twice.slope - heavy.slope).abs() < 1e-14 && (twice.intercept - heavy.intercept).abs() < 1e-14);
}

/// The certified parameters, their standard errors and the residual standard deviation, from both certified starts.
#[test]
fn curves_keep_eight_digits() {
    let misra = (
        vec![77.6, 114.9, 141.1, 190.8, 239.9, 289.0, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760.0],
        vec![10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.40, 75.47, 81.78],
    );
    let wood = (vec![1.309, 1.471, 1.490, 1.565, 1.611, 1.680], vec![2.138, 3.421, 3.597, 4.340, 4.882, 5.660]);
    type Law = fn(f64, &[f64]) -> f64;
    let saturating: Law = |x, p| p[0] * (1.0 - (-p[1] * x).exp());
    let power: Law = |x, p| p[0] * x.powf(p[1]);
    let cases = [
        (
            "Misra1a",
            &misra,
            saturating,
            [[500.0, 0.0001], [250.0, 0.0005]],
            [2.3894212918e+02, 5.5015643181e-04],
            [2.7070075241, 7.2668688436e-06],
            1.0187876330e-01,
        ),
        (
            "DanWood",
            &wood,
            power,
            [[1.0, 5.0], [0.7, 4.0]],
            [7.6886226176e-01, 3.8604055871],
            [1.8281973860e-02, 5.1726610913e-02],
            3.2853114039e-02,
        ),
    ];
    for (name, (x, y), law, starts, parameters, errors, residual_sd) in cases {
        for start in starts {
            let model = |p: &[f64]| Some(x.iter().map(|x| law(*x, p)).collect());
            let fit = least_squares(&model, y, &start).unwrap_or_else(|e| panic!("{name}: {e}"));
            let spread = fit.residual_sd.expect("more points than parameters");
            let got = fit.errors.as_ref().expect("errors");
            let worst = (0..2)
                .flat_map(|k| [digits(fit.parameters[k], parameters[k]), digits(got[k], errors[k])])
                .chain([digits(spread, residual_sd)])
                .fold(16.0, f64::min);
            println!("{name} from {start:?}: {worst:.1} digits");
            assert!(worst >= 8.0, "{name} from {start:?}: {worst:.1} digits: {fit:?}");
            // Each parameter follows each value as it does when the value is moved and all is fitted anew.
            let mut moved = y.clone();
            moved[2] += 1e-4;
            let again = least_squares(&model, &moved, &start).unwrap_or_else(|e| panic!("{name}: {e}"));
            for k in 0..2 {
                let by = (again.parameters[k] - fit.parameters[k]) / 1e-4;
                assert!((by / fit.influence[k][2] - 1.0).abs() < 0.02, "{name}: {by} and {}", fit.influence[k][2]);
            }
        }
    }
}
