//! Terms as paths of tokens, and the walk from a review's tokens to its terms.

use std::sync::OnceLock;

use super::encode::Encoded;
use super::lookup::{Lookup, SoughtTerm};
use super::made_of::MadeOf;
use super::rules::TermRules;
use super::subwords::Subwords;
use super::term_id::TermId;
use super::token_id::TokenId;
use super::weigh::Shape;
use crate::ahead::{STEPS, ask};
use crate::matrix::Entry;
use crate::text::negation::Plainly;

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
    /// By term: what it is made of, and whether one of its words is negated.
    made_of: Vec<(MadeOf, bool)>,
    /// By token id: the term of that single token.
    singles: Vec<TermId>,
    /// Whether a single token is two terms.
    twice: bool,
    /// By parent and token: the longer term. Made when it is first asked for.
    longer: OnceLock<Lookup>,
    /// The power of two of the columns that terms share, where they are hashed: then a "token"
    /// is a column, and every term a single one.
    hashed: u32,
}

impl Vocabulary {
    /// The vocabulary of the terms given by parent ([`TermId::NONE`] for a single token) and last
    /// token, in order. `made_of` tells what a single token is.
    ///
    /// # Panics
    /// If a parent does not stand before its term, or there is not one for each term.
    pub(crate) fn new(
        parents: Vec<TermId>,
        tokens: Vec<TokenId>,
        made_of: impl Fn(TokenId) -> MadeOf,
    ) -> Self {
        assert_eq!(parents.len(), tokens.len(), "parents and tokens");
        let mut list = Self { made_of: Vec::with_capacity(parents.len()), ..Self::default() };
        for ((term, parent), token) in TermId::all(parents.len()).zip(&parents).zip(&tokens) {
            if let Some(parent) = parent.some() {
                assert!(parent < term, "the parent of term {} does not stand before it", term.column());
                let (head, negated) = list.made_of[parent.place()];
                list.made_of.push((MadeOf::Words(head.words() as u8 + 1), negated || token.is_negated()));
                continue;
            }
            list.made_of.push((made_of(*token), token.is_negated()));
            let place = token.place();
            if place >= list.singles.len() {
                list.singles.resize(place + 1, TermId::NONE);
            }
            list.twice |= std::mem::replace(&mut list.singles[place], term) != TermId::NONE;
        }
        Self { parents, tokens, ..list }
    }

    /// Columns that hashed terms share: these of 2^`bits`, in order.
    pub(crate) fn of_columns(columns: impl IntoIterator<Item = u32>, bits: u32) -> Self {
        let tokens: Vec<TokenId> = columns.into_iter().map(TokenId::from_bits).collect();
        Self { hashed: bits, ..Self::new(vec![TermId::NONE; tokens.len()], tokens, |_| MadeOf::Words(1)) }
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

    /// The length of a term, in words; 0 for a part of a word.
    pub fn words(&self, term: TermId) -> usize {
        self.made_of(term).words()
    }

    /// What a term is made of.
    pub fn made_of(&self, term: TermId) -> MadeOf {
        self.made_of[term.place()].0
    }

    /// Whether one of the words of a term is negated; of a column that terms share it tells nothing.
    pub fn is_negated(&self, term: TermId) -> bool {
        self.made_of[term.place()].1
    }

    /// The tokens of a term, first to last.
    pub fn tokens(&self, term: TermId) -> Vec<TokenId> {
        let mut path: Vec<TokenId> = self.backwards(term).collect();
        path.reverse();
        path
    }

    /// The tokens of a term, last to first.
    pub(crate) fn backwards(&self, term: TermId) -> impl Iterator<Item = TokenId> {
        std::iter::successors(Some(term), |at| self.parent(*at)).map(|at| self.last_token(at))
    }

    /// The term of a single token.
    #[inline]
    pub fn single(&self, token: TokenId) -> Option<TermId> {
        self.singles.get(token.place()).and_then(|term| term.some())
    }

    /// Asks for what [`single`](Self::single) will need.
    #[inline]
    pub(crate) fn ask_single(&self, token: TokenId) {
        ask(&self.singles, token.place());
    }

    /// The term of `parent` followed by `token`.
    pub fn longer(&self, parent: TermId, token: TokenId) -> Option<TermId> {
        self.lookup().find(parent, token)
    }

    /// The same, ready for look-ups: by a table that was made of the same terms, or by one that is made now.
    pub(crate) fn ready(self, made: Option<Lookup>) -> Self {
        let longer = made.unwrap_or_else(|| Lookup::new(&self.parents, &self.tokens));
        Self { longer: longer.into(), ..self }
    }

    /// Whether a term stands in it twice. Makes ready for look-ups.
    pub(crate) fn has_doubles(&self) -> bool {
        self.twice || self.lookup().has_doubles()
    }

    /// The table of its n-grams of two words and more.
    pub fn lookup(&self) -> &Lookup {
        self.longer.get_or_init(|| Lookup::new(&self.parents, &self.tokens))
    }

    /// The parents of all terms, [`TermId::NONE`] for single tokens, and their last tokens.
    pub fn paths(&self) -> (&[TermId], &[TokenId]) {
        (&self.parents, &self.tokens)
    }

    /// The term of a path of tokens.
    pub fn of_path(&self, path: &[TokenId]) -> Option<TermId> {
        let (first, rest) = path.split_first()?;
        rest.iter().try_fold(self.single(*first)?, |term, token| self.longer(term, *token))
    }
}

/// A way from the tokens of a review to terms.
pub(crate) trait Paths {
    /// An n-gram on the way.
    type Path: Copy;

