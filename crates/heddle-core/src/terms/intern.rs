//! Words as small numbers.

use std::hash::Hasher;

use hashbrown::HashTable;
use rustc_hash::FxHasher;

/// A list of distinct words, each known by its place in the list.
#[derive(Debug, Clone, Default)]
pub struct Words {
    text: String,
    ends: Vec<u32>,
    table: HashTable<u32>,
}

impl Words {
    /// The number of words.
    pub fn len(&self) -> usize {
        self.ends.len()
    }

    /// Whether there are no words.
    pub fn is_empty(&self) -> bool {
        self.ends.is_empty()
    }

    /// The word at a place.
    pub fn word(&self, place: u32) -> &str {
        word_at(&self.text, &self.ends, place)
    }

    /// The words, by place.
    pub fn iter(&self) -> impl Iterator<Item = &str> {
        (0..self.len() as u32).map(|place| self.word(place))
    }

    /// The place of a word, if it is in the list.
    pub fn place(&self, word: &str) -> Option<u32> {
        self.table.find(hash(word), |place| self.word(*place) == word).copied()
    }

    /// The place of a word, which is added at the end if it is new.
    pub fn intern(&mut self, word: &str) -> u32 {
        let Self { text, ends, table } = self;
        let entry = table.entry(
            hash(word),
            |place| word_at(text, ends, *place) == word,
            |place| hash(word_at(text, ends, *place)),
        );
        match entry {
            hashbrown::hash_table::Entry::Occupied(entry) => *entry.get(),
            hashbrown::hash_table::Entry::Vacant(entry) => {
                let place = ends.len() as u32;
                entry.insert(place);
                text.push_str(word);
                ends.push(text.len() as u32);
                place
            }
        }
    }
}

impl<'a> FromIterator<&'a str> for Words {
    fn from_iter<I: IntoIterator<Item = &'a str>>(words: I) -> Self {
        let mut list = Self::default();
        words.into_iter().for_each(|word| {
            list.intern(word);
        });
        list
    }
}

fn word_at<'a>(text: &'a str, ends: &[u32], place: u32) -> &'a str {
    let place = place as usize;
    let start = if place == 0 { 0 } else { ends[place - 1] as usize };
    &text[start..ends[place] as usize]
}

fn hash(word: &str) -> u64 {
    let mut hasher = FxHasher::default();
    hasher.write(word.as_bytes());
    hasher.finish()
}
