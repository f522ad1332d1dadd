//! The top of a list of terms.

use super::term_id::TermId;

/// The `most` terms of the highest values, the highest first; those of equal values by their
/// place. Only these are sorted: linear in the terms, where a sort of a million takes most of a
/// second.
pub fn highest(mut terms: Vec<(f64, TermId)>, most: usize) -> Vec<(f64, TermId)> {
    let order = |a: &(f64, TermId), b: &(f64, TermId)| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1));
    if most < terms.len() {
        terms.select_nth_unstable_by(most, order);
        terms.truncate(most);
    }
    terms.sort_unstable_by(order);
    terms
}
