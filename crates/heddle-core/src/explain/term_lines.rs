//! The terms of an explanation as people read them: a word with what its parts add.

use std::collections::hash_map::Entry;

use rustc_hash::FxHashMap;

use super::contribute::{Explanation, TermKind, TermPart};
use crate::labels::per_class::PerClass;
use crate::terms::subwords::is_subword;

/// A term with the parts of its word that stand where it stands.
#[derive(Debug, Clone, PartialEq)]
pub struct TermLine<'e> {
    /// The term.
    pub term: &'e TermPart,
    /// How many parts of its word are added up with it: its stem, n-grams of its letters.
    pub parts: usize,
    /// What they add to the log-odds together, in nats.
    pub contribution: f64,
    /// The same for the sum of each class, where each has weights of its own.
    pub by_class: Option<PerClass<f64>>,
}

/// What parts are held together by: where they stand, whether they are marked as negated, whether they are taken back.
type Stand<'e> = (&'e [(u32, u32)], bool, bool);

fn stand(part: &TermPart) -> Stand<'_> {
    (&part.places, part.term.starts_with('¬'), part.kind == TermKind::TakenBack)
}

impl Explanation {
    /// Its terms, as [`term_lines`] has them.
    pub fn term_lines(&self) -> Vec<TermLine<'_>> {
        term_lines(&self.terms)
    }
}

/// The terms of a review, each word with its parts, the strongest first. The lines add up to what the terms do.
pub fn term_lines(terms: &[TermPart]) -> Vec<TermLine<'_>> {
    let (parts, words): (Vec<&TermPart>, Vec<&TermPart>) =
        terms.iter().partition(|part| is_subword(part.term.trim_start_matches('¬')));
    let mut lines: Vec<TermLine<'_>> = words.iter().map(|word| TermLine::alone(word)).collect();
    // By where they stand: the first line of a single word, or of a part that no word is known to.
    let mut at: FxHashMap<Stand<'_>, usize> = FxHashMap::default();
    for (line, word) in words.iter().enumerate().filter(|(_, word)| !word.term.contains(' ')) {
        at.entry(stand(word)).or_insert(line);
    }
    for part in parts {
        match at.entry(stand(part)) {
            Entry::Occupied(line) => lines[*line.get()].add(part),
            Entry::Vacant(free) => {
                free.insert(lines.len());
                lines.push(TermLine::alone(part));
            }
        }
    }
    let size = |line: &TermLine<'_>| line.by_class.map_or(line.contribution.abs(), |own| own.size());
    lines.sort_by(|a, b| size(b).total_cmp(&size(a)));
    lines
}

impl<'e> TermLine<'e> {
    /// A term by itself.
    pub fn alone(term: &'e TermPart) -> Self {
        Self { term, parts: 0, contribution: term.contribution, by_class: term.by_class }
    }

    fn add(&mut self, part: &TermPart) {
        self.parts += 1;
        self.contribution += part.contribution;
        self.by_class = self.by_class.zip(part.by_class).map(|(sum, own)| sum.plus(own));
    }
}
