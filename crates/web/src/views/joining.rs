//! Joining what two phones of a team typed of one sheet: both began with the same fields, and each changed some.

use std::collections::HashMap;

use super::entry::Fields;

/// What became of it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Joined {
    /// The fields of both.
    pub(crate) fields: Fields,
    /// Fields that both changed, each otherwise: the name, and what the other phone typed. Ours stands in `fields`.
    pub(crate) both: Vec<(String, String)>,
}

impl Joined {
    /// What one phone typed alone.
    pub(crate) fn of(fields: Fields) -> Joined {
        Joined { fields, both: Vec::new() }
    }
}

/// Joins what is there by now and what was typed here, where both began with `base`. What one alone changed is taken.
pub(crate) fn join(base: &Fields, theirs: &Fields, mine: Fields) -> Joined {
    let by_name = |fields: &Fields| -> HashMap<String, String> { fields.iter().cloned().collect() };
    let (base, theirs_by) = (by_name(base), by_name(theirs));
    let of = |fields: &HashMap<String, String>, name: &str| {
        fields.get(name).map(|v| v.trim().to_owned()).unwrap_or_default()
    };
    let mut out = Joined::default();
    for (name, value) in mine {
        let (was, other) = (of(&base, &name), of(&theirs_by, &name));
        let here = value.trim();
        if other == was || other == here {
            out.fields.push((name, value));
        } else if here == was {
            out.fields.push((name, other));
        } else {
            out.both.push((name.clone(), other));
            out.fields.push((name, value));
        }
    }
    // What the other phone added has no field here yet, such as a reason.
    let added = theirs.iter().filter(|(n, v)| !v.is_empty() && !out.fields.iter().any(|(o, _)| o == n));
    let added: Vec<_> = added.filter(|(n, v)| of(&base, n) != v.trim()).cloned().collect();
    out.fields.extend(added);
    out
}

#[cfg(test)]
mod tests {
    use super::{Joined, join};

    fn fields(text: &str) -> Vec<(String, String)> {
        let pairs = text.split_whitespace().filter_map(|p| p.split_once('='));
        pairs.map(|(n, v)| (n.to_owned(), v.to_owned())).collect()
    }

    #[test]
    fn what_one_phone_changed_is_taken_and_what_both_changed_is_told() {
        for (what, base, theirs, mine, joined, both) in [
            ("nothing before", "", "", "a=1", "a=1", ""),
            ("each typed another box", "a= b=", "a=1 b=", "a= b=2", "a=1 b=2", ""),
            ("both typed the same", "a=", "a=1", "a=1", "a=1", ""),
            ("both typed one box", "a=0", "a=1", "a=2", "a=2", "a=1"),
            ("one emptied it", "a=1", "a=1", "a=", "a=", ""),
            ("one emptied what the other changed", "a=1", "a=2", "a=", "a=", "a=2"),
            ("the other emptied what is unchanged here", "a=1", "a=", "a=1", "a=", ""),
            ("the other gave a reason", "a=", "a= w.a=away", "a=", "a= w.a=away", ""),
            ("nobody knows with what it began", "", "a=1 b=3", "a=2 b=3", "a=2 b=3", "a=1"),
        ] {
            let expected = Joined { fields: fields(joined), both: fields(both) };
            assert_eq!(join(&fields(base), &fields(theirs), fields(mine)), expected, "{what}");
        }
    }

    /// Whoever saves second, the sheet is the same where no box was typed by both.
    #[test]
    fn the_order_of_two_phones_does_not_matter() {
        let base = fields("a=1 b=2 c=3 d=");
        let (one, two) = (fields("a=9 b=2 c=3 d="), fields("a=1 b=2 c=7 d=5"));
        let first = join(&base, &two, one.clone());
        assert_eq!(first, join(&base, &one, two));
        assert!(first.both.is_empty());
    }
}
