//! Parts of words that are terms: n-grams of letters.

use rayon::prelude::*;

use super::fields::FieldNames;
use super::intern::Words;

/// Which parts of words are terms.
#[derive(Debug, Clone, Default)]
pub(crate) struct SubwordRules {
    /// The shortest and the longest n-grams of letters.
    letters: Option<(usize, usize)>,
    fields: FieldNames,
}

impl SubwordRules {
    pub(crate) fn new(letters: Option<(usize, usize)>, fields: FieldNames) -> Self {
        Self { letters, fields }
    }

    /// Whether there are any.
    fn are_none(&self) -> bool {
        self.letters.is_none()
    }

    /// Calls `found` with each part of a word, written as a word of its own. Marks, links and the like have none.
    pub(crate) fn each(&self, spelled: &str, mut found: impl FnMut(&str)) {
        let (field, word) = self.fields.cut(spelled);
        if self.are_none() || !word.starts_with(char::is_alphabetic) {
            return;
        }
        let head = field.map_or_else(String::new, |field| format!("{field}:"));
        if let Some(lengths) = self.letters {
            each_gram(word, lengths, |gram| found(&format!("{head}/{gram}/")));
        }
    }
}

/// The parts of each word of a list. Each is a word of the list itself: n-grams of letters stand between slashes,
/// with "_" for the ends of their word: "/_good/", "/ood_/".
#[derive(Debug, Clone, Default)]
pub(crate) struct Subwords {
    /// By word: where its parts end in `parts`.
    ends: Vec<u32>,
    /// Places in the list of words.
    parts: Vec<u32>,
}

impl Subwords {
    /// Takes every word of a list apart; the parts are added to the list.
    pub(crate) fn of_words(words: &mut Words, rules: &SubwordRules) -> Self {
        const AT_ONCE: usize = 4096;
        if rules.are_none() {
            return Self::default();
        }
        let all = words.len();
        // Spelled on all cores, and numbered in order.
        let spell = |first: usize| {
            let (mut parts, mut ends) = (Vec::new(), Vec::with_capacity(AT_ONCE));
            for word in first..all.min(first + AT_ONCE) {
                rules.each(words.word(word as u32), |part| parts.push(Box::<str>::from(part)));
                ends.push(parts.len());
            }
            (parts, ends)
        };
        let firsts: Vec<usize> = (0..all).step_by(AT_ONCE).collect();
        let chunks: Vec<(Vec<Box<str>>, Vec<usize>)> = firsts.into_par_iter().map(spell).collect();
        let mut own = Self::default();
        for (parts, ends) in chunks {
            let before = own.parts.len();
            own.parts.extend(parts.iter().map(|part| words.intern(part)));
            own.ends.extend(ends.iter().map(|end| (before + end) as u32));
        }
        own
    }

    /// Those of these words, by place in a review.
    pub(crate) fn of_review(&self, words: impl Iterator<Item = u32>) -> Self {
        let mut own = Self::default();
        words.for_each(|word| own.push(self.of(word).iter().copied()));
        own
    }

    /// Forgets every word.
    pub(crate) fn clear(&mut self) {
        self.ends.clear();
        self.parts.clear();
    }

    /// Adds a word with its parts.
    pub(crate) fn push(&mut self, parts: impl IntoIterator<Item = u32>) {
        self.parts.extend(parts);
        self.ends.push(self.parts.len() as u32);
    }

    /// The parts of the word at a place, as places in the list of words.
    pub(crate) fn of(&self, word: u32) -> &[u32] {
        let word = word as usize;
        let Some(&end) = self.ends.get(word) else { return &[] };
        let start = if word == 0 { 0 } else { self.ends[word - 1] };
        &self.parts[start as usize..end as usize]
    }
}

/// The parts of words that one reader has met, so that none is taken apart twice.
#[derive(Debug, Clone, Default)]
pub(crate) struct MetWords {
    /// By word: where its parts stand, or that it was not met.
    places: Vec<(u32, u32)>,
    parts: Vec<u32>,
}

const NOT_MET: (u32, u32) = (u32::MAX, 0);

impl MetWords {
    /// The parts of a word of the list that the list knows.
    pub(crate) fn of(&mut self, word: u32, words: &Words, rules: &SubwordRules) -> &[u32] {
        if rules.are_none() {
            return &[];
        }
        if self.places.is_empty() {
            self.places = vec![NOT_MET; words.len()];
        }
        let Self { places, parts } = self;
        let own = &mut places[word as usize];
        if *own == NOT_MET {
            let first = parts.len();
            rules.each(words.word(word), |part| parts.extend(words.place(part)));
            *own = (first as u32, parts.len() as u32);
        }
        &parts[own.0 as usize..own.1 as usize]
    }
}

/// Calls `found` with each n-gram of the letters of a word.
fn each_gram(word: &str, (shortest, longest): (usize, usize), mut found: impl FnMut(&str)) {
    let marked = format!("_{word}_");
    let places: Vec<usize> = marked.char_indices().map(|(at, _)| at).chain([marked.len()]).collect();
    let letters = places.len() - 1;
    for length in shortest..=longest.min(letters) {
        for first in 0..=letters - length {
            found(&marked[places[first]..places[first + length]]);
        }
    }
}

/// Whether a spelled word is an n-gram of letters.
pub(crate) fn is_gram(word: &str) -> bool {
    let opens = word.starts_with('/') || word.contains(":/") && !word.contains("://");
    opens && word.len() > 2 && word.ends_with('/')
}
