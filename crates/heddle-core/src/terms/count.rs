//! From a corpus to its terms and their matrix.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashSet;

use super::corpus::Corpus;
use super::grams::{Grams, NONE, Ordered};
use super::made_of::LONGEST;
use super::names::{path_of, path_spelled};
use super::rules::TermRules;
use super::subwords::is_subword;
use super::term_id::TermId;
use super::token_id::TokenId;
use super::vocabulary::{Paths, RowMaker, Vocabulary, hash_begin, hash_column, hash_on};
use super::weigh::Shape;
use crate::ahead::ask;
use crate::beside::Beside;
use crate::matrix::{CHUNK, Chunk, Entry, Rows};
use crate::terms::vectors::VectorBags;

/// All terms that reach the floor in the whole corpus, and the matrix of their term
/// factors. Which of them a model uses is decided on its own training rows alone.
#[derive(Debug, Clone)]
pub struct Counted {
    /// The terms.
    pub vocabulary: Vocabulary,
    /// Reviews x terms, those of copies behind those of reviews: term factors (the first SMART letter).
    pub rows: Rows,
    /// The rules by which it was counted.
    pub rules: TermRules,
    /// The words that were seen, terms or not.
    pub words_seen: usize,
    /// Names of `terms.include`, `terms.only` and `terms.exclude` that no review holds.
    pub unknown_names: Vec<String>,
    pub(crate) included: FxHashSet<TermId>,
    pub(crate) excluded: FxHashSet<TermId>,
    /// The terms that `terms.only` names, where there is such a list.
    pub(crate) only: Option<FxHashSet<TermId>>,
    /// By term: its place in the alphabet among terms of its length, which orders any two terms
    /// alike in every training part.
    pub(crate) alphabet: Vec<u64>,
    /// What the reviews have in the columns that count beside the text.
    pub(crate) beside: Arc<Beside>,
    /// Which words with vectors they have, where vectors count.
    pub(crate) vectors: Option<Arc<VectorBags>>,
}

/// The paths of the terms that rules name, as far as all their words are known.
pub(super) struct Named {
    included: Vec<Option<Vec<TokenId>>>,
    excluded: Vec<Option<Vec<TokenId>>>,
    only: Vec<Option<Vec<TokenId>>>,
}

impl Named {
    /// What is counted however rare it is: an n-gram is counted where both its halves are, so that a named one needs all
    /// that it holds.
    pub(super) fn paths(&self) -> impl Iterator<Item = &[TokenId]> {
        let whole = self.included.iter().chain(&self.only).flatten();
        whole.flat_map(|path| (0..path.len()).map(move |first| &path[first..]))
    }
}

impl Counted {
    /// Counts the n-grams of a corpus and builds the matrix.
    ///
    /// Two passes over the token ids for each length above one, and one for the matrix. The peak beside
    /// the corpus is 4 bytes a token for each length above one, and the matrix with 8 bytes an entry.
    pub fn new(corpus: &Corpus, rules: &TermRules) -> Self {
        let longest = rules.longest();
        assert!((1..=LONGEST).contains(&longest), "n-grams of {longest} words: at most {LONGEST}");
        if rules.hashed > 0 {
            return Self::hashed(corpus, rules);
        }
        let named = Self::named(corpus, rules);
        let grams = Grams::count(corpus, rules, &named.paths().collect::<Vec<_>>());
        let ordered = grams.ordered(corpus);
        let vocabulary = &ordered.vocabulary;
        // An n-gram whose length is none of the rules only begins longer ones.
        let taken = |term: &TermId| if rules.takes(vocabulary.words(*term)) { *term } else { TermId::NONE };
        let terms: Vec<TermId> = ordered.terms.iter().map(taken).collect();
        let rows = {
            let numbered =
                |row: usize| Numbered { grams: &grams, terms: &terms, corpus, base: corpus.starts[row] };
            matrix(corpus, rules, vocabulary.len(), numbered)
        };
        drop(grams);
        Self { rows, ..Self::assembled(corpus, (rules, corpus.len()), named, ordered) }
    }

