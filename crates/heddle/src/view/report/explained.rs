//! Explanations as a page or Markdown: reading lines with what they are made of.

use heddle_core::Choice;
use heddle_core::explain::{Clause as Said, ColumnPart, TokenPart};
use heddle_work::{Explained, ExplainedText};

use super::content::{Block, Cell, Clause, Manner, Piece, Reading, Report, Section, Spoken, Table, pieces};
use crate::view::figures::share_with_interval;
use crate::view::reading::TELLING;
use crate::view::with_sign;
use crate::view::{number, without_mark};

/// The reading lines of some texts, each with its heaviest terms and what it would be without its words.
pub fn explained(found: &Explained, top: usize) -> Report {
    let one = |(at, text): (usize, &ExplainedText)| section(at, text, found, top);
    Report {
        title: "Why reviews are called as they are".into(),
        verdict: match &found.accuracy {
            Some(accuracy) => format!(
                "One review proves nothing: on unseen reviews this model is right in {}.",
                share_with_interval(accuracy)
            ),
            None => "One review proves nothing, and this model was never validated.".into(),
        },
        headline: Vec::new(),
        sections: found.texts.iter().enumerate().map(one).collect(),
    }
}

/// The reading line of each text.
pub fn readings(found: &Explained) -> Vec<Reading> {
    let one = |text: &ExplainedText| Reading { origin: text.origin.clone(), ..reading(text, found) };
    found.texts.iter().map(one).collect()
}

fn section(at: usize, text: &ExplainedText, found: &Explained, top: usize) -> Section {
    let own = &text.explanation;
    let names = &found.names;
    let mut blocks = vec![Block::Reading(reading(text, found))];
    if let Some(label) = &text.label {
        let class = label.class.map_or("no class under the rule", |class| names.of(class));
        blocks.push(Block::Sentence(format!("Labelled {}: {class}.", label.value)));
    }
    if let Some(flip) = &text.flip {
        let words: Vec<String> = flip.words.iter().map(|word| format!("“{}”", word.form)).collect();
        blocks.push(Block::Sentence(format!(
            "Without {} it would be called {} ({:.1} %).",
            words.join(", "),
            names.of(flip.called),
            100.0 * flip.probability
        )));
    }
    let terms = own.terms.iter().take(top).map(|term| {
        vec![
            without_mark(&term.term).into(),
            Cell::number(with_sign(term.contribution, 2), term.contribution),
            Cell::number(number(term.reviews as usize), term.reviews as f64),
            term.kind.name().into(),
        ]
    });
    let words = text.words.iter().map(|word| {
        vec![
            word.form.as_str().into(),
            Cell::number(with_sign(word.share, 2), word.share),
            Cell::number(with_sign(word.without.effect, 2), word.without.effect),
            Cell::number(format!("{:.1} %", 100.0 * word.without.probability), word.without.probability),
        ]
    });
    let without = format!("{} without it", names.of(own.polarity));
    let head = ["term", "contribution", "training reviews", "kind"];
    blocks.push(Block::More("Its heaviest terms".into(), Table::new(&head, terms.collect())));
    let head = ["word", "share", "effect", &without];
    blocks.push(Block::More("What it would be without its words".into(), Table::new(&head, words.collect())));
    Section { id: format!("review-{}", at + 1), title: text.origin.clone(), blocks }
}

fn reading(text: &ExplainedText, found: &Explained) -> Reading {
    let own = &text.explanation;
    let strongest = own.clauses.iter().map(|clause| clause.contribution.abs()).fold(0.0, f64::max);
    let spoken = |token: &TokenPart| Spoken {
        place: (token.start as usize, token.end as usize),
        adds: token.contribution,
        manner: Manner::of(token.negated || token.cue, token.counts),
    };
    let clause = |clause: &Said| Clause {
        pieces: pieces(
            &text.text,
            (clause.start as usize, clause.end as usize),
            own.tokens[clause.tokens.0..clause.tokens.1].iter().map(spoken),
            TELLING * strongest,
        ),
        adds: clause.contribution,
        running: clause.running,
    };
    let column = |column: &ColumnPart| Clause {
        pieces: vec![Piece { text: column.named(), class: None, manner: Manner::default() }],
        adds: column.contribution,
        running: column.running,
    };
    Reading {
        origin: String::new(),
        begins: own.intercept,
        clauses: own.columns.iter().map(column).chain(own.clauses.iter().map(clause)).collect(),
        verdict: format!(
            "{}called {}, probability {:.1} %, log-odds {}",
            if own.verdict.sure { "" } else { "unsure, leaning to be " },
            found.names.of(own.polarity),
            100.0 * own.verdict.probability(own.polarity),
            with_sign(own.log_odds, 2)
        ),
        class: own.polarity,
    }
}
