//! Tokens as numbers.

use xxhash_rust::xxh3::xxh3_64;

/// A token as a number of 32 bits: the place of its word, and whether it is negated, which is the
/// lowest bit. Two places are no words: the end of a sentence, and a word that a vocabulary does
/// not have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TokenId(u32);

impl TokenId {
    /// Stands between sentences in a list of token ids.
    pub const SENTENCE_END: Self = Self(u32::MAX);
    /// A word that a vocabulary does not have, where it is not negated.
    const UNKNOWN: u32 = u32::MAX - 3;
    /// Words have places below this.
    pub(crate) const PLACES: u32 = (1 << 31) - 2;

    /// The token whose word has this place.
    pub const fn new(word: u32, negated: bool) -> Self {
        Self(word << 1 | negated as u32)
    }

    /// A token whose word a vocabulary does not have.
    pub(crate) const fn unknown(negated: bool) -> Self {
        Self(Self::UNKNOWN | negated as u32)
    }

    /// The place of its word.
    pub const fn word(self) -> u32 {
        self.0 >> 1
    }

    /// Whether it is negated.
    pub const fn is_negated(self) -> bool {
        self.0 & 1 == 1
    }

    /// The same word, not negated.
    pub const fn plain(self) -> Self {
        Self(self.0 & !1)
    }

    /// A token of another word, negated as this one is.
    pub(crate) const fn with_word(self, word: u32) -> Self {
        Self::new(word, self.is_negated())
    }

    /// Whether it stands between sentences.
    pub fn is_sentence_end(self) -> bool {
        self == Self::SENTENCE_END
    }

    /// Whether its word is one that a vocabulary does not have.
    pub(crate) const fn is_unknown(self) -> bool {
        self.0 & !1 == Self::UNKNOWN
    }

    /// The number itself, as it stands in files.
    pub const fn bits(self) -> u32 {
        self.0
    }

    /// The token of a number; where terms are hashed, any column is one.
    pub const fn from_bits(bits: u32) -> Self {
        Self(bits)
    }

    /// The number as a place in a table.
    pub(crate) const fn place(self) -> usize {
        self.0 as usize
    }
}

/// The place of a word where terms are hashed: a fixed hash of its letters, so that it is the
/// same on every machine.
pub(crate) fn hashed_place(word: &str) -> u32 {
    (xxh3_64(word.as_bytes()) % u64::from(TokenId::PLACES)) as u32
}
