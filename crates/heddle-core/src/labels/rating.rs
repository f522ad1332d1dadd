//! Ratings as people and programs write them.

use std::borrow::Cow;

/// A cell that was read as the number of a rating.
///
/// ```
/// use heddle_core::labels::read_rating;
///
/// for cell in ["4", "4.0", "4,0", "4 stars", "four", "4 - satisfied"] {
///     let rating = read_rating(cell).unwrap();
///     assert_eq!((rating.number, rating.out_of), (4.0, None), "{cell}");
/// }
/// for cell in ["4/5", "4 out of 5 stars", "★★★★☆"] {
///     let rating = read_rating(cell).unwrap();
///     assert_eq!((rating.number, rating.out_of), (4.0, Some(5.0)), "{cell}");
/// }
/// assert_eq!(read_rating("80 %").unwrap().out_of, Some(100.0));
/// assert_eq!(read_rating("6/5"), None);
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rating {
    /// The number.
    pub number: f64,
    /// The highest number of its scale, where the cell says so; above 0 and not below the number.
    pub out_of: Option<f64>,
}

/// Reads a cell as the number of a rating: a number with a point or a comma, a number in words, stars, a
/// percentage, a number out of another, each with words behind it that add nothing. Nothing if it is none.
pub fn read_rating(cell: &str) -> Option<Rating> {
    let cell = cell.trim();
    match finite(cell) {
        Some(number) => Some(Rating { number, out_of: None }),
        None => of_stars(cell).or_else(|| of_words(cell)),
    }
}

impl std::fmt::Display for Rating {
    /// The one way to write it: "4", "4/5" or "80%".
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.out_of {
            None => write!(out, "{}", self.number),
            Some(100.0) => write!(out, "{}%", self.number),
            Some(most) => write!(out, "{}/{most}", self.number),
        }
    }
}

/// A cell of a rating as it is shown and counted: "4", "4.0", "4 stars" and "four" are one value, and so are "4/5"
/// and "★★★★☆"; anything else without the blanks around it.
pub fn shown_rating(cell: &str) -> Cow<'_, str> {
    match read_rating(cell) {
        Some(rating) => rating.to_string().into(),
        None => cell.trim().into(),
    }
}

/// A cell of any column as it is shown and counted: numbers in their shortest form, so that "4", "4.0"
/// and " 4 " are one value; anything else without the blanks around it.
pub(crate) fn shown_value(cell: &str) -> Cow<'_, str> {
    match finite(cell.trim()) {
        Some(number) => number.to_string().into(),
        None => cell.trim().into(),
    }
}

/// The order in which values of a rating are told: by number where both are numbers, numbers first.
pub fn rating_order(a: &str, b: &str) -> std::cmp::Ordering {
    match (read_rating(a), read_rating(b)) {
        (Some(x), Some(y)) => x.number.total_cmp(&y.number).then_with(|| a.cmp(b)),
        (x, y) => y.is_some().cmp(&x.is_some()).then_with(|| a.cmp(b)),
    }
}

/// A word of a rating without what writers do differently: case, hyphens, skin tones.
pub(crate) fn plain_word(word: &str) -> String {
    let tone = |char: &char| ('\u{1f3fb}'..='\u{1f3ff}').contains(char) || *char == '\u{fe0f}';
    let plain: String = word.trim().chars().filter(|char| !tone(char)).collect();
    match plain.to_lowercase().replace(['-', '_'], " ").as_str() {
        "thumbs up" | "thumb up" => "👍".into(),
        "thumbs down" | "thumb down" => "👎".into(),
        other => other.into(),
    }
}

pub(super) fn finite(text: &str) -> Option<f64> {
    text.parse().ok().filter(|number: &f64| number.is_finite())
}

