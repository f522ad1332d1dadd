//! What is kept of vectors once weights are known: a number for each word.

use super::bags::{VectorBags, column_of, counts, is_negated, shares, word_of};
use crate::matrix::Entry;
use crate::terms::intern::Words;

/// Words with what each comes to: its vector times the weights. A review gets
/// sum(± count x idf x pull) / sum(count x idf) over its words, negated ones with the other sign.
#[derive(Debug, Clone, Default)]
pub struct WordPulls {
    /// The words.
    pub words: Words,
    /// By word: its weight in a mean vector.
    pub idf: Vec<f32>,
    /// By word: the training reviews that hold it.
    pub reviews: Vec<u32>,
    /// By word: what it pulls towards positive, in nats.
    pub pulls: Vec<f32>,
    /// By word: what it pulls towards neutral; none where classes lie on one axis.
    pub neutral: Vec<f32>,
    /// By word of the vectors that were learnt from: its place here; none in a model that was read.
    pub(crate) places: Vec<u32>,
}

/// A word of a review, and what its part of the score is made of.
pub(crate) struct PullPart {
    pub(crate) word: u32,
    pub(crate) negated: bool,
    /// ± count x idf.
    pub(crate) factor: f64,
    pub(crate) count: f32,
    pub(crate) idf: f32,
    pub(crate) pull: f32,
    pub(crate) neutral: Option<f32>,
    pub(crate) reviews: u32,
}

impl WordPulls {
    /// Words with their weights in a mean, the training reviews that hold them, and their pulls towards positive and, where
    /// each class has weights of its own, neutral.
    pub fn new(
        words: Words,
        (idf, reviews): (Vec<f32>, Vec<u32>),
        (pulls, neutral): (Vec<f32>, Vec<f32>),
    ) -> Self {
        Self { words, idf, reviews, pulls, neutral, places: Vec::new() }
    }

    /// What the words of a review add, in nats; `pulls` are those of one axis.
    pub(crate) fn sum(&self, row: &[Entry], pulls: &[f32]) -> f64 {
        let share = shares(row, &self.idf);
        row.iter().map(|entry| self.of(entry, pulls) * share).sum()
    }

    /// The words of a review of the bags, by the places that they have here; those that are not kept are left out.
    pub(crate) fn known(&self, bags: &VectorBags, row: usize) -> Vec<Entry> {
        let entry = |entry: &Entry| {
            let word = self.places.get(word_of(entry.column) as usize).filter(|word| **word != u32::MAX)?;
            Some(Entry { column: column_of(*word, is_negated(entry.column)), ..*entry })
        };
        bags.rows.row(row).iter().filter_map(entry).collect()
    }

    /// What a word of a review adds, before it is divided by the sum over the review.
    fn of(&self, entry: &Entry, pulls: &[f32]) -> f64 {
        counts(entry, &self.idf) * f64::from(pulls[word_of(entry.column) as usize])
    }

    /// What a word of a review is made of.
    pub(crate) fn part(&self, entry: &Entry) -> PullPart {
        let word = word_of(entry.column);
        let at = word as usize;
        PullPart {
            word,
            negated: is_negated(entry.column),
            factor: counts(entry, &self.idf),
            count: entry.value,
            idf: self.idf[at],
            pull: self.pulls[at],
            neutral: self.neutral.get(at).copied(),
            reviews: self.reviews[at],
        }
    }

    /// One over the sum of the weights of the words of a review: what every word of it is multiplied by.
    pub(crate) fn share(&self, row: &[Entry]) -> f64 {
        shares(row, &self.idf)
    }

    /// Whether it can be that of a model.
    pub fn is_sound(&self, free: bool) -> bool {
        let count = self.words.len();
        let lengths = [self.idf.len(), self.reviews.len(), self.pulls.len()].iter().all(|own| *own == count);
        let finite = |numbers: &[f32]| numbers.iter().all(|number| number.is_finite());
        lengths
            && self.neutral.len() == if free { count } else { 0 }
            && self.idf.iter().all(|idf| idf.is_finite() && *idf > 0.0)
            && finite(&self.pulls)
            && finite(&self.neutral)
    }
}
