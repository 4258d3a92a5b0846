//! What stands under the cells of a spreadsheet: formulas read ([`parse`]), followed to the cells
//! they read ([`Formula::of`]) and worked out ([`Formula::value`]). Nothing is fetched, nothing
//! outside the file is followed, and all of it is bounded. Nothing here knows of labs or of right
//! and wrong.

mod address;
mod columns;
mod drawn;
mod follow;
mod function;
mod parse;
mod piece;
mod spelling;
#[cfg(test)]
mod tests;
mod under;
mod value;
mod work;

pub use address::{Address, MOST_COLUMNS, MOST_ROWS};
pub(crate) use follow::MOST_PIECES;
pub use follow::{Formula, Leaf, Origin, Term, TermKind, Unfollowed};
pub use function::Function;
pub use parse::{MOST_LENGTH, parse};
pub use piece::{NotUnderstood, Operator, Piece, PieceKind};
pub use spelling::in_one_spelling;
pub use under::{Below, Held, Under};
pub use value::{Fault, Grid, Value};
