//! From an n-gram and the token behind it to the longer n-gram, in one look into memory.
//!
//! A look-up of a million terms misses the caches, so it should miss them once: the whole key and the
//! term stand together in 64 bits. They fit because a key is mixed by a bijection first, and the
//! highest bits of the result, which say where it stands, need not be kept (quotienting: Knuth (1998),
//! "The art of computer programming", volume 3, second edition, exercise 6.4-13).

use std::hint::black_box;

use rayon::prelude::*;

use super::term_id::TermId;
use super::token_id::TokenId;

/// Terms of one part, as many as are expected: its table stays in the first-level cache while it is built.
const PART: usize = 1 << 10;
/// An odd number: to multiply by it permutes the numbers of any width.
const MIX: u64 = 0x9e37_79b9_7f4a_7c15;

/// No term: terms are numbered below the number that all their bits make.
const FREE: u64 = u64::MAX;

/// A table of n-grams of two words and more. Exact: no two keys are taken for each other.
#[derive(Debug, Clone, Default)]
pub(crate) struct Lookup {
    /// The width of a key.
    key_bits: u32,
    token_bits: u32,
    term_bits: u32,
    part_bits: u32,
    /// By part, which is the highest bits of the mixed key: where its slots begin; the last is their end.
    starts: Vec<u32>,
    /// By part a table of twice as many slots as it has terms, each the rest of the mixed key above a term, or
    /// [`FREE`].
    slots: Vec<u64>,
    /// Whether a key stood there twice.
    twice: bool,
}

impl Lookup {
    /// The table of these terms, those without a parent left out.
    ///
    /// # Panics
    /// If there are more than about 2^25 terms of 2^24 tokens: keys and terms must fit 64 bits.
    pub(crate) fn new(parents: &[TermId], tokens: &[TokenId]) -> Self {
        let width = |most: u64| u64::BITS - most.leading_zeros();
        let highest = tokens.par_iter().map(|token| token.bits()).max().unwrap_or(0);
        let (term_bits, token_bits) = (width(parents.len() as u64), width(highest.into()));
        let key_bits = term_bits + token_bits;
        let part_bits = (parents.len() / PART).max(2).ilog2().min(key_bits);
        let fits = key_bits - part_bits + term_bits <= u64::BITS;
        assert!(fits, "{} terms of {highest} tokens are too many to be looked up", parents.len());
        let mut own = Self { key_bits, token_bits, term_bits, part_bits, ..Self::default() };
        let dealt = own.deal(parents, tokens);
        let of_part = |part: usize| dealt.iter().map(move |piece| piece.part(part));
        let mut end = 0;
        own.starts.push(end);
        for part in 0..1usize << part_bits {
            let all: usize = of_part(part).map(<[u64]>::len).sum();
            // Half is free, at least one, so that every search ends.
            end += (2 * all + 1) as u32;
            own.starts.push(end);
        }
        let mut slots = vec![FREE; end as usize];
        let (mut rest, mut tables) = (slots.as_mut_slice(), Vec::with_capacity(1 << part_bits));
        for part in own.starts.windows(2) {
            let (table, behind) = rest.split_at_mut((part[1] - part[0]) as usize);
            tables.push(table);
            rest = behind;
        }
        let fill = |(part, table): (usize, &mut [u64])| {
            of_part(part).flatten().fold(false, |twice, &slot| {
                let (place, found) = own.place(table, slot >> own.term_bits);
                table[place] = slot;
                twice | found
            })
        };
        let doubles = tables.into_par_iter().enumerate().map(fill).reduce(|| false, |a, b| a | b);
        (own.slots, own.twice) = (slots, doubles);
        own
    }

    /// Whether a key stood there twice; of its terms, one is found.
    pub(crate) fn has_doubles(&self) -> bool {
        self.twice
    }

