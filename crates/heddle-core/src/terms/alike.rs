//! Reviews that read like one of them.

use rayon::prelude::*;
use serde::Serialize;

use super::report::TermReport;
use super::term_id::TermId;

/// A review that reads like another.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct AlikeRow {
    /// Its row in the corpus.
    #[serde(skip)]
    pub row: usize,
    /// The cosine of the two, by the weights of their kept terms.
    pub likeness: f64,
    /// The terms that they share, and what each adds to the likeness, the largest first.
    pub shared: Vec<(String, f64)>,
}

impl TermReport<'_> {
    /// The reviews most like one, without it and those that share nothing with it: at most `most`, with so many of the
    /// terms that they share. One pass over all weights.
    pub fn alike(&self, row: usize, most: usize, terms: usize) -> Vec<AlikeRow> {
        if most == 0 {
            return Vec::new();
        }
        let mut own = vec![0.0; self.selection.statuses.len()];
        self.weights(row).for_each(|(term, value)| own[term.place()] = value);
        let whole = own.iter().map(|value| value * value).sum::<f64>().sqrt();
        // By review: the product of both lengths, and the likeness.
        let likeness = |other: usize| {
            let (shared, square) = self.weights(other).fold((0.0, 0.0), |(shared, square), (term, value)| {
                (shared + own[term.place()] * value, square + value * value)
            });
            let scale = (whole * f64::sqrt(square)).max(f64::MIN_POSITIVE);
            (other, scale, shared / scale)
        };
        let mut found: Vec<(usize, f64, f64)> =
            (0..self.corpus.len()).into_par_iter().map(likeness).collect();
        found.retain(|(other, _, likeness)| *other != row && *likeness > 0.0);
        found.sort_by(|a, b| b.2.total_cmp(&a.2).then(a.0.cmp(&b.0)));
        let told = |(other, scale, likeness): (usize, f64, f64)| {
            let mut shared: Vec<(TermId, f64)> =
                self.weights(other).map(|(term, value)| (term, own[term.place()] * value / scale)).collect();
            shared.retain(|(_, adds)| *adds != 0.0);
            shared.sort_by(|a, b| b.1.total_cmp(&a.1));
            let shared =
                shared.into_iter().take(terms).map(|(term, adds)| (self.spell(term), adds)).collect();
            AlikeRow { row: other, likeness, shared }
        };
        found.into_iter().take(most).map(told).collect()
    }
}