    /// The n-gram of a token alone.
    fn alone(&self, id: TokenId) -> Option<Self::Path>;

    /// The n-gram of the token at `at` alone.
    fn begin(&self, _at: usize, id: TokenId) -> Option<Self::Path> {
        self.alone(id)
    }

    /// The n-gram that `path`, which begins at `first`, is with the token after it.
    fn go_on(&self, path: Self::Path, first: usize, length: usize, next: TokenId) -> Option<Self::Path>;

    /// The term of an n-gram, if it is one.
    fn term(&self, path: Self::Path) -> Option<TermId>;

    /// Asks for what the n-grams that begin at `at` will need.
    fn ask(&self, _at: usize, _longest: usize) {}

    /// The parts of the token at `at` that are terms, as places of words.
    fn subwords(&self, at: usize, id: TokenId) -> &[u32];
}

/// Calls `found` for each n-gram of at most `longest` words in a review, and for each part of a word, with its term,
/// the index of its first token, its length in words (0 for a part of a word) and what it adds to the count of the
/// term, in the order of the first tokens. A negated token is followed by what it adds to what is not negated, if anything.
pub(crate) fn walk<P: Paths>(
    paths: &P,
    review: Encoded<'_>,
    longest: usize,
    plainly: Plainly,
    mut found: impl FnMut(TermId, usize, usize, f32),
) {
    let ids = review.ids;
    let mut tell = |path: P::Path, first: usize, length: usize, part: i32| {
        if let Some(term) = paths.term(path) {
            found(term, first, length, part as f32 * review.share(first, length));
        }
    };
    for first in 0..ids.len() {
        paths.ask(first + STEPS, longest);
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
        let plainly = if id.is_negated() { plainly } else { Plainly::default() };
        for &part in paths.subwords(first, id) {
            let part = id.with_word(part);
            if let Some(path) = paths.alone(part) {
                tell(path, first, 0, 1);
            }
            if plainly.subwords != 0
                && let Some(path) = paths.alone(part.plain())
            {
                tell(path, first, 0, plainly.subwords);
            }
        }
        if plainly.word != 0
            && !id.is_unknown()
            && let Some(path) = paths.alone(id.plain())
        {
            tell(path, first, 1, plainly.word);
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

/// By length and by place in a review: the term that begins there. Kept and refilled.
#[derive(Debug, Clone, Default)]
pub(crate) struct Begins {
    lengths: Vec<Vec<TermId>>,
    sought: Vec<SoughtTerm>,
}

impl Begins {
    /// Looks up every n-gram of at most `longest` tokens, one length at a time: look-ups that do not wait
    /// for each other are made together.
    pub(crate) fn find(&mut self, vocabulary: &Vocabulary, ids: &[TokenId], longest: usize) {
        if vocabulary.is_hashed() {
            return;
        }
        let Self { lengths, sought } = self;
        lengths.resize_with(longest, Vec::new);
        let single = |id: &TokenId| vocabulary.single(*id).unwrap_or(TermId::NONE);
        lengths[0].clear();
        lengths[0].extend(ids.iter().map(single));
        for length in 1..longest {
            // No term goes on behind a sentence: no token of a term stands for its end.
            let [.., parents, found] = &mut lengths[..=length] else { return };
            let next = ids.get(length..).unwrap_or_default();
            vocabulary.lookup().find_all(&parents[..next.len()], next, (sought, found));
        }
    }

    /// The term of `length` tokens that begins at a place.
    fn at(&self, length: usize, place: usize) -> Option<TermId> {
        self.lengths[length - 1].get(place).and_then(|term| term.some())
    }
}

/// The terms of a vocabulary, for reviews that come one at a time.
pub(crate) struct Listed<'a> {
    pub(crate) vocabulary: &'a Vocabulary,
    /// By token: its parts.
    pub(crate) subwords: &'a Subwords,
    /// What was found of the review.
    pub(crate) begins: &'a Begins,
}

impl Paths for Listed<'_> {
    /// A term, or the hash of an n-gram.
    type Path = u64;

    fn alone(&self, id: TokenId) -> Option<u64> {
        if self.vocabulary.hashed > 0 {
            return Some(hash_begin(id));
        }
        self.vocabulary.single(id).map(|term| term.column().into())
    }

    fn begin(&self, at: usize, id: TokenId) -> Option<u64> {
        if self.vocabulary.hashed > 0 {
            return Some(hash_begin(id));
        }
        self.begins.at(1, at).map(|term| term.column().into())
    }

    fn go_on(&self, path: u64, first: usize, length: usize, next: TokenId) -> Option<u64> {
        if self.vocabulary.hashed > 0 {
            return Some(hash_on(path, next));
        }
        self.begins.at(length + 1, first).map(|term| term.column().into())
    }

    fn term(&self, path: u64) -> Option<TermId> {
        match self.vocabulary.hashed {
            0 => Some(TermId::new(path as u32)),
            bits => self.vocabulary.single(TokenId::from_bits(hash_column(path, bits))),
        }
    }

    fn subwords(&self, at: usize, _: TokenId) -> &[u32] {
        self.subwords.of(at as u32)
    }
}

/// By column of the present row, its place there. Kept from row to row and never emptied: what an earlier row left
/// there is told by its stamp. It stays in the first-level cache, whatever the number of columns.
#[derive(Debug, Clone)]
struct Places {
    /// A power of two of columns, each with a stamp: the place in the row, and what the stamps of the row begin at.
    slots: Vec<(u32, u32)>,
    first: u32,
}

impl Places {
    const FEWEST: usize = 1 << 11;

    fn new() -> Self {
        Self { slots: vec![(0, 0); Self::FEWEST], first: 1 }
    }

    /// Forgets a row of so many entries.
    fn clear(&mut self, entries: usize) {
        let next = u64::from(self.first) + entries as u64;
        // All stamps of the next row are to be numbers, too.
        if next + self.slots.len() as u64 > u32::MAX.into() {
            self.slots.fill((0, 0));
            self.first = 1;
        } else {
            self.first = next as u32;
        }
    }

    /// The place of a column; that behind these entries if it is new. Whether it is new is random, so that it is not
    /// guessed.
    #[inline]
    fn of(&mut self, column: u32, entries: &[Entry]) -> usize {
        if entries.len() * 4 >= self.slots.len() {
            self.grow(entries);
        }
        let (at, next) = (self.first_slot(column), entries.len());
        let (own, stamp) = self.slots[at];
        let stale = stamp < self.first;
        if !stale & (own != column) {
            return self.search(column, at, next);
        }
        let place = if stale { next } else { (stamp - self.first) as usize };
        self.slots[at] = (column, self.first + place as u32);
        place
    }

    #[inline]
    fn first_slot(&self, column: u32) -> usize {
        let bits = self.slots.len().trailing_zeros();
        (column.wrapping_mul(0x9e37_79b1) >> (u32::BITS - bits)) as usize
    }

    /// As [`of`](Self::of), from the slot of another column on.
    #[cold]
    fn search(&mut self, column: u32, mut at: usize, next: usize) -> usize {
        let Self { slots, first } = self;
        loop {
            at = (at + 1) & (slots.len() - 1);
            match slots[at] {
                (_, stamp) if stamp < *first => {
                    slots[at] = (column, *first + next as u32);
                    return next;
                }
                (own, stamp) if own == column => return (stamp - *first) as usize,
                _ => {}
            }
        }
    }

    #[cold]
    fn grow(&mut self, entries: &[Entry]) {
        self.slots = vec![(0, 0); self.slots.len() * 2];
        self.first = 1; // so that stamps stay numbers, however long the row
        for (place, own) in entries.iter().enumerate() {
            self.of(own.column, &entries[..place]);
        }
    }
}

/// Turns a review's tokens into a row; kept and refilled.
#[derive(Debug, Clone)]
pub(crate) struct RowMaker<'a> {
    rules: &'a TermRules,
    plainly: Plainly,
    places: Places,
}

impl<'a> RowMaker<'a> {
    pub(crate) fn new(rules: &'a TermRules, plainly: Plainly) -> Self {
        Self { rules, plainly, places: Places::new() }
    }

    /// Appends the term factors of one review to `entries`: each term that its way leads to once,
    /// in the order of first use.
    pub(crate) fn put<P: Paths>(
        &mut self,
        paths: &P,
        review: Encoded<'_>,
        shape: Shape,
        entries: &mut Vec<Entry>,
    ) {
        let Self { rules, plainly, places } = self;
        let start = entries.len();
        // Until the row is whole, its values are counts: small numbers of halves, exact in 32 bits.
        // A list has no term of a length that the rules do not take; columns have every n-gram.
        let shortest = if rules.hashed > 0 { rules.shortest() } else { 0 };
        walk(paths, review, rules.longest(), *plainly, |term, _, length, adds| {
            if length < shortest {
                return;
            }
            let place = places.of(term.column(), &entries[start..]);
            let next = entries.len();
            entries.push(Entry { column: term.column(), value: 0.0 });
            entries[start + place].value += adds;
            // What was pushed stays if it is new.
            entries.truncate(next + usize::from(start + place == next));
        });
        places.clear(entries.len() - start);
        for entry in &mut entries[start..] {
            if entry.value != 1.0 || !rules.weighting.keeps_one() {
                entry.value = rules.weighting.term_factor(entry.value, shape);
            }
        }
    }
}
