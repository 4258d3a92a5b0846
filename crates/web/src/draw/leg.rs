//! The leg of a run: the ladder's scale stood upright, with how far to go quickly, where drops begin and where the end is
//! expected. It is drawn beside the same in words.

use super::ladder::g;
use super::svg::{Anchor, Path, Svg};

/// Width and height of the drawing, px, and where its top stands.
pub(crate) const WIDTH: f64 = 358.0;
pub(crate) const HEIGHT: f64 = 172.0;
pub(crate) const TOP: f64 = 14.0;
/// Where the end is expected, and how much of the ladder's scale a pixel is.
const END: f64 = 140.0;
const SCALE: f64 = 1.3;
/// The tube, from its left wall to its right, and its foot.
const TUBE: (f64, f64) = (4.0, 40.0);
const FOOT: f64 = 184.0;
/// Farthest distance that is told apart, in steps.
const FARTHEST: f64 = 1_500.0;
/// Where words begin, and the lines of those above the end.
const WORDS: f64 = 66.0;
const LINES: [f64; 4] = [28.8, 55.6, 75.6, 96.4];
/// Dots of drops: radius and pitch far off, and within ten steps.
const DROPS: [(f64, f64); 2] = [(2.9, 8.0), (1.9, 6.5)];

/// What is drawn: values with their texts.
pub(crate) struct Leg {
    /// One step of the scale.
    pub(crate) step: f64,
    pub(crate) expected: (f64, String),
    pub(crate) from: Option<(f64, String)>,
    pub(crate) quickly: Option<(f64, String)>,
    pub(crate) band: Option<(f64, f64, String)>,
    /// The team's own estimate.
    pub(crate) own: Option<(f64, String)>,
    /// By what it is told.
    pub(crate) by: String,
}

impl Leg {
    /// The height of a value: before the end above it, beyond the end below.
    fn y(&self, v: f64) -> f64 {
        let rises = self.from.as_ref().is_none_or(|(from, _)| *from <= self.expected.0);
        let steps = (v - self.expected.0) / self.step * if rises { 1.0 } else { -1.0 };
        self.at(steps)
    }

    /// The height of so many steps beyond the end; before it where there are fewer than none.
    fn at(&self, steps: f64) -> f64 {
        let off = SCALE * g(steps.abs().min(FARTHEST));
        (END + off.copysign(steps)).clamp(TOP + 2.0, FOOT)
    }
}

/// Draws the leg.
pub(crate) fn leg(leg: &Leg) -> Svg {
    let mut out = Svg::default();
    let wide = TUBE.1 - TUBE.0;
    let head = leg.from.as_ref().map_or(TOP + 10.0, |(from, _)| leg.y(*from));
    let half = 0.5;
    let (above, below) = leg.band.as_ref().map_or((leg.at(-half), leg.at(half)), |(low, high, _)| {
        let (a, b) = (leg.y(*low), leg.y(*high));
        let pad = SCALE * g(half) / 2.0;
        (a.min(b).min(END) - pad, a.max(b).max(END) + pad)
    });
    let mut water = |class: &str, from: f64, to: f64| {
        if to > from {
            out.rect(class, (TUBE.0, from), (wide, to - from));
        }
    };
    water("wl", head, leg.at(-100.0));
    water("w2", leg.at(-100.0).max(head), leg.at(-10.0));
    water("w1", leg.at(-10.0).max(head), above);
    water("w0", above.max(head), below.min(FOOT));
    water("w1", below, leg.at(10.0));
    water("w2", leg.at(10.0).max(below), FOOT);
    for x in [TUBE.0, TUBE.1] {
        out.path("tube", &Path::at((x, head)).down_to(FOOT));
    }
    let middle = TUBE.0 + wide / 2.0;
    let drops = leg.quickly.as_ref().map_or(head, |(v, _)| leg.y(*v));
    if leg.quickly.is_some() {
        out.path("flow", &Path::at((middle, head)).down_to(drops));
    }
    let mut y = drops + DROPS[0].1;
    while y < END - 5.0 {
        let (r, pitch) = DROPS[usize::from(y > leg.at(-10.0))];
        out.circle("drip", (middle, y), r);
        y += pitch;
    }
    out.path("meet", &Path::at((0.0, END)).across_to(WORDS - 5.0));
    words(&mut out, leg, drops);
    out
}

fn words(out: &mut Svg, leg: &Leg, drops: f64) {
    let lead = |out: &mut Svg, from: f64, to: f64| {
        out.path("lead", &Path::at((TUBE.1, from)).to((WORDS - 5.0, to - 4.0)));
    };
    if let Some((v, text)) = &leg.from {
        lead(out, leg.y(*v), LINES[0]);
        out.text("fig", Anchor::Start, (WORDS, LINES[0]), &format!("{text} start"));
    }
    if let Some((_, text)) = &leg.quickly {
        lead(out, drops, LINES[1]);
        out.text("fig strong", Anchor::Start, (WORDS, LINES[1]), &format!("quickly to {text}"));
        out.text("fig", Anchor::Start, (WORDS, LINES[2]), "then drop by drop");
    }
    if let Some((v, text)) = &leg.own {
        let y = leg.y(*v);
        out.path("own", &Path::at((TUBE.1 - 9.0, y)).across_to(TUBE.1 + 6.0));
        lead(out, y, LINES[3]);
        out.text("fig", Anchor::Start, (WORDS, LINES[3]), &format!("{text} is your own estimate"));
    }
    out.text("big", Anchor::Start, (WORDS, END + 9.0), &leg.expected.1);
    let beside = WORDS + 15.0 + 14.0 * leg.expected.1.chars().count() as f64;
    out.text("fig", Anchor::Start, (beside, END - 3.0), "the end is expected,");
    out.text("fig", Anchor::Start, (beside, END + 14.0), &leg.by);
    if let Some((.., text)) = &leg.band {
        out.text("fig", Anchor::Start, (WORDS, END + 34.0), text);
    }
}

#[cfg(test)]
mod tests {
    use super::{END, FOOT, Leg, TOP, leg};

    fn a(from: f64, expected: f64) -> Leg {
        Leg {
            step: 0.05,
            expected: (expected, format!("{expected} mL")),
            from: Some((from, from.to_string())),
            quickly: None,
            band: None,
            own: None,
            by: "by run 1".into(),
        }
    }

    #[test]
    fn before_the_end_is_above_it_whichever_way_the_scale_runs() {
        for (from, expected, early, late) in [(0.5, 29.9, 20.0, 31.0), (40.0, 10.0, 20.0, 9.0)] {
            let l = a(from, expected);
            assert!(l.y(early) < END && l.y(late) > END && (l.y(expected) - END).abs() < 1e-9, "{from} to {expected}");
            assert!(l.y(from) >= TOP && l.y(1e9_f64.copysign(late - early)) <= FOOT);
        }
    }

    #[test]
    fn drops_begin_where_quickly_ends_and_a_leg_without_it_is_all_drops() {
        let quick = Leg { quickly: Some((27.0, "27.00".into())), ..a(0.75, 29.9) };
        let drops = |l: &Leg| leg(l).as_str().matches("class=\"drip\"").count();
        assert!(leg(&quick).as_str().contains("quickly to 27.00") && leg(&quick).as_str().contains("class=\"flow\""));
        assert!(!leg(&a(0.75, 29.9)).as_str().contains("class=\"flow\""));
        assert!(drops(&quick) > 4 && drops(&a(0.75, 29.9)) > drops(&quick));
    }
}
