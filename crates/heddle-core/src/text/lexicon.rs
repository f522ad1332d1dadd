//! Expressions that open, do not open, or close a negation scope.
//!
//! The table is data: one line per expression, settled on purpose. Its categories follow
//! the account of negation cues and scope in Councill, McDonald and Velikovich (2010),
//! "What's great and what's not: learning to classify the scope of negation for improved
//! sentiment analysis", Proceedings of NeSp-NLP, pages 51-59
//! (<https://aclanthology.org/W10-3110>).

use std::sync::LazyLock;

use rustc_hash::FxHashMap;

/// What an expression does to the words after it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Effect {
    /// Opens a scope. Inside another scope the two cancel: "not without charm".
    Negates,
    /// Closes every open scope, then opens its own: "neither clean nor quiet".
    Renews,
    /// Looks like a negator and is none: "not only", "no wonder".
    Inert,
    /// Begins a new clause: "but", "however".
    Contrasts,
}

const NEGATES: &[&str] = &[
    "not",
    "never",
    "no",
    "cannot",
    "without",
    "hardly",
    "barely",
    "scarcely",
    "rarely",
    "seldom",
    "nothing",
    "nobody",
    "no one",
    "none",
    "nowhere",
    "neither",
    "by no means",
    "far from",
    "anything but",
    "lack",
    "lacks",
    "lacked",
    "lacking",
    "fail to",
    "fails to",
    "failed to",
];
const RENEWS: &[&str] = &["nor"];
const INERT: &[&str] = &[
    "not only",
    "not just",
    "not merely",
    "not simply",
    "not to mention",
    "no wonder",
    "no doubt",
    "no matter",
    "no sooner",
    "without doubt",
    "without a doubt",
    "without question",
    "nothing but",
    "nothing if not",
    "none other than",
    "whether or not",
    "why not",
    "never mind",
    "last but not least",
];
const CONTRASTS: &[&str] = &[
    "but",
    "however",
    "although",
    "though",
    "yet",
    "except",
    "whereas",
    "while",
    "because",
    "nevertheless",
    "nonetheless",
];

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

struct Expression {
    rest: Vec<&'static str>,
    effect: Effect,
}

/// Expressions by their first word, the longest first.
static TABLE: LazyLock<FxHashMap<&'static str, Vec<Expression>>> = LazyLock::new(|| {
    let lists = [
        (NEGATES, Effect::Negates),
        (RENEWS, Effect::Renews),
        (INERT, Effect::Inert),
        (CONTRASTS, Effect::Contrasts),
    ];
    let mut table: FxHashMap<&str, Vec<Expression>> = FxHashMap::default();
    for (list, effect) in lists {
        for expression in list {
            let mut words = expression.split(' ');
            let first = words.next().unwrap_or_default();
            let rest = words.collect();
            table.entry(first).or_default().push(Expression { rest, effect });
        }
    }
    for expressions in table.values_mut() {
        expressions.sort_by_key(|expression| std::cmp::Reverse(expression.rest.len()));
    }
    table
});

/// By first letter: a bit for each length that a first word of the table has. Nearly every
/// word of a review is turned away here, before it is hashed.
static LENGTHS: LazyLock<[u32; 26]> = LazyLock::new(|| {
    let mut lengths = [0; 26];
    for first in TABLE.keys() {
        if let Some(letter) = letter(first) {
            lengths[letter] |= 1 << first.len();
        }
    }
    lengths
});

/// The place of a word's first letter in the alphabet, if it is an ASCII letter.
fn letter(word: &str) -> Option<usize> {
    let first = word.bytes().next()?.to_ascii_lowercase();
    first.is_ascii_lowercase().then(|| usize::from(first - b'a'))
}

/// Whether a word, in small or capital letters, may begin an expression.
pub(super) fn may_begin(word: &str) -> bool {
    let listed = letter(word).is_some_and(|letter| word.len() < 32 && LENGTHS[letter] >> word.len() & 1 == 1);
    listed || word.as_bytes().last().is_some_and(|last| last.eq_ignore_ascii_case(&b't'))
}

/// The longest expression that begins with `first`, in small letters; `follows(i, word)`
/// tells whether the `i`-th token after it is `word` and stands in the same clause.
///
/// Returns what it does and how many tokens it takes up.
pub(super) fn expression(first: &str, follows: impl Fn(usize, &str) -> bool) -> Option<(Effect, usize)> {
    if let Some(expressions) = TABLE.get(first) {
        return expressions
            .iter()
            .find(|entry| entry.rest.iter().enumerate().all(|(i, word)| follows(i + 1, word)))
            .map(|entry| (entry.effect, 1 + entry.rest.len()));
    }
    // Where contractions are not taken apart, "isn't" itself is the negator.
    let negates = first.ends_with("n't") || BARE_CONTRACTIONS.contains(&first);
    negates.then_some((Effect::Negates, 1))
}

/// Every expression of the table with what it does, in a fixed order.
pub fn expressions() -> Vec<(&'static str, Effect)> {
    let of = |list: &'static [&'static str], effect| list.iter().map(move |text| (*text, effect));
    of(NEGATES, Effect::Negates)
        .chain(of(RENEWS, Effect::Renews))
        .chain(of(INERT, Effect::Inert))
        .chain(of(CONTRASTS, Effect::Contrasts))
        .collect()
}
