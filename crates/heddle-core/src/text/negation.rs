//! How negation is read: settings.

use super::recipe::Presence;
use crate::choice::choice;

choice! {
    /// Where a negation scope ends. Every scope ends at the end of its sentence.
    Scope {
        /// At a clause break or contrast word, or after the reach.
        Clause = "clause",
        /// At the end of the sentence only.
        Sentence = "sentence",
        /// After the reach, clause breaks or not.
        Window = "window",
        /// Nothing is negated.
        Off = "off",
    }
}

choice! {
    /// The rules and expressions by which scopes are read: reviews are read for a model by those that it was learnt by.
    #[derive(PartialOrd, Ord)]
    Edition {
        /// Those of the first models.
        First = "1",
        /// A negator that begins its clause reaches half as far again, scopes leap what commas insert behind their
        /// negator, and letters of negated words count as the words do.
        Second = "2",
        /// As the second, with the expressions that were added to the tables since; a negator of what only looks like a
        /// negation does not count.
        Third = "3",
    }
}

choice! {
    /// What a negated word counts as.
    Style {
        /// As the marked word alone: "good" in "not good" is "¬good".
        Mark = "mark",
        /// As the marked and the plain word.
        Both = "both",
        /// As the marked word, and as one plain word less: "not boring" learns from "boring".
        Flip = "flip",
    }
}

/// What a negated word adds to the counts of what is not negated.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Plainly {
    /// To that of its plain form.
    pub(crate) word: i32,
    /// To those of the parts of its plain form.
    pub(crate) subwords: i32,
}

choice! {
    /// What becomes of words such as "unfriendly".
    Prefixes {
        /// They are words like any other.
        Keep = "keep",
        /// They count as negated: "unfriendly" is "¬friendly", "not unfriendly" is "friendly".
        Read = "read",
    }
}

choice! {
    /// What becomes of praise and blame made of negators and limits, such as "hard to fault".
    SetPhrases {
        /// Their words are words like any other.
        Keep = "keep",
        /// Each is one token, ‹praise› or ‹blame›: what was learnt of one such phrase holds for all.
        Read = "read",
    }
}

choice! {
    /// What becomes of what is conceded, as in "clean, but cold", and of what is said of others, as in "better than the
    /// old ship".
    Concessions {
        /// It counts like anything else.
        Keep = "keep",
        /// What is conceded counts half; what is said of others, two negators that cancel, and one that negates nothing,
        /// as in "not only", do not count.
        Read = "read",
    }
}

choice! {
    /// What becomes of wishes and of what might have been, as in "it could have been good".
    Wishes {
        /// They are said like anything else.
        Keep = "keep",
        /// What was only wished for was not so: it counts as negated.
        Read = "read",
    }
}

/// The settings of negation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Negation {
    /// Where scopes end. Default: clause.
    pub scope: Scope,
    /// The longest scope, in words. Default: 6.
    pub reach: u32,
    /// What a negated word counts as. Default: flip.
    pub style: Style,
    /// Whether negators are terms themselves. Default: keep.
    pub cues: Presence,
    /// Words with a negating prefix or ending. Default: keep.
    pub prefixes: Prefixes,
    /// Praise and blame made of negators and limits. Default: read.
    pub phrases: SetPhrases,
    /// What is conceded, and what is said of others. Default: read.
    pub concessions: Concessions,
    /// Wishes and what might have been. Default: read.
    pub wishes: Wishes,
    /// The rules of scopes and of what negated words take back, and the expressions that are known. Default: 3.
    pub edition: Edition,
    /// Expressions beside those of the program, or in their place, as "expression,effect".
    /// Default: none.
    pub also: Vec<String>,
}

impl Negation {
    /// What a negated word adds to the counts of what is not negated.
    pub(crate) fn plainly(&self) -> Plainly {
        let word = match self.style {
            Style::Mark => 0,
            Style::Both => 1,
            Style::Flip => -1,
        };
        Plainly { word, subwords: if self.edition == Edition::First { 0 } else { word } }
    }
}

impl Default for Negation {
    fn default() -> Self {
        Self {
            scope: Scope::Clause,
            reach: 6,
            style: Style::Flip,
            cues: Presence::Keep,
            prefixes: Prefixes::Keep,
            phrases: SetPhrases::Read,
            concessions: Concessions::Read,
            wishes: Wishes::Read,
            edition: Edition::Third,
            also: Vec::new(),
        }
    }
}
