//! Enums that are kept as a word, each mapped in one place. A word that names none of them is an error and not a default.

use std::io::Write;

use diesel::deserialize::{self, FromSql, FromSqlRow};
use diesel::expression::AsExpression;
use diesel::mysql::{Mysql, MysqlValue};
use diesel::serialize::{self, IsNull, Output, ToSql};
use diesel::sql_types::Text;
use jurado_core::summary::Mark;

/// Defines an enum of words, and how MariaDB keeps it.
macro_rules! kept_as_word {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $word:literal,)+ }) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, AsExpression, FromSqlRow)]
        #[diesel(sql_type = Text)]
        pub enum $name {
            $($(#[$vdoc])* $variant,)+
        }

        impl $name {
            /// All of them.
            pub const ALL: &[$name] = &[$($name::$variant),+];

            /// Its word.
            pub fn word(self) -> &'static str {
                match self {
                    $($name::$variant => $word,)+
                }
            }

            /// The one of a word.
            pub fn of_word(word: &str) -> Option<$name> {
                $name::ALL.iter().copied().find(|x| x.word() == word)
            }
        }

        kept_as_word!(@sql $name);
    };
    (@sql $name:ident) => {
        impl ToSql<Text, Mysql> for $name {
            fn to_sql<'b>(&'b self, out: &mut Output<'b, '_, Mysql>) -> serialize::Result {
                out.write_all(self.word().as_bytes())?;
                Ok(IsNull::No)
            }
        }

        impl FromSql<Text, Mysql> for $name {
            fn from_sql(value: MysqlValue<'_>) -> deserialize::Result<Self> {
                let word = <String as FromSql<Text, Mysql>>::from_sql(value)?;
                $name::of_word(&word).ok_or_else(|| format!("“{word}” is no {}", stringify!($name)).into())
            }
        }
    };
}

kept_as_word! {
    /// How a score on its way to the gradebook stands.
    ScoreState {
        /// It is sent, or will be again.
        Waiting = "waiting",
        /// An answer says that it arrived.
        Sent = "sent",
        /// The gradebook does not take it: a person has to look.
        Refused = "refused",
        /// A later score of the same student and lab took its place.
        Overtaken = "overtaken",
    }
}

kept_as_word! {
    /// Where a table stands with people.
    SheetState {
        /// It waits for decisions or for a signature.
        Waiting = "waiting",
        /// A reviewer signed it.
        Signed = "signed",
        /// It went back to its team.
        Returned = "returned",
    }
}

kept_as_word! {
    /// Where a file stands.
    ImportState {
        /// Looked at, nothing stored of its tables.
        Offered = "offered",
        /// Its tables are in.
        Taken = "taken",
        /// Put aside by the person who brought it.
        Dropped = "dropped",
    }
}

kept_as_word! {
    /// What a person may do.
    Role {
        /// Sees every section, releases marks.
        Coordinator = "coordinator",
        /// Sees own sections.
        Reviewer = "reviewer",
        /// Sees everything and changes nothing.
        Auditor = "auditor",
    }
}

kept_as_word! {
    /// What long work does.
    JobKind {
        /// Takes a file.
        Import = "import",
        /// Judges a lab's tables anew and puts a protocol in force.
        InForce = "in-force",
    }
}

kept_as_word! {
    /// Where long work stands.
    JobState {
        /// Nobody began it, or whoever did is gone.
        Waiting = "waiting",
        /// A process does it, as long as its lease runs.
        Running = "running",
        /// It came to its end.
        Done = "done",
        /// It could not be done.
        Failed = "failed",
    }
}

kept_as_word! {
    /// What is done with a text of the protocols' folder.
    FolderState {
        /// It waits for somebody to look.
        Waiting = "waiting",
        /// Somebody looked, and left it.
        Left = "left",
    }
}

kept_as_word! {
    /// The word of a decision's action; the points of one that has points stand beside it.
    ActionWord {
        /// Take what is proposed.
        Accept = "accept",
        /// Charge nothing.
        Forgive = "forgive",
        /// Refuse a repair.
        Refuse = "refuse",
        /// Read a cell otherwise.
        Read = "read",
        /// Leave a reading out.
        LeaveOut = "leave-out",
        /// Tell the team in other words.
        Say = "say",
        /// Set points.
        Points = "points",
    }
}

/// The core's mark as a word.
#[derive(Clone, Copy, Debug, PartialEq, Eq, AsExpression, FromSqlRow)]
#[diesel(sql_type = Text)]
pub struct MarkWord(pub(crate) Mark);

impl MarkWord {
    fn word(self) -> &'static str {
        self.0.word()
    }

    fn of_word(word: &str) -> Option<MarkWord> {
        Mark::of_word(word).map(MarkWord)
    }
}

kept_as_word!(@sql MarkWord);

impl From<MarkWord> for Mark {
    fn from(word: MarkWord) -> Mark {
        word.0
    }
}

#[cfg(test)]
mod tests {
    use super::{ActionWord, ImportState, JobState, Role, ScoreState, SheetState};

    #[test]
    fn every_word_names_its_own_and_nothing_else_names_any() {
        assert!(SheetState::ALL.iter().all(|s| SheetState::of_word(s.word()) == Some(*s)));
        assert!(ImportState::ALL.iter().all(|s| ImportState::of_word(s.word()) == Some(*s)));
        assert!(ScoreState::ALL.iter().all(|s| ScoreState::of_word(s.word()) == Some(*s)));
        assert!(JobState::ALL.iter().all(|s| JobState::of_word(s.word()) == Some(*s)));
        assert!(ActionWord::ALL.iter().all(|s| ActionWord::of_word(s.word()) == Some(*s)));
        assert_eq!(Role::of_word("owner"), None, "an unknown role is nobody's");
    }
}
