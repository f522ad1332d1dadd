//! N-grams of letters inside words.

use super::fields::FieldNames;
use super::intern::Words;

/// The n-grams of letters of each word of a list. Each is a word of the list itself, written
/// between slashes, with "_" for the ends of its word: "/_good/", "/ood_/".
#[derive(Debug, Clone, Default)]
pub(crate) struct Letters {
    /// The shortest and the longest.
    lengths: Option<(usize, usize)>,
    /// By word: where its n-grams end in `grams`.
    ends: Vec<u32>,
    /// Places in the list of words.
    grams: Vec<u32>,
}

impl Letters {
    pub(crate) fn new(lengths: Option<(usize, usize)>) -> Self {
        Self { lengths, ..Self::default() }
    }

    /// Takes every word of the list apart; its n-grams are added to the list.
    pub(crate) fn read_words(&mut self, words: &mut Words, fields: &FieldNames) {
        let Some(lengths) = self.lengths else { return };
        for word in 0..words.len() as u32 {
            let spelled = words.word(word).to_string();
            each_gram(&spelled, lengths, fields, |gram| self.grams.push(words.intern(gram)));
            self.ends.push(self.grams.len() as u32);
        }
    }

    /// The n-grams of these words, by place in the review.
    pub(crate) fn of_review(&self, words: impl Iterator<Item = u32>) -> Self {
        let mut own = Self::new(self.lengths);
        for word in words {
            own.grams.extend(self.of(word));
            own.ends.push(own.grams.len() as u32);
        }
        own
    }

    /// Forgets every word.
    pub(crate) fn clear(&mut self) {
        self.ends.clear();
        self.grams.clear();
    }

    /// Adds a word with those of its n-grams that `place` knows.
    pub(crate) fn push(&mut self, spelled: &str, fields: &FieldNames, place: impl Fn(&str) -> Option<u32>) {
        if let Some(lengths) = self.lengths {
            each_gram(spelled, lengths, fields, |gram| self.grams.extend(place(gram)));
            self.ends.push(self.grams.len() as u32);
        }
    }

    /// The n-grams of the word at a place, as places in the list of words.
    pub(crate) fn of(&self, word: u32) -> &[u32] {
        let word = word as usize;
        let Some(&end) = self.ends.get(word) else { return &[] };
        let start = if word == 0 { 0 } else { self.ends[word - 1] };
        &self.grams[start as usize..end as usize]
    }
}

/// Calls `found` with each n-gram of the letters of a word, written as a word of its own.
/// Marks, links and the like have none.
pub(crate) fn each_gram(
    spelled: &str,
    (shortest, longest): (usize, usize),
    fields: &FieldNames,
    mut found: impl FnMut(&str),
) {
    let (field, word) = fields.cut(spelled);
    if !word.starts_with(char::is_alphabetic) {
        return;
    }
    let marked = format!("_{word}_");
    let places: Vec<usize> = marked.char_indices().map(|(at, _)| at).chain([marked.len()]).collect();
    let letters = places.len() - 1;
    let mut gram = String::new();
    for length in shortest..=longest.min(letters) {
        for first in 0..=letters - length {
            gram.clear();
            if let Some(field) = field {
                gram.push_str(field);
                gram.push(':');
            }
            gram.push('/');
            gram.push_str(&marked[places[first]..places[first + length]]);
            gram.push('/');
            found(&gram);
        }
    }
}

/// Whether a spelled word is an n-gram of letters.
pub(crate) fn is_gram(word: &str) -> bool {
    let opens = word.starts_with('/') || word.contains(":/") && !word.contains("://");
    opens && word.len() > 2 && word.ends_with('/')
}
