//! Counting n-grams, one length at a time.
//!
//! An n-gram cannot stand in more reviews than the two (n-1)-grams inside it, so only
//! n-grams whose halves both reach the floor are counted (the pruning of Agrawal and
//! Srikant (1994), "Fast algorithms for mining association rules", VLDB). Nothing that
//! could reach the floor is lost, in all reviews or in the training part of any fold.
//!
//! By place of the token lists, the n-gram of each length that begins there is kept as a
//! number: the next length needs no look at words, and the matrix no look into tables.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::corpus::Corpus;
use super::letters::is_gram;
use super::names::path_of;
use super::rules::{LONGEST, TermRules};
use super::term_id::TermId;
use super::token_id::TokenId;
use super::vocabulary::{Paths, RowMaker, Vocabulary, hash_begin, hash_column, hash_on};
use super::weigh::Shape;
use crate::matrix::{CHUNK, Chunk, Entry, Rows};
use crate::text::negate::Style;

/// All terms that reach the floor in the whole corpus, and the matrix of their term
/// factors. Which of them a model uses is decided on its own training rows alone.
#[derive(Debug, Clone)]
pub struct Counted {
    /// The terms.
    pub vocabulary: Vocabulary,
    /// Reviews x terms: term factors (the first SMART letter).
    pub rows: Rows,
    /// The rules by which it was counted.
    pub rules: TermRules,
    /// The words that were seen, terms or not.
    pub words_seen: usize,
    /// Names of `terms.include` and `terms.exclude` that no review holds.
    pub unknown_names: Vec<String>,
    pub(crate) included: FxHashSet<TermId>,
    pub(crate) excluded: FxHashSet<TermId>,
    /// By term: its place in the alphabet among terms of its length, which orders any two terms
    /// alike in every training part.
    pub(crate) alphabet: Vec<u64>,
}

/// No n-gram.
const NONE: u32 = u32::MAX;

/// How often a key was seen, and in which review last.
#[derive(Clone, Copy)]
struct Tally {
    reviews: u32,
    last: u32,
}

impl Tally {
    const NEW: Self = Self { reviews: 0, last: u32::MAX };

    fn see(&mut self, review: u32) {
        if self.last != review {
            *self = Self { reviews: self.reviews + 1, last: review };
        }
    }
}

/// A counted n-gram: its n-gram without the last word, its last token, its reviews.
#[derive(Clone, Copy)]
struct Gram {
    parent: u32,
    token: TokenId,
    reviews: u32,
}

impl Counted {
    /// Counts the n-grams of a corpus and builds the matrix.
    ///
    /// One pass over the token ids per length, and one for the matrix. The peak beside the
    /// corpus is 4 bytes a token for each length above one, a table of the n-grams of one
    /// length, and the matrix with 8 bytes an entry.
    pub fn new(corpus: &Corpus, rules: &TermRules) -> Self {
        let longest = rules.longest();
        assert!((1..=LONGEST).contains(&longest), "n-grams of {longest} words: at most {LONGEST}");
        if rules.hashed > 0 {
            return Self::hashed(corpus, rules);
        }
        let path = |name: &String| {
            let path =
                path_of(name, &corpus.rules.cleaner, &corpus.rules.fields, |word| corpus.words.place(word));
            path.filter(|path| path.len() <= longest)
        };
        let included: Vec<Option<Vec<TokenId>>> = rules.include.iter().map(path).collect();
        let excluded: Vec<Option<Vec<TokenId>>> = rules.exclude.iter().map(path).collect();
        // An n-gram is counted where both its halves are: a named one needs all that it holds.
        let named: Vec<&[TokenId]> = included
            .iter()
            .flatten()
            .flat_map(|path| (0..path.len()).map(move |first| &path[first..]))
            .collect();
        let grams = Grams::count(corpus, rules, &named);
        let (vocabulary, numbers, alphabet) = grams.ordered(corpus);
        // By n-gram: its term, if its length is one of the rules.
        let terms: Vec<TermId> = numbers
            .iter()
            .map(|&term| if rules.takes(vocabulary.words(term)) { term } else { TermId::NONE })
            .collect();
        let rows = {
            let numbered =
                |row: usize| Numbered { grams: &grams, terms: &terms, corpus, base: corpus.starts[row] };
            matrix(corpus, rules, vocabulary.len(), numbered)
        };
        let terms = |paths: &[Option<Vec<TokenId>>]| -> Vec<Option<TermId>> {
            paths.iter().map(|path| vocabulary.of_path(path.as_deref()?)).collect()
        };
        let (included, excluded) = (terms(&included), terms(&excluded));
        let names = rules.include.iter().chain(&rules.exclude).zip(included.iter().chain(&excluded));
        Self {
            rows,
            rules: rules.clone(),
            words_seen: corpus.words.iter().filter(|word| !is_gram(word)).count(),
            unknown_names: names.filter(|(_, term)| term.is_none()).map(|(name, _)| name.clone()).collect(),
            included: included.into_iter().flatten().collect(),
            excluded: excluded.into_iter().flatten().collect(),
            alphabet,
            vocabulary,
        }
    }

