//! The terms of an explanation as people read them: a word with what its parts add.

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

impl Explanation {
    /// Its terms, each word with its parts, the strongest first. The lines add up to what the terms do.
    pub fn term_lines(&self) -> Vec<TermLine<'_>> {
        let stand = |part: &TermPart| (part.term.starts_with('¬'), part.kind == TermKind::TakenBack);
        // Words come before their parts, so that a line is a word's where there is one.
        let (parts, words): (Vec<&TermPart>, Vec<&TermPart>) =
            self.terms.iter().partition(|part| is_subword(part.term.trim_start_matches('¬')));
        let mut lines: Vec<TermLine<'_>> = Vec::with_capacity(words.len());
        let mut at: FxHashMap<Stand<'_>, usize> = FxHashMap::default();
        for (part, is_part) in
            words.iter().map(|word| (*word, false)).chain(parts.iter().map(|own| (*own, true)))
        {
            let (marked, back) = stand(part);
            let key = (&part.places[..], marked, back);
            match at.get(&key).filter(|_| is_part) {
                Some(&line) => lines[line].add(part),
                None => {
                    if !part.term.contains(' ') {
                        at.entry(key).or_insert(lines.len());
                    }
                    lines.push(TermLine::alone(part));
                }
            }
        }
        let size = |line: &TermLine<'_>| line.by_class.map_or(line.contribution.abs(), |own| own.size());
        lines.sort_by(|a, b| size(b).total_cmp(&size(a)));
        lines
    }
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
