//! A lab's parts as small forms beside its text.

use jurado_core::protocol::form::{KINDS, Kind, LAB, Part, Shape, kind, parts, with_part, without_part};

use super::entry::{Fields, field};

/// The forms beside a text.
#[derive(Default)]
pub(crate) struct LabFormView {
    /// Kind, and its parts: value and name.
    pub(crate) groups: Vec<(&'static str, Vec<(String, String)>)>,
    /// The form that is open.
    pub(crate) open: Option<OpenView>,
    /// What could not be written, each in a sentence.
    pub(crate) faults: Vec<String>,
    /// Line of the text that was written.
    pub(crate) line: Option<usize>,
    /// Line of the part whose form is open.
    pub(crate) at: Option<usize>,
}

/// A form that is open.
pub(crate) struct OpenView {
    /// Kind and place.
    pub(crate) key: String,
    pub(crate) title: String,
    pub(crate) is_new: bool,
    pub(crate) fields: Vec<FieldView>,
    /// Fields that stay in the text as they are.
    pub(crate) others: String,
}

/// One field of it.
pub(crate) struct FieldView {
    pub(crate) name: String,
    pub(crate) label: &'static str,
    pub(crate) value: String,
    pub(crate) needed: bool,
    pub(crate) input: Input,
}

/// How it is asked.
#[derive(PartialEq, Eq)]
pub(crate) enum Input {
    Line,
    Lines,
    Flag,
    Choice(Vec<String>),
}

/// What a form made of a text.
pub(crate) struct Made {
    pub(crate) text: String,
    pub(crate) view: LabFormView,
}

/// Kind and place of a part, as a form sends it: `result:2`, or `result:new`.
fn asked(text: &str) -> Option<(&'static Kind, Option<usize>)> {
    let (id, place) = text.split_once(':')?;
    let place = if place == "new" { None } else { Some(place.parse().ok()?) };
    Some((kind(id)?, place))
}

impl LabFormView {
    /// All parts of a text, with no form open.
    pub(crate) fn of(text: &str) -> LabFormView {
        let all = parts(text);
        let group = |kind: &'static Kind| {
            let of_kind = all.iter().filter(|p| p.kind == kind);
            let mut out: Vec<(String, String)> =
                of_kind.map(|p| (format!("{}:{}", kind.id, p.place), p.name.chars().take(60).collect())).collect();
            if kind.id != LAB {
                out.push((format!("{}:new", kind.id), format!("a new {}", kind.title)));
            }
            (kind.title, out)
        };
        LabFormView { groups: KINDS.iter().map(group).collect(), ..LabFormView::default() }
    }

