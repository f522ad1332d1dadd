//! The languages whose negation and function words are known, and which of them a text is in.

use std::sync::LazyLock;

use rustc_hash::{FxHashMap, FxHashSet};
use whatlang::{Detector, Lang};

use crate::choice::{Choice, choice};

choice! {
    /// A language that texts are written in.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "lowercase")]
    Language {
        /// English.
        English = "english",
        /// German.
        German = "german",
        /// French.
        French = "french",
        /// Spanish.
        Spanish = "spanish",
        /// Italian.
        Italian = "italian",
        /// Dutch.
        Dutch = "dutch",
        /// Any other: nothing is known of it, and nothing is negated but by the expressions of a study.
        Other = "other",
    }
}

/// More of a text is not needed to tell its language.
const ENOUGH: usize = 600;

/// Function words, one a line, settled on purpose; negators are none of them.
static FUNCTION_WORDS: LazyLock<Vec<FxHashSet<&str>>> = LazyLock::new(|| {
    Language::ALL.iter().map(|language| language.function_list().lines().collect()).collect()
});

impl Language {
    /// The language as one says it, in English.
    pub fn title(self) -> &'static str {
        self.code().map_or("other", |code| code.eng_name())
    }

    /// The function words of the language, in alphabetical order.
    pub fn function_words(self) -> impl Iterator<Item = &'static str> {
        self.function_list().lines()
    }

    /// Whether a lower-case word is a function word of the language.
    pub fn is_function_word(self, word: &str) -> bool {
        FUNCTION_WORDS[self as usize].contains(word)
    }

    fn function_list(self) -> &'static str {
        match self {
            Self::English => include_str!("data/function-english.txt"),
            Self::German => include_str!("data/function-german.txt"),
            Self::French => include_str!("data/function-french.txt"),
            Self::Spanish => include_str!("data/function-spanish.txt"),
            Self::Italian => include_str!("data/function-italian.txt"),
            Self::Dutch => include_str!("data/function-dutch.txt"),
            Self::Other => "",
        }
    }

    /// Expressions that negate, or look as if they did: each with its effect and the edition that knew it first.
    pub(super) fn expressions(self) -> impl Iterator<Item = [&'static str; 3]> {
        let table = match self {
            Self::English => include_str!("data/negation-english.csv"),
            Self::German => include_str!("data/negation-german.csv"),
            Self::French => include_str!("data/negation-french.csv"),
            Self::Spanish => include_str!("data/negation-spanish.csv"),
            Self::Italian => include_str!("data/negation-italian.csv"),
            Self::Dutch => include_str!("data/negation-dutch.csv"),
            Self::Other => "",
        };
        table.lines().skip(1).filter_map(|line| line.split(',').collect::<Vec<_>>().try_into().ok())
    }

    /// Words behind which a second negator is one more of the same, and does not undo the first.
    pub(super) fn joining(self) -> &'static [&'static str] {
        match self {
            Self::English => &["and", "or"],
            Self::German => &["und", "oder"],
            Self::French => &["et", "ou"],
            Self::Spanish => &["y", "e", "o", "u"],
            Self::Italian => &["e", "ed", "o"],
            Self::Dutch => &["en", "of"],
            Self::Other => &[],
        }
    }

    /// Words that join what is said to who says it: a comma before one ends no scope, as in "ich glaube nicht, dass".
    pub(super) fn continuing(self) -> &'static [&'static str] {
        if self == Self::German { &["dass", "daß"] } else { &[] }
    }

    /// Names that stand before a full stop which ends no sentence.
    pub(super) fn abbreviations(self) -> &'static [&'static str] {
        match self {
            Self::English => &["mr", "mrs", "ms", "dr", "st", "vs", "approx", "incl", "hrs", "mins", "etc"],
            Self::German => &[
                "bzw", "ca", "usw", "evtl", "ggf", "inkl", "zzgl", "nr", "dr", "st", "str", "tel", "std",
                "min",
            ],
            Self::French => &["mme", "mlle", "dr", "st", "ste", "env", "etc", "ex", "cf", "min"],
            Self::Spanish => &["sr", "sra", "srta", "dr", "dra", "ud", "uds", "aprox", "etc", "ej", "min"],
            Self::Italian => &["sig", "dott", "ssa", "circa", "ecc", "es", "st", "min"],
            Self::Dutch => {
                &["dhr", "mevr", "mw", "dr", "st", "ca", "bijv", "incl", "excl", "enz", "nr", "min"]
            }
            Self::Other => &[],
        }
    }

    /// Whether words are joined by leaving a vowel out, as "n'est" and "dell'hotel" are.
    pub(super) fn elides(self) -> bool {
        matches!(self, Self::French | Self::Italian)
    }

    fn code(self) -> Option<Lang> {
        match self {
            Self::English => Some(Lang::Eng),
            Self::German => Some(Lang::Deu),
            Self::French => Some(Lang::Fra),
            Self::Spanish => Some(Lang::Spa),
            Self::Italian => Some(Lang::Ita),
            Self::Dutch => Some(Lang::Nld),
            Self::Other => None,
        }
    }
}

