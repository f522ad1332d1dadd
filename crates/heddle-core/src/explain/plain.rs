//! Whether a model has good and bad the right way round.

use serde::Serialize;

use crate::model::artefact::Model;
use crate::text::plain::plain_sign;

/// A word in fewer reviews says too little.
const FEWEST: u64 = 3;
/// With fewer known words nothing is said.
const ENOUGH: usize = 4;

/// How plain words pull in a model.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PlainWords {
    /// Plain words that the model knows from three reviews or more.
    pub known: usize,
    /// Of these, the ones that pull the wrong way, in alphabetical order.
    pub against: Vec<String>,
}

impl PlainWords {
    /// Whether more than half of at least four known words pull the wrong way: the codes of
    /// the classes are probably swapped.
    pub fn are_turned(&self) -> bool {
        self.known >= ENOUGH && self.against.len() * 2 > self.known
    }
}

/// Looks at the weights of plainly good and plainly bad words, where they stand alone and are
/// not negated.
pub fn plain_words(model: &Model) -> PlainWords {
    let mut found = PlainWords { known: 0, against: Vec::new() };
    let languages = &model.study().text.languages;
    for (term, word) in model.single_words() {
        let Some(expected) = plain_sign(languages, &word.to_lowercase()) else { continue };
        let term = model.term(term);
        if term.kept && term.reviews() >= FEWEST && term.weight != 0.0 {
            found.known += 1;
            if f64::from(term.weight) * expected < 0.0 {
                found.against.push(word.to_string());
            }
        }
    }
    found.against.sort();
    found
}
