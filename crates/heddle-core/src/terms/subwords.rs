//! Parts of words that are terms: n-grams of letters, and stems.

use std::sync::OnceLock;

use rayon::prelude::*;
use serde::Serialize;

use super::fields::FieldNames;
use super::intern::Words;
use crate::ahead::ask;
use crate::text::language::Language;
use crate::text::stems::stem_of;

/// Which parts of words are terms.
#[derive(Debug, Clone, Default)]
pub(crate) struct SubwordRules {
    /// The shortest and the longest n-grams of letters.
    letters: Option<(usize, usize)>,
    /// The languages of the texts, where stems are taken.
    stems: Vec<Language>,
    /// The most tokens of reviews in which they are, where the reviews are still to be read.
    most_tokens: Option<usize>,
    fields: FieldNames,
}

impl SubwordRules {
    /// N-grams of so many letters, and stems of words of these languages, in up to so many tokens of reviews.
    pub(crate) fn new(
        letters: Option<(usize, usize)>,
        (stems, most_tokens): (&[Language], Option<usize>),
        fields: FieldNames,
    ) -> Self {
        Self { letters, stems: stems.into(), most_tokens, fields }
    }

    /// The rules for reviews of so many tokens, which are counted only where they decide.
    pub(crate) fn settled(mut self, tokens: impl FnOnce() -> usize) -> Self {
        if self.most_tokens.take().is_some_and(|most| tokens() > most) {
            self.stems.clear();
        }
        self
    }

    /// The columns and languages whose words are kept apart.
    pub(crate) fn fields(&self) -> &FieldNames {
        &self.fields
    }

    /// Whether stems are taken.
    pub(crate) fn takes_stems(&self) -> bool {
        !self.stems.is_empty()
    }

    /// Whether there are any.
    fn are_none(&self) -> bool {
        self.letters.is_none() && self.stems.is_empty()
    }

    /// Calls `found` with each part of a word, written as a word of its own. Marks, links and the like have none.
    pub(crate) fn each(&self, spelled: &str, mut found: impl FnMut(&str)) {
        let (field, word) = self.fields.cut(spelled);
        if self.are_none() || !word.starts_with(char::is_alphabetic) {
            return;
        }
        // A word of no language that is kept apart is taken for one of the first.
        let tongue = field.and_then(|field| self.fields.tongue_of(field)).unwrap_or(0);
        let head = field.map_or_else(String::new, |field| format!("{field}:"));
        if let Some(stem) = self.stems.get(tongue).and_then(|language| stem_of(word, *language)) {
            found(&format!("{head}{stem}{STEM}"));
        }
        if let Some(lengths) = self.letters {
            each_gram(word, lengths, |gram| found(&format!("{head}/{gram}/")));
        }
    }
}

/// The parts of each word of a list. Each is a word of the list itself: n-grams of letters stand between slashes,
/// with "_" for the ends of their word: "/_good/", "/ood_/"; a stem has a hyphen behind it: "enjoy-".
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
        let mut own = Self::default();
        if rules.are_none() {
            return own;
        }
        // Spelled on all cores, and numbered in order.
        let spell = |word: u32| {
            let mut parts: Vec<Box<str>> = Vec::new();
            rules.each(words.word(word), |part| parts.push(part.into()));
            parts
        };
        let spelled: Vec<Vec<Box<str>>> = (0..words.len() as u32).into_par_iter().map(spell).collect();
        for parts in spelled {
            own.push(parts.iter().map(|part| words.intern(part)));
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

/// The parts of a list of words that are in the list themselves. A word is taken apart when it is first asked for:
/// whoever scores one review should not wait for all the others.
#[derive(Debug, Clone, Default)]
pub(crate) struct KnownParts {
    rules: SubwordRules,
    /// By word; none where no word has parts.
    parts: Vec<OnceLock<Box<[u32]>>>,
}

impl KnownParts {
    pub(crate) fn new(rules: SubwordRules, words: &Words) -> Self {
        let all = if rules.are_none() { 0 } else { words.len() };
        Self { rules, parts: vec![OnceLock::new(); all] }
    }

    /// Whether no word has parts.
    pub(crate) fn are_none(&self) -> bool {
        self.parts.is_empty()
    }

    /// Asks for what is known of a word.
    #[inline]
    pub(crate) fn ask(&self, word: u32) {
        ask(&self.parts, word as usize);
    }

    /// The parts of a word of the list.
    #[inline]
    pub(crate) fn of(&self, word: u32, words: &Words) -> &[u32] {
        let Some(parts) = self.parts.get(word as usize) else { return &[] };
        parts.get_or_init(|| self.of_spelled(words.word(word), words))
    }

    /// The parts of any word.
    #[cold]
    pub(crate) fn of_spelled(&self, word: &str, words: &Words) -> Box<[u32]> {
        let mut parts = Vec::new();
        self.rules.each(word, |part| parts.extend(words.place(part)));
        parts.into()
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

/// Stands behind stems. No word ends so: a hyphen joins two.
const STEM: char = '-';

/// A kind of parts of words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Subword {
    /// What all forms of the word begin with.
    Stem,
    /// Some letters in order.
    Letters,
}

impl Subword {
    /// What a spelled word is a part of others as, if it is one.
    pub(crate) fn of(word: &str) -> Option<Self> {
        if word.ends_with(STEM) {
            let letter = word[..word.len() - STEM.len_utf8()].ends_with(char::is_alphanumeric);
            // Addresses may end so.
            return (letter && !word.contains(['/', '@'])).then_some(Self::Stem);
        }
        let opens = word.starts_with('/') || word.contains(":/") && !word.contains("://");
        (opens && word.len() > 2 && word.ends_with('/')).then_some(Self::Letters)
    }
}

/// Whether a spelled word is a part of others.
pub(crate) fn is_subword(word: &str) -> bool {
    Subword::of(word).is_some()
}
