//! What is kept of a text to tell whether another says nearly the same.

use xxhash_rust::xxh3::xxh3_64_with_seed;

/// Bytes of letters in one shingle.
const SHINGLE: usize = 6;
/// Bins of hashed shingles.
const BINS: usize = 64;
/// Words that a short text has: up to so many are kept one by one.
const MOST_WORDS: usize = 32;
/// Texts with fewer words are alike only if they are equal: one other word would make too much of a difference.
const FEWEST_WORDS: usize = 8;
/// Bytes of letters from which on a text is sketched though it has few words: some scripts part words by nothing.
const UNPARTED: usize = 100;
/// Words in a row that two short texts must share to be compared. Texts of 8 to 32 words of which one in eight is
/// another have as many in common somewhere.
const ROW: usize = 4;
/// How far an estimate of shingles may be off: texts that are as much alike as is asked for shall be found.
const ERROR: f64 = 0.05;
/// Bands of bins, and the bins of each: long texts of which one word in eight is another share a band with a
/// chance of 99 %.
pub(super) const BANDS: usize = 21;
const BAND: usize = 3;

/// What is kept of a text that may be like another: one byte for each of 64 bins of its hashed six-letter shingles,
/// two bytes for each of its words where there are 8 to 32 of them, and their number, or 0 where there are more.
pub type Sketch = [u8; BINS + 2 * MOST_WORDS + 1];

/// What is kept of a text to find its likes: a key that is equal for texts that differ only
/// in case, blanks and marks, and a sketch of those that are long enough.
///
/// The bins are one permutation hashing of Li, Owen and Zhang (2012), "One permutation hashing", with the
/// densification by rotation of Shrivastava and Li (2014), arXiv:1406.4784, and of each
/// minimum the lowest eight bits, after Li and König (2010), "b-Bit minwise hashing", DOI
/// 10.1145/1772690.1772759.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fingerprint {
    /// The key of the text.
    pub key: u64,
    /// Its words, up to one more than a short text has.
    pub words: u8,
    /// The sketch; missing for a very short text.
    pub sketch: Option<Sketch>,
}

/// The hash of a word.
type Word = [u8; 2];

impl Fingerprint {
    /// Takes the fingerprint of a text. Linear in its length.
    pub fn of(text: &str) -> Self {
        let plain = plain(text);
        let (words, count) = hashed_words(text);
        let sketched = count >= FEWEST_WORDS || plain.len() >= UNPARTED;
        let sketch = sketched.then(|| {
            let short = (FEWEST_WORDS..=MOST_WORDS).contains(&count);
            let mut sketch = [0; BINS + 2 * MOST_WORDS + 1];
            sketch[..BINS].copy_from_slice(&bins(&plain));
            if short {
                sketch[BINS..BINS + 2 * MOST_WORDS].copy_from_slice(words.as_flattened());
                sketch[BINS + 2 * MOST_WORDS] = count as u8;
            }
            sketch
        });
        Self { key: key(text, &plain), words: count as u8, sketch }
    }

    /// That of a row without a text, which is like no other.
    pub fn of_none(row: usize) -> Self {
        const NO_TEXT: usize = 1 << 32;
        Self { key: value_key(NO_TEXT, &row.to_string()), words: u8::MAX, sketch: None }
    }

    /// The share of their words that two texts have in common, in order: 1 less the words that must be put in, left
    /// out or replaced, over those of the longer text (Levenshtein's distance); 1 also where a short text stands
    /// whole in another of at most twice its length. 1 for equal keys, 0 if either text is too short for a sketch.
    ///
    /// Of texts with more than 32 words it is estimated, with an error of about 0.05, from the shingles that they
    /// share: where single words differ, the share of a text's shingles that stay is about the share of its words to
    /// the power of 2.1, for each other word takes the shingles across its ends along.
    pub fn likeness(&self, other: &Self) -> f64 {
        match (&self.sketch, &other.sketch) {
            _ if self.key == other.key => 1.0,
            (Some(own), Some(other)) => likeness(own, other),
            _ => 0.0,
        }
    }
}

/// By byte of ASCII: the letter in lower case, or the digit; 0 for what is neither.
const PLAIN: [u8; 256] = {
    let (mut plain, mut byte) = ([0; 256], 0u8);
    while byte < 128 {
        if byte.is_ascii_alphanumeric() {
            plain[byte as usize] = byte.to_ascii_lowercase();
        }
        byte += 1;
    }
    plain
};

