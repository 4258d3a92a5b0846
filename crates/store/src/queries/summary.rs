//! What the Docket shows of a verdict: counted, worded and drawn once, when the verdict changes.

use jurado_core::judging::hanging;
use jurado_core::quantity::power_of_ten;
use jurado_core::verdict::{Judged, VerdictKind};

/// The Docket's view of one verdict.
pub(crate) struct Summary {
    pub(crate) awarded: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) open: u32,
    pub(crate) hanging: String,
    /// Word of the verdict that most wants a person.
    pub(crate) mark: &'static str,
    /// One sentence on why.
    pub(crate) headline: String,
    /// Distance of each result in units of its last digit, `;` between, `-` where there is none.
    pub(crate) profile: String,
}

impl Summary {
    pub(crate) fn of(judged: &Judged) -> Summary {
        let open: Vec<_> = judged.findings.iter().filter(|f| f.open()).collect();
        let worst = open.iter().max_by_key(|f| (f.hangs, std::cmp::Reverse(f.item)));
        let mark = worst.map_or_else(
            || {
                judged
                    .findings
                    .iter()
                    .find(|f| f.fragile.is_some() && f.decision.is_none())
                    .map_or("agrees", |_| "hangs")
            },
            |f| match f.code {
                "slip" => "slip",
                "unexplained" | "ambiguous" => "unexplained",
                "unreadable" | "bound" => "unreadable",
                "outlier-kept" | "exclusion-unsupported" => "apart",
                "accuracy-unchecked" | "precision-unchecked" => "unchecked",
                "duplicate" | "implausible" => "unexplained",
                _ => "hangs",
            },
        );
        let headline = match worst {
            Some(f) => f.brief.clone(),
            None => judged
                .findings
                .iter()
                .find(|f| f.cost > rust_decimal::Decimal::ZERO)
                .map_or_else(|| "Nothing to decide.".to_owned(), |f| f.brief.clone()),
        };
        let profile: Vec<String> =
            judged.results.iter().map(|r| distance(r).map_or_else(|| "-".to_owned(), |d| format!("{d:.2}"))).collect();
        Summary {
            awarded: judged.score.awarded.normalize().to_string(),
            decided: judged.score.decided.normalize().to_string(),
            possible: judged.score.possible.normalize().to_string(),
            open: open.len() as u32,
            hanging: hanging(judged).normalize().to_string(),
            mark,
            headline: headline.chars().take(390).collect(),
            profile: profile.join(";").chars().take(400).collect(),
        }
    }
}

/// d = (R − C) / 10^places, in units of the last digit the team wrote.
fn distance(r: &jurado_core::verdict::JudgedResult) -> Option<f64> {
    if matches!(r.verdict, VerdictKind::Missing | VerdictKind::Unreadable | VerdictKind::Unchecked) {
        return None;
    }
    let number = r.reported.number.as_ref()?;
    let d = (r.reported.value? - r.clean.or(r.carried)?) / (power_of_ten(number.last_place) * r.reported.scale);
    d.is_finite().then(|| d.clamp(-99_999.0, 99_999.0))
}
