//! How alike two reviews are to a model.

use crate::matrix::dot_of_shared;
use crate::model::scorer::Scorer;
use crate::terms::term_id::TermId;
use crate::text::document::Document;

/// A review as the model weighs it: its terms with their values, ascending, scaled to length 1. Empty where the model
/// knows none of its terms.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Weighed(Vec<(TermId, f32)>);

impl Weighed {
    /// Reads a review and weighs its terms.
    pub fn of(scorer: &mut Scorer<'_>, document: &Document) -> Self {
        scorer.score_document(document);
        let value = |term: TermId, factor: f32| factor * scorer.model().term(term).document_factor;
        let row = scorer.row().iter().map(|entry| TermId::new(entry.column)).zip(scorer.row());
        let mut terms: Vec<(TermId, f32)> =
            row.map(|(term, entry)| (term, value(term, entry.value))).collect();
        terms.sort_unstable_by_key(|(term, _)| *term);
        let length = terms.iter().map(|(_, value)| f64::from(*value).powi(2)).sum::<f64>().sqrt();
        if length > 0.0 {
            terms.iter_mut().for_each(|(_, value)| *value = (f64::from(*value) / length) as f32);
        }
        Self(terms)
    }

    /// The cosine of two reviews: 1 where they have the same terms in the same proportions, 0 where they share none.
    pub fn likeness(&self, other: &Self) -> f64 {
        dot_of_shared(&self.0, &other.0)
    }
}
