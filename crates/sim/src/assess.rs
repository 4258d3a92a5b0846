//! How well a judge did on a class whose truth is known. It reads the documented verdict JSON and nothing else of the
//! judge, so verdicts of any engine version can be measured.

use std::collections::{BTreeMap, HashMap};

use serde::{Deserialize, Serialize};

use crate::truth::{Planted, TableTruth, Truth};

#[derive(Deserialize)]
struct Verdicts {
    submissions: Vec<Table>,
}

#[derive(Deserialize)]
struct Table {
    section: String,
    team: String,
    results: Vec<Judged>,
    findings: Vec<Finding>,
    outliers: Vec<Raised>,
    score: Score,
}

#[derive(Deserialize)]
struct Judged {
    id: String,
    row: Option<u32>,
    verdict: String,
    slip: Option<Slip>,
}

#[derive(Deserialize)]
struct Slip {
    kind: String,
    probability: f64,
    alternatives: Vec<Alternative>,
}

#[derive(Deserialize)]
struct Alternative {
    kind: String,
    #[serde(default)]
    alike: bool,
}

#[derive(Deserialize)]
struct Finding {
    code: String,
    item: Option<String>,
    /// Of a repaired reading: how likely it was copied wrongly.
    #[serde(default)]
    probability: Option<f64>,
}

#[derive(Deserialize)]
struct Raised {
    level: String,
    item: String,
    row: Option<u32>,
    flagged: bool,
}

#[derive(Deserialize)]
struct Score {
    lines: Vec<Line>,
}

#[derive(Deserialize)]
struct Line {
    criterion: String,
    exact: f64,
    possible: f64,
}

/// What became of the mistakes of one kind.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Found {
    /// Planted.
    pub planted: u32,
    /// Named first, by its own word.
    pub exact: u32,
    /// In the first class: the first name, or one that cannot be told apart from it.
    pub within: u32,
    /// Among all that were named.
    pub at_all: u32,
    /// Told as one of several that might be.
    pub ambiguous: u32,
    /// Named as something else, or as nothing.
    pub missed: u32,
}

/// Stated chances of one tenth against the share that was right.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Tenth {
    /// Diagnoses.
    pub count: u32,
    /// Mean stated probability.
    pub stated: f64,
    /// Share that was right.
    pub right: f64,
}

/// The whole account.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Assessment {
    /// Tables.
    pub tables: u32,
    /// By kind planted, unmodelled mistakes among them: of those `missed` is right.
    pub kinds: BTreeMap<String, Found>,
    /// All modelled kinds together.
    pub slips: Found,
    /// Values with nothing wrong, in tables with nothing planted.
    pub honest_values: u32,
    /// Those called a slip or unexplained.
    pub false_slips: u32,
    /// Those called carried.
    pub false_carried: u32,
    /// Values that follow from a planted mistake.
    pub following: u32,
    /// Those charged again.
    pub charged_again: u32,
    /// Sound readings keyed wrongly into one calculation, and those of them that were replaced on the sheet.
    pub keyed: (u32, u32),
    /// Readings planted far off, and found.
    pub outliers: (u32, u32),
    /// Repeated readings tested where nothing was planted, and those called suspicious.
    pub false_outliers: (u32, u32),
    /// Mean of what the calculation criterion took too much or too little, in points, over tables with one mistake.
    pub marks_error: f64,
    /// By tenths of the stated probability.
    pub calibration: Vec<Tenth>,
    /// Pairs of kinds that were taken for each other, planted first, and how often.
    pub confused: BTreeMap<String, u32>,
    /// Diagnoses as (stated probability, whether right), for adding several labs up.
    #[serde(skip)]
    pub said: Vec<(f64, bool)>,
    /// Points off, for adding up.
    #[serde(skip)]
    pub marks: Vec<f64>,
}

/// Measures verdicts against the truth.
///
/// # Errors
/// A text that is no verdict JSON, or a table that the truth does not know.
pub fn assess(truth: &Truth, verdicts: &str) -> Result<Assessment, String> {
    let verdicts: Verdicts = serde_json::from_str(verdicts).map_err(|e| {
        format!("{}:{}: these are no verdicts: {e}; write them with `jurado judge`", e.line(), e.column())
    })?;
    let known: HashMap<(&str, &str), &TableTruth> =
        truth.tables.iter().map(|t| ((t.section.as_str(), t.team.as_str()), t)).collect();
    let mut out = Assessment::default();
    for table in &verdicts.submissions {
        let Some(t) = known.get(&(table.section.as_str(), table.team.as_str())) else {
            return Err(format!(
                "1:1: the truth knows no table of {} / {}; give the verdicts of the same class",
                table.section, table.team
            ));
        };
        out.tables += 1;
        one(&mut out, t, table, &truth.calculation);
    }
    out.finish();
    Ok(out)
}

