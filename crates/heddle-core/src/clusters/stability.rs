//! How many clusters there are: as many as two looks at different reviews agree on.

use rayon::prelude::*;
use serde::Serialize;

use super::means::cluster;
use super::vectors::Vectors;
use crate::measure::interval::{Figure, mean};
use crate::resample::random::Random;

/// Rows that the looks are taken at, drawn where there are more.
const LOOKED_AT: usize = 2000;
/// The share of them that a look takes.
const SHARE: f64 = 0.8;
/// Beginnings of each look, of which the best is taken.
const BEGINNINGS: usize = 3;
/// Pairs of looks for each number.
const PAIRS: u64 = 8;

/// A number of clusters, and how well two looks agree on them.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Tried {
    /// The number.
    pub count: usize,
    /// The mean agreement of pairs of looks, with its interval: 1 where they are the same, 0 where they agree as by chance.
    pub agreement: Figure,
}

/// The agreement of pairs of looks for each number of clusters from 2 to `most`: each look takes four fifths of the
/// reviews, and two are held against each other on those that both took (Ben-Hur, Elisseeff and Guyon (2002), "A stability
/// based method for discovering structure in clustered data", DOI 10.1142/9789812799623_0002).
pub fn stabilities(vectors: &Vectors, most: usize, seed: u64) -> Vec<Tried> {
    let mut rows = vectors.rows();
    let mut random = Random::new(seed);
    random.shuffle(&mut rows);
    rows.truncate(LOOKED_AT);
    let taken = (SHARE * rows.len() as f64) as usize;
    let tried = |count: usize| {
        let pair = |pair: u64| {
            let look = |side: u64| {
                let seed = seed ^ (2 * pair + side + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
                let mut places: Vec<u32> = (0..rows.len() as u32).collect();
                Random::new(seed).shuffle(&mut places);
                places.truncate(taken);
                places.sort_unstable();
                let own: Vec<u32> = places.iter().map(|place| rows[*place as usize]).collect();
                let mut of = vec![u32::MAX; rows.len()];
                let found = cluster(vectors, &own, count, (BEGINNINGS, seed));
                places.iter().zip(found.of).for_each(|(place, own)| of[*place as usize] = own);
                of
            };
            let (one, other) = (look(0), look(1));
            let both = one.iter().zip(&other).filter(|(a, b)| **a != u32::MAX && **b != u32::MAX);
            let (one, other): (Vec<u32>, Vec<u32>) = both.unzip();
            adjusted_rand(&one, &other)
        };
        let agreements: Vec<f64> = (0..PAIRS).into_par_iter().map(pair).collect();
        let agreement = mean(&agreements);
        // No two looks agree more than wholly, whatever a t interval allows.
        let high = agreement.high.map(|high| high.min(1.0));
        Tried { count, agreement: Figure { high, ..agreement } }
    };
    (2..=most).filter(|count| taken > *count).map(tried).collect()
}

/// The number of clusters that looks agree on best; the larger of equals.
pub fn most_stable(tried: &[Tried]) -> Option<usize> {
    let agreement = |own: &Tried| own.agreement.value.unwrap_or(f64::NEG_INFINITY);
    tried.iter().max_by(|a, b| agreement(a).total_cmp(&agreement(b))).map(|own| own.count)
}

/// How well two ways to divide the same reviews agree: 1 where they are the same but for names, 0 on average by chance
/// (Hubert and Arabie (1985), "Comparing partitions", DOI 10.1007/BF01908075).
///
/// # Panics
/// If they are of different lengths.
pub fn adjusted_rand(one: &[u32], other: &[u32]) -> f64 {
    assert_eq!(one.len(), other.len(), "two divisions of the same reviews");
    let size = |of: &[u32]| of.iter().max().map_or(0, |most| *most as usize + 1);
    let (rows, columns) = (size(one), size(other));
    let mut shared = vec![0u64; rows * columns];
    one.iter().zip(other).for_each(|(a, b)| shared[*a as usize * columns + *b as usize] += 1);
    let pairs = |count: u64| (count * count.saturating_sub(1) / 2) as f64;
    let of_row = |row: usize| shared[row * columns..(row + 1) * columns].iter().sum::<u64>();
    let of_column = |column: usize| (0..rows).map(|row| shared[row * columns + column]).sum::<u64>();
    let together: f64 = shared.iter().map(|count| pairs(*count)).sum();
    let (left, right): (f64, f64) = (
        (0..rows).map(|row| pairs(of_row(row))).sum(),
        (0..columns).map(|column| pairs(of_column(column))).sum(),
    );
    let all = pairs(one.len() as u64);
    let (by_chance, most) = (left * right / all.max(1.0), (left + right) / 2.0);
    if most == by_chance { 1.0 } else { (together - by_chance) / (most - by_chance) }
}
