//! What was found in a table, as values: what it is with its figures ([`Kind`]), where it is
//! ([`Place`]), what it costs and what was decided. The words for it are made in
//! [`crate::wording`], for each reader anew; nothing reads them back.

pub mod clause;
mod figures;
mod habit;
pub mod key;
mod kind;
mod place;
mod properties;

use crate::formula::ItemId;
use crate::row::Row;
use rust_decimal::Decimal;

pub use clause::{Account, Clause, Reading};
pub use figures::{
    Accuracy, Apart, Correction, Excluded, Figures, Named, Needed, Off, OffPlan, PlusMinus, Riddle, Right, Sides,
    Spread, Story, Support, UnitFault,
};
pub use habit::Habit;
pub use key::Key;
pub use kind::Kind;
pub use place::Place;
pub use properties::{About, Properties};

use crate::decision::Decision;

/// How much a finding asks of a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Severity {
    /// Wants a decision: its points hang until a person takes or changes what is proposed.
    Decide,
    /// Charged by rule; may be overruled.
    Charge,
    /// Worth knowing; costs nothing.
    Note,
}

impl Severity {
    /// Its word.
    ///
    /// # Example
    /// ```
    /// use jurado_core::finding::Severity;
    /// assert_eq!(Severity::Charge.word(), "charge");
    /// ```
    pub fn word(self) -> &'static str {
        match self {
            Severity::Decide => "decide",
            Severity::Charge => "charge",
            Severity::Note => "note",
        }
    }
}

/// Why another defensible choice gives other points.
#[derive(Clone, Debug, PartialEq)]
pub enum Fragile {
    /// A repaired reading that nobody has accepted yet.
    RepairOpen,
    /// Another concordant set of the same size has another mean.
    AnotherSet,
    /// A test's statistic within a tenth of its critical value, on this side of it.
    NearLimit {
        /// Name of the test, such as `grubbs`.
        test: &'static str,
        /// What the test measures.
        statistic: f64,
        /// Value that the statistic has to pass for the test to flag.
        critical: f64,
        /// Whether it lies beyond.
        beyond: bool,
    },
    /// A diagnosis whose probability lies between one and two thirds.
    Diagnosis(f64),
    /// No diagnosis, and the likeliest story has this probability.
    Likeliest(f64),
    /// One digit of the stated ± decides whether it is fair.
    PlusMinusDigit,
    /// A difference at most a tenth beyond what is allowed.
    JustBeyond,
    /// Accuracy or precision that cannot be judged.
    Unjudged(Needed),
    /// Percent error, or distance in standard uncertainties, at a band's edge.
    BandEdge {
        /// The percent error or distance.
        off: f64,
        /// Whether it counts standard uncertainties.
        in_uncertainties: bool,
        /// Points with the last figure moved.
        other: Decimal,
        /// Points of the criterion.
        of: Decimal,
    },
}

/// One thing found.
#[derive(Clone, Debug)]
pub struct Finding {
    /// Its stable name within the table.
    pub key: Key,
    /// What it is, with its figures.
    pub kind: Kind,
    /// How much it asks of a person.
    pub severity: Severity,
    /// Where it is.
    pub place: Place,
    /// Further items it is about: the other places of one slip, all results with too many digits.
    pub also: Vec<ItemId>,
    /// Criterion it is charged to.
    pub criterion: Option<String>,
    /// Points it takes, by rule.
    pub cost: Decimal,
    /// Points that a decision could move.
    pub hangs: Decimal,
    /// What the mark hangs on, where a defensible choice gives other points.
    pub fragile: Option<Fragile>,
    /// Ruling that settles it.
    pub ruling: Option<u64>,
    /// Points it takes after rulings, before anybody decides: nought for a reviewer's own finding.
    pub computed_cost: Decimal,
    /// Points it takes after rulings and decisions.
    pub decided_cost: Decimal,
    /// The decision on it.
    pub decision: Option<Decision>,
    /// What a person tells the team in place of our words.
    pub reworded: Option<String>,
}

