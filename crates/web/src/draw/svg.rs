//! A small kit for SVG: shapes with a class of the style sheet each, places in pixels to one decimal. Every text, name
//! and address that enters is escaped here, and a place that is no number is drawn at nought.

use std::fmt::{self, Display, Write};

use askama::filters::HtmlSafe;
use jurado_core::formula::mathml::escape;

/// A place: across and down, in pixels.
pub(crate) type At = (f64, f64);

/// A figure with one decimal at most, as short as it goes.
struct Px(f64);

impl Display for Px {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let tenths = if self.0.is_finite() { (self.0 * 10.0).round() } else { 0.0 };
        if tenths % 10.0 == 0.0 { write!(f, "{:.0}", tenths / 10.0 + 0.0) } else { write!(f, "{:.1}", tenths / 10.0) }
    }
}

/// On which side of its place a text stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Anchor {
    /// It begins there.
    Start,
    /// Its middle is there.
    Middle,
    /// It ends there.
    End,
}

/// What a drawing holds, to be set inside an `<svg>` of a template.
#[derive(Clone, Debug, Default)]
pub(crate) struct Svg(String);

impl Display for Svg {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// Its markup was escaped piece by piece, so that a template may set it as it is.
impl HtmlSafe for Svg {}

impl Svg {
    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    #[cfg(test)]
    pub(crate) fn as_str(&self) -> &str {
        &self.0
    }

    fn put(&mut self, markup: fmt::Arguments<'_>) {
        // Writing to a string cannot fail.
        let _ = self.0.write_fmt(markup);
    }

    /// A rectangle from its upper left corner; a negative size is none.
    pub(crate) fn rect(&mut self, class: &str, (x, y): At, (width, height): (f64, f64)) {
        self.put(format_args!(
            "<rect class=\"{class}\" x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\"/>",
            Px(x),
            Px(y),
            Px(width.max(0.0)),
            Px(height.max(0.0))
        ));
    }

    pub(crate) fn circle(&mut self, class: &str, (x, y): At, r: f64) {
        self.put(format_args!(
            "<circle class=\"{class}\" cx=\"{}\" cy=\"{}\" r=\"{}\"/>",
            Px(x),
            Px(y),
            Px(r.max(0.0))
        ));
    }

    /// A path; none where nothing was drawn of it.
    pub(crate) fn path(&mut self, class: &str, path: &Path) {
        if !path.0.is_empty() {
            self.put(format_args!("<path class=\"{class}\" d=\"{}\"/>", path.0));
        }
    }

    pub(crate) fn text(&mut self, class: &str, anchor: Anchor, (x, y): At, words: &str) {
        let side = match anchor {
            Anchor::Start => "",
            Anchor::Middle => " text-anchor=\"middle\"",
            Anchor::End => " text-anchor=\"end\"",
        };
        self.put(format_args!(
            "<text class=\"{class}\"{side} x=\"{}\" y=\"{}\">{}</text>",
            Px(x),
            Px(y),
            escape(words)
        ));
    }

    /// A mark of the page's symbols with its middle there, as wide as high.
    pub(crate) fn mark(&mut self, symbol: &str, (x, y): At, size: f64) {
        self.put(format_args!(
            "<svg class=\"mk {symbol}\" x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\"><use href=\"#{symbol}\"/></svg>",
            Px(x - size / 2.0),
            Px(y - size / 2.0),
            Px(size),
            Px(size)
        ));
    }

    /// A link around what `inside` draws, named for those who do not see it.
    pub(crate) fn link(&mut self, href: &str, says: &str, inside: impl FnOnce(&mut Svg)) {
        self.put(format_args!("<a href=\"{}\" aria-label=\"{}\">", escape(href), escape(says)));
        inside(self);
        self.0.push_str("</a>");
    }

    /// A picture of its own inside the drawing, named for those who do not see it.
    pub(crate) fn named(&mut self, says: &str, inside: impl FnOnce(&mut Svg)) {
        self.put(format_args!("<g role=\"img\" aria-label=\"{}\">", escape(says)));
        inside(self);
        self.0.push_str("</g>");
    }

    /// Draws inside a window only; `id` tells the window from others of the page.
    pub(crate) fn window(&mut self, id: &str, at: At, size: (f64, f64), inside: impl FnOnce(&mut Svg)) {
        let id = escape(id);
        self.put(format_args!("<clipPath id=\"{id}\">"));
        self.rect("window", at, size);
        self.put(format_args!("</clipPath><g clip-path=\"url(#{id})\">"));
        inside(self);
        self.0.push_str("</g>");
    }

    /// Lays another drawing over this one.
    pub(crate) fn over(&mut self, other: &Svg) {
        self.0.push_str(&other.0);
    }
}

/// A path, step by step. `to` and its kin are places, `by` and its kin are distances from where the path stands.
#[derive(Clone, Debug, Default)]
pub(crate) struct Path(String);

impl Path {
    /// Begins there.
    pub(crate) fn at(place: At) -> Path {
        Path::default().and_at(place)
    }

