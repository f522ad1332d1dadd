//! Seeded draws that stay the same from version to version.

/// A small generator of random numbers: SplitMix64 of Steele, Lea and Flood (2014), "Fast
/// splittable pseudorandom number generators", DOI 10.1145/2660193.2660195. Written out
/// here because a library may change its sequence between versions, and a fold must not.
#[derive(Debug, Clone)]
pub struct Random(u64);

impl Random {
    /// A generator that always gives the same sequence for the same seed.
    pub fn new(seed: u64) -> Self {
        Self(seed)
    }

    /// The next 64 random bits.
    pub fn bits(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        mixed ^ (mixed >> 31)
    }

    /// A number from 0 up to, not including, `end`.
    ///
    /// # Panics
    /// If `end` is zero.
    pub fn below(&mut self, end: usize) -> usize {
        assert!(end > 0, "a draw below 0");
        ((u128::from(self.bits()) * end as u128) >> 64) as usize
    }

    /// A number from 0 up to, not including, 1.
    pub fn unit(&mut self) -> f64 {
        (self.bits() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Puts the items into random order (Fisher and Yates).
    pub fn shuffle<T>(&mut self, items: &mut [T]) {
        for last in (1..items.len()).rev() {
            items.swap(last, self.below(last + 1));
        }
    }
}

/// At most `most` of the numbers below `all`, drawn at random, in rising order.
pub fn draw(all: usize, most: usize, seed: u64) -> Vec<usize> {
    let mut numbers: Vec<usize> = (0..all).collect();
    if most < all {
        let mut random = Random::new(seed);
        for place in 0..most {
            numbers.swap(place, place + random.below(all - place));
        }
        numbers.truncate(most);
        numbers.sort_unstable();
    }
    numbers
}

/// The random place of a key in an order that depends on the seed alone.
pub(crate) fn rank(key: u64, seed: u64) -> u64 {
    Random::new(key ^ seed.wrapping_mul(0xd6e8_feb8_6659_fd93)).bits()
}
