//! Counting n-grams, one length at a time.
//!
//! An n-gram cannot stand in more reviews than the two (n-1)-grams inside it, so only
//! n-grams whose halves both reach the floor are counted (the pruning of Agrawal and
//! Srikant (1994), "Fast algorithms for mining association rules", VLDB). Nothing that
//! could reach the floor is lost, in all reviews or in the training part of any fold.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::corpus::{Corpus, SENTENCE_END, TokenId, plain};
use super::rules::{LONGEST, TermRules};
use super::vocabulary::{NONE, RowMaker, Vocabulary};
use crate::matrix::{Entry, Rows};
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
}

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
struct Gram {
    parent: u32,
    token: TokenId,
    reviews: u32,
}

impl Counted {
    /// Counts the n-grams of a corpus and builds the matrix.
    ///
    /// Two passes over the token ids per length; the peak beside the corpus is one table of
    /// the n-grams of one length and the matrix, 8 bytes an entry.
    pub fn new(corpus: &Corpus, rules: TermRules) -> Self {
        assert!(
            (1..=LONGEST).contains(&rules.words.1),
            "n-grams of {} words: at most {LONGEST}",
            rules.words.1
        );
        let vocabulary = count(corpus, &rules);
        let rows = matrix(corpus, &vocabulary, &rules);
        Self { vocabulary, rows, rules }
    }

    /// The number of reviews among `rows` that hold each term.
    pub fn document_counts(&self, rows: &[u32]) -> Vec<u32> {
        let mut counts = vec![0u32; self.vocabulary.len()];
        for &row in rows {
            self.rows.row(row as usize).iter().for_each(|entry| counts[entry.column as usize] += 1);
        }
        counts
    }
}

fn count(corpus: &Corpus, rules: &TermRules) -> Vocabulary {
    let floor = rules.at_least.max(1);
    let mut grams = singles(corpus, floor);
    let mut index = Index { singles: vec![NONE; corpus.words.len() * 2], longer: FxHashMap::default() };
    for (place, gram) in grams.iter().enumerate() {
        index.singles[gram.token as usize] = place as u32;
    }
    for length in 2..=rules.words.1 {
        for gram in longer(corpus, &index, length, floor) {
            index.longer.insert((gram.parent, gram.token), grams.len() as u32);
            grams.push(gram);
        }
    }
    ordered(corpus, &grams)
}

/// Where counted n-grams stand in the list: single tokens by token, longer ones by the
/// place of the n-gram without its last token, and that token.
struct Index {
    singles: Vec<u32>,
    longer: FxHashMap<(u32, TokenId), u32>,
}

impl Index {
    /// The place of the n-gram of these tokens, if it was counted.
    fn place(&self, ids: &[TokenId]) -> Option<u32> {
        let (first, rest) = ids.split_first()?;
        if *first == SENTENCE_END {
            return None;
        }
        let mut place = self.singles[*first as usize];
        for id in rest {
            if place == NONE || *id == SENTENCE_END {
                return None;
            }
            place = self.longer.get(&(place, *id)).copied().unwrap_or(NONE);
        }
        Some(place).filter(|place| *place != NONE)
    }
}

fn singles(corpus: &Corpus, floor: u32) -> Vec<Gram> {
    let mut tallies = vec![Tally::NEW; corpus.words.len() * 2];
    for review in 0..corpus.len() {
        for &id in corpus.review(review).iter().filter(|id| **id != SENTENCE_END) {
            tallies[id as usize].see(review as u32);
            if corpus.style() == Style::Both {
                tallies[plain(id) as usize].see(review as u32);
            }
        }
    }
    let enough = |(token, tally): (usize, &Tally)| {
        (tally.reviews >= floor).then_some(Gram { parent: NONE, token: token as u32, reviews: tally.reviews })
    };
    tallies.iter().enumerate().filter_map(enough).collect()
}

