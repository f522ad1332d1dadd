//! Where a report's reviews, model and figures come from.

use heddle_core::labels::Polarity;

use super::super::content::{Block, Cell, Section, Table};
use super::super::findings;
use super::{Builder, counted};
use crate::view::figures::share_with_interval;
use crate::view::with_sign;
use crate::view::{count, number, percent, without_mark};

impl Builder<'_> {
    pub(super) fn data(&self) -> Section {
        let account = &self.found.split.account;
        let of = |class| match class {
            Polarity::Negative => account.negative,
            Polarity::Neutral => account.neutral,
            Polarity::Positive => account.positive,
        };
        let row = |name: Cell, rows: usize| {
            vec![name, counted(rows), Cell::number(percent(rows, account.read), rows as f64)]
        };
        let classes = Polarity::ALL
            .into_iter()
            .filter(|class| of(*class) > 0)
            .map(|class| row(self.class(class), of(class)));
        let others = [
            ("copies of these", account.copies),
            ("left out: between the classes", account.middle),
            ("left out: no rating", account.no_rating),
            ("left out: no text", account.no_text),
            ("left out: copies of no labelled row", account.copies_left_out),
            ("left out: reviews.keep", account.not_kept),
            ("refused", account.refused),
        ];
        let others =
            others.into_iter().filter(|(_, rows)| *rows > 0).map(|(name, rows)| row(name.into(), rows));
        let split = &self.found.split;
        let rows = |part: &findings::Part| number(part.mix.values().sum());
        let mut blocks = vec![
            Block::Table(Table::new(
                &["what became of the rows", "rows", "share"],
                classes.chain(others).collect(),
            )),
            Block::Sentence(format!("Rule: {}.", split.rule)),
            Block::Sentence(format!(
                "{} to learn from, {} locked away ({}, seed {}); {} on both sides, {} kept together.",
                rows(&split.training),
                rows(&split.holdout),
                split.by,
                split.seed,
                count(split.overlap.texts, "text"),
                count(split.near_repeats, "near repeat")
            )),
        ];
        if let Some(middle) = &self.found.middle {
            blocks.push(Block::Sentence(format!(
                "Of {} between the classes, {} are called {}.",
                count(middle.reviews, "review"),
                share_with_interval(&middle.called_positive),
                self.name(Polarity::Positive)
            )));
        }
        Section { id: "data".into(), title: "What came in".into(), blocks }
    }

    pub(super) fn card(&self) -> Section {
        let training = &self.found.training;
        let written = |value: &serde_json::Value| value.as_str().map_or(value.to_string(), String::from);
        let strength = training.card.strength.map_or("none".into(), |strength| format!("{strength:.1e}"));
        let rows = [
            ("learner", training.learner.clone()),
            ("n-grams of words", written(&training.words)),
            ("n-grams of letters", written(&training.letters)),
            ("stems beside words", if training.stems { "yes" } else { "no" }.into()),
            ("weighting", training.weighting.clone()),
            ("terms", number(training.card.terms)),
            ("penalty", format!("{}, lambda {strength}", training.penalty)),
            ("log-odds of a review without known terms", with_sign(training.intercept, 2)),
            ("size of the file", format!("{} KB", number(training.bytes.div_ceil(1024) as usize))),
        ];
        let rows = rows.into_iter().map(|(name, value)| vec![name.into(), value.into()]).collect();
        let heavy = Polarity::POLES
            .into_iter()
            .zip(&training.strongest)
            .flat_map(|(class, terms)| terms.iter().map(move |own| (class, own)));
        let heavy = heavy.map(|(class, own)| {
            vec![
                without_mark(&own.term).into(),
                self.class(class),
                Cell::number(with_sign(own.weight, 2), own.weight),
                Cell::number(number(own.reviews as usize), own.reviews as f64),
            ]
        });
        let blocks = vec![
            Block::Table(Table::new(&["what", "how"], rows)),
            Block::Sentence(
                "It judges well only what resembles its training reviews; what shares no term with it is left unsure.".into(),
            ),
            Block::More(
                "Its heaviest terms".into(),
                Table::new(&["term", "towards", "weight", "training reviews"], heavy.collect()),
            ),
        ];
        Section { id: "card".into(), title: "The model".into(), blocks }
    }

    pub(super) fn settings(&self) -> Section {
        let mut blocks = Vec::new();
        if let Some(about) = self.about {
            let sources =
                about.sources.iter().map(|own| vec![own.file.as_str().into(), own.xxh3.as_str().into()]);
            let written = |value: &serde_json::Value| value.as_str().map_or(value.to_string(), String::from);
            let settings =
                about.settings.iter().map(|(key, value)| vec![key.as_str().into(), written(value).into()]);
            blocks.push(Block::Table(Table::new(&["file", "XXH3-64 of its bytes"], sources.collect())));
            blocks.push(Block::More(
                "Every setting in force".into(),
                Table::new(&["setting", "value"], settings.collect()),
            ));
        }
        blocks.push(Block::Sentence(
            "The same files and settings give the same figures, byte for byte.".into(),
        ));
        Section { id: "settings".into(), title: "Where it comes from".into(), blocks }
    }
}
