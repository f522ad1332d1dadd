//! What a review says: its tokens, where they stand, and which of them are negated.
//!
//! A [`Cleaner`] reads raw text by a [`Recipe`] and rules of [`Negation`] into a [`ScanBuffer`], whose
//! [`Tokens`] hold each token with its bytes, its form and whether it is negated.
//!
//! ```
//! use heddle_core::text::{Cleaner, Negation, Recipe, ScanBuffer};
//!
//! let cleaner = Cleaner::new(&Recipe::default(), &Negation::default())?;
//! let mut buffer = ScanBuffer::default();
//! let tokens = cleaner.scan("The cabin isn't clean", &mut buffer);
//! let last = tokens.items().last().expect("a token");
//! assert_eq!((tokens.form(last), last.negated), ("clean", true));
//! # Ok::<(), String>(())
//! ```

pub(crate) mod blanks;
mod characters;
pub(crate) mod cleaner;
mod contractions;
pub(crate) mod document;
pub(crate) mod language;
pub(crate) mod lexicon;
mod negate;
pub(crate) mod negation;
pub(crate) mod plain;
pub(crate) mod ratings;
pub(crate) mod recipe;
pub(crate) mod replace;
mod run;
pub(crate) mod scan;
pub(crate) mod stems;
pub(crate) mod steps;
mod symbols;
pub(crate) mod tables;
pub(crate) mod tokens;

pub use blanks::{bytes_that, word_count};
pub use cleaner::{Cleaner, ScanBuffer};
pub use document::Document;
pub use language::{Language, known_language, language};
pub use negate::{BLAME, PRAISE};
pub use negation::{Concessions, Edition, Negation, Prefixes, Scope, SetPhrases, Style, Wishes};
pub use recipe::{
    Case, Elongation, Emoticons, Hashtags, Joined, Presence, Punctuation, Ratings, Recipe, Stem, StopList,
    Treatment,
};
pub use scan::{EMOTICON, LINK, MAIL, NUMBER};
pub use steps::{Change, Step};
pub use tables::{Effect, emoticons, expressions, prefixed_words};
pub use tokens::{Break, Counts, Kind, Token, Tokens};
