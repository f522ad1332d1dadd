//! Labels and verdicts that contradict each other.

use super::super::content::{Block, Cell, Section, Table};
use super::Builder;
use crate::view::figures::share_with_interval;
use crate::view::with_sign;
use crate::view::{number, without_mark};

impl Builder<'_> {
    pub(super) fn doubts(&self) -> Section {
        let doubts = &self.found.doubts;
        let whole = |value: Option<f64>| value.map_or("–".into(), |value| number(value.round() as usize));
        let rows = doubts.labels.iter().map(|own| {
            let words: Vec<String> = own.words.iter().map(|(word, _)| without_mark(word)).collect();
            let mut cells = vec![
                own.id.as_str().into(),
                own.rating.as_str().into(),
                self.class(own.label),
                Cell::number(format!("{:.1} %", 100.0 * own.probability), own.probability),
                Cell::number(
                    if own.wrong > 0.99 { "> 99 %".into() } else { format!("{:.0} %", 100.0 * own.wrong) },
                    own.wrong,
                ),
                self.class(own.called),
                words.join(", ").into(),
            ];
            cells.extend((!self.redacted).then(|| own.text.as_str().into()));
            cells
        });
        let mut head = vec![
            doubts.named_by.as_str(),
            "rating",
            "labelled",
            "probability of that",
            "wrong",
            "the words say",
            "words",
        ];
        head.extend((!self.redacted).then_some("review"));
        let blocks = vec![
            Block::Sentence(format!(
                "As many as {} ({} to {}) labels may be wrong: of the fifth of the reviews that models are surest of, {} bear another \
                 label. The most doubtful:",
                whole(doubts.expected.value),
                whole(doubts.expected.low),
                whole(doubts.expected.high),
                share_with_interval(&doubts.noise)
            )),
            Block::Table(Table::new(&head, rows.collect()).searched()),
        ];
        Section { id: "doubts".into(), title: "Labels that the words contradict".into(), blocks }
    }

    pub(super) fn mistakes(&self) -> Section {
        let assessed = &self.found.assessment;
        let rows = assessed.mistakes.iter().map(|own| {
            let mut cells = vec![
                own.id.as_str().into(),
                self.class(own.truth),
                Cell::number(with_sign(own.log_odds, 2), own.log_odds),
            ];
            cells.extend((!self.redacted).then(|| own.text.as_str().into()));
            cells
        });
        let mut head = vec![assessed.named_by.as_str(), "labelled", "log-odds"];
        head.extend((!self.redacted).then_some("review"));
        let blocks = vec![
            Block::Table(Table::new(&head, rows.collect()).searched()),
            Block::Sentence(
                "The model is sure of another class than the label: one of the two is wrong.".into(),
            ),
        ];
        Section { id: "mistakes".into(), title: "Confident mistakes on the holdout".into(), blocks }
    }
}