    /// The terms that the rules name.
    pub(super) fn named(corpus: &Corpus, rules: &TermRules) -> Named {
        let longest = rules.longest();
        let path = |name: &String| {
            let path =
                path_of(name, &corpus.rules.cleaner, &corpus.rules.fields, |word| corpus.words.place(word));
            path.filter(|path| path.len() <= longest)
        };
        let spelled = |term: &String| {
            let path = path_spelled(term, |word| corpus.words.place(word));
            path.filter(|path| path.len() <= longest)
        };
        Named {
            included: rules.include.iter().map(path).collect(),
            excluded: rules.exclude.iter().map(path).collect(),
            only: rules.only.iter().map(spelled).collect(),
        }
    }

    /// What the terms of so many reviews come to, without rows.
    pub(super) fn assembled(
        corpus: &Corpus,
        (rules, reviews): (&TermRules, usize),
        named: Named,
        ordered: Ordered,
    ) -> Self {
        let Ordered { vocabulary, alphabet, .. } = ordered;
        let terms = |paths: Vec<Option<Vec<TokenId>>>| -> Vec<Option<TermId>> {
            paths.iter().map(|path| vocabulary.of_path(path.as_deref()?)).collect()
        };
        let [included, excluded, only] = [named.included, named.excluded, named.only].map(terms);
        let names = [(&rules.include, &included), (&rules.only, &only), (&rules.exclude, &excluded)];
        let names = names.into_iter().flat_map(|(names, terms)| names.iter().zip(terms));
        Self {
            rows: Rows::new([], Vec::new(), vocabulary.len()),
            rules: in_force(reviews, rules),
            words_seen: corpus.words.iter().filter(|word| !is_subword(word)).count(),
            unknown_names: names.filter(|(_, term)| term.is_none()).map(|(name, _)| name.clone()).collect(),
            included: included.into_iter().flatten().collect(),
            excluded: excluded.into_iter().flatten().collect(),
            only: (!rules.only.is_empty()).then(|| only.into_iter().flatten().collect()),
            alphabet,
            beside: Arc::clone(&corpus.beside),
            vectors: corpus.vectors.clone(),
            vocabulary,
        }
    }

    /// The matrix of terms that share 2^bits columns: nothing is counted beforehand.
    fn hashed(corpus: &Corpus, rules: &TermRules) -> Self {
        Self {
            rows: hashed_rows(corpus, rules),
            beside: Arc::clone(&corpus.beside),
            vectors: corpus.vectors.clone(),
            ..Self::of_columns(rules, corpus.len())
        }
    }

    /// The columns that hashed terms share, of so many reviews, whose rows are elsewhere.
    pub(crate) fn of_columns(rules: &TermRules, reviews: usize) -> Self {
        let columns = 1u32 << rules.hashed;
        Self {
            vocabulary: Vocabulary::of_columns(0..columns, rules.hashed),
            rows: Rows::new([], Vec::new(), columns as usize),
            rules: in_force(reviews, rules),
            words_seen: 0,
            unknown_names: Vec::new(),
            included: FxHashSet::default(),
            excluded: FxHashSet::default(),
            only: None,
            alphabet: (0..u64::from(columns)).collect(),
            beside: Arc::default(),
            vectors: None,
        }
    }

    /// Drops the matrix, once weights are learnt: a model is made of terms, and the matrix is most of what there is.
    pub fn forget_rows(&mut self) {
        self.rows = Rows::new([], Vec::new(), self.rows.columns());
    }

    /// Whether a term has one of the lengths asked for. Columns of hashed terms hold no others.
    pub(crate) fn takes(&self, term: TermId) -> bool {
        self.vocabulary.is_hashed() || self.rules.takes(self.vocabulary.words(term))
    }
}

/// The terms of a review of the corpus, known by place.
struct Numbered<'a> {
    grams: &'a Grams,
    terms: &'a [TermId],
    corpus: &'a Corpus,
    /// Where the review begins in the ids.
    base: usize,
}

