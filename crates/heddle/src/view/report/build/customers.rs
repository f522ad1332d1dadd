//! What customers complain about, and what they praise.

use heddle_core::labels::Polarity;
use heddle_core::validate::within;

use super::super::content::{Block, Cell, Quoted, Section, Table};
use super::super::findings;
use super::super::findings::{ByColumn, ClassByColumn, Place};
use super::{Builder, counted, figure_cell};
use crate::view::figures::{in_points, points};
use crate::view::with_sign;
use crate::view::without_mark;

impl Builder<'_> {
    pub(super) fn drivers(&self) -> Section {
        let negative = self.name(Polarity::Negative);
        let themes = &self.found.drivers.themes;
        let rows = themes.iter().map(|own| {
            let words: Vec<String> = own.words.iter().skip(1).map(|own| without_mark(&own.word)).collect();
            vec![
                without_mark(&own.name).into(),
                self.class(own.class),
                counted(own.with.n),
                figure_cell(&own.with),
                Cell::number(in_points(&own.difference), own.difference.value.unwrap_or(f64::NAN)),
                Cell::number(
                    own.adds.value.map_or("–".into(), |adds| with_sign(adds, 2)),
                    own.adds.value.unwrap_or(f64::NAN),
                ),
                words.join(", ").into(),
            ]
        });
        let head = [
            "theme",
            "makes reviews",
            "reviews",
            &negative,
            "more than without it, in points",
            "adds, in log-odds",
            "words",
        ];
        let mut blocks = vec![
            Block::Table(Table::new(&head, rows.collect())),
            Block::Sentence(
                "Themes are words that are used alike and go with one class beyond noise; the intervals of differences hold for \
                 all themes together."
                    .into(),
            ),
        ];
        let places: Vec<Vec<Cell>> = themes
            .iter()
            .flat_map(|own| {
                let parts = own
                    .columns
                    .iter()
                    .flat_map(|column| column.values.iter().map(move |part| (&column.column, part)));
                let differ = parts.filter(|(_, part)| part.differs).map(|(column, part)| {
                    vec![
                        without_mark(&own.name).into(),
                        format!("{column} {}", part.part).into(),
                        figure_cell(&part.share),
                        points(&part.difference).into(),
                    ]
                });
                let trend = own.trend.filter(|trend| !within(trend));
                let trend = trend.map(|trend| {
                    vec![
                        without_mark(&own.name).into(),
                        "over time".into(),
                        "".into(),
                        format!("{} a year", points(&trend)).into(),
                    ]
                });
                differ.chain(trend).collect::<Vec<_>>()
            })
            .collect();
        if !places.is_empty() {
            blocks
                .push(Block::Table(Table::new(&["theme", "where", "of reviews", "than elsewhere"], places)));
        }
        blocks.extend(self.found.drivers.classes.iter().filter_map(|own| self.by_column(own)));
        if !self.redacted {
            let quoted = |own: &findings::Theme| Quoted {
                theme: without_mark(&own.name),
                class: own.class,
                said: own
                    .quotes
                    .iter()
                    .map(|quote| {
                        (html_escape::decode_html_entities(&quote.clause).into_owned(), quote.id.clone())
                    })
                    .collect(),
            };
            blocks.push(Block::Quotes(themes.iter().map(quoted).collect()));
        }
        Section {
            id: "drivers".into(),
            title: "What customers complain about, and what they praise".into(),
            blocks,
        }
    }

    /// The share of a class by value of each column.
    fn by_column(&self, own: &ClassByColumn) -> Option<Block> {
        let row = |column: &str, part: &Place| {
            vec![
                format!("{column} {}", part.part).into(),
                counted(part.share.n),
                figure_cell(&part.share),
                Cell::number(in_points(&part.difference), part.difference.value.unwrap_or(f64::NAN)),
                if part.differs { "more than noise" } else { "" }.into(),
            ]
        };
        let values = |column: &ByColumn| {
            column.values.iter().map(|part| row(&column.column, part)).collect::<Vec<_>>()
        };
        let rows: Vec<Vec<Cell>> = own.columns.iter().flat_map(values).collect();
        let head = ["where", "reviews", &self.name(own.class), "than elsewhere, in points", ""];
        let title = format!("How often reviews are {}, by column", self.name(own.class));
        (!rows.is_empty()).then(|| Block::More(title, Table::new(&head, rows)))
    }
}
