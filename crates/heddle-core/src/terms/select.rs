//! Which counted terms a training part keeps, and what they weigh.

use super::count::Counted;

/// The terms that a training part keeps.
///
/// It is a function of the training rows alone: the counts of terms in other rows play no
/// role, so nothing of a held-out review reaches its model.
#[derive(Debug, Clone, PartialEq)]
pub struct Selection {
    /// The number of training reviews.
    pub reviews: usize,
    /// By term: the training reviews that hold it.
    pub document_counts: Vec<u32>,
    /// By term: the document factor (the second SMART letter), or 0 if it is left out.
    pub document_factors: Vec<f64>,
    /// By term: whether it is kept.
    pub kept: Vec<bool>,
}

impl Selection {
    /// Applies floor, ceiling and document factor to the counts in `training`.
    pub fn new(counted: &Counted, training: &[u32]) -> Self {
        let rules = &counted.rules;
        let reviews = training.len();
        let (floor, ceiling) = (rules.at_least.max(1), rules.at_most.of(reviews));
        let document_counts = counted.document_counts(training);
        let kept: Vec<bool> = document_counts
            .iter()
            .enumerate()
            .map(|(term, df)| {
                counted.vocabulary.words(term as u32) >= rules.words.0 && (floor..=ceiling).contains(df)
            })
            .collect();
        let factor = |(df, kept): (&u32, &bool)| {
            if *kept { rules.weighting.document_factor(*df, reviews) } else { 0.0 }
        };
        let document_factors = document_counts.iter().zip(&kept).map(factor).collect();
        Self { reviews, document_counts, document_factors, kept }
    }

    /// The number of kept terms.
    pub fn len(&self) -> usize {
        self.kept.iter().filter(|kept| **kept).count()
    }

    /// Whether no term is kept.
    pub fn is_empty(&self) -> bool {
        !self.kept.contains(&true)
    }
}
