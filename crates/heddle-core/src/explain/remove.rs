//! What a review would be without one of its words.
//!
//! The share of a word is its part of the sum as it stands. A negator also turns the words behind it, and a word keeps
//! its neighbours from standing next to each other: what it does to the verdict is found by reading the review again
//! without it.

use serde::Serialize;

use super::contribute::{Explanation, TokenPart};
use crate::labels::per_class::PerClass;
use crate::model::scorer::{Score, Scorer};
use crate::text::document::Document;

/// A word, and what the review is without it.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Removal {
    /// The form that the model sees.
    pub form: String,
    /// First byte in the raw text.
    pub start: u32,
    /// One past the last byte in the raw text.
    pub end: u32,
    /// Its share of the sum.
    pub share: f64,
    /// The sum less that of the review without it.
    pub effect: f64,
    /// The same for the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<PerClass<f64>>,
    /// The probability of the called class without it.
    pub probability: f64,
}

/// What the heaviest words of an explained review do, at most `most` of them: those that belong to a negation first,
/// then by the size of their shares; told in reading order. Each costs a reading of the review.
pub fn removals(
    scorer: &mut Scorer<'_>,
    document: &Document,
    (score, explanation): (&Score, &Explanation),
    most: usize,
) -> Vec<Removal> {
    let mut tokens: Vec<&TokenPart> = explanation.tokens.iter().collect();
    let loud = |token: &TokenPart| match token.by_class {
        Some(sums) => sums.size(),
        None => token.contribution.abs(),
    };
    tokens.retain(|token| token.cue || loud(token) > 0.0);
    tokens.sort_by(|a, b| b.cue.cmp(&a.cue).then(loud(b).total_cmp(&loud(a))));
    tokens.truncate(most);
    tokens.sort_by_key(|token| token.start);
    let mut one = |token: &TokenPart| {
        let rest = scorer.score_document(&document.without(token.start as usize, token.end as usize));
        Removal {
            form: token.form.clone(),
            start: token.start,
            end: token.end,
            share: token.contribution,
            effect: score.sum - rest.sum,
            by_class: score
                .by_class()
                .zip(rest.by_class())
                .map(|(with, without)| PerClass::of(|class| with[class] - without[class])),
            probability: rest.probability(explanation.polarity),
        }
    };
    tokens.into_iter().map(&mut one).collect()
}