/// Stars that were drawn. Hollow ones alone say nothing: they may be none of five, or three of three.
fn of_stars(cell: &str) -> Option<Rating> {
    const FULL: [char; 6] = ['★', '⭐', '🌟', '✭', '✪', '*'];
    const HOLLOW: [char; 3] = ['☆', '✩', '✰'];
    let (mut full, mut half, mut hollow) = (0u32, 0u32, 0u32);
    for char in cell.chars().filter(|char| !char.is_whitespace() && *char != '\u{fe0f}') {
        match char {
            char if FULL.contains(&char) => full += 1,
            char if HOLLOW.contains(&char) => hollow += 1,
            '½' => half += 1,
            _ => return None,
        }
    }
    let number = f64::from(full) + f64::from(half) / 2.0;
    let out_of = (hollow > 0).then(|| f64::from(full + half + hollow));
    (full > 0).then_some(Rating { number, out_of })
}

/// A numeral, and what may stand around it.
fn of_words(cell: &str) -> Option<Rating> {
    let lower = cell.to_lowercase();
    let text = ["rated ", "rating:", "rating ", "score:", "score "]
        .iter()
        .find_map(|before| lower.strip_prefix(before))
        .unwrap_or(&lower);
    let (number, rest) = numeral(text.trim_start())?;
    let rest = rest.trim();
    if let Some(rest) = rest.strip_prefix('%').or_else(|| rest.strip_prefix("percent")) {
        return is_remark(rest).then(|| out_of(number, 100.0))?;
    }
    let above = ["/", "out of ", "of "].iter().find_map(|between| rest.strip_prefix(between));
    let Some(above) = above else {
        return is_remark(without_unit(rest)).then_some(Rating { number, out_of: None });
    };
    let (most, rest) = numeral(above.trim_start())?;
    is_remark(without_unit(rest.trim())).then(|| out_of(number, most))?
}

fn out_of(number: f64, most: f64) -> Option<Rating> {
    (most > 0.0 && (0.0..=most).contains(&number)).then_some(Rating { number, out_of: Some(most) })
}

/// A number at the head of a text, in digits with a point or a comma, or in words up to ten; and what follows.
fn numeral(text: &str) -> Option<(f64, &str)> {
    const WORDS: [&str; 11] =
        ["zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"];
    if text.starts_with(|char: char| char.is_alphabetic()) {
        let (word, rest) = text.split_at(text.find(|char: char| !char.is_alphabetic()).unwrap_or(text.len()));
        let number = WORDS.iter().position(|own| *own == word)?;
        return Some((number as f64, rest));
    }
    let sign = usize::from(text.starts_with(['-', '+']));
    let digits = |from: usize| text[from..].bytes().take_while(u8::is_ascii_digit).count();
    let whole = digits(sign);
    let mut end = sign + whole;
    if whole > 0 && text[end..].starts_with(['.', ',']) {
        let behind = digits(end + 1);
        // "1,500" is fifteen hundred, and no rating.
        if text[end..].starts_with(',') && behind > 2 {
            return None;
        }
        end += if behind > 0 { 1 + behind } else { 0 };
    }
    let number = finite(&text[..end].replace(',', "."))?;
    Some((number, &text[end..]))
}

/// What follows the unit of a rating, if there is one.
fn without_unit(rest: &str) -> &str {
    const UNITS: [&str; 8] = ["stars", "star", "points", "point", "pts", "★", "⭐", "*"];
    UNITS
        .iter()
        .find_map(|unit| rest.strip_prefix(unit))
        .map_or(rest, |rest| rest.trim_start_matches('\u{fe0f}'))
}

/// Whether what follows a number only says what it stands for, as in "5 - very satisfied" or "1 (worst)".
fn is_remark(rest: &str) -> bool {
    let rest = rest.trim();
    let said = rest.strip_prefix(['-', '–', '—', ':', '=', '(', '.', ')']).map(str::trim_start);
    rest.is_empty()
        || said.is_some_and(|said| {
            said.starts_with(char::is_alphabetic) && !said.bytes().any(|byte| byte.is_ascii_digit())
                || said.is_empty() && rest == "."
        })
}
