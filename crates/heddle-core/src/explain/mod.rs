//! Why this verdict.
//!
//! An [`Explanation`] shares the score of a review out over its terms, tokens and clauses; as a tree of
//! [`Factor`]s every value has what it is made of below it.

pub(crate) mod alike;
pub(crate) mod contribute;
pub(crate) mod doubt;
pub(crate) mod faithful;
pub(crate) mod flip;
pub(crate) mod plain;
pub(crate) mod probe;
pub(crate) mod remove;
pub(crate) mod term_lines;
pub(crate) mod tree;

pub use alike::Weighed;
pub use contribute::{
    ByClass, Clause, ColumnPart, Explanation, TermKind, TermPart, TokenPart, explain, explain_document,
};
pub use doubt::{DoubtedLabel, Doubts, doubts};
pub use faithful::{Deletions, FaithfulPoint, Faithfulness, deletions};
pub use flip::{Flip, FlipWord, flip};
pub use plain::{PlainWords, plain_words};
pub use probe::{Expected, KindPassed, Probe, Probed, built_in_probes, passed_by_kind, probe, short_probes};
pub use remove::{Removal, Without, clause_removals, removals};
pub use term_lines::{TermLine, term_lines};
pub use tree::{Combination, Factor};
