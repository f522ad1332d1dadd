//! Expressions of negation as the tokens that a recipe makes of them.

use rustc_hash::FxHashMap;

use super::language::Language;
use super::negation::{Concessions, Negation, Scope, SetPhrases, Wishes};
use super::recipe::Recipe;
use super::scan::{self, Replaced};
use super::tables::{BARE_CONTRACTIONS, Effect, expressions};
use super::tokens::Tokens;

#[derive(Debug, Clone)]
struct Expression {
    rest: Vec<Box<str>>,
    /// What must follow a few words further on, if anything must.
    tail: Vec<Box<str>>,
    effect: Effect,
}

/// Stands in an expression for up to [`WIDEST`] words of the same clause.
const GAP: char = '…';
const WIDEST: usize = 5;

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
    language: Option<Language>,
    /// Words that join two negators.
    joining: &'static [&'static str],
}

impl Lexicon {
    /// # Errors
    /// As [`expressions`].
    pub(super) fn new(recipe: &Recipe, negation: &Negation, language: Language) -> Result<Self, String> {
        let plain = Recipe { contractions: recipe.contractions, ..Recipe::default() };
        let whole = language == Language::English && !recipe.contractions;
        let mut list =
            Self { whole, language: Some(language), joining: language.joining(), ..Self::default() };
        let mut tokens = Tokens::default();
        let all = expressions(language, negation.edition, &negation.also)?.into_iter();
        for (text, effect) in all.filter_map(|(text, effect)| Some((text, in_force(effect, negation)?))) {
            let mut forms = |text: &str| -> Vec<Box<str>> {
                scan::read(text, (&plain, language), Replaced::default(), &mut tokens, &mut ());
                tokens.items().iter().map(|token| Box::<str>::from(tokens.form(token))).collect()
            };
            let (head, tail) = text.split_once(GAP).unwrap_or((&text, ""));
            let (mut rest, tail) = (forms(head), forms(tail));
            if rest.is_empty() {
                continue;
            }
            let first = rest.remove(0);
            if let Some((head, tail)) = ends(&first) {
                list.lengths.0[head][tail] |= 1 << first.len();
            }
            list.table.entry(first).or_default().push(Expression { rest, tail, effect });
        }
        for expressions in list.table.values_mut() {
            expressions
                .sort_by_key(|expression| std::cmp::Reverse(expression.rest.len() + expression.tail.len()));
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
    /// Returns what it does and how many tokens it takes up; what stands behind a gap is not counted.
    pub(super) fn expression(
        &self,
        first: &str,
        follows: impl Fn(usize, &str) -> bool,
    ) -> Option<(Effect, usize)> {
        if let Some(expressions) = self.table.get(first) {
            let follow = |from: usize, words: &[Box<str>]| {
                words.iter().enumerate().all(|(i, word)| follows(from + i, word))
            };
            let stands = |entry: &&Expression| {
                let behind = 1 + entry.rest.len();
                let tail = || (behind..=behind + WIDEST).any(|from| follow(from, &entry.tail));
                follow(1, &entry.rest) && (entry.tail.is_empty() || tail())
            };
            return expressions.iter().find(stands).map(|entry| (entry.effect, 1 + entry.rest.len()));
        }
        // Where contractions are not taken apart, "isn't" itself is the negator.
        self.is_whole_negator(first).then_some((Effect::Negates, 1))
    }

    /// Whether words with a negating prefix are known.
    pub(super) fn reads_prefixes(&self) -> bool {
        self.language == Some(Language::English)
    }

    /// Words before which a comma ends no scope.
    pub(super) fn continuing(&self) -> &'static [&'static str] {
        self.language.map_or(&[], Language::continuing)
    }

    /// Whether a word joins two negators.
    pub(super) fn joins(&self, word: &str) -> bool {
        self.joining.iter().any(|own| own.eq_ignore_ascii_case(word))
    }

    fn is_whole_negator(&self, word: &str) -> bool {
        self.whole && (word.ends_with("n't") || word == "cannot" || BARE_CONTRACTIONS.contains(&word))
    }

    /// Whether a lower-case word negates by itself.
    pub(super) fn is_negator(&self, word: &str) -> bool {
        let alone = |entry: &Expression| {
            (entry.rest.is_empty() && entry.tail.is_empty())
                && matches!(entry.effect, Effect::Negates | Effect::Either | Effect::Renews | Effect::Next)
        };
        self.table.get(word).is_some_and(|entries| entries.iter().any(alone)) || self.is_whole_negator(word)
    }
}

/// What an expression does under these settings, if anything.
fn in_force(effect: Effect, negation: &Negation) -> Option<Effect> {
    // Where nothing is negated, nothing is known of set phrases and wishes either.
    let negates = negation.scope != Scope::Off;
    let weighs = negation.concessions == Concessions::Read;
    match effect {
        Effect::Praises | Effect::Blames => {
            (negates && negation.phrases == SetPhrases::Read).then_some(effect)
        }
        Effect::Wishes => (negates && negation.wishes == Wishes::Read).then_some(Effect::Negates),
        Effect::Overrules | Effect::Concedes if !weighs => Some(Effect::Contrasts),
        Effect::Aside => weighs.then_some(effect),
        _ => Some(effect),
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
