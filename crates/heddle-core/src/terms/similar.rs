//! Words that are used alike, told by the words around them.
//!
//! A word is described by the words that stand up to two places before and after it, each side
//! for itself, weighed by positive pointwise mutual information; two words are compared by the
//! cosine of their descriptions: Bullinaria and Levy (2007), "Extracting semantic
//! representations from word co-occurrence statistics", Behavior Research Methods 39(3),
//! DOI 10.3758/BF03193020. Nothing but the reviews at hand is used. Departures: only the most
//! frequent words describe, and descriptions are computed only for those words that share
//! most with the one asked for.

use rustc_hash::FxHashMap;
use serde::Serialize;

use super::corpus::Corpus;
use super::subwords::is_subword;
use super::token_id::TokenId;
use crate::matrix::dot_of_shared;

/// Places on each side.
const REACH: usize = 2;
/// The most frequent words describe the others.
const DESCRIBING: usize = 2000;
/// Words whose descriptions are computed.
const CANDIDATES: usize = 400;
/// A word that stands less often is not described.
const FEWEST: u32 = 5;

/// A word that is used like another.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct SimilarWord {
    /// The word.
    pub word: String,
    /// The cosine of the two descriptions, from 0 to 1.
    pub similarity: f64,
    /// How often it stands in the reviews.
    pub times: u32,
    /// Letters to change, add or leave out to come from one word to the other.
    pub letters_apart: usize,
}

/// What stands around words: by (word, describing word on one side) how often.
type Around = FxHashMap<(u32, u32), u32>;

struct Describing<'c> {
    corpus: &'c Corpus,
    /// By word: how often it stands in the reviews.
    times: Vec<u32>,
    /// By word: whether it describes others.
    describes: Vec<bool>,
}

impl<'c> Describing<'c> {
    fn new(corpus: &'c Corpus) -> Self {
        let mut times = vec![0u32; corpus.words.len()];
        corpus.ids.iter().filter(|id| !id.is_sentence_end()).for_each(|id| times[id.word() as usize] += 1);
        let mut order: Vec<u32> = (0..times.len() as u32).collect();
        order.sort_by_key(|word| (std::cmp::Reverse(times[*word as usize]), *word));
        let mut describes = vec![false; times.len()];
        order.into_iter().take(DESCRIBING).for_each(|word| describes[word as usize] = true);
        Self { corpus, times, describes }
    }

    /// Calls `found` with each word and each describing word near it, with its side.
    fn each(&self, mut found: impl FnMut(u32, u32)) {
        for review in 0..self.corpus.len() {
            let ids = self.corpus.review(review);
            for (at, id) in ids.iter().enumerate().filter(|(_, id)| !id.is_sentence_end()) {
                let before = ids[at.saturating_sub(REACH)..at].iter().rev();
                let after = ids[at + 1..ids.len().min(at + 1 + REACH)].iter();
                let inside = |id: &&TokenId| !id.is_sentence_end();
                for other in before.take_while(inside) {
                    self.tell(id.word(), other.word(), 0, &mut found);
                }
                for other in after.take_while(inside) {
                    self.tell(id.word(), other.word(), 1, &mut found);
                }
            }
        }
    }

    fn tell(&self, word: u32, other: u32, side: u32, found: &mut impl FnMut(u32, u32)) {
        if self.describes[other as usize] {
            found(word, other << 1 | side);
        }
    }
}

