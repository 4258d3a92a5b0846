//! A lab's table as fields to fill in, in the order of its data sheet; and what was filled in as a submission, every text
//! as typed. Used where paper is typed off and where readings are checked in the room.

use std::collections::{BTreeMap, HashMap};

use jurado_core::protocol::{ItemId, Protocol, ReadingKind, RowCount, TableId};
use jurado_core::submission::{Submission, SubmittedCell};

/// Fields as a browser sends them.
pub(crate) type Fields = Vec<(String, String)>;

/// Most fields of a form: some more than the largest lab's table has boxes.
pub(crate) const MOST_FIELDS: usize = 4_000;

/// The fields of a form, of which there may be so many and no more.
pub(crate) struct Bounded(pub(crate) Fields);

impl<'de> serde::Deserialize<'de> for Bounded {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Bounded, D::Error> {
        struct Pairs;
        impl<'de> serde::de::Visitor<'de> for Pairs {
            type Value = Fields;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                write!(f, "at most {MOST_FIELDS} fields")
            }

            fn visit_seq<A: serde::de::SeqAccess<'de>>(self, mut all: A) -> Result<Fields, A::Error> {
                let mut out = Fields::new();
                while let Some(pair) = all.next_element()? {
                    if out.len() == MOST_FIELDS {
                        return Err(serde::de::Error::invalid_length(out.len() + 1, &self));
                    }
                    out.push(pair);
                }
                Ok(out)
            }
        }
        from.deserialize_seq(Pairs).map(Bounded)
    }
}

/// A field's text.
pub(crate) fn field<'a>(fields: &'a Fields, name: &str) -> Option<&'a str> {
    fields.iter().find(|(n, _)| n == name).map(|(_, v)| v.as_str())
}

/// A form over a lab.
pub(crate) struct FormView {
    pub(crate) keys: Vec<KeyView>,
    pub(crate) bays: Vec<BayView>,
}

/// A key of the whole table.
pub(crate) struct KeyView {
    pub(crate) name: String,
    pub(crate) title: String,
    pub(crate) value: String,
    pub(crate) values: Vec<String>,
}

/// A bay with its single and repeated items, and its tables.
pub(crate) struct BayView {
    pub(crate) title: String,
    pub(crate) lines: Vec<LineView>,
    pub(crate) grids: Vec<GridView>,
}

/// An item with one box or several.
pub(crate) struct LineView {
    pub(crate) title: String,
    pub(crate) symbol: super::Symbol,
    pub(crate) unit: String,
    pub(crate) boxes: Vec<BoxView>,
    pub(crate) is_result: bool,
}

/// A table: a column for each item, a line for each row.
pub(crate) struct GridView {
    pub(crate) title: String,
    pub(crate) columns: Vec<(String, String)>,
    pub(crate) rows: Vec<(u32, Vec<BoxView>)>,
}

/// One box.
pub(crate) struct BoxView {
    pub(crate) name: String,
    pub(crate) label: String,
    pub(crate) value: String,
    pub(crate) words: Vec<String>,
    /// Decimals that the instrument shows, in the unit of the box; `None` where it is no reading of a display or scale.
    pub(crate) places: Option<usize>,
    /// Unit of the box.
    pub(crate) unit: String,
    /// Whether a stated ± goes with it: its name and value.
    pub(crate) plus_minus: Option<(String, String)>,
}

/// Most rows that a form offers of a table whose number of rows is open; those that are filled are offered in any case.
const MOST_ROWS: u32 = 30;

/// Decimals that a reading's instrument shows: those of its step. `None` also where the scale goes below nought, since a bed
/// of digits has no sign.
fn places(protocol: &Protocol, item: ItemId) -> Option<usize> {
    let reading = protocol.reading_of(item).filter(|r| r.kind == ReadingKind::Number)?;
    let instrument = &protocol.instruments[reading.instrument?];
    let below = reading.plausible.or(instrument.range).is_none_or(|(low, _)| low < 0.0);
    let whole = |decimals: usize| {
        let steps = instrument.step * 10f64.powi(decimals as i32);
        (steps - steps.round()).abs() < 1e-6 && steps > 0.5
    };
    if below { None } else { (0..6).find(|d| whole(*d)) }
}

