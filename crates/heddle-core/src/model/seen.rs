//! What training reviews were like, kept so that new ones can be held against them.

use std::collections::BTreeMap;

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::measure::shift::Shares;
use crate::measure::verdict::Verdict;
use crate::terms::corpus::Corpus;
use crate::terms::review_count::{ReviewCount, reviews_by_place};

/// Where reviews are parted by their number of tokens: the first of each part but the first.
pub const LENGTHS: [u64; 16] = [2, 4, 6, 8, 12, 16, 24, 32, 48, 64, 96, 128, 192, 256, 512, 1024];
/// Where scores are parted.
pub const LOG_ODDS: [f64; 11] = [-5.0, -3.0, -2.0, -1.0, -0.5, 0.0, 0.5, 1.0, 2.0, 3.0, 5.0];

/// What a set of reviews is like.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Seen {
    /// Reviews by their number of tokens, parted by [`LENGTHS`].
    pub lengths: Vec<u64>,
    /// As many independent reviews tell as much, where some repeat each other, as a share of all: (sum m)^2 / (n sum m^2) for
    /// texts that stand m times. Kish (1965), "Survey sampling", section 8.2.
    pub independent: f64,
    /// The mean share of a review's tokens that are words which a model of the others does not know, and its variance.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unknown: Option<[f64; 2]>,
    /// Reviews by language; of some of them, where there are many.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub languages: BTreeMap<String, u64>,
    /// What was said of reviews that had not taught, where some were held out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub said: Option<Said>,
}

/// What a model says of reviews.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Said {
    /// Reviews by their log-odds of positive, parted by [`LOG_ODDS`].
    pub log_odds: Vec<u64>,
    /// Reviews that are called negative, neutral and positive, and those that are left unsure.
    pub called: [u64; 4],
}

/// The part in which a value lies.
fn part<T: PartialOrd>(edges: &[T], value: &T) -> usize {
    edges.iter().take_while(|edge| value >= *edge).count()
}

/// How many there are in each part.
pub fn parted<T: PartialOrd>(edges: &[T], values: impl Iterator<Item = T>) -> Vec<u64> {
    let mut counts = vec![0; edges.len() + 1];
    values.for_each(|value| counts[part(edges, &value)] += 1);
    counts
}

impl Said {
    /// Of these verdicts.
    pub fn of(verdicts: &[Verdict]) -> Self {
        let mut called = [0; 4];
        for verdict in verdicts {
            // Neutral stands between the poles here.
            let place = if verdict.sure { [0, 2, 1][verdict.called.index()] } else { 3 };
            called[place] += 1;
        }
        Self { log_odds: parted(&LOG_ODDS, verdicts.iter().map(|own| own.log_odds)), called }
    }
}

impl Seen {
    /// How long the reviews of a corpus are, and how many repeat each other.
    pub(crate) fn of_reviews(corpus: &Corpus) -> Self {
        let tokens = |row: usize| corpus.review(row).iter().filter(|id| !id.is_sentence_end()).count() as u64;
        let (lengths, independent) = rayon::join(
            || parted(&LENGTHS, (0..corpus.len()).map(tokens)),
            || independent((0..corpus.len()).map(|row| corpus.review(row)).collect()),
        );
        Self { lengths, independent, ..Self::default() }
    }

    /// With the shares of unknown words. A word is known if `known` says so of its place, and more than `floor` reviews hold
    /// it: a model of the others would know it too.
    pub(crate) fn with_unknown(self, corpus: &Corpus, floor: u32, known: impl Fn(u32) -> bool) -> Self {
        let tokens = |row: usize| corpus.review(row).iter().filter(|id| !id.is_sentence_end());
        let note = |row: u32, counts: &mut [ReviewCount]| {
            tokens(row as usize).for_each(|id| counts[id.word() as usize].see(row));
        };
        let reviews = reviews_by_place(corpus.len(), corpus.words.len(), note);
        let unknown: Vec<bool> =
            (0..).zip(reviews).map(|(word, reviews)| reviews <= floor || !known(word)).collect();
        let share = |row: usize| {
            let all = tokens(row).count();
            let own = tokens(row).filter(|id| unknown[id.word() as usize]).count();
            (all > 0).then(|| own as f64 / all as f64)
        };
        let shares: Vec<Option<f64>> = (0..corpus.len()).into_par_iter().map(share).collect();
        let shares = Shares::of(shares.into_iter().flatten(), self.independent);
        Self { unknown: Some([shares.mean, shares.variance]), ..self }
    }

    /// The shares of unknown words, where they are told.
    pub fn unknown_shares(&self) -> Option<Shares> {
        let [mean, variance] = self.unknown?;
        Some(Shares { mean, variance, reviews: self.lengths.iter().sum(), independent: self.independent })
    }
}

/// What independent reviews are to those of which some repeat each other: see [`Seen::independent`].
pub(crate) fn independent<K: Ord + Send>(mut reviews: Vec<K>) -> f64 {
    reviews.par_sort_unstable();
    let squares: f64 = reviews.chunk_by(|a, b| a == b).map(|same| (same.len() as f64).powi(2)).sum();
    if squares > 0.0 { reviews.len() as f64 / squares } else { 1.0 }
}

impl Shares {
    /// Of some shares, of which so many are independent of each other, as a share.
    pub fn of(shares: impl Iterator<Item = f64>, independent: f64) -> Self {
        let (mut reviews, mut mean, mut squares) = (0u64, 0.0, 0.0);
        // Welford (1962), DOI 10.1080/00401706.1962.10490022.
        for share in shares {
            reviews += 1;
            let by = share - mean;
            mean += by / reviews as f64;
            squares += by * (share - mean);
        }
        Self { mean, variance: squares / (reviews.max(2) - 1) as f64, reviews, independent }
    }
}
