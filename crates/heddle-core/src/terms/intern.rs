//! Words as small numbers.

use std::hash::Hasher;

use hashbrown::HashTable;
use rustc_hash::FxHasher;

/// A list of distinct words, each known by its place in the list.
#[derive(Debug, Clone, Default)]
pub struct Words {
    text: String,
    ends: Vec<u32>,
    table: HashTable<(u64, u32)>,
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
        self.place_of(key(word), word)
    }

    /// The place of a word, which is added at the end if it is new.
    pub fn intern(&mut self, word: &str) -> u32 {
        let key = key(word);
        // Nearly every word is there already.
        if let Some(place) = self.place_of(key, word) {
            return place;
        }
        let place = self.ends.len() as u32;
        self.table.insert_unique(hash(key), (key, place), |(key, _)| hash(*key));
        self.text.push_str(word);
        self.ends.push(self.text.len() as u32);
        place
    }

    fn place_of(&self, key: u64, word: &str) -> Option<u32> {
        let same = |(other, place): &(u64, u32)| *other == key && (key < LONG || self.word(*place) == word);
        self.table.find(hash(key), same).map(|(_, place)| *place)
    }
}

/// The places of words that were asked for lately: some thousand words are most of what people write, and
/// their table stays in the second-level cache.
#[derive(Debug, Clone)]
pub(crate) struct Recent {
    /// By hash: the letters of a word, and its place.
    slots: Vec<(Letters, u32)>,
}

/// A word of up to 15 bytes: its letters, with its length in the last byte.
type Letters = [u64; 2];

impl Default for Recent {
    fn default() -> Self {
        // No word has such a length.
        Self { slots: vec![([u64::MAX; 2], 0); 1 << RECENT_BITS] }
    }
}

impl Recent {
    /// The place of a word; `find` tells it where it was not asked for lately.
    #[inline]
    pub(crate) fn place(&mut self, word: &str, find: impl FnOnce(&str) -> Option<u32>) -> Option<u32> {
        let Some(letters) = letters(word.as_bytes()) else { return find(word) };
        let hash = hash(letters[0] ^ letters[1].rotate_left(29));
        let slot = &mut self.slots[(hash >> (u64::BITS - RECENT_BITS)) as usize];
        if slot.0 != letters {
            *slot = (letters, find(word)?);
        }
        Some(slot.1)
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

/// Keys from here on are hashes of long words.
const LONG: u64 = 1 << 63;
/// The power of two of the words that are remembered.
const RECENT_BITS: u32 = 13;

/// What a word is found by: a word of up to seven bytes itself, with its length, so that equal
/// keys are equal words; else a hash, behind which the letters must be compared.
fn key(word: &str) -> u64 {
    let bytes = word.as_bytes();
    if bytes.len() < 8 {
        return few_letters(bytes) | (bytes.len() as u64) << 56;
    }
    let mut hasher = FxHasher::default();
    hasher.write(bytes);
    hasher.finish() | LONG
}

/// The letters of a word; none if there are more than 15 bytes of them.
#[inline]
fn letters(word: &[u8]) -> Option<Letters> {
    let length = word.len();
    let eight = |at: usize| u64::from_le_bytes(std::array::from_fn(|byte| word[at + byte]));
    let [first, rest] = match length {
        0..8 => [few_letters(word), 0],
        8 => [eight(0), 0],
        // The last eight bytes overlap the first.
        9..16 => [eight(0), eight(length - 8) >> (8 * (16 - length))],
        _ => return None,
    };
    Some([first, rest | (length as u64) << 56])
}

/// Up to seven bytes as a number.
#[inline]
fn few_letters(bytes: &[u8]) -> u64 {
    let four =
        |at: usize| u64::from(u32::from_le_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]));
    match bytes.len() {
        0 => 0,
        // The first, a middle and the last byte: all of three or fewer.
        length @ 1..=3 => {
            u64::from(bytes[0]) | u64::from(bytes[length / 2]) << 8 | u64::from(bytes[length - 1]) << 16
        }
        // The first four and the last four bytes, which may overlap.
        length => four(0) | four(length - 4) << (8 * (length - 4)),
    }
}

#[inline]
fn hash(key: u64) -> u64 {
    let stirred = key.wrapping_mul(0x9e37_79b9_7f4a_7c15);
    stirred ^ stirred >> 32
}
