//! Word vectors made from training reviews alone.
//!
//! Words that stand up to [`REACH`] places apart within a sentence are counted together; the counts become positive
//! pointwise mutual information, and the vectors of words are the left singular vectors of that matrix, each times the
//! square root of its singular value: Levy, Goldberg and Dagan (2015), "Improving distributional similarity with lessons
//! learned from word embeddings", TACL 3, DOI 10.1162/tacl_a_00134. The matrix is symmetric, and its largest singular
//! vectors are found from a random start (`directions.rs`).
//!
//! Words are taken in the order of the alphabet, and the random start of a word is made of its letters: the vectors are
//! those of the training rows, to the last bit, whatever other rows there are. Cost: eight bytes for each pair of words that
//! stand together, and the passes of `directions.rs` over these, both ways round.

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use xxhash_rust::xxh3::xxh3_64;

use super::directions::{Columns, leading};
use super::table::WordVectors;
use crate::resample::random::Random;

/// Places on each side.
const REACH: usize = 5;
/// A word that stands less often in the training rows has no vector.
const FEWEST: u32 = 5;
/// The numbers of a vector.
pub(crate) const DIMS: usize = 50;
/// More directions than are wanted, so that the wanted ones are found well.
const SPARE: usize = 8;
/// What stands between sentences, and for words that can have no vector.
pub(crate) const GAP: u32 = u32::MAX;

/// The reviews as words that can have a vector, with [`GAP`] for what cannot.
#[derive(Debug, Clone)]
pub(crate) struct Sequences {
    pub(crate) ids: Vec<u32>,
    /// Where each review begins; one more than there are reviews.
    pub(crate) starts: Vec<usize>,
}

/// Vectors of the words of some rows; zeros for words that stand there too rarely.
pub(crate) fn vectors_of(words: &WordVectors, sequences: &Sequences, rows: &[u32]) -> Vec<f32> {
    let of = |row: u32| &sequences.ids[sequences.starts[row as usize]..sequences.starts[row as usize + 1]];
    let mut counts = vec![0u32; words.len()];
    for id in rows.iter().flat_map(|row| of(*row)).filter(|id| **id != GAP) {
        counts[*id as usize] += 1;
    }
    let mut order: Vec<u32> = (0..words.len() as u32).filter(|id| counts[*id as usize] >= FEWEST).collect();
    order.sort_unstable_by_key(|id| words.words().word(*id));
    let mut places = vec![GAP; words.len()];
    (0..).zip(&order).for_each(|(place, id)| places[*id as usize] = place);
    let matrix = information(rows.iter().map(|row| of(*row)), &places, order.len());
    let mut numbers = vec![0.0f32; words.len() * DIMS];
    let seeds = order.iter().map(|id| xxh3_64(words.words().word(*id).as_bytes()));
    for (dim, vector) in leading(&matrix, start(seeds), DIMS).iter().enumerate() {
        for (id, number) in order.iter().zip(vector) {
            numbers[*id as usize * DIMS + dim] = *number as f32;
        }
    }
    numbers
}

/// By word: the words that it stands with, and the positive pointwise mutual information of the two.
fn information<'r>(
    reviews: impl Iterator<Item = &'r [u32]>,
    places: &[u32],
    count: usize,
) -> Vec<Vec<(u32, f64)>> {
    let mut pairs: FxHashMap<u64, u32> = FxHashMap::default();
    for review in reviews {
        for sentence in review.split(|id| *id == GAP) {
            for (at, one) in sentence.iter().enumerate() {
                for other in &sentence[at + 1..sentence.len().min(at + 1 + REACH)] {
                    let (a, b) = (places[*one as usize], places[*other as usize]);
                    if a != GAP && b != GAP {
                        *pairs.entry(u64::from(a.min(b)) << 32 | u64::from(a.max(b))).or_default() += 1;
                    }
                }
            }
        }
    }
    let mut rows: Vec<Vec<(u32, f64)>> = vec![Vec::new(); count];
    for (pair, times) in pairs {
        let (a, b) = ((pair >> 32) as u32, pair as u32);
        rows[a as usize].push((b, f64::from(times)));
        if a != b {
            rows[b as usize].push((a, f64::from(times)));
        }
    }
    rows.par_iter_mut().for_each(|row| row.sort_unstable_by_key(|(other, _)| *other));
    // Whole numbers: their sums are exact in any order.
    let sums: Vec<f64> = rows.iter().map(|row| row.iter().map(|(_, times)| times).sum()).collect();
    let all: f64 = sums.iter().sum();
    rows.par_iter_mut().enumerate().for_each(|(at, row)| {
        for (other, times) in row.iter_mut() {
            *times = (*times * all / (sums[at] * sums[*other as usize])).ln();
        }
        row.retain(|(_, information)| *information > 0.0);
    });
    rows
}

/// Random columns, each number of which is drawn by the seed of its row.
fn start(seeds: impl Iterator<Item = u64>) -> Columns {
    let mut draws: Vec<Random> = seeds.map(Random::new).collect();
    let width = (DIMS + SPARE).min(draws.len());
    (0..width).map(|_| draws.iter_mut().map(|draw| draw.unit() - 0.5).collect()).collect()
}
