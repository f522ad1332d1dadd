//! Rows that must stay on one side: of equal or nearly equal text, or of one customer.

use std::convert::Infallible;

use rayon::prelude::*;
use xxhash_rust::xxh3::xxh3_64_with_seed;

/// Bytes of letters in one shingle.
const SHINGLE: usize = 6;
/// Bins of a sketch.
const BINS: usize = 64;
/// Bands of a sketch, and the bins of each: texts that are 80 % alike share a band with a
/// chance of 99 %, at 85 % it is 99.9 %.
const BANDS: usize = 12;
const BAND: usize = 5;
/// Texts with fewer letters are alike only if they are equal: one other word would make too
/// much of a difference.
const SHORTEST: usize = 40;

/// One byte for each bin of the hashed shingles of a text.
pub type Sketch = [u8; BINS];

/// What is kept of a text to find its likes: a key that is equal for texts that differ only
/// in case, blanks and marks, and a sketch of those that are long enough.
///
/// The sketch holds one byte for each of 64 bins of the hashed six-letter shingles: one
/// permutation hashing of Li, Owen and Zhang (2012), "One permutation hashing", with the
/// densification by rotation of Shrivastava and Li (2014), arXiv:1406.4784, and of each
/// minimum the lowest eight bits, after Li and König (2010), "b-Bit minwise hashing", DOI
/// 10.1145/1772690.1772759.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fingerprint {
    /// The key of the text.
    pub key: u64,
    /// The sketch; missing for a short text.
    pub sketch: Option<Sketch>,
}

impl Fingerprint {
    /// Takes the fingerprint of a text. Linear in its length.
    pub fn of(text: &str) -> Self {
        let plain = plain(text);
        let sketch = (plain.len() >= SHORTEST).then(|| sketch(&plain));
        Self { key: key(text, &plain), sketch }
    }

    /// The share of shingles that two texts have in common (Jaccard's index), estimated from
    /// their sketches with a standard error of at most 6 %; 1 for equal keys, 0 if either
    /// text is too short for a sketch.
    pub fn likeness(&self, other: &Self) -> f64 {
        match (&self.sketch, &other.sketch) {
            _ if self.key == other.key => 1.0,
            (Some(own), Some(other)) => likeness(own, other),
            _ => 0.0,
        }
    }
}

/// Letters and digits in lower case, nothing between them, as UTF-8.
fn plain(text: &str) -> Vec<u8> {
    if text.is_ascii() {
        // Every byte is written, and one that is left out is written over: no branch is guessed wrong.
        let (mut plain, mut kept) = (vec![0; text.len()], 0);
        for byte in text.bytes() {
            plain[kept] = byte.to_ascii_lowercase();
            kept += usize::from(byte.is_ascii_alphanumeric());
        }
        plain.truncate(kept);
        return plain;
    }
    let mut plain = String::with_capacity(text.len());
    for char in text.chars() {
        if char.is_ascii_alphanumeric() {
            plain.push(char.to_ascii_lowercase());
        } else if !char.is_ascii() && char.is_alphanumeric() {
            plain.extend(char.to_lowercase());
        }
    }
    plain.into_bytes()
}

/// The key of a text: equal for texts that differ only in case, blanks and marks.
///
/// Keys are the same on every machine and in every version (XXH3).
pub fn text_key(text: &str) -> u64 {
    key(text, &plain(text))
}

/// The key of a text whose letters and digits are `plain`.
fn key(text: &str, plain: &[u8]) -> u64 {
    // A text of marks alone, such as ":-)", is its own key.
    let bytes = if plain.is_empty() { text.trim().as_bytes() } else { plain };
    xxh3_64_with_seed(bytes, 0)
}

/// The key of a field's value, such as a customer's name.
pub fn value_key(column: usize, value: &str) -> u64 {
    xxh3_64_with_seed(value.trim().as_bytes(), 1 + column as u64)
}

