//! Which tokens are negated.
//!
//! A negator opens a scope over the words after it. Das and Chen (2007), "Yahoo! for
//! Amazon: sentiment extraction from small talk on the web", Management Science 53(9),
//! DOI 10.1287/mnsc.1070.0704, marked every word up to the sentence's end; here a scope
//! also ends at clause breaks, at contrast words and after a reach, because blame and
//! praise often share a sentence. A second negator inside a scope undoes it.

use std::ops::Range;

use super::lexicon::Lexicon;
use super::negation::{Negation, Prefixes, Scope};
use super::steps::{Listen, Step};
use super::tables::{Effect, plain_of};
use super::tokens::{Break, Kind, Tokens};

/// The form of a phrase that praises.
pub const PRAISE: &str = "‹praise›";
/// The form of a phrase that blames.
pub const BLAME: &str = "‹blame›";

/// An open scope: the token that opened it, and the words it may still cover.
#[derive(Debug, Clone, Copy)]
struct Open {
    cue: usize,
    left: u32,
    /// Whether "and" or "or" has come since.
    joined: bool,
}

/// Words behind which a second negator is one more of the same, and does not undo the first.
const JOINING: [&str; 2] = ["and", "or"];
/// Negators that never undo another: "he never had no money" is no praise.
const INSISTING: [&str; 3] = ["no", "nor", "neither"];
/// How far behind its negator a verb of saying or thinking still carries a scope: "do not really think that".
const CARRIES_FROM: usize = 3;

/// Sets the clause breaks before contrast words, marks cues and negated words, and reads set phrases.
pub(super) fn mark<L: Listen>(tokens: &mut Tokens, negation: &Negation, lexicon: &Lexicon, listen: &mut L) {
    let mut scopes = Scopes { negation, open: None };
    let mut at = 0;
    while at < tokens.items.len() {
        let token = &tokens.items[at];
        if token.kind != Kind::Word || !lexicon.may_begin(tokens.form(token)) {
            // Nearly every token passes here: nothing begins with it.
            scopes.cover(tokens, at..at + 1);
            at += 1;
            continue;
        }
        let (effect, length) = expression_at(tokens, lexicon, at);
        let places = at..at + length;
        at += length;
        match effect {
            Some(opens @ (Effect::Negates | Effect::Renews | Effect::Next)) => {
                scopes.close(tokens.items[places.start].before);
                scopes.begin(tokens, places.start, opens);
                tokens.items[places].iter_mut().for_each(|token| token.cue = true);
            }
            Some(Effect::Carries) => {
                scopes.cover(tokens, places.clone());
                scopes.carry(places.start);
            }
            Some(Effect::Within) => {
                scopes.open = None;
                within(tokens, negation, lexicon, places);
            }
            Some(phrase @ (Effect::Praises | Effect::Blames)) if tokens.stand_apart(&places) => {
                at = places.start + 1;
                let form = if phrase == Effect::Praises { PRAISE } else { BLAME };
                tokens.merge(places.clone(), (form, Kind::Word), (Step::Phrase, listen));
                scopes.cover(tokens, places.start..at);
            }
            Some(Effect::Contrasts) if places.start > 0 => {
                let before = &mut tokens.items[places.start].before;
                *before = (*before).max(Break::Clause);
                scopes.cover(tokens, places);
            }
            _ => scopes.cover(tokens, places),
        }
    }
    if negation.prefixes == Prefixes::Read {
        read_prefixes(tokens, listen);
    }
}

/// The scope that is open, if one is.
struct Scopes<'a> {
    negation: &'a Negation,
    open: Option<Open>,
}

impl Scopes<'_> {
    /// Ends the scope where such a break does.
    fn close(&mut self, before: Break) {
        let ends = match self.negation.scope {
            Scope::Clause => before >= Break::Clause,
            _ => before == Break::Sentence,
        };
        if ends {
            self.open = None;
        }
    }

    /// A negator begins its scope, or undoes the one that is open: "not without charm".
    fn begin(&mut self, tokens: &Tokens, cue: usize, opens: Effect) {
        let undoes = self.open.is_some_and(|open| undoes(tokens, open, cue, opens));
        let left = if opens == Effect::Next { 1 } else { self.negation.reach };
        let negates = self.negation.scope != Scope::Off && !undoes;
        self.open = negates.then_some(Open { cue, left, joined: false });
    }

    /// A verb of saying or thinking hands the scope on to what is said: it keeps its whole reach behind it, and the
    /// word that joins the two, which is mostly "that", is not counted.
    fn carry(&mut self, at: usize) {
        if let Some(open) = self.open.as_mut().filter(|open| at - open.cue <= CARRIES_FROM) {
            open.left = self.negation.reach + 1;
        }
    }

    /// Negates those of the tokens that the scope covers.
    fn cover(&mut self, tokens: &mut Tokens, places: Range<usize>) {
        for at in places {
            if self.open.is_none() {
                return;
            }
            self.close(tokens.items[at].before);
            let Some(open) = &mut self.open else { return };
            if tokens.items[at].kind != Kind::Word {
                continue;
            }
            tokens.items[at].negated = true;
            open.joined |= JOINING.iter().any(|word| word_at(tokens, at).eq_ignore_ascii_case(word));
            if self.negation.scope != Scope::Sentence {
                open.left -= 1;
                if open.left == 0 {
                    self.open = None;
                }
            }
        }
    }
}

/// Whether a negator undoes an open scope. It does not where something joins the two ("not warm and never
/// clean"), where it is the same again ("never, never"), or where it is one that insists.
fn undoes(tokens: &Tokens, open: Open, at: usize, opens: Effect) -> bool {
    let word = word_at(tokens, at);
    let insists = opens == Effect::Renews || INSISTING.iter().any(|own| word.eq_ignore_ascii_case(own));
    !insists && !open.joined && !word_at(tokens, open.cue).eq_ignore_ascii_case(word)
}

/// Negates what stands behind the negator of a fixed expression, up to its end. Such an
/// expression speaks for itself: no earlier scope reaches into it or beyond it.
fn within(tokens: &mut Tokens, negation: &Negation, lexicon: &Lexicon, places: Range<usize>) {
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
    let follows = |offset: usize, word: &str| tokens.follows(at, offset, word);
    let found = if first.bytes().any(|byte| byte.is_ascii_uppercase()) {
        lexicon.expression(&first.to_ascii_lowercase(), follows)
    } else {
        lexicon.expression(first, follows)
    };
    found.map_or((None, 1), |(effect, length)| (Some(effect), length))
}
