//! What each step of cleaning did, for those who want to see it.

use crate::choice::choice;

choice! {
    /// A step of cleaning, in the order in which a text meets them.
    #[derive(serde::Serialize, PartialOrd, Ord)]
    #[serde(rename_all = "snake_case")]
    Step {
        /// A tag is skipped.
        Markup = "markup skipped",
        /// A character reference is read as its character.
        Reference = "character references read",
        /// A phrase is replaced.
        Replace = "phrases replaced",
        /// A web or mail address is marked or left out.
        Link = "links marked or left out",
        /// A hashtag is taken apart or left out.
        Hashtag = "hashtags read as words or left out",
        /// A number is marked or left out.
        Number = "numbers marked or left out",
        /// Capital letters become small ones.
        Case = "words in small letters",
        /// A contraction is taken apart.
        Contraction = "contractions taken apart",
        /// A stretched word is shortened.
        Elongation = "stretched words shortened",
        /// A joined word is taken apart.
        Joined = "joined words taken apart",
        /// An emoticon is named, marked or left out.
        Emoticon = "emoticons named, marked or left out",
        /// Marks are left out.
        Punctuation = "marks left out",
        /// Repeated marks are shortened.
        Repeats = "repeated marks shortened",
        /// A rating in the text is read as one token.
        Rating = "ratings read",
        /// A negating prefix is read as a negation.
        Prefix = "negating prefixes read",
        /// Praise or blame made of a negator or a limit is read as one token.
        Phrase = "set phrases read",
        /// A negator is left out once its scope is known.
        Cue = "negators left out",
        /// A word of the stop list is left out.
        Stop = "stop words left out",
        /// A word is too short.
        Short = "short words left out",
        /// An ending is cut off.
        Stem = "endings cut off",
    }
}

/// One change: the step, and the bytes of the raw review that it concerns.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Change {
    /// What was done.
    pub step: Step,
    /// First byte in the raw review.
    pub start: u32,
    /// One past the last byte in the raw review.
    pub end: u32,
}

/// Is told of each change. Nobody listens on the way of training and scoring, and nothing
/// is spent there.
pub(super) trait Listen {
    /// Whether anybody listens.
    const ON: bool;

    fn told(&mut self, step: Step, start: usize, end: usize);
}

impl Listen for () {
    const ON: bool = false;

    fn told(&mut self, _: Step, _: usize, _: usize) {}
}

impl Listen for Vec<Change> {
    const ON: bool = true;

    fn told(&mut self, step: Step, start: usize, end: usize) {
        self.push(Change { step, start: start as u32, end: end as u32 });
    }
}