fn sketch(letters: &[u8]) -> [u8; BINS] {
    const EMPTY: u32 = u32::MAX;
    let mut least = [EMPTY; BINS];
    let mut window = 0u64;
    for (at, byte) in letters.iter().enumerate() {
        window = (window << 8 | u64::from(*byte)) & ((1 << (8 * SHINGLE)) - 1);
        if at + 1 >= SHINGLE {
            let mut hash = window.wrapping_mul(0x9e37_79b9_7f4a_7c15);
            hash = (hash ^ (hash >> 32)).wrapping_mul(0xd6e8_feb8_6659_fd93);
            hash ^= hash >> 29;
            let bin = (hash >> 58) as usize;
            least[bin] = least[bin].min(hash as u32);
        }
    }
    // An empty bin takes the next one's minimum, mixed with the distance to it.
    let mut bytes = [0; BINS];
    for (bin, byte) in bytes.iter_mut().enumerate() {
        let ahead = (0..BINS).find(|ahead| least[(bin + ahead) % BINS] != EMPTY).unwrap_or(0);
        let value = least[(bin + ahead) % BINS].wrapping_add((ahead as u32).wrapping_mul(0x9e37_79b9));
        *byte = (value ^ value >> 15 ^ value >> 24) as u8;
    }
    bytes
}

/// The share of equal bins, less what chance alone makes equal.
fn likeness(a: &[u8; BINS], b: &[u8; BINS]) -> f64 {
    const CHANCE: f64 = 1.0 / 256.0;
    let equal = a.iter().zip(b).filter(|(a, b)| a == b).count();
    ((equal as f64 / BINS as f64 - CHANCE) / (1.0 - CHANCE)).max(0.0)
}

/// Where sketches are kept: in memory, or in a file where there are too many.
pub trait Sketches {
    /// What can go wrong.
    type Error;

    /// Adds a sketch.
    ///
    /// # Errors
    /// If there is no room.
    fn add(&mut self, sketch: &Sketch) -> Result<(), Self::Error>;

    /// The sketch that was added as number `at`, from 0.
    ///
    /// # Errors
    /// If it cannot be read.
    fn sketch(&self, at: u32) -> Result<Sketch, Self::Error>;

    /// Gives all of them in order.
    ///
    /// # Errors
    /// If they cannot be read.
    fn each(&self, give: &mut dyn FnMut(u32, &Sketch)) -> Result<(), Self::Error>;
}

impl Sketches for Vec<Sketch> {
    type Error = Infallible;

    fn add(&mut self, sketch: &Sketch) -> Result<(), Infallible> {
        self.push(*sketch);
        Ok(())
    }

    fn sketch(&self, at: u32) -> Result<Sketch, Infallible> {
        Ok(self[at as usize])
    }

    fn each(&self, give: &mut dyn FnMut(u32, &Sketch)) -> Result<(), Infallible> {
        self.iter().enumerate().for_each(|(at, sketch)| give(at as u32, sketch));
        Ok(())
    }
}

/// What is known of the ties of many rows. Takes 8 bytes a row and shared column and 12 for its
/// text, beside the sketches, and 17 more while groups are sought.
#[derive(Debug, Clone, Default)]
pub struct Grouping<S = Vec<Sketch>> {
    texts: Vec<u64>,
    /// By sketch: its row.
    sketched: Vec<u32>,
    sketches: S,
    /// By column that ties rows: the key of each row's value, 0 for a blank.
    shared: Vec<Vec<u64>>,
}

/// Rows tied together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Groups {
    /// By row: the key of its group.
    pub keys: Vec<u64>,
    /// Pairs of rows of nearly equal text, one for each row that is like an earlier one.
    pub near: Vec<(u32, u32)>,
}

impl Grouping {
    /// For rows that may share values of this many columns.
    pub fn new(columns: usize) -> Self {
        Self::kept_in(Vec::new(), columns)
    }
}

impl<S: Sketches> Grouping<S> {
    /// For rows that may share values of this many columns, with a place for their sketches.
    pub fn kept_in(sketches: S, columns: usize) -> Self {
        Self { texts: Vec::new(), sketched: Vec::new(), sketches, shared: vec![Vec::new(); columns] }
    }

