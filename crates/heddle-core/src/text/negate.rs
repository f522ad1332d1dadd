//! Which tokens are negated.
//!
//! A negator opens a scope over the words after it. Das and Chen (2007), "Yahoo! for
//! Amazon: sentiment extraction from small talk on the web", Management Science 53(9),
//! DOI 10.1287/mnsc.1070.0704, marked every word up to the sentence's end; here a scope
//! also ends at clause breaks, at contrast words and after a reach, because blame and
//! praise often share a sentence. A second negator inside a scope undoes it.
//!
//! What is conceded counts less than what it is held against: in "clean, but cold" the speaker stands by "cold". The
//! part that counts is the nucleus of a relation of concession, the other its satellite: Mann and Thompson (1988),
//! "Rhetorical structure theory: toward a functional theory of text organization", Text 8(3), DOI
//! 10.1515/text.1.1988.8.3.243.

use std::ops::Range;

use super::lexicon::Lexicon;
use super::negation::{Concessions, Edition, Negation, Prefixes, Scope};
use super::steps::{Listen, Step};
use super::tables::{Effect, plain_of};
use super::tokens::{Break, Counts, Kind, Tokens};

/// The form of a phrase that praises.
pub const PRAISE: &str = "‹praise›";
/// The form of a phrase that blames.
pub const BLAME: &str = "‹blame›";

/// An open scope: the first token that opened it and the one behind these, and the words it may still cover.
#[derive(Debug, Clone, Copy)]
struct Open {
    cue: usize,
    behind: usize,
    left: u32,
    /// Where it goes on behind what is inserted right behind its negator.
    resumes: Option<usize>,
    /// Whether "and" or "or" has come since.
    joined: bool,
}

/// Negators that never undo another: "he never had no money" is no praise.
const INSISTING: [&str; 3] = ["no", "nor", "neither"];
/// How many words may stand between a negator and itself where it is said again for force, or in a list: "not warm not
/// clean". Further apart each speaks for itself: "I can not say that it was not warm".
const AGAIN: usize = 1;
/// The longest insertion that a scope leaps, in tokens: "did not, to tell the truth, seem".
const INSERTED: usize = 6;
/// How many words a negator that ends its clause reaches back over: "das Essen schmeckte uns nicht".
const BACK: usize = 4;
/// How far behind its negator a verb of saying or thinking still carries a scope: "do not really think that".
const CARRIES_FROM: usize = 3;

/// Sets the clause breaks before contrast words, marks cues, negated words and what counts less, and reads set phrases.
pub(super) fn mark<L: Listen>(tokens: &mut Tokens, negation: &Negation, lexicon: &Lexicon, listen: &mut L) {
    if !lexicon.continuing().is_empty() {
        go_on(tokens, lexicon);
    }
    let mut scopes = Scopes { negation, lexicon, open: None };
    let mut at = 0;
    while at < tokens.items.len() {
        let token = &tokens.items[at];
        if token.kind != Kind::Word || !lexicon.may_begin(tokens.form(token)) {
            // Nearly every token passes here: nothing begins with it, and no scope is open.
            if scopes.open.is_some() {
                scopes.cover(tokens, at..at + 1);
            }
            at += 1;
            continue;
        }
        let (effect, length) = expression_at(tokens, lexicon, at);
        let places = at..at + length;
        at += length;
        match effect {
            Some(opens @ (Effect::Negates | Effect::Either | Effect::Renews | Effect::Next)) => {
                scopes.close(tokens.items[places.start].before);
                scopes.begin(tokens, &places, opens);
                if opens == Effect::Either {
                    scopes.reach_back(tokens, &places);
                }
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
                scopes.merged(&places);
                tokens.merge(places.clone(), (form, Kind::Word), (Step::Phrase, listen));
                scopes.cover(tokens, places.start..at);
            }
            Some(turn @ (Effect::Contrasts | Effect::Overrules | Effect::Concedes | Effect::Aside)) => {
                tokens.begin_clause(places.start);
                let behind = |tokens: &Tokens| tokens.clause_from(places.end, negation.reach as usize);
                match turn {
                    Effect::Overrules => {
                        tokens.weaken(tokens.sentence_before(places.start), Counts::Half);
                        scopes.turn();
                    }
                    Effect::Concedes => tokens.weaken(behind(tokens), Counts::Half),
                    Effect::Aside => tokens.weaken(behind(tokens), Counts::Nothing),
                    _ => {}
                }
                scopes.cover(tokens, places);
            }
            Some(Effect::Nothing) => {
                scopes.cover(tokens, places.clone());
                if negation.edition >= Edition::Third
                    && negation.concessions == Concessions::Read
                    && is_negator_at(tokens, lexicon, places.start)
                {
                    tokens.weaken(places, Counts::Nothing);
                }
            }
            _ => scopes.cover(tokens, places),
        }
    }
    if negation.prefixes == Prefixes::Read && lexicon.reads_prefixes() {
        read_prefixes(tokens, listen);
    }
}

