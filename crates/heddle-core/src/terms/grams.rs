//! Counting n-grams, one length at a time.
//!
//! An n-gram cannot stand in more reviews than the two (n-1)-grams inside it, so only
//! n-grams whose halves both reach the floor are counted (the pruning of Agrawal and
//! Srikant (1994), "Fast algorithms for mining association rules", VLDB). Nothing that
//! could reach the floor is lost, in all reviews or in the training part of any fold.
//!
//! A million n-grams do not fit the caches, and a table of them is missed at every token. So keys are
//! first dealt into parts by their hash, block by block of the reviews, and each part is counted in a
//! table of its own that stays in the second-level cache (the radix-cluster of Manegold, Boncz and
//! Kersten (2002), "Optimizing main-memory join on modern hardware", IEEE TKDE 14(4), DOI
//! 10.1109/TKDE.2002.1019210).
//!
//! By place of the token lists, the n-gram of each length that begins there is kept as a
//! number: the next length needs no look at words, and the matrix no look into tables.

use std::ops::Range;

use hashbrown::HashTable;
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::corpus::Corpus;
use super::made_of::MadeOf;
use super::review_count::{ReviewCount, reviews_by_place};
use super::rules::TermRules;
use super::term_id::TermId;
use super::token_id::TokenId;
use super::vocabulary::Vocabulary;

/// No n-gram.
pub(super) const NONE: u32 = u32::MAX;
/// Tokens of one block: what is written by their place stays in the second-level cache.
const BLOCK: usize = 1 << 16;
/// Tokens of one part, as many as are expected: its table stays there too.
const PART: usize = 1 << 15;
/// Of those that more reviews hold there are few enough to stand in any order.
const MOST_REVIEWS: usize = 1 << 12;

/// A counted n-gram: its n-gram without the last word, its last token, its reviews.
#[derive(Clone, Copy)]
pub(super) struct Gram {
    pub(super) parent: u32,
    pub(super) token: TokenId,
    pub(super) reviews: u32,
}

/// Every n-gram that was counted, the shorter ones first, and where they begin.
pub(super) struct Grams {
    list: Vec<Gram>,
    /// Where each length ends in the list.
    ends: Vec<usize>,
    /// By token: its n-gram.
    singles: Vec<u32>,
    /// By length from two on and by place in the ids: the n-gram that begins there.
    longer: Vec<Vec<u32>>,
}

/// Terms in their order.
pub(super) struct Ordered {
    pub(super) vocabulary: Vocabulary,
    /// By n-gram: its term.
    pub(super) terms: Vec<TermId>,
    /// By term: its place in the alphabet among terms of its length, behind the length.
    pub(super) alphabet: Vec<u64>,
}

/// The n-grams of one length that are to be counted.
#[derive(Clone, Copy)]
struct Longer {
    length: usize,
    /// Both their halves stand before this place in the list.
    halves: u32,
}

impl Grams {
    /// Counts. The n-grams `named`, and those that begin them, are kept below the floor too.
    ///
    /// Two passes over the token ids per length. The peak beside the corpus is 4 bytes a token for each
    /// length above one, and 12 bytes for each token that may begin an n-gram of the present length.
    pub(super) fn count(corpus: &Corpus, rules: &TermRules, named: &[&[TokenId]]) -> Self {
        let (floors, longest) = (rules.floors(corpus.len()), rules.longest());
        let floor = |made_of: MadeOf| floors.of_counted(made_of, longest);
        let list = singles(corpus, floor, &named.iter().map(|path| path[0]).collect());
        let mut single_of = vec![NONE; corpus.words.len() * 2];
        for (place, gram) in list.iter().enumerate() {
            single_of[gram.token.place()] = place as u32;
        }
        let mut grams = Self { ends: vec![list.len()], list, singles: single_of, longer: Vec::new() };
        // The n-gram that each named path has reached so far.
        let mut reached: Vec<(&[TokenId], u32)> =
            named.iter().map(|path| (&path[1..], grams.singles[path[0].place()])).collect();
        for length in 2..=longest {
            reached.retain(|(rest, gram)| !rest.is_empty() && *gram != NONE);
            let forced: FxHashSet<u64> = reached.iter().map(|(rest, gram)| key(*gram, rest[0])).collect();
            let floor = floor(MadeOf::Words(length as u8));
            let kept = |key: u64, reviews: u32| reviews >= floor || forced.contains(&key);
            let halves = if forced.is_empty() { grams.held_by(floor) } else { NONE };
            let own = grams.longer(corpus, Longer { length, halves }, kept);
            let begin = grams.ends[length - 2];
            let found: FxHashMap<u64, u32> = (begin as u32..)
                .zip(&grams.list[begin..])
                .map(|(at, gram)| (key(gram.parent, gram.token), at))
                .filter(|(key, _)| forced.contains(key))
                .collect();
            for (rest, gram) in &mut reached {
                let own = found.get(&key(*gram, rest[0]));
                (*rest, *gram) = (&rest[1..], own.copied().unwrap_or(NONE));
            }
            grams.longer.push(own);
        }
        grams
    }