    fn opened(text: &str, (kind, place): (&'static Kind, Option<usize>), typed: Option<Vec<String>>) -> LabFormView {
        let all = parts(text);
        let there = place.and_then(|at| all.iter().find(|p| p.kind == kind && p.place == at));
        let open = (place.is_none() || there.is_some()).then(|| open(&all, kind, place, there, typed));
        let at = there.and_then(|p| {
            // A caution is its text; any other part is found by its id, which is written once.
            let wanted = if kind.id == "caution" { p.name.clone() } else { format!("id = \"{}\"", p.values[0]) };
            Some(text.lines().position(|l| l.contains(&wanted))? + 1)
        });
        LabFormView { open, at, ..LabFormView::of(text) }
    }
}

fn open(
    all: &[Part],
    kind: &'static Kind,
    place: Option<usize>,
    there: Option<&Part>,
    typed: Option<Vec<String>>,
) -> OpenView {
    let values = typed.or_else(|| there.map(|p| p.values.clone())).unwrap_or_default();
    let ids = |of: &str| all.iter().filter(|p| p.kind.id == of).map(|p| p.values[0].clone()).collect::<Vec<_>>();
    let fields = kind.fields.iter().enumerate().map(|(i, f)| FieldView {
        name: format!("f.{i}"),
        label: f.label,
        value: values.get(i).cloned().unwrap_or_default(),
        needed: f.needed,
        input: match f.shape {
            Shape::Text | Shape::Number | Shape::Points | Shape::Range => Input::Line,
            Shape::Lines => Input::Lines,
            Shape::Flag => Input::Flag,
            Shape::Of(kind) => Input::Choice(ids(kind)),
            Shape::Word(words) => Input::Choice(words.iter().map(|w| (*w).to_owned()).collect()),
        },
    });
    OpenView {
        key: format!("{}:{}", kind.id, place.map_or_else(|| "new".to_owned(), |p| p.to_string())),
        title: there.map_or_else(|| format!("a new {}", kind.title), |p| format!("{}: {}", kind.title, p.name)),
        is_new: place.is_none() || kind.id == LAB,
        fields: fields.collect(),
        others: there.map_or_else(String::new, |p| p.others.join(", ")),
    }
}

/// Does with a text what its forms ask for; nothing where they were not used.
pub(crate) fn used(text: &str, fields: &Fields) -> Option<Made> {
    let then = field(fields, "then").unwrap_or("");
    let made = |text: &str, view| Some(Made { text: text.to_owned(), view });
    match then {
        "open" => {
            let asked = asked(field(fields, "part").unwrap_or(""))?;
            made(text, LabFormView::opened(text, asked, None))
        }
        "write" | "out" => {
            let asked = asked(field(fields, "open").unwrap_or(""))?;
            let (kind, place) = asked;
            let value = |i: usize| field(fields, &format!("f.{i}")).unwrap_or("").replace("\r\n", "\n");
            let typed: Vec<String> = (0..kind.fields.len()).map(value).collect();
            let outcome = match (then, place) {
                ("out", Some(place)) => without_part(text, kind, place),
                _ => with_part(text, kind, place, &typed),
            };
            match outcome {
                Ok(new) => {
                    let differs = new.lines().zip(text.lines()).take_while(|(a, b)| a == b).count() + 1;
                    let line = (new != text).then_some(differs.min(new.lines().count()));
                    made(&new, LabFormView { line, ..LabFormView::of(&new) })
                }
                Err(faults) => {
                    let said = |f: jurado_core::error::Fault| format!("{}: {}.", super::capital(&f.what), f.mend);
                    let faults = faults.into_iter().map(said).collect();
                    made(text, LabFormView { faults, ..LabFormView::opened(text, asked, Some(typed)) })
                }
            }
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jurado_core::protocol::draft::BLANK;

    fn sent(pairs: &[(&str, &str)]) -> Fields {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    #[test]
    fn a_form_is_opened_written_refused_and_taken_out() {
        let made = used(BLANK, &sent(&[("then", "open"), ("part", "instrument:new")])).expect("used");
        let open = made.view.open.expect("open");
        assert_eq!((open.is_new, open.key.as_str(), made.text.as_str()), (true, "instrument:new", BLANK));
        let bad = [
            ("then", "write"),
            ("open", "instrument:new"),
            ("f.0", "scale"),
            ("f.1", "scale"),
            ("f.2", "g"),
            ("f.3", "x"),
        ];
        let made = used(BLANK, &sent(&bad)).expect("used");
        assert_eq!((made.text.as_str(), made.view.faults.len()), (BLANK, 1));
        assert_eq!(made.view.open.expect("still open").fields[3].value, "x", "what was typed stays");
        let good = [&bad[..5], &[("f.3", "0.01")]].concat();
        let made = used(BLANK, &sent(&good)).expect("used");
        let line = made.view.line.expect("written");
        assert!(made.text.lines().nth(line - 1).expect("the line").contains("scale"), "{line}: {}", made.text);
        let place = parts(&made.text).iter().filter(|p| p.kind.id == "instrument").count() - 1;
        let out = used(&made.text, &sent(&[("then", "out"), ("open", &format!("instrument:{place}"))])).expect("used");
        assert_eq!(out.text, BLANK);
        for nothing in [sent(&[]), sent(&[("then", "set")]), sent(&[("then", "open"), ("part", "boat:1")])] {
            assert!(used(BLANK, &nothing).is_none());
        }
    }
}
