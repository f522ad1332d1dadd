//! Columns beside the text, as a model may use them: what a cell says, what is learnt of a column, and what a review
//! has of it.
//!
//! A [`ColumnUse`] names a column or a fact of the text and how it is read; [`Beside`] holds what the reviews have
//! there, whichever of them are learnt from; a [`Coding`] is learnt on training rows alone, and makes numbers of it.

mod coding;
mod facts;
mod features;
mod used;
mod values;

pub use coding::{Coding, ColumnEffects, ColumnKind, LearntColumn};
pub use facts::Fact;
pub use features::{Features, VECTORS};
pub use used::{Cell, ColumnForm, ColumnUse, Source};
pub use values::{Beside, Variety};
