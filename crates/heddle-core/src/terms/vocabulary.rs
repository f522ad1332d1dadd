//! Terms as paths of tokens, and the walk from a review's tokens to its terms.

use std::sync::OnceLock;

use rustc_hash::FxHashMap;

use super::letters::Letters;
use super::rules::TermRules;
use super::term_id::TermId;
use super::token_id::TokenId;
use super::weigh::Shape;
use crate::matrix::Entry;
use crate::text::negate::Style;

/// Terms numbered by falling document count; ties by length, then in alphabetical order word
/// by word with the plain word before the negated one.
///
/// A term of n words is its first n - 1 words (its parent, always a term of the list and
/// numbered before it) and one more token. The numbering does not depend on threads or on
/// the order of the reviews.
#[derive(Debug, Clone, Default)]
pub struct Vocabulary {
    parents: Vec<TermId>,
    tokens: Vec<TokenId>,
    /// By term: its length in words; 0 for an n-gram of letters.
    lengths: Vec<u8>,
    /// By token id: the term of that single token.
    singles: Vec<TermId>,
    /// By parent and token: the longer term. Made when it is first asked for.
    longer: OnceLock<FxHashMap<u64, TermId>>,
    /// The power of two of the columns that terms share, where they are hashed: then a "token"
    /// is a column, and every term a single one.
    hashed: u32,
}

impl Vocabulary {
    /// The vocabulary of the terms given as (parent, last token), in order; a single token
    /// has no parent. `is_gram` tells which single tokens are n-grams of letters.
    ///
    /// # Panics
    /// If a parent does not stand before its term.
    pub(crate) fn new(
        terms: impl IntoIterator<Item = (Option<TermId>, TokenId)>,
        is_gram: impl Fn(TokenId) -> bool,
    ) -> Self {
        let mut list = Self::default();
        for (term, (parent, token)) in terms.into_iter().enumerate() {
            let term = TermId::new(term as u32);
            list.tokens.push(token);
            if let Some(parent) = parent {
                assert!(parent < term, "the parent of term {} does not stand before it", term.column());
                list.lengths.push(list.lengths[parent.place()] + 1);
                list.parents.push(parent);
            } else {
                list.lengths.push(u8::from(!is_gram(token)));
                list.parents.push(TermId::NONE);
                let place = token.place();
                if place >= list.singles.len() {
                    list.singles.resize(place + 1, TermId::NONE);
                }
                list.singles[place] = term;
            }
        }
        list
    }

    /// Columns that hashed terms share: these of 2^`bits`, in order.
    pub(crate) fn of_columns(columns: impl IntoIterator<Item = u32>, bits: u32) -> Self {
        Self {
            hashed: bits,
            ..Self::new(columns.into_iter().map(|column| (None, TokenId::from_bits(column))), |_| false)
        }
    }

