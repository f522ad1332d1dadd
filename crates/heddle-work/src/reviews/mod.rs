//! Reviews on their way in: which columns count, what class a row has, which rows cannot be
//! used, and which must not be.

pub mod columns;
pub mod copies;
pub mod dates;
pub mod document;
pub mod found;
pub mod handle;
pub mod holdout;
pub mod keep;
pub mod labelled;
pub mod labelling;
pub mod names;
pub mod refusals;
pub mod texts;
pub mod ties;
pub mod unnamed;
