//! Which words stand in reviews of each rating.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use serde::Serialize;

use crate::measure::log_odds_ratio::stands_out;
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::stop_words::is_function_word;
use crate::text::tokens::{Kind, Tokens};

/// A word in fewer reviews is left out.
const FEWEST: u32 = 5;
/// A word that stands out less is not called telling, in standard errors.
const TELLING: f64 = 2.0;

/// The words of the reviews with one rating.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct RatingWords {
    /// The rating.
    pub value: String,
    /// Reviews that were looked at.
    pub reviews: usize,
    /// The words that stand here more than elsewhere, the most telling first.
    pub telling: Vec<WordShare>,
    /// The words in the most reviews.
    pub frequent: Vec<WordShare>,
}

/// A word in the reviews of one rating.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct WordShare {
    /// The word; a negated one has "¬" before it.
    pub word: String,
    /// Reviews of this rating that hold it.
    pub reviews: u32,
    /// How far it stands out: log-odds ratio against the other ratings, in standard errors.
    pub score: f64,
}

/// Counts, for each rating, the reviews that hold a word (function words are left out), and scores
/// words by how far they stand out.
///
/// `texts` holds texts and the place of their rating in `values`. At most `most` words of
/// each kind are given.
pub fn rating_words<T: AsRef<str> + Sync>(
    texts: &[(T, usize)],
    values: &[String],
    cleaner: &Cleaner,
    most: usize,
) -> Vec<RatingWords> {
    let words = count_words(texts, values.len(), cleaner);
    let totals: Vec<f64> =
        (0..values.len()).map(|at| words.iter().map(|(_, counts)| f64::from(counts[at])).sum()).collect();
    let all: f64 = totals.iter().sum();
    let of_rating = |at: usize| {
        let share = |(word, counts): &(String, Vec<u32>)| {
            let overall = f64::from(counts.iter().sum::<u32>());
            let here = f64::from(counts[at]);
            WordShare {
                word: word.clone(),
                reviews: counts[at],
                score: stands_out(here, overall, totals[at], all),
            }
        };
        let mut shares: Vec<WordShare> = words.iter().map(share).filter(|share| share.reviews > 0).collect();
        shares.sort_by(|a, b| b.score.total_cmp(&a.score));
        let telling = shares.iter().filter(|share| share.score >= TELLING).take(most).cloned().collect();
        shares.sort_by(|a, b| b.reviews.cmp(&a.reviews).then_with(|| a.word.cmp(&b.word)));
        shares.truncate(most);
        RatingWords {
            value: values[at].clone(),
            reviews: texts.iter().filter(|(_, rating)| *rating == at).count(),
            telling,
            frequent: shares,
        }
    };
    (0..values.len()).map(of_rating).collect()
}

/// By word: the reviews of each rating that hold it, in alphabetical order.
fn count_words<T: AsRef<str> + Sync>(
    texts: &[(T, usize)],
    ratings: usize,
    cleaner: &Cleaner,
) -> Vec<(String, Vec<u32>)> {
    const CHUNK: usize = 512;
    let counted: Vec<FxHashMap<String, Vec<u32>>> = texts
        .par_chunks(CHUNK)
        .map(|chunk| {
            let mut counts: FxHashMap<String, Vec<u32>> = FxHashMap::default();
            let mut buffer = ScanBuffer::default();
            for (text, rating) in chunk {
                for word in distinct_words(cleaner.scan(text.as_ref(), &mut buffer)) {
                    counts.entry(word).or_insert_with(|| vec![0; ratings])[*rating] += 1;
                }
            }
            counts
        })
        .collect();
    let mut words: FxHashMap<String, Vec<u32>> = FxHashMap::default();
    for chunk in counted {
        for (word, counts) in chunk {
            let own = words.entry(word).or_insert_with(|| vec![0; ratings]);
            own.iter_mut().zip(counts).for_each(|(own, count)| *own += count);
        }
    }
    let mut words: Vec<(String, Vec<u32>)> =
        words.into_iter().filter(|(_, counts)| counts.iter().sum::<u32>() >= FEWEST).collect();
    words.sort_unstable();
    words
}

/// The distinct words of a text, negated ones marked.
fn distinct_words(tokens: &Tokens) -> FxHashSet<String> {
    let words = tokens.items().iter().filter(|token| token.kind == Kind::Word && !token.cue);
    // Shorter words say little, whatever the language.
    let telling = |form: &str| form.chars().count() > 3 && !is_function_word(form);
    let long = words.filter(|token| telling(tokens.form(token)));
    long.map(|token| format!("{}{}", if token.negated { "¬" } else { "" }, tokens.form(token))).collect()
}
