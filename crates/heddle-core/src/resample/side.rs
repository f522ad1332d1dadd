//! On which side of a split a row stands.

use super::random::{Random, rank};
use crate::choice::choice;

choice! {
    /// How rows are drawn for the holdout.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    By {
        /// At random.
        #[default]
        Random = "random",
        /// The latest ones, by reviews.date.
        Latest = "latest",
    }
}

choice! {
    /// What a random split holds to.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    Sides {
        /// The side of a row depends on its own group and the seed alone: rows that are added
        /// later move no other row. Sizes and class mix are as asked but for chance.
        #[default]
        Stable = "stable",
        /// Sizes and class mix are as asked, to the row; added rows may move others.
        Exact = "exact",
    }
}

/// Keeps the draw of sides apart from that of folds, which has the same seed.
const SIDES: u64 = 0x51de;

/// The part that a group belongs to, of parts that get these shares.
///
/// Depends on the key of the group and the seed alone.
pub fn side(group: u64, seed: u64, shares: &[f64]) -> usize {
    let total: f64 = shares.iter().sum();
    let mut place = Random::new(rank(group, seed ^ SIDES)).unit() * total;
    for (side, share) in shares.iter().enumerate() {
        if place < *share {
            return side;
        }
        place -= share;
    }
    shares.len() - 1
}

/// How far a sequence of classes is from a random order: the number of runs against the
/// number expected, in standard deviations (Wald and Wolfowitz (1940), DOI
/// 10.1214/aoms/1177731909). Far below zero where equal classes stand together.
///
/// `counts` holds the rows of each class; nothing if there are fewer than two classes.
pub fn runs_score(runs: usize, counts: &[usize]) -> Option<f64> {
    let n: f64 = counts.iter().sum::<usize>() as f64;
    // For any number of classes: Mood (1940), DOI 10.1214/aoms/1177731825.
    let power = |k: i32| counts.iter().map(|count| (*count as f64 / n).powi(k)).sum::<f64>();
    let expected = n * (1.0 - power(2)) + power(2);
    let variance = n * (power(2) + power(2).powi(2) - 2.0 * power(3));
    (variance > 0.0).then(|| (runs as f64 - expected) / variance.sqrt())
}
