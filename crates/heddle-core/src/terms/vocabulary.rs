//! Terms as paths of tokens, and the walk from a review's tokens to its terms.

use rustc_hash::FxHashMap;

use super::corpus::{SENTENCE_END, TokenId, UNKNOWN, plain};
use super::weigh::Weighting;
use crate::matrix::Entry;
use crate::text::negate::Style;

/// No term.
pub(crate) const NONE: u32 = u32::MAX;

/// Terms numbered by falling document count, ties in alphabetical order word by word with
/// the plain word before the negated one.
///
/// A term of n words is its first n - 1 words (its parent, always a term of the list and
/// numbered before it) and one more token. The numbering does not depend on threads or on
/// the order of the reviews.
#[derive(Debug, Clone, Default)]
pub struct Vocabulary {
    parents: Vec<u32>,
    tokens: Vec<TokenId>,
    lengths: Vec<u8>,
    /// By token id: the term of that single token.
    singles: Vec<u32>,
    /// By parent and token: the longer term.
    longer: FxHashMap<u64, u32>,
}

impl Vocabulary {
    /// The vocabulary of the terms given as (parent, last token), in order; a single token
    /// has no parent.
    ///
    /// # Panics
    /// If a parent does not stand before its term.
    pub fn new(terms: impl IntoIterator<Item = (Option<u32>, TokenId)>) -> Self {
        let mut list = Self::default();
        for (term, (parent, token)) in terms.into_iter().enumerate() {
            let term = term as u32;
            list.tokens.push(token);
            if let Some(parent) = parent {
                assert!(parent < term, "term {term} has parent {parent}, which does not stand before it");
                list.lengths.push(list.lengths[parent as usize] + 1);
                list.parents.push(parent);
                list.longer.insert(pair(parent, token), term);
            } else {
                list.lengths.push(1);
                list.parents.push(NONE);
                let place = token as usize;
                if place >= list.singles.len() {
                    list.singles.resize(place + 1, NONE);
                }
                list.singles[place] = term;
            }
        }
        list
    }

    /// The number of terms.
    pub fn len(&self) -> usize {
        self.tokens.len()
    }

    /// Whether there are no terms.
    pub fn is_empty(&self) -> bool {
        self.tokens.is_empty()
    }

    /// The term without its last word, if it has several.
    pub fn parent(&self, term: u32) -> Option<u32> {
        Some(self.parents[term as usize]).filter(|parent| *parent != NONE)
    }

    /// The last token of a term.
    pub fn last_token(&self, term: u32) -> TokenId {
        self.tokens[term as usize]
    }

    /// The length of a term, in words.
    pub fn words(&self, term: u32) -> usize {
        self.lengths[term as usize].into()
    }

    /// The tokens of a term, first to last.
    pub fn tokens(&self, term: u32) -> Vec<TokenId> {
        let mut path = vec![self.last_token(term)];
        let mut at = term;
        while let Some(parent) = self.parent(at) {
            path.push(self.last_token(parent));
            at = parent;
        }
        path.reverse();
        path
    }

    /// The term of a single token.
    pub fn single(&self, token: TokenId) -> Option<u32> {
        self.singles.get(token as usize).copied().filter(|term| *term != NONE)
    }

    /// The term of `parent` followed by `token`.
    pub fn longer(&self, parent: u32, token: TokenId) -> Option<u32> {
        self.longer.get(&pair(parent, token)).copied()
    }

    /// Calls `found` for each term of at most `longest` words in `ids`, with the index of
    /// its first token and its length in words, in the order of the first tokens. Under
    /// [`Style::Both`] a negated token is followed by its plain form.
    pub(crate) fn walk(
        &self,
        ids: &[TokenId],
        longest: usize,
        style: Style,
        mut found: impl FnMut(u32, usize, usize),
    ) {
        for first in 0..ids.len() {
            let id = ids[first];
            if id == SENTENCE_END || id == UNKNOWN {
                continue;
            }
            if let Some(mut term) = self.single(id) {
                found(term, first, 1);
                for (more, &next) in ids[first + 1..].iter().take(longest - 1).enumerate() {
                    if next == SENTENCE_END || next == UNKNOWN {
                        break;
                    }
                    let Some(longer) = self.longer(term, next) else { break };
                    term = longer;
                    found(term, first, more + 2);
                }
            }
            if style == Style::Both
                && plain(id) != id
                && let Some(term) = self.single(plain(id))
            {
                found(term, first, 1);
            }
        }
    }
}

fn pair(parent: u32, token: TokenId) -> u64 {
    u64::from(parent) << 32 | u64::from(token)
}

/// Turns a review's tokens into a row; kept and refilled.
#[derive(Debug, Clone)]
pub(crate) struct RowMaker {
    /// By term: its place in `row` plus one, or 0.
    places: Vec<u32>,
    row: Vec<(u32, u32)>,
}

impl RowMaker {
    pub(crate) fn new(terms: usize) -> Self {
        Self { places: vec![0; terms], row: Vec::new() }
    }

    /// Appends the term factors of one review to `entries`: each term once, in the order of
    /// first use.
    pub(crate) fn put(
        &mut self,
        vocabulary: &Vocabulary,
        ids: &[TokenId],
        (shortest, longest): (usize, usize),
        style: Style,
        weighting: Weighting,
        entries: &mut Vec<Entry>,
    ) {
        let Self { places, row } = self;
        vocabulary.walk(ids, longest, style, |term, _, length| {
            if length < shortest {
                return;
            }
            let place = &mut places[term as usize];
            if *place == 0 {
                row.push((term, 0));
                *place = row.len() as u32;
            }
            row[*place as usize - 1].1 += 1;
        });
        for (term, count) in row.drain(..) {
            places[term as usize] = 0;
            entries.push(Entry { column: term, value: weighting.term_factor(count) });
        }
    }
}