/// The n-grams of one length. Threads share the keys out among them, each counting its own.
fn longer(corpus: &Corpus, index: &Index, length: usize, floor: u32) -> Vec<Gram> {
    let parts = rayon::current_num_threads() as u64;
    let count_part = |part: u64| {
        let mut tallies: FxHashMap<u64, Tally> = FxHashMap::default();
        for review in 0..corpus.len() {
            let ids = corpus.review(review);
            for window in ids.windows(length) {
                let (Some(parent), Some(_)) = (index.place(&window[..length - 1]), index.place(&window[1..]))
                else {
                    continue;
                };
                let token = window[length - 1];
                let key = u64::from(parent) << 32 | u64::from(token);
                if part_of(key, parts) == part {
                    tallies.entry(key).or_insert(Tally::NEW).see(review as u32);
                }
            }
        }
        let enough = |(key, tally): (u64, Tally)| {
            let (parent, token) = ((key >> 32) as u32, key as u32);
            (tally.reviews >= floor).then_some(Gram { parent, token, reviews: tally.reviews })
        };
        tallies.into_iter().filter_map(enough).collect::<Vec<_>>()
    };
    (0..parts).into_par_iter().flat_map_iter(count_part).collect()
}

fn part_of(key: u64, parts: u64) -> u64 {
    let mixed = key.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 32;
    (mixed * parts) >> 32
}

/// Numbers the grams by falling count, ties alphabetically.
fn ordered(corpus: &Corpus, grams: &[Gram]) -> Vocabulary {
    let ranks = alphabetical_ranks(corpus);
    let rank_of = |token: TokenId| ranks[(token >> 1) as usize] * 2 + (token & 1) + 1;
    let mut paths: Vec<([u32; LONGEST], u8)> = Vec::with_capacity(grams.len());
    for gram in grams {
        let (mut path, length) = match gram.parent {
            NONE => ([0; LONGEST], 0),
            parent => paths[parent as usize],
        };
        path[usize::from(length)] = rank_of(gram.token);
        paths.push((path, length + 1));
    }
    let mut order: Vec<u32> = (0..grams.len() as u32).collect();
    order.par_sort_unstable_by(|&a, &b| {
        let (a, b) = (a as usize, b as usize);
        grams[b].reviews.cmp(&grams[a].reviews).then_with(|| paths[a].0.cmp(&paths[b].0))
    });
    let mut numbers = vec![0u32; grams.len()];
    for (number, &place) in order.iter().enumerate() {
        numbers[place as usize] = number as u32;
    }
    Vocabulary::new(order.iter().map(|&place| {
        let gram = &grams[place as usize];
        ((gram.parent != NONE).then(|| numbers[gram.parent as usize]), gram.token)
    }))
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

fn matrix(corpus: &Corpus, vocabulary: &Vocabulary, rules: &TermRules) -> Rows {
    const CHUNK: usize = 2048;
    let chunks: Vec<(Vec<usize>, Vec<Entry>)> = (0..corpus.len().div_ceil(CHUNK))
        .into_par_iter()
        .map_init(
            || RowMaker::new(vocabulary.len()),
            |maker, chunk| {
                let (mut lengths, mut entries) = (Vec::new(), Vec::new());
                for row in chunk * CHUNK..corpus.len().min((chunk + 1) * CHUNK) {
                    let before = entries.len();
                    let ids = corpus.review(row);
                    maker.put(vocabulary, ids, rules.words, corpus.style(), rules.weighting, &mut entries);
                    lengths.push(entries.len() - before);
                }
                (lengths, entries)
            },
        )
        .collect();
    let mut lengths = Vec::with_capacity(corpus.len());
    let mut entries = Vec::with_capacity(chunks.iter().map(|chunk| chunk.1.len()).sum());
    for (own_lengths, own_entries) in chunks {
        lengths.extend(own_lengths);
        entries.extend(own_entries);
    }
    Rows::new(lengths, entries, vocabulary.len())
}
