//! How raw text is cleaned. Cleaning changes the forms of tokens, never the raw review.

use crate::choice::choice;

choice! {
    /// What becomes of capital letters.
    Case {
        /// "Cabin" and "cabin" are one word.
        Lower = "lower",
        /// "Cabin" and "cabin" are two words.
        Keep = "keep",
    }
}

choice! {
    /// What becomes of stretched words.
    Elongation {
        /// Three or more of one letter in a row count as two: "sooooo" is "soo".
        Shorten = "shorten",
        /// Letters stay as they are written.
        Keep = "keep",
    }
}

choice! {
    /// What becomes of numbers, or of links.
    Treatment {
        /// Each is a token of its own.
        Keep = "keep",
        /// All become one and the same token.
        Mark = "mark",
        /// They are left out.
        Drop = "drop",
    }
}

choice! {
    /// Whether a kind of token is used.
    Presence {
        /// The tokens are used.
        Keep = "keep",
        /// The tokens are left out.
        Drop = "drop",
    }
}

/// The cleaning of raw text, the same in training and scoring because a model carries it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Recipe {
    /// Capital letters. Default: lower.
    pub case: Case,
    /// Whether contractions are taken apart: "isn't" gives "is" and "not". Default: yes.
    pub contractions: bool,
    /// Stretched words and repeated marks. Default: shorten.
    pub elongation: Elongation,
    /// Numbers, prices and times. Default: keep.
    pub numbers: Treatment,
    /// Web and mail addresses. Default: mark.
    pub links: Treatment,
    /// Emoticons and emoji. Default: keep.
    pub emoticons: Presence,
    /// Exclamation and question marks. Default: keep.
    pub punctuation: Presence,
}

impl Default for Recipe {
    fn default() -> Self {
        Self {
            case: Case::Lower,
            contractions: true,
            elongation: Elongation::Shorten,
            numbers: Treatment::Keep,
            links: Treatment::Mark,
            emoticons: Presence::Keep,
            punctuation: Presence::Keep,
        }
    }
}
