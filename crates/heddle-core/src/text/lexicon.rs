//! Expressions that open, do not open, or close a negation scope, and other tables.
//!
//! The tables are data, one line per entry, settled on purpose; a study adds its own lines to
//! that of expressions. Its categories follow the account of negation cues and scope in
//! Councill, McDonald and Velikovich (2010), "What's great and what's not: learning to
//! classify the scope of negation for improved sentiment analysis", Proceedings of NeSp-NLP,
//! pages 51-59 (<https://aclanthology.org/W10-3110>).

use std::sync::LazyLock;

use rustc_hash::FxHashMap;

use super::Tokens;
use super::cleaner::Cleaner;
use super::negate::Negation;
use super::recipe::Recipe;
use crate::choice::{Choice, choice};

choice! {
    /// What an expression does to the words after it.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "snake_case")]
    Effect {
        /// Opens a scope. Inside another scope the two cancel: "not without charm".
        Negates = "negates",
        /// Closes every open scope, then opens its own: "neither clean nor quiet".
        Renews = "renews",
        /// Negates the next word alone: "non smoking".
        Next = "next",
        /// Negates the rest of itself, and nothing behind it: "no complaints", "can't wait".
        Within = "within",
        /// Looks like a negator and is none: "not only", "no wonder".
        Nothing = "nothing",
        /// Begins a new clause: "but", "however".
        Contrasts = "contrasts",
    }
}

/// Expressions that come with the program: `expression,effect`.
const EXPRESSIONS: &str = include_str!("data/negation.csv");
/// Words with a negating prefix or ending, and the word they negate: `word,plain`.
const PREFIXES: &str = include_str!("data/prefixes.csv");
/// Emoticons and emoji with what they mean: `sign,meaning`.
const MEANINGS: &str = include_str!("data/emoticons.csv");

/// Contractions written without their apostrophe, each ending in "nt".
pub(super) const BARE_CONTRACTIONS: &[&str] = &[
    "dont", "didnt", "doesnt", "cant", "couldnt", "wont", "wouldnt", "shouldnt", "isnt", "wasnt", "arent",
    "werent", "hasnt", "havent", "hadnt",
];

/// Names that stand before a full stop which ends no sentence.
pub(super) const ABBREVIATIONS: &[&str] =
    &["mr", "mrs", "ms", "dr", "st", "vs", "approx", "incl", "hrs", "mins", "etc"];

/// Emoticons written with ASCII marks, longest first.
pub(super) const EMOTICONS: &[&str] = &[
    ":'-(", ":'-)", ":-))", ":-((", ">:-(", ":'(", ":')", ":-)", ":-(", ";-)", ":-D", ":-P", ":-/", ":-|",
    ":-o", ">:(", ":))", ":((", "=)", "=(", ":)", ":(", ";)", ":D", ":P", ":/", ":|", "<3", "^^",
];

/// The two fields of each line of a table, without its header. The last comma divides them:
/// a sign may be a comma, a meaning is not.
fn lines(table: &'static str) -> impl Iterator<Item = (&'static str, &'static str)> {
    table.lines().skip(1).filter_map(|line| line.rsplit_once(','))
}

static PLAIN: LazyLock<FxHashMap<&str, &str>> = LazyLock::new(|| lines(PREFIXES).collect());
static MEANING: LazyLock<FxHashMap<&str, &str>> = LazyLock::new(|| lines(MEANINGS).collect());

/// The word that a lower-case word with a negating prefix or ending negates.
pub(super) fn plain_of(word: &str) -> Option<&'static str> {
    PLAIN.get(word).copied()
}

/// What an emoticon or emoji means.
pub(super) fn meaning_of(sign: &str) -> Option<&'static str> {
    MEANING.get(sign).copied()
}

/// Words with a negating prefix or ending, each with the word it negates.
pub fn prefixed_words() -> impl Iterator<Item = (&'static str, &'static str)> {
    lines(PREFIXES)
}

/// Emoticons and emoji, each with its meaning.
pub fn emoticon_meanings() -> impl Iterator<Item = (&'static str, &'static str)> {
    lines(MEANINGS)
}

/// The expressions in force: those of the program, changed and followed by those of a study,
/// which are given as "expression,effect".
///
/// # Errors
/// A sentence about the first line that is none such.
pub fn expressions(own: &[String]) -> Result<Vec<(String, Effect)>, String> {
    let effect = |name: &str| Effect::from_name(name.trim());
    let usual = lines(EXPRESSIONS).filter_map(|(text, name)| Some((text.to_string(), effect(name)?)));
    let mut all: Vec<(String, Effect)> = usual.collect();
    for line in own {
        let parts = line.rsplit_once(',').map(|(text, name)| (text.trim().to_lowercase(), effect(name)));
        let Some((text, Some(effect))) = parts.filter(|(text, _)| !text.is_empty()) else {
            let effects: Vec<&str> = Effect::ALL.iter().map(|effect| effect.name()).collect();
            return Err(format!(
                "negation.also: `{line}` is no expression with its effect: expected a line such as \
                 \"sans,negates\"; effects are {}",
                effects.join(", ")
            ));
        };
        match all.iter_mut().find(|(other, _)| *other == text) {
            Some(entry) => entry.1 = effect,
            None => all.push((text, effect)),
        }
    }
    Ok(all)
}

