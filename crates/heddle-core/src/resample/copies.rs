//! Rows that say again what another row says: rephrasings and translations of a review.

use std::ops::Range;

/// The copies of reviews. They stand behind the reviews in the matrix, those of one review side by side, in the order of
/// their reviews; they teach with the review that they are copies of, and are never judged.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Copies {
    /// By review: the first row of its copies; the end of all behind the last. Empty where there are none.
    starts: Vec<u32>,
}

impl Copies {
    /// Of so many reviews. `of` is the review of each copy, ascending.
    ///
    /// # Panics
    /// If `of` does not ascend, or names a review that is not there.
    pub fn new(reviews: usize, of: &[u32]) -> Self {
        if of.is_empty() {
            return Self::default();
        }
        assert!(of.is_sorted() && of[of.len() - 1] < reviews as u32, "copies of {reviews} reviews: {of:?}");
        let first = |review: u32| (reviews + of.partition_point(|own| *own < review)) as u32;
        Self { starts: (0..=reviews as u32).map(first).collect() }
    }

    /// The rows of the copies of a review.
    pub fn of(&self, review: u32) -> Range<u32> {
        match self.starts.is_empty() {
            true => 0..0,
            false => self.starts[review as usize]..self.starts[review as usize + 1],
        }
    }

    /// The number of copies.
    pub fn len(&self) -> usize {
        self.starts.last().map_or(0, |end| *end as usize + 1 - self.starts.len())
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.starts.is_empty()
    }

    /// These reviews, ascending, and their copies behind them, as often as their review.
    pub(crate) fn with(&self, rows: Vec<u32>) -> Vec<u32> {
        let copies: Vec<u32> =
            if self.is_empty() { Vec::new() } else { rows.iter().flat_map(|row| self.of(*row)).collect() };
        [rows, copies].concat()
    }
}
