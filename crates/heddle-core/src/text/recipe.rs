//! How raw text is cleaned. Cleaning changes the forms of tokens, never the raw review.

use super::language::Language;
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
    /// What becomes of punctuation marks.
    Punctuation {
        /// "!" and "?" are tokens; the others only part sentences and clauses.
        Keep = "keep",
        /// None is a token.
        Drop = "drop",
        /// All are tokens, and n-grams run across them.
        All = "all",
    }
}

choice! {
    /// What becomes of stretched words, or of repeated marks.
    Elongation {
        /// Three or more of one sign in a row count as two: "sooooo" is "soo".
        Shorten = "shorten",
        /// Signs stay as they are written.
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
    /// What becomes of ratings that are written into the text.
    Ratings {
        /// They are numbers and words like any other.
        Keep = "keep",
        /// Each is one token: "4/5", "8 out of 10" and "four stars" are ‹8 of 10›.
        Read = "read",
    }
}

choice! {
    /// Whether something is used.
    Presence {
        /// It is used.
        Keep = "keep",
        /// It is left out.
        Drop = "drop",
    }
}

choice! {
    /// What becomes of words that a hyphen, a slash or a low line joins.
    Joined {
        /// "check-in" is two words.
        Apart = "apart",
        /// "check-in" is one word.
        Keep = "keep",
    }
}

choice! {
    /// What becomes of hashtags.
    Hashtags {
        /// "#NightFerry" is the word "nightferry".
        Word = "word",
        /// "#NightFerry" is "#nightferry", a token of its own.
        Keep = "keep",
        /// "#NightFerry" is "night" and "ferry".
        Apart = "apart",
        /// They are left out.
        Drop = "drop",
    }
}

choice! {
    /// What becomes of emoticons and emoji.
    Emoticons {
        /// Each is a token of its own.
        Keep = "keep",
        /// All become one and the same token: that there is one is all that counts.
        Mark = "mark",
        /// Those in the table of meanings become their meaning: ":-)" and "😊" are one token.
        Meaning = "meaning",
        /// As `meaning`, but all that praise are glad and all that blame are sad: "😡" and "👎" are one token, too. What was
        /// learnt of one sign holds for others that no training review has.
        Mood = "mood",
        /// They are left out.
        Drop = "drop",
    }
}

choice! {
    /// The language whose endings are cut off.
    Stem {
        /// No ending is cut off.
        None = "none",
        /// Those of the languages of the texts, of each its own.
        Own = "own",
        /// Arabic.
        Arabic = "arabic",
        /// Danish.
        Danish = "danish",
        /// Dutch.
        Dutch = "dutch",
        /// English.
        English = "english",
        /// Finnish.
        Finnish = "finnish",
        /// French.
        French = "french",
        /// German.
        German = "german",
        /// Greek.
        Greek = "greek",
        /// Hungarian.
        Hungarian = "hungarian",
        /// Italian.
        Italian = "italian",
        /// Norwegian.
        Norwegian = "norwegian",
        /// Portuguese.
        Portuguese = "portuguese",
        /// Romanian.
        Romanian = "romanian",
        /// Russian.
        Russian = "russian",
        /// Spanish.
        Spanish = "spanish",
        /// Swedish.
        Swedish = "swedish",
        /// Tamil.
        Tamil = "tamil",
        /// Turkish.
        Turkish = "turkish",
    }
}

/// Words that are left out. Negators among them stay.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StopList {
    /// Nothing is left out.
    None,
    /// The function words of the languages of the texts.
    Own,
    /// The function words of a language.
    Of(Language),
    /// These words.
    Words(Vec<String>),
}

/// The cleaning of raw text, the same in training and scoring because a model carries it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Recipe {
    /// The languages of the texts: each is read by the tables of its own; one that is too short to tell, by those of the
    /// first. Default: English.
    pub languages: Vec<Language>,
    /// Whether each language has words of its own, where there are several; marks, numbers and emoticons are shared.
    /// Default: yes.
    pub apart: bool,
    /// Tags such as `<br>` and references such as `&amp;`: dropped, or read like any text.
    /// Default: drop.
    pub markup: Presence,
    /// Phrases and what is read in their place, as "from,to"; each is made once. Default: none.
    pub replace: Vec<String>,
    /// Web and mail addresses. Default: mark.
    pub links: Treatment,
    /// Hashtags. Default: word.
    pub hashtags: Hashtags,
    /// Numbers, prices and times. Default: keep.
    pub numbers: Treatment,
    /// Ratings such as "7/10" and "three stars". Default: read.
    pub ratings: Ratings,
    /// Capital letters. Default: lower.
    pub case: Case,
    /// Whether contractions are taken apart: "isn't" gives "is" and "not". Default: yes.
    pub contractions: bool,
    /// Stretched words. Default: shorten.
    pub elongation: Elongation,
    /// Words joined by a hyphen, a slash or a low line. Default: apart.
    pub joined: Joined,
    /// Emoticons and emoji. Default: meaning.
    pub emoticons: Emoticons,
    /// Punctuation marks. Default: keep.
    pub punctuation: Punctuation,
    /// Runs of exclamation and question marks. Default: shorten.
    pub repeats: Elongation,
    /// Words that are left out, negators excepted. Default: none.
    pub stoplist: StopList,
    /// More words that are left out, negators included: each is named. Default: none.
    pub stop_also: Vec<String>,
    /// The shortest word, in letters; negators and numbers stay. Default: 1.
    pub shortest: u32,
    /// The language whose endings are cut off. Default: none.
    pub stem: Stem,
}

impl Default for Recipe {
    fn default() -> Self {
        Self {
            languages: vec![Language::English],
            apart: true,
            markup: Presence::Drop,
            replace: Vec::new(),
            links: Treatment::Mark,
            hashtags: Hashtags::Word,
            numbers: Treatment::Keep,
            ratings: Ratings::Read,
            case: Case::Lower,
            contractions: true,
            elongation: Elongation::Shorten,
            joined: Joined::Apart,
            emoticons: Emoticons::Meaning,
            punctuation: Punctuation::Keep,
            repeats: Elongation::Shorten,
            stoplist: StopList::None,
            stop_also: Vec::new(),
            shortest: 1,
            stem: Stem::None,
        }
    }
}
