//! How good a model would be on reviews it has not seen.

use heddle_core::{Choice, Classes, Fold, HeldOut, Sample, Study, Validation};
use heddle_files::{CellKind, Column, RowWriter};
use serde::Serialize;

use crate::args::ValidateArgs;
use crate::commands::learn::Lesson;
use crate::commands::opened::{probability_cells, probability_columns};
use crate::desk::{Answer, Desk};
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use crate::noted::{Noted, folder_of};
use crate::view::figures::{Restated, confusion, figures, mix_note, plain, share};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// What cross-validation found.
#[derive(Serialize)]
pub struct Validated {
    pub account: Account,
    pub rule: String,
    pub seed: u64,
    /// What is done about classes of unequal size.
    pub balance: &'static str,
    /// The class mix that probabilities speak of.
    pub probabilities: &'static str,
    /// Precision at the natural class mix, where the file has another.
    pub restated: Option<Restated>,
    #[serde(flatten)]
    pub validation: Validation,
    pub written: Option<String>,
}

/// Cross-validates.
pub fn run(args: &ValidateArgs, desk: &Desk) -> anyhow::Result<usize> {
    let intake = Intake::read(&args.files, desk, Kept::Needed, Purpose::Learn)?;
    let names = RowNames::new(&intake, desk.study())?;
    let lesson = Lesson::new(intake, desk)?;
    let validation = lesson.validate(desk)?;
    if let Some(path) = &args.out {
        write_held_out(path, &names, &lesson.sample, &validation)?;
    }
    desk.note(Noted {
        command: "validate",
        folder: args.out.as_ref().map_or(std::path::Path::new("."), |path| folder_of(path)),
        input: &lesson.input,
        model: None,
        mix: lesson.mix(),
        figures: &validation.figures,
    });
    desk.answer("validate", &validated(&lesson, validation, args.out.clone()))?;
    Ok(lesson.account.refused)
}

/// The account of a validation.
pub fn validated(lesson: &Lesson, validation: Validation, written: Option<String>) -> Validated {
    let study: &Study = &lesson.study;
    Validated {
        account: lesson.account.clone(),
        rule: study.polarity.to_string(),
        seed: study.validation.seed,
        balance: study.balance.method.name(),
        probabilities: study.balance.probabilities.name(),
        restated: study.balance.natural.map(|natural| Restated::new(&validation.figures, natural)),
        validation,
        written,
    }
}

/// What each review is called in the files that are written: its id, or its row number.
pub struct RowNames {
    column: String,
    names: Vec<String>,
}

impl RowNames {
    /// Takes the names of all reviews.
    pub fn new(intake: &Intake, study: &heddle_core::Study) -> anyhow::Result<Self> {
        let table = &intake.table;
        let Some(column) = &study.reviews.id else {
            let names = intake.rows.iter().map(|row| (row + 1).to_string()).collect();
            return Ok(Self { column: "row".into(), names });
        };
        let at = table.column(column)?;
        let names = intake.rows.iter().map(|&row| table.cell(row, at).to_string()).collect();
        Ok(Self { column: column.clone(), names })
    }
}

/// Writes out-of-fold predictions: one row per review, joined to the reviews by id.
pub fn write_held_out(
    path: &str,
    names: &RowNames,
    sample: &Sample,
    validation: &Validation,
) -> anyhow::Result<()> {
    let whole = |name: &str| Column { name: name.into(), kind: CellKind::Whole };
    let classes = Classes::of(sample.mix(&(0..sample.len() as u32).collect::<Vec<_>>()));
    let header = [Column::text(names.column.as_str()), Column::text("truth"), whole("round"), whole("fold")];
    let odds = [Column::number("log_odds")].into_iter().chain(probability_columns(classes));
    let columns: Vec<Column> = header.into_iter().chain(odds).chain([Column::text("polarity")]).collect();
    let mut writer = RowWriter::create(path, &columns)?;
    for (round, held_out) in validation.held_out.iter().enumerate() {
        for (at, HeldOut { fold, verdict }) in
            held_out.iter().enumerate().filter_map(|(at, held)| Some((at, (*held)?)))
        {
            let numbers = [(round + 1).to_string(), (fold + 1).to_string(), verdict.log_odds.to_string()];
            let probabilities = probability_cells(&verdict, classes);
            let first = [names.names[at].as_str(), sample.labels[at].name()];
            let cells = numbers.iter().chain(&probabilities).map(String::as_str);
            writer.row(first.into_iter().chain(cells).chain([verdict.called.name()]))?;
        }
    }
    writer.finish()?;
    Ok(())
}

impl Answer for Validated {
    fn show(&self, page: &mut Page) {
        let validation = &self.validation;
        page.heading(&format!(
            "{} folds over {}, everything refitted in each",
            validation.folds.len(),
            count(self.account.negative + self.account.positive, "review")
        ));
        figures(page, &validation.figures, &validation.baseline);
        page.note(&format!(
            "Every review was called by a model that had not seen it, nor one of equal text. Rule: {}.",
            self.rule
        ));
        mix_note(page, self.balance, self.probabilities);
        if let Some(restated) = &self.restated {
            restated.show(page);
        }
        confusion(page, &validation.figures);
        page.heading("Fold by fold");
        show_folds(page, &validation.folds);
        page.note("Folds share most of their training reviews, so their spread is no interval.");
        if let Some(path) = &self.written {
            page.heading(&format!("Written: {path}, the out-of-fold probabilities"));
        }
    }
}

fn show_folds(page: &mut Page, folds: &[Fold]) {
    let mut table = Table::new(&[
        ("fold", Side::Right),
        ("learnt from", Side::Right),
        ("held out", Side::Right),
        ("terms", Side::Right),
        ("lambda", Side::Right),
        ("accuracy", Side::Right),
        ("ROC area", Side::Right),
    ]);
    for (at, fold) in folds.iter().enumerate() {
        table.row([
            (at + 1).to_string(),
            number(fold.training.iter().sum()),
            number(fold.held_out.iter().sum()),
            number(fold.terms),
            fold.strength.map_or("–".into(), |strength| format!("{strength:.1e}")),
            share(&fold.accuracy),
            plain(&fold.roc_area),
        ]);
    }
    table.put(page);
}
