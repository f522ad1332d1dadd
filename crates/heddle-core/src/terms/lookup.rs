//! From an n-gram and the token behind it to the longer n-gram, in few bytes.
//!
//! A look-up of a million terms misses the caches, so it should miss them once, in a table that is as small as can be.
//! A key is mixed by a bijection first. The highest bits of the result are its bucket and need not be kept (quotienting:
//! Knuth (1998), "The art of computer programming", volume 3, second edition, exercise 6.4-13); what is left of it
//! stands above the term. Buckets stand one behind the other without a gap: a million terms of a hundred thousand words
//! take five bytes each, and one more for where buckets begin.

use std::hint::black_box;

use rayon::prelude::*;

use super::term_id::TermId;
use super::token_id::TokenId;

/// Terms of one part, as many as are expected: it stays in the first-level cache while it is put in order.
const PART: usize = 1 << 10;
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
pub(crate) struct Sought {
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
        let width = own.width;
        let part_bits = (parents.len() / PART).max(2).ilog2().min(bucket_bits);
        let dealt = own.deal((parents, tokens), part_bits);
        let parts: Vec<Part> =
            (0..1 << part_bits).into_par_iter().map(|part| own.part(&dealt, part, part_bits)).collect();
        own.starts.reserve((1 << bucket_bits) + 2);
        own.starts.push(0);
        for part in &parts {
            let begin = own.starts.last().copied().unwrap_or(0);
            own.starts.extend(part.ends.iter().map(|end| begin + end));
        }
        let all = own.starts.last().copied().unwrap_or(0);
        own.starts.push(all);
        own.slots = vec![0; (all as usize + COMPARED) * width + READ];
        let mut rest = own.slots.as_mut_slice();
        for part in &parts {
            let (bytes, behind) = rest.split_at_mut(part.slots.len() * width);
            pack(&part.slots, bytes, width);
            rest = behind;
        }
        own.twice = parts.iter().any(|part| part.twice);
        own
    }

    /// Each term below its mixed key without the bits of its part, by part. Each core deals some of the terms.
    fn deal(&self, (parents, tokens): (&[TermId], &[TokenId]), part_bits: u32) -> Vec<Dealt> {
        let piece = parents.len().div_ceil(rayon::current_num_threads()).max(1);
        let rest_bits = self.key_bits - part_bits;
        let of_piece = |(at, (parents, tokens)): (usize, (&[TermId], &[TokenId]))| {
            let mut dealt = Dealt { slots: Vec::new(), ends: vec![0; 1 << part_bits] };
            let mixed: Vec<Option<u64>> = parents
                .iter()
                .zip(tokens)
                .map(|(parent, token)| self.mixed(parent.some()?, *token))
                .collect();
            mixed.iter().flatten().for_each(|mixed| dealt.ends[(mixed >> rest_bits) as usize] += 1);
            let mut all = 0;
            dealt.ends.iter_mut().for_each(|count| all += std::mem::replace(count, all));
            dealt.slots.resize(all, 0);
            for (term, mixed) in mixed.iter().enumerate() {
                let Some(mixed) = mixed else { continue };
                let next = &mut dealt.ends[(mixed >> rest_bits) as usize];
                let rest = mixed & ((1 << rest_bits) - 1);
                dealt.slots[*next] = rest << self.term_bits | (at * piece + term) as u64;
                *next += 1; // in the end, where the next part begins
            }
            dealt
        };
        parents.par_chunks(piece).zip(tokens.par_chunks(piece)).enumerate().map(of_piece).collect()
    }

    /// The slots of one part, by bucket.
    fn part(&self, dealt: &[Dealt], part: usize, part_bits: u32) -> Part {
        let slot_bits = self.key_bits - self.bucket_bits + self.term_bits;
        let bucket = |slot: u64| (slot >> slot_bits) as usize;
        let own = || dealt.iter().flat_map(|piece| piece.part(part)).copied();
        let mut ends = vec![0u32; 1 << (self.bucket_bits - part_bits)];
        own().for_each(|slot| ends[bucket(slot)] += 1);
        let mut all = 0;
        ends.iter_mut().for_each(|count| all += std::mem::replace(count, all));
        let mut slots = vec![0; all as usize];
        for slot in own() {
            let next = &mut ends[bucket(slot)];
            slots[*next as usize] = slot & ((1 << slot_bits) - 1);
            *next += 1; // in the end, where the next bucket begins
        }
        let (mut begin, mut twice) = (0, false);
        for &end in &ends {
            let bucket = &mut slots[begin..end as usize];
            bucket.sort_unstable();
            twice |= bucket.windows(2).any(|pair| pair[0] >> self.term_bits == pair[1] >> self.term_bits);
            begin = end as usize;
        }
        Part { ends, slots, twice }
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
        own.starts.reserve(counts.len() + 2);
        let mut all = 0u32;
        for count in counts {
            own.starts.push(all);
            all = all.checked_add(u32::from(*count))?;
        }
        own.starts.extend([all; 2]);
        if slots.len() != all as usize * own.width {
            return None;
        }
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
    fn sought(&self, parent: TermId, token: TokenId) -> Option<Sought> {
        let mixed = self.mixed(parent, token)?;
        let rest_bits = self.key_bits - self.bucket_bits;
        Some(Sought { bucket: (mixed >> rest_bits) as u32, rest: mixed & ((1 << rest_bits) - 1) })
    }

    /// As [`search`](Self::search), where slots have `W` bytes. Nothing is guessed: whether a slot is
    /// the one is random, and a wrong guess costs more than to compare a few slots in vain.
    #[inline]
    fn search_in<const W: usize>(&self, Sought { bucket, rest }: Sought) -> TermId {
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
    fn search(&self, sought: Sought) -> TermId {
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

    /// As [`find`](Self::find), for each of these parents with the token of its place. All buckets are asked for
    /// before the first is looked at, in loops that do nothing else, so that as many misses of the caches overlap as a
    /// core can wait for; `sought` is room for that.
    pub(crate) fn find_all(
        &self,
        parents: &[TermId],
        tokens: &[TokenId],
        (sought, found): (&mut Vec<Sought>, &mut Vec<TermId>),
    ) {
        let nothing = Sought { bucket: self.starts.len() as u32 - 2, rest: 0 };
        let one = |(parent, token): (&TermId, &TokenId)| {
            parent.some().and_then(|parent| self.sought(parent, *token)).unwrap_or(nothing)
        };
        sought.clear();
        sought.extend(parents.iter().zip(tokens).map(one));
        let start = |sought: &Sought| self.starts[sought.bucket as usize];
        black_box(sought.iter().fold(0, |read, sought| read ^ start(sought)));
        let both_ends = |sought: &Sought| {
            let begin = start(sought) as usize * self.width;
            self.slots[begin] ^ self.slots[begin + COMPARED * self.width]
        };
        black_box(sought.iter().fold(0, |read, sought| read ^ both_ends(sought)));
        found.clear();
        found.extend(sought.iter().map(|sought| self.search(*sought)));
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

/// Neighbouring buckets.
struct Part {
    /// By bucket: where its slots end.
    ends: Vec<u32>,
    slots: Vec<u64>,
    twice: bool,
}

/// Writes slots one behind the other, each in so many bytes.
fn pack(slots: &[u64], bytes: &mut [u8], width: usize) {
    for (at, slot) in slots.iter().enumerate() {
        let (bytes, slot) = (&mut bytes[at * width..], slot.to_le_bytes());
        match bytes.first_chunk_mut() {
            // What is written beyond the width is written over by the next slot.
            Some(room) => *room = slot,
            None => bytes[..width].copy_from_slice(&slot[..width]),
        }
    }
}