/// Takes back the clause breaks before words that go on with what is said.
fn go_on(tokens: &mut Tokens, lexicon: &Lexicon) {
    for at in 0..tokens.items.len() {
        if tokens.items[at].before == Break::Clause
            && lexicon.continuing().iter().any(|own| own.eq_ignore_ascii_case(word_at(tokens, at)))
        {
            tokens.items[at].before = Break::None;
        }
    }
}

/// The scope that is open, if one is.
struct Scopes<'a> {
    negation: &'a Negation,
    lexicon: &'a Lexicon,
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

    /// A negator begins its scope, or undoes the one that is open: of "not without charm" only the charm counts.
    fn begin(&mut self, tokens: &mut Tokens, places: &Range<usize>, opens: Effect) {
        let (cue, next) = (places.start, places.end);
        if let Some(open) = self.open.take_if(|open| undoes(tokens, *open, cue, opens)) {
            if self.negation.concessions == Concessions::Read {
                tokens.weaken(open.cue..open.behind, Counts::Nothing);
                tokens.weaken(places.clone(), Counts::Nothing);
            }
            return;
        }
        // Before its subject, or as the subject, a negator covers the subject before it comes to what is said of it.
        let leads = cue == 0 || tokens.items[cue].before >= Break::Clause;
        let Negation { reach, edition, scope, .. } = *self.negation;
        let second = edition >= Edition::Second && scope == Scope::Clause;
        let left = match opens {
            Effect::Next => 1,
            _ if leads && second => reach + reach / 2,
            _ => reach,
        };
        // "No, thanks, we were fine" denies nothing behind its commas.
        let resumes = if leads || !second { None } else { behind_insertion(tokens, next) };
        self.open = (scope != Scope::Off).then_some(Open { cue, behind: next, left, resumes, joined: false });
    }

    /// These tokens become one: what stands behind them moves up.
    fn merged(&mut self, places: &Range<usize>) {
        let resumes = self.open.as_mut().and_then(|open| open.resumes.as_mut());
        if let Some(resumes) = resumes.filter(|resumes| **resumes > places.start) {
            *resumes -= places.len() - 1;
        }
    }

    /// What is said turns: nothing is inserted any more.
    fn turn(&mut self) {
        if let Some(open) = &mut self.open {
            open.resumes = None;
        }
    }

    /// Negates the words before a negator that ends its clause, and opens no scope then.
    fn reach_back(&mut self, tokens: &mut Tokens, cue: &Range<usize>) {
        let next = tokens.items.get(cue.end);
        let ends = next.is_none_or(|next| next.before >= Break::Clause || next.kind == Kind::Mark);
        if !ends || self.open.is_none() {
            return;
        }
        self.open = None;
        let (mut at, mut left) = (cue.start, BACK);
        while at > 0 && left > 0 && tokens.items[at].before == Break::None {
            at -= 1;
            let token = &mut tokens.items[at];
            if token.cue || token.negated {
                return;
            }
            if token.kind == Kind::Word {
                token.negated = true;
                left -= 1;
            }
        }
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
            match self.open.and_then(|open| open.resumes) {
                Some(resumes) if at < resumes => continue,
                Some(resumes) if at == resumes => {} // the comma that ends an insertion ends no scope
                _ => self.close(tokens.items[at].before),
            }
            let Some(open) = &mut self.open else { return };
            if tokens.items[at].kind != Kind::Word {
                continue;
            }
            tokens.items[at].negated = true;
            open.joined |= self.lexicon.joins(word_at(tokens, at));
            if self.negation.scope != Scope::Sentence {
                open.left -= 1;
                if open.left == 0 {
                    self.open = None;
                }
            }
        }
    }
}

/// Where the words go on behind what commas insert at `next`, if they do.
fn behind_insertion(tokens: &Tokens, next: usize) -> Option<usize> {
    let breaks = |at: &usize| tokens.items[*at].before >= Break::Clause;
    let is_comma = |at: usize| tokens.items.get(at).is_some_and(|token| token.before == Break::Clause);
    let end = (next + 1..tokens.items.len().min(next + INSERTED + 1)).find(breaks);
    end.filter(|end| is_comma(next) && is_comma(*end))
}

/// Whether a negator undoes an open scope. It does not where something joins the two ("not warm and never
/// clean"), where it is the same again at once ("never, never"), or where it is one that insists.
fn undoes(tokens: &Tokens, open: Open, at: usize, opens: Effect) -> bool {
    let word = word_at(tokens, at);
    let insists = opens == Effect::Renews || INSISTING.iter().any(|own| word.eq_ignore_ascii_case(own));
    let again = at - open.cue <= AGAIN + 1 && word_at(tokens, open.cue).eq_ignore_ascii_case(word);
    !insists && !open.joined && !again
}

/// Negates what stands behind the negator of a fixed expression, up to its end. Such an
/// expression speaks for itself: no earlier scope reaches into it or beyond it.
fn within(tokens: &mut Tokens, negation: &Negation, lexicon: &Lexicon, places: Range<usize>) {
    let cue = places.clone().find(|&at| is_negator_at(tokens, lexicon, at));
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

fn is_negator_at(tokens: &Tokens, lexicon: &Lexicon, at: usize) -> bool {
    lexicon.is_negator(&word_at(tokens, at).to_ascii_lowercase())
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
