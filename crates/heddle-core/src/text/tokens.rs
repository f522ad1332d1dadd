//! Tokens with their places.

use std::ops::Range;

use super::steps::{Listen, Step};
use crate::choice::choice;

/// The strongest boundary between two tokens.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Break {
    /// The tokens follow each other within one clause.
    None,
    /// A comma, dash, bracket, line end or contrast word: a negation scope may end here.
    Clause,
    /// The end of a sentence: n-grams and negation scopes always end here.
    Sentence,
}

/// What a token is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// Letters, or letters and digits.
    Word,
    /// Digits, with the points, commas and colons inside them.
    Number,
    /// A web or mail address.
    Link,
    /// An emoticon or emoji.
    Emoticon,
    /// A run of exclamation or question marks.
    Mark,
}

choice! {
    /// How much of a token counts.
    #[derive(Default, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
    #[serde(rename_all = "snake_case")]
    Counts {
        /// It speaks of something else, or for somebody else: "better than the old ship".
        Nothing = "nothing",
        /// It is conceded: "clean, but cold" says more of cold than of clean.
        Half = "half",
        /// It counts in full.
        #[default]
        All = "all",
    }
}

impl Counts {
    /// What a token is counted as: its place in the list above, in halves. Every n-gram asks.
    #[inline]
    pub fn share(self) -> f32 {
        f32::from(self as u8) * 0.5
    }

    /// What stands before a token that counts so much, where tokens are written out: nothing before one that counts in
    /// full.
    pub fn sign(self) -> &'static str {
        match self {
            Self::Nothing => "∅",
            Self::Half => "½",
            Self::All => "",
        }
    }
}

/// One token of a review.
#[derive(Debug, Clone, Copy)]
pub struct Token {
    /// First byte in the raw review.
    pub start: u32,
    /// One past the last byte in the raw review.
    pub end: u32,
    /// Where the cleaned form stands in [`Tokens`].
    pub(super) form: (u32, u32),
    /// What the token is.
    pub kind: Kind,
    /// The boundary before the token.
    pub before: Break,
    /// Whether the token stands inside an odd number of negation scopes.
    pub negated: bool,
    /// Whether the token belongs to an expression that opens a negation scope.
    pub cue: bool,
    /// How much of it counts.
    pub counts: Counts,
}

/// The tokens of one review, in reading order.
///
/// Spans lie on character borders and ascend; two of them are the same, where a phrase was
/// replaced by several words, or do not overlap.
#[derive(Debug, Default, Clone)]
pub struct Tokens {
    pub(super) items: Vec<Token>,
    /// What forms point into.
    pub(super) forms: String,
    /// Whether n-grams run across marks.
    pub(super) across: bool,
    /// The place of the language of the text among those of the recipe.
    pub(super) tongue: u8,
}

impl Tokens {
    /// The tokens, in reading order.
    pub fn items(&self) -> &[Token] {
        &self.items
    }

    /// The cleaned form of a token: what the model sees.
    #[inline]
    pub fn form(&self, token: &Token) -> &str {
        &self.forms[token.form.0 as usize..token.form.1 as usize]
    }

    /// The first byte of the form of a token; 0 if it has none.
    pub(super) fn first_byte(&self, token: &Token) -> u8 {
        let (first, end) = token.form;
        if first < end { self.forms.as_bytes()[first as usize] } else { 0 }
    }

    /// The place of the language by which the text was read among those of the recipe.
    pub fn tongue(&self) -> usize {
        self.tongue.into()
    }

    /// A token as terms spell it: a negated one has "¬" before it.
    pub fn spelled(&self, token: &Token) -> String {
        format!("{}{}", if token.negated { "¬" } else { "" }, self.form(token))
    }

    /// Whether n-grams run across marks, which then are tokens, from sentence to sentence.
    pub(crate) fn runs_across(&self) -> bool {
        self.across
    }

    /// Whether these tokens share no byte with those around them, as words do that stand in the place of a phrase.
    pub(super) fn stand_apart(&self, places: &Range<usize>) -> bool {
        let apart = |before: usize| match self.items.get(before..before + 2) {
            Some([one, next]) => one.end <= next.start,
            _ => true,
        };
        places.start.checked_sub(1).is_none_or(apart) && apart(places.end - 1)
    }

    /// Whether the `offset`-th token behind the one at `at` is this word, in small or capital letters, and follows
    /// the one before it in the same clause.
    pub(super) fn follows(&self, at: usize, offset: usize, word: &str) -> bool {
        let next = self.items.get(at + offset);
        next.is_some_and(|next| next.before == Break::None && self.form(next).eq_ignore_ascii_case(word))
    }

    /// Lets a clause begin at a token, unless it is the first.
    pub(super) fn begin_clause(&mut self, at: usize) {
        if at > 0 {
            let before = &mut self.items[at].before;
            *before = (*before).max(Break::Clause);
        }
    }

    /// The tokens of a sentence before one of it.
    pub(super) fn sentence_before(&self, at: usize) -> Range<usize> {
        let begins = |at: &usize| *at == 0 || self.items[*at].before == Break::Sentence;
        (0..=at).rev().find(begins).unwrap_or(at)..at
    }

    /// The tokens from one on that follow in the same clause, of which at most so many.
    pub(super) fn clause_from(&self, at: usize, most: usize) -> Range<usize> {
        let follow = self.items[at..].iter().take(most).take_while(|token| token.before == Break::None);
        at..at + follow.count()
    }

    /// Lets tokens count no more than this.
    pub(super) fn weaken(&mut self, places: Range<usize>, counts: Counts) {
        self.items[places].iter_mut().for_each(|token| token.counts = token.counts.min(counts));
    }

    /// Puts one token of this form in the place of several, and tells of the step that it is.
    pub(super) fn merge<L: Listen>(
        &mut self,
        places: Range<usize>,
        (form, kind): (&str, Kind),
        (step, listen): (Step, &mut L),
    ) {
        let (first, start) = (places.start, self.forms.len() as u32);
        let end = self.items[places.end - 1].end;
        self.forms.push_str(form);
        self.items.drain(first + 1..places.end);
        let form = (start, self.forms.len() as u32);
        let token = &mut self.items[first];
        (token.end, token.form, token.kind) = (end, form, kind);
        listen.told(step, token.start as usize, end as usize);
    }

    pub(super) fn clear(&mut self) {
        self.items.clear();
        self.forms.clear();
    }
}
