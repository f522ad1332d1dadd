//! Words without their endings.

use rust_stemmers::{Algorithm, Stemmer};

use super::language::Language;
use super::recipe::Stem;

/// The stem of a word of a language, in small letters, as Porter's algorithms cut it: Porter (1980), "An algorithm for
/// suffix stripping", Program 14(3), DOI 10.1108/eb046814, and those that he wrote after it for other languages.
/// Nothing for function words, which have no other forms that would say the same, and where no endings are known.
pub(crate) fn stem_of(word: &str, language: Language) -> Option<String> {
    let stemmer = Stemmer::create(algorithm(own_stem(language))?);
    let word = word.to_lowercase();
    (!language.is_function_word(&word)).then(|| stemmer.stem(&word).into_owned())
}

/// The endings of a language, where they are known.
pub(super) fn own_stem(language: Language) -> Stem {
    match language {
        Language::English => Stem::English,
        Language::German => Stem::German,
        Language::French => Stem::French,
        Language::Spanish => Stem::Spanish,
        Language::Italian => Stem::Italian,
        Language::Dutch => Stem::Dutch,
        Language::Other => Stem::None,
    }
}

pub(super) fn algorithm(stem: Stem) -> Option<Algorithm> {
    Some(match stem {
        Stem::None | Stem::Own => return None,
        Stem::Arabic => Algorithm::Arabic,
        Stem::Danish => Algorithm::Danish,
        Stem::Dutch => Algorithm::Dutch,
        Stem::English => Algorithm::English,
        Stem::Finnish => Algorithm::Finnish,
        Stem::French => Algorithm::French,
        Stem::German => Algorithm::German,
        Stem::Greek => Algorithm::Greek,
        Stem::Hungarian => Algorithm::Hungarian,
        Stem::Italian => Algorithm::Italian,
        Stem::Norwegian => Algorithm::Norwegian,
        Stem::Portuguese => Algorithm::Portuguese,
        Stem::Romanian => Algorithm::Romanian,
        Stem::Russian => Algorithm::Russian,
        Stem::Spanish => Algorithm::Spanish,
        Stem::Swedish => Algorithm::Swedish,
        Stem::Tamil => Algorithm::Tamil,
        Stem::Turkish => Algorithm::Turkish,
    })
}
