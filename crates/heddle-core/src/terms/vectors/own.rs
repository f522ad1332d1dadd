//! Word vectors made from training reviews alone.
//!
//! Words that stand up to [`REACH`] places apart within a sentence are counted together; the counts become positive
//! pointwise mutual information, and the vectors of words are the left singular vectors of that matrix, each times the
//! square root of its singular value: Levy, Goldberg and Dagan (2015), "Improving distributional similarity with lessons
//! learned from word embeddings", TACL 3, DOI 10.1162/tacl_a_00134. The matrix is symmetric, and its largest singular
//! vectors are found by iterating a random subspace: Halko, Martinsson and Tropp (2011), "Finding structure with randomness",
//! SIAM Review 53(2), DOI 10.1137/090771806, algorithms 4.4 and 5.3.
//!
//! Words are taken in the order of the alphabet, and the random start of a word is made of its letters: the vectors are
//! those of the training rows, to the last bit, whatever other rows there are. Cost: eight bytes for each pair of words that
//! stand together, and 2 x ([`STEPS`] + 1) passes over these for each number of a vector.

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use xxhash_rust::xxh3::xxh3_64;

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
/// Times that the subspace is multiplied by the matrix again.
const STEPS: usize = 3;
/// What stands between sentences, and for words that can have no vector.
pub(crate) const GAP: u32 = u32::MAX;

/// The reviews as words that can have a vector, with [`GAP`] for what cannot.
#[derive(Debug, Clone)]
pub(crate) struct Sequences {
    pub(crate) ids: Vec<u32>,
    /// Where each review begins; one more than there are reviews.
    pub(crate) starts: Vec<usize>,
}

