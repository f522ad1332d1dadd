//! Term weights by the SMART letters, and emphasis by class.
//!
//! Three letters name the term factor, the document factor and the normalisation; see
//! Salton and Buckley (1988), "Term-weighting approaches in automatic text retrieval",
//! Information Processing & Management 24(5), DOI 10.1016/0306-4573(88)90021-0.

use std::sync::Arc;

use rayon::prelude::*;

use crate::ahead::{ask, fold_ahead};
use crate::choice::{Choice, choice};
use crate::matrix::{Entry, Rows};

choice! {
    /// How the count of a term in a review enters: tf is the count, at least 1.
    TermFactor {
        /// tf.
        Natural = "n",
        /// 1 + ln(tf).
        Logarithm = "l",
        /// 0.5 + 0.5 tf / the count of the review's most frequent token.
        Augmented = "a",
        /// 1.
        Presence = "b",
        /// (1 + ln(tf)) / (1 + ln(the mean count of the review's tokens)).
        LogAverage = "L",
        /// tf / the number of the review's tokens.
        Share = "f",
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
        /// Smoothed idf: ln(1 + N / df), above 0 for every term.
        Smoothed = "s",
    }
}

choice! {
    /// How a review's row is scaled.
    Normalisation {
        /// Not at all.
        None = "n",
        /// To Euclidean length 1 (cosine).
        Cosine = "c",
        /// By pivoted unique terms: 1 / (1 - slope + slope x U / pivot), with U the terms of the
        /// review, the pivot their mean over the training reviews and a slope of 0.2. Singhal,
        /// Buckley and Mitra (1996), "Pivoted document length normalization", SIGIR,
        /// DOI 10.1145/243199.243206.
        Unique = "u",
    }
}

/// The slope of pivoted normalisation, as in its source.
const SLOPE: f64 = 0.2;
/// Rows that a core takes at a time: enough to be worth handing over.
const ROWS_AT_ONCE: usize = 256;
/// Added to both counts of a class ratio, as in its source.
const SMOOTHING: f64 = 1.0;

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

/// How long a review is and how often it repeats itself: what the letters `a`, `L` and `f` hold a count against.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Shape {
    /// The count of the most frequent token.
    most: f64,
    /// Tokens for each distinct one.
    mean: f64,
    /// Tokens.
    tokens: f64,
}

impl Shape {
    /// The shape of a review without tokens.
    pub(crate) const EMPTY: Self = Self { most: 1.0, mean: 1.0, tokens: 1.0 };

