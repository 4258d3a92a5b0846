//! What many tables can have alike because of how they were taught, or of what stood on the bench.
//! Findings of one reading, or of the program's own work, are no habits.

/// A kind of finding that a whole section may share.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Habit {
    /// A slip in working out.
    Slip,
    /// A value that no story explains.
    Unexplained,
    /// A value that several stories explain.
    Ambiguous,
    /// A word that the readings do not bear out.
    Differs,
    /// A result with too few figures.
    DigitsFew,
    /// A result with too many figures.
    DigitsMany,
    /// Figures cut in the middle.
    CutTooEarly,
    /// Readings with a digit less than the instrument shows.
    ReadingDigits,
    /// Readings between the marks.
    OffGraduation,
    /// A result without a unit.
    UnitMissing,
    /// A result with a wrong unit.
    UnitWrong,
    /// No ± where one is asked for.
    PlusMinusMissing,
    /// A ± that the readings do not give.
    PlusMinusUnfair,
    /// A ± with too many digits.
    PlusMinusDigits,
    /// A reading left out that no test speaks against.
    ExclusionUnsupported,
    /// A reading that is not there.
    MissingReading,
    /// A result that is not there.
    MissingResult,
    /// A series that ends too soon.
    StoppedEarly,
    /// Two values that should agree and do not.
    Disagreement,
}

impl Habit {
    /// Each with the code of its findings, as [`super::Properties`] has it.
    const TABLE: [(Habit, &'static str); 19] = [
        (Habit::Slip, "slip"),
        (Habit::Unexplained, "unexplained"),
        (Habit::Ambiguous, "ambiguous"),
        (Habit::Differs, "differs"),
        (Habit::DigitsFew, "digits-few"),
        (Habit::DigitsMany, "digits-many"),
        (Habit::CutTooEarly, "cut-too-early"),
        (Habit::ReadingDigits, "reading-digits"),
        (Habit::OffGraduation, "off-graduation"),
        (Habit::UnitMissing, "unit-missing"),
        (Habit::UnitWrong, "unit-wrong"),
        (Habit::PlusMinusMissing, "plus-minus-missing"),
        (Habit::PlusMinusUnfair, "plus-minus-unfair"),
        (Habit::PlusMinusDigits, "plus-minus-digits"),
        (Habit::ExclusionUnsupported, "exclusion-unsupported"),
        (Habit::MissingReading, "missing-reading"),
        (Habit::MissingResult, "missing-result"),
        (Habit::StoppedEarly, "stopped-early"),
        (Habit::Disagreement, "disagreement"),
    ];

    /// The habit of a finding's code; `None` for a finding that is none.
    ///
    /// # Example
    /// ```
    /// use jurado_core::finding::Habit;
    /// // A slip can be taught to a whole section; a row that waits in quarantine is nobody's habit.
    /// assert!(Habit::of_code("slip").is_some() && Habit::of_code("rows-wait").is_none());
    /// ```
    pub fn of_code(code: &str) -> Option<Habit> {
        Habit::TABLE.iter().find(|(_, c)| *c == code).map(|(habit, _)| *habit)
    }

    /// All habits.
    ///
    /// # Example
    /// ```
    /// use jurado_core::finding::Habit;
    /// assert!(Habit::all().count() > 5);
    /// ```
    pub fn all() -> impl Iterator<Item = Habit> {
        Habit::TABLE.iter().map(|(habit, _)| *habit)
    }
}

#[cfg(test)]
mod tests {
    use super::super::Kind;
    use super::Habit;

    #[test]
    fn every_habit_is_of_a_code_that_findings_have() {
        for (habit, code) in Habit::TABLE {
            assert!(Kind::CODES.contains(&code), "{habit:?} {code}");
            assert_eq!(Habit::of_code(code), Some(habit));
        }
        assert_eq!(Habit::of_code("rows-wait"), None);
    }
}
