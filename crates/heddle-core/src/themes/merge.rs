//! Which words are one theme.

use rust_stemmers::{Algorithm, Stemmer};

use crate::labels::polarity::Polarity;
use crate::terms::corpus::Corpus;
use crate::terms::similar::descriptions;
use crate::terms::token_id::TokenId;

/// Words whose descriptions have this cosine, or more, are used alike.
const ALIKE: f64 = 0.4;
/// Words of so many letters may be spelt with one letter apart.
const LONG: usize = 7;
/// A theme has no more words.
const MOST_WORDS: usize = 12;

/// A token that goes with a class.
#[derive(Debug, Clone, Copy)]
pub(super) struct Candidate {
    pub token: TokenId,
    pub class: Polarity,
    /// How telling it is, in standard errors.
    pub score: f64,
}

/// Puts tokens into themes, the most telling first, at most `most` for each pole. A token joins the first theme of its
/// class whose first word has its stem, is spelt nearly alike, or is used alike; negated words keep to themselves.
pub(super) fn merged(corpus: &Corpus, candidates: Vec<Candidate>, most: usize) -> Vec<Vec<Candidate>> {
    let words: Vec<u32> = candidates.iter().map(|own| own.token.word()).collect();
    let described = descriptions(corpus, &words);
    let stemmer = Stemmer::create(Algorithm::English);
    let spelled = |own: &Candidate| corpus.words.word(own.token.word());
    let same = |a: &Candidate, b: &Candidate| {
        let (left, right) = (spelled(a), spelled(b));
        let long = left.chars().count().min(right.chars().count()) >= LONG;
        stemmer.stem(left) == stemmer.stem(right)
            || long && strsim::levenshtein(left, right) <= 1
            || described[&a.token.word()].likeness(&described[&b.token.word()]) >= ALIKE
    };
    let mut themes: Vec<Vec<Candidate>> = Vec::new();
    for own in candidates {
        let fits = |theme: &Vec<Candidate>| {
            let first = theme[0];
            first.class == own.class
                && first.token.is_negated() == own.token.is_negated()
                && theme.len() < MOST_WORDS
                && same(&first, &own)
        };
        let of_class = themes.iter().filter(|theme| theme[0].class == own.class).count();
        match themes.iter().position(fits) {
            Some(at) => themes[at].push(own),
            None if of_class < most => themes.push(vec![own]),
            None => {}
        }
    }
    themes
}