/// A form over a protocol's readings, and its results where they are wanted too, filled in with what is there.
pub(crate) fn form(protocol: &Protocol, filled: &Fields, results: bool) -> FormView {
    let by_name: HashMap<&str, &str> = filled.iter().rev().map(|(n, v)| (n.as_str(), v.as_str())).collect();
    let value = |name: &str| by_name.get(name).copied().unwrap_or("").to_owned();
    let last_rows = last_rows(protocol, filled);
    let offered = |item: ItemId, rows: u32| rows.min(MOST_ROWS).max(last_rows.get(&item).copied().unwrap_or(0));
    let row_keys: Vec<usize> = protocol.tables.iter().filter_map(|t| t.key).collect();
    let keys = protocol
        .keys
        .iter()
        .enumerate()
        .filter(|(k, _)| !row_keys.contains(k))
        .map(|(_, k)| KeyView {
            name: format!("k.{}", k.id),
            title: k.title.clone(),
            value: value(&format!("k.{}", k.id)),
            values: k.values.clone(),
        })
        .collect();
    let make = |item: ItemId, row: Option<u32>| {
        let it = &protocol.items[item];
        let place = row.map_or_else(|| it.id.clone(), |r| format!("{}:{r}", it.id));
        let asked = protocol.results.iter().any(|r| r.item == item && r.plus_minus);
        BoxView {
            value: value(&format!("c.{place}")),
            label: row.map_or_else(|| it.title.clone(), |r| format!("{}, {r}", it.title)),
            words: it.words.clone().unwrap_or_default(),
            places: places(protocol, item),
            unit: it.unit_after().trim().to_owned(),
            plus_minus: asked.then(|| (format!("p.{place}"), value(&format!("p.{place}")))),
            name: format!("c.{place}"),
        }
    };
    let bays = protocol
        .bays
        .iter()
        .enumerate()
        .map(|(b, bay)| {
            let items: Vec<(ItemId, Option<TableId>, bool)> = protocol
                .readings
                .iter()
                .filter(|r| r.bay == b)
                .map(|r| (r.item, r.table, false))
                .chain(protocol.results.iter().filter(|r| results && r.bay == b).map(|r| (r.item, r.table, true)))
                .collect();
            let lines = items
                .iter()
                .filter(|(_, table, _)| table.is_none())
                .map(|(item, _, is_result)| {
                    let it = &protocol.items[*item];
                    let boxes = match protocol.rows_of(*item) {
                        Some(rows) => (1..=offered(*item, rows)).map(|r| make(*item, Some(r))).collect(),
                        None => vec![make(*item, None)],
                    };
                    LineView {
                        title: super::capital(&it.title),
                        symbol: super::Symbol::of(&it.symbol),
                        unit: it.unit_after().trim().to_owned(),
                        boxes,
                        is_result: *is_result,
                    }
                })
                .collect();
            let grids = TableId::with(&protocol.tables)
                .filter(|(t, _)| items.iter().any(|(_, table, _)| *table == Some(*t)))
                .map(|(t, table)| {
                    let mine: Vec<ItemId> =
                        items.iter().filter(|(_, table, _)| *table == Some(t)).map(|(i, ..)| *i).collect();
                    let most = match table.rows {
                        RowCount::Fixed(n) => n,
                        RowCount::Between(_, most) => most,
                        RowCount::Parameter(_) => mine.first().and_then(|i| protocol.rows_of(*i)).unwrap_or(1),
                    };
                    let key = table.key.map(|k| &protocol.keys[k]);
                    let mut columns: Vec<(String, String)> =
                        key.iter().map(|k| (k.title.clone(), String::new())).collect();
                    columns.extend(mine.iter().map(|i| {
                        let it = &protocol.items[*i];
                        (super::capital(&it.title), it.unit_after().trim().to_owned())
                    }));
                    let last = mine.iter().map(|i| offered(*i, most)).max().unwrap_or(0);
                    let rows = (1..=last)
                        .map(|r| {
                            let mut boxes: Vec<BoxView> = key
                                .iter()
                                .map(|k| BoxView {
                                    name: format!("r.{}:{r}", t.index()),
                                    label: format!("{}, row {r}", k.title),
                                    value: value(&format!("r.{}:{r}", t.index())),
                                    words: k.values.clone(),
                                    places: None,
                                    unit: String::new(),
                                    plus_minus: None,
                                })
                                .collect();
                            boxes.extend(mine.iter().map(|i| make(*i, Some(r))));
                            (r, boxes)
                        })
                        .collect();
                    GridView { title: super::capital(&table.title), columns, rows }
                })
                .collect();
            BayView { title: bay.title.clone(), lines, grids }
        })
        .filter(|b: &BayView| !b.lines.is_empty() || !b.grids.is_empty())
        .collect();
    FormView { keys, bays }
}

/// The last row that is filled of each repeated item, as far as a lab's rows are taken.
fn last_rows(protocol: &Protocol, filled: &Fields) -> HashMap<ItemId, u32> {
    let mut out: HashMap<ItemId, u32> = HashMap::new();
    for (name, _) in filled {
        let place = name.strip_prefix("c.").and_then(|place| place.split_once(':'));
        let Some((id, row)) = place else { continue };
        if let (Some(item), Ok(row)) = (protocol.item(id), row.parse::<u32>())
            && protocol.most_row(item).is_some_and(|most| row <= most)
        {
            let last = out.entry(item).or_default();
            *last = row.max(*last);
        }
    }
    out
}

