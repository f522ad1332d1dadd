//! The leading directions of a symmetric matrix, of which most entries are zero.
//!
//! A random subspace is multiplied by the matrix again and again: Halko, Martinsson and Tropp (2011), "Finding structure
//! with randomness", SIAM Review 53(2), DOI 10.1137/090771806, algorithms 4.4 and 5.3. What it becomes is solved to the
//! last digit. Cost: [`STEPS`] + 1 passes over the entries for each column of the subspace.

use rayon::prelude::*;

/// A matrix of numbers, column after column.
pub(crate) type Columns = Vec<Vec<f64>>;

/// Times that the subspace is multiplied by the matrix again.
const STEPS: usize = 3;

/// The leading singular vectors of a symmetric matrix, each times the square root of its singular value: as many as are
/// `wanted`, or as the random columns of `basis` let find, of which there are some more.
pub(crate) fn leading(matrix: &[Vec<(u32, f64)>], mut basis: Columns, wanted: usize) -> Columns {
    let (count, width) = (matrix.len(), basis.len());
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
pub(crate) fn eigen(mut matrix: Columns) -> (Vec<f64>, Columns) {
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
