//! The cell reader. Each step takes one thing off the text (corrections, remarks, bounds, a stated
//! half-width, a unit) until a bare number is left; what cannot be taken apart is unreadable and
//! keeps its text.

use super::{Cell, CellKind, Comma, CommaBy, Hints, Number, PlusMinus, Remark, Unreadable};
use crate::quantity::{Unit, UnitError, power_of_ten};

/// Longest cell read as a number, in characters.
pub(super) const MAX_CELL: usize = 200;

/// What says that there is nothing.
const NOT_APPLICABLE: [&str; 9] = ["n/a", "na", "n.a.", "none", "nil", "not applicable", "-", "—", "–"];
/// What says that the display still moved.
const UNSETTLED: [&str; 7] =
    ["still rising", "still falling", "still moving", "still drifting", "not settled", "unsettled", "drifting"];
/// What says that a number is about right.
const APPROXIMATE: [&str; 6] = ["~", "≈", "about ", "approx. ", "approx ", "ca. "];

/// Reads one cell. Never fails: a text that is no number becomes [`CellKind::Unreadable`].
///
/// # Example
/// ```
/// use jurado_core::reading::{read, CellKind, Hints};
/// let cell = read("12,40 mm", &Hints::default());
/// let CellKind::Number(n) = cell.kind else { panic!() };
/// assert_eq!((n.value, n.resolution, n.figures()), (12.40, 0.01, 4));
/// ```
pub fn read(text: &str, hints: &Hints) -> Cell {
    if let Some(number) = plainest(text) {
        return Cell { kind: CellKind::Number(Box::new(number)), remarks: Vec::new() };
    }
    let mut remarks = Vec::new();
    let kind = match read_kind(text, hints, &mut remarks) {
        Ok(kind) => kind,
        Err(why) => CellKind::Unreadable { why },
    };
    Cell { kind, remarks }
}

/// `12.40`, `-0.02`: what most cells hold, read without taking anything apart. The long way gives
/// the same.
fn plainest(text: &str) -> Option<Number> {
    let text = text.trim_matches(' ');
    let (negative, digits) = match text.strip_prefix('-').or_else(|| text.strip_prefix('−')) {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let points = digits.bytes().filter(|b| *b == b'.').count();
    let plain = digits.bytes().all(|b| b.is_ascii_digit() || b == b'.');
    if !plain || points > 1 || digits.len() > 20 || !digits.starts_with(|c: char| c.is_ascii_digit()) {
        return None;
    }
    let decimals = digits.find('.').map_or(0, |at| digits.len() - at - 1);
    let magnitude: f64 = digits.parse().ok()?;
    let value = if negative { -magnitude } else { magnitude };
    let number = Number::plain(value, digits.trim_end_matches('.').to_owned(), -(decimals as i32));
    Some(Number { comma: (points == 1).then_some(false), ..number })
}

/// What a text turns out to be: corrections, remarks and bounds are taken off it one after the
/// other, and a number is left.
///
/// What was taken off on the way is told in `remarks`.
fn read_kind(text: &str, hints: &Hints, remarks: &mut Vec<Remark>) -> Result<CellKind, Unreadable> {
    if text.chars().count() > MAX_CELL {
        return Err(Unreadable::TooLong(MAX_CELL));
    }
    let text: String = text
        .chars()
        .map(|c| match c {
            '\u{a0}' | '\u{2009}' | '\u{202f}' | '\u{2007}' | '\t' => ' ',
            '\u{2212}' | '\u{fe63}' | '\u{ff0d}' => '−',
            c => c,
        })
        .collect();
    let text = text.trim();
    if text.is_empty() {
        return Ok(CellKind::Blank);
    }
    if NOT_APPLICABLE.contains(&text.to_lowercase().as_str()) {
        return Ok(CellKind::NotApplicable);
    }
    let (text, earlier) = split_corrections(text, hints)?;
    if !earlier.is_empty() {
        remarks.push(Remark::Corrected { last: text.to_owned() });
    }
    let (text, unsettled) = strip_unsettled(text);
    let (text, approximate) = strip_approximate(&text);
    if unsettled {
        remarks.push(Remark::Unsettled);
    }
    if approximate {
        remarks.push(Remark::Approximate);
    }
    if let Some(bound) = read_bound(text, hints)? {
        return Ok(bound);
    }
    let mut number = read_quantity(text, hints, remarks)?;
    (number.earlier, number.approximate, number.unsettled) = (earlier, approximate, unsettled);
    Ok(CellKind::Number(Box::new(number)))
}

/// `6.31 → 6.27`: the last counts; the earlier values, oldest first.
///
/// Four kinds of arrow are known.
fn split_corrections<'a>(text: &'a str, hints: &Hints) -> Result<(&'a str, Vec<f64>), Unreadable> {
    let mut parts: Vec<&str> = vec![text];
    for arrow in ["→", "->", "=>", "⇒"] {
        parts = parts.into_iter().flat_map(|p| p.split(arrow)).collect();
    }
    let last = parts.pop().unwrap_or(text).trim();
    if last.is_empty() {
        return Err(Unreadable::NothingAfterArrow);
    }
    let mut earlier = Vec::new();
    for part in parts {
        earlier.push(read_quantity(part.trim(), hints, &mut Vec::new())?.value);
    }
    Ok((last, earlier))
}