    /// Through points, straight from one to the next.
    pub(crate) fn through(points: impl IntoIterator<Item = At>) -> Path {
        let mut points = points.into_iter();
        let first = points.next().map(Path::at).unwrap_or_default();
        points.fold(first, Path::to)
    }

    /// From the first point to the last along straight streets, with corners of radius `r`.
    pub(crate) fn street(points: &[At], r: f64) -> Path {
        let Some((first, rest)) = points.split_first() else { return Path::default() };
        let mut path = Path::at(*first);
        let mut from = *first;
        for (i, corner) in rest.iter().enumerate() {
            let Some(next) = rest.get(i + 1) else { return path.to(*corner) };
            let towards = |a: At, b: At| {
                let length = (b.0 - a.0).hypot(b.1 - a.1).max(f64::MIN_POSITIVE);
                let step = r.min(length / 2.0) / length;
                ((b.0 - a.0) * step, (b.1 - a.1) * step)
            };
            let (back, on) = (towards(*corner, from), towards(*corner, *next));
            path = path.to((corner.0 + back.0, corner.1 + back.1)).bend(*corner, (corner.0 + on.0, corner.1 + on.1));
            from = *corner;
        }
        path
    }

    fn step(mut self, letter: char, figures: &[f64]) -> Path {
        self.0.push(letter);
        for (i, v) in figures.iter().enumerate() {
            let _ = write!(self.0, "{}{}", if i == 0 { "" } else { " " }, Px(*v));
        }
        self
    }

    /// Lifts the pen and goes on there.
    pub(crate) fn and_at(self, (x, y): At) -> Path {
        self.step('M', &[x, y])
    }

    /// Lifts the pen and goes on so far off.
    pub(crate) fn and_by(self, dx: f64, dy: f64) -> Path {
        self.step('m', &[dx, dy])
    }

    pub(crate) fn to(self, (x, y): At) -> Path {
        self.step('L', &[x, y])
    }

    pub(crate) fn by(self, dx: f64, dy: f64) -> Path {
        self.step('l', &[dx, dy])
    }

    pub(crate) fn across_to(self, x: f64) -> Path {
        self.step('H', &[x])
    }

    pub(crate) fn across(self, dx: f64) -> Path {
        self.step('h', &[dx])
    }

    pub(crate) fn down_to(self, y: f64) -> Path {
        self.step('V', &[y])
    }

    pub(crate) fn down(self, dy: f64) -> Path {
        self.step('v', &[dy])
    }

    /// A curve with two control points.
    pub(crate) fn curve(self, a: At, b: At, end: At) -> Path {
        self.step('C', &[a.0, a.1, b.0, b.1, end.0, end.1])
    }

    /// A curve with one control point.
    pub(crate) fn bend(self, corner: At, end: At) -> Path {
        self.step('Q', &[corner.0, corner.1, end.0, end.1])
    }

    pub(crate) fn close(self) -> Path {
        self.step('Z', &[])
    }

    /// Goes on with what another path draws.
    pub(crate) fn then(mut self, other: &Path) -> Path {
        self.0.push_str(&other.0);
        self
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    #[cfg(test)]
    pub(crate) fn as_str(&self) -> &str {
        &self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_are_short_and_always_numbers() {
        for (value, text) in [
            (12.0, "12"),
            (12.04, "12"),
            (12.05, "12.1"),
            (-0.04, "0"),
            (-3.26, "-3.3"),
            (f64::NAN, "0"),
            (f64::INFINITY, "0"),
        ] {
            assert_eq!(Px(value).to_string(), text, "{value}");
        }
    }

    #[test]
    fn whatever_is_written_into_a_drawing_stays_text() {
        let nasty = "a\"><script>1</script>&";
        let mut svg = Svg::default();
        svg.text("t3", Anchor::Start, (1.0, 2.0), nasty);
        svg.link(nasty, nasty, |s| s.circle("dot", (1.0, 1.0), 2.0));
        svg.named(nasty, |_| {});
        svg.window(nasty, (0.0, 0.0), (1.0, 1.0), |_| {});
        assert!(!svg.as_str().contains("<script") && !svg.as_str().contains("\"><s"), "{svg}");
        assert_eq!(svg.as_str().matches("&lt;script&gt;").count(), 6, "{svg}");
    }

    #[test]
    fn a_street_turns_round_its_corners_and_a_lone_point_is_one() {
        let path = Path::street(&[(0.0, 0.0), (10.0, 0.0), (10.0, 20.0)], 4.0);
        assert_eq!(path.as_str(), "M0 0L6 0Q10 0 10 4L10 20");
        // A corner between two short stretches is as round as they leave room for.
        assert_eq!(Path::street(&[(0.0, 0.0), (2.0, 0.0), (2.0, 9.0)], 4.0).as_str(), "M0 0L1 0Q2 0 2 4L2 9");
        assert_eq!(Path::street(&[(3.0, 4.0)], 4.0).as_str(), "M3 4");
        assert!(Path::street(&[], 4.0).is_empty());
    }
}
