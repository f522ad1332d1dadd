//! What arrived: the columns of a file, and the texts in it.

pub(crate) mod column;
pub(crate) mod languages;
pub(crate) mod oddities;
pub(crate) mod texts;
pub(crate) mod words;