impl Paths for Numbered<'_> {
    type Path = u32;

    fn alone(&self, id: TokenId) -> Option<u32> {
        Some(self.grams.single(id)).filter(|gram| *gram != NONE)
    }

    fn go_on(&self, _: u32, first: usize, length: usize, _: TokenId) -> Option<u32> {
        Some(self.grams.at(self.corpus, length + 1, self.base + first)).filter(|gram| *gram != NONE)
    }

    fn term(&self, path: u32) -> Option<TermId> {
        self.terms[path as usize].some()
    }

    fn ask(&self, at: usize, longest: usize) {
        let place = self.base + at;
        let lengths = if place < self.corpus.ids.len() { 2..longest + 1 } else { 0..0 };
        lengths.for_each(|length| ask(self.terms, self.grams.at(self.corpus, length, place) as usize));
    }

    fn subwords(&self, _: usize, id: TokenId) -> &[u32] {
        self.corpus.subwords.of(id.word())
    }
}

/// The columns of hashed terms.
struct Hashed {
    bits: u32,
}

impl Paths for Hashed {
    type Path = u64;

    fn alone(&self, id: TokenId) -> Option<u64> {
        Some(hash_begin(id))
    }

    fn go_on(&self, path: u64, _: usize, _: usize, next: TokenId) -> Option<u64> {
        Some(hash_on(path, next))
    }

    fn term(&self, path: u64) -> Option<TermId> {
        Some(TermId::new(hash_column(path, self.bits)))
    }

    fn subwords(&self, _: usize, _: TokenId) -> &[u32] {
        &[]
    }
}

/// One row of term factors for each review, of terms that are hashed.
pub(crate) fn hashed_rows(corpus: &Corpus, rules: &TermRules) -> Rows {
    matrix(corpus, rules, 1 << rules.hashed, |_| Hashed { bits: rules.hashed })
}

/// One row of term factors for each review. `paths` gives the way to its terms.
fn matrix<P: Paths>(
    corpus: &Corpus,
    rules: &TermRules,
    terms: usize,
    paths: impl Fn(usize) -> P + Sync,
) -> Rows {
    // Entries are collected in room that stays, and kept in as much as they need.
    let one = |(maker, entries): &mut (RowMaker<'_>, Vec<Entry>), chunk: usize| {
        entries.clear();
        let rows = chunk * CHUNK..corpus.rows().min((chunk + 1) * CHUNK);
        let (mut ends, mut sorted) = (Vec::with_capacity(rows.len()), Vec::<TokenId>::new());
        for row in rows {
            let review = corpus.encoded(row);
            let shape = if rules.weighting.needs_shape() {
                sorted.clear();
                sorted.extend(review.ids.iter().copied().filter(|id| !id.is_sentence_end()));
                Shape::of(&mut sorted)
            } else {
                Shape::EMPTY
            };
            maker.put(&paths(row), review, shape, entries);
            ends.push(entries.len() as u32);
        }
        Chunk { ends, entries: entries.as_slice().to_vec() }
    };
    let (count, pieces) = (corpus.rows().div_ceil(CHUNK), rayon::current_num_threads());
    let of_piece = |piece: usize| -> Vec<Chunk> {
        let mut room = (RowMaker::new(rules, corpus.rules.plainly), Vec::new());
        (count * piece / pieces..count * (piece + 1) / pieces).map(|chunk| one(&mut room, chunk)).collect()
    };
    let chunks: Vec<Vec<Chunk>> = (0..pieces).into_par_iter().map(of_piece).collect();
    Rows::of_chunks(chunks.into_iter().flatten().collect(), terms)
}

/// The rules that are in force for so many reviews.
fn in_force(reviews: usize, rules: &TermRules) -> TermRules {
    // Columns that terms share have no kind: a scale for some kinds of terms cannot be theirs.
    let marked_scale = if rules.hashed > 0 { 1.0 } else { rules.marked_scale };
    TermRules { marked_scale, ..rules.settled(reviews) }
}
