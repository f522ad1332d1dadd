//! Words as small numbers.

use std::hash::Hasher;

use rustc_hash::FxHasher;

use crate::ahead::ask;

/// A list of distinct words, each known by its place in the list.
///
/// A word is found in a table with linear probing (Knuth (1998), "The art of computer programming", volume 3, second
/// edition, section 6.4, algorithm L) whose slots hold the letters themselves: one look at memory tells of all but the
/// longest words, and it can be asked for ahead.
#[derive(Debug, Clone, Default)]
pub struct Words {
    text: String,
    ends: Vec<u32>,
    /// A power of two of slots, or none; at most three quarters of them are taken.
    slots: Vec<Slot>,
}

#[derive(Debug, Clone, Copy)]
struct Slot {
    letters: Letters,
    /// The place of the word, or [`FREE`].
    place: u32,
}

const FREE: u32 = u32::MAX;
const FEWEST_SLOTS: usize = 16;

/// What a word is found by: a word of up to 15 bytes itself, with its length in the last byte; of a longer one a hash,
/// behind which the letters must be compared.
type Letters = [u64; 2];

/// Stands behind the hash of a long word.
const LONG: u64 = u64::MAX;

/// A word that is to be found.
#[derive(Debug, Clone, Copy)]
pub(crate) struct SoughtWord {
    letters: Letters,
    hash: u64,
}

impl SoughtWord {
    #[inline]
    pub(crate) fn of(word: &str) -> Self {
        let letters = letters(word.as_bytes());
        Self { letters, hash: hash(letters) }
    }
}

impl Words {
    /// An empty list with room for so many words.
    pub fn with_capacity(words: usize) -> Self {
        let mut list = Self { ends: Vec::with_capacity(words), ..Self::default() };
        list.make_room(words);
        list
    }

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
        let place = place as usize;
        let start = if place == 0 { 0 } else { self.ends[place - 1] as usize };
        &self.text[start..self.ends[place] as usize]
    }

    /// The words, by place.
    pub fn iter(&self) -> impl Iterator<Item = &str> {
        (0..self.len() as u32).map(|place| self.word(place))
    }

    /// The place of a word, if it is in the list.
    pub fn place(&self, word: &str) -> Option<u32> {
        self.find(SoughtWord::of(word), word)
    }

    /// Asks for the memory that the search for a word will need.
    #[inline]
    pub(crate) fn ask(&self, sought: SoughtWord) {
        ask(&self.slots, self.first_slot(sought.hash));
    }

    /// As [`place`](Self::place), of a word that was made ready.
    #[inline]
    pub(crate) fn find(&self, SoughtWord { letters, hash }: SoughtWord, word: &str) -> Option<u32> {
        let mut at = self.first_slot(hash);
        loop {
            let slot = self.slots.get(at)?; // none where there are no words
            if slot.place == FREE {
                return None;
            }
            if slot.letters == letters && (letters[1] != LONG || self.word(slot.place) == word) {
                return Some(slot.place);
            }
            at = (at + 1) & (self.slots.len() - 1);
        }
    }

    /// The place of a word, which is added at the end if it is new.
    #[inline]
    pub fn intern(&mut self, word: &str) -> u32 {
        let sought = SoughtWord::of(word);
        // Nearly every word is there already.
        match self.find(sought, word) {
            Some(place) => place,
            None => self.add(sought, word),
        }
    }

    #[cold]
    fn add(&mut self, SoughtWord { letters, hash }: SoughtWord, word: &str) -> u32 {
        let place = self.ends.len() as u32;
        self.make_room(self.len() + 1);
        self.put(hash, Slot { letters, place });
        self.text.push_str(word);
        self.ends.push(self.text.len() as u32);
        place
    }

    /// Puts a word that is not there into the first free slot.
    fn put(&mut self, hash: u64, slot: Slot) {
        let mut at = self.first_slot(hash);
        while self.slots[at].place != FREE {
            at = (at + 1) & (self.slots.len() - 1);
        }
        self.slots[at] = slot;
    }

    /// Makes room for so many words in all.
    fn make_room(&mut self, words: usize) {
        let slots = (words + words / 3 + 1).next_power_of_two().max(FEWEST_SLOTS);
        if slots > self.slots.len() {
            let empty = vec![Slot { letters: [0; 2], place: FREE }; slots];
            let taken = std::mem::replace(&mut self.slots, empty);
            for slot in taken.into_iter().filter(|slot| slot.place != FREE) {
                self.put(hash(slot.letters), slot);
            }
        }
    }

    #[inline]
    fn first_slot(&self, hash: u64) -> usize {
        (hash >> (u64::BITS - self.slots.len().trailing_zeros())) as usize
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

#[inline]
fn letters(word: &[u8]) -> Letters {
    let length = word.len();
    let eight = |at: usize| u64::from_le_bytes(std::array::from_fn(|byte| word[at + byte]));
    let [first, rest] = match length {
        0..8 => [few_letters(word), 0],
        8 => [eight(0), 0],
        // The last eight bytes overlap the first.
        9..16 => [eight(0), eight(length - 8) >> (8 * (16 - length))],
        _ => {
            let mut hasher = FxHasher::default();
            hasher.write(word);
            return [hasher.finish(), LONG];
        }
    };
    [first, rest | (length as u64) << 56]
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

/// A hash of which the highest bits count: both halves of a product, so that every letter stirs them.
#[inline]
fn hash(letters: Letters) -> u64 {
    let product = u128::from(letters[0] ^ letters[1].rotate_left(29)) * 0x9e37_79b9_7f4a_7c15;
    (product >> u64::BITS) as u64 ^ product as u64
}
