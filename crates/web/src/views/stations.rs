//! A lab's station sheet as a form.

use jurado_core::protocol::Protocol;
use jurado_core::protocol::sheet::{Part, SheetBlock, SheetChange, SheetFault, station_sheet};

use super::entry::{Fields, field};

/// Everything the template lays out.
pub(crate) struct StationsView {
    pub(crate) groups: Vec<GroupView>,
}

/// Blocks that go by one key, or by none.
pub(crate) struct GroupView {
    /// Key's title; empty for single values.
    pub(crate) title: String,
    /// Name of the field for one value more of the key, and what stands in it.
    pub(crate) more: Option<(String, String)>,
    pub(crate) blocks: Vec<BlockView>,
}

/// A constant or reference.
pub(crate) struct BlockView {
    pub(crate) title: String,
    pub(crate) unit: String,
    pub(crate) source: String,
    pub(crate) ranged: bool,
    pub(crate) lines: Vec<LineView>,
}

/// One value.
pub(crate) struct LineView {
    /// What it is for; for a value more: empty.
    pub(crate) at: String,
    pub(crate) boxes: Vec<BoxView>,
    pub(crate) faults: Vec<String>,
}

/// One box.
pub(crate) struct BoxView {
    pub(crate) name: String,
    pub(crate) label: String,
    pub(crate) value: String,
    /// Whether it is a number.
    pub(crate) number: bool,
    pub(crate) wrong: bool,
    /// Whether it differs from what is in force.
    pub(crate) changed: bool,
}

/// Parts that a block asks for.
fn parts(block: &SheetBlock) -> Vec<(Part, &'static str)> {
    let asks = |part: Part| match part {
        Part::Says => block.key.is_some(),
        Part::Low | Part::High => block.ranged,
        Part::Value | Part::Uncertainty => !block.ranged,
    };
    Part::ALL.into_iter().filter(|(p, _)| asks(*p)).collect()
}

/// Name of a box: block, line (none for the value more), part.
fn name(block: usize, line: Option<usize>, part: &str) -> String {
    match line {
        Some(line) => format!("v.{block}.{line}.{part}"),
        None => format!("v.{block}.more.{part}"),
    }
}

fn more_of(key: &str) -> String {
    format!("more.{key}")
}

impl StationsView {
    /// The form over a text, filled in with what was typed, where something was.
    pub(crate) fn new(protocol: &Protocol, source: &str, typed: &Fields, faults: &[SheetFault]) -> StationsView {
        let blocks = station_sheet(source);
        let mut groups: Vec<GroupView> = Vec::new();
        let mut keys: Vec<Option<String>> = Vec::new();
        for (b, block) in blocks.iter().enumerate() {
            let group = keys.iter().position(|k| *k == block.key).unwrap_or_else(|| {
                let key = block.key.as_ref().and_then(|k| protocol.keys.iter().find(|x| x.id == *k));
                keys.push(block.key.clone());
                groups.push(GroupView {
                    title: key.map_or_else(String::new, |k| k.title.clone()),
                    more: block.key.as_ref().map(|k| {
                        let name = more_of(k);
                        let value = field(typed, &name).unwrap_or("").to_owned();
                        (name, value)
                    }),
                    blocks: Vec::new(),
                });
                groups.len() - 1
            });
            let more = groups[group].more.as_ref().map(|(_, value)| value.trim().to_owned());
            let one = |line: Option<usize>| {
                let at = line.map_or_else(|| more.clone().unwrap_or_default(), |l| block.lines[l].at.clone());
                let mine: Vec<&SheetFault> = match line {
                    None if at.is_empty() => Vec::new(),
                    _ => faults.iter().filter(|f| f.block == block.id && f.at == at).collect(),
                };
                let boxes = parts(block)
                    .into_iter()
                    .map(|(part, word)| {
                        let name = name(b, line, word);
                        let stands = line.map_or("", |l| part.of(&block.lines[l]));
                        let value = field(typed, &name).unwrap_or(stands).to_owned();
                        let whose = if line.is_some() { at.clone() } else { "the new one".to_owned() };
                        BoxView {
                            label: format!("{}, {whose}: {}", block.title, says(part)),
                            number: part != Part::Says,
                            wrong: mine.iter().any(|f| f.part == part),
                            changed: value.trim() != stands,
                            name,
                            value,
                        }
                    })
                    .collect();
                LineView {
                    at: line.map_or_else(String::new, |_| at.clone()),
                    boxes,
                    faults: mine.iter().map(|f| f.what.clone()).collect(),
                }
            };
            let mut lines: Vec<LineView> = (0..block.lines.len()).map(|l| one(Some(l))).collect();
            if block.key.is_some() {
                lines.push(one(None));
            }
            groups[group].blocks.push(BlockView {
                title: super::capital(&block.title),
                unit: jurado_core::quantity::Unit::parse(&block.unit).map_or_else(|_| block.unit.clone(), |u| u.text),
                source: block.source.clone(),
                ranged: block.ranged,
                lines,
            });
        }
        StationsView { groups }
    }
}

fn says(part: Part) -> &'static str {
    match part {
        Part::Says => "name",
        Part::Low => "from",
        Part::High => "to",
        Part::Value => "value",
        Part::Uncertainty => "standard uncertainty",
    }
}

/// What a form says: values more of keys, and every part that stands in it.
pub(crate) fn changes(source: &str, typed: &Fields) -> (Vec<(String, String)>, Vec<SheetChange>) {
    let blocks = station_sheet(source);
    let mut added: Vec<(String, String)> = Vec::new();
    for key in blocks.iter().filter_map(|b| b.key.clone()) {
        let value = field(typed, &more_of(&key)).map(str::trim).unwrap_or("");
        if !value.is_empty() && !added.iter().any(|(k, _)| *k == key) {
            added.push((key, value.to_owned()));
        }
    }
    let mut said = Vec::new();
    for (b, block) in blocks.iter().enumerate() {
        let more = block.key.as_ref().and_then(|key| added.iter().find(|(k, _)| k == key)).map(|(_, v)| v.clone());
        let lines =
            (0..block.lines.len()).map(|l| (Some(l), block.lines[l].at.clone())).chain(more.map(|at| (None, at)));
        for (line, at) in lines {
            for (part, word) in parts(block) {
                if let Some(text) = field(typed, &name(b, line, word)) {
                    said.push(SheetChange { block: block.id.clone(), at: at.clone(), part, text: text.to_owned() });
                }
            }
        }
    }
    (added, said)
}
