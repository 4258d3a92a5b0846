//! What the reader of the file format says, in the words of somebody who writes a protocol.
//!
//! The reader of TOML speaks to programmers. An author of a lab reads what was found, what is
//! needed there and how to write it, with the commonest slips – a comma in a number, one bracket
//! for two – told as what they are.

/// The line of the text in which a byte stands.
///
/// Without the line break.
pub(super) fn line_at(text: &str, at: usize) -> &str {
    let start = text[..at].rfind('\n').map_or(0, |n| n + 1);
    text[start..].lines().next().unwrap_or("")
}

/// What is wrong and how to mend it, from the message of the reader and the line it points to.
///
/// Messages that are not known are passed on as they are.
pub(super) fn refused(message: &str, line: &str) -> (String, String) {
    const FIELDS: &str = "see docs/protocols.md for the fields of a protocol";
    let (found, expected) = message
        .strip_prefix("invalid type: ")
        .and_then(|rest| rest.rsplit_once(", expected "))
        .unwrap_or((message, ""));
    let say = |what: String, mend: &str| (what, mend.to_owned());
    if decimal_comma(line) {
        return say(
            "a comma stands inside a number".to_owned(),
            "write the number with a decimal point, such as 0.001",
        );
    }
    match expected.trim_matches('`') {
        "f64" | "floating point" => say(
            format!("a number is needed here, and there is {found}"),
            "write it without quotes and unit, such as 0.05",
        ),
        "u8" | "u16" | "u32" | "u64" | "usize" | "i32" | "i64" => say(
            format!("a whole number is needed here, and there is {found}"),
            "write it without point and quotes, such as 4",
        ),
        "a boolean" => say(format!("a yes or no is needed here, and there is {found}"), "write true or false"),
        "a string" => say(format!("a text is needed here, and there is {found}"), "put it in double quotes"),
        "a sequence" if line.trim_start().starts_with('[') => {
            say("there may be several of these".to_owned(), "write its name in two brackets, such as [[result]]")
        }
        "a sequence" => {
            say(format!("a list is needed here, and there is {found}"), "put its parts in brackets: [1, 2]")
        }
        _ if message.starts_with("invalid basic string") => {
            say("this text is not closed".to_owned(), "add `\"` where it ends")
        }
        _ if message.starts_with("duplicate key") && line.trim_start().starts_with('[') => say(
            "this part stands here twice".to_owned(),
            "write its name in two brackets if there are several, such as [[result]]",
        ),
        _ => say(message.to_owned(), FIELDS),
    }
}

/// Whether a value is a number with a comma in it.
///
/// A list has commas too, but not between digits alone.
fn decimal_comma(line: &str) -> bool {
    let Some((_, value)) = line.split_once('=') else { return false };
    let value = value.split('#').next().unwrap_or("").trim();
    let digits = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    value.trim_start_matches('-').split_once(',').is_some_and(|(a, b)| digits(a) && digits(b))
}