    /// The matrix of terms that share 2^bits columns: nothing is counted beforehand.
    fn hashed(corpus: &Corpus, rules: &TermRules) -> Self {
        let columns = 1u32 << rules.hashed;
        Self {
            vocabulary: Vocabulary::of_columns(0..columns, rules.hashed),
            rows: matrix(corpus, rules, columns as usize, |_| Hashed { bits: rules.hashed }),
            rules: rules.clone(),
            words_seen: 0,
            unknown_names: Vec::new(),
            included: FxHashSet::default(),
            excluded: FxHashSet::default(),
            alphabet: (0..u64::from(columns)).collect(),
        }
    }

    /// Whether a term has one of the lengths asked for. Columns of hashed terms hold no others.
    pub(crate) fn takes(&self, term: TermId) -> bool {
        self.vocabulary.is_hashed() || self.rules.takes(self.vocabulary.words(term))
    }
}

/// Every n-gram that was counted, the shorter ones first, and where they begin.
struct Grams {
    list: Vec<Gram>,
    /// Where each length ends in the list.
    ends: Vec<usize>,
    /// By token: its n-gram.
    singles: Vec<u32>,
    /// By length from two on and by place in the ids: the n-gram that begins there.
    longer: Vec<Vec<u32>>,
}

/// Some of the reviews, and what is counted in them.
struct Piece<'b> {
    reviews: std::ops::Range<usize>,
    /// By place of these reviews: the slot of the n-gram that begins there.
    begins: &'b mut [u32],
    /// By key: the reviews that hold it, and its slot.
    tallies: FxHashMap<u64, (Tally, u32)>,
}

/// Cuts the corpus into pieces of about as many tokens.
fn pieces<'b>(corpus: &Corpus, mut begins: &'b mut [u32], parts: usize) -> Vec<Piece<'b>> {
    let mut pieces = Vec::with_capacity(parts);
    let mut first = 0;
    for part in 1..=parts {
        let wanted = corpus.ids.len() * part / parts;
        let end = if part == parts {
            corpus.len()
        } else {
            corpus.starts.partition_point(|start| *start < wanted).clamp(first, corpus.len())
        };
        let (own, rest) = begins.split_at_mut(corpus.starts[end] - corpus.starts[first]);
        pieces.push(Piece { reviews: first..end, begins: own, tallies: FxHashMap::default() });
        (begins, first) = (rest, end);
    }
    pieces
}

impl Piece<'_> {
    fn count(&mut self, grams: &Grams, corpus: &Corpus, length: usize) {
        const ROOM: usize = 1 << 16;
        let Self { reviews, begins, tallies } = self;
        tallies.reserve(begins.len().min(ROOM));
        let base = corpus.starts[reviews.start];
        for review in reviews.clone() {
            let places = corpus.starts[review]..corpus.starts[review + 1];
            if places.len() < length {
                continue;
            }
            let mut next = grams.at(corpus, length - 1, places.start);
            for place in places.start..=places.end - length {
                let parent = next;
                next = grams.at(corpus, length - 1, place + 1);
                if parent == NONE || next == NONE {
                    continue;
                }
                let slot = tallies.len() as u32;
                let key = key(parent, corpus.ids[place + length - 1]);
                let (tally, slot) = tallies.entry(key).or_insert((Tally::NEW, slot));
                tally.see(review as u32);
                begins[place - base] = *slot;
            }
        }
    }

    /// Writes the numbers of the n-grams in the place of their slots.
    fn number(self, number: impl Fn(u64) -> u32) {
        let mut numbers = vec![NONE; self.tallies.len()];
        for (key, (_, slot)) in self.tallies {
            numbers[slot as usize] = number(key);
        }
        for begin in self.begins.iter_mut().filter(|begin| **begin != NONE) {
            *begin = numbers[*begin as usize];
        }
    }
}