    /// Adds a row: its text, and its value in each column, where it has one.
    ///
    /// # Errors
    /// If the sketch cannot be kept.
    ///
    /// # Panics
    /// If there is not one value for each column.
    pub fn push(&mut self, text: &Fingerprint, values: &[Option<u64>]) -> Result<(), S::Error> {
        assert_eq!(
            values.len(),
            self.shared.len(),
            "{} values for {} columns",
            values.len(),
            self.shared.len()
        );
        if let Some(sketch) = &text.sketch {
            self.sketched.push(self.texts.len() as u32);
            self.sketches.add(sketch)?;
        }
        self.texts.push(text.key);
        self.shared.iter_mut().zip(values).for_each(|(column, value)| column.push(value.unwrap_or(0)));
        Ok(())
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.texts.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.texts.is_empty()
    }

    /// Ties rows of equal text, of equal values, and of texts that are `alike` or more (from
    /// 0 to 1; at 1 only equal ones). Rows tied to the same row are tied: groups are connected
    /// components.
    ///
    /// The key of a group is the least value key of its first shared column, or the least key
    /// of its texts where it has none: it stays the same when rows of the same customer, or
    /// of the same text, join later. Near texts are sought band by band: rows with an equal
    /// band are compared with the first of them and with their neighbour, so that the cost is
    /// that of a sort for each band, whatever the texts are.
    ///
    /// # Errors
    /// If the sketches cannot be read.
    pub fn groups(&self, alike: f64) -> Result<Groups, S::Error> {
        let mut ties = Ties { parents: (0..self.len() as u32).collect() };
        ties.join_equal(&self.texts, false);
        let mut near = if alike < 1.0 { self.near(alike, &mut ties)? } else { Vec::new() };
        self.shared.iter().for_each(|column| ties.join_equal(column, true));
        near.iter().for_each(|&(a, b)| ties.join(a, b));
        near.sort_unstable_by_key(|&(a, b)| (b, a));
        near.dedup_by_key(|(_, b)| *b);
        Ok(Groups { keys: self.keys(&mut ties), near })
    }

    /// What stands on more than one side. `sides` holds the side of each row; rows without one
    /// are nowhere.
    ///
    /// # Panics
    /// If there is not one side for each row.
    pub fn overlap(&self, groups: &Groups, sides: &[Option<u8>]) -> Overlap {
        assert_eq!(sides.len(), self.len(), "{} sides for {} rows", sides.len(), self.len());
        let apart = |pair: &&(u32, u32)| match (sides[pair.0 as usize], sides[pair.1 as usize]) {
            (Some(a), Some(b)) => a != b,
            _ => false,
        };
        Overlap {
            texts: on_two_sides(&self.texts, sides, false),
            near: groups.near.iter().filter(apart).count(),
            shared: self.shared.iter().map(|column| on_two_sides(column, sides, true)).collect(),
        }
    }

    fn keys(&self, ties: &mut Ties) -> Vec<u64> {
        // The rank of a row's key, and the key: those of its first shared column come first.
        let own = |row: usize| {
            let shared = self.shared.iter().enumerate().find(|(_, column)| column[row] != 0);
            shared.map_or((u8::MAX, self.texts[row]), |(at, column)| (at as u8, column[row]))
        };
        let (mut ranks, mut keys) = (vec![u8::MAX; self.len()], vec![u64::MAX; self.len()]);
        for row in 0..self.len() {
            let root = ties.root(row as u32) as usize;
            (ranks[root], keys[root]) = (ranks[root], keys[root]).min(own(row));
        }
        drop(ranks);
        // A root stands before the rows of its group.
        for row in (0..self.len()).rev() {
            keys[row] = keys[ties.root(row as u32) as usize];
        }
        keys
    }

