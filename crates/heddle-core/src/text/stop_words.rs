//! Words that hold sentences together and say little by themselves.

use std::sync::LazyLock;

use rustc_hash::FxHashSet;

/// English function words, one a line, settled on purpose; negators are none of them.
const LIST: &str = include_str!("data/function-english.txt");

static WORDS: LazyLock<FxHashSet<&str>> = LazyLock::new(|| LIST.lines().collect());

/// The English function words, in alphabetical order.
pub fn function_words() -> impl Iterator<Item = &'static str> {
    LIST.lines()
}

/// Whether a lower-case word is an English function word.
pub fn is_function_word(word: &str) -> bool {
    WORDS.contains(word)
}