    /// The shape of a review of these tokens, each given as a number of its own. They are
    /// sorted.
    pub(crate) fn of<K: Ord>(tokens: &mut [K]) -> Self {
        tokens.sort_unstable();
        let (mut most, mut distinct) = (0, 0);
        for run in tokens.chunk_by(|a, b| a == b) {
            most = most.max(run.len());
            distinct += 1;
        }
        if distinct == 0 {
            return Self::EMPTY;
        }
        let all = tokens.len() as f64;
        Self { most: most as f64, mean: all / f64::from(distinct), tokens: all }
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

    /// Whether term factors depend on the shape of the review.
    pub(crate) fn needs_shape(self) -> bool {
        matches!(self.term, TermFactor::Augmented | TermFactor::LogAverage | TermFactor::Share)
    }

    /// Whether document factors depend on the reviews that hold a term.
    pub(crate) fn counts_documents(self) -> bool {
        self.document != DocumentFactor::None
    }

    /// Whether the values of a term add up to what its count alone tells: counts as they are, and rows as long as they are.
    pub(crate) fn adds_up(self) -> bool {
        self.term == TermFactor::Natural && self.norm == Normalisation::None
    }

    /// Whether row factors depend on the mean number of terms of the training rows.
    pub(crate) fn needs_pivot(self) -> bool {
        self.norm == Normalisation::Unique
    }

    /// Whether a count of 1 has the factor 1, as nearly every count does.
    pub(crate) fn keeps_one(self) -> bool {
        !self.needs_shape()
    }

    /// The term factor of a count. Where negated words count against their plain form the
    /// count may be below zero: the factor then is that of the count without its sign, with
    /// the sign. Below 1, where only some of a token counts, it is that share of the factor of 1.
    pub(crate) fn term_factor(self, count: f32, shape: Shape) -> f32 {
        let (share, tf) = (f64::from(count.abs()).min(1.0), f64::from(count.abs()).max(1.0));
        let factor = match self.term {
            TermFactor::Natural => tf,
            TermFactor::Logarithm => 1.0 + tf.ln(),
            TermFactor::Augmented => 0.5 + 0.5 * tf / shape.most,
            TermFactor::Presence => 1.0,
            TermFactor::Share => tf / shape.tokens,
            TermFactor::LogAverage => (1.0 + tf.ln()) / (1.0 + shape.mean.ln()),
        };
        (share * factor).copysign(count.into()) as f32
    }

    /// The document factor of a term found in `df` of `reviews` reviews, `df` at least 1.
    pub fn document_factor(self, df: u32, reviews: usize) -> f64 {
        let (df, reviews) = (f64::from(df), reviews as f64);
        match self.document {
            DocumentFactor::None => 1.0,
            DocumentFactor::Inverse => (reviews / df).ln(),
            DocumentFactor::Probabilistic => ((reviews - df) / df).ln().max(0.0),
            DocumentFactor::Smoothed => (1.0 + reviews / df).ln(),
        }
    }

    /// The mean number of terms in `training` rows that have a document factor other than 0:
    /// the pivot; 0 where the normalisation has none.
    pub(crate) fn pivot(self, rows: &Rows, training: &[u32], document_factors: &[f32]) -> f64 {
        if self.norm != Normalisation::Unique || training.is_empty() {
            return 0.0;
        }
        let terms: usize = training
            .iter()
            .map(|&row| unique(rows.row(row as usize), |column| document_factors[column as usize]))
            .sum();
        terms as f64 / training.len() as f64
    }

    /// The factor of a row of term factors: 1 / length, or 1. A row of zeros has factor 0
    /// under the cosine, so that it stays a row of zeros.
    pub(crate) fn row_factor(self, row: &[Entry], document_factors: &[f32], pivot: f64) -> f64 {
        let own = |column: u32| document_factors[column as usize];
        self.row_factor_of(row, || square_sum(row, document_factors), own, pivot)
    }

    /// As [`row_factor`](Self::row_factor), of a row whose sum of squares `square` gives.
    pub(crate) fn row_factor_of(
        self,
        row: &[Entry],
        square: impl Fn() -> f64,
        document_factor: impl Fn(u32) -> f32,
        pivot: f64,
    ) -> f64 {
        match self.norm {
            Normalisation::None => 1.0,
            Normalisation::Cosine => {
                let square = square();
                if square > 0.0 { square.sqrt().recip() } else { 0.0 }
            }
            Normalisation::Unique if pivot > 0.0 => {
                (1.0 - SLOPE + SLOPE * unique(row, document_factor) as f64 / pivot).recip()
            }
            Normalisation::Unique => 1.0,
        }
    }

    /// A row of term factors under the document factor and the weight of each column, which `ask` asks for.
    pub(crate) fn weighed(
        self,
        row: &[Entry],
        (ask, own): (impl Fn(u32), impl Fn(u32) -> [f64; 2]),
        pivot: f64,
    ) -> Weighed {
        let (dot, square) = dot_and_square(row, ask, &own);
        let scale = self.row_factor_of(row, || square, |column| own(column)[0] as f32, pivot);
        Weighed { dot: dot * scale, scale, square: square * scale * scale }
    }

    /// As [`weighed`](Self::weighed), where both stand side by side for each column.
    pub(crate) fn weighed_by_pairs(self, row: &[Entry], pairs: &[[f32; 2]], pivot: f64) -> Weighed {
        let own = |column: u32| of_pair(pairs[column as usize]);
        self.weighed(row, (|column| ask(pairs, column as usize), own), pivot)
    }
}

/// The document factor and the weight of a column, as they stand side by side.
#[inline]
pub(crate) fn of_pair([factor, weight]: [f32; 2]) -> [f64; 2] {
    [factor.into(), weight.into()]
}

/// A row under weights.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Weighed {
    /// The sum of its values, each times the weight of its column.
    pub(crate) dot: f64,
    /// What the row is multiplied by: its own factor.
    pub(crate) scale: f64,
    /// Its squared length.
    pub(crate) square: f64,
}

