//! What explains a check that failed, as data: a beam with what hangs on it and its moments, a rail
//! with a mirror, an object and its image, rings about one centre, as the readings have them.
//! Nothing here draws.

use crate::finding::Kind;
use crate::formula::{Context, Node, Value, evaluate_any};
use crate::plots::values;
use crate::protocol::{Protocol, SketchKind, SketchSpec};
use crate::row::Row;
use crate::verdict::Judged;

/// A drawing of the apparatus as the readings have it.
#[derive(Clone, Debug, PartialEq)]
pub struct Sketch {
    /// The check that failed, by its place in the protocol.
    pub check: usize,
    /// What is drawn.
    pub kind: SketchKind,
    /// Row that it shows; `None` where all rows stand in one drawing, or there are none.
    pub row: Option<Row>,
    /// Unit of the marks.
    pub unit: String,
    /// Ends, in that unit.
    pub span: (f64, f64),
    /// What a beam turns about, in that unit.
    pub pivot: Option<f64>,
    /// What is on it, in the order of the protocol, then of the rows.
    pub parts: Vec<Part>,
    /// Unit of the moments.
    pub moment_unit: String,
}

/// One thing on a sketch.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// What the mark is called beside it.
    pub says: String,
    /// Row, where several rows stand in one drawing.
    pub row: Option<Row>,
    /// Its mark, or its diameter, in the unit of the sketch.
    pub at: f64,
    /// What hangs there, in the unit of its reading.
    pub weight: Option<f64>,
    /// Weight times the distance from the pivot, positive to the right, in the units of both.
    pub moment: Option<f64>,
    /// Height of the arrow that stands there, in the unit of its reading; negative hangs.
    pub height: Option<f64>,
}

impl Sketch {
    /// Of a beam whose parts are single: the moments to the left and to the right, both positive.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SketchKind;
    /// use jurado_core::sketches::{Part, Sketch};
    /// let part = |moment: f64| Part {
    ///     says: "mass".into(),
    ///     row: None,
    ///     at: 0.0,
    ///     weight: None,
    ///     moment: Some(moment),
    ///     height: None,
    /// };
    /// let sketch = Sketch {
    ///     check: 0,
    ///     kind: SketchKind::Beam,
    ///     row: None,
    ///     unit: "cm".into(),
    ///     span: (0.0, 100.0),
    ///     pivot: Some(50.0),
    ///     parts: vec![part(-400.0), part(150.0), part(240.0)],
    ///     moment_unit: "g cm".into(),
    /// };
    /// // Ten to the left is what keeps the beam from balance.
    /// assert_eq!(sketch.sides(), (400.0, 390.0));
    /// ```
    pub fn sides(&self) -> (f64, f64) {
        self.parts
            .iter()
            .filter_map(|p| p.moment)
            .fold((0.0, 0.0), |(l, r), m| if m < 0.0 { (l - m, r) } else { (l, r + m) })
    }

    /// Of a rail: where a ray from the tip of the object by way of the foot of the mirror meets the
    /// place of the image.
    ///
    /// # Example
    /// ```
    /// use jurado_core::protocol::SketchKind;
    /// use jurado_core::sketches::{Part, Sketch};
    /// let part = |at: f64, height: Option<f64>| Part {
    ///     says: "part".into(),
    ///     row: None,
    ///     at,
    ///     weight: None,
    ///     moment: None,
    ///     height,
    /// };
    /// let sketch = Sketch {
    ///     check: 0,
    ///     kind: SketchKind::Rail,
    ///     row: None,
    ///     unit: "cm".into(),
    ///     span: (0.0, 100.0),
    ///     pivot: None,
    ///     parts: vec![part(0.0, None), part(30.0, Some(2.0)), part(60.0, Some(-4.0))],
    ///     moment_unit: String::new(),
    /// };
    /// // Twice as far away as the object, and upside down: the image is twice as large.
    /// assert_eq!(sketch.ray_at_image(), Some(-4.0));
    /// ```
    ///
    /// # Formula
    /// y = −h·b/g, with the distances b and g of image and object from the mirror: at the mirror's
    /// foot a ray leaves under the angle at which it came.
    pub fn ray_at_image(&self) -> Option<f64> {
        let [mirror, object, image] = &self.parts[..] else { return None };
        let g = object.at - mirror.at;
        let y = -object.height? * (image.at - mirror.at) / g;
        y.is_finite().then_some(y)
    }
}

