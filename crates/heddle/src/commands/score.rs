//! New reviews, scored row by row.

use anyhow::bail;
use heddle_core::{Classes, Polarity, Score};
use heddle_files::{Column, Record, Reviews, RowWriter, STREAM};
use serde::Serialize;

use crate::args::ScoreArgs;
use crate::commands::opened::{
    open, probability_cells, probability_columns, score_all, warn_unvalidated, with_ours,
};
use crate::desk::{Answer, Desk};
use crate::labelling::{document, text_columns};
use crate::refusals::Refusals;
use crate::view::table::{Side, Table};
use crate::view::{Page, class, count, number, percent};

/// Rows that are read, scored and written at a time: memory does not grow with the file.
const BATCH: usize = 4096;
/// A review with this share of unknown words, or more, is flagged.
const MOSTLY_UNKNOWN: f64 = 0.5;

#[derive(Serialize, Default)]
struct Scored {
    model: String,
    /// Rows in the file: `scored` + `refused`.
    read: usize,
    scored: usize,
    refused: usize,
    negative: usize,
    /// Where the model has such a class.
    neutral: usize,
    positive: usize,
    /// Reviews that are not called: those without a known term, and those within the band of the
    /// unsure.
    unsure: usize,
    no_known_term: usize,
    /// Reviews of which at least half of the words are unknown to the model.
    mostly_unknown: usize,
    written: Option<String>,
}

/// Scores a file.
pub fn run(args: &ScoreArgs, desk: &Desk) -> anyhow::Result<usize> {
    if desk.json() && args.out.is_none() {
        bail!(
            "--json and the scored rows both go to standard output; say where the rows go: --out scored.csv"
        );
    }
    let (model, desk) = open(&args.model, desk)?;
    let mut reviews = desk.open_reviews(&args.file)?;
    let columns = text_columns(reviews.file(), reviews.columns(), desk.study())?;
    warn_unvalidated(&model, &desk);
    let classes = model.classes();
    let ours = [Column::text("polarity")]
        .into_iter()
        .chain(probability_columns(classes))
        .chain([Column::text("verdict")]);
    let header = with_ours(reviews.columns(), ours);
    let target = args.out.as_deref().unwrap_or(STREAM);
    let mut writer = RowWriter::create(desk.outputs(), target, &header)?;
    let mut scored = Scored { model: args.model.clone(), written: args.out.clone(), ..Scored::default() };
    let mut refusals = Refusals::new(&desk)?;
    let sign = desk.busy("scoring");
    loop {
        let batch = read_batch(&mut reviews, &mut refusals)?;
        if batch.is_empty() {
            break;
        }
        let texts: Vec<_> = batch.iter().map(|row| document(columns.iter().map(|&at| &row[at]))).collect();
        for ((row, text), score) in batch.iter().zip(&texts).zip(score_all(&model, &texts)) {
            scored.add(&score, text.text());
            writer.row(row.iter().chain(added(&score, classes).iter().map(String::as_str)))?;
        }
    }
    sign.finish_and_clear();
    writer.finish()?;
    desk.tell_manners(&reviews.manners());
    scored.refused = refusals.finish()?;
    scored.read = scored.scored + scored.refused;
    match &args.out {
        Some(_) => desk.answer("score", &scored)?,
        None => desk.remark(&scored.summary()),
    }
    Ok(scored.refused)
}

fn read_batch(reviews: &mut Reviews, refusals: &mut Refusals<'_>) -> anyhow::Result<Vec<Record>> {
    let mut batch = Vec::new();
    let mut record = Record::new();
    while batch.len() < BATCH {
        match refusals.next(reviews, &mut record)? {
            None => break,
            Some(_) => batch.push(std::mem::take(&mut record)),
        }
    }
    Ok(batch)
}

fn added(score: &Score, classes: Classes) -> Vec<String> {
    let mut cells = vec![score.polarity().name().to_string()];
    cells.extend(probability_cells(&score.verdict, classes));
    cells.push(verdict(score).into());
    cells
}

/// The class, or "unsure" where the model knows nothing of the review or may not call it.
fn verdict(score: &Score) -> &'static str {
    if score.is_sure() { score.polarity().name() } else { "unsure" }
}

impl Scored {
    fn add(&mut self, score: &Score, text: &str) {
        self.scored += 1;
        match score.polarity() {
            _ if !score.is_sure() => self.unsure += 1,
            Polarity::Negative => self.negative += 1,
            Polarity::Neutral => self.neutral += 1,
            Polarity::Positive => self.positive += 1,
        }
        self.no_known_term += usize::from(score.terms == 0);
        let words = text.split_whitespace().count();
        self.mostly_unknown +=
            usize::from(words > 0 && score.unknown as f64 >= MOSTLY_UNKNOWN * words as f64);
    }

    fn summary(&self) -> String {
        format!(
            "{} scored: {} negative, {}{} positive, {} unsure ({} without known term); {} refused; {} with mostly unknown words",
            count(self.scored, "review"),
            number(self.negative),
            if self.neutral > 0 { format!("{} neutral, ", number(self.neutral)) } else { String::new() },
            number(self.positive),
            number(self.unsure),
            number(self.no_known_term),
            number(self.refused),
            number(self.mostly_unknown)
        )
    }
}

impl Answer for Scored {
    fn show(&self, page: &mut Page) {
        page.heading(&format!(
            "{} read, {} scored by {}",
            count(self.read, "row"),
            number(self.scored),
            self.model
        ));
        let mut table =
            Table::new(&[("verdict", Side::Left), ("reviews", Side::Right), ("share", Side::Right)]);
        let mut row = |name: String, rows: usize| table.row([name, number(rows), percent(rows, self.scored)]);
        row(class(Polarity::Negative), self.negative);
        row(class(Polarity::Positive), self.positive);
        if self.neutral > 0 {
            row(class(Polarity::Neutral), self.neutral);
        }
        row("? unsure".into(), self.unsure);
        table.put(page);
        page.note(&format!(
            "{} of the unsure without any known term; {} of mostly unknown words: the model judges well only what resembles its training reviews. {} refused.",
            number(self.no_known_term),
            count(self.mostly_unknown, "review"),
            count(self.refused, "row")
        ));
        if let Some(path) = &self.written {
            page.heading(&format!("Written: {path}, in the order of the file"));
        }
    }
}
