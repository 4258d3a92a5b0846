//! The kinds of parts that have a form, each with its fields. Only words and shapes: how a part is
//! read and written stands beside.
//!
//! A kind is a list of fields, each with its label and the shape of what may be typed. Fields that
//! need more than a line – plans, conditions, bands – are left to the text, and the form says which
//! it does not show.

/// What a field holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shape {
    /// A text on one line, quoted in the file.
    Text,
    /// A number, kept with the digits that were typed.
    Number,
    /// A decimal that is kept as text, such as points.
    Points,
    /// Two numbers: the ends of a range.
    Range,
    /// Texts, one a line.
    Lines,
    /// `true`, or nothing.
    Flag,
    /// The id of another part of this kind.
    Of(&'static str),
    /// One of these words.
    Word(&'static [&'static str]),
}

/// One field of a form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Field {
    /// Its name in the text.
    pub key: &'static str,
    /// What it is asked as.
    pub label: &'static str,
    /// What it holds.
    pub shape: Shape,
    /// Whether a part without it cannot be.
    pub needed: bool,
}

/// A kind of part with the form for it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Kind {
    /// Its name in the text.
    pub id: &'static str,
    /// What one is called.
    pub title: &'static str,
    /// Its fields, in the order in which they are asked and written.
    pub fields: &'static [Field],
}

/// A field that may stay empty.
const fn field(key: &'static str, label: &'static str, shape: Shape) -> Field {
    Field { key, label, shape, needed: false }
}

/// A field that has to be filled.
const fn needed(key: &'static str, label: &'static str, shape: Shape) -> Field {
    Field { key, label, shape, needed: true }
}

/// Id and title, which nearly every part has.
const ID: Field = needed("id", "Id, as formulas name it", Shape::Text);
const TITLE: Field = needed("title", "What it is, as within a sentence", Shape::Text);
const SYMBOL: Field = field("symbol", "Symbol, such as m_p", Shape::Text);
const BAY: Field = field("bay", "Part of the sheet, if it stands alone", Shape::Of("bay"));
const TABLE: Field = field("table", "Table, if it is a column of one", Shape::Of("table"));

/// Every kind of part that has a form.
pub const KINDS: &[Kind] = &[
    Kind {
        id: LAB,
        title: "lab itself",
        fields: &[
            TITLE,
            needed("version", "Version, counted up with every change", Shape::Number),
            needed("summary", "What is done, in a sentence", Shape::Text),
            needed("possible", "Points there are, as the criteria add up", Shape::Points),
        ],
    },
    Kind { id: "caution", title: "caution", fields: &[needed("caution", "What has to be heeded", Shape::Text)] },
    Kind { id: "bay", title: "part of the sheet", fields: &[ID, TITLE] },
    Kind {
        id: "key",
        title: "key, such as a station or a letter",
        fields: &[ID, TITLE, needed("values", "Its values, one a line", Shape::Lines)],
    },
    Kind {
        id: "instrument",
        title: "instrument",
        fields: &[
            ID,
            TITLE,
            needed("unit", "Unit of its scale", Shape::Text),
            needed("step", "Smallest step that is read, in this unit", Shape::Number),
            field("limit", "Limit of error, in this unit", Shape::Number),
            field("range", "Scale, from and to", Shape::Range),
            field("distribution", "Distribution of the limit", Shape::Word(&["rectangular", "triangular"])),
            field("estimated", "Digits between the marks are estimated", Shape::Flag),
            field("notes", "How it is used well, one note a line", Shape::Lines),
        ],
    },
    Kind {
        id: "table",
        title: "table",
        fields: &[
            ID,
            TITLE,
            needed("bay", "Part of the sheet", Shape::Of("bay")),
            needed("rows", "Rows", Shape::Number),
            field("key", "Key that a row belongs to", Shape::Of("key")),
        ],
    },
    Kind {
        id: "reading",
        title: "reading",
        fields: &[
            ID,
            TITLE,
            SYMBOL,
            BAY,
            TABLE,
            field(
                "kind",
                "What is read; a number, if nothing is said",
                Shape::Word(&["number", "count", "word", "setting"]),
            ),
            field("unit", "Unit", Shape::Text),
            field("instrument", "Instrument", Shape::Of("instrument")),
            field("replicates", "How often it is taken, if more than once", Shape::Number),
            field("plausible", "Plausible, from and to", Shape::Range),
            field("words", "Words it may be, one a line", Shape::Lines),
            field("optional", "It need not be there", Shape::Flag),
            field("zero", "It is a zero reading", Shape::Flag),
            field("tare", "It is an empty vessel, to be taken off", Shape::Flag),
        ],
    },
    Kind {
        id: "reference",
        title: "reference value",
        fields: &[
            ID,
            TITLE,
            SYMBOL,
            needed("unit", "Unit; 1 for none", Shape::Text),
            needed("source", "Where it comes from", Shape::Text),
            field("value", "Value", Shape::Number),
            field("uncertainty", "Its standard uncertainty", Shape::Number),
            field("range", "Or a range, from and to", Shape::Range),
        ],
    },
    Kind {
        id: "constant",
        title: "constant of the formulas",
        fields: &[
            ID,
            TITLE,
            SYMBOL,
            needed("unit", "Unit; 1 for none", Shape::Text),
            needed("source", "Where it comes from", Shape::Text),
            field("value", "Value", Shape::Number),
            field("uncertainty", "Its standard uncertainty", Shape::Number),
        ],
    },
    Kind {
        id: "result",
        title: "result",
        fields: &[
            ID,
            TITLE,
            SYMBOL,
            BAY,
            TABLE,
            field("unit", "Unit", Shape::Text),
            field("formula", "Formula", Shape::Text),
            field("words", "Or the words it may be, one a line", Shape::Lines),
            needed("points", "Points of its calculation", Shape::Points),
            field("plus_minus", "It is told with ±", Shape::Flag),
            field("optional", "It need not be there", Shape::Flag),
        ],
    },
    Kind {
        id: "criterion",
        title: "criterion",
        fields: &[
            ID,
            TITLE,
            needed("points", "Points", Shape::Points),
            needed(
                "rule",
                "Rule",
                Shape::Word(&[
                    "calculation",
                    "completeness",
                    "accuracy",
                    "precision",
                    "uncertainty",
                    "digits",
                    "units",
                    "agreement",
                    "checks",
                    "manual",
                ]),
            ),
            field("result", "Result that it is about", Shape::Of("result")),
            field("reference", "Reference that it is held against", Shape::Of("reference")),
            field("reading", "Reading that it is about", Shape::Of("reading")),
            field("each", "Points for each", Shape::Points),
        ],
    },
];

/// The kind that is the head of the text: there is one, and it stays.
pub const LAB: &str = "lab";

/// The kind of a word.
///
/// # Example
/// ```
/// use jurado_core::protocol::form::kind;
/// assert!(kind("reading").is_some_and(|k| !k.fields.is_empty()));
/// assert!(kind("no such kind").is_none());
/// ```
pub fn kind(id: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.id == id)
}
