//! Whether the words that an explanation puts first are those that the verdict rests on.

use serde::Serialize;

use super::contribute::explain_document;
use super::remove::{Rereader, Span};
use crate::measure::interval::{Figure, mean};
use crate::model::scorer::Scorer;
use crate::resample::fingerprint::text_key;
use crate::resample::random::Random;
use crate::text::document::Document;

/// So many words are taken out, or left alone.
pub const WORDS: [usize; 4] = [1, 2, 4, 8];
/// Random words are drawn so many times.
const DRAWS: usize = 4;

/// What becomes of the probability of the called class of one review, by number of words taken out (1, 2, 4 and 8); nothing
/// for numbers that are not below its words.
#[derive(Debug, Clone, PartialEq)]
pub struct Deletions {
    before: f64,
    by_words: [Option<Deletion>; WORDS.len()],
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct Deletion {
    without: f64,
    with_only: f64,
    without_random: f64,
    with_only_random: f64,
}

/// Whether explanations are faithful to the model, over many reviews (DeYoung et al. (2020), "ERASER", DOI
/// 10.18653/v1/2020.acl-main.408: a probability that falls without the words of an explanation, and stays with them
/// alone). The review is read again each time, negation included.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Faithfulness {
    /// Reviews of two words or more with a term of the model.
    pub reviews: usize,
    /// The mean probability of the called class, with all words.
    pub before: Figure,
    /// By number of words.
    pub points: Vec<FaithfulPoint>,
}

/// Mean probabilities of the called class, by what is read of each review.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct FaithfulPoint {
    /// So many words that speak most for the called class.
    pub words: usize,
    /// Without them.
    pub without: Figure,
    /// Without as many random ones.
    pub without_random: Figure,
    /// How much more the probability falls without them than without random ones; paired by review.
    pub more: Figure,
    /// With nothing else.
    pub with_only: Figure,
    /// With as many random ones and nothing else.
    pub with_only_random: Figure,
}

/// Reads a review without its heaviest words, with them alone, and the same with random ones; nothing for a review
/// of one word, or without a term of the model. Random words are drawn by the seed and the text.
pub fn deletions(scorer: &mut Scorer<'_>, document: &Document, seed: u64) -> Option<Deletions> {
    let (score, explanation) = explain_document(scorer, document);
    let called = score.polarity();
    let speaks = |at: usize| explanation.tokens[at].speaks_for(called);
    let mut order: Vec<usize> = (0..explanation.tokens.len()).collect();
    order.sort_by(|a, b| speaks(*b).total_cmp(&speaks(*a)));
    if score.terms == 0 || order.len() < 2 {
        return None;
    }
    let spans: Vec<Span> = explanation.tokens.iter().map(|token| (token.start, token.end)).collect();
    let mut reader = Rereader { scorer, document, score };
    let mut random = Random::new(text_key(document.text()) ^ seed);
    let mut drawn = order.clone();
    let by_words = WORDS.map(|words| {
        if words >= order.len() {
            return None;
        }
        let (chosen, others) = order.split_at(words);
        let mut deletion = Deletion {
            without: probability(&mut reader, &spans, chosen),
            with_only: probability(&mut reader, &spans, others),
            without_random: 0.0,
            with_only_random: 0.0,
        };
        for _ in 0..DRAWS {
            random.shuffle(&mut drawn);
            let (chosen, others) = drawn.split_at(words);
            deletion.without_random += probability(&mut reader, &spans, chosen) / DRAWS as f64;
            deletion.with_only_random += probability(&mut reader, &spans, others) / DRAWS as f64;
        }
        Some(deletion)
    });
    Some(Deletions { before: score.probability(called), by_words })
}

/// The probability of the called class without some tokens.
fn probability(reader: &mut Rereader<'_, '_>, spans: &[Span], out: &[usize]) -> f64 {
    let called = reader.score.polarity();
    reader.score_without(out.iter().map(|&at| spans[at]).collect()).probability(called)
}

impl Faithfulness {
    /// Puts together what was found for each review.
    pub fn of(deletions: &[Deletions]) -> Self {
        let before: Vec<f64> = deletions.iter().map(|own| own.before).collect();
        let point = |(at, words): (usize, &usize)| {
            let own: Vec<Deletion> = deletions.iter().filter_map(|one| one.by_words[at]).collect();
            let of = |value: fn(&Deletion) -> f64| mean(&own.iter().map(value).collect::<Vec<f64>>());
            let point = FaithfulPoint {
                words: *words,
                without: of(|own| own.without).within(0.0, 1.0),
                without_random: of(|own| own.without_random).within(0.0, 1.0),
                more: of(|own| own.without_random - own.without),
                with_only: of(|own| own.with_only).within(0.0, 1.0),
                with_only_random: of(|own| own.with_only_random).within(0.0, 1.0),
            };
            (!own.is_empty()).then_some(point)
        };
        Self {
            reviews: deletions.len(),
            before: mean(&before).within(0.0, 1.0),
            points: WORDS.iter().enumerate().filter_map(point).collect(),
        }
    }
}
