//! Texts that are not what a reader of reviews expects.

use serde::Serialize;

use crate::choice::choice;
use crate::text::blanks::bytes_that;

/// What is odd about a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Oddity {
    /// Keys hit at random, or one key held down.
    KeyboardNoise,
    /// Control characters other than line ends and tabs.
    ControlCharacters,
    /// U+FFFD, which stands where a character was lost.
    LostCharacters,
    /// Characters that are not seen: of no width, or marks of reading direction.
    InvisibleCharacters,
    /// Characters that mean nothing outside one program.
    PrivateCharacters,
    /// Letters such as Ã© and â€™: UTF-8 that was read as something else.
    WronglyDecoded,
    /// No letter at all.
    NoLetters,
}

impl Oddity {
    /// Every oddity, in the order shown to people.
    pub const ALL: [Self; 7] = [
        Self::KeyboardNoise,
        Self::NoLetters,
        Self::WronglyDecoded,
        Self::LostCharacters,
        Self::ControlCharacters,
        Self::InvisibleCharacters,
        Self::PrivateCharacters,
    ];

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::KeyboardNoise => "keyboard noise",
            Self::ControlCharacters => "control characters",
            Self::LostCharacters => "lost characters (U+FFFD)",
            Self::InvisibleCharacters => "invisible characters",
            Self::PrivateCharacters => "characters of private use",
            Self::WronglyDecoded => "signs of a wrong decoding",
            Self::NoLetters => "no letters",
        }
    }
}

choice! {
    /// A writing system.
    #[derive(PartialOrd, Ord, Serialize)]
    Script {
        /// Latin letters.
        Latin = "Latin",
        /// Greek letters.
        Greek = "Greek",
        /// Cyrillic letters.
        Cyrillic = "Cyrillic",
        /// Hebrew letters.
        Hebrew = "Hebrew",
        /// Arabic letters.
        Arabic = "Arabic",
        /// Scripts of South Asia.
        Indic = "Indic",
        /// Thai letters.
        Thai = "Thai",
        /// Chinese characters and Japanese syllables.
        Han = "Chinese or Japanese",
        /// Korean syllables.
        Hangul = "Korean",
        /// Any other.
        Other = "other",
    }
}

impl Script {
    fn of(char: char) -> Self {
        match u32::from(char) {
            0x41..=0x24f | 0x1e00..=0x1eff => Self::Latin,
            0x370..=0x3ff | 0x1f00..=0x1fff => Self::Greek,
            0x400..=0x52f => Self::Cyrillic,
            0x590..=0x5ff => Self::Hebrew,
            0x600..=0x6ff | 0x750..=0x77f => Self::Arabic,
            0x900..=0xdff => Self::Indic,
            0xe00..=0xe7f => Self::Thai,
            0x3040..=0x30ff | 0x3400..=0x9fff => Self::Han,
            0x1100..=0x11ff | 0xac00..=0xd7af => Self::Hangul,
            _ => Self::Other,
        }
    }
}

/// What a text looks like.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Looks {
    /// The script of most of its letters, if it has any.
    pub script: Option<Script>,
    /// What is odd about it.
    pub oddities: Vec<Oddity>,
    /// The first sign of a wrong decoding, if there is one: what stands for a character that was one before.
    pub sign: Option<String>,
}

/// Looks at the characters of a text, once.
pub fn looks(text: &str) -> Looks {
    let (mut sign, mut seen, mut scripts) = (None, [false; 7], [0usize; 10]);
    let (letters, controls) = ascii_kinds(text.as_bytes());
    scripts[Script::Latin as usize] = letters;
    seen[Oddity::ControlCharacters as usize] = controls > 0;
    if !text.is_ascii() {
        for char in text.chars().filter(|char| !char.is_ascii()) {
            if char.is_alphabetic() {
                scripts[Script::of(char) as usize] += 1;
            } else if let Some(oddity) = odd_character(char) {
                seen[oddity as usize] = true;
            }
        }
        sign = wrong_sign(text);
        seen[Oddity::WronglyDecoded as usize] |= sign.is_some();
    }
    let mut oddities: Vec<Oddity> = Oddity::ALL.into_iter().filter(|oddity| seen[*oddity as usize]).collect();
    const SCRIPTS: [Script; 10] = [
        Script::Latin,
        Script::Greek,
        Script::Cyrillic,
        Script::Hebrew,
        Script::Arabic,
        Script::Indic,
        Script::Thai,
        Script::Han,
        Script::Hangul,
        Script::Other,
    ];
    let most =
        SCRIPTS.into_iter().max_by_key(|script| (scripts[*script as usize], std::cmp::Reverse(*script)));
    let script = most.filter(|script| scripts[*script as usize] > 0);
    match script {
        None => oddities.push(Oddity::NoLetters),
        Some(Script::Latin) if is_noise(text, scripts[Script::Latin as usize]) => {
            oddities.push(Oddity::KeyboardNoise)
        }
        Some(_) => {}
    }
    Looks { script, oddities, sign }
}

