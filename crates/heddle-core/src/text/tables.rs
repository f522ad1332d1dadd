//! Expressions that open, do not open, or close a negation scope, and other tables.
//!
//! The tables are data, one line per entry, settled on purpose; a study adds its own lines to
//! that of expressions. Its categories follow the account of negation cues and scope in
//! Councill, McDonald and Velikovich (2010), "What's great and what's not: learning to
//! classify the scope of negation for improved sentiment analysis", Proceedings of NeSp-NLP,
//! pages 51-59 (<https://aclanthology.org/W10-3110>).

use std::sync::LazyLock;

use rustc_hash::FxHashMap;

use super::language::Language;
use super::negation::Edition;
use crate::choice::{Choice, choice};

choice! {
    /// What an expression does to the words after it.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "snake_case")]
    Effect {
        /// Opens a scope. Inside another scope the two cancel: "not without charm".
        Negates = "negates",
        /// As `negates`; but where its clause ends with it, it negates the words before it: "gefällt mir nicht".
        Either = "either",
        /// Closes every open scope, then opens its own: "neither clean nor quiet".
        Renews = "renews",
        /// Negates the next word alone: "non smoking".
        Next = "next",
        /// Keeps the scopes that are open when it begins open for their whole reach behind it: "I don't think
        /// that it is any good".
        Carries = "carries",
        /// Negates the rest of itself, and nothing behind it: "no problem", "without a hitch".
        Within = "within",
        /// Praise made of a negator or a limit, read as the one token ‹praise›: "hard to fault".
        Praises = "praises",
        /// Blame made of a negator or a limit, read as the one token ‹blame›: "leaves much to be desired".
        Blames = "blames",
        /// Looks like a negator and is none: "not only", "no wonder".
        Nothing = "nothing",
        /// As `negates`, of what was wished for, feared, or might have been: "could have been", "hoped for".
        Wishes = "wishes",
        /// Begins a new clause: "however", "because".
        Contrasts = "contrasts",
        /// As `contrasts`, and what its sentence says before it counts half: "clean, but cold".
        Overrules = "overrules",
        /// As `contrasts`, and what its clause says behind it counts half: "although it was cold".
        Concedes = "concedes",
        /// As `contrasts`, and what its clause says behind it does not count: "than the old ship", "they say".
        Aside = "aside",
    }
}

/// Words with a negating prefix or ending, and the word they negate: `word,plain`.
const PREFIXES: &str = include_str!("data/prefixes.csv");
/// Emoticons and emoji with what they mean: `sign,meaning`.
const MEANINGS: &str = include_str!("data/emoticons.csv");

/// Contractions written without their apostrophe, each ending in "nt".
pub(super) const BARE_CONTRACTIONS: &[&str] = &[
    "dont", "didnt", "doesnt", "cant", "couldnt", "wont", "wouldnt", "shouldnt", "isnt", "wasnt", "arent",
    "werent", "hasnt", "havent", "hadnt",
];

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

/// Meanings that always praise, all of which are glad, and those that always blame, all of which are sad. One laughs at
/// what is bad, too, and cries for joy.
const MOODS: [(&str, &[&str]); 2] = [
    ("glad", &["loving", "approving", "celebrating", "thankful", "shining"]),
    ("sad", &["angry", "disapproving", "sick"]),
];

/// The mood of what an emoticon means; the meaning itself, if it may praise as well as blame.
pub(super) fn mood_of(meaning: &'static str) -> &'static str {
    MOODS.iter().find(|(_, meanings)| meanings.contains(&meaning)).map_or(meaning, |(mood, _)| mood)
}

/// Words with a negating prefix or ending, each with the word it negates.
pub fn prefixed_words() -> impl Iterator<Item = (&'static str, &'static str)> {
    lines(PREFIXES)
}

/// Emoticons and emoji, each with its meaning and its mood.
pub fn emoticons() -> impl Iterator<Item = (&'static str, &'static str, &'static str)> {
    lines(MEANINGS).map(|(sign, meaning)| (sign, meaning, mood_of(meaning)))
}

/// The expressions in force for a language: those that the program has in an edition, changed and followed by those of a
/// study, which are given as "expression,effect".
///
/// # Errors
/// A sentence about the first line that is none such.
pub fn expressions(
    language: Language,
    edition: Edition,
    own: &[String],
) -> Result<Vec<(String, Effect)>, String> {
    let effect = |name: &str| Effect::from_name(name.trim());
    let of_edition = |[text, name, since]: [&str; 3]| {
        (Edition::from_name(since)? <= edition).then_some((text.to_string(), effect(name)?))
    };
    let mut all: Vec<(String, Effect)> = language.expressions().filter_map(of_edition).collect();
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

/// Checks the expressions of a study.
pub(crate) fn check(own: &[String]) -> Result<(), String> {
    expressions(Language::Other, Edition::First, own).map(|_| ())
}