    /// Pairs of rows of nearly equal text. Of equal texts, which are tied already, only the
    /// first takes part.
    fn near(&self, alike: f64, ties: &mut Ties) -> Result<Vec<(u32, u32)>, S::Error> {
        let mut pairs: Vec<(u32, u32)> = Vec::new();
        let mut order: Vec<(u32, u32)> = Vec::new();
        for band in 0..BANDS {
            order.clear();
            self.sketches.each(&mut |at, sketch| {
                let row = self.sketched[at as usize];
                if ties.root(row) == row {
                    order.push((band_key(sketch, band), at));
                }
            })?;
            order.par_sort_unstable();
            for run in order.chunk_by(|a, b| a.0 == b.0).filter(|run| run.len() > 1) {
                let first = self.sketches.sketch(run[0].1)?;
                let mut before = first;
                for (at, pair) in run.windows(2).enumerate() {
                    let own = self.sketches.sketch(pair[1].1)?;
                    let like = if likeness(&first, &own) >= alike {
                        Some(run[0].1)
                    } else {
                        (at > 0 && likeness(&before, &own) >= alike).then_some(pair[0].1)
                    };
                    let row = |at: u32| self.sketched[at as usize];
                    pairs.extend(like.map(|other| (row(other), row(pair[1].1))));
                    before = own;
                }
            }
        }
        Ok(pairs)
    }
}

/// By row: the key of its group where rows are tied that any of these divisions ties, each given by the keys of
/// its groups. The key is the least that the first division has in the group.
///
/// # Panics
/// If the divisions are of different rows, or there is none.
pub fn tied_by_any(divisions: &[Vec<u64>]) -> Vec<u64> {
    let rows = divisions[0].len();
    assert!(divisions.iter().all(|keys| keys.len() == rows), "divisions of different rows");
    let mut ties = Ties { parents: (0..rows as u32).collect() };
    divisions.iter().for_each(|keys| ties.join_equal(keys, false));
    let mut least = divisions[0].clone();
    for (row, key) in (0..).zip(&divisions[0]) {
        let root = ties.root(row) as usize;
        least[root] = least[root].min(*key);
    }
    (0..rows as u32).map(|row| least[ties.root(row) as usize]).collect()
}

/// The key of one band. Sketches that share a key by chance are told apart when compared.
fn band_key(sketch: &Sketch, band: usize) -> u32 {
    let bins = &sketch[band * BAND..(band + 1) * BAND];
    let key = bins.iter().fold(0u64, |key, bin| key << 8 | u64::from(*bin));
    (key.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 32) as u32
}

/// What stands on more than one side of a split.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Overlap {
    /// Texts that are equal but for case, blanks and marks.
    pub texts: usize,
    /// Pairs of nearly equal texts.
    pub near: usize,
    /// By column that ties rows: values.
    pub shared: Vec<usize>,
}

/// The keys that have rows on more than one side.
fn on_two_sides(keys: &[u64], sides: &[Option<u8>], blank: bool) -> usize {
    let placed = (0..keys.len() as u32).filter(|&row| sides[row as usize].is_some());
    let mut order: Vec<u32> = placed.filter(|&row| !(blank && keys[row as usize] == 0)).collect();
    order.par_sort_unstable_by_key(|&row| (keys[row as usize], row));
    let apart = |run: &&[u32]| run.iter().any(|&row| sides[row as usize] != sides[run[0] as usize]);
    order.chunk_by(|a, b| keys[*a as usize] == keys[*b as usize]).filter(apart).count()
}

/// Connected components: union by smallest row, with path halving.
struct Ties {
    parents: Vec<u32>,
}

impl Ties {
    fn root(&mut self, mut row: u32) -> u32 {
        while self.parents[row as usize] != row {
            let parent = self.parents[row as usize];
            self.parents[row as usize] = self.parents[parent as usize];
            row = self.parents[row as usize];
        }
        row
    }

    fn join(&mut self, a: u32, b: u32) {
        let (a, b) = (self.root(a), self.root(b));
        self.parents[a.max(b) as usize] = a.min(b);
    }

    /// Ties rows of equal keys; 0 ties nothing where it stands for a blank.
    fn join_equal(&mut self, keys: &[u64], blank: bool) {
        let mut order: Vec<u32> = (0..keys.len() as u32).collect();
        order.par_sort_unstable_by_key(|&row| (keys[row as usize], row));
        for pair in order.windows(2) {
            let key = keys[pair[0] as usize];
            if key == keys[pair[1] as usize] && !(blank && key == 0) {
                self.join(pair[0], pair[1]);
            }
        }
    }
}