/// What was filled in, as a table. Empty boxes are left out; every text stays as typed.
pub(crate) fn submission(protocol: &Protocol, fields: &Fields, section: &str, team: &str) -> Submission {
    let mut table = Submission { section: section.to_owned(), team: team.to_owned(), ..Submission::default() };
    let by_name: HashMap<&str, &str> = fields.iter().rev().map(|(n, v)| (n.as_str(), v.as_str())).collect();
    let field = |name: String| by_name.get(name.as_str()).copied();
    for key in &protocol.keys {
        if let Some(value) = field(format!("k.{}", key.id)).map(str::trim).filter(|v| !v.is_empty()) {
            table.keys.insert(key.id.clone(), value.to_owned());
        }
    }
    for (name, value) in fields {
        let Some(place) = name.strip_prefix("c.") else { continue };
        let (id, row) = match place.split_once(':') {
            Some((id, row)) => (id, row.parse::<u32>().ok()),
            None => (place, None),
        };
        let Some(item) = protocol.item(id).filter(|i| protocol.is_typed(*i)) else { continue };
        // No form of ours has a box beyond the table.
        if row.is_some_and(|n| n == 0 || protocol.most_row(item).is_none_or(|most| n > most)) {
            continue;
        }
        let plus_minus = field(format!("p.{place}")).unwrap_or("").trim().to_owned();
        let value = value.trim();
        if value.is_empty() && plus_minus.is_empty() {
            continue;
        }
        let mut keys = BTreeMap::new();
        if let (Some(t), Some(row)) = (protocol.table_of(item), row)
            && let Some(key) = protocol.tables[t].key
            && let Some(at) = field(format!("r.{}:{row}", t.index())).filter(|v| !v.is_empty())
        {
            keys.insert(protocol.keys[key].id.clone(), at.to_owned());
        }
        table.cells.push(SubmittedCell {
            item: id.to_owned(),
            row,
            keys,
            value: value.to_owned(),
            plus_minus,
            ..SubmittedCell::default()
        });
    }
    table
}

/// A table's cells as the fields of a form.
pub(crate) fn fields_of(protocol: &Protocol, table: &Submission) -> Fields {
    let mut out: Fields = table.keys.iter().map(|(k, v)| (format!("k.{k}"), v.clone())).collect();
    for cell in &table.cells {
        let place = cell.row.map_or_else(|| cell.item.clone(), |r| format!("{}:{r}", cell.item));
        out.push((format!("c.{place}"), cell.value.clone()));
        if !cell.plus_minus.is_empty() {
            out.push((format!("p.{place}"), cell.plus_minus.clone()));
        }
        let table = protocol.item(&cell.item).and_then(|i| protocol.table_of(i));
        if let (Some(t), Some(row)) = (table, cell.row)
            && let Some(key) = protocol.tables[t].key
            && let Some(at) = cell.keys.get(&protocol.keys[key].id)
        {
            let name = format!("r.{}:{row}", t.index());
            if field(&out, &name).is_none() {
                out.push((name, at.clone()));
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::{Fields, fields_of, form, submission};
    use jurado_core::protocol::Protocol;

    fn lab(name: &str) -> Protocol {
        let path = format!("{}/../../protocols/{name}.toml", env!("CARGO_MANIFEST_DIR"));
        Protocol::parse(&std::fs::read_to_string(path).expect("a protocol")).expect("it is right")
    }

    /// Every box of every form filled, taken as a table, and laid out again, is the same.
    #[test]
    fn what_is_typed_comes_back_as_it_was_typed() {
        for name in ["keel-plate", "fog-pipe", "bilge-acid", "davit-balance", "lantern-gas"] {
            if !std::path::Path::new(&format!("{}/../../protocols/{name}.toml", env!("CARGO_MANIFEST_DIR"))).exists() {
                continue;
            }
            let protocol = lab(name);
            let view = form(&protocol, &Vec::new(), true);
            let mut fields: Fields = Vec::new();
            for (n, bay) in view.bays.iter().enumerate() {
                let boxes = bay.lines.iter().flat_map(|l| &l.boxes);
                let boxes = boxes.chain(bay.grids.iter().flat_map(|g| g.rows.iter().flat_map(|r| &r.1)));
                for (m, b) in boxes.enumerate() {
                    fields.push((b.name.clone(), b.words.first().cloned().unwrap_or_else(|| format!("{n}.{m}0"))));
                    fields.extend(b.plus_minus.iter().map(|(name, _)| (name.clone(), "0.10".to_owned())));
                }
            }
            let table = submission(&protocol, &fields, "Morning", "Heron");
            assert!(table.cells.len() > 5, "{name}");
            let mut back = fields_of(&protocol, &table);
            back.sort();
            fields.sort();
            assert_eq!(back, fields, "{name}");
        }
    }
}