/// The words that are used most like `word`, the nearest first; none if it stands too rarely to
/// be described.
pub fn similar_words(corpus: &Corpus, word: &str, most: usize) -> Vec<SimilarWord> {
    let Some(target) = corpus.words.place(word) else { return Vec::new() };
    let describing = Describing::new(corpus);
    if describing.times[target as usize] < FEWEST {
        return Vec::new();
    }
    let mut own: FxHashMap<u32, u32> = FxHashMap::default();
    describing.each(|word, side| {
        if word == target {
            *own.entry(side).or_insert(0) += 1;
        }
    });
    // How often each word meets what surrounds the target: a first, rough likeness.
    let mut shared = vec![0.0f64; corpus.words.len()];
    describing.each(|word, side| {
        if own.contains_key(&side) {
            shared[word as usize] += 1.0 / f64::from(describing.times[(side >> 1) as usize]);
        }
    });
    let rough = |word: u32| shared[word as usize] / f64::from(describing.times[word as usize]).sqrt();
    let described =
        |word: &u32| describing.times[*word as usize] >= FEWEST && !is_subword(corpus.words.word(*word));
    let mut candidates: Vec<u32> = (0..corpus.words.len() as u32).filter(described).collect();
    candidates.sort_by(|a, b| rough(*b).total_cmp(&rough(*a)).then(a.cmp(b)));
    candidates.truncate(CANDIDATES);
    candidates.push(target);
    compare(&describing, target, &candidates, most)
}

fn compare(describing: &Describing<'_>, target: u32, candidates: &[u32], most: usize) -> Vec<SimilarWord> {
    let described = describing.described(candidates);
    let own = &described[&target];
    let spelled = describing.corpus.words.word(target);
    let one = |word: &u32| {
        let similarity = own.likeness(&described[word]);
        let text = describing.corpus.words.word(*word);
        SimilarWord {
            word: text.into(),
            similarity,
            times: describing.times[*word as usize],
            letters_apart: strsim::levenshtein(spelled, text),
        }
    };
    let mut found: Vec<SimilarWord> = candidates
        .iter()
        .filter(|word| **word != target)
        .map(one)
        .filter(|word| word.similarity > 0.0)
        .collect();
    found.sort_by(|a, b| b.similarity.total_cmp(&a.similarity).then_with(|| a.word.cmp(&b.word)));
    found.truncate(most);
    found
}

/// A word as what stands around it says it: weights by describing word and side, ascending.
#[derive(Debug, Default)]
pub(crate) struct Description {
    weights: Vec<(u32, f64)>,
    length: f64,
}

impl Description {
    /// The cosine of two descriptions.
    pub(crate) fn likeness(&self, other: &Self) -> f64 {
        let length = self.length * other.length;
        if length > 0.0 { dot_of_shared(&self.weights, &other.weights) / length } else { 0.0 }
    }
}

/// What stands around each of these words, in all reviews.
pub(crate) fn descriptions(corpus: &Corpus, words: &[u32]) -> FxHashMap<u32, Description> {
    Describing::new(corpus).described(words)
}

impl Describing<'_> {
    fn described(&self, words: &[u32]) -> FxHashMap<u32, Description> {
        let mut wanted = vec![false; self.times.len()];
        words.iter().for_each(|word| wanted[*word as usize] = true);
        let mut around = Around::default();
        let mut pairs = 0u64;
        let mut sides: FxHashMap<u32, u64> = FxHashMap::default();
        let mut totals: FxHashMap<u32, u64> = FxHashMap::default();
        self.each(|word, side| {
            pairs += 1;
            *sides.entry(side).or_insert(0) += 1;
            if wanted[word as usize] {
                *around.entry((word, side)).or_insert(0) += 1;
                *totals.entry(word).or_insert(0) += 1;
            }
        });
        // Sorted, so that sums do not depend on the order of a table.
        let mut cells: Vec<((u32, u32), u32)> = around.into_iter().collect();
        cells.sort_unstable();
        let mut described: FxHashMap<u32, Description> =
            words.iter().map(|word| (*word, Description::default())).collect();
        for ((word, side), count) in cells {
            let expected = totals[&word] as f64 * sides[&side] as f64 / pairs as f64;
            let weight = (f64::from(count) / expected).ln().max(0.0);
            if let Some(own) = described.get_mut(&word) {
                own.weights.push((side, weight));
                own.length += weight * weight;
            }
        }
        described.values_mut().for_each(|own| own.length = own.length.sqrt());
        described
    }
}
