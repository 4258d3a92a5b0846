//! Several things as one list.

use crate::formula::ItemId;
use crate::protocol::Protocol;
use crate::row::Row;

/// Numbers of rows or readings, a comma between them.
pub(super) fn counted_out<N: ToString>(numbers: &[N]) -> String {
    numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
}

/// Results that wait for readings, each once with its rows: "the sum and the density (rows 2, 3)".
pub(super) fn waiting(protocol: &Protocol, results: &[(ItemId, Option<Row>)]) -> String {
    let mut by_item: Vec<(ItemId, Vec<Row>)> = Vec::new();
    for (item, row) in results {
        match by_item.iter_mut().find(|(known, _)| known == item) {
            Some((_, rows)) => rows.extend(*row),
            None => by_item.push((*item, row.iter().copied().collect())),
        }
    }
    let name = |(item, rows): &(ItemId, Vec<Row>)| {
        let title = protocol.full_title(*item);
        match rows.as_slice() {
            [] => format!("the {title}"),
            [row] => format!("the {title} (row {row})"),
            rows => format!("the {title} (rows {})", counted_out(rows)),
        }
    };
    listed(&by_item.iter().map(name).collect::<Vec<_>>())
}

/// Some titles as one list: "the mass, the height and the width".
pub(super) fn listed(names: &[String]) -> String {
    match names.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, rest)) => format!("{} and {last}", rest.join(", ")),
        None => String::new(),
    }
}