/// The letters of a text in ASCII, and its control characters other than line ends and tabs.
fn ascii_kinds(text: &[u8]) -> (usize, usize) {
    let is_letter = |byte: u8| (byte | 0x20).wrapping_sub(b'a') < 26;
    let is_control =
        |byte: u8| ((byte < b' ') | (byte == 0x7f)) & (byte != b'\t') & (byte != b'\n') & (byte != b'\r');
    (bytes_that(text, is_letter), bytes_that(text, is_control))
}

/// What is odd about a character that is neither ASCII nor a letter.
fn odd_character(char: char) -> Option<Oddity> {
    match char {
        '\u{fffd}' => Some(Oddity::LostCharacters),
        '\u{80}'..='\u{9f}' => None, // a sign of a wrong decoding
        // The joiner of emoji is left out: families and flags need it.
        '\u{200b}'
        | '\u{200c}'
        | '\u{200e}'
        | '\u{200f}'
        | '\u{202a}'..='\u{202e}'
        | '\u{2060}'
        | '\u{ad}'
        | '\u{feff}' => Some(Oddity::InvisibleCharacters),
        '\u{e000}'..='\u{f8ff}' => Some(Oddity::PrivateCharacters),
        _ => None,
    }
}

/// The first lead byte of UTF-8 that is shown as Ã, Â or â, with the characters behind it that trailing bytes show
/// as; or a control character that was none.
fn wrong_sign(text: &str) -> Option<String> {
    let trailing =
        |char: &char| matches!(char, '\u{80}'..='\u{bf}' | '€' | '™' | 'œ' | '˜' | '“' | '”' | '‘' | '’');
    let mut chars = text.chars();
    while let Some(char) = chars.next() {
        // The most bytes that follow a lead byte of three.
        let behind = chars.clone().take(2).take_while(trailing);
        match char {
            'Ã' | 'Â' | 'â' if behind.clone().next().is_some() => {
                return Some(std::iter::once(char).chain(behind).collect());
            }
            // Windows-1252 that was read as Latin-1 holds dashes and quotes as control characters.
            '\u{80}'..='\u{9f}' => return Some(format!("U+{:04X}", u32::from(char))),
            _ => {}
        }
    }
    None
}

/// Whether most letters stand in words that nobody writes: one letter over and over, long
/// words without a vowel, or neighbours on the keyboard. `latin` counts the Latin letters.
fn is_noise(text: &str, latin: usize) -> bool {
    if text.is_ascii() {
        return is_noise_of(text.as_bytes().split(|byte| !byte.is_ascii_alphabetic()), latin);
    }
    let words = text.split(|char: char| !char.is_alphabetic());
    is_noise_of(words.map(str::as_bytes), text.len())
}

/// As [`is_noise`], of words with at most so many bytes.
fn is_noise_of<'t>(words: impl Iterator<Item = &'t [u8]>, most: usize) -> bool {
    let (mut letters, mut odd) = (0usize, 0usize);
    for word in words.filter(|word| !word.is_empty()) {
        letters += word.len();
        odd += if is_odd_word(word) { word.len() } else { 0 };
        // A text is no noise once what is left of it cannot make it so: most are told after their first half.
        if odd * 2 + most <= letters * 2 {
            return false;
        }
    }
    letters >= 5 && odd * 2 > letters
}

/// By letter: the key to the right of it, 0 at the end of a row.
const RIGHT: [u8; 26] = {
    let rows: [&[u8]; 3] = [b"qwertyuiop", b"asdfghjkl", b"zxcvbnm"];
    let mut right = [0; 26];
    let mut row = 0;
    while row < rows.len() {
        let mut key = 0;
        while key + 1 < rows[row].len() {
            right[(rows[row][key] - b'a') as usize] = rows[row][key + 1];
            key += 1;
        }
        row += 1;
    }
    right
};

/// A bit for each of these letters, by their place in the alphabet.
const fn letters_of(letters: &[u8]) -> u32 {
    let (mut bits, mut at) = (0, 0);
    while at < letters.len() {
        bits |= 1 << (letters[at] - b'a');
        at += 1;
    }
    bits
}

/// Whether nobody writes a word of letters.
fn is_odd_word(word: &[u8]) -> bool {
    const LEAST: usize = 5;
    if word.len() < LEAST || !word.is_ascii() {
        return false;
    }
    const VOWELS: u32 = letters_of(b"aeiouy");
    let (mut vowels, mut kinds, mut runs, mut run, mut expected) = (0, 0u32, 0, 0, 0);
    for byte in word.iter().map(|byte| byte | 0x20) {
        let letter = usize::from(byte - b'a');
        vowels += (VOWELS >> letter & 1) as usize;
        kinds |= 1 << letter;
        // A run is four keys side by side.
        run = if byte == expected { run + 1 } else { 1 };
        runs += usize::from(run >= 4);
        expected = RIGHT[letter];
    }
    // Stretched words hold another letter or two ("sooo"); a held key holds none.
    let held = kinds.count_ones() == 1 || (word.len() >= 8 && kinds.count_ones() == 2 && vowels == 0);
    // "property" holds the run "erty", and is none.
    let neighbours = runs * 2 >= word.len() - 3 || (runs > 0 && vowels * 3 <= word.len());
    held || vowels == 0 || neighbours
}