fn bad(verdict: &str) -> bool {
    matches!(verdict, "slip" | "unexplained")
}

fn one(out: &mut Assessment, truth: &TableTruth, table: &Table, calculation: &str) {
    let made_up = truth.fabricated || truth.copied_from.is_some();
    if truth.planted.is_empty() {
        for r in &table.results {
            if matches!(r.verdict.as_str(), "agrees" | "rounded" | "slip" | "unexplained" | "carried") {
                out.honest_values += 1;
                out.false_slips += u32::from(bad(&r.verdict));
                out.false_carried += u32::from(r.verdict == "carried");
            }
        }
    }
    for p in &truth.planted {
        planted(out, p, table);
    }
    if let [only] = truth.planted.as_slice() {
        for r in table.results.iter().filter(|r| only.follows.contains(&r.id)) {
            out.following += 1;
            out.charged_again += u32::from(bad(&r.verdict));
        }
        let lost: f64 =
            table.score.lines.iter().filter(|l| l.criterion == calculation).map(|l| l.possible - l.exact).sum();
        if !["reading-mistyped", "rewritten"].contains(&only.kind.as_str()) && truth.omitted.is_empty() {
            out.marks.push((lost - only.costs).abs());
        }
    }
    for o in &truth.outliers {
        out.outliers.0 += 1;
        let raised = table.outliers.iter().any(|r| r.flagged && r.item == o.item && r.row == Some(o.row));
        // One left out with its cause is found if nothing says that it should have counted.
        let honoured =
            o.excluded && table.findings.iter().any(|f| f.code == "exclusion" && f.item.as_deref() == Some(&o.item));
        out.outliers.1 += u32::from(raised || honoured);
    }
    if truth.outliers.is_empty() && !made_up {
        for r in table.outliers.iter().filter(|r| r.level == "replicate") {
            out.false_outliers.0 += 1;
            out.false_outliers.1 += u32::from(r.flagged);
        }
    }
}

fn planted(out: &mut Assessment, p: &Planted, table: &Table) {
    let here = table.results.iter().filter(|r| r.id == p.item && (p.row.is_none() || r.row == p.row));
    let mut slips: Vec<&Slip> = here.filter_map(|r| r.slip.as_ref()).collect();
    if p.reading.is_some() {
        // A reading copied wrongly shows in whatever uses it.
        slips.extend(table.results.iter().filter_map(|r| r.slip.as_ref()).filter(|s| s.kind == p.kind));
    }
    let repaired = p.reading.is_some()
        && table.findings.iter().any(|f| ["repair", "rewritten"].contains(&f.code.as_str()) && f.item == p.reading);
    let exact = repaired || slips.iter().any(|s| s.kind == p.kind);
    let alike = |s: &Slip| s.alternatives.iter().any(|a| a.alike && a.kind == p.kind);
    let within = exact || slips.iter().any(|s| alike(s));
    let at_all = within || slips.iter().any(|s| s.alternatives.iter().any(|a| a.kind == p.kind));
    let mine = Found {
        planted: 1,
        exact: u32::from(exact),
        within: u32::from(within),
        at_all: u32::from(at_all),
        ambiguous: u32::from(!within && at_all),
        missed: u32::from(!at_all),
    };
    if p.kind == "reading-miskeyed" {
        out.keyed.0 += 1;
        out.keyed.1 += u32::from(table.findings.iter().any(|f| f.code == "repair"));
    }
    out.kinds.entry(p.kind.clone()).or_default().add(mine);
    if p.kind != "unmodelled" {
        out.slips.add(mine);
        if !exact && let Some(s) = slips.first() {
            *out.confused.entry(format!("{} as {}", p.kind, s.kind)).or_default() += 1;
        }
    }
    // A repair stands in place of a diagnosis and brings its probability.
    let repair = table.findings.iter().find(|f| f.code == "repair");
    if let (Some(r), Some(chance)) = (repair, repair.and_then(|f| f.probability).filter(|_| p.figures >= 3)) {
        out.said.push((chance, r.item.is_some() && r.item == p.reading));
    } else if let Some(s) = slips.first().filter(|_| p.figures >= 3) {
        let right = if p.kind == "unmodelled" { false } else { s.kind == p.kind || alike(s) };
        out.said.push((s.probability, right));
    }
}

impl Found {
    fn add(&mut self, o: Found) {
        self.planted += o.planted;
        self.exact += o.exact;
        self.within += o.within;
        self.at_all += o.at_all;
        self.ambiguous += o.ambiguous;
        self.missed += o.missed;
    }
}

