//! The columns of files that are written: those of the reviews, and ours behind them.

use heddle_core::labels::{ClassNames, Classes, Polarity, UNSURE};
use heddle_core::measure::Verdict;
use heddle_core::settings::Study;
use heddle_files::{About, Column, Input, Record};

use crate::error::Result;
use crate::reviews::holdout::PART;

/// The column that labelled files gain.
pub const CLASS_COLUMN: &str = "polarity";

/// A column for the probability of each class.
pub fn probability_columns(classes: Classes, names: &ClassNames) -> impl Iterator<Item = Column> {
    classes.list().iter().map(|class| Column::number(format!("p_{}", names.of(*class))))
}

/// The probability of each class.
pub fn probability_cells(verdict: &Verdict, classes: Classes) -> Vec<String> {
    classes.list().iter().map(|class| verdict.probability(*class).to_string()).collect()
}

/// What is called, and the verdict: the same, or "unsure".
pub fn verdict_cells<'n>(verdict: &Verdict, sure: bool, names: &'n ClassNames) -> [&'n str; 2] {
    let called = names.of(verdict.called);
    [called, if sure { called } else { UNSURE }]
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

/// Whether a class column that is there already is ours to replace: the file was labelled
/// here, or its classes are what is labelled by.
pub fn replaces(input: &Input, study: &Study) -> Result<bool> {
    let mut ours = study.reviews.rated() == CLASS_COLUMN;
    for path in input.paths() {
        ours |= About::beside(path)?.is_some_and(|about| about.fits(path));
    }
    Ok(ours)
}

/// The columns of labelled rows: those of the file, and the class. A column `polarity` of the
/// file's own stays, and ours is called otherwise.
pub struct LabelledColumns {
    kept: Vec<usize>,
    columns: Vec<Column>,
    names: ClassNames,
}

impl LabelledColumns {
    pub fn new(theirs: &[Column], replaces: bool, names: ClassNames) -> Self {
        let kept: Vec<usize> =
            (0..theirs.len()).filter(|&at| !replaces || theirs[at].name != CLASS_COLUMN).collect();
        let own: Vec<Column> = kept.iter().map(|&at| theirs[at].clone()).collect();
        let columns = with_ours(&own, [Column::text(CLASS_COLUMN)]);
        Self { kept, columns, names }
    }

    /// With a column behind them for the part that a row stands in, in place of any that is there.
    pub fn with_part(mut self, theirs: &[Column]) -> Self {
        self.kept.retain(|&at| theirs[at].name != PART);
        self.columns.retain(|column| column.name != PART);
        self.columns.push(Column::text(PART));
        self
    }

    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The cells of a row, and its class.
    pub fn cells<'r>(&'r self, record: &'r Record, class: Polarity) -> impl Iterator<Item = &'r str> {
        self.kept.iter().map(|&at| &record[at]).chain([self.names.of(class)])
    }
}
