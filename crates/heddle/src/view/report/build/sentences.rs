//! How the model reads reviews and sentences.

use heddle_core::labels::Polarity;

use super::super::content::{Block, Cell, Clause, Manner, Reading, Section, Spoken, Table, pieces};
use super::super::findings;
use super::{Builder, MISSES, counted, figure_cell};
use crate::view::count;
use crate::view::figures::share_with_interval;
use crate::view::reading::TELLING;
use crate::view::with_sign;
use findings::Text;

impl Builder<'_> {
    pub(super) fn reading(&self) -> Section {
        let [negative, positive] = Polarity::POLES.map(|class| self.name(class));
        let mut blocks = vec![Block::Sentence(format!(
            "A review in reading order, one clause a line: what it adds to the log-odds of {positive}, and the running total after \
             it. Words in gold speak for {positive}, words in violet for {negative}; negators and what they negate are underlined, \
             and what counts less, because it is conceded or said of others, is in italics. With the intercept, contributions add up to the verdict."
        ))];
        match self.redacted {
            true => blocks.push(Block::Sentence("Texts are left out of this report.".into())),
            false => blocks.extend(
                self.found.explained.texts.iter().map(|text| Block::Reading(self.reading_line(text))),
            ),
        }
        Section { id: "reading".into(), title: "How it reads a review".into(), blocks }
    }

    fn reading_line(&self, text: &Text) -> Reading {
        let strongest = text.clauses.iter().map(|clause| clause.contribution.abs()).fold(0.0, f64::max);
        let spoken = |token: &findings::Token| Spoken {
            place: (token.start, token.end),
            adds: token.contribution,
            manner: Manner::of(token.negated || token.cue, token.counts),
        };
        let clause = |clause: &findings::Clause| Clause {
            pieces: pieces(
                &text.text,
                (clause.start, clause.end),
                text.tokens[clause.tokens.0..clause.tokens.1].iter().map(spoken),
                TELLING * strongest,
            ),
            adds: clause.contribution,
            running: clause.running,
        };
        Reading {
            origin: text.origin.clone(),
            begins: text.intercept,
            clauses: text.clauses.iter().map(clause).collect(),
            verdict: format!("called {}, log-odds {}", self.name(text.polarity), with_sign(text.log_odds, 2)),
            class: text.polarity,
        }
    }

    pub(super) fn probes(&self) -> Section {
        let probes = &self.found.probes;
        let kinds = probes
            .kinds
            .iter()
            .map(|own| vec![own.kind.as_str().into(), figure_cell(&own.passed), counted(own.passed.n)]);
        let missed = probes.sentences.iter().filter(|own| !own.passed).take(MISSES).map(|own| {
            vec![
                own.kind.as_str().into(),
                own.text.as_str().into(),
                own.expected.as_str().into(),
                self.class(own.called),
                Cell::number(with_sign(own.log_odds, 2), own.log_odds),
            ]
        });
        let blocks = vec![
            Block::Sentence(format!(
                "{} of {} of known meaning are read as expected. They tell what kinds of sentences the model reads, and not how often \
                 it is right.",
                share_with_interval(&probes.passed),
                count(probes.sentences.len(), "sentence")
            )),
            Block::Table(Table::new(&["kind", "as expected", "sentences"], kinds.collect())),
            Block::More(
                "Some that are not".into(),
                Table::new(&["kind", "sentence", "expected", "called", "log-odds"], missed.collect()),
            ),
        ];
        Section { id: "probes".into(), title: "What kinds of sentences it reads".into(), blocks }
    }
}
