//! Systems of equations with a positive definite matrix, given by its lower half.

/// Where a row of the lower half begins; the size of the half of so many rows.
pub(super) fn half(row: usize) -> usize {
    row * (row + 1) / 2
}

/// Solves A x = b by Cholesky's way; A becomes its factor, and b becomes x.
pub(super) fn solve(lower: &mut [f64], right: &mut [f64]) {
    let size = right.len();
    for row in 0..size {
        for column in 0..=row {
            let (above, own) = (half(row), half(column));
            let known: f64 = (0..column).map(|at| lower[above + at] * lower[own + at]).sum();
            let rest = lower[above + column] - known;
            lower[above + column] =
                if row == column { rest.max(f64::MIN_POSITIVE).sqrt() } else { rest / lower[own + column] };
        }
        let known: f64 = (0..row).map(|at| lower[half(row) + at] * right[at]).sum();
        right[row] = (right[row] - known) / lower[half(row) + row];
    }
    for row in (0..size).rev() {
        let known: f64 = (row + 1..size).map(|at| lower[half(at) + row] * right[at]).sum();
        right[row] = (right[row] - known) / lower[half(row) + row];
    }
}
