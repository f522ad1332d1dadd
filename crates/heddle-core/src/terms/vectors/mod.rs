//! Word vectors that were trained elsewhere, or made from the training reviews, as features of a review beside its terms.
//!
//! [`WordVectors`] are read from an open file; `VectorBags` hold which of their words each review has;
//! a `VectorCoding` is learnt on training rows alone and makes the mean vector of every review; and once weights are
//! known, [`WordPulls`] keep what each word comes to: a number, its vector times the weights.

mod bags;
mod coding;
mod directions;
mod own;
mod pulls;
mod table;

pub(crate) use bags::{VectorBags, column_of};
pub(crate) use coding::VectorCoding;
pub(crate) use own::{DIMS as OWN_DIMS, GAP, Sequences};
pub(crate) use pulls::PullPart;
pub use pulls::WordPulls;
pub use table::{VectorSource, WordVectors};