    /// Whether terms are hashed: they have no names then.
    pub fn is_hashed(&self) -> bool {
        self.hashed > 0
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
    pub fn parent(&self, term: TermId) -> Option<TermId> {
        self.parents[term.place()].some()
    }

    /// The last token of a term; its column where terms are hashed.
    pub fn last_token(&self, term: TermId) -> TokenId {
        self.tokens[term.place()]
    }

    /// The length of a term, in words; 0 for an n-gram of letters.
    pub fn words(&self, term: TermId) -> usize {
        self.lengths[term.place()].into()
    }

    /// The tokens of a term, first to last.
    pub fn tokens(&self, term: TermId) -> Vec<TokenId> {
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
    pub fn single(&self, token: TokenId) -> Option<TermId> {
        self.singles.get(token.place()).and_then(|term| term.some())
    }

    /// The term of `parent` followed by `token`.
    pub fn longer(&self, parent: TermId, token: TokenId) -> Option<TermId> {
        let longer = self.longer.get_or_init(|| {
            let term = |term: TermId| (self.parents[term.place()], self.tokens[term.place()]);
            let terms = TermId::all(self.len()).filter(|at| self.parent(*at).is_some());
            terms.map(|at| (pair(term(at)), at)).collect()
        });
        longer.get(&pair((parent, token))).copied()
    }

    /// The term of a path of tokens.
    pub fn of_path(&self, path: &[TokenId]) -> Option<TermId> {
        let (first, rest) = path.split_first()?;
        rest.iter().try_fold(self.single(*first)?, |term, token| self.longer(term, *token))
    }
}

fn pair((parent, token): (TermId, TokenId)) -> u64 {
    u64::from(parent.column()) << 32 | u64::from(token.bits())
}

/// A way from the tokens of a review to terms.
pub(crate) trait Paths {
    /// An n-gram on the way.
    type Path: Copy;

    /// The n-gram of the one token at `at`.
    fn begin(&self, at: usize, id: TokenId) -> Option<Self::Path>;

    /// The n-gram that `path`, which begins at `first`, is with the token after it.
    fn go_on(&self, path: Self::Path, first: usize, length: usize, next: TokenId) -> Option<Self::Path>;

    /// The term of an n-gram, if it is one.
    fn term(&self, path: Self::Path) -> Option<TermId>;

    /// The n-grams of letters of the token at `at`, as places of words.
    fn letters(&self, at: usize, id: TokenId) -> &[u32];
}

/// Calls `found` for each n-gram of at most `longest` words in `ids`, and for each n-gram of
/// letters, with its term, the index of its first token, its length in words (0 for letters)
/// and what it adds to the count of the term, in the order of the first tokens. A negated
/// token is followed by its plain form where the style asks for that.
pub(crate) fn walk<P: Paths>(
    paths: &P,
    ids: &[TokenId],
    longest: usize,
    style: Style,
    mut found: impl FnMut(TermId, usize, usize, i32),
) {
    let mut tell = |path: P::Path, first: usize, length: usize, part: i32| {
        if let Some(term) = paths.term(path) {
            found(term, first, length, part);
        }
    };
    for first in 0..ids.len() {
        let id = ids[first];
        if id.is_sentence_end() {
            continue;
        }
        if let Some(mut path) = paths.begin(first, id) {
            tell(path, first, 1, 1);
            for (more, &next) in ids[first + 1..].iter().take(longest - 1).enumerate() {
                if next.is_sentence_end() || next.is_unknown() {
                    break;
                }
                let Some(longer) = paths.go_on(path, first, more + 1, next) else { break };
                path = longer;
                tell(path, first, more + 2, 1);
            }
        }
        for &gram in paths.letters(first, id) {
            if let Some(path) = paths.begin(first, id.with_word(gram)) {
                tell(path, first, 0, 1);
            }
        }
        if style != Style::Mark
            && !id.is_unknown()
            && id.is_negated()
            && let Some(path) = paths.begin(first, id.plain())
        {
            tell(path, first, 1, style.plain_part());
        }
    }
}

/// The column of an n-gram of hashed tokens: 64 bits that every token stirs, of which the
/// highest count.
pub(crate) fn hash_begin(id: TokenId) -> u64 {
    hash_on(0x9e37_79b9_7f4a_7c15, id)
}

/// As [`hash_begin`], one token further.
pub(crate) fn hash_on(path: u64, id: TokenId) -> u64 {
    let stirred = (path ^ u64::from(id.bits())).wrapping_mul(0xff51_afd7_ed55_8ccd);
    (stirred ^ (stirred >> 32)).wrapping_mul(0xc4ce_b9fe_1a85_ec53).rotate_left(29)
}

/// The column of a hashed n-gram, of 2^`bits`.
pub(crate) fn hash_column(path: u64, bits: u32) -> u32 {
    (path >> (64 - bits)) as u32
}

/// The terms of a vocabulary, for reviews that come one at a time.
pub(crate) struct Listed<'a> {
    pub(crate) vocabulary: &'a Vocabulary,
    /// By token: its n-grams of letters.
    pub(crate) letters: &'a Letters,
}

impl Paths for Listed<'_> {
    /// A term, or the hash of an n-gram.
    type Path = u64;

    fn begin(&self, _: usize, id: TokenId) -> Option<u64> {
        if self.vocabulary.hashed > 0 {
            return Some(hash_begin(id));
        }
        self.vocabulary.single(id).map(|term| term.column().into())
    }

    fn go_on(&self, path: u64, _: usize, _: usize, next: TokenId) -> Option<u64> {
        if self.vocabulary.hashed > 0 {
            return Some(hash_on(path, next));
        }
        self.vocabulary.longer(TermId::new(path as u32), next).map(|term| term.column().into())
    }

    fn term(&self, path: u64) -> Option<TermId> {
        match self.vocabulary.hashed {
            0 => Some(TermId::new(path as u32)),
            bits => self.vocabulary.single(TokenId::from_bits(hash_column(path, bits))),
        }
    }

    fn letters(&self, at: usize, _: TokenId) -> &[u32] {
        self.letters.of(at as u32)
    }
}

/// Turns a review's tokens into a row; kept and refilled.
#[derive(Debug, Clone)]
pub(crate) struct RowMaker<'a> {
    rules: &'a TermRules,
    style: Style,
    /// By term: its place in the row plus one, or 0.
    places: Vec<u32>,
}

impl<'a> RowMaker<'a> {
    pub(crate) fn new(terms: usize, rules: &'a TermRules, style: Style) -> Self {
        Self { rules, style, places: vec![0; terms] }
    }

    /// Appends the term factors of one review to `entries`: each term that its way leads to once,
    /// in the order of first use.
    pub(crate) fn put<P: Paths>(
        &mut self,
        paths: &P,
        ids: &[TokenId],
        shape: Shape,
        entries: &mut Vec<Entry>,
    ) {
        let Self { rules, style, places } = self;
        let start = entries.len();
        // Until the row is whole, its values are counts: small whole numbers, exact in 32 bits.
        // A list has no term of a length that the rules do not take; columns have every n-gram.
        let shortest = if rules.hashed > 0 { rules.shortest() } else { 0 };
        walk(paths, ids, rules.longest(), *style, |term, _, length, part| {
            if length < shortest {
                return;
            }
            let place = &mut places[term.place()];
            if *place == 0 {
                entries.push(Entry { column: term.column(), value: part as f32 });
                *place = (entries.len() - start) as u32;
            } else {
                entries[start + *place as usize - 1].value += part as f32;
            }
        });
        for entry in &mut entries[start..] {
            places[entry.column as usize] = 0;
            if entry.value != 1.0 || !rules.weighting.keeps_one() {
                entry.value = rules.weighting.term_factor(entry.value as i32, shape);
            }
        }
    }
}
