//! What arrived: the columns of a file, and the texts in it.

pub(crate) mod column;
pub(crate) mod languages;
pub(crate) mod oddities;
mod quartiles;
pub(crate) mod texts;
pub(crate) mod words;

pub use column::{ColumnKind, ColumnProfile, DateProfile, NumberProfile, Profiler};
pub use languages::{LanguageShare, languages};
pub use oddities::{Looks, Oddity, Script, looks};
pub use texts::{OddTexts, Reservoir, TextFacts, TextProfile, TextProfiler};
pub use words::{RatingWords, WordShare, rating_words};
