//! Texts: how long each may be, and what is said of one that is empty or too long.

use jurado_store::course;

/// A text that people type.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Text {
    /// What it is, as within a sentence.
    pub(crate) what: &'static str,
    /// Most characters of it.
    pub(crate) most: usize,
}

const fn text(what: &'static str, most: usize) -> Text {
    Text { what, most }
}

/// Why something was decided or changed.
pub(crate) const REASON: Text = text("reason", course::MOST_REASON);
/// Why an item is left out for a section.
pub(crate) const WAIVER: Text = text("reason for which an item is left out", 200);
/// What is found by a person, as its team reads it.
pub(crate) const SAYING: Text = text("finding", 500);
/// A finding in the reviewer's own words.
pub(crate) const EXPLANATION: Text = text("explanation", 1_000);
/// A note for the storeroom.
pub(crate) const STOREROOM: Text = text("note", jurado_store::floor::MOST_NOTE);
/// A word on what is about one's own tables.
pub(crate) const REMARK: Text = text("remark", jurado_store::moderation::MOST_REMARK);
/// Name of a section, team or term.
pub(crate) const NAME: Text = text("name", course::MOST_NAME);
/// Name of a student.
pub(crate) const STUDENT: Text = text("name of the student", course::MOST_STUDENT);
/// Number of a student.
pub(crate) const STUDENT_NUMBER: Text = text("number of the student", course::MOST_NUMBER);
/// Name of a school.
pub(crate) const SCHOOL: Text = text("name of the school", 80);
/// What a section is called.
pub(crate) const WORD: Text = text("word for a section", 30);
/// Name of a station.
pub(crate) const STATION: Text = text("name of the station", 40);
/// Name to sign in with.
pub(crate) const SIGN_IN: Text = text("name to sign in with", 60);
/// Name of a person, as others read it.
pub(crate) const PERSON: Text = text("name", 80);
/// A password.
pub(crate) const PASSWORD: Text = text("password", 200);
/// What a team asks on a line of its sheet.
pub(crate) const QUESTION: Text = text("question", jurado_store::questions::MOST_WORDS);
/// What it is answered.
pub(crate) const ANSWER: Text = text("answer", jurado_store::questions::MOST_WORDS);
/// Address of another service.
pub(crate) const ADDRESS: Text = text("address", 200);
/// What a token of one's own is for.
pub(crate) const TOKEN_NAME: Text = text("name of the token", jurado_store::tokens::MOST_NAME);
/// A code of a second factor.
pub(crate) const SECOND: Text = text("code", 12);
/// A token that another service gave.
pub(crate) const SECRET: Text = text("token", 400);
/// Name at the college.
pub(crate) const COLLEGE: Text = text("name at the college", jurado_store::college::MOST_NAME);
/// What an example is about.
pub(crate) const EXAMPLE: Text = text("word on the example", jurado_store::practice::MOST_SAID);
/// A team's code.
pub(crate) const CODE: Text = text("code", 40);
/// What is typed of a reading.
pub(crate) const CELL: Text = text("reading", 200);
/// What is typed of a ±.
pub(crate) const PLUS_MINUS: Text = text("±", 60);

impl Text {
    /// What was typed without blanks around it; empty is nothing said.
    ///
    /// # Errors
    /// A sentence, where it is too long.
    pub(crate) fn optional(self, typed: &str) -> Result<String, String> {
        let typed = typed.trim();
        if typed.chars().count() > self.most {
            return Err(format!("The {} is longer than {} characters: shorten it.", self.what, self.most));
        }
        Ok(typed.to_owned())
    }

    /// As [`Text::optional`], and something has to be said.
    ///
    /// # Errors
    /// A sentence, also where it is empty: `wanted` says what for.
    pub(crate) fn wanted(self, typed: &str, wanted: &str) -> Result<String, String> {
        match self.optional(typed)? {
            text if text.is_empty() => Err(wanted.to_owned()),
            text => Ok(text),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_as_long_as_its_column_and_not_longer() {
        for text in [REASON, WAIVER, SAYING, NAME, STUDENT, STUDENT_NUMBER, SCHOOL, WORD] {
            let most = "å".repeat(text.most);
            assert_eq!(text.wanted(&format!(" {most} "), "write it"), Ok(most.clone()), "{}", text.what);
            let told = text.optional(&format!("{most}å")).expect_err("too long");
            assert!(told.contains(&text.most.to_string()) && told.contains(text.what), "{told}");
            assert_eq!(text.wanted("  ", "Write it."), Err("Write it.".to_owned()), "{}", text.what);
            assert_eq!(text.optional("  "), Ok(String::new()), "{}", text.what);
        }
    }

    /// Every template with its text.
    fn templates() -> Vec<(String, String)> {
        fn look(at: &std::path::Path, found: &mut Vec<(String, String)>) {
            for entry in std::fs::read_dir(at).expect("templates").flatten() {
                let path = entry.path();
                if path.is_dir() {
                    look(&path, found);
                } else {
                    found.push((path.display().to_string(), std::fs::read_to_string(&path).expect("a template")));
                }
            }
        }
        let mut found = Vec::new();
        look(&std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("templates"), &mut found);
        assert!(found.len() > 40, "{}", found.len());
        found
    }

    /// Every `maxlength` of a template comes from here, so that no form promises what a column cannot keep.
    #[test]
    fn no_form_has_a_limit_of_its_own() {
        for (name, text) in templates() {
            let mut own = text.match_indices("maxlength=\"").map(|(at, m)| &text[at + m.len()..]);
            assert!(own.all(|rest| rest.starts_with("{{")), "{name}");
        }
    }

    #[test]
    fn every_template_can_be_read_in_a_review() {
        for (name, text) in templates() {
            let long = text.lines().position(|l| l.chars().count() > 140).map(|n| n + 1);
            assert_eq!((long, text.lines().count() < 150), (None, true), "{name}");
        }
    }
}
