//! From an n-gram and the token behind it to the longer n-gram, in few bytes.
//!
//! A look-up of a million terms misses the caches, so it should miss them once, in a table that is as small as can be.
//! A key is mixed by a bijection first. The highest bits of the result are its bucket and need not be kept (quotienting:
//! Knuth (1998), "The art of computer programming", volume 3, second edition, exercise 6.4-13); what is left of it
//! stands above the term. Buckets stand one behind the other without a gap: a million terms of a hundred thousand words
//! take five bytes each, and one more for where buckets begin.

use rayon::prelude::*;

use super::term_id::TermId;
use super::token_id::TokenId;
use crate::ahead::{ask, fold_ahead};

/// Terms of one bucket at least, as many as are expected; at most twice as many are.
const BUCKET: usize = 2;
/// Slots that are compared in every bucket: nearly all have no more.
const COMPARED: usize = 6;
/// An odd number: to multiply by it permutes the numbers of any width.
const MIX: u64 = 0x9e37_79b9_7f4a_7c15;
/// Bytes of a slot at least.
const NARROWEST: u32 = 4;
/// Bytes that are read of a slot, whatever its width.
const READ: usize = size_of::<u64>();

/// A table of n-grams of two words and more. Exact: no two keys are taken for each other.
#[derive(Debug, Clone, Default)]
pub struct Lookup {
    /// The width of a key.
    key_bits: u32,
    token_bits: u32,
    term_bits: u32,
    bucket_bits: u32,
    /// By bucket, which is the highest bits of the mixed key: where its slots begin. Behind them is one that is empty.
    starts: Vec<u32>,
    /// Bytes of a slot.
    width: usize,
    /// The slots: the rest of the mixed key above a term, the lowest byte first. Behind them is room to read on.
    slots: Vec<u8>,
    /// Whether a key stood there twice.
    twice: bool,
}

/// What is looked for: in which bucket, and the rest of its mixed key.
#[derive(Debug, Clone, Copy)]
pub(crate) struct SoughtTerm {
    bucket: u32,
    rest: u64,
}

impl Lookup {
    /// The table of these terms, those without a parent left out.
    ///
    /// # Panics
    /// If there are more than about 2^25 terms of 2^24 tokens: keys and terms must fit 64 bits.
    pub(crate) fn new(parents: &[TermId], tokens: &[TokenId]) -> Self {
        let highest = tokens.par_iter().map(|token| token.bits()).max().unwrap_or(0);
        let token_bits = width_of(highest.into());
        let most_bits = width_of(parents.len() as u64) + token_bits;
        let bucket_bits = (parents.len() / BUCKET).max(2).ilog2().min(most_bits);
        let Some(mut own) = Self::of_size(parents.len(), [bucket_bits, token_bits]) else {
            panic!("{} terms of {highest} tokens are too many to be looked up", parents.len());
        };
        let key = |(term, (parent, token)): (usize, (&TermId, &TokenId))| {
            Some((own.mixed(parent.some()?, *token)?, term as u64))
        };
        // By bucket, then by what is left of the key.
        let mut keys: Vec<(u64, u64)> = parents.par_iter().zip(tokens).enumerate().filter_map(key).collect();
        keys.par_sort_unstable();
        let rest_bits = own.key_bits - bucket_bits;
        let mut counts = vec![0u32; 1 << bucket_bits];
        let mut slots = vec![0; (keys.len() + COMPARED) * own.width + READ];
        for (at, (mixed, term)) in keys.iter().enumerate() {
            counts[(mixed >> rest_bits) as usize] += 1;
            let slot = (mixed & ((1 << rest_bits) - 1)) << own.term_bits | term;
            // What is written beyond the width is written over by the next slot.
            slots[at * own.width..][..READ].copy_from_slice(&slot.to_le_bytes());
        }
        own.twice = keys.windows(2).any(|pair| pair[0].0 == pair[1].0);
        (own.starts, own.slots) = (starts(counts.into_iter()), slots);
        own
    }

