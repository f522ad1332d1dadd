//! Which tokens are negated.
//!
//! A negator opens a scope over the words after it. Das and Chen (2007), "Yahoo! for
//! Amazon: sentiment extraction from small talk on the web", Management Science 53(9),
//! DOI 10.1287/mnsc.1070.0704, marked every word up to the sentence's end; here a scope
//! also ends at clause breaks, at contrast words and after a reach, because blame and
//! praise often share a sentence. Two scopes over one word cancel.

use super::lexicon::{Effect, expression, may_begin};
use super::{Break, Kind, Tokens};
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
    }
}

/// The settings of negation.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Negation {
    /// Where scopes end. Default: clause.
    pub scope: Scope,
    /// The longest scope, in words. Default: 6.
    pub reach: u32,
    /// What a negated word counts as. Default: mark.
    pub style: Style,
}

impl Default for Negation {
    fn default() -> Self {
        Self { scope: Scope::Clause, reach: 6, style: Style::Mark }
    }
}

/// An open scope: the token that opened it and the words it may still cover.
struct Open {
    cue: usize,
    left: u32,
}

/// Sets the clause breaks before contrast words, and marks cues and negated words.
pub(super) fn mark(tokens: &mut Tokens, negation: &Negation) {
    let mut open: Vec<Open> = Vec::new();
    let mut at = 0;
    while at < tokens.items.len() {
        let token = &tokens.items[at];
        if token.kind != Kind::Word || !may_begin(tokens.form(token)) {
            // Nearly every token passes here: nothing begins with it.
            if !open.is_empty() {
                close(&mut open, tokens.items[at].before, negation.scope);
                let token = &mut tokens.items[at];
                cover(&mut open, token.kind, negation.scope, &mut token.negated);
            }
            at += 1;
            continue;
        }
        let (effect, length) = expression_at(tokens, at);
        if effect == Some(Effect::Contrasts) && at > 0 {
            let before = &mut tokens.items[at].before;
            *before = (*before).max(Break::Clause);
        }
        close(&mut open, tokens.items[at].before, negation.scope);
        match effect {
            Some(opens @ (Effect::Negates | Effect::Renews)) if negation.scope != Scope::Off => {
                // "never, never" and "no cabin and no crew" insist; they do not cancel.
                let insists =
                    |scope: &Open| word_at(tokens, scope.cue).eq_ignore_ascii_case(word_at(tokens, at));
                if opens == Effect::Renews {
                    open.clear();
                }
                open.retain(|scope| !insists(scope));
                open.push(Open { cue: at, left: negation.reach });
                tokens.items[at..at + length].iter_mut().for_each(|token| token.cue = true);
            }
            _ => {
                for token in &mut tokens.items[at..at + length] {
                    cover(&mut open, token.kind, negation.scope, &mut token.negated);
                }
            }
        }
        at += length;
    }
}

fn word_at(tokens: &Tokens, at: usize) -> &str {
    tokens.form(&tokens.items[at])
}

fn expression_at(tokens: &Tokens, at: usize) -> (Option<Effect>, usize) {
    let first = word_at(tokens, at);
    let follows = |offset: usize, word: &str| {
        tokens
            .items
            .get(at + offset)
            .is_some_and(|token| token.before == Break::None && tokens.form(token).eq_ignore_ascii_case(word))
    };
    let found = if first.bytes().any(|byte| byte.is_ascii_uppercase()) {
        expression(&first.to_ascii_lowercase(), follows)
    } else {
        expression(first, follows)
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