/// Letters and digits in lower case, nothing between them, as UTF-8.
fn plain(text: &str) -> Vec<u8> {
    if text.is_ascii() {
        // Every byte is written, and one that is left out is written over: no branch is guessed wrong.
        let (mut plain, mut kept) = (vec![0; text.len()], 0);
        for byte in text.bytes() {
            let letter = PLAIN[byte as usize];
            plain[kept] = letter;
            kept += usize::from(letter != 0);
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

/// A hash of each of the first words, and how many there are, up to one more than are kept.
fn hashed_words(text: &str) -> ([Word; MOST_WORDS], usize) {
    let (mut words, mut count) = ([[0; 2]; MOST_WORDS], 0);
    let each = text.split(|char: char| !char.is_alphanumeric()).filter(|word| !word.is_empty());
    for word in each.take(MOST_WORDS + 1) {
        if count < MOST_WORDS {
            // FNV-1a over letters in lower case.
            let fold = |hash: u32, byte: u8| (hash ^ u32::from(byte)).wrapping_mul(0x0100_0193);
            let hash = match word.is_ascii() {
                true => word.bytes().map(|byte| byte.to_ascii_lowercase()).fold(0x811c_9dc5, fold),
                false => word.to_lowercase().bytes().fold(0x811c_9dc5, fold),
            };
            words[count] = ((hash ^ hash >> 16) as u16).to_le_bytes();
        }
        count += 1;
    }
    (words, count)
}

fn bins(letters: &[u8]) -> [u8; BINS] {
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

/// The words of a short text.
fn short(sketch: &Sketch) -> Option<&[Word]> {
    let count = usize::from(sketch[BINS + 2 * MOST_WORDS]);
    (count > 0).then(|| &sketch[BINS..].as_chunks().0[..count])
}

/// As [`Fingerprint::likeness`].
fn likeness(a: &Sketch, b: &Sketch) -> f64 {
    match (short(a), short(b)) {
        (Some(a), Some(b)) => of_words(a, b),
        _ => of_shingles(a, b),
    }
}

/// Whether two texts are this much alike, or more, as far as it can be told: most pairs that share a row of words are
/// told apart by counting words, whatever their order.
pub(super) fn are_alike(a: &Sketch, b: &Sketch, alike: f64) -> bool {
    let (Some(own), Some(other)) = (short(a), short(b)) else {
        return of_shingles(a, b) >= alike - ERROR;
    };
    let (own, other) = if own.len() <= other.len() { (own, other) } else { (other, own) };
    let mut has = [false; 256];
    other.iter().for_each(|word| has[usize::from(word[0])] = true);
    let common = own.iter().filter(|word| has[usize::from(word[0])]).count();
    let possible = common == own.len() || common as f64 >= alike * other.len() as f64;
    possible && of_words(own, other) >= alike
}

fn of_words(a: &[Word], b: &[Word]) -> f64 {
    let (a, b) = if a.len() <= b.len() { (a, b) } else { (b, a) };
    if b.len() <= 2 * a.len() && b.windows(a.len()).any(|part| part == a) {
        return 1.0;
    }
    1.0 - distance(a, b) as f64 / b.len() as f64
}

/// Levenshtein's distance: the least number of words to put in, leave out or replace.
fn distance(a: &[Word], b: &[Word]) -> usize {
    let same = a.iter().zip(b).take_while(|(a, b)| a == b).count();
    let (a, b) = (&a[same..], &b[same..]);
    let same = a.iter().rev().zip(b.iter().rev()).take_while(|(a, b)| a == b).count();
    let (a, b) = (&a[..a.len() - same], &b[..b.len() - same]);
    let mut row = [0; MOST_WORDS + 1];
    row.iter_mut().enumerate().for_each(|(at, cell)| *cell = at);
    for (at, word) in a.iter().enumerate() {
        let mut before = at; // the cell above, to the left
        row[0] = at + 1;
        for (place, other) in b.iter().enumerate() {
            let replaced = before + usize::from(word != other);
            before = row[place + 1];
            row[place + 1] = replaced.min(row[place] + 1).min(before + 1);
        }
    }
    row[b.len()]
}

fn of_shingles(a: &Sketch, b: &Sketch) -> f64 {
    const CHANCE: f64 = 1.0 / 256.0;
    const POWER: f64 = 2.1;
    let equal = a[..BINS].iter().zip(&b[..BINS]).filter(|(a, b)| a == b).count();
    // Jaccard's index: the share of equal bins, less what chance alone makes equal.
    let common = ((equal as f64 / BINS as f64 - CHANCE) / (1.0 - CHANCE)).max(0.0);
    (2.0 * common / (1.0 + common)).powf(1.0 / POWER)
}

/// The key of one band. Sketches that share a key by chance are told apart when compared.
pub(super) fn band_key(sketch: &Sketch, band: usize) -> u32 {
    let bins = &sketch[band * BAND..(band + 1) * BAND];
    u32::from_le_bytes([bins[0], bins[1], bins[2], 0])
}

/// The rows of words of a short text whose keys belong to this part of all keys.
pub(super) fn row_keys(sketch: &Sketch, (part, parts): (u32, u32)) -> impl Iterator<Item = u32> {
    let rows = short(sketch).unwrap_or(&[]).windows(ROW);
    let key = |row: &[Word]| {
        let of =
            |key: u32, word: &Word| (key ^ u32::from(u16::from_le_bytes(*word))).wrapping_mul(0x9e37_79b1);
        row.iter().fold(0, of).rotate_left(13).wrapping_mul(0x9e37_79b1)
    };
    rows.map(key).filter(move |key| key % parts == part)
}
