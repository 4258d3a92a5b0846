//! Looking things up in a checked protocol.
//!
//! All of these are asked many times while a table is judged, so that none of them goes through the
//! lab's text: an id is looked up in a table of ids, everything else by its number.

use super::{Criterion, ItemKind, Protocol, ReadingSpec, Rejection, RowCount, Rule, compile};
use crate::error::Fault;
use crate::formula::ItemId;
use crate::formula::Shape;
use crate::protocol::{ReferenceId, ResultId, TableId};

/// Rows beyond those that a lab asks for that are still taken.
const MORE_ROWS: u32 = 20;

impl Protocol {
    /// Reads and checks a protocol's text.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::LAB;
    /// use jurado_core::protocol::Protocol;
    /// let lab = Protocol::parse(LAB).expect("a lab");
    /// assert_eq!(lab.title, "Mooring post");
    /// // Every fault is told with its line, and how to mend it.
    /// let faults = Protocol::parse(&LAB.replace("mean(girth)", "mean(girht)")).expect_err("a name that is none");
    /// assert!(faults[0].what.contains("girht"), "{}", faults[0]);
    /// ```
    ///
    /// # Errors
    /// Every fault found, each with its place.
    pub fn parse(text: &str) -> Result<Protocol, Vec<Fault>> {
        compile(text)
    }

    /// The item of an id.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// assert!(lab().item("girth").is_some());
    /// assert_eq!(lab().item("girht"), None);
    /// ```
    pub fn item(&self, id: &str) -> Option<ItemId> {
        self.by_id.get(id).copied()
    }

    /// The reading of an item, if it is one.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// let of = |id: &str| lab.item(id).and_then(|item| lab.reading_of(item));
    /// assert!(of("girth").is_some() && of("diameter").is_none());
    /// ```
    pub fn reading_of(&self, item: ItemId) -> Option<&ReadingSpec> {
        match self.items[item].kind {
            ItemKind::Reading(r) => Some(&self.readings[r]),
            _ => None,
        }
    }

    /// The instrument's step in the unit of a reading; `None` without an instrument, or where it
    /// follows a setting.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// // The tape's step, in the unit of the reading.
    /// assert_eq!(lab.step(&lab.readings[0]), Some(0.1));
    /// ```
    pub fn step(&self, spec: &ReadingSpec) -> Option<f64> {
        let instrument = spec.instrument.map(|i| &self.instruments[i]).filter(|i| i.step_of.is_none())?;
        Some(instrument.step * instrument.unit.factor / self.items[spec.item].unit.factor)
    }

    /// The title in words; a result's with its bay where another item has the same, since two bays
    /// may each have a volume.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// assert_eq!(lab.full_title(lab.item("height").expect("a reading")), "height");
    /// ```
    pub fn full_title(&self, item: ItemId) -> String {
        let title = &self.items[item].title;
        let shared = || self.items.iter().filter(|i| i.title == *title).count() > 1;
        match self.items[item].kind {
            ItemKind::Result(r) if shared() => {
                format!("{title} ({})", self.bays[self.results[r].bay].title.to_lowercase())
            }
            _ => title.clone(),
        }
    }

    /// Whether the cells of an item have row numbers: a repeated reading, or a column of a table.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// let rows = |id: &str| lab.has_rows(lab.item(id).expect("an item"));
    /// assert!(rows("girth") && !rows("height"));
    /// ```
    pub fn has_rows(&self, item: ItemId) -> bool {
        matches!(self.items[item].rows, Shape::Column(_))
    }

    /// The table an item is a column of.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// // A reading that is taken three times is no table.
    /// assert_eq!(lab.table_of(lab.item("girth").expect("a reading")), None);
    /// ```
    pub fn table_of(&self, item: ItemId) -> Option<TableId> {
        match self.items[item].kind {
            ItemKind::Reading(r) => self.readings[r].table,
            ItemKind::Result(r) => self.results[r].table,
            _ => None,
        }
    }