/// A matrix of numbers, column after column.
type Columns = Vec<Vec<f64>>;

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
    let seeds: Vec<u64> = order.iter().map(|id| xxh3_64(words.words().word(*id).as_bytes())).collect();
    for (dim, vector) in leading(&matrix, &seeds).iter().enumerate() {
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

/// The leading singular vectors, each times the square root of its singular value.
fn leading(matrix: &[Vec<(u32, f64)>], seeds: &[u64]) -> Columns {
    let count = matrix.len();
    let wanted = DIMS.min(count);
    let width = (wanted + SPARE).min(count);
    if count == 0 {
        return Vec::new();
    }
    let mut draws: Vec<Random> = seeds.iter().map(|seed| Random::new(*seed)).collect();
    let mut basis: Columns =
        (0..width).map(|_| draws.iter_mut().map(|draw| draw.unit() - 0.5).collect()).collect();
    orthonormal(&mut basis);
    for _ in 0..STEPS {
        basis = times(matrix, &basis);
        orthonormal(&mut basis);
    }
    // Within the subspace the matrix is small, and solved to the last digit.
    let moved = times(matrix, &basis);
    // Rounding leaves it not quite symmetric: the mean of both halves is.
    let mean = |a: usize, b: usize| (dot(&basis[a], &moved[b]) + dot(&basis[b], &moved[a])) / 2.0;
    let small: Columns = (0..width).map(|a| (0..width).map(|b| mean(a, b)).collect()).collect();
    let (values, turns) = eigen(small);
    let mut order: Vec<usize> = (0..width).collect();
    order.sort_by(|a, b| values[*b].abs().total_cmp(&values[*a].abs()));
    let vector = |at: &usize| {
        let scale = values[*at].abs().sqrt();
        let mut sum = vec![0.0; count];
        for (base, turn) in basis.iter().zip(&turns[*at]) {
            sum.iter_mut().zip(base).for_each(|(own, number)| *own += scale * turn * number);
        }
        sum
    };
    order.iter().take(wanted).map(vector).collect()
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

fn times(matrix: &[Vec<(u32, f64)>], columns: &Columns) -> Columns {
    let one = |column: &Vec<f64>| {
        let row = |row: &Vec<(u32, f64)>| row.iter().map(|(at, own)| own * column[*at as usize]).sum();
        matrix.iter().map(row).collect()
    };
    columns.par_iter().map(one).collect()
}

/// Makes columns orthogonal and of length 1, one after the other, each twice; one that the others hold becomes zeros.
fn orthonormal(columns: &mut Columns) {
    for at in 0..columns.len() {
        let (before, rest) = columns.split_at_mut(at);
        let own = &mut rest[0];
        let whole = dot(own, own).sqrt();
        for _ in 0..2 {
            for other in before.iter() {
                let by = dot(other, own);
                own.iter_mut().zip(other).for_each(|(own, other)| *own -= by * other);
            }
        }
        let length = dot(own, own).sqrt();
        let scale = if length > 1e-10 * whole { length.recip() } else { 0.0 };
        own.iter_mut().for_each(|own| *own *= scale);
    }
}

/// The eigenvalues of a small symmetric matrix, and the eigenvector of each: turns of two axes at a time until what stands
/// beside the diagonal is gone (Jacobi (1846), DOI 10.1515/crll.1846.30.51).
fn eigen(mut matrix: Columns) -> (Vec<f64>, Columns) {
    const SWEEPS: usize = 30;
    let width = matrix.len();
    let mut turns: Columns =
        (0..width).map(|at| (0..width).map(|own| f64::from(u8::from(own == at))).collect()).collect();
    let size: f64 = matrix.iter().flatten().map(|own| own * own).sum();
    for _ in 0..SWEEPS {
        let beside: f64 =
            (0..width).flat_map(|a| (0..a).map(move |b| (a, b))).map(|(a, b)| matrix[a][b].powi(2)).sum();
        if beside <= 1e-24 * size {
            break;
        }
        for a in 0..width {
            for b in a + 1..width {
                if matrix[a][b] == 0.0 {
                    continue;
                }
                let ratio = (matrix[b][b] - matrix[a][a]) / (2.0 * matrix[a][b]);
                let tan = ratio.signum() / (ratio.abs() + (ratio * ratio + 1.0).sqrt());
                let tan = if ratio == 0.0 { 1.0 } else { tan };
                let cos = (tan * tan + 1.0).sqrt().recip();
                let sin = tan * cos;
                let turn = |x: &mut f64, y: &mut f64| (*x, *y) = (cos * *x - sin * *y, sin * *x + cos * *y);
                for row in &mut matrix {
                    let (low, high) = row.split_at_mut(b);
                    turn(&mut low[a], &mut high[0]);
                }
                for rows in [&mut matrix, &mut turns] {
                    let (low, high) = rows.split_at_mut(b);
                    low[a].iter_mut().zip(&mut high[0]).for_each(|(x, y)| turn(x, y));
                }
            }
        }
    }
    ((0..width).map(|at| matrix[at][at]).collect(), turns)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A symmetric matrix of so many rows, drawn at random, with a few large directions.
    fn drawn(count: usize) -> (Columns, Vec<Vec<(u32, f64)>>) {
        let mut draw = Random::new(4);
        let directions: Columns = (0..3).map(|_| (0..count).map(|_| draw.unit() - 0.5).collect()).collect();
        let strengths = [9.0, -5.0, 2.0];
        let at = |a: usize, b: usize| -> f64 {
            directions.iter().zip(strengths).map(|(own, strength)| strength * own[a] * own[b]).sum()
        };
        let rows = (0..count).map(|a| (0..count).map(|b| (b as u32, at(a, b))).collect()).collect();
        ((0..count).map(|a| (0..count).map(|b| at(a, b)).collect()).collect(), rows)
    }

    #[test]
    fn eigenvectors_give_the_matrix_back() {
        let (matrix, _) = drawn(12);
        let (values, vectors) = eigen(matrix.clone());
        for a in 0..12 {
            for b in 0..12 {
                let sum: f64 = (0..12).map(|at| values[at] * vectors[at][a] * vectors[at][b]).sum();
                assert!((sum - matrix[a][b]).abs() < 1e-9, "{a} {b}: {sum}, {}", matrix[a][b]);
            }
        }
    }

    #[test]
    fn a_random_subspace_finds_the_leading_directions() {
        let (matrix, rows) = drawn(90);
        let seeds: Vec<u64> = (0..90).collect();
        let found = leading(&rows, &seeds);
        assert_eq!(found.len(), DIMS);
        // Of three directions there is nothing left but rounding in the others.
        let mut size: Vec<f64> = found.iter().map(|own| dot(own, own)).collect();
        assert!(size.split_off(3).iter().all(|own| *own < 1e-6), "{size:?}");
        // The sum of the squares of what a matrix makes of its directions is that of its entries.
        let entries: f64 = matrix.iter().flatten().map(|own| own * own).sum();
        let values: f64 = size.iter().map(|own| own * own).sum();
        assert!((entries - values).abs() < 1e-6 * entries, "{entries} {values}");
    }
}
