//! What customers complain about, and what they praise.
//!
//! A theme is a set of words that are used alike and go with one class. Which words do is told by tests over all words
//! at once; what a theme does is told by the share of negative reviews with it and without it, with intervals that hold
//! for all themes together. Nothing within noise is called an effect.

mod find;
mod merge;
mod theme;

pub use find::themes;
pub(crate) use theme::difference;
pub use theme::{Part, Theme, ThemeWord, parts};