    /// Every slot to be, by part. Each core deals some of the terms.
    fn deal(&self, parents: &[TermId], tokens: &[TokenId]) -> Vec<Dealt> {
        let piece = parents.len().div_ceil(rayon::current_num_threads()).max(1);
        let of_piece = |(at, (parents, tokens)): (usize, (&[TermId], &[TokenId]))| {
            let slots = || {
                let both = parents.iter().zip(tokens).enumerate();
                both.filter_map(|(place, (parent, token))| {
                    let (part, rest) = self.split(parent.some()?, *token)?;
                    Some((part, rest << self.term_bits | (at * piece + place) as u64))
                })
            };
            let mut ends = vec![0; 1 << self.part_bits];
            slots().for_each(|(part, _)| ends[part] += 1);
            let all: usize = ends.iter().sum();
            let mut sum = 0;
            ends.iter_mut().for_each(|count| sum += std::mem::replace(count, sum));
            let mut dealt = vec![0; all];
            for (part, slot) in slots() {
                dealt[ends[part]] = slot;
                ends[part] += 1; // in the end, where the next part begins
            }
            Dealt { slots: dealt, ends }
        };
        parents.par_chunks(piece).zip(tokens.par_chunks(piece)).enumerate().map(of_piece).collect()
    }

    /// The part of a key, and what is left of it; nothing where no term can have it.
    fn split(&self, parent: TermId, token: TokenId) -> Option<(usize, u64)> {
        let (parent, token) = (u64::from(parent.column()), u64::from(token.bits()));
        if token >> self.token_bits != 0 {
            return None;
        }
        let all = (1 << self.key_bits) - 1;
        let mixed = (parent << self.token_bits | token).wrapping_mul(MIX) & all;
        let rest_bits = self.key_bits - self.part_bits;
        Some(((mixed >> rest_bits) as usize, mixed & ((1 << rest_bits) - 1)))
    }

    fn part(&self, part: usize) -> &[u64] {
        &self.slots[self.starts[part] as usize..self.starts[part + 1] as usize]
    }

    /// Where the search for a rest begins.
    fn first(slots: &[u64], rest: u64) -> usize {
        // The highest 32 bits as a share of the table: its size need not be a power of two.
        (((rest.wrapping_mul(MIX) >> 32) * slots.len() as u64) >> 32) as usize
    }

    /// The place of a rest, and whether it is there: else it is free.
    fn place(&self, slots: &[u64], rest: u64) -> (usize, bool) {
        let mut place = Self::first(slots, rest);
        loop {
            match slots[place] {
                FREE => return (place, false),
                slot if slot >> self.term_bits == rest => return (place, true),
                _ if place + 1 == slots.len() => place = 0,
                _ => place += 1,
            }
        }
    }

    /// The term of `parent` followed by `token`.
    pub(crate) fn find(&self, parent: TermId, token: TokenId) -> Option<TermId> {
        let (part, rest) = self.split(parent, token)?;
        let slots = self.part(part);
        let (place, found) = self.place(slots, rest);
        found.then(|| TermId::new((slots[place] & ((1 << self.term_bits) - 1)) as u32))
    }

    /// As [`find`](Self::find), for each of these parents with the token of its place. All slots are asked for
    /// before the first is looked at, so that the misses of the caches overlap.
    pub(crate) fn find_all(&self, parents: &[TermId], tokens: &[TokenId], found: &mut Vec<TermId>) {
        let both = || parents.iter().zip(tokens);
        let slot = |(parent, token): (&TermId, &TokenId)| {
            let (part, rest) = self.split(parent.some()?, *token)?;
            let slots = self.part(part);
            Some(slots[Self::first(slots, rest)])
        };
        black_box(both().filter_map(slot).fold(0, |all, slot| all ^ slot));
        found.clear();
        found.extend(both().map(|(parent, token)| {
            parent.some().and_then(|parent| self.find(parent, *token)).unwrap_or(TermId::NONE)
        }));
    }
}

/// Slots to be, by part.
struct Dealt {
    slots: Vec<u64>,
    ends: Vec<usize>,
}

impl Dealt {
    fn part(&self, part: usize) -> &[u64] {
        let start = if part == 0 { 0 } else { self.ends[part - 1] };
        &self.slots[start..self.ends[part]]
    }
}