/// The sketches of the checks that a table fails, in the order of its findings.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::{judging::judge, sketches::sketches};
/// // The lab asks for none.
/// assert!(sketches(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[])).is_empty());
/// ```
pub fn sketches(protocol: &Protocol, judged: &Judged) -> Vec<Sketch> {
    let mut env = None;
    judged
        .findings
        .iter()
        .filter_map(|f| {
            let Kind::Check { check, .. } = f.kind else { return None };
            let spec = protocol.checks[check].sketch.as_ref()?;
            let env = env.get_or_insert_with(|| values(protocol, judged));
            sketch(protocol, spec, check, f.place.row, &Context::exact(env))
        })
        .collect()
}

/// The factor of the unit that a formula's own readings are in, and its text; coherent SI units
/// where none has its dimension.
///
/// So that a moment is told in the units in which its weight and its mark were read.
fn unit_of(protocol: &Protocol, node: &Node) -> (f64, String) {
    let like = node.items().into_iter().map(|i| &protocol.items[i]).find(|i| i.unit.dimension == node.dimension);
    like.map_or((1.0, String::new()), |i| (i.unit.factor, i.unit.text.clone()))
}

/// One drawing. `None` where nothing of it was read.
fn sketch(
    protocol: &Protocol,
    spec: &SketchSpec,
    check: usize,
    row: Option<Row>,
    context: &Context<'_, f64>,
) -> Option<Sketch> {
    let at_row = row.map(Row::index);
    let one = |node: &Node, row: Option<usize>| -> Option<f64> {
        let value = evaluate_any(node, context).ok()?;
        value.at(row).copied().filter(|v| v.is_finite())
    };
    let pivot = match &spec.pivot {
        Some(p) => Some(one(p, at_row)? / spec.unit.factor),
        None => None,
    };
    let mut moment_unit = String::new();
    let mut parts = Vec::new();
    for part in &spec.parts {
        // A check of whole columns is explained by all of their rows.
        let rows: Vec<Option<usize>> = match (at_row, evaluate_any(&part.at, context).ok()?) {
            (None, Value::Column(xs)) => (0..xs.len()).map(Some).collect(),
            _ => vec![at_row],
        };
        for r in rows {
            // A thing that was not read is not drawn; the others are.
            let Some(at) = one(&part.at, r).map(|v| v / spec.unit.factor) else { continue };
            let in_its_unit = |node: &Node| {
                let (factor, text) = unit_of(protocol, node);
                one(node, r).map(|v| (v / factor, text))
            };
            let weight = part.weight.as_ref().and_then(in_its_unit);
            if let (Some((_, unit)), true) = (&weight, moment_unit.is_empty()) {
                moment_unit = format!("{unit} {}", spec.unit.text).trim().to_owned();
            }
            let weight = weight.map(|(w, _)| w);
            parts.push(Part {
                says: part.says.clone(),
                row: r.filter(|_| at_row.is_none()).map(Row::at),
                at,
                weight,
                moment: weight.zip(pivot).map(|(w, p)| w * (at - p)),
                height: part.height.as_ref().and_then(in_its_unit).map(|(h, _)| h),
            });
        }
    }
    (!parts.is_empty()).then(|| Sketch {
        check,
        kind: spec.kind,
        row,
        unit: spec.unit.text.clone(),
        span: spec.span,
        pivot,
        parts,
        moment_unit,
    })
}