    /// N-grams that were counted elsewhere, the shorter ones first, and where each length ends. Nobody asks them where
    /// they stand in reviews.
    pub(super) fn of_list(list: Vec<Gram>, ends: Vec<usize>) -> Self {
        Self { list, ends, singles: Vec::new(), longer: Vec::new() }
    }

    /// The n-gram of one token.
    pub(super) fn single(&self, token: TokenId) -> u32 {
        self.singles.get(token.place()).copied().unwrap_or(NONE)
    }

    /// The n-gram of `length` words that begins at a place of the ids.
    pub(super) fn at(&self, corpus: &Corpus, length: usize, place: usize) -> u32 {
        match length {
            1 => self.single(corpus.ids[place]),
            length => self.longer[length - 2][place],
        }
    }

    /// Where those of the longest n-grams end that so many reviews hold: a longer one is held by no more than its halves.
    fn held_by(&self, reviews: u32) -> u32 {
        let [.., begin, end] = self.ends[..] else { return NONE }; // single ones stand in any order
        let held = |gram: &Gram| gram.reviews as usize >= (reviews as usize).min(MOST_REVIEWS);
        (begin + self.list[begin..end].partition_point(held)) as u32
    }

    /// Counts the n-grams of one length whose halves stand before `halves` in the list, appends those that are `kept` to
    /// it, and tells where they begin.
    fn longer(
        &mut self,
        corpus: &Corpus,
        sought: Longer,
        kept: impl Fn(u64, u32) -> bool + Sync,
    ) -> Vec<u32> {
        let mut begins = vec![NONE; corpus.ids.len()];
        let parts = Parts::for_tokens(corpus.ids.len());
        let mut blocks = blocks(corpus, &mut begins);
        blocks.par_iter_mut().for_each(|block| block.deal(self, corpus, sought, parts));
        let counted: Vec<Vec<Gram>> = runs(&mut blocks, parts)
            .into_par_iter()
            .map_init(Table::default, |table, runs| table.count(runs, corpus, &kept))
            .collect();
        let numbers = self.append(counted);
        self.ends.push(self.list.len());
        blocks.into_par_iter().for_each(|block| block.number(&numbers));
        begins
    }

    /// Appends n-grams to the list, the frequent ones first: most places have one of these, and what is
    /// known of them then stands close together. Gives the number of each, by part.
    fn append(&mut self, counted: Vec<Vec<Gram>>) -> Vec<Vec<u32>> {
        let rarity = |gram: &Gram| MOST_REVIEWS - (gram.reviews as usize).min(MOST_REVIEWS);
        let mut next = vec![0u32; MOST_REVIEWS + 1];
        counted.iter().flatten().for_each(|gram| next[rarity(gram)] += 1);
        let mut sum = self.list.len() as u32;
        for count in &mut next {
            sum += std::mem::replace(count, sum);
        }
        self.list.resize(sum as usize, Gram { parent: NONE, token: TokenId::SENTENCE_END, reviews: 0 });
        let mut place = |gram: Gram| {
            let next = &mut next[rarity(&gram)];
            self.list[*next as usize] = gram;
            *next += 1;
            *next - 1
        };
        counted.into_iter().map(|own| own.into_iter().map(&mut place).collect()).collect()
    }

    /// Calls `give` with the place and the key of each n-gram of these reviews whose halves stand before `halves` in the list.
    fn each(
        &self,
        corpus: &Corpus,
        Longer { length, halves }: Longer,
        reviews: Range<usize>,
        mut give: impl FnMut(usize, u64),
    ) {
        for review in reviews {
            let places = corpus.starts[review]..corpus.starts[review + 1];
            if places.len() < length {
                continue;
            }
            let mut next = self.at(corpus, length - 1, places.start);
            for place in places.start..=places.end - length {
                let parent = next;
                next = self.at(corpus, length - 1, place + 1);
                if parent < halves && next < halves {
                    give(place, key(parent, corpus.ids[place + length - 1]));
                }
            }
        }
    }