/// Takes the words off that say the display had not settled.
///
/// The phrase may stand before or after the number, in brackets or not.
fn strip_unsettled(text: &str) -> (String, bool) {
    let lower = text.to_lowercase();
    for phrase in UNSETTLED {
        // Byte places agree only while lowering keeps lengths; where it does not, the text is left alone.
        if lower.len() == text.len()
            && let Some(at) = lower.find(phrase)
            && text.is_char_boundary(at)
            && text.is_char_boundary(at + phrase.len())
        {
            let rest = format!("{} {}", &text[..at], &text[at + phrase.len()..]);
            return (rest.trim_matches(|c: char| c.is_whitespace() || "(),;".contains(c)).to_owned(), true);
        }
    }
    (text.to_owned(), false)
}

/// Takes the sign off that says a number is about right.
///
/// “about”, “ca.” and `~` are known.
fn strip_approximate(text: &str) -> (&str, bool) {
    // “= 2.707” is how a result ends a line of working.
    let text = text.strip_prefix('=').map_or(text, str::trim_start);
    for prefix in APPROXIMATE {
        if let Some(rest) = text.strip_prefix(prefix) {
            return (rest.trim(), true);
        }
    }
    (text, false)
}

/// A bound such as `>20` or `20+`: the value lies above or below it, and is not known.
///
/// `None` where there is none.
fn read_bound(text: &str, hints: &Hints) -> Result<Option<CellKind>, Unreadable> {
    for (sign, above) in [(">", true), ("≥", true), ("<", false), ("≤", false)] {
        if let Some(rest) = text.strip_prefix(sign) {
            let rest = rest.trim_start_matches('=').trim();
            return Ok(Some(CellKind::Bound { limit: read_quantity(rest, hints, &mut Vec::new())?.value, above }));
        }
    }
    if let Some(rest) = text.strip_suffix('+') {
        return Ok(Some(CellKind::Bound {
            limit: read_quantity(rest.trim(), hints, &mut Vec::new())?.value,
            above: true,
        }));
    }
    Ok(None)
}

/// A number with whatever states its half-width and unit.
///
/// A half-width in brackets counts in the last digits: 12.40(5) is ± 0.05.
fn read_quantity(text: &str, hints: &Hints, remarks: &mut Vec<Remark>) -> Result<Number, Unreadable> {
    for sign in ["±", "+/-", "+-", "+/−"] {
        if let Some((left, right)) = text.split_once(sign) {
            let number = plain_number(left.trim(), hints, remarks)?;
            return with_half_width(number, plain_number(right.trim(), hints, remarks)?);
        }
    }
    if let Some(range) = read_range(text, hints)? {
        return Ok(range);
    }
    if let Some((left, right)) = text.split_once('(')
        && let Some((inside, unit)) = right.split_once(')')
        && left.ends_with(|c: char| c.is_ascii_digit())
        && !inside.is_empty()
        && inside.len() <= 3
        && inside.chars().all(|c| c.is_ascii_digit())
    {
        let number = plain_number(&format!("{left}{unit}"), hints, remarks)?;
        let half: f64 = inside.parse().map_err(|_| Unreadable::Brackets)?;
        let (last_place, figures) = (number.last_place, inside.trim_start_matches('0').len().max(1));
        let plus_minus = PlusMinus { value: half * power_of_ten(last_place), last_place, figures };
        return Ok(Number { plus_minus: Some(plus_minus), ..number });
    }
    plain_number(text, hints, remarks)
}

