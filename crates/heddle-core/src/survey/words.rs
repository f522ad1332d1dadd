//! Which words stand in reviews of each rating.

use rayon::prelude::*;
use serde::Serialize;

use crate::measure::log_odds_ratio::stands_out;
use crate::terms::intern::Words;
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::tokens::Kind;

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
    let of_chunk = |chunk: &[(T, usize)]| Counts::of(chunk, ratings, cleaner);
    let chunks: Vec<Counts> = texts.par_chunks(CHUNK).map(of_chunk).collect();
    let mut all = Counts::default();
    for chunk in chunks {
        for (word, counts) in chunk.words.iter().zip(chunk.counts.chunks(2 * ratings.max(1))) {
            let first = all.place(word, ratings) * 2 * ratings;
            all.counts[first..].iter_mut().zip(counts).for_each(|(own, count)| *own += count);
        }
    }
    let mut words: Vec<(String, Vec<u32>)> = Vec::new();
    for (word, counts) in all.words.iter().zip(all.counts.chunks(2 * ratings.max(1))) {
        let (plain, negated) = counts.split_at(ratings);
        let frequent = [("", plain), ("¬", negated)];
        let frequent = frequent.iter().filter(|(_, own)| own.iter().sum::<u32>() >= FEWEST);
        if is_telling(cleaner, word) {
            words.extend(frequent.map(|(mark, own)| (format!("{mark}{word}"), own.to_vec())));
        }
    }
    words.sort_unstable();
    words
}

/// Words with the reviews of each rating that hold them.
#[derive(Default)]
struct Counts {
    words: Words,
    /// By word, plain and then negated, by rating.
    counts: Vec<u32>,
}

impl Counts {
    fn of<T: AsRef<str>>(texts: &[(T, usize)], ratings: usize, cleaner: &Cleaner) -> Self {
        let mut own = Self::default();
        // By word, plain and then negated: the number of the last text that holds it, from 1.
        let mut last: Vec<u32> = Vec::new();
        let mut buffer = ScanBuffer::default();
        for (number, (text, rating)) in (1..).zip(texts) {
            let tokens = cleaner.scan(text.as_ref(), &mut buffer);
            for token in tokens.items().iter().filter(|token| token.kind == Kind::Word && !token.cue) {
                let place = 2 * own.place(tokens.form(token), ratings) + usize::from(token.negated);
                last.resize(2 * own.words.len(), 0);
                if std::mem::replace(&mut last[place], number) != number {
                    own.counts[place * ratings + rating] += 1;
                }
            }
        }
        own
    }

    /// The place of a word, with room for its counts.
    fn place(&mut self, word: &str, ratings: usize) -> usize {
        let place = self.words.intern(word) as usize;
        self.counts.resize(self.words.len() * 2 * ratings, 0);
        place
    }
}

/// Whether a word says more than that a sentence goes on. Short words say little, whatever the language.
fn is_telling(cleaner: &Cleaner, word: &str) -> bool {
    word.chars().count() > 3 && !cleaner.is_function_word(word)
}
