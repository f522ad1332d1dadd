//! The words whose removal turns a verdict.

use serde::Serialize;

use super::contribute::{Explanation, TokenPart};
use super::remove::Rereader;
use crate::labels::polarity::Polarity;
use crate::model::scorer::{Score, Scorer};
use crate::text::document::Document;

/// Pairs are tried of so many words, those that do most alone.
const PAIRED: usize = 24;
/// Larger sets are not looked for.
const MOST: usize = 12;

/// A set of words without which a review is called otherwise.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Flip {
    /// The words, in reading order.
    pub words: Vec<FlipWord>,
    /// What the review is called without them.
    pub called: Polarity,
    /// The probability of that class then.
    pub probability: f64,
    /// Whether it is known that no smaller set does. Of a larger set it is only known that none of its words can be
    /// left in.
    pub smallest: bool,
}

/// A word of such a set.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct FlipWord {
    /// The form that the model sees.
    pub form: String,
    /// First byte in the raw text.
    pub start: u32,
    /// One past the last byte in the raw text.
    pub end: u32,
}

/// The smallest set of words that is found whose removal turns the verdict of an explained review; none where no set of
/// twelve words does, or the model knows no word.
///
/// The review is read again without each word, then without each pair of the 24 words that do most alone, and
/// then without one word more at a time, the one that does most, until the verdict turns; from such a set every
/// word is taken back that it does not need. This costs `words` + 276 readings, and 24 for each word beyond two.
pub fn flip(
    scorer: &mut Scorer<'_>,
    document: &Document,
    (score, explanation): (&Score, &Explanation),
) -> Option<Flip> {
    if score.terms == 0 {
        return None;
    }
    let mut search = Search { reader: Rereader { scorer, document, score: *score } };
    let tokens = distinct(&explanation.tokens);
    let mut alone: Vec<(Tried, usize)> =
        (0..tokens.len()).map(|at| (search.try_without(&tokens, &[at]), at)).collect();
    alone.sort_by(|a, b| a.0.order(&b.0));
    let (first, word) = *alone.first()?;
    if first.turns {
        return Some(search.told(&tokens, vec![word], true));
    }
    let all_paired = alone.len() <= PAIRED;
    let words: Vec<usize> = alone.iter().take(PAIRED).map(|(_, word)| *word).collect();
    let pairs = words.iter().enumerate().flat_map(|(at, a)| words[at + 1..].iter().map(|b| vec![*a, *b]));
    let tried = pairs.map(|pair| (search.try_without(&tokens, &pair), pair));
    let (best, mut set) = tried.min_by(|a, b| a.0.order(&b.0))?;
    if best.turns {
        return Some(search.told(&tokens, set, all_paired));
    }
    while set.len() < MOST {
        let others = words.iter().filter(|word| !set.contains(word));
        let larger = others.map(|word| [&set[..], &[*word]].concat());
        let (best, larger) = larger
            .map(|larger| (search.try_without(&tokens, &larger), larger))
            .min_by(|a, b| a.0.order(&b.0))?;
        set = larger;
        if best.turns {
            let set = search.needed(&tokens, set);
            return Some(search.told(&tokens, set, false));
        }
    }
    None
}

/// The tokens that can be taken out one by one: of several that share bytes, the first.
fn distinct(tokens: &[TokenPart]) -> Vec<&TokenPart> {
    let mut end = 0;
    let apart = |token: &&TokenPart| {
        let own = token.start >= end && token.end > token.start;
        end = if own { token.end } else { end };
        own
    };
    tokens.iter().filter(apart).collect()
}

/// What a review is without a set of words.
#[derive(Clone, Copy)]
struct Tried {
    turns: bool,
    /// The probability of the class that it is called with them.
    probability: f64,
}

impl Tried {
    /// Sets that turn the verdict first, then by how little is left of it.
    fn order(&self, other: &Self) -> std::cmp::Ordering {
        other.turns.cmp(&self.turns).then(self.probability.total_cmp(&other.probability))
    }
}

struct Search<'r, 'm> {
    reader: Rereader<'r, 'm>,
}

impl Search<'_, '_> {
    fn score(&mut self, tokens: &[&TokenPart], set: &[usize]) -> Score {
        self.reader.score_without(set.iter().map(|&at| (tokens[at].start, tokens[at].end)).collect())
    }

    fn try_without(&mut self, tokens: &[&TokenPart], set: &[usize]) -> Tried {
        let called = self.reader.score.polarity();
        let rest = self.score(tokens, set);
        Tried { turns: rest.polarity() != called, probability: rest.probability(called) }
    }

    /// The set without the words that it does not need.
    fn needed(&mut self, tokens: &[&TokenPart], mut set: Vec<usize>) -> Vec<usize> {
        let mut at = 0;
        while at < set.len() {
            let mut fewer = set.clone();
            fewer.remove(at);
            match self.try_without(tokens, &fewer).turns {
                true => set = fewer,
                false => at += 1,
            }
        }
        set
    }

    fn told(&mut self, tokens: &[&TokenPart], mut set: Vec<usize>, smallest: bool) -> Flip {
        set.sort_unstable();
        let score = self.score(tokens, &set);
        let word = |&at: &usize| FlipWord {
            form: tokens[at].form.clone(),
            start: tokens[at].start,
            end: tokens[at].end,
        };
        let called = score.polarity();
        Flip {
            words: set.iter().map(word).collect(),
            called,
            probability: score.probability(called),
            smallest,
        }
    }
}