/// The language of a text, in English, if it can be told.
pub fn language(text: &str) -> Option<&'static str> {
    let told = whatlang::detect(beginning(text))?;
    told.is_reliable().then(|| told.lang().eng_name())
}

/// The language of a text among those whose negation is known, if it can be told.
pub fn known_language(text: &str) -> Option<Language> {
    let told = whatlang::detect(beginning(text)).filter(|told| told.is_reliable())?;
    Some(Language::ALL.iter().copied().find(|own| own.code() == Some(told.lang())).unwrap_or(Language::Other))
}

/// Tells some languages apart: by their function words and negators, as far as these go (Grefenstette (1995), "Comparing
/// two language identification schemes", Proceedings of JADT), which tells short texts; then by trigrams of letters.
#[derive(Debug, Clone)]
pub(super) struct Telling {
    detector: Detector,
    languages: Vec<Language>,
    /// By word: a bit for the place of each language that has it.
    common: FxHashMap<&'static str, u8>,
}

impl Telling {
    /// Nothing where there is no choice.
    pub(super) fn new(languages: &[Language]) -> Option<Self> {
        if languages.len() < 2 {
            return None;
        }
        let codes = languages.iter().filter_map(|language| language.code()).collect();
        let mut common = FxHashMap::default();
        for (place, language) in languages.iter().enumerate() {
            // Those of the first edition: the language of a text is told as it was for the first models.
            let negating = language.expressions().filter(|[.., edition]| *edition == "1");
            let negating = negating.map(|[text, ..]| text).filter(|text| !text.contains(' '));
            let words = language.function_words().chain(negating);
            words.for_each(|word| *common.entry(word).or_insert(0) |= 1u8 << place);
        }
        Some(Self { detector: Detector::with_allowlist(codes), languages: languages.to_vec(), common })
    }

    /// The place of the language of a text: that of the first where the text is too short to tell.
    pub(super) fn place(&self, text: &str) -> usize {
        let text = beginning(text);
        let place = |lang: Lang| self.languages.iter().position(|own| own.code() == Some(lang));
        let by_trigrams = || {
            let told = self.detector.detect(text).filter(|told| told.is_reliable())?;
            place(told.lang())
        };
        self.by_words(text).or_else(by_trigrams).unwrap_or(0)
    }

    /// The language that has more of the words than any other, if it has two or more.
    fn by_words(&self, text: &str) -> Option<usize> {
        let mut counts = [0u32; 8];
        for word in text.split(|char: char| !char.is_alphabetic()).filter(|word| !word.is_empty()) {
            let own = match word.chars().any(char::is_uppercase) {
                true => self.common.get(word.to_lowercase().as_str()),
                false => self.common.get(word),
            };
            if let Some(own) = own {
                counts
                    .iter_mut()
                    .enumerate()
                    .for_each(|(place, count)| *count += u32::from(own >> place & 1));
            }
        }
        let most = *counts.iter().max()?;
        let mut leading = (0..counts.len()).filter(|place| counts[*place] == most);
        let first = leading.next()?;
        (most >= 2 && leading.next().is_none()).then_some(first)
    }
}

fn beginning(text: &str) -> &str {
    let end = (0..=ENOUGH.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    &text[..end]
}

/// Checks which languages a study names.
pub(crate) fn check(languages: &[Language]) -> Result<(), String> {
    let twice = (1..languages.len()).find(|at| languages[..*at].contains(&languages[*at]));
    if let Some(at) = twice {
        return Err(format!("text.languages names {} twice", languages[at].name()));
    }
    match languages {
        [] => Err("text.languages names none: name that of the texts, such as english, or other".into()),
        [_, _, ..] if languages.contains(&Language::Other) => {
            Err("text.languages: no text can be told to be in `other`; name it alone, or leave it out".into())
        }
        _ => Ok(()),
    }
}
