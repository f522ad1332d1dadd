//! Why this verdict.
//!
//! An [`Explanation`] shares the score of a review out over its terms, tokens and clauses; as a tree of
//! [`Factor`]s every value has what it is made of below it.

pub(crate) mod contribute;
pub(crate) mod plain;
pub(crate) mod remove;
pub(crate) mod tree;

pub use contribute::{
    ByClass, Clause, Explanation, TermKind, TermPart, TokenPart, explain, explain_document,
};
pub use plain::{PlainWords, plain_words};
pub use remove::{Removal, removals};
pub use tree::{Combination, Factor};