/// The terms of a row that have a document factor other than 0.
fn unique(row: &[Entry], document_factor: impl Fn(u32) -> f32) -> usize {
    row.iter().filter(|entry| document_factor(entry.column) != 0.0).count()
}

/// The log of the ratio of a term's shares in the positive and the negative class: of all
/// pairs of a review and a term in it, both counts raised by one, so that a term that one
/// class never uses has a ratio too. Wang and Manning (2012), "Baselines and bigrams: simple,
/// good sentiment and topic classification", ACL, <https://aclanthology.org/P12-2018>.
///
/// `counts` are the reviews of each class that hold the term, `totals` the sums of these
/// counts over the terms, each raised by one.
pub(crate) fn class_ratio(counts: [u32; 2], totals: [f64; 2]) -> f64 {
    let share = |class: usize| (f64::from(counts[class]) + SMOOTHING) / totals[class];
    (share(1) / share(0)).ln()
}

/// The totals of [`class_ratio`] over the kept terms.
pub(crate) fn ratio_totals(counts: impl Iterator<Item = [u32; 2]>) -> [f64; 2] {
    // Sums of whole numbers: exact in any order.
    let (mut sums, mut terms) = ([0u64; 2], 0u64);
    for [negative, positive] in counts {
        sums[0] += u64::from(negative);
        sums[1] += u64::from(positive);
        terms += 1;
    }
    sums.map(|sum| sum as f64 + SMOOTHING * terms as f64)
}

impl std::fmt::Display for Weighting {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{}{}{}", self.term.name(), self.document.name(), self.norm.name())
    }
}

/// The sum over a row of each value times the two factors of its column, in reading order: what
/// fits and scorers agree on to the last bit.
pub(crate) fn dot(row: &[Entry], factors: impl Fn(u32) -> [f64; 2]) -> f64 {
    let value = |entry: &Entry| {
        let [first, second] = factors(entry.column);
        f64::from(entry.value) * first * second
    };
    row.iter().map(value).sum()
}

/// As [`dot`], with the sum of the squares of each value times the first factor of its column: one look at the
/// factors, which miss the caches and are asked for beforehand, gives both.
fn dot_and_square(row: &[Entry], ask: impl Fn(u32), factors: impl Fn(u32) -> [f64; 2]) -> (f64, f64) {
    let ask = |_: &(f64, f64), entry: &Entry| ask(entry.column);
    fold_ahead(row, ask, (0.0, 0.0), |(dot, square), entry| {
        let [first, second] = factors(entry.column);
        let value = f64::from(entry.value) * first;
        (dot + value * second, square + value * value)
    })
}

fn square_sum(row: &[Entry], document_factors: &[f32]) -> f64 {
    let ask = |_: &f64, entry: &Entry| ask(document_factors, entry.column as usize);
    fold_ahead(row, ask, 0.0, |sum, entry| {
        let weight = f64::from(entry.value) * f64::from(document_factors[entry.column as usize]);
        sum + weight * weight
    })
}

/// What stands beside the terms of a review: sparse rows that no normalisation touches, numbered on behind the terms.
#[derive(Debug, Clone)]
pub(crate) struct BesideRows {
    rows: Arc<Rows>,
    /// By column: what its values are multiplied by.
    factors: Vec<f32>,
}

impl BesideRows {
    /// Rows, and what the values of each column are multiplied by.
    ///
    /// # Panics
    /// If there is not one factor per column.
    pub(crate) fn new(rows: Arc<Rows>, factors: Vec<f32>) -> Self {
        assert_eq!(rows.columns(), factors.len(), "one factor for each column beside the text");
        Self { rows, factors }
    }
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
    pub document_factors: Vec<f32>,
    /// One factor per row.
    pub row_factors: Vec<f64>,
    /// The squared length of each row, weighted.
    pub squares: Vec<f64>,
    /// What stands beside the terms, where something does.
    beside: Option<BesideRows>,
}