/// A number with what stands behind its ±: `12.4 ± 0.2 mm` and `12.4 mm ± 0.2 mm` both mean mm for
/// both.
///
/// A negative one is refused.
fn with_half_width(number: Number, half: Number) -> Result<Number, Unreadable> {
    if half.value < 0.0 {
        return Err(Unreadable::NegativeHalfWidth);
    }
    let plus_minus = PlusMinus { value: half.value, last_place: half.last_place, figures: half.figures() };
    Ok(Number { plus_minus: Some(plus_minus), unit: number.unit.clone().or(half.unit), ..number })
}

/// `31–33`, `31 to 33`, and `31-33` only where the second is larger: midpoint and half-width.
///
/// A minus between two numbers is a range only where the second is the larger.
fn read_range(text: &str, hints: &Hints) -> Result<Option<Number>, Unreadable> {
    let split = text
        .split_once('–')
        .or_else(|| text.split_once(" to "))
        .or_else(|| text.char_indices().skip(1).find(|(_, c)| *c == '-').map(|(i, _)| (&text[..i], &text[i + 1..])));
    let Some((left, right)) = split else { return Ok(None) };
    if left.trim_end().ends_with(['e', 'E', '^', '/']) {
        return Ok(None);
    }
    let (Ok(low), Ok(high)) =
        (plain_number(left.trim(), hints, &mut Vec::new()), plain_number(right.trim(), hints, &mut Vec::new()))
    else {
        return Ok(None);
    };
    if high.value <= low.value {
        return Err(Unreadable::RangeTurned);
    }
    Ok(Some(between(low, high)))
}

/// The midpoint of two ends, with half their distance as its half-width. That of 31–34 is 32.5: it
/// has one place more than the ends show.
///
/// 31–33 is 32 ± 1.
fn between(low: Number, high: Number) -> Number {
    let half = (high.value - low.value) / 2.0;
    let middle = (low.value + high.value) / 2.0;
    let place = low.last_place.min(high.last_place);
    let decimals = usize::try_from(1 - place).unwrap_or(0);
    let written = format!("{middle:.decimals$}");
    let digits =
        if written.contains('.') { written.trim_end_matches('0').trim_end_matches('.').to_owned() } else { written };
    let last_place = digits.split_once('.').map_or(0, |(_, d)| -(d.len() as i32)).max(place - 1).min(place);
    Number {
        value: middle,
        digits,
        last_place,
        resolution: power_of_ten(place),
        plus_minus: Some(PlusMinus { value: half, last_place: place, figures: 1 }),
        unit: high.unit.or(low.unit),
        ..low
    }
}

/// Whether a unit such as `1/cm` or `10⁻² cm⁻¹` stands here: its 1 is no further digit of the
/// number.
///
/// `12 1/cm` is twelve per centimetre and no mixed number.
fn reciprocal_unit(chars: &[char]) -> bool {
    matches!(chars, ['1', '/', c, ..] if !c.is_ascii_digit()) || matches!(chars, ['1', '0', '^' | '⁻' | '¹'..='⁹', ..])
}

/// A number and nothing but a unit after it.
///
/// What cannot be computed with is refused: beyond 10³⁰⁰, or below 10⁻³⁰⁰ and not nought.
fn plain_number(text: &str, hints: &Hints, remarks: &mut Vec<Remark>) -> Result<Number, Unreadable> {
    let chars: Vec<char> = text.chars().collect();
    let (negative, start) = sign_of(&chars);
    if let Some(fraction) = read_fraction(&chars[start..], negative, hints)? {
        return Ok(fraction);
    }
    let end = body_end(&chars, start);
    let body: String = chars[start..end].iter().collect();
    let rest: String = chars[end..].iter().collect();
    if !body.contains(|c: char| c.is_ascii_digit()) {
        return Err(Unreadable::NoNumber(text.to_owned()));
    }
    let (plain, comma) = plain_digits(&body, hints, remarks)?;
    let (exponent, rest) = read_exponent(&rest)?;
    let unit = unit_after(&rest)?;
    let digits = if plain.starts_with('.') { format!("0{plain}") } else { plain };
    let magnitude: f64 = format!("{digits}e{exponent}").parse().map_err(|_| Unreadable::NotANumber(body.clone()))?;
    if !magnitude.is_finite() || magnitude.abs() > 1e300 || (magnitude != 0.0 && magnitude.abs() < 1e-300) {
        return Err(Unreadable::BeyondComputing);
    }
    let decimals = digits.split_once('.').map_or(0, |(_, d)| d.len() as i32);
    let value = if negative { -magnitude } else { magnitude };
    let number = Number::plain(value, digits.trim_end_matches('.').to_owned(), exponent - decimals);
    Ok(Number { unit, comma, ..number })
}

