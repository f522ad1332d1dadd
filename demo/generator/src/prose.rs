//! Text with the statistics of what people write, for measuring speed: nothing in it means anything.
//!
//! How fast tables of words and n-grams are depends on how many there are and how often each comes
//! back. Here words follow the law of Zipf, and new ones keep coming as the law of Heaps says; what follows
//! a word is one of its habits more often than not, so that pairs and triples come back as they do in
//! prose; lengths have a long tail, words are mistyped now and then, and stars follow words planted
//! among the others. The exponents are those of English: Mandelbrot (1953), "An informational theory of
//! the statistical structure of language"; Piantadosi (2014), "Zipf's word frequency law in natural
//! language", DOI 10.3758/s13423-014-0585-6. How strong habits are was set by hand, so that the counts
//! of words, pairs, triples and entries of the matrix lie within a fifth of those of long reviews that people wrote.

use heddle_core::resample::Random;

use crate::Options;

/// The share of words that follow the two before them by habit, and of the others, the one before them.
const HABITS: [f64; 2] = [0.36, 0.42];
/// How steeply the habits behind two words and behind one fall: one of rank r has a weight of 1 / (r + 1)
/// to this power.
const STEEPNESS: [f64; 2] = [2.3, 1.25];
/// Ranks of words: 1 / (rank + offset) to the power of this. Heaps' exponent is its inverse.
const ZIPF: (f64, f64) = (1.5, 24.0);
/// Words of a review: the mean and the spread of their logarithm.
const LENGTH: (f64, f64) = (5.24, 0.63);
/// The share of words that are mistyped.
const MISTYPED: f64 = 0.004;
/// One word in so many speaks for a class.
const SPEAKS: u64 = 31;
/// How often a word that speaks for the other class is written nevertheless.
const AGAINST: f64 = 0.62;
/// Words that every reader of the text knows: negators make scopes, and sentences look like sentences.
const COMMON: [&str; 40] = [
    "the", "and", "a", "of", "to", "is", "it", "in", "this", "that", "was", "as", "for", "with", "but", "on",
    "not", "you", "are", "have", "be", "his", "one", "he", "at", "all", "by", "an", "they", "who", "so",
    "from", "like", "or", "just", "her", "about", "out", "no", "never",
];
const SYLLABLES: [&str; 32] = [
    "ar", "ber", "cal", "dor", "en", "fel", "gor", "hin", "is", "jo", "ker", "lan", "mor", "nes", "ol",
    "per", "qua", "ras", "sel", "tor", "ul", "ves", "wen", "yl", "zar", "bri", "cha", "dre", "fli", "gra",
    "pla", "sti",
];

/// Writes prose.csv: a review and its stars in each row.
pub fn prose(options: &Options) -> anyhow::Result<()> {
    let mut out = csv::Writer::from_path(options.folder.join("prose.csv"))?;
    out.write_record(["review", "stars"])?;
    let mut draw = Random::new(options.seed);
    let mut text = String::new();
    for _ in 0..options.rows {
        let good = draw.unit() < 0.5;
        let words = options.length * (LENGTH.0 + LENGTH.1 * normal(&mut draw)).exp();
        text.clear();
        review(&mut draw, good, words.clamp(8.0, 2500.0) as usize, &mut text);
        let stars = if good { 4 + draw.below(2) } else { 1 + draw.below(2) };
        out.write_record([text.as_str(), &stars.to_string()])?;
    }
    out.flush()?;
    Ok(())
}

/// A draw from the standard normal distribution (Box and Muller).
fn normal(draw: &mut Random) -> f64 {
    let (radius, angle) = (1.0 - draw.unit(), draw.unit());
    (-2.0 * radius.ln()).sqrt() * (std::f64::consts::TAU * angle).cos()
}

fn review(draw: &mut Random, good: bool, words: usize, text: &mut String) {
    let mut before = [0u64, 0];
    let mut left = 0;
    for at in 0..words {
        let starts = left == 0;
        if starts {
            left = 6 + draw.below(26);
            before = [0, 0];
        }
        let mut word = next(draw, before);
        while speaks(word).is_some_and(|side| side != good) && draw.unit() >= AGAINST {
            word = next(draw, before);
        }
        before = [before[1], word + 1];
        left -= 1;
        let start = text.len();
        spell(word, text);
        if draw.unit() < MISTYPED {
            mistype(draw, text, start);
        }
        if starts || draw.unit() < 0.03 {
            text[start..=start].make_ascii_uppercase();
        }
        let mark = match left {
            0 => ". ",
            _ if draw.unit() < 0.07 => ", ",
            _ => " ",
        };
        text.push_str(if at + 1 == words { "." } else { mark });
    }
}

/// The word behind two others, each by its rank plus one; 0 where a sentence begins.
fn next(draw: &mut Random, [far, near]: [u64; 2]) -> u64 {
    let habit = |draw: &mut Random, context: u64, steepness: f64| {
        // A habit is always the same word: its rank is drawn, and what it is, is a hash.
        let rank = power(draw.unit(), steepness, 1.0, 4000.0);
        let mut own = Random::new(context.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ rank);
        rank_of(own.unit())
    };
    if draw.unit() < HABITS[0] {
        return habit(draw, far << 32 ^ near << 1 ^ 1, STEEPNESS[0]);
    }
    if draw.unit() < HABITS[1] {
        return habit(draw, near << 1, STEEPNESS[1]);
    }
    rank_of(draw.unit())
}

fn rank_of(share: f64) -> u64 {
    power(share, ZIPF.0, ZIPF.1, 4e9)
}

/// The rank below which this share of a power law lies, by its integral.
fn power(share: f64, exponent: f64, offset: f64, end: f64) -> u64 {
    let low = offset.powf(1.0 - exponent);
    let high = (end + offset).powf(1.0 - exponent);
    ((low + share * (high - low)).powf(1.0 / (1.0 - exponent)) - offset).max(0.0) as u64
}

/// Which class a word speaks for, if any.
fn speaks(word: u64) -> Option<bool> {
    let hash = word.wrapping_mul(0xd6e8_feb8_6659_fd93) >> 40;
    (word >= COMMON.len() as u64 && hash.is_multiple_of(SPEAKS)).then_some((hash / SPEAKS).is_multiple_of(2))
}

/// Frequent words are short.
fn spell(word: u64, text: &mut String) {
    if let Some(common) = COMMON.get(word as usize) {
        return text.push_str(common);
    }
    let mut rest = word - COMMON.len() as u64;
    let base = SYLLABLES.len() as u64;
    loop {
        text.push_str(SYLLABLES[(rest % base) as usize]);
        if rest < base {
            break;
        }
        rest = rest / base - 1;
    }
}

/// Two letters change places, or one stands twice.
fn mistype(draw: &mut Random, text: &mut String, start: usize) {
    let mut letters = text.split_off(start).into_bytes();
    let at = draw.below(letters.len());
    match at + 1 < letters.len() {
        true => letters.swap(at, at + 1),
        false => letters.push(letters[at]),
    }
    text.push_str(&String::from_utf8_lossy(&letters));
}