    /// Numbers the n-grams by falling count; ties by length, then by the alphabet.
    pub(super) fn ordered(&self, corpus: &Corpus) -> Ordered {
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
            let mut own: Vec<(u64, u32)> = (begin..end).into_par_iter().map(order_of).collect();
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
        let mut terms = vec![TermId::NONE; self.list.len()];
        TermId::all(grams.len()).zip(&grams).for_each(|(term, &gram)| terms[gram] = term);
        let parent = |&gram: &usize| match self.list[gram].parent {
            NONE => TermId::NONE,
            parent => terms[parent as usize],
        };
        let made_of = |token: TokenId| MadeOf::of_word(corpus.words.word(token.word()));
        let parents: Vec<TermId> = grams.par_iter().map(parent).collect();
        let tokens: Vec<TokenId> = grams.par_iter().map(|&gram| self.list[gram].token).collect();
        let vocabulary = Vocabulary::new(parents, tokens, made_of);
        Ordered { vocabulary, terms, alphabet }
    }
}

fn key(parent: u32, token: TokenId) -> u64 {
    u64::from(parent) << 32 | u64::from(token.bits())
}

fn hash(key: u64) -> u64 {
    let stirred = (key ^ key >> 32).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    stirred ^ stirred >> 32
}

/// A power of two of parts, by the hashes of keys.
#[derive(Clone, Copy)]
struct Parts {
    bits: u32,
}

impl Parts {
    fn for_tokens(tokens: usize) -> Self {
        Self { bits: (tokens / PART).max(2).ilog2().min(10) }
    }

    fn count(self) -> usize {
        1 << self.bits
    }

    /// The middle bits of the hash tell: a table of one part goes by the others.
    fn of(self, key: u64) -> usize {
        (hash(key) >> 40) as usize & (self.count() - 1)
    }
}

/// Some of the reviews, with the n-grams of one length in them.
struct Block<'b> {
    reviews: Range<usize>,
    /// By place in the block: the n-gram that begins there.
    begins: &'b mut [u32],
    /// By part, then by place: the key of each n-gram; once it is counted, its number in the part.
    keys: Vec<u64>,
    /// As `keys`: the places.
    places: Vec<u32>,
    /// By part: where it ends.
    ends: Vec<u32>,
}

/// Cuts the corpus into blocks of about as many tokens, whole reviews each.
fn blocks<'b>(corpus: &Corpus, mut begins: &'b mut [u32]) -> Vec<Block<'b>> {
    let mut blocks = Vec::new();
    let mut first = 0;
    while first < corpus.rows() {
        let wanted = corpus.starts[first] + BLOCK;
        let end =
            corpus.starts.partition_point(|start| *start <= wanted).clamp(first + 2, corpus.rows() + 1) - 1;
        let (own, rest) = begins.split_at_mut(corpus.starts[end] - corpus.starts[first]);
        blocks.push(Block {
            reviews: first..end,
            begins: own,
            keys: Vec::new(),
            places: Vec::new(),
            ends: Vec::new(),
        });
        (begins, first) = (rest, end);
    }
    blocks
}

/// The n-grams of one part in one block.
struct Run<'b> {
    reviews: Range<usize>,
    keys: &'b mut [u64],
    places: &'b [u32],
}

/// By part: its n-grams, block by block.
fn runs<'r>(blocks: &'r mut [Block<'_>], parts: Parts) -> Vec<Vec<Run<'r>>> {
    let mut runs: Vec<Vec<Run<'r>>> = (0..parts.count()).map(|_| Vec::with_capacity(blocks.len())).collect();
    for Block { reviews, keys, places, ends, .. } in blocks {
        let (mut keys, mut begin) = (keys.as_mut_slice(), 0);
        for (own, &end) in runs.iter_mut().zip(ends.iter()) {
            let (head, rest) = keys.split_at_mut((end - begin) as usize);
            own.push(Run {
                reviews: reviews.clone(),
                keys: head,
                places: &places[begin as usize..end as usize],
            });
            (keys, begin) = (rest, end);
        }
    }
    runs
}

impl Block<'_> {
    /// Deals n-grams into parts: once to see how many come into each, once to put them there.
    fn deal(&mut self, grams: &Grams, corpus: &Corpus, sought: Longer, parts: Parts) {
        let base = corpus.starts[self.reviews.start];
        let mut counts = vec![0u32; parts.count()];
        grams.each(corpus, sought, self.reviews.clone(), |_, key| counts[parts.of(key)] += 1);
        let all = counts.iter().sum::<u32>() as usize;
        let mut next: Vec<u32> =
            counts.iter().scan(0, |sum, count| Some(std::mem::replace(sum, *sum + count))).collect();
        let (mut keys, mut places) = (vec![0; all], vec![0; all]);
        grams.each(corpus, sought, self.reviews.clone(), |place, key| {
            let next = &mut next[parts.of(key)];
            (keys[*next as usize], places[*next as usize]) = (key, (place - base) as u32);
            *next += 1;
        });
        // Each part now ends where the next begins.
        (self.keys, self.places, self.ends) = (keys, places, next);
    }

    /// Writes the n-grams where they begin, given their numbers by part.
    fn number(self, numbers: &[Vec<u32>]) {
        let mut begin = 0;
        for (numbers, &end) in numbers.iter().zip(&self.ends) {
            let run = begin as usize..end as usize;
            for (own, place) in self.keys[run.clone()].iter().zip(&self.places[run]) {
                if *own != u64::MAX {
                    self.begins[*place as usize] = numbers[*own as usize];
                }
            }
            begin = end;
        }
    }
}

