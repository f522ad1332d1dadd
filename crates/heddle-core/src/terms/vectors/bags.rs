//! Which words with vectors each review has.

use std::sync::Arc;

use super::own::Sequences;
use super::table::{VectorSource, WordVectors};
use crate::matrix::{Entry, Rows};

/// The words with vectors of all reviews, and how often each stands there: negated ones apart from plain ones.
#[derive(Debug, Clone)]
pub(crate) struct VectorBags {
    pub(crate) vectors: Arc<WordVectors>,
    /// Reviews x (2 x words): see [`column_of`].
    pub(crate) rows: Rows,
    /// The reviews as rows of words, where vectors are made from those that teach.
    pub(crate) sequences: Option<Sequences>,
    /// Where the vectors come from.
    pub(crate) source: VectorSource,
}

/// The column of a word.
pub(crate) fn column_of(word: u32, negated: bool) -> u32 {
    2 * word + u32::from(negated)
}

/// The word of a column.
pub(crate) fn word_of(column: u32) -> u32 {
    column / 2
}

/// Whether a column is that of a negated word, whose vector counts with the other sign.
pub(crate) fn is_negated(column: u32) -> bool {
    column % 2 == 1
}

/// The weights of the words of a review add up to 1: what each counts for, without its sign.
pub(crate) fn shares(row: &[Entry], idf: &[f32]) -> f64 {
    let weight = |entry: &Entry| f64::from(entry.value) * f64::from(idf[word_of(entry.column) as usize]);
    let sum: f64 = row.iter().map(weight).sum();
    if sum > 0.0 { sum.recip() } else { 0.0 }
}

/// What a word of a review counts for, with its sign, before it is divided by the sum over the review.
pub(crate) fn counts(entry: &Entry, idf: &[f32]) -> f64 {
    let sign = if is_negated(entry.column) { -1.0 } else { 1.0 };
    sign * f64::from(entry.value) * f64::from(idf[word_of(entry.column) as usize])
}