impl<'a> Weighted<'a> {
    /// Weighs every row with these document factors; `pivot` is that of the training rows.
    ///
    /// # Panics
    /// If there is not one document factor per column.
    pub fn new(rows: &'a Rows, document_factors: Vec<f32>, weighting: Weighting, pivot: f64) -> Self {
        let (columns, factors) = (rows.columns(), document_factors.len());
        assert_eq!(columns, factors, "a matrix of {columns} columns has {factors} document factors");
        // Sums of the document factors of a row miss the caches: every core takes some rows.
        let factors_of = |row: usize| {
            let entries = rows.row(row);
            let own = |column: u32| document_factors[column as usize];
            let square = square_sum(entries, &document_factors);
            let factor = weighting.row_factor_of(entries, || square, own, pivot);
            (factor, factor.powi(2) * square)
        };
        let (row_factors, squares) =
            (0..rows.len()).into_par_iter().with_min_len(ROWS_AT_ONCE).map(factors_of).unzip();
        Self { rows, document_factors, row_factors, squares, beside: None }
    }

    /// The same with more columns behind the terms.
    #[must_use]
    pub(crate) fn with_beside(mut self, beside: BesideRows) -> Self {
        for (row, square) in self.squares.iter_mut().enumerate() {
            let own =
                |entry: &Entry| f64::from(entry.value) * f64::from(beside.factors[entry.column as usize]);
            *square += beside.rows.row(row).iter().map(|entry| own(entry).powi(2)).sum::<f64>();
        }
        self.beside = Some(beside);
        self
    }

    /// The number of columns: terms, and what stands beside them.
    pub fn columns(&self) -> usize {
        self.rows.columns() + self.columns_beside()
    }

    /// The number of columns behind the terms.
    pub(crate) fn columns_beside(&self) -> usize {
        self.beside.as_ref().map_or(0, |beside| beside.factors.len())
    }

    /// The weighted values of a row behind its terms, by column from 0.
    pub(crate) fn beside(&self, row: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let of = self.beside.as_ref().map(|beside| (beside.rows.row(row), &beside.factors[..]));
        let (entries, factors) = of.unwrap_or_default();
        entries.iter().map(|entry| {
            let column = entry.column as usize;
            (column, f64::from(entry.value) * f64::from(factors[column]))
        })
    }

    /// What the values of a column are multiplied by before rows are normalised; 0 for a term that is left out.
    pub(crate) fn factor(&self, column: usize) -> f32 {
        match (self.document_factors.get(column), &self.beside) {
            (Some(factor), _) => *factor,
            (None, Some(beside)) => beside.factors[column - self.document_factors.len()],
            (None, None) => 0.0,
        }
    }

    /// What a row multiplies the values of a column by: its own factor, but for what stands beside the terms.
    pub(crate) fn row_factor(&self, row: usize, column: usize) -> f64 {
        if column < self.document_factors.len() { self.row_factors[row] } else { 1.0 }
    }

    /// The values of a row before any factor, each with its column.
    pub(crate) fn unweighted(&self, row: usize) -> impl Iterator<Item = Entry> + '_ {
        let first = self.rows.columns() as u32;
        let beside = self.beside.as_ref().map_or(&[][..], |beside| beside.rows.row(row));
        let behind =
            beside.iter().map(move |entry| Entry { column: first + entry.column, value: entry.value });
        self.rows.row(row).iter().copied().chain(behind)
    }

    /// The weighted values of a row, each with its column.
    pub fn entries(&self, row: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let first = self.rows.columns();
        let terms = self.rows.row(row).iter();
        let terms =
            terms.map(move |entry| (entry.column as usize, self.value(row, entry.column, entry.value)));
        terms.chain(self.beside(row).map(move |(column, value)| (first + column, value)))
    }

    /// The weighted value of an entry of a row.
    pub fn value(&self, row: usize, column: u32, value: f32) -> f64 {
        f64::from(value) * f64::from(self.document_factors[column as usize]) * self.row_factors[row]
    }

    /// The sum over a row of its values, each times the weight of its column; in reading order.
    pub fn dot(&self, row: usize, weights: &[f64]) -> f64 {
        let ask = |_: &f64, entry: &Entry| {
            ask(&self.document_factors, entry.column as usize);
            ask(weights, entry.column as usize);
        };
        let of_terms = fold_ahead(self.rows.row(row), ask, 0.0, |sum, entry| {
            sum + self.value(row, entry.column, entry.value) * weights[entry.column as usize]
        });
        let first = self.rows.columns();
        self.beside(row).fold(of_terms, |sum, (column, value)| sum + value * weights[first + column])
    }
}
