//! Sections as laboratories, teams as their replicates.

use statrs::distribution::{ContinuousCDF, FisherSnedecor, StudentsT};

use crate::stats::summary;

/// Mandel's figures of one section.
#[derive(Clone, Debug, PartialEq)]
pub struct MandelRow {
    /// Name of the section.
    pub section: String,
    /// How many of its teams have the result.
    pub count: usize,
    /// Mean of its teams.
    pub mean: f64,
    /// h: how far its mean stands from the mean of means, in their standard deviations.
    pub h: f64,
    /// k: its spread over the pooled spread; `None` for a section of one team.
    pub k: Option<f64>,
    /// Limits of k for a section of this size, at 5 % and at 1 %.
    pub k_limits: Option<[f64; 2]>,
}

/// Mandel's h and k over sections.
#[derive(Clone, Debug, PartialEq)]
pub struct Mandel {
    /// A row per section, in the order given.
    pub rows: Vec<MandelRow>,
    /// Limits of h at 5 % and at 1 %.
    pub h_limits: [f64; 2],
}

/// Mandel's h and k; `None` for fewer than three sections, or where all means are alike.
///
/// Sections may be of different sizes. One with a single team has a mean and no spread.
///
/// # Example
/// ```
/// use jurado_core::class::mandel;
/// let section = |name: &str, mean: f64| (name.to_owned(), vec![mean - 0.02, mean, mean + 0.02]);
/// let names = ["Morning", "Forenoon", "Afternoon", "Evening"];
/// let mut sections: Vec<(String, Vec<f64>)> = names.iter().map(|n| section(n, 8.50)).collect();
/// sections[1].1 = vec![8.46, 8.50, 8.54];
/// sections[3].1 = vec![8.88, 8.90, 8.92];
/// let mandel = mandel(&sections).expect("four sections");
/// // The evening's mean stands apart from the others, and its spread does not.
/// assert!(mandel.rows[3].h > mandel.h_limits[0]);
/// assert!(mandel.rows[3].k < mandel.rows[1].k);
/// ```
///
/// # Formula
/// h = (x̄ᵢ − x̿)/s(x̄); |h| against (p − 1)t/√(p(t² + p − 2)), t at 1 − α/2 with p − 2 degrees of
/// freedom. kᵢ = sᵢ/√(Σνⱼsⱼ²/Σνⱼ). With ν = Σνⱼ, sᵢ²/pooled rest follows F(νᵢ, ν − νᵢ), so that k²
/// = ν/(νᵢ + (ν − νᵢ)/F): for equal sections √(p/(1 + (p − 1)/F)).
///
/// # Source
/// ISO 5725-2:2019, 7.3.1; the limit of k for sections of unequal size follows from the same ratio
/// of variances.
pub fn mandel(sections: &[(String, Vec<f64>)]) -> Option<Mandel> {
    let p = sections.len();
    if p < 3 || sections.iter().any(|(_, v)| v.is_empty()) {
        return None;
    }
    let summaries: Vec<(f64, Option<f64>, f64)> =
        sections.iter().filter_map(|(_, v)| summary(v).map(|s| (s.mean, s.sd, (v.len() - 1) as f64))).collect();
    let means: Vec<f64> = summaries.iter().map(|s| s.0).collect();
    let of_means = summary(&means)?;
    let spread = of_means.sd.filter(|s| *s > 0.0)?;
    let freedom: f64 = summaries.iter().map(|s| s.2).sum();
    let pooled = (summaries.iter().map(|s| s.2 * s.1.unwrap_or(0.0).powi(2)).sum::<f64>() / freedom).sqrt();
    let (n, t_freedom) = (p as f64, p as f64 - 2.0);
    let h_limit = |alpha: f64| {
        let t = StudentsT::new(0.0, 1.0, t_freedom).ok()?.inverse_cdf(1.0 - alpha / 2.0);
        Some((n - 1.0) * t / (n * (t * t + n - 2.0)).sqrt())
    };
    let rows = sections
        .iter()
        .zip(&summaries)
        .map(|((section, values), (mean, sd, own))| {
            let k = sd.filter(|_| pooled > 0.0 && *own > 0.0).map(|s| s / pooled);
            let limit = |alpha: f64| {
                let f = FisherSnedecor::new(*own, freedom - own).ok()?.inverse_cdf(1.0 - alpha);
                Some((freedom / (own + (freedom - own) / f)).sqrt())
            };
            let k_limits = k.filter(|_| freedom > *own).and_then(|_| Some([limit(0.05)?, limit(0.01)?]));
            MandelRow {
                section: section.clone(),
                count: values.len(),
                mean: *mean,
                h: (mean - of_means.mean) / spread,
                k,
                k_limits,
            }
        })
        .collect();
    Some(Mandel { rows, h_limits: [h_limit(0.05)?, h_limit(0.01)?] })
}

/// Cochran's test of the largest variance.
#[derive(Clone, Debug, PartialEq)]
pub struct Cochran {
    /// s²max/Σs².
    pub statistic: f64,
    /// Limit at 5 %.
    pub critical: f64,
    /// Name of the section whose variance is the greatest.
    pub section: String,
}

/// Cochran's test; `None` for fewer than two sections with a spread. Of unequal sizes the usual
/// size counts (ISO 5725-2).
///
/// # Formula
/// C = s²max/Σs² against 1/(1 + (p − 1)/F), F at 1 − α/p with n − 1 and (p − 1)(n − 1) degrees of
/// freedom.
///
/// # Source
/// ISO 5725-2:2019, 7.3.3.
///
/// # Example
/// ```
/// use jurado_core::class::cochran;
/// let quiet = |m: f64| vec![m, m + 0.01, m - 0.01, m];
/// let mut sections: Vec<(String, Vec<f64>)> = (0..5).map(|n| (format!("Section {n}"), quiet(8.5))).collect();
/// sections[3].1 = vec![8.1, 8.9, 8.3, 8.7];
/// let found = cochran(&sections).expect("five sections of four");
/// assert!(found.statistic > found.critical);
/// ```
pub fn cochran(sections: &[(String, Vec<f64>)]) -> Option<Cochran> {
    let spread: Vec<(&String, f64, usize)> = sections
        .iter()
        .filter(|(_, v)| v.len() > 1)
        .filter_map(|(s, v)| Some((s, summary(v)?.sd?.powi(2), v.len())))
        .collect();
    let total: f64 = spread.iter().map(|s| s.1).sum();
    if spread.len() < 2 || total <= 0.0 {
        return None;
    }
    let (section, largest, _) = spread.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let mut sizes: Vec<usize> = spread.iter().map(|s| s.2).collect();
    sizes.sort_unstable();
    let usual = sizes[sizes.len() / 2] as f64;
    let p = spread.len() as f64;
    let f = FisherSnedecor::new(usual - 1.0, (p - 1.0) * (usual - 1.0)).ok()?.inverse_cdf(1.0 - 0.05 / p);
    Some(Cochran { statistic: largest / total, critical: 1.0 / (1.0 + (p - 1.0) / f), section: (*section).clone() })
}
