//! Reviews and their copies as learners see them.

use std::borrow::Cow;

use super::copies::Copies;
use super::folds::Sample;
use crate::labels::polarity::Polarity;

/// What every row of the matrix is to a learner, those of copies behind those of reviews.
#[derive(Debug, Clone)]
pub(crate) struct Taught<'a> {
    /// The class of each row.
    pub(crate) labels: Cow<'a, [Polarity]>,
    /// What each row counts, as a share of a review; empty where each counts as one.
    pub(crate) shares: Vec<f64>,
}

impl Sample {
    /// The rows as learners see them. All copies of a review weigh `weight` times as much as the review itself, and
    /// together they weigh as much as any other review: the class mix stays what it is.
    pub(crate) fn taught(&self, weight: f64) -> Taught<'_> {
        if self.copies.is_empty() {
            return Taught { labels: Cow::Borrowed(&self.labels), shares: Vec::new() };
        }
        let reviews = self.len() as u32;
        let counted = |review: u32| self.copies.of(review).len();
        let own = (0..reviews).map(|review| if counted(review) == 0 { 1.0 } else { 1.0 / (1.0 + weight) });
        let copies = (0..reviews).flat_map(|review| {
            let each = weight / (1.0 + weight) / counted(review).max(1) as f64;
            std::iter::repeat_n(each, counted(review))
        });
        let labels = (0..reviews)
            .flat_map(|review| std::iter::repeat_n(self.labels[review as usize], counted(review)));
        Taught {
            shares: own.chain(copies).collect(),
            labels: self.labels.iter().copied().chain(labels).collect::<Vec<_>>().into(),
        }
    }

    /// The same where copies teach nothing, or are not read.
    #[must_use]
    pub fn without_copies(&self) -> Self {
        Self { copies: Copies::default(), ..self.clone() }
    }
}