    /// A table without terms, if keys and terms of so many bits fit.
    fn of_size(terms: usize, [bucket_bits, token_bits]: [u32; 2]) -> Option<Self> {
        let term_bits = width_of(terms as u64);
        let key_bits = term_bits.checked_add(token_bits).filter(|bits| *bits < u64::BITS)?;
        let slot_bits = key_bits.checked_sub(bucket_bits)? + term_bits;
        let width = slot_bits.div_ceil(u8::BITS).max(NARROWEST) as usize;
        let own = Self { key_bits, token_bits, term_bits, bucket_bits, width, ..Self::default() };
        (slot_bits < u64::BITS).then_some(own)
    }

    /// The table as a file keeps it; nothing where a bucket has more slots than a byte tells.
    pub fn stored(&self) -> Option<Stored<'_>> {
        let counts = self.starts.windows(2).take(1 << self.bucket_bits);
        let counts = counts.map(|pair| u8::try_from(pair[1] - pair[0]).ok()).collect::<Option<_>>()?;
        let slots = &self.slots[..self.slots.len() - COMPARED * self.width - READ];
        Some(Stored { bits: [self.bucket_bits, self.token_bits], counts, slots })
    }

    /// The table that a file keeps of so many terms; nothing if it is none.
    pub fn from_stored(terms: usize, Stored { bits, counts, slots }: &Stored<'_>) -> Option<Self> {
        let mut own = Self::of_size(terms, *bits).filter(|own| counts.len() == 1 << own.bucket_bits)?;
        let all: usize = counts.iter().map(|count| usize::from(*count)).sum();
        if slots.len() != all * own.width || u32::try_from(all).is_err() {
            return None;
        }
        own.starts = starts(counts.iter().map(|count| u32::from(*count)));
        let padded = slots.len() + COMPARED * own.width + READ;
        own.slots = Vec::with_capacity(padded);
        own.slots.extend_from_slice(slots);
        own.slots.resize(padded, 0);
        let (mut sound, mut at) = (true, 0);
        for count in counts {
            let mut last = None;
            for _ in 0..*count {
                let slot =
                    own.slots[at..].first_chunk::<READ>().map_or(0, |bytes| u64::from_le_bytes(*bytes));
                let slot = slot & (u64::MAX >> (u64::BITS - 8 * own.width as u32));
                let rest = slot >> own.term_bits;
                sound &= ((slot & ((1 << own.term_bits) - 1)) as usize) < terms;
                own.twice |= last == Some(rest);
                last = Some(rest);
                at += own.width;
            }
        }
        sound.then_some(own)
    }

    /// The number of its terms.
    pub fn len(&self) -> usize {
        self.starts.last().map_or(0, |end| *end as usize)
    }

    /// Whether it has no terms.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Whether a key stood there twice; of its terms, one is found.
    pub(crate) fn has_doubles(&self) -> bool {
        self.twice
    }

    /// A key, mixed; nothing where no term can have it.
    #[inline]
    fn mixed(&self, parent: TermId, token: TokenId) -> Option<u64> {
        let (parent, token) = (u64::from(parent.column()), u64::from(token.bits()));
        let all = (1 << self.key_bits) - 1;
        (token >> self.token_bits == 0).then(|| (parent << self.token_bits | token).wrapping_mul(MIX) & all)
    }

    /// Where `parent` followed by `token` would stand.
    #[inline]
    fn sought(&self, parent: TermId, token: TokenId) -> Option<SoughtTerm> {
        let mixed = self.mixed(parent, token)?;
        let rest_bits = self.key_bits - self.bucket_bits;
        Some(SoughtTerm { bucket: (mixed >> rest_bits) as u32, rest: mixed & ((1 << rest_bits) - 1) })
    }

    /// As [`search`](Self::search), where slots have `W` bytes. Nothing is guessed: whether a slot is
    /// the one is random, and a wrong guess costs more than to compare a few slots in vain.
    #[inline]
    fn search_in<const W: usize>(&self, SoughtTerm { bucket, rest }: SoughtTerm) -> TermId {
        let (begin, end) = (self.starts[bucket as usize] as usize, self.starts[bucket as usize + 1] as usize);
        let terms = 1u64 << self.term_bits;
        // A slot without its rest is a term; what is read above the width belongs to the next slot.
        let wanted = rest << self.term_bits;
        let without = |bytes: &[u8; READ]| {
            (u64::from_le_bytes(*bytes) ^ wanted) << (u64::BITS - 8 * W as u32) >> (u64::BITS - 8 * W as u32)
        };
        let mut found = (terms, usize::MAX);
        let mut compare = |at: usize, bytes: &[u8]| {
            let Some(bytes) = bytes.first_chunk() else { return };
            let term = without(bytes);
            found = if term < terms { (term, at) } else { found };
        };
        for at in (begin + COMPARED..end).rev() {
            compare(at, &self.slots[at * W..]);
        }
        // The first that is the same is the last that is kept: behind it may stand slots of other buckets.
        let near = &self.slots[begin * W..][..(COMPARED - 1) * W + READ];
        (0..COMPARED).rev().for_each(|at| compare(begin + at, &near[at * W..]));
        if found.1 < end { TermId::new(found.0 as u32) } else { TermId::NONE }
    }

    /// The term that is sought, or [`TermId::NONE`].
    #[inline]
    fn search(&self, sought: SoughtTerm) -> TermId {
        match self.width {
            ..=4 => self.search_in::<4>(sought),
            5 => self.search_in::<5>(sought),
            6 => self.search_in::<6>(sought),
            7 => self.search_in::<7>(sought),
            _ => self.search_in::<8>(sought),
        }
    }

    /// The term of `parent` followed by `token`.
    pub(crate) fn find(&self, parent: TermId, token: TokenId) -> Option<TermId> {
        self.search(self.sought(parent, token)?).some()
    }

    /// As [`find`](Self::find), for each of these parents with the token of its place. What a look-up needs
    /// is asked for before its turn; `sought` is room for that.
    pub(crate) fn find_all(
        &self,
        parents: &[TermId],
        tokens: &[TokenId],
        (sought, found): (&mut Vec<SoughtTerm>, &mut Vec<TermId>),
    ) {
        let nothing = SoughtTerm { bucket: self.starts.len() as u32 - 2, rest: 0 };
        let one = |(parent, token): (&TermId, &TokenId)| {
            parent.some().and_then(|parent| self.sought(parent, *token)).unwrap_or(nothing)
        };
        sought.clear();
        sought.extend(parents.iter().zip(tokens).map(one));
        sought.iter().for_each(|sought| ask(&self.starts, sought.bucket as usize));
        let ask = |_: &_, sought: &SoughtTerm| {
            let begin = self.starts[sought.bucket as usize] as usize * self.width;
            ask(&self.slots, begin);
            ask(&self.slots, begin + COMPARED * self.width);
        };
        found.clear();
        fold_ahead(sought, ask, found, |found, sought| {
            found.push(self.search(*sought));
            found
        });
    }
}

/// How many bits a number takes.
fn width_of(number: u64) -> u32 {
    u64::BITS - number.leading_zeros()
}

/// A table as a file keeps it.
#[derive(Debug, Clone)]
pub struct Stored<'a> {
    /// The bits of the number of a bucket, and of a token.
    pub bits: [u32; 2],
    /// By bucket: its slots.
    pub counts: Vec<u8>,
    /// The bytes of all slots, bucket by bucket; in a bucket they rise.
    pub slots: &'a [u8],
}

/// Where buckets with so many slots begin; the last two are the end of all.
fn starts(counts: impl Iterator<Item = u32>) -> Vec<u32> {
    let mut end = 0;
    let mut starts = vec![end];
    starts.extend(counts.map(|count| {
        end += count;
        end
    }));
    starts.push(end);
    starts
}
