//! Which tokens are negated.
//!
//! A negator opens a scope over the words after it. Das and Chen (2007), "Yahoo! for
//! Amazon: sentiment extraction from small talk on the web", Management Science 53(9),
//! DOI 10.1287/mnsc.1070.0704, marked every word up to the sentence's end; here a scope
//! also ends at clause breaks, at contrast words and after a reach, because blame and
//! praise often share a sentence. Two scopes over one word cancel.

use super::lexicon::Lexicon;
use super::recipe::Presence;
use super::steps::{Listen, Step};
use super::tables::{Effect, plain_of};
use super::tokens::{Break, Kind, Tokens};
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

impl Style {
    /// What a negated word adds to the count of its plain form.
    pub(crate) fn plain_part(self) -> i32 {
        match self {
            Self::Mark => 0,
            Self::Both => 1,
            Self::Flip => -1,
        }
    }
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

/// The settings of negation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Negation {
    /// Where scopes end. Default: clause.
    pub scope: Scope,
    /// The longest scope, in words. Default: 6.
    pub reach: u32,
    /// What a negated word counts as. Default: mark.
    pub style: Style,
    /// Whether negators are terms themselves. Default: keep.
    pub cues: Presence,
    /// Words with a negating prefix or ending. Default: keep.
    pub prefixes: Prefixes,
    /// Expressions beside those of the program, or in their place, as "expression,effect".
    /// Default: none.
    pub also: Vec<String>,
}

impl Default for Negation {
    fn default() -> Self {
        Self {
            scope: Scope::Clause,
            reach: 6,
            style: Style::Mark,
            cues: Presence::Keep,
            prefixes: Prefixes::Keep,
            also: Vec::new(),
        }
    }
}

/// An open scope: the token that opened it and the words it may still cover.
#[derive(Debug, Clone, Copy)]
pub(super) struct Open {
    cue: usize,
    left: u32,
}

/// Sets the clause breaks before contrast words, and marks cues and negated words.
/// `open` is a buffer.
pub(super) fn mark<L: Listen>(
    tokens: &mut Tokens,
    negation: &Negation,
    lexicon: &Lexicon,
    open: &mut Vec<Open>,
    listen: &mut L,
) {
    open.clear();
    let mut at = 0;
    while at < tokens.items.len() {
        let token = &tokens.items[at];
        if token.kind != Kind::Word || !lexicon.may_begin(tokens.form(token)) {
            // Nearly every token passes here: nothing begins with it.
            if !open.is_empty() {
                close(open, tokens.items[at].before, negation.scope);
                let token = &mut tokens.items[at];
                cover(open, token.kind, negation.scope, &mut token.negated);
            }
            at += 1;
            continue;
        }
        let (effect, length) = expression_at(tokens, lexicon, at);
        if effect == Some(Effect::Contrasts) && at > 0 {
            let before = &mut tokens.items[at].before;
            *before = (*before).max(Break::Clause);
        }
        close(open, tokens.items[at].before, negation.scope);
        match effect {
            Some(opens @ (Effect::Negates | Effect::Renews | Effect::Next)) => {
                // "never, never" and "no cabin and no crew" insist; they do not cancel.
                let insists =
                    |scope: &Open| word_at(tokens, scope.cue).eq_ignore_ascii_case(word_at(tokens, at));
                if opens == Effect::Renews {
                    open.clear();
                }
                open.retain(|scope| !insists(scope));
                if negation.scope != Scope::Off {
                    let left = if opens == Effect::Next { 1 } else { negation.reach };
                    open.push(Open { cue: at, left });
                }
                tokens.items[at..at + length].iter_mut().for_each(|token| token.cue = true);
            }
            Some(Effect::Within) => {
                open.clear();
                within(tokens, negation, lexicon, at..at + length);
            }
            _ => {
                for token in &mut tokens.items[at..at + length] {
                    cover(open, token.kind, negation.scope, &mut token.negated);
                }
            }
        }
        at += length;
    }
    if negation.prefixes == Prefixes::Read {
        read_prefixes(tokens, listen);
    }
}

/// Negates what stands behind the negator of a fixed expression, up to its end. Such an
/// expression speaks for itself: no earlier scope reaches into it or beyond it.
fn within(tokens: &mut Tokens, negation: &Negation, lexicon: &Lexicon, places: std::ops::Range<usize>) {
    let cue = places.clone().find(|&at| lexicon.is_negator(&word_at(tokens, at).to_ascii_lowercase()));
    for at in places {
        let token = &mut tokens.items[at];
        token.cue = Some(at) == cue;
        token.negated = negation.scope != Scope::Off && cue.is_some_and(|cue| at > cue);
    }
}

/// Reads "unfriendly" as a negated "friendly".
fn read_prefixes<L: Listen>(tokens: &mut Tokens, listen: &mut L) {
    for at in 0..tokens.items.len() {
        let token = tokens.items[at];
        if token.kind != Kind::Word || token.cue {
            continue;
        }
        let Some(plain) = plain_of(tokens.form(&token)) else { continue };
        let start = tokens.forms.len() as u32;
        tokens.forms.push_str(plain);
        let token = &mut tokens.items[at];
        token.form = (start, tokens.forms.len() as u32);
        token.negated = !token.negated;
        listen.told(Step::Prefix, token.start as usize, token.end as usize);
    }
}

fn word_at(tokens: &Tokens, at: usize) -> &str {
    tokens.form(&tokens.items[at])
}

fn expression_at(tokens: &Tokens, lexicon: &Lexicon, at: usize) -> (Option<Effect>, usize) {
    let first = word_at(tokens, at);
    let follows = |offset: usize, word: &str| {
        tokens
            .items
            .get(at + offset)
            .is_some_and(|token| token.before == Break::None && tokens.form(token).eq_ignore_ascii_case(word))
    };
    let found = if first.bytes().any(|byte| byte.is_ascii_uppercase()) {
        lexicon.expression(&first.to_ascii_lowercase(), follows)
    } else {
        lexicon.expression(first, follows)
    };
    found.map_or((None, 1), |(effect, length)| (Some(effect), length))
}

fn close(open: &mut Vec<Open>, before: Break, scope: Scope) {
    let ends = match scope {
        Scope::Clause => before >= Break::Clause,
        _ => before == Break::Sentence,
    };
    if ends {
        open.clear();
    }
}

fn cover(open: &mut Vec<Open>, kind: Kind, scope: Scope, negated: &mut bool) {
    if kind != Kind::Word {
        return;
    }
    *negated = open.len() % 2 == 1;
    if scope != Scope::Sentence {
        open.iter_mut().for_each(|scope| scope.left = scope.left.saturating_sub(1));
        open.retain(|scope| scope.left > 0);
    }
}