    /// The table of an id.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// // The lab has none: its readings are repeated, each by itself.
    /// assert_eq!(lab().table("posts"), None);
    /// ```
    pub fn table(&self, id: &str) -> Option<TableId> {
        TableId::with(&self.tables).find(|(_, t)| t.id == id).map(|(t, _)| t)
    }

    /// The criterion by which the accuracy of a result is judged, and its reference.
    ///
    /// `None` where the rubric says nothing of how near it has to come.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::ResultId;
    /// // The lab knows no true diameter of its post.
    /// assert!(lab().accuracy_of(ResultId::at(0)).is_none());
    /// ```
    pub fn accuracy_of(&self, result: ResultId) -> Option<(&Criterion, ReferenceId)> {
        self.criteria.iter().find_map(|c| match c.rule {
            Rule::Accuracy { result: of, reference, .. } if of == result => Some((c, reference)),
            _ => None,
        })
    }

    /// The key that a row of an item's table belongs to.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// assert_eq!(lab.row_key(lab.item("girth").expect("a reading")), None);
    /// ```
    pub fn row_key(&self, item: ItemId) -> Option<usize> {
        self.table_of(item).and_then(|t| self.tables[t].key)
    }

    /// Rows an item may have at most, where its cells have row numbers.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// assert_eq!(lab.rows_of(lab.item("girth").expect("a reading")), Some(3));
    /// assert_eq!(lab.rows_of(lab.item("height").expect("a reading")), None);
    /// ```
    pub fn rows_of(&self, item: ItemId) -> Option<u32> {
        if !self.has_rows(item) {
            return None;
        }
        if let Some(t) = self.table_of(item) {
            return Some(match self.tables[t].rows {
                RowCount::Fixed(n) => n,
                RowCount::Between(_, most) => most,
                RowCount::Parameter(p) => self.parameter_most(p),
            });
        }
        let spec = self.reading_of(item)?;
        Some(spec.replicates_of.map_or(spec.replicates, |p| self.parameter_most(p)))
    }

    /// The highest row number that is taken for an item whose cells have row numbers: some more
    /// than the lab asks for, since a team may measure once more than it has to. A higher one is a
    /// slip of the pen and not a row: everything that goes through the rows goes up to the highest.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// // Three girths are asked for; a twenty-fourth is a slip of the pen.
    /// assert_eq!(lab.most_row(lab.item("girth").expect("a reading")), Some(23));
    /// assert_eq!(lab.most_row(lab.item("height").expect("a reading")), None);
    /// ```
    pub fn most_row(&self, item: ItemId) -> Option<u32> {
        self.rows_of(item).map(|most| most.saturating_add(MORE_ROWS))
    }

    /// The most rows that a parameter can ask for.
    ///
    /// Never more than 10 000, whatever the lab says.
    fn parameter_most(&self, item: ItemId) -> u32 {
        match self.items[item].kind {
            ItemKind::Parameter(p) => self.parameters[p].range.1.clamp(1.0, 10_000.0) as u32,
            _ => 1,
        }
    }

    /// Whether a team fills this item's cells in.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// let lab = lab();
    /// assert!(lab.is_typed(lab.item("girth").expect("a reading")));
    /// ```
    pub fn is_typed(&self, item: ItemId) -> bool {
        matches!(self.items[item].kind, ItemKind::Reading(_) | ItemKind::Result(_))
    }

    /// How a reading's replicates may be rejected: its own school, the course's, else by how many
    /// there are.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::protocol::Rejection;
    /// let lab = lab();
    /// assert_eq!(lab.rejection_of(None, 5), Rejection::Dixon);
    /// assert_eq!(lab.rejection_of(None, 12), Rejection::Grubbs);
    /// // What the reading itself names goes before both.
    /// assert_eq!(lab.rejection_of(Some(Rejection::ModifiedZ), 5), Rejection::ModifiedZ);
    /// ```
    pub fn rejection_of(&self, own: Option<Rejection>, n: usize) -> Rejection {
        own.or(self.school.rejection).unwrap_or(if n < 8 { Rejection::Dixon } else { Rejection::Grubbs })
    }
}