/// The reviews of all pieces that hold each key of a part.
fn sum_up(pieces: &[Piece<'_>], part: usize, parts: usize) -> FxHashMap<u64, u32> {
    let mut sums: FxHashMap<u64, u32> = FxHashMap::default();
    for (key, (tally, _)) in pieces.iter().flat_map(|piece| &piece.tallies) {
        if part_of(*key, parts) == part {
            *sums.entry(*key).or_insert(0) += tally.reviews;
        }
    }
    sums
}

impl Grams {
    /// Counts. The n-grams `named`, and those that begin them, are kept below the floor too.
    fn count(corpus: &Corpus, rules: &TermRules, named: &[&[TokenId]]) -> Self {
        let floor = rules.at_least.max(1);
        let list = singles(corpus, floor, &named.iter().map(|path| path[0]).collect());
        let mut single_of = vec![NONE; corpus.words.len() * 2];
        for (place, gram) in list.iter().enumerate() {
            single_of[gram.token.place()] = place as u32;
        }
        let mut grams = Self { ends: vec![list.len()], list, singles: single_of, longer: Vec::new() };
        // The n-gram that each named path has reached so far.
        let mut reached: Vec<(&[TokenId], u32)> =
            named.iter().map(|path| (&path[1..], grams.singles[path[0].place()])).collect();
        for length in 2..=rules.longest() {
            reached.retain(|(rest, gram)| !rest.is_empty() && *gram != NONE);
            let forced: FxHashSet<u64> = reached.iter().map(|(rest, gram)| key(*gram, rest[0])).collect();
            let own = grams.longer(corpus, length, floor, &forced);
            for (rest, gram) in &mut reached {
                let (begin, wanted) = (grams.ends[length - 2], (*gram, rest[0]));
                let found = grams.list[begin..].iter().position(|gram| (gram.parent, gram.token) == wanted);
                (*rest, *gram) = (&rest[1..], found.map_or(NONE, |at| (begin + at) as u32));
            }
            grams.longer.push(own);
        }
        grams
    }

    /// The n-gram of `length` words that begins at a place of the ids.
    fn at(&self, corpus: &Corpus, length: usize, place: usize) -> u32 {
        match length {
            1 => self.singles.get(corpus.ids[place].place()).copied().unwrap_or(NONE),
            length => self.longer[length - 2][place],
        }
    }

    /// Counts the n-grams of one length, appends those that reach the floor to the list, and
    /// tells where they begin. Each thread counts some of the reviews; then the threads share
    /// the keys out among them and add the counts up.
    fn longer(&mut self, corpus: &Corpus, length: usize, floor: u32, forced: &FxHashSet<u64>) -> Vec<u32> {
        let parts = rayon::current_num_threads();
        let mut begins = vec![NONE; corpus.ids.len()];
        let pieces = pieces(corpus, &mut begins, parts);
        let counted: Vec<Piece<'_>> = pieces
            .into_par_iter()
            .map(|mut piece| {
                piece.count(self, corpus, length);
                piece
            })
            .collect();
        let sums: Vec<FxHashMap<u64, u32>> =
            (0..parts).into_par_iter().map(|part| sum_up(&counted, part, parts)).collect();
        let mut numbers: Vec<FxHashMap<u64, u32>> = Vec::with_capacity(parts);
        for sum in sums {
            let mut own = FxHashMap::default();
            for (key, reviews) in sum {
                if reviews >= floor || forced.contains(&key) {
                    own.insert(key, self.list.len() as u32);
                    self.list.push(Gram {
                        parent: (key >> 32) as u32,
                        token: TokenId::from_bits(key as u32),
                        reviews,
                    });
                }
            }
            numbers.push(own);
        }
        self.ends.push(self.list.len());
        let number = |key: u64| numbers[part_of(key, parts)].get(&key).copied().unwrap_or(NONE);
        counted.into_par_iter().for_each(|piece| piece.number(number));
        begins
    }

    /// Numbers the n-grams by falling count; ties by length, then by the alphabet. Gives the
    /// vocabulary, the number of each n-gram, and the alphabet by number.
    fn ordered(&self, corpus: &Corpus) -> (Vocabulary, Vec<TermId>, Vec<u64>) {
        const RANK_BITS: u32 = 28;
        assert!(self.list.len() < 1 << RANK_BITS, "more than 2^28 n-grams");
        let words = alphabetical_ranks(corpus);
        // By n-gram: its place in the alphabet among those of its length.
        let mut ranks = vec![0u32; self.list.len()];
        let mut by_rank: Vec<Vec<(u64, u32)>> = Vec::with_capacity(self.ends.len());
        let mut begin = 0;
        for &end in &self.ends {
            let order_of = |at: usize| {
                let Gram { parent, token, .. } = self.list[at];
                let head = if parent == NONE { 0 } else { ranks[parent as usize] };
                let tail = TokenId::new(words[token.word() as usize], token.is_negated()).bits();
                (u64::from(head) << 32 | u64::from(tail), at as u32)
            };
            let mut own: Vec<(u64, u32)> = (begin..end).map(order_of).collect();
            own.par_sort_unstable();
            own.iter().enumerate().for_each(|(rank, (_, gram))| ranks[*gram as usize] = rank as u32);
            by_rank.push(own);
            begin = end;
        }
        let lengths = self.ends.iter().scan(0, |begin, &end| Some(std::mem::replace(begin, end)..end));
        let mut order: Vec<u64> = Vec::with_capacity(self.list.len());
        for (length, places) in lengths.enumerate() {
            let one = |at: usize| {
                let falling = u64::from(u32::MAX - self.list[at].reviews);
                falling << 32 | (length as u64) << RANK_BITS | u64::from(ranks[at])
            };
            order.extend(places.map(one));
        }
        order.par_sort_unstable();
        let alphabet: Vec<u64> = order.iter().map(|key| key & u64::from(u32::MAX)).collect();
        let gram_of = |key: &u64| {
            let (length, rank) = (key >> RANK_BITS, key & ((1 << RANK_BITS) - 1));
            by_rank[length as usize][rank as usize].1 as usize
        };
        let grams: Vec<usize> = alphabet.par_iter().map(gram_of).collect();
        let mut numbers = vec![TermId::NONE; self.list.len()];
        TermId::all(grams.len()).zip(&grams).for_each(|(term, &gram)| numbers[gram] = term);
        let path = |&gram: &usize| {
            let Gram { parent, token, .. } = self.list[gram];
            ((parent != NONE).then(|| numbers[parent as usize]), token)
        };
        let gram = |token: TokenId| is_gram(corpus.words.word(token.word()));
        (Vocabulary::new(grams.iter().map(path), gram), numbers, alphabet)
    }
}

fn key(parent: u32, token: TokenId) -> u64 {
    u64::from(parent) << 32 | u64::from(token.bits())
}

fn part_of(key: u64, parts: usize) -> usize {
    let mixed = key.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 32;
    ((mixed * parts as u64) >> 32) as usize
}

fn singles(corpus: &Corpus, floor: u32, forced: &FxHashSet<TokenId>) -> Vec<Gram> {
    // Each thread counts some of the reviews.
    let pieces = rayon::current_num_threads();
    let of_piece = |piece: usize| {
        let mut tallies = vec![Tally::NEW; corpus.words.len() * 2];
        let reviews = corpus.len() * piece / pieces..corpus.len() * (piece + 1) / pieces;
        reviews.for_each(|review| tally_review(corpus, review, &mut tallies));
        tallies
    };
    let mut pieces = (0..pieces).into_par_iter().map(of_piece).collect::<Vec<_>>().into_iter();
    let mut tallies = pieces.next().unwrap_or_default();
    for more in pieces {
        tallies.iter_mut().zip(more).for_each(|(own, more)| own.reviews += more.reviews);
    }
    let enough = |(token, tally): (usize, &Tally)| {
        let (token, Tally { reviews, .. }) = (TokenId::from_bits(token as u32), *tally);
        (reviews >= floor || reviews > 0 && forced.contains(&token)).then_some(Gram {
            parent: NONE,
            token,
            reviews,
        })
    };
    tallies.iter().enumerate().filter_map(enough).collect()
}

fn tally_review(corpus: &Corpus, review: usize, tallies: &mut [Tally]) {
    for &id in corpus.review(review).iter().filter(|id| !id.is_sentence_end()) {
        tallies[id.place()].see(review as u32);
        if corpus.rules.style != Style::Mark {
            tallies[id.plain().place()].see(review as u32);
        }
        for &gram in corpus.letters.of(id.word()) {
            tallies[id.with_word(gram).place()].see(review as u32);
        }
    }
}

fn alphabetical_ranks(corpus: &Corpus) -> Vec<u32> {
    let mut places: Vec<u32> = (0..corpus.words.len() as u32).collect();
    places.par_sort_unstable_by(|&a, &b| corpus.words.word(a).cmp(corpus.words.word(b)));
    let mut ranks = vec![0; places.len()];
    for (rank, place) in places.into_iter().enumerate() {
        ranks[place as usize] = rank as u32;
    }
    ranks
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

    fn begin(&self, _: usize, id: TokenId) -> Option<u32> {
        Some(self.grams.singles[id.place()]).filter(|gram| *gram != NONE)
    }

    fn go_on(&self, _: u32, first: usize, length: usize, _: TokenId) -> Option<u32> {
        Some(self.grams.at(self.corpus, length + 1, self.base + first)).filter(|gram| *gram != NONE)
    }

    fn term(&self, path: u32) -> Option<TermId> {
        self.terms[path as usize].some()
    }

    fn letters(&self, _: usize, id: TokenId) -> &[u32] {
        self.corpus.letters.of(id.word())
    }
}

/// The columns of hashed terms.
struct Hashed {
    bits: u32,
}

impl Paths for Hashed {
    type Path = u64;

    fn begin(&self, _: usize, id: TokenId) -> Option<u64> {
        Some(hash_begin(id))
    }

    fn go_on(&self, path: u64, _: usize, _: usize, next: TokenId) -> Option<u64> {
        Some(hash_on(path, next))
    }

    fn term(&self, path: u64) -> Option<TermId> {
        Some(TermId::new(hash_column(path, self.bits)))
    }

    fn letters(&self, _: usize, _: TokenId) -> &[u32] {
        &[]
    }
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
        let rows = chunk * CHUNK..corpus.len().min((chunk + 1) * CHUNK);
        let (mut ends, mut sorted) = (Vec::with_capacity(rows.len()), Vec::<TokenId>::new());
        for row in rows {
            let ids = corpus.review(row);
            let shape = if rules.weighting.needs_shape() {
                sorted.clear();
                sorted.extend(ids.iter().copied().filter(|id| !id.is_sentence_end()));
                Shape::of(&mut sorted)
            } else {
                Shape::EMPTY
            };
            maker.put(&paths(row), ids, shape, entries);
            ends.push(entries.len() as u32);
        }
        Chunk { ends, entries: entries.as_slice().to_vec() }
    };
    let (count, pieces) = (corpus.len().div_ceil(CHUNK), rayon::current_num_threads());
    let of_piece = |piece: usize| -> Vec<Chunk> {
        let mut room = (RowMaker::new(terms, rules, corpus.rules.style), Vec::new());
        (count * piece / pieces..count * (piece + 1) / pieces).map(|chunk| one(&mut room, chunk)).collect()
    };
    let chunks: Vec<Vec<Chunk>> = (0..pieces).into_par_iter().map(of_piece).collect();
    Rows::of_chunks(chunks.into_iter().flatten().collect(), terms)
}
