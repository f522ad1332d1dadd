//! The kinds of terms.

use serde::ser::{Serialize, SerializeMap, Serializer};

use super::subwords::Subword;

/// The longest n-gram, in words.
pub const LONGEST: usize = 9;

/// What a term is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum MadeOf {
    /// So many words, one after the other.
    Words(u8),
    /// A part of a word.
    Part(Subword),
}

/// As the fields `words` and, where it is one, `part`.
impl Serialize for MadeOf {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("words", &self.words())?;
        if let Self::Part(part) = self {
            map.serialize_entry("part", part)?;
        }
        map.end()
    }
}

/// As settings spell it: "3" words, "letters" or "stems".
impl std::fmt::Display for MadeOf {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Words(words) => write!(out, "{words}"),
            Self::Part(Subword::Letters) => out.write_str("letters"),
            Self::Part(Subword::Stem) => out.write_str("stems"),
        }
    }
}

impl MadeOf {
    /// Reads what settings spell.
    pub fn parse(written: &str) -> Option<Self> {
        match written {
            "letters" => Some(Self::Part(Subword::Letters)),
            "stems" => Some(Self::Part(Subword::Stem)),
            words => {
                let words: u8 = words.parse().ok()?;
                (1..=LONGEST).contains(&usize::from(words)).then_some(Self::Words(words))
            }
        }
    }

    /// What a term of this one spelled word is made of.
    pub(crate) fn of_word(word: &str) -> Self {
        Subword::of(word).map_or(Self::Words(1), Self::Part)
    }

    /// Every kind of terms.
    pub(crate) fn all() -> impl Iterator<Item = Self> {
        let parts = [Subword::Stem, Subword::Letters].map(Self::Part);
        (1..=LONGEST as u8).map(Self::Words).chain(parts)
    }

    /// The number of whole words.
    pub fn words(self) -> usize {
        match self {
            Self::Words(words) => words.into(),
            Self::Part(_) => 0,
        }
    }
}