#[derive(Debug, Clone)]
struct Expression {
    rest: Vec<Box<str>>,
    effect: Effect,
}

/// Expressions as the tokens that a recipe makes of them, found by their first word.
#[derive(Debug, Clone, Default)]
pub(super) struct Lexicon {
    /// By first word: the longest expression first.
    table: FxHashMap<Box<str>, Vec<Expression>>,
    /// By first and last letter: a bit for each length that a first word has. Nearly every word
    /// of a review is turned away here, before it is hashed.
    lengths: Lengths,
    /// Whether "isn't" stays whole, and is a negator itself.
    whole: bool,
}

impl Lexicon {
    /// # Errors
    /// As [`expressions`].
    pub(super) fn new(recipe: &Recipe, own: &[String]) -> Result<Self, String> {
        let plain = Recipe { contractions: recipe.contractions, ..Recipe::default() };
        let cleaner = Cleaner::without_tables(plain);
        let mut list = Self { whole: !recipe.contractions, ..Self::default() };
        let mut tokens = Tokens::default();
        for (text, effect) in expressions(own)? {
            cleaner.scan(&text, &mut tokens);
            let mut forms = tokens.items().iter().map(|token| Box::<str>::from(tokens.form(token)));
            let Some(first) = forms.next() else { continue };
            if let Some((head, tail)) = ends(&first) {
                list.lengths.0[head][tail] |= 1 << first.len();
            }
            list.table.entry(first).or_default().push(Expression { rest: forms.collect(), effect });
        }
        for expressions in list.table.values_mut() {
            expressions.sort_by_key(|expression| std::cmp::Reverse(expression.rest.len()));
        }
        Ok(list)
    }

    /// Whether a word, in small or capital letters, may begin an expression.
    pub(super) fn may_begin(&self, word: &str) -> bool {
        match ends(word) {
            Some((head, tail)) => {
                self.lengths.0[head][tail] >> word.len() & 1 == 1
                    || self.whole && tail == usize::from(b't' - b'a')
            }
            // Words that begin or end outside the alphabet are rare enough to be looked up.
            None => word.len() < 32,
        }
    }

    /// The longest expression that begins with `first`, in small letters; `follows(i, word)`
    /// tells whether the `i`-th token after it is `word` and stands in the same clause.
    ///
    /// Returns what it does and how many tokens it takes up.
    pub(super) fn expression(
        &self,
        first: &str,
        follows: impl Fn(usize, &str) -> bool,
    ) -> Option<(Effect, usize)> {
        if let Some(expressions) = self.table.get(first) {
            return expressions
                .iter()
                .find(|entry| entry.rest.iter().enumerate().all(|(i, word)| follows(i + 1, word)))
                .map(|entry| (entry.effect, 1 + entry.rest.len()));
        }
        // Where contractions are not taken apart, "isn't" itself is the negator.
        self.is_whole_negator(first).then_some((Effect::Negates, 1))
    }

    fn is_whole_negator(&self, word: &str) -> bool {
        self.whole && (word.ends_with("n't") || word == "cannot" || BARE_CONTRACTIONS.contains(&word))
    }

    /// Whether a lower-case word negates by itself.
    pub(super) fn is_negator(&self, word: &str) -> bool {
        let alone = |entry: &Expression| {
            entry.rest.is_empty() && matches!(entry.effect, Effect::Negates | Effect::Renews | Effect::Next)
        };
        self.table.get(word).is_some_and(|entries| entries.iter().any(alone)) || self.is_whole_negator(word)
    }
}

/// A bit for each length up to 31, by the places of two letters in the alphabet.
#[derive(Debug, Clone, Default)]
struct Lengths([[u32; 26]; 26]);

/// The places of a word's first and last letter in the alphabet, if both are ASCII letters and
/// the word is not longer than any first word may be.
fn ends(word: &str) -> Option<(usize, usize)> {
    let bytes = word.as_bytes();
    let place = |byte: u8| {
        let place = (byte | 0x20).wrapping_sub(b'a');
        (place < 26).then_some(usize::from(place))
    };
    let (first, last) = (*bytes.first()?, *bytes.last()?);
    Some((place(first)?, place(last)?)).filter(|_| bytes.len() < 32)
}

/// Checks the expressions of a study.
pub(crate) fn check(negation: &Negation) -> Result<(), String> {
    expressions(&negation.also).map(|_| ())
}
