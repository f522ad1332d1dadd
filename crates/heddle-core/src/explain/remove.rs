//! What a review would be without a part of it.
//!
//! The share of a word is its part of the sum as it stands. A negator also turns the words behind it, and a word keeps
//! its neighbours from standing next to each other: what it does to the verdict is found by reading the review again
//! without it.

use serde::Serialize;

use super::contribute::{Explanation, TokenPart};
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::model::scorer::{Score, Scorer};
use crate::text::document::Document;

/// A span of the raw text: the first byte, and one past the last.
pub(super) type Span = (u32, u32);

/// What a review is without a part of it, read again.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Without {
    /// The sum less that of the review without it.
    pub effect: f64,
    /// The same for the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<PerClass<f64>>,
    /// The probability without it of the class that the review is called with it.
    pub probability: f64,
    /// The class that it is called without it.
    pub called: Polarity,
}

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
    /// What the review is without it.
    #[serde(flatten)]
    pub without: Without,
}

/// Reads a review again and again, each time without some of its parts.
pub(super) struct Rereader<'r, 'm> {
    pub scorer: &'r mut Scorer<'m>,
    pub document: &'r Document,
    pub score: Score,
}

impl Rereader<'_, '_> {
    /// The score without some parts. Of those that share bytes, as tokens of one contraction may, the first counts.
    pub fn score_without(&mut self, mut spans: Vec<Span>) -> Score {
        spans.sort_unstable();
        let mut end = 0;
        spans.retain(|span| {
            let apart = span.0 >= end;
            end = end.max(span.1);
            apart
        });
        self.scorer.score_document(&self.document.without(&spans))
    }

    fn without(&mut self, span: Span) -> Without {
        let rest = self.score_without(vec![span]);
        Without {
            effect: self.score.sum - rest.sum,
            by_class: self
                .score
                .by_class()
                .zip(rest.by_class())
                .map(|(with, without)| PerClass::of(|class| with[class] - without[class])),
            probability: rest.probability(self.score.polarity()),
            called: rest.polarity(),
        }
    }
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
    tokens.retain(|token| token.cue || loud(token) > 0.0);
    tokens.sort_by(|a, b| b.cue.cmp(&a.cue).then(loud(b).total_cmp(&loud(a))));
    tokens.truncate(most);
    tokens.sort_by_key(|token| token.start);
    let mut reader = Rereader { scorer, document, score: *score };
    let one = |token: &TokenPart| Removal {
        form: token.form.clone(),
        start: token.start,
        end: token.end,
        share: token.contribution,
        without: reader.without((token.start, token.end)),
    };
    tokens.into_iter().map(one).collect()
}

/// By clause of an explained review: what the review is without it. Each costs a reading of the review.
pub fn clause_removals(
    scorer: &mut Scorer<'_>,
    document: &Document,
    (score, explanation): (&Score, &Explanation),
) -> Vec<Without> {
    let mut reader = Rereader { scorer, document, score: *score };
    explanation.clauses.iter().map(|clause| reader.without((clause.start, clause.end))).collect()
}

/// How much a token pulls, whichever way.
pub(super) fn loud(token: &TokenPart) -> f64 {
    match token.by_class {
        Some(sums) => sums.size(),
        None => token.contribution.abs(),
    }
}
