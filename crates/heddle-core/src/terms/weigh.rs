//! Term weights by the SMART letters.
//!
//! Three letters name the term factor, the document factor and the normalisation; see
//! Salton and Buckley (1988), "Term-weighting approaches in automatic text retrieval",
//! Information Processing & Management 24(5), DOI 10.1016/0306-4573(88)90021-0.

use crate::choice::{Choice, choice};
use crate::matrix::{Entry, Rows};

choice! {
    /// How the count of a term in a review enters: tf is the count, at least 1.
    TermFactor {
        /// tf.
        Natural = "n",
        /// 1 + ln(tf).
        Logarithm = "l",
        /// 1.
        Presence = "b",
    }
}

choice! {
    /// How the number of reviews with the term enters: N reviews, df of them with the term.
    DocumentFactor {
        /// 1.
        None = "n",
        /// idf: ln(N / df).
        Inverse = "t",
        /// Probabilistic idf: max(0, ln((N - df) / df)).
        Probabilistic = "p",
    }
}

choice! {
    /// How a review's row is scaled.
    Normalisation {
        /// Not at all.
        None = "n",
        /// To Euclidean length 1 (cosine).
        Cosine = "c",
    }
}

/// The weight of a term in a review: term factor x document factor, then normalisation.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Weighting {
    /// The first letter. Default: l.
    pub term: TermFactor,
    /// The second letter. Default: t.
    pub document: DocumentFactor,
    /// The third letter. Default: c.
    pub norm: Normalisation,
}

impl Default for Weighting {
    fn default() -> Self {
        Self { term: TermFactor::Logarithm, document: DocumentFactor::Inverse, norm: Normalisation::Cosine }
    }
}

impl Weighting {
    /// Reads three letters such as "ltc".
    pub fn parse(letters: &str) -> Option<Self> {
        let names: Vec<&str> = letters.split("").filter(|letter| !letter.is_empty()).collect();
        let [term, document, norm] = names[..] else { return None };
        Some(Self {
            term: TermFactor::from_name(term)?,
            document: DocumentFactor::from_name(document)?,
            norm: Normalisation::from_name(norm)?,
        })
    }

    /// The term factor of a count.
    pub fn term_factor(self, count: u32) -> f32 {
        match self.term {
            TermFactor::Natural => count as f32,
            TermFactor::Logarithm => 1.0 + (count as f32).ln(),
            TermFactor::Presence => 1.0,
        }
    }

    /// The document factor of a term found in `df` of `reviews` reviews, `df` at least 1.
    pub fn document_factor(self, df: u32, reviews: usize) -> f64 {
        let (df, reviews) = (f64::from(df), reviews as f64);
        match self.document {
            DocumentFactor::None => 1.0,
            DocumentFactor::Inverse => (reviews / df).ln(),
            DocumentFactor::Probabilistic => ((reviews - df) / df).ln().max(0.0),
        }
    }

    /// The factor of a row of term factors: 1 / length, or 1. A row of zeros has factor 0
    /// under the cosine, so that it stays a row of zeros.
    pub fn row_factor(self, row: &[Entry], document_factors: &[f64]) -> f64 {
        match self.norm {
            Normalisation::None => 1.0,
            Normalisation::Cosine => {
                let square = square_sum(row, document_factors);
                if square > 0.0 { square.sqrt().recip() } else { 0.0 }
            }
        }
    }
}

impl std::fmt::Display for Weighting {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{}{}{}", self.term.name(), self.document.name(), self.norm.name())
    }
}

fn square_sum(row: &[Entry], document_factors: &[f64]) -> f64 {
    row.iter()
        .map(|entry| {
            let weight = f64::from(entry.value) * document_factors[entry.column as usize];
            weight * weight
        })
        .sum()
}

/// A weighted matrix that shares its counts with others: row `i`, column `j` holds
/// `rows[i, j] * document_factors[j] * row_factors[i]`.
///
/// Each fold has its own document factors (0 for a term that it leaves out) over the one
/// matrix of term factors, so folds cost two vectors each and no copy of the matrix.
#[derive(Debug, Clone)]
pub struct Weighted<'a> {
    /// The term factors.
    pub rows: &'a Rows,
    /// One factor per column.
    pub document_factors: Vec<f64>,
    /// One factor per row.
    pub row_factors: Vec<f64>,
}

impl<'a> Weighted<'a> {
    /// Weighs every row with these document factors.
    ///
    /// # Panics
    /// If there is not one document factor per column.
    pub fn new(rows: &'a Rows, document_factors: Vec<f64>, weighting: Weighting) -> Self {
        let (columns, factors) = (rows.columns(), document_factors.len());
        assert_eq!(columns, factors, "a matrix of {columns} columns has {factors} document factors");
        let row_factors =
            (0..rows.len()).map(|row| weighting.row_factor(rows.row(row), &document_factors)).collect();
        Self { rows, document_factors, row_factors }
    }

    /// The squared length of a weighted row.
    pub fn square(&self, row: usize) -> f64 {
        self.row_factors[row].powi(2) * square_sum(self.rows.row(row), &self.document_factors)
    }
}
