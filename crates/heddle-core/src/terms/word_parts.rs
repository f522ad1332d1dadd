//! The parts of words, told to others.

use rustc_hash::FxHashSet;

use super::encode::Scanned;
use super::subwords::SubwordRules;
use crate::text::document::Document;
use crate::text::tokens::Tokens;

/// Tells which parts the words of a review have: what another program cannot know that has no stemmer.
#[derive(Debug, Clone)]
pub struct WordParts {
    rules: SubwordRules,
}

impl WordParts {
    pub(crate) fn new(rules: SubwordRules) -> Self {
        Self { rules }
    }

    /// The distinct words of a review that have parts, in reading order, each spelled as terms are, with its parts.
    pub fn of(&self, document: &Document, tokens: &Tokens) -> Vec<(String, Vec<String>)> {
        let scanned = Scanned { document, tokens, fields: self.rules.fields() };
        let (mut seen, mut buffer, mut found) = (FxHashSet::default(), String::new(), Vec::new());
        for token in tokens.items() {
            let word = scanned.word(token, &mut buffer, |word| word.to_string());
            if !seen.insert(word.clone()) {
                continue;
            }
            let mut parts = Vec::new();
            self.rules.each(&word, |part| parts.push(part.to_string()));
            if !parts.is_empty() {
                found.push((word, parts));
            }
        }
        found
    }
}