/// What is counted of one part.
#[derive(Default)]
struct Table {
    items: Vec<(u64, ReviewCount)>,
    /// By hash of the key: its item.
    places: HashTable<u32>,
}

impl Table {
    /// Counts the reviews that hold each key of a part, and gives those that are `kept`. In the place of
    /// its key, each n-gram then has its number among these, or [`u64::MAX`].
    fn count(
        &mut self,
        mut runs: Vec<Run<'_>>,
        corpus: &Corpus,
        kept: impl Fn(u64, u32) -> bool,
    ) -> Vec<Gram> {
        self.items.clear();
        self.places.clear();
        for Run { reviews, keys, places } in &mut runs {
            let (base, mut review) = (corpus.starts[reviews.start], reviews.start);
            for (key, place) in keys.iter_mut().zip(*places) {
                while corpus.starts[review + 1] <= base + *place as usize {
                    review += 1;
                }
                let item = self.item(*key);
                self.items[item].1.see(review as u32);
                *key = item as u64;
            }
        }
        let mut grams = Vec::new();
        let number = |(key, count): &(u64, ReviewCount)| {
            if !kept(*key, count.reviews) {
                return u64::MAX;
            }
            let (parent, token) = ((key >> 32) as u32, TokenId::from_bits(*key as u32));
            grams.push(Gram { parent, token, reviews: count.reviews });
            grams.len() as u64 - 1
        };
        let numbers: Vec<u64> = self.items.iter().map(number).collect();
        for item in runs.iter_mut().flat_map(|run| run.keys.iter_mut()) {
            *item = numbers[*item as usize];
        }
        grams
    }

    /// The item of a key, which is added if it is new.
    fn item(&mut self, key: u64) -> usize {
        let Self { items, places } = self;
        let key_of = |item: &u32| items[*item as usize].0;
        let next = items.len() as u32;
        let same = |item: &u32| key_of(item) == key;
        let item = *places.entry(hash(key), same, |item| hash(key_of(item))).or_insert(next).get();
        if item == next {
            items.push((key, ReviewCount::NONE));
        }
        item as usize
    }
}

fn singles(corpus: &Corpus, floor: impl Fn(MadeOf) -> u32, forced: &FxHashSet<TokenId>) -> Vec<Gram> {
    let note = |review: u32, counts: &mut [ReviewCount]| note_review(corpus, review, counts);
    let counts = reviews_by_place(corpus.rows(), corpus.words.len() * 2, note);
    let enough = |(token, reviews): (usize, u32)| {
        let token = TokenId::from_bits(token as u32);
        let floor = floor(MadeOf::of_word(corpus.words.word(token.word())));
        (reviews >= floor || reviews > 0 && forced.contains(&token)).then_some(Gram {
            parent: NONE,
            token,
            reviews,
        })
    };
    counts.into_iter().enumerate().filter_map(enough).collect()
}

fn note_review(corpus: &Corpus, review: u32, counts: &mut [ReviewCount]) {
    let plainly = corpus.rules.plainly;
    for &id in corpus.review(review as usize).iter().filter(|id| !id.is_sentence_end()) {
        counts[id.place()].see(review);
        if plainly.word != 0 {
            counts[id.plain().place()].see(review);
        }
        for &part in corpus.subwords.of(id.word()) {
            let part = id.with_word(part);
            counts[part.place()].see(review);
            if plainly.subwords != 0 {
                counts[part.plain().place()].see(review);
            }
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
