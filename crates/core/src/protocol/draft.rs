//! Texts to begin a lab from: a blank page that already reads, and a copy of another lab.
//!
//! Nobody begins with an empty file. The blank page is a whole small lab with an instructor's run,
//! so that each change can be checked from the first line on.

/// A small lab that reads, is judged and whose instructor's run comes out clean. Every line is
/// meant to be changed.
pub const BLANK: &str = include_str!("blank.toml");

/// The text of another lab under a new id and title, at version 1. Only these three lines of its
/// head change; every other byte stays, comments too.
///
/// # Example
/// ```
/// use jurado_core::protocol::draft::copy;
/// let text = "id = \"a\" # mine\nversion = 7\ntitle = \"A\"\n\n[[result]]\nid = \"r\"\ntitle = \"R\"\n";
/// let copied = copy(text, "b", "A, second");
/// assert_eq!(copied, "id = \"b\"\nversion = 1\ntitle = \"A, second\"\n\n[[result]]\nid = \"r\"\ntitle = \"R\"\n");
/// ```
pub fn copy(source: &str, id: &str, title: &str) -> String {
    let quoted = |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
    let mut head = true;
    let mut out = String::with_capacity(source.len());
    for line in source.split_inclusive('\n') {
        // Tables begin with a bracket; from there on an id is another thing's.
        head = head && !line.starts_with('[');
        let name = line.split('=').next().unwrap_or("").trim();
        let value = match name {
            "id" if head => quoted(id),
            "title" if head => quoted(title),
            "version" if head => "1".to_owned(),
            _ => {
                out.push_str(line);
                continue;
            }
        };
        out.push_str(&format!("{name} = {value}"));
        out.push_str(if line.ends_with("\r\n") {
            "\r\n"
        } else if line.ends_with('\n') {
            "\n"
        } else {
            ""
        });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::protocol::Protocol;

    #[test]
    fn a_blank_page_reads_and_its_run_comes_out_clean() {
        let lab = Protocol::parse(BLANK).expect("it reads");
        assert!(lab.warnings.is_empty(), "{:?}", lab.warnings);
        assert!(lab.run.is_some(), "it holds a run");
        assert!(crate::instructor::faults(&lab).is_empty());
    }

    #[test]
    fn a_copy_differs_in_its_head_alone() {
        let copied = copy(BLANK, "other", "The \"other\" lab");
        let lab = Protocol::parse(&copied).expect("it reads");
        assert_eq!((lab.id.as_str(), lab.version, lab.title.as_str()), ("other", 1, "The \"other\" lab"));
        let differ = BLANK.lines().zip(copied.lines()).filter(|(a, b)| a != b).count();
        assert_eq!(differ, 2, "id and title: the blank page is at version 1 already");
        assert_eq!(BLANK.lines().count(), copied.lines().count());
    }
}