/// The unit after a number, if any stands there.
///
/// An unknown unit makes the cell unreadable: the number may be of anything.
fn unit_after(rest: &str) -> Result<Option<Unit>, Unreadable> {
    match rest.trim() {
        "" => Ok(None),
        unit => Unit::parse(unit).map(Some).map_err(|error| match error {
            UnitError::Unknown(u) => Unreadable::UnknownUnit(u),
            UnitError::Malformed(u) => Unreadable::MalformedUnit(u),
        }),
    }
}

/// Whether a minus stands in front, and where what follows the sign and its spaces begins.
///
/// A plus is passed over.
fn sign_of(chars: &[char]) -> (bool, usize) {
    let (negative, signs) = match chars.first() {
        Some('-' | '−') => (true, 1),
        Some('+') => (false, 1),
        _ => (false, 0),
    };
    (negative, signs + chars[signs..].iter().take_while(|c| **c == ' ').count())
}

/// Where the digits end, with the marks and spaces between them.
///
/// Blanks and apostrophes group digits only between digits.
fn body_end(chars: &[char], start: usize) -> usize {
    let mut at = start;
    while let Some(c) = chars.get(at) {
        let digit_next = chars.get(at + 1).is_some_and(char::is_ascii_digit);
        let mark = matches!(c, '.' | ',');
        let grouped = at > start && matches!(c, ' ' | '\'') && digit_next && !reciprocal_unit(&chars[at + 1..]);
        if !(c.is_ascii_digit() || mark || grouped) {
            break;
        }
        at += 1;
    }
    at
}

/// `5/32` and `1 5/8`, with a unit after. The resolution is the graduation, not the denominator's.
///
/// `None` where it is no fraction.
fn read_fraction(chars: &[char], negative: bool, hints: &Hints) -> Result<Option<Number>, Unreadable> {
    let text: String = chars.iter().collect();
    let Some((left, right)) = text.split_once('/') else { return Ok(None) };
    if !left.chars().all(|c| c.is_ascii_digit() || c == ' ') || !right.starts_with(|c: char| c.is_ascii_digit()) {
        return Ok(None);
    }
    let (whole, top) = match left.split_whitespace().collect::<Vec<&str>>()[..] {
        [top] => ("0", top),
        [whole, top] => (whole, top),
        _ => return Ok(None),
    };
    let end = right.find(|c: char| !c.is_ascii_digit()).unwrap_or(right.len());
    let parse = |s: &str| s.parse::<f64>().map_err(|_| Unreadable::NotANumber(s.to_owned()));
    let (whole, top, bottom) = (parse(whole)?, parse(top)?, parse(&right[..end])?);
    if bottom == 0.0 {
        return Err(Unreadable::ZeroUnderLine);
    }
    let unit = unit_after(&right[end..])?;
    let value = whole + top / bottom;
    let resolution = hints.graduation.unwrap_or(1.0 / bottom);
    if !value.is_finite() || resolution <= 0.0 {
        return Err(Unreadable::BeyondComputing);
    }
    let signed = if negative { -value } else { value };
    let number = Number::plain(signed, format!("{value}"), resolution.log10().floor() as i32);
    Ok(Some(Number { resolution, unit, fraction: true, ..number }))
}

/// Takes grouping out and makes the decimal mark a point. The second value: whether a comma was the
/// decimal mark.
///
/// Which mark is the decimal one follows from the other, where both stand there.
fn plain_digits(body: &str, hints: &Hints, remarks: &mut Vec<Remark>) -> Result<(String, Option<bool>), Unreadable> {
    let compact = ungroup(body, &[' ', '\''])?;
    let (points, commas) = (compact.matches('.').count(), compact.matches(',').count());
    match (points, commas) {
        (0, 0) => Ok((compact, None)),
        (1, 0) => Ok((compact, Some(false))),
        (0, 1) => single_comma(&compact, hints, remarks),
        (1, _) if compact.rfind(',') < compact.rfind('.') => Ok((ungroup(&compact, &[','])?, Some(false))),
        (_, 1) if compact.rfind('.') < compact.rfind(',') => {
            Ok((ungroup(&compact, &['.'])?.replace(',', "."), Some(true)))
        }
        (0, _) => Ok((ungroup(&compact, &[','])?, None)),
        (_, 0) => Err(Unreadable::SecondMark(body.to_owned())),
        _ => Err(Unreadable::MixedMarks(body.to_owned())),
    }
}

