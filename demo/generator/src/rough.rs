//! What people and export programs do to a text.

use heddle_core::resample::Random;

use crate::bank::Tone;

/// How a writer types an apostrophe.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Apostrophe {
    Straight,
    Curly,
    Missing,
    Entity,
}

impl Apostrophe {
    /// One writer's habit.
    pub fn draw(draw: &mut Random) -> Self {
        match draw.unit() {
            share if share < 0.58 => Self::Straight,
            share if share < 0.88 => Self::Curly,
            share if share < 0.95 => Self::Missing,
            _ => Self::Entity,
        }
    }

    fn text(self) -> &'static str {
        match self {
            Self::Straight => "'",
            Self::Curly => "’",
            Self::Missing => "",
            Self::Entity => "&#39;",
        }
    }
}

/// Typos, stretched words, capitals, quotes, apostrophes and references.
pub fn finish(text: &str, apostrophe: Apostrophe, draw: &mut Random) -> String {
    let shouts = draw.unit() < 0.008;
    let ampersands = draw.unit() < 0.03;
    let mut out = String::with_capacity(text.len() + 8);
    for piece in text.split_inclusive([' ', '\n']) {
        let word = piece.trim_end_matches([' ', '\n']);
        let blank = &piece[word.len()..];
        let plain = word.len() > 3 && word.chars().all(|char| char.is_ascii_alphabetic());
        match draw.unit() {
            share if plain && share < 0.010 => out.push_str(&typo(word, draw)),
            share if plain && share < 0.014 => out.push_str(&stretched(word, draw)),
            share if plain && share < 0.019 => out.push_str(&word.to_uppercase()),
            share if plain && share < 0.022 => out.extend(["\"", word, "\""]),
            share if word == "and" && ampersands && share < 0.6 => out.push_str("&amp;"),
            _ => out.push_str(word),
        }
        out.push_str(blank);
    }
    let out = if shouts { out.to_uppercase() } else { out };
    out.replace('\'', apostrophe.text())
}

/// The first letter as a capital.
pub fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
}

/// How a sentence ends.
pub fn sentence_end(tone: Tone, draw: &mut Random) -> &'static str {
    const GLAD: [&str; 6] = [" :-)", " :)", " 😀", " 👍", " ⭐", "! ❤️"];
    const CROSS: [&str; 6] = [" :-(", " :(", " 😡", " 👎", " 🤢", "! 😴"];
    match draw.unit() {
        share if share < 0.03 => {
            // One face in four is ironic.
            let glad = (tone == Tone::Praise) == (draw.unit() < 0.75);
            if glad { GLAD[draw.below(6)] } else { CROSS[draw.below(6)] }
        }
        share if share < 0.09 => "!",
        share if share < 0.11 => "!!!",
        share if share < 0.14 => "...",
        share if share < 0.16 => "",
        _ => ".",
    }
}

fn typo(word: &str, draw: &mut Random) -> String {
    let mut letters: Vec<char> = word.chars().collect();
    let at = 1 + draw.below(letters.len() - 2);
    match draw.below(3) {
        0 => letters.swap(at, at + 1),
        1 => drop(letters.remove(at)),
        _ => letters.insert(at, letters[at]),
    }
    letters.into_iter().collect()
}

fn stretched(word: &str, draw: &mut Random) -> String {
    let vowel = word.char_indices().filter(|(_, char)| "aeiou".contains(*char)).map(|(at, _)| at).next_back();
    let Some(at) = vowel else { return word.to_string() };
    let more = word[at..=at].repeat(2 + draw.below(4));
    format!("{}{more}{}", &word[..at], &word[at..])
}