impl Finding {
    /// A finding that costs nothing yet and hangs on nothing.
    pub(crate) fn new(kind: Kind, key: Key, severity: Severity, place: Place) -> Finding {
        Finding {
            key,
            kind,
            severity,
            place,
            also: Vec::new(),
            criterion: None,
            cost: Decimal::ZERO,
            hangs: Decimal::ZERO,
            fragile: None,
            ruling: None,
            computed_cost: Decimal::ZERO,
            decided_cost: Decimal::ZERO,
            decision: None,
            reworded: None,
        }
    }

    /// A finding about an item, or one of its rows, named by it.
    pub(crate) fn about(kind: Kind, severity: Severity, (item, id): (ItemId, &str), row: Option<Row>) -> Finding {
        let key = Key::about(&kind, id, row);
        Finding::new(kind, key, severity, Place::of(item, row))
    }

    /// Charged by rule: criterion and points, which no decision is needed for.
    pub(crate) fn charged(self, (criterion, cost): (Option<String>, Decimal)) -> Finding {
        Finding { criterion, cost, ..self }
    }

    /// Charged, and all of it hangs on a person.
    pub(crate) fn hanging(self, (criterion, cost): (Option<String>, Decimal)) -> Finding {
        Finding { criterion, cost, hangs: cost, ..self }
    }

    /// The stable word of its kind, such as `slip`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let judged = judge(&lab(), &table("", ""), &[], &[]);
    /// assert!(judged.findings.iter().any(|f| f.code() == "missing-result"));
    /// ```
    pub fn code(&self) -> &'static str {
        self.kind.code()
    }

    /// Whether it is about an item.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
    /// let slip = &judged.findings[0];
    /// assert!(slip.concerns(judged.results[0].item) && !slip.concerns(judged.results[1].item));
    /// ```
    pub fn concerns(&self, item: ItemId) -> bool {
        self.place.item == Some(item) || self.also.contains(&item)
    }

    /// Whether it still wants a person.
    ///
    /// # Example
    /// ```
    /// use jurado_core::decision::{Action, Decision};
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let before = judge(&lab(), &table("94.2", "6969"), &[], &[]);
    /// assert!(before.findings[0].open());
    /// let (finding, action) = (before.findings[0].key.clone(), Action::Accept);
    /// let taken = Decision { finding, action, reason: String::new(), by: "Reviewer 1".into(), text: String::new() };
    /// assert!(!judge(&lab(), &table("94.2", "6969"), &[], &[taken]).findings[0].open());
    /// ```
    pub fn open(&self) -> bool {
        self.severity == Severity::Decide && !self.is_settled()
    }

    /// Whether a ruling or a decision has settled it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::decision::{Action, Decision};
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// let (lab, sheet) = (lab(), table("94.2", "6969"));
    /// let open = judge(&lab, &sheet, &[], &[]);
    /// let finding = open.findings.iter().find(|f| f.open()).expect("the slip").key.clone();
    /// let forgive = Decision {
    ///     finding: finding.clone(),
    ///     action: Action::Forgive,
    ///     reason: "the sheet named it so".into(),
    ///     by: "reviewer 2".into(),
    ///     text: String::new(),
    /// };
    /// let after = judge(&lab, &sheet, &[], &[forgive]);
    /// assert!(after.findings.iter().any(|f| f.key == finding && f.is_settled()));
    /// ```
    pub fn is_settled(&self) -> bool {
        self.decision.is_some() || self.ruling.is_some()
    }
}

/// The findings of a table while they are made, each key once.
pub(crate) struct Findings<'a> {
    /// Those so far.
    pub(crate) list: &'a mut Vec<Finding>,
    keys: std::collections::HashSet<Key>,
}

impl<'a> Findings<'a> {
    /// A list that grows.
    pub(crate) fn onto(list: &'a mut Vec<Finding>) -> Findings<'a> {
        let keys = list.iter().map(|f| f.key.clone()).collect();
        Findings { list, keys }
    }

    /// Adds one; a second of the same key is dropped, so that a key names one finding.
    pub(crate) fn push(&mut self, finding: Finding) {
        if self.keys.insert(finding.key.clone()) {
            self.list.push(finding);
        }
    }
}
