//! The mean vector of a review, under what training rows teach.

use rayon::prelude::*;

use super::bags::{VectorBags, counts, shares, word_of};
use super::own::vectors_of;
use super::pulls::WordPulls;
use super::table::WordVectors;
use crate::matrix::{Entry, Rows};

/// What training rows teach of words with vectors.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct VectorCoding {
    /// By word: ln(1 + training rows / those that hold it); 0 if none does, so that it counts for nothing, as a word
    /// that no training review has does in a finished model.
    idf: Vec<f32>,
    /// By word: the training rows that hold it.
    reviews: Vec<u32>,
    /// The vectors, word after word, where they were made from the training rows.
    own: Option<Vec<f32>>,
    /// What mean vectors are multiplied by, so that those of the training rows have a mean square of 1.
    scale: f64,
}

impl VectorCoding {
    /// Learns from `training` rows.
    pub(crate) fn learn(bags: &VectorBags, training: &[u32]) -> Self {
        let words = bags.vectors.len();
        let (mut reviews, mut last) = (vec![0u32; words], vec![u32::MAX; words]);
        for &row in training {
            for entry in bags.rows.row(row as usize) {
                let word = word_of(entry.column) as usize;
                if std::mem::replace(&mut last[word], row) != row {
                    reviews[word] += 1;
                }
            }
        }
        let own = bags.sequences.as_ref().map(|sequences| vectors_of(&bags.vectors, sequences, training));
        if let Some(own) = &own {
            // What stands too rarely for a vector counts for nothing.
            let vectors = own.chunks(bags.vectors.dims());
            let without = reviews.iter_mut().zip(vectors).filter(|(_, own)| own.iter().all(|x| *x == 0.0));
            without.for_each(|(count, _)| *count = 0);
        }
        let all = training.len() as f64;
        let idf = |count: &u32| match count {
            0 => 0.0,
            count => (1.0 + all / f64::from(*count)).ln() as f32,
        };
        let mut coding = Self { idf: reviews.iter().map(idf).collect(), reviews, own, scale: 1.0 };
        let square = |row: &u32| coding.mean(bags, *row as usize).iter().map(|x| x * x).sum::<f64>();
        // Added up in order, whatever the number of threads.
        let squares: Vec<f64> = training.par_iter().map(square).collect();
        let mean = squares.iter().sum::<f64>() / all.max(1.0);
        coding.scale = if mean > 0.0 { mean.sqrt().recip() } else { 1.0 };
        coding
    }

    fn vector<'v>(&'v self, bags: &'v VectorBags, word: u32) -> &'v [f32] {
        let dims = bags.vectors.dims();
        match &self.own {
            Some(own) => &own[word as usize * dims..(word as usize + 1) * dims],
            None => bags.vectors.vector(word),
        }
    }

    /// The words with their vectors; those without one are left out.
    pub(crate) fn table(&self, bags: &VectorBags) -> WordVectors {
        let mut table = WordVectors::new(bags.vectors.dims());
        for word in (0..bags.vectors.len() as u32).filter(|word| self.reviews[*word as usize] > 0) {
            table.add(bags.vectors.words().word(word), self.vector(bags, word));
        }
        table
    }

    /// The numbers of a mean vector.
    pub(crate) fn features(bags: &VectorBags) -> usize {
        bags.vectors.dims()
    }

    /// The mean vector of a review, weighted by idf, negated words with the other sign.
    fn mean(&self, bags: &VectorBags, row: usize) -> Vec<f64> {
        let row = bags.rows.row(row);
        let share = shares(row, &self.idf) * self.scale;
        let mut mean = vec![0.0; bags.vectors.dims()];
        for entry in row {
            let by = counts(entry, &self.idf) * share;
            if by != 0.0 {
                let vector = self.vector(bags, word_of(entry.column));
                mean.iter_mut().zip(vector).for_each(|(sum, own)| *sum += by * f64::from(*own));
            }
        }
        mean
    }

    /// The mean vectors of all reviews, behind entries that they have already; columns are numbered from `first` on.
    pub(crate) fn behind(&self, bags: &VectorBags, before: Option<&Rows>, first: usize) -> Rows {
        let dims = bags.vectors.dims();
        let own = |row: usize| -> Vec<Entry> {
            let number =
                |(at, value): (usize, f64)| Entry { column: (first + at) as u32, value: value as f32 };
            let already = before.map_or(&[][..], |rows| rows.row(row)).iter().copied();
            already.chain(self.mean(bags, row).into_iter().enumerate().map(number)).collect()
        };
        let rows: Vec<Vec<Entry>> = (0..bags.rows.len()).into_par_iter().map(own).collect();
        let lengths: Vec<usize> = rows.iter().map(Vec::len).collect();
        Rows::new(lengths, rows.concat(), first + dims)
    }

    /// What each word comes to under the weights of the numbers of vectors; `neutral` are those of neutrality.
    pub(crate) fn pulls(&self, bags: &VectorBags, weights: &[f64], neutral: Option<&[f64]>) -> WordPulls {
        let of = |weights: &[f64], word: u32| {
            let vector = self.vector(bags, word).iter();
            (self.scale * vector.zip(weights).map(|(own, weight)| f64::from(*own) * weight).sum::<f64>())
                as f32
        };
        let mut pulls = WordPulls { places: vec![u32::MAX; bags.vectors.len()], ..WordPulls::default() };
        // Words that no training row has count for nothing, and are not kept.
        for word in (0..bags.vectors.len() as u32).filter(|word| self.reviews[*word as usize] > 0) {
            pulls.places[word as usize] = pulls.words.intern(bags.vectors.words().word(word));
            pulls.idf.push(self.idf[word as usize]);
            pulls.reviews.push(self.reviews[word as usize]);
            pulls.pulls.push(of(weights, word));
            if let Some(neutral) = neutral {
                pulls.neutral.push(of(neutral, word));
            }
        }
        pulls
    }
}