fn share(part: u32, of: u32) -> f64 {
    100.0 * f64::from(part) / f64::from(of.max(1))
}

impl Assessment {
    /// Adds another lab's account to this one.
    pub fn add(&mut self, o: &Assessment) {
        self.tables += o.tables;
        for (kind, found) in &o.kinds {
            self.kinds.entry(kind.clone()).or_default().add(*found);
        }
        self.slips.add(o.slips);
        self.honest_values += o.honest_values;
        self.false_slips += o.false_slips;
        self.false_carried += o.false_carried;
        self.following += o.following;
        self.charged_again += o.charged_again;
        self.keyed.0 += o.keyed.0;
        self.keyed.1 += o.keyed.1;
        self.outliers = (self.outliers.0 + o.outliers.0, self.outliers.1 + o.outliers.1);
        self.false_outliers = (self.false_outliers.0 + o.false_outliers.0, self.false_outliers.1 + o.false_outliers.1);
        self.said.extend(&o.said);
        self.marks.extend(&o.marks);
        for (pair, n) in &o.confused {
            *self.confused.entry(pair.clone()).or_default() += n;
        }
        self.finish();
    }

    fn finish(&mut self) {
        self.marks_error = self.marks.iter().sum::<f64>() / self.marks.len().max(1) as f64;
        self.calibration = (0..10)
            .map(|tenth| {
                let (low, high) = (f64::from(tenth) / 10.0, f64::from(tenth + 1) / 10.0);
                let mine: Vec<&(f64, bool)> =
                    self.said.iter().filter(|(p, _)| *p >= low && (*p < high || tenth == 9)).collect();
                let n = mine.len().max(1) as f64;
                Tenth {
                    count: mine.len() as u32,
                    stated: mine.iter().map(|m| m.0).sum::<f64>() / n,
                    right: mine.iter().filter(|m| m.1).count() as f64 / n,
                }
            })
            .collect();
    }

    /// For reading in a terminal.
    pub fn to_text(&self) -> String {
        let mut out = format!("{} tables\n", self.tables);
        out += &format!(
            "{:<32}{:>8}{:>9}{:>9}{:>9}{:>11}{:>9}\n",
            "planted", "number", "exact", "within", "at all", "ambiguous", "missed"
        );
        let line = |name: &str, f: &Found| {
            format!(
                "{name:<32}{:>8}{:>8.1}%{:>8.1}%{:>8.1}%{:>11}{:>9}\n",
                f.planted,
                share(f.exact, f.planted),
                share(f.within, f.planted),
                share(f.at_all, f.planted),
                f.ambiguous,
                f.missed
            )
        };
        for (kind, found) in &self.kinds {
            out += &line(kind, found);
        }
        out += &line("all slips with a name", &self.slips);
        out += &format!(
            "right values called slip or unexplained: {} of {} ({:.2} %); called carried: {} ({:.2} %)\n",
            self.false_slips,
            self.honest_values,
            share(self.false_slips, self.honest_values),
            self.false_carried,
            share(self.false_carried, self.honest_values)
        );
        out += &format!(
            "values that follow from a mistake, charged again: {} of {} ({:.2} %)\n",
            self.charged_again,
            self.following,
            share(self.charged_again, self.following)
        );
        out += &format!(
            "readings far off, found: {} of {}; suspicious where nothing was planted: {} of {}\n",
            self.outliers.1, self.outliers.0, self.false_outliers.1, self.false_outliers.0
        );
        if self.keyed.0 > 0 {
            out += &format!(
                "sound readings keyed wrongly into one calculation: {} of {} replaced on the sheet ({:.1} %)\n",
                self.keyed.1,
                self.keyed.0,
                share(self.keyed.1, self.keyed.0)
            );
        }
        out += &format!("points for working out, off by {:.3} on average\n", self.marks_error);
        out += "stated probability against share right:\n";
        for (i, t) in self.calibration.iter().enumerate().filter(|(_, t)| t.count > 0) {
            out += &format!("  0.{i}: {:>6} diagnoses, stated {:.3}, right {:.3}\n", t.count, t.stated, t.right);
        }
        let mut pairs: Vec<(&String, &u32)> = self.confused.iter().collect();
        pairs.sort_by(|a, b| b.1.cmp(a.1).then(a.0.cmp(b.0)));
        if !pairs.is_empty() {
            out += "named otherwise: ";
            out += &pairs.iter().take(12).map(|(p, n)| format!("{p} ({n})")).collect::<Vec<_>>().join(", ");
            out.push('\n');
        }
        out
    }
}
