//! Checks, comparisons, unknowns to be named, and causes of the file.
//!
//! What is said about several items at once, as the file has it:
//!
//! ```toml
//! [[check]]
//! id = "pile"
//! title = "The pile of plates"
//! left = "pile_height"
//! right = "4 * plate_thickness"
//! k = 3
//!
//! [[comparison]]
//! id = "two-ways"
//! title = "Two ways to the density"
//! a = "density"
//! b = "density_by_displacement"
//! conclusion = "agreement"
//!
//! [[cause]]
//! id = "bubble"
//! on = ["titre"]
//! direction = "high"
//! says = "an air bubble left the tip"
//! words = ["bubble", "air"]
//! advice = "open the tap fully once before the first run"
//! ```

use rust_decimal::Decimal;

use super::loading::Loader;
use super::source::{self, Text};
use super::{
    Agreement, Cause, Check, CheckRule, ComparisonSpec, Identify, ReferenceEntry, Relation, ResultSpec, SketchKind,
    SketchPart, SketchSpec,
};
use crate::formula::{Node, Shape};
use crate::protocol::ResultId;

impl Loader<'_> {
    /// The checks of the file, those at fault left out.
    pub(super) fn checks(&mut self, checks: &[source::Check], criteria: &[source::Criterion]) -> Vec<Check> {
        self.unique(checks.iter().map(|c| &c.id), "check");
        let ids: Vec<String> = criteria.iter().map(|c| c.id.get_ref().clone()).collect();
        checks.iter().filter_map(|c| self.check(c, &ids)).collect()
    }

    /// A check compares two sides or states a condition, and not both.
    fn check(&mut self, c: &source::Check, criteria: &[String]) -> Option<Check> {
        let id = c.id.get_ref();
        let at = c.id.span().start;
        let rule = match (&c.left, &c.right, &c.holds) {
            (Some(left), Some(right), None) => self.related(c, left, right)?,
            (None, None, Some(holds)) => CheckRule::Holds(self.condition(holds, id)?),
            _ => {
                self.fault(
                    at,
                    format!("the check `{id}` has nothing to judge"),
                    "add left = \"…\" and right = \"…\", or holds = \"…\" alone",
                );
                return None;
            }
        };
        let charge = match (&c.criterion, &c.each) {
            (Some(criterion), each) => {
                self.find(criterion, criteria, "criterion");
                Some((criterion.get_ref().clone(), each.map_or(Decimal::ZERO, |e| e.0)))
            }
            (None, None) => None,
            (None, Some(_)) => {
                self.fault(at, format!("the check `{id}` takes points from nowhere"), "add criterion = \"…\"");
                None
            }
        };
        let sketch = c.sketch.as_ref().and_then(|s| self.sketch(s, id));
        Some(Check {
            id: id.clone(),
            title: c.title.clone(),
            rule,
            says: c.says.clone().unwrap_or_default(),
            charge,
            sketch,
        })
    }

    /// Two sides of one dimension, over one table at most.
    ///
    /// Two standard uncertainties of the difference are the room where the lab says nothing.
    fn related(&mut self, c: &source::Check, left: &Text, right: &Text) -> Option<CheckRule> {
        let id = c.id.get_ref();
        let (l, r) = (self.formula(left, id)?, self.formula(right, id)?);
        if l.dimension != r.dimension || l.truth || r.truth {
            self.fault(
                right.span().start,
                format!("the check `{id}` compares {} with {}", l.dimension, r.dimension),
                "both sides need the same dimension",
            );
            return None;
        }
        if !matches!((l.shape, r.shape), (Shape::Scalar, _) | (_, Shape::Scalar)) && l.shape != r.shape {
            self.fault(right.span().start, format!("the check `{id}` compares different tables"), "use one table");
            return None;
        }
        let relations = [("equal", Relation::Equal), ("below", Relation::Below), ("above", Relation::Above)];
        let relation = c.relation.as_ref().map_or(Relation::Equal, |r| self.choice(r, &relations, "relation"));
        let k = c.k.as_ref().map_or(2.0, |k| self.positive(k, "k"));
        Some(CheckRule::Related { left: l, right: r, relation, k })
    }

    /// A drawing that goes with a check: a beam about its pivot, a rail with mirror and image,
    /// rings.
    fn sketch(&mut self, s: &source::Sketch, of: &str) -> Option<SketchSpec> {
        let kinds = [("beam", SketchKind::Beam), ("rail", SketchKind::Rail), ("rings", SketchKind::Rings)];
        let kind = self.choice(&s.draw, &kinds, "sketch");
        let unit = self.unit(&s.unit);
        let span = self.range(&s.span, "the span of a sketch");
        // A mark or diameter must be one of the unit the sketch is drawn in.
        let mark = |me: &mut Self, text: &source::Text| -> Option<Node> {
            let node = me.formula(text, of)?;
            if node.dimension == unit.dimension && !node.truth {
                return Some(node);
            }
            me.fault(
                text.span().start,
                format!("the sketch of `{of}` is drawn in {}, and this is of {}", unit.text, node.dimension),
                "write a formula of that dimension, or give the sketch its unit",
            );
            None
        };
        let pivot = match &s.pivot {
            Some(p) => Some(mark(self, p)?),
            None => None,
        };
        if (kind == SketchKind::Beam) != pivot.is_some() {
            self.fault(
                s.draw.span().start,
                format!(
                    "the sketch of `{of}` {}",
                    if pivot.is_some() { "has a pivot and is no beam" } else { "has no pivot" }
                ),
                "a beam turns about a pivot = \"…\", and nothing else does",
            );
        }
        let written = s.parts.get_ref();
        if written.is_empty() || (kind == SketchKind::Rail && written.len() != 3) {
            self.fault(
                s.parts.span().start,
                format!("the sketch of `{of}` has {} parts", written.len()),
                "give a rail its mirror, what stands before it and its image, and anything else at least one part",
            );
        }
        let mut parts = Vec::new();
        for part in written {
            let at = mark(self, &part.at)?;
            let more = |me: &mut Self, text: &Option<source::Text>| match text {
                Some(t) => me.formula(t, of).map(Some),
                None => Some(None),
            };
            let (weight, height) = (more(self, &part.weight)?, more(self, &part.height)?);
            parts.push(SketchPart { says: part.says.clone(), at, weight, height });
        }
        Some(SketchSpec { kind, unit, span, pivot, parts })
    }

    /// The comparisons of the file, those at fault left out.
    pub(super) fn comparisons(
        &mut self,
        comparisons: &[source::Comparison],
        results: &[ResultSpec],
        result_ids: &[String],
    ) -> Vec<ComparisonSpec> {
        self.unique(comparisons.iter().map(|c| &c.id), "comparison");
        comparisons.iter().filter_map(|c| self.comparison(c, results, result_ids)).collect()
    }

    /// Two single values of one dimension, with a way to compare them, and the word that says
    /// whether they agree.
    fn comparison(
        &mut self,
        c: &source::Comparison,
        results: &[ResultSpec],
        result_ids: &[String],
    ) -> Option<ComparisonSpec> {
        let id = c.id.get_ref();
        let (a, b) = (self.formula(&c.a, id)?, self.formula(&c.b, id)?);
        if a.dimension != b.dimension || a.shape != Shape::Scalar || b.shape != Shape::Scalar {
            self.fault(
                c.b.span().start,
                format!("the comparison `{id}` needs two single values of one dimension"),
                "mend one of its formulas",
            );
            return None;
        }
        let k = c.k.as_ref().map_or(2.0, |k| self.positive(k, "k"));
        let method = match c.method.as_ref().map(|m| (m, m.get_ref().as_str())) {
            None | Some((_, "k")) => Agreement::WithinK(k),
            Some((_, "overlap")) => Agreement::Overlap(k),
            Some((_, "coarse")) => Agreement::Coarse,
            Some((m, "percent")) => match &c.percent {
                Some(p) => Agreement::Percent(self.positive(p, "the percentage")),
                None => {
                    self.fault(m.span().start, format!("the comparison `{id}` needs `percent`"), "add percent = 2");
                    Agreement::Percent(1.0)
                }
            },
            Some((m, other)) => {
                self.fault(
                    m.span().start,
                    format!("`{other}` is no way to compare"),
                    "write k, overlap, percent or coarse",
                );
                Agreement::WithinK(k)
            }
        };
        let conclusion = c.conclusion.as_ref().map(|w| self.find(w, result_ids, "result"));
        if let (Some(w), Some(text)) = (conclusion.and_then(|w| results.get(w)), &c.conclusion)
            && self.items[w.item].words.as_ref().is_none_or(|w| w.len() < 2)
        {
            self.fault(
                text.span().start,
                format!("`{}` is no word with a yes and a no", text.get_ref()),
                "give it words = [\"agree\", \"differ\"]",
            );
        }
        Some(ComparisonSpec {
            id: id.clone(),
            title: c.title.clone(),
            a,
            b,
            method,
            conclusion: conclusion.map(ResultId::at),
        })
    }

    /// The unknowns of the file. Each names a source for its candidates' values, and there are two
    /// candidates at least; where the name is asked for, every candidate is among the words.
    pub(super) fn identifies(
        &mut self,
        written: &[source::Identify],
        results: &[ResultSpec],
        result_ids: &[String],
    ) -> Vec<Identify> {
        self.unique(written.iter().map(|i| &i.id), "unknown to be named");
        let mut out = Vec::new();
        for w in written {
            let at = w.candidates.span().start;
            let result = self.find(&w.result, result_ids, "result");
            let answer = w.answer.as_ref().map(|a| self.find(a, result_ids, "result"));
            if w.source.get_ref().trim().is_empty() {
                self.fault(
                    w.source.span().start,
                    format!("`{}` names no source", w.id.get_ref()),
                    "say where its values come from",
                );
            }
            if w.candidates.get_ref().len() < 2 {
                self.fault(
                    at,
                    format!("`{}` has fewer than two candidates", w.id.get_ref()),
                    "add name = { value = … }",
                );
            }
            let Some(spec) = results.get(result) else { continue };
            let item = self.items[spec.item].clone();
            let mut candidates = Vec::new();
            for (name, entry) in w.candidates.get_ref() {
                let (low, high) = self.ends(entry.value.as_ref(), entry.range.as_ref(), at, w.id.get_ref());
                candidates.push(ReferenceEntry {
                    at: name.clone(),
                    says: name.clone(),
                    low: item.to_si(low),
                    high: item.to_si(high),
                    uncertainty: entry.uncertainty.as_ref().map_or(0.0, |u| *u.get_ref() * item.unit.factor),
                });
            }
            if let (Some(a), Some(text)) = (answer.and_then(|a| results.get(a)), &w.answer) {
                let words = self.items[a.item].words.clone().unwrap_or_default();
                for c in candidates.iter().filter(|c| !words.contains(&c.at)) {
                    self.fault(
                        text.span().start,
                        format!("`{}` cannot be answered in `{}`", c.at, text.get_ref()),
                        "list every candidate among its words",
                    );
                }
            }
            out.push(Identify {
                id: w.id.get_ref().clone(),
                title: w.title.clone(),
                result: ResultId::at(result),
                candidates,
                source: w.source.get_ref().clone(),
                answer: answer.map(ResultId::at),
            });
        }
        out
    }

    /// What can push a reading to one side, with the words by which a team names it and advice for
    /// the next time.
    pub(super) fn cause(&mut self, c: &source::Cause) -> Cause {
        let low = self.choice(&c.direction, &[("low", true), ("high", false)], "direction");
        let on = c.on.iter().map(|o| self.find_item(o, "reading")).collect();
        Cause { id: c.id.clone(), on, low, says: c.says.clone(), words: c.words.clone(), advice: c.advice.clone() }
    }
}
