//! Words and their vectors.

use serde::{Deserialize, Serialize};

use crate::terms::intern::Words;

/// Words with a vector each, all of one length.
#[derive(Debug, Clone, Default)]
pub struct WordVectors {
    words: Words,
    dims: usize,
    /// Word after word.
    numbers: Vec<f32>,
}

impl WordVectors {
    /// No words yet, of vectors of so many numbers.
    pub fn new(dims: usize) -> Self {
        Self { dims, ..Self::default() }
    }

    /// Adds a word; `false` if it is there already, and its first vector stays.
    ///
    /// # Panics
    /// If the vector has another length than the others.
    pub fn add(&mut self, word: &str, vector: &[f32]) -> bool {
        assert_eq!(
            vector.len(),
            self.dims,
            "a vector of {} numbers among those of {}",
            vector.len(),
            self.dims
        );
        let before = self.words.len();
        self.words.intern(word);
        if self.words.len() > before {
            self.numbers.extend(vector);
        }
        self.words.len() > before
    }

    /// The number of words.
    pub fn len(&self) -> usize {
        self.words.len()
    }

    /// Whether there are no words.
    pub fn is_empty(&self) -> bool {
        self.words.is_empty()
    }

    /// The numbers of a vector.
    pub fn dims(&self) -> usize {
        self.dims
    }

    /// The words.
    pub fn words(&self) -> &Words {
        &self.words
    }

    /// The words whose vectors point most in the direction of that of a word, with the cosine, the nearest first; none where
    /// it has no vector.
    pub fn nearest(&self, word: &str, most: usize) -> Vec<(String, f64)> {
        let dot =
            |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| f64::from(*a) * f64::from(*b)).sum::<f64>();
        let Some(own) = self.words.place(word) else { return Vec::new() };
        let length = |word: u32| dot(self.vector(word), self.vector(word)).sqrt();
        let whole = length(own);
        let cosine = |other: u32| dot(self.vector(own), self.vector(other)) / (whole * length(other));
        let others = (0..self.len() as u32).filter(|other| *other != own);
        let mut found: Vec<(f64, u32)> =
            others.map(|other| (cosine(other), other)).filter(|(cosine, _)| cosine.is_finite()).collect();
        found
            .sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| self.words.word(a.1).cmp(self.words.word(b.1))));
        found.into_iter().take(most).map(|(cosine, other)| (self.words.word(other).into(), cosine)).collect()
    }

    /// The vector of a word by its place.
    pub fn vector(&self, word: u32) -> &[f32] {
        &self.numbers[word as usize * self.dims..(word as usize + 1) * self.dims]
    }
}

/// Where vectors come from, and which words have one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct VectorSource {
    /// The name of the file.
    pub file: String,
    /// The numbers of a vector.
    pub dims: usize,
    /// The words of the training reviews.
    pub words: usize,
    /// Of these, the ones that the file has as they are written.
    pub as_written: usize,
    /// Those that it has in other capital letters alone, which are taken then.
    pub other_case: usize,
    /// The tokens of the training reviews that have a vector, as a share.
    pub tokens: f64,
}
