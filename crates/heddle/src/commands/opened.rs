//! A model in use.

use heddle_core::{Classes, Document, Model, Score, Verdict};
use heddle_files::{Column, read_model};
use rayon::prelude::*;

use crate::desk::Desk;

/// Reads a model, and takes its settings in place of those of the desk.
pub fn open(path: &str, desk: &Desk) -> anyhow::Result<(Model, Desk)> {
    let model = read_model(path)?;
    let desk = desk.of_model(&model)?;
    Ok((model, desk))
}

/// What stands beside the figures of a model that was never validated.
pub fn warn_unvalidated(model: &Model, desk: &Desk) {
    if model.card().validated.is_none() {
        desk.remark("note: this model was never validated; train it with --validate to know how good it is");
    }
}

/// Scores texts on all threads, in order.
pub fn score_all(model: &Model, texts: &[Document]) -> Vec<Score> {
    texts.par_iter().map_init(|| model.reader(), |reader, text| reader.score_document(text)).collect()
}

/// A column for the probability of each class.
pub fn probability_columns(classes: Classes) -> impl Iterator<Item = Column> {
    classes.list().iter().map(|class| Column::number(format!("p_{}", class.name())))
}

/// The probability of each class.
pub fn probability_cells(verdict: &Verdict, classes: Classes) -> Vec<String> {
    classes.list().iter().map(|class| verdict.probability(*class).to_string()).collect()
}

/// The columns of a file and ours behind them. A name that is taken gets "_heddle" behind
/// it until it is free: no column is lost, and the file can be read again.
pub fn with_ours(columns: &[Column], ours: impl IntoIterator<Item = Column>) -> Vec<Column> {
    let mut all = columns.to_vec();
    for mut column in ours {
        while all.iter().any(|other| other.name == column.name) {
            column.name.push_str("_heddle");
        }
        all.push(column);
    }
    all
}
