//! Why this verdict.
//!
//! An [`Explanation`] shares the score of a review out over its terms, tokens and clauses.

pub(crate) mod contribute;
pub(crate) mod plain;

pub use contribute::{Clause, Explanation, TermPart, TokenPart, explain, explain_document};
pub use plain::{PlainWords, plain_words};
