//! Where a word or phrase stands in reviews.

use rayon::prelude::*;
use serde::Serialize;

use super::corpus::Texts;
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::document::Document;

/// One place where a phrase stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Place {
    /// The review.
    pub review: usize,
    /// First byte in its text.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
    /// Whether its last word is negated.
    pub negated: bool,
}

/// Every place where a phrase stands, by the forms of its words, negated or not, in the order of
/// the reviews. Capital letters, contractions and whatever else the study cleans make no
/// difference. Uses every thread of the current pool.
pub fn find<T: Texts + ?Sized>(texts: &T, cleaner: &Cleaner, phrase: &str) -> Vec<Place> {
    const CHUNK: usize = 512;
    let mut buffer = ScanBuffer::default();
    let tokens = cleaner.scan(phrase, &mut buffer);
    let wanted: Vec<String> = tokens.items().iter().map(|token| tokens.form(token).to_string()).collect();
    if wanted.is_empty() {
        return Vec::new();
    }
    let in_chunk = |chunk: usize| {
        let (mut document, mut buffer) = (Document::default(), ScanBuffer::default());
        let mut places = Vec::new();
        for review in chunk * CHUNK..texts.count().min((chunk + 1) * CHUNK) {
            document.clear();
            texts.put(review, &mut document);
            let tokens = cleaner.scan(document.text(), &mut buffer);
            for window in tokens.items().windows(wanted.len()) {
                if window.iter().zip(&wanted).all(|(token, form)| tokens.form(token) == form) {
                    let (first, last) = (window[0], window[window.len() - 1]);
                    places.push(Place { review, start: first.start, end: last.end, negated: last.negated });
                }
            }
        }
        places
    };
    (0..texts.count().div_ceil(CHUNK)).into_par_iter().flat_map_iter(in_chunk).collect()
}
