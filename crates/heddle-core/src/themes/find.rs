//! Which words go with a class beyond noise, and what they do together.

use statrs::distribution::{ContinuousCDF, Normal};

use super::merge::{Candidate, merged};
use super::theme::{Theme, ThemeWord, difference};
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::measure::dependence::Dependence;
use crate::resample::folds::Sample;
use crate::terms::associate::log_odds;
use crate::terms::corpus::Corpus;
use crate::terms::token_id::TokenId;

/// Words in fewer reviews are no theme.
const FEWEST: usize = 10;
/// The share of themes that may be there by chance (Benjamini and Hochberg (1995), DOI
/// 10.1111/j.2517-6161.1995.tb02031.x).
const FALSE: f64 = 0.05;
/// Words that are merged, the most telling.
const MERGED: usize = 400;

/// What is known of a token: its reviews and its occurrences, by class.
#[derive(Clone, Copy, Default)]
struct Seen {
    reviews: ClassCounts,
    times: ClassCounts,
    last: u32,
}

/// The themes of labelled reviews, at most `most` for each pole, the most telling first. Function words, marks and
/// words in fewer than ten reviews are left out; negated words are words of their own.
///
/// # Panics
/// If the sample is of other reviews than the corpus.
pub fn themes(corpus: &Corpus, sample: &Sample, most: usize) -> Vec<Theme> {
    assert_eq!(corpus.len(), sample.len(), "{} reviews, {} labels", corpus.len(), sample.len());
    let seen = seen(corpus, sample);
    let candidates = telling(corpus, &seen);
    let sets = merged(corpus, candidates, most);
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let mix = sample.mix(&rows);
    let dependence = Dependence::of_groups(&sample.groups);
    let negative: Vec<bool> = sample.labels.iter().map(|label| *label == Polarity::Negative).collect();
    let theme = |set: &Vec<Candidate>| {
        let held = rows_with(corpus, set);
        let share = |of: bool| {
            let rows: Vec<u32> = rows.iter().copied().filter(|row| held[*row as usize] == of).collect();
            dependence.share(&rows, |row| negative[row]).0
        };
        let mut counts = ClassCounts::default();
        held.iter().zip(&sample.labels).filter(|(held, _)| **held).for_each(|(_, label)| counts[*label] += 1);
        Theme {
            name: corpus.spell_token(set[0].token),
            class: set[0].class,
            words: set.iter().map(|own| word(corpus, own, &seen, mix)).collect(),
            counts,
            with: share(true),
            without: share(false),
            difference: difference(&negative, &held, &sample.groups, sets.len()),
            rows: held,
        }
    };
    sets.iter().map(theme).filter(|theme| theme.reviews() < sample.len()).collect()
}

/// By token: the reviews and places of each class that hold it.
fn seen(corpus: &Corpus, sample: &Sample) -> Vec<Seen> {
    let mut seen = vec![Seen::default(); 2 * corpus.words.len()];
    for (row, label) in sample.labels.iter().enumerate() {
        for id in corpus.review(row).iter().filter(|id| !id.is_sentence_end()) {
            let own = &mut seen[id.bits() as usize];
            own.times[*label] += 1;
            if own.last != row as u32 + 1 {
                own.last = row as u32 + 1;
                own.reviews[*label] += 1;
            }
        }
    }
    seen
}

/// The tokens that go with a pole beyond noise, the most telling first.
fn telling(corpus: &Corpus, seen: &[Seen]) -> Vec<Candidate> {
    let held = seen.iter().fold(ClassCounts::default(), |held, own| held.plus(own.reviews));
    let is_theme = |bits: &usize| {
        let reviews: usize = seen[*bits].reviews.iter().sum();
        let word = corpus.words.word(TokenId::from_bits(*bits as u32).word());
        reviews >= FEWEST && corpus.rules.is_content_word(word)
    };
    let tested: Vec<usize> = (0..seen.len()).filter(is_theme).collect();
    let mut found: Vec<Candidate> = tested
        .iter()
        .map(|bits| {
            let score = |class: Polarity| log_odds(seen[*bits].reviews, held, class);
            let class = if score(Polarity::Negative) > score(Polarity::Positive) {
                Polarity::Negative
            } else {
                Polarity::Positive
            };
            Candidate { token: TokenId::from_bits(*bits as u32), class, score: score(class) }
        })
        .collect();
    found.sort_by(|a, b| b.score.total_cmp(&a.score).then(a.token.bits().cmp(&b.token.bits())));
    let chance = |score: f64| 2.0 * (1.0 - Normal::standard().cdf(score));
    let tests = found.len() as f64;
    let last = (0..found.len()).rev().find(|at| chance(found[*at].score) <= FALSE * (at + 1) as f64 / tests);
    found.truncate(last.map_or(0, |last| last + 1).min(MERGED));
    found.retain(|own| own.score > 0.0);
    found
}

/// By row: whether it holds one of the words.
fn rows_with(corpus: &Corpus, set: &[Candidate]) -> Vec<bool> {
    let holds = |row| corpus.review(row).iter().any(|id| set.iter().any(|own| own.token == *id));
    (0..corpus.len()).map(holds).collect()
}

fn word(corpus: &Corpus, own: &Candidate, seen: &[Seen], mix: ClassCounts) -> ThemeWord {
    let Seen { reviews, times, .. } = seen[own.token.bits() as usize];
    let rate = |class: Polarity| (reviews[class] as f64 + 0.5) / (mix[class] as f64 + 1.0);
    ThemeWord {
        word: corpus.spell_token(own.token),
        counts: reviews,
        times,
        rate_ratio: rate(Polarity::Negative) / rate(Polarity::Positive),
        score: own.score,
    }
}