/// Removes grouping marks; each must stand before exactly three digits.
///
/// `1 234` and `1'234` are groups, `1 23` is a gap.
fn ungroup(body: &str, marks: &[char]) -> Result<String, Unreadable> {
    let chars: Vec<char> = body.chars().collect();
    for (i, c) in chars.iter().enumerate() {
        if marks.contains(c) {
            let run = chars[i + 1..].iter().take_while(|c| c.is_ascii_digit()).count();
            let before = i > 0 && chars[i - 1].is_ascii_digit();
            if run != 3 || !before {
                return Err(Unreadable::Gap(body.to_owned()));
            }
        }
    }
    Ok(chars.into_iter().filter(|c| !marks.contains(c)).collect())
}

/// One comma and no point: `12,4` is a decimal; `1,234` is decided from the column, then from the
/// plausible range.
///
/// Where neither the column nor the plausible range decides it is either.
fn single_comma(body: &str, hints: &Hints, remarks: &mut Vec<Remark>) -> Result<(String, Option<bool>), Unreadable> {
    let decimal = body.replace(',', ".");
    let (before, after) = body.split_once(',').unwrap_or((body, ""));
    let could_group = after.len() == 3 && (1..=3).contains(&before.len()) && !before.starts_with('0');
    if !could_group {
        return Ok((decimal, Some(true)));
    }
    let grouped = body.replace(',', "");
    let read_as = |read: &str, by: CommaBy| Remark::Comma { text: body.to_owned(), read: read.to_owned(), by };
    match hints.comma {
        Comma::Decimal => {
            remarks.push(read_as(&decimal, CommaBy::OtherCommas));
            return Ok((decimal, Some(true)));
        }
        Comma::Grouping => {
            remarks.push(read_as(&grouped, CommaBy::OtherPoints));
            return Ok((grouped, None));
        }
        Comma::Unknown => {}
    }
    let inside =
        |text: &str| text.parse::<f64>().ok().zip(hints.plausible).map(|(v, (low, high))| (low..=high).contains(&v));
    match (inside(&decimal), inside(&grouped)) {
        (Some(true), Some(false)) => {
            remarks.push(read_as(&decimal, CommaBy::Implausible(grouped)));
            Ok((decimal, Some(true)))
        }
        (Some(false), Some(true)) => {
            remarks.push(read_as(&grouped, CommaBy::Implausible(decimal)));
            Ok((grouped, None))
        }
        _ => Err(Unreadable::Either { decimal, grouped }),
    }
}

/// `e-2`, `E3`, `× 10^-2`, `x 10⁻²`, `·10^4` at the start of the rest; gives the exponent and what
/// follows it.
///
/// Superscript digits are read as digits.
fn read_exponent(rest: &str) -> Result<(i32, String), Unreadable> {
    let text = rest.trim_start();
    let after_e = text.strip_prefix(['e', 'E']).filter(|t| {
        let t = t.trim_start_matches(['-', '+', '−']);
        t.starts_with(|c: char| c.is_ascii_digit())
    });
    let tail = match after_e {
        Some(t) => Some(t),
        None => text
            .strip_prefix(['×', 'x', 'X', '*', '·'])
            .map(str::trim_start)
            .and_then(|t| t.strip_prefix("10"))
            .map(|t| t.trim_start().trim_start_matches("**").trim_start_matches('^').trim_start()),
    };
    let Some(tail) = tail else { return Ok((0, rest.to_owned())) };
    let mut digits = String::new();
    let mut used = 0;
    for (i, c) in tail.char_indices() {
        let plain = match c {
            '-' | '−' | '⁻' if digits.is_empty() => '-',
            '+' | '⁺' if digits.is_empty() => '+',
            '0'..='9' => c,
            '⁰' => '0',
            '¹' => '1',
            '²' => '2',
            '³' => '3',
            '⁴'..='⁹' => char::from_digit(c as u32 - 0x2070, 10).unwrap_or('0'),
            _ => break,
        };
        digits.push(plain);
        used = i + c.len_utf8();
    }
    let exponent: i32 = digits.parse().map_err(|_| Unreadable::Power)?;
    if exponent.abs() > 400 {
        return Err(Unreadable::PowerBeyond);
    }
    Ok((exponent, tail[used..].to_owned()))
}
