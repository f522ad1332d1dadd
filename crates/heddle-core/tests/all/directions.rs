//! The directions of a matrix, which are of use inside the library alone.

#[path = "../../src/terms/vectors/directions.rs"]
mod own;

use heddle_core::resample::Random;
use own::{Columns, eigen, leading};

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
    let mut draw = Random::new(7);
    let start = (0..58).map(|_| (0..90).map(|_| draw.unit() - 0.5).collect()).collect();
    let found = leading(&rows, start, 50);
    assert_eq!(found.len(), 50);
    // Of three directions there is nothing left but rounding in the others.
    let mut size: Vec<f64> = found.iter().map(|own| own.iter().map(|own| own * own).sum()).collect();
    assert!(size.split_off(3).iter().all(|own| *own < 1e-6), "{size:?}");
    // The sum of the squares of what a matrix makes of its directions is that of its entries.
    let entries: f64 = matrix.iter().flatten().map(|own| own * own).sum();
    let values: f64 = size.iter().map(|own| own * own).sum();
    assert!((entries - values).abs() < 1e-6 * entries, "{entries} {values}");
}
