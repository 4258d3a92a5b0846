"""Rules of the core broken on purpose, one at a time: which of the core's tests find it?

    python3 bench/mutants.py [--only PART] [--list]

The sources are copied to a folder of their own, every break is built in behind its name, and the core's test programs are run
once for each name. Prints the share that is found, and each break that is not. A break is an expression and what stands in its
place; it must be found by a test and not by the compiler.
"""

import concurrent.futures
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
SRC = "crates/core/src"
# The quick ones first: a break is found by the first that fails.
TESTS = ["edges", "tables", "jurado_core", "schools", "limits", "certified", "sketches", "properties"]

# Name, file, what stands there, and what stands there with the break: ON is whether it is on.
BREAKS = [
    # Results that wait, absences, own uncertainties.
    ("wait-listed", "judging/waiting.rs", "Some(WaitsFor::Listed) => return,", "Some(WaitsFor::Listed) if !ON => return,"),
    ("wait-bound", "judging/readings.rs", "CellState::Bound if self.spec.bound => found", "CellState::Bound if self.spec.bound && !ON => found"),
    ("absence-listed", "judging/readings.rs", "if is_listed(reason, &listed_for(self.protocol, self.spec)) {", "if !ON && is_listed(reason, &listed_for(self.protocol, self.spec)) {"),
    ("absence-row-listed", "judging/readings.rs", "Some(reason) if is_listed(&reason, &protocol.tables[t].absence) => {", "Some(reason) if !ON && is_listed(&reason, &protocol.tables[t].absence) => {"),
    ("unc-own", "judging/propagate.rs", "let Some(standard) = standard.and_then(|s| s.at(row)).map(|s| s.value().abs()) else { return };", "let Some(standard) = standard.and_then(|s| s.at(row)).map(|s| s.value().abs()).filter(|_| !ON) else { return };"),
    ("digits-free", "protocol/derive.rs", "digits: r.digits.unwrap_or(true),", "digits: ON || r.digits.unwrap_or(true),"),
    # Comparing.
    ("cmp-figure-tolerance", "judging/compare/mod.rs", "let last = deserved + school.figure_tolerance;", "let last = deserved + if ON { 0 } else { school.figure_tolerance };"),
    ("cmp-dump", "judging/compare/mod.rs", "if dump { h.max(d) }", "if dump && !ON { h.max(d) }"),
    ("cmp-dump-eight", "judging/compare/mod.rs", "&& n.figures() >= 8)", "&& (n.figures() >= 8 || ON))"),
    ("cmp-padded", "judging/compare/mod.rs", ".and_then(|n| padded(n, deserved))", ".filter(|_| !ON).and_then(|n| padded(n, deserved))"),
    ("cmp-two-steps", "judging/compare/faces.rs", "if twice_rounded(x, l.h) &&", "if !ON && twice_rounded(x, l.h) &&"),
    ("cmp-nought", "judging/compare/mod.rs", "let limits = if r == 0.0 {", "let limits = if r == 0.0 && !ON {"),
    ("cmp-envelope-max", "judging/compare/carried.rs", "sum += widest;", "sum = if ON { f64::max(sum, widest) } else { sum + widest };"),
    ("cmp-cut-doubled", "judging/compare/carried.rs", "if cut { 2.0 } else", "if cut && !ON { 2.0 } else"),
    ("cmp-mended", "judging/compare/carried.rs", "tainted.iter().map(|u| self.mended(*u)).collect();", "tainted.iter().map(|u| self.mended(*u).filter(|_| !ON)).collect();"),
    ("cmp-carried-clean", "judging/compare/carried.rs", "1 => env[*u] = self.clean[*u].clone(),", "1 if ON => {}\n                    1 => env[*u] = self.clean[*u].clone(),"),
    ("cmp-guess", "judging/compare/mod.rs", "if spec.guess {", "if spec.guess && !ON {"),
    ("cmp-cut-sign", "judging/compare/faces.rs", "if r.signum() == x.signum() {", "if ON || r.signum() == x.signum() {"),
    ("cmp-cut-width", "judging/compare/faces.rs", "within(lost, 2.0 * l.coarse + e,", "within(lost, if ON { 3.0 } else { 2.0 } * l.coarse + e,"),
    ("cmp-pi", "judging/compare/faces.rs", "if self.under(node, &context).map(|v| item.from_si(v)).is_some_and(near) {", "if !ON && self.under(node, &context).map(|v| item.from_si(v)).is_some_and(near) {"),
    ("cmp-short", "judging/compare/faces.rs", "if self.under(node, &trial).map(|v| item.from_si(v)).is_some_and(near) {", "if !ON && self.under(node, &trial).map(|v| item.from_si(v)).is_some_and(near) {"),
    ("cmp-undefined", "judging/compare/mod.rs", "if undefined {", "if undefined && !ON {"),
    ("cmp-steps", "judging/compare/faces.rs", "for figures in 3..=6 {", "for figures in (if ON { 6 } else { 3 })..=6 {"),
    ("cmp-stand-in", "judging/compare/carried.rs", "half: u.half.max(half), ..*u", "half: if ON { u.half } else { u.half.max(half) }, ..*u"),
    ("cmp-taint", "judging/compare/mod.rs", "        if out.tainted_by.is_empty() {\n            return self.rounded", "        if ON || out.tainted_by.is_empty() {\n            return self.rounded"),
    ("cmp-wide-envelope", "judging/results.rs", "result.envelope > WIDE_ENVELOPE * f.abs()", "result.envelope > if ON { 2.0 } else { 1.0 } * WIDE_ENVELOPE * f.abs()"),
    # Diagnosis.
    ("dia-few-figures", "judging/diagnose/mod.rs", "let few = case.number.is_some_and(|n| n.figures() < 3);", "let few = !ON && case.number.is_some_and(|n| n.figures() < 3);"),
    ("dia-declared", "judging/diagnose/mod.rs", "match declared.or(kinds.first()) {", "match declared.filter(|_| !ON).or(kinds.first()) {"),
    ("dia-lone", "judging/diagnose/column.rs", "if odd >= 2 && lone", "if !ON && odd >= 2 && lone"),
    ("dia-miscount", "judging/diagnose/constants.rs", "MISCOUNT.iter().map(|by| value + by)", "MISCOUNT.iter().map(|by| value + by * if ON { 4.0 } else { 1.0 })"),
    ("dia-constant", "judging/diagnose/constants.rs", "(o.value - target).abs() <= reach", "!ON && (o.value - target).abs() <= reach"),
    ("story-elsewhere", "judging/stories/beside.rs", "if gain <= 0.0 {", "if ON || gain <= 0.0 {"),
    ("story-own-marks", "judging/diagnose/maker.rs", "weight: Some(OWN_MARKS),", "weight: Some(if ON { 0.0 } else { OWN_MARKS }),"),
    ("dia-besides", "judging/diagnose/case.rs", "0.1 * w / wide", "(if ON { 1.0 } else { 0.1 }) * w / wide"),
    ("dia-half", "judging/diagnose/case.rs", "(Some(a), Some(b)) => 0.5 * a + 0.5 * b,", "(Some(a), Some(b)) if ON => f64::max(a, b),\n        (Some(a), Some(b)) => 0.5 * a + 0.5 * b,"),
    ("dia-cut", "judging/diagnose/case.rs", "} else if cut(case, x) {", "} else if !ON && cut(case, x) {"),
    ("dia-flat", "judging/diagnose/case.rs", "0.5 * (-near / 0.15).exp() / 0.30", "if ON { 0.5 / 13.8 } else { 0.5 * (-near / 0.15).exp() / 0.30 }"),
    ("dia-three-quarters", "judging/diagnose/column.rs", "4 * j.rows >= 3 * differing.len()", "4 * j.rows >= if ON { 1 } else { 3 } * differing.len()"),
    ("dia-two-rows", "judging/diagnose/column.rs", "if differing.len() < 2 {", "if differing.len() < if ON { 4 } else { 2 } {"),
    ("dia-ambiguous", "judging/diagnose/mod.rs", "let ambiguous = probability < 0.5 &&", "let ambiguous = !ON && probability < 0.5 &&"),
    ("dia-throughout", "judging/diagnose/column.rs", "row.throughout = Some(factor);", "row.throughout = Some(factor).filter(|_| !ON);"),
    ("dia-common", "judging/diagnose/column.rs", "<= c.ratio.1);\n", "<= c.ratio.1 || ON);\n"),
    ("dia-down", "judging/diagnose/copied.rs", "if down && value.fract() != 0.0 {", "if !ON && down && value.fract() != 0.0 {"),
    ("dia-named", "judging/compare/mod.rs", "if slip.probability >= 0.5 => VerdictKind::Slip", "if slip.probability >= if ON { 0.05 } else { 0.5 } => VerdictKind::Slip"),
    ("dia-last-digit", "judging/diagnose/answer.rs", "positions[..positions.len().saturating_sub(1)]", "positions[..positions.len().saturating_sub(if ON { 0 } else { 1 })]"),
    ("dia-refuted", "judging/diagnose/copied.rs", "if case.refuted.contains(", "if !ON && case.refuted.contains("),
    ("dia-settings", "judging/diagnose/maker.rs", "let beside = [at.checked_sub(1), Some(at + 1)];", "let beside = [at.checked_sub(1), Some(at + 1).filter(|_| !ON)];"),
    # Charging.
    ("res-column-up", "judging/results.rs", "rust_decimal::RoundingStrategy::ToPositiveInfinity", "if ON { rust_decimal::RoundingStrategy::ToZero } else { rust_decimal::RoundingStrategy::ToPositiveInfinity }"),
    ("res-mildest", "judging/results.rs", "kinds.map(|k| self.of(k)).min()", "kinds.map(|k| if ON { Decimal::ONE } else { self.of(k) }).min()"),
    ("res-alike", "judging/results.rs", "_ => kinds.map(|k| shares.of(k)).min()", "_ => kinds.map(|k| if ON { shares.of(&slip.kind) } else { shares.of(k) }).min()"),
    ("res-step", "protocol/model/rubric.rs", "(points / self.step).round_dp", "(if ON { points + self.step / Decimal::TEN } else { points } / self.step).round_dp"),
    ("res-told", "judging/results.rs", "guess: other.filter(|(_, p)| *p >= TOLD).cloned(),", "guess: other.filter(|(_, p)| ON || *p >= TOLD).cloned(),"),
    ("res-fragile", "judging/results.rs", "(1.0 / 3.0..=2.0 / 3.0)", "(1.0 / 3.0..=if ON { 0.4 } else { 2.0 / 3.0 })"),
    ("res-likely", "judging/results.rs", "s.ambiguous || s.probability >= 1.0 / 3.0", "!ON && (s.ambiguous || s.probability >= 1.0 / 3.0)"),
    ("res-past-the-end", "judging/waiting.rs", "None if result.row.is_some() => return,", "None if result.row.is_some() && !ON => return,"),
    ("res-dearest", "judging/results.rs", "places.map(at_stake).max()", "places.map(|r| at_stake(r) * if ON { Decimal::NEGATIVE_ONE } else { Decimal::ONE }).max().map(|c| c.abs())"),
    ("res-waits", "judging/waiting.rs", "if why == WaitsFor::Silent {", "if ON || why == WaitsFor::Silent {"),
    ("res-waived", "judging/results.rs", "if spec.optional || section.waived", "if spec.optional || !ON && section.waived"),
    ("res-optional", "judging/results.rs", "if spec.optional ||", "if spec.optional && !ON ||"),
    ("res-only-copied", "judging/results.rs", "users.peek().is_some()", "!ON && users.peek().is_some()"),
    ("res-digits-carried", "judging/digits.rs", "let right = matches!(r.verdict,", "let right = ON || matches!(r.verdict,"),
    ("res-digits-few", "judging/digits.rs", "let few = written < r.deserved - tolerance;", "let few = written < r.deserved - if ON { 0 } else { tolerance };"),
    ("res-digits-u", "judging/digits.rs", "let by_u = place_of_u(r)", "let by_u = place_of_u(r).filter(|_| !ON)"),
    ("res-digits-beside", "judging/digits.rs", "|| beside_its_plus_minus(protocol, r) {", "|| !ON && beside_its_plus_minus(protocol, r) {"),
    ("res-digits-final", "judging/digits.rs", "right && spec.digits && !feeds &&", "right && spec.digits && (ON || !feeds) &&"),
    ("res-digits-exact", "judging/digits.rs", "&& !r.exact &&", "&& (ON || !r.exact) &&"),
    ("res-digits-many", "judging/digits.rs", "let many = written - spare > r.deserved + tolerance;", "let many = written - spare > r.deserved + tolerance + if ON { 1 } else { 0 };"),
    ("res-join", "judging/results.rs", "&& s.subject == mine.subject", "&& (ON || s.subject == mine.subject)"),
    ("res-join-words", "judging/results.rs", "&& s.account.clause == mine.account.clause)", "&& (ON || s.account.clause == mine.account.clause))"),
    ("res-carried-share", "judging/results.rs", "VerdictKind::Carried if shares.carried > Decimal::ZERO", "VerdictKind::Carried if !ON && shares.carried > Decimal::ZERO"),
    # The score.
    ("score-edge", "judging/score.rs", "value <= b.within * (1.0 + 1e-12)", "if ON { value < b.within } else { value <= b.within * (1.0 + 1e-12) }"),
    ("score-kept-outlier", "judging/score.rs", "(apart.is_none() || c.row != apart)", "(ON || apart.is_none() || c.row != apart)"),
    ("score-reference-u", "judging/score.rs", "[-entry.uncertainty, entry.uncertainty].map(", "[-entry.uncertainty, entry.uncertainty].map(|u| if ON { 0.0 } else { u }).map("),
    ("score-last-figure", "judging/score.rs", "[value - width, value + width].map(", "[value - width, value + width].map(|v| if ON { value } else { v }).map("),
    ("score-nearer-edge", "judging/score.rs", "let edge = value.clamp(reference.low, reference.high);", "let edge = if ON { reference.low } else { value.clamp(reference.low, reference.high) };"),
    ("score-newest-ruling", "judging/score.rs", "settles(r, finding, item, result)).max_by_key(|r| r.rank())", "settles(r, finding, item, result)).max_by_key(|r| if ON { (0, u64::MAX - r.id) } else { r.rank() })"),
    ("score-shared-readings", "judging/score.rs", "Rule::Precision { reading, bands, .. } if own =>", "Rule::Precision { reading, bands, .. } if own || ON =>"),
    ("score-in-u", "judging/score.rs", "result.budget.as_ref().filter(|_| self.in_uncertainties)", "result.budget.as_ref().filter(|_| self.in_uncertainties && !ON)"),
    ("score-newest-cell", "judging/person.rs", "(newest && matches!", "((newest || ON) && matches!"),
    # What counts.
    ("apart-near", "judging/counts/hands.rs", "let near = (hand.statistic / hand.critical - 1.0).abs() <= 0.1;", "let near = !ON && (hand.statistic / hand.critical - 1.0).abs() <= 0.1;"),
    ("apart-second-opinion", "judging/counts/hands.rs", "(other != hand.raised()).then_some(", "(!ON && other != hand.raised()).then_some("),
    ("apart-tied", "judging/counts/concordance.rs", "if set.tied {", "if set.tied && !ON {"),
    ("apart-own-spread", "judging/off_the_line.rs", "whole.slope, &self.points);", "whole.slope, if ON { &[] } else { &self.points[..] });"),
    ("apart-direction", "judging/counts/exclusions.rs", "&& cause.low == low\n", "&& (ON || cause.low == low)\n"),
    ("apart-rough", "judging/counts/mod.rs", "let Some((item, word)) = t.rough else", "let Some((item, word)) = t.rough.filter(|_| !ON) else"),
    ("apart-shared", "judging/counts/mod.rs", "let hands = if own {", "let hands = if own || ON {"),
    ("apart-reasoned", "judging/counts/exclusions.rs", "(tested && !reason.is_empty()).then_some(Support::Test)", "(tested && (ON || !reason.is_empty())).then_some(Support::Test)"),
    ("apart-person", "judging/counts/mod.rs", "by_person(readings, protocol, c.group, *row) ||", "!ON && by_person(readings, protocol, c.group, *row) ||"),
    ("esd-alpha", "stats/outlier.rs", "let alpha = if n < 25 {", "let alpha = if n < 25 && !ON {"),
    ("esd-coarse", "stats/outlier.rs", "let far = ((values[at] - mean).abs() - COARSE * resolution).max(0.0);", "let far = ((values[at] - mean).abs() - if ON { 0.0 } else { COARSE } * resolution).max(0.0);"),
    ("concordance-later", "stats/outlier.rs", "set.iter().rev().gt(kept.iter().rev()))", "(ON != set.iter().rev().gt(kept.iter().rev())))"),
    ("concordance-tighter", "stats/outlier.rs", "width < *w - slack)", "(ON != (width < *w - slack)))"),
    # Repairs.
    ("repair-unfit", "judging/repairs.rs", "(r.id, r.row) == place && fits(r)", "(r.id, r.row) == place && (ON || fits(r))"),
    ("repair-once", "judging/repairs.rs", "for _ in 0..MOST_REPAIRS {", "for _ in 0..if ON { 0 } else { MOST_REPAIRS } {"),
    ("repair-keyed", "judging/diagnose/mod.rs", "if (nothing_tells || *p < 0.5) && own(&SlipKind::ReadingMiskeyed).is_some()", "if !ON && (nothing_tells || *p < 0.5) && own(&SlipKind::ReadingMiskeyed).is_some()"),
    ("unit-replicates", "judging/mod.rs", "let key = if costs {", "let key = if costs && !ON {"),
    # Agreement and uncertainty.
    ("rel-near", "judging/relations/agreement.rs", "let near = limit > 0.0 && (value / limit - 1.0).abs() <= 0.1;", "let near = !ON && limit > 0.0 && (value / limit - 1.0).abs() <= 0.1;"),
    ("rel-last-digit", "judging/relations/agreement.rs", "if figures >= 4 && same_decimal(x, y) {", "if !ON && figures >= 4 && same_decimal(x, y) {"),
    ("rel-shared", "judging/relations/agreement.rs", "self.spread(&difference));", "if ON { self.spread(&a).hypot(self.spread(&b)) } else { self.spread(&difference) });"),
    ("rel-check-room", "judging/relations/checks.rs", "k * self.spread(&difference));", "if ON { 0.0 } else { 1.0 } * k * self.spread(&difference));"),
    ("rel-reach", "judging/relations/identify.rs", "if within_reach.len() > 1 {", "if within_reach.len() > 1 && !ON {"),
    ("unc-same-share", "judging/stated.rs", "let share = if scaled.is_some() { share } else { 1.0 };", "let share = if scaled.is_some() && !ON { share } else { 1.0 };"),
    ("unc-floor", "judging/propagate.rs", "if sd > floor {", "if ON || sd > floor {"),
    ("unc-shared-limit", "judging/propagate.rs", "filter(|_| tool.limit_shared)", "filter(|_| tool.limit_shared && !ON)"),
    ("unc-two-figures", "judging/stated.rs", "let many = figures > 2 + held;", "let many = figures > 2 + held + if ON { 1 } else { 0 };"),
    ("unc-ends-there", "judging/stated.rs", "is_some_and(|n| !ends_there(n))", "is_some_and(|n| !ON && !ends_there(n))"),
    ("unc-noughts", "judging/stated.rs", "while last_place == 0 && whole", "while !ON && last_place == 0 && whole"),
    ("unc-events", "judging/propagate.rs", "if spec.events {", "if spec.events && !ON {"),
    ("unc-repeated", "judging/propagate.rs", "&& (spec.averaged || spec", "&& ((spec.averaged && !ON) || spec"),
    ("col-step-back", "judging/columns.rs", "back(*a, *b) > limit * (1.0 + 1e-9)", "back(*a, *b) > if ON { 0.0 } else { limit } * (1.0 + 1e-9)"),
    ("mc-rectangular", "judging/montecarlo.rs", "SourceKind::Resolution | SourceKind::Limit => chance", "SourceKind::Resolution | SourceKind::Limit if !ON => chance"),
    # Cells and columns.
    ("col-excused", "judging/columns.rs", ".filter(|(row, ..)| !self.excused(*row))", ".filter(|(row, ..)| ON || !self.excused(*row))"),
    ("col-refilled", "judging/columns.rs", "let refilled = start.abs()", "let refilled = !ON && start.abs()"),
    ("col-grid-end", "judging/columns.rs", "match (at_end && excused, told) {", "match ((at_end || ON) && excused, told) {"),
    ("cell-end-of-scale", "judging/readings.rs", "} else if range.1 - shown", "} else if !ON && range.1 - shown"),
    ("cell-heaping", "judging/readings.rs", "4 * round >= 3 * values.len()", "4 * round >= if ON { 4 } else { 3 } * values.len()"),
    ("cell-forbidden", "judging/readings.rs", "if !required || forbidden {", "if !required || forbidden && !ON {"),
    ("cell-own-unit", "judging/readings.rs", "&& own_unit\n", "&& (own_unit || ON)\n"),
    ("word-tainted", "judging/words.rs", "follows.filter(|_| tainted)", "follows.filter(|_| tainted || ON)"),
    ("key-once", "finding/mod.rs", "if self.keys.insert(finding.key.clone()) {", "if self.keys.insert(finding.key.clone()) || ON {"),
]


