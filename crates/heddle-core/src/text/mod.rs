//! What a review says: its tokens, where they stand, and which of them are negated.

mod characters;
pub(crate) mod cleaner;
mod contractions;
pub(crate) mod document;
pub(crate) mod lexicon;
pub(crate) mod negate;
pub(crate) mod plain;
pub(crate) mod recipe;
pub(crate) mod replace;
mod run;
pub(crate) mod scan;
pub(crate) mod steps;
pub(crate) mod stop_words;
mod symbols;
pub(crate) mod tables;
pub(crate) mod tokens;