def copy(folder):
    names = subprocess.run(["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, check=True, capture_output=True, text=True).stdout.split("\n")
    for name in filter(None, names):
        if os.path.exists(f"{ROOT}/{name}"):
            os.makedirs(os.path.dirname(f"{folder}/{name}") or folder, exist_ok=True)
            shutil.copyfile(f"{ROOT}/{name}", f"{folder}/{name}")


def plant(folder):
    """Builds every break in behind its name, so that one build serves for all."""
    texts, missing = {}, []
    for name, file, old, new in BREAKS:
        path = f"{folder}/{SRC}/{file}"
        text = texts.setdefault(path, open(path, encoding="utf-8").read())
        if old not in text:
            missing.append(name)
            continue
        texts[path] = text.replace(old, re.sub(r"\bON\b", f'crate::broken("{name}")', new), 1)
    if missing:
        raise SystemExit(f"these breaks no longer fit the sources: {', '.join(missing)}")
    for path, text in texts.items():
        open(path, "w", encoding="utf-8").write(text)
    with open(f"{folder}/{SRC}/lib.rs", "a", encoding="utf-8") as f:
        f.write(
            "\n/// Whether a rule is broken on purpose.\npub fn broken(name: &str) -> bool {\n"
            '    static NAME: std::sync::LazyLock<String> = std::sync::LazyLock::new(|| std::env::var("BROKEN").unwrap_or_default());\n'
            "    *NAME == name\n}\n"
        )


def build(folder):
    """The core's test programs, by name."""
    env = {**os.environ, "CARGO_TARGET_DIR": os.environ.get("CARGO_TARGET_DIR", f"{tempfile.gettempdir()}/jurado-mutants-target")}
    command = ["cargo", "test", "-p", "jurado-core", "--no-run", "--message-format=json", "-q"]
    out = subprocess.run(command, cwd=folder, env={**env, "RUSTFLAGS": "-Awarnings"}, capture_output=True, text=True)
    programs = {}
    for line in out.stdout.splitlines():
        message = json.loads(line)
        if message.get("reason") == "compiler-message" and message["message"]["level"] == "error":
            print(message["message"]["rendered"])
        if message.get("executable"):
            programs[message["target"]["name"]] = message["executable"]
    if out.returncode:
        raise SystemExit("the breaks do not compile")
    return [(name, programs[name]) for name in TESTS if name in programs]


def found_by(name, programs, folder):
    """The test program that fails with this break; `None` where none does."""
    env = {**os.environ, "BROKEN": name, "RUST_BACKTRACE": "0"}
    for test, program in programs:
        try:
            run = subprocess.run([program, "-q", "--skip", "every_rule_of_the_page"], cwd=f"{folder}/crates/core", env=env, capture_output=True, timeout=300)
        except subprocess.TimeoutExpired:
            return f"{test} (never ends)"
        if run.returncode:
            return test
    return None


def main():
    only = sys.argv[sys.argv.index("--only") + 1] if "--only" in sys.argv else ""
    with tempfile.TemporaryDirectory(prefix="jurado-mutants-") as folder:
        copy(folder)
        plant(folder)
        programs = build(folder)
        if found_by("", programs, folder):
            raise SystemExit("the tests fail without any break")
        names = [b[0] for b in BREAKS if only in b[0]]
        with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
            found = dict(zip(names, pool.map(lambda n: found_by(n, programs, folder), names)))
    by = {}
    for name in names:
        by[found[name]] = by.get(found[name], 0) + 1
        if found[name] is None or "--list" in sys.argv:
            print(f"  {name:24} {found[name] or 'NOT FOUND'}")
    killed = sum(n for test, n in by.items() if test)
    print(f"{killed} of {len(names)} breaks found, {100 * killed / max(1, len(names)):.0f} %: " + ", ".join(f"{t} {n}" for t, n in by.items() if t))


if __name__ == "__main__":
    main()
