//! How good a model would be on reviews it has not seen.

mod aspects;
mod page;
mod picture;

use anyhow::anyhow;
use heddle_core::{
    Audit, Bin, Choice, Classes, CutPoint, Division, Growth, HeldOut, Rival, SHARES, Sample, Slice,
    Validation, Verdict, audit, cut_points, growth, reliability, rivals, slices,
};
use heddle_files::{CellKind, Column, RowWriter};
use serde::Serialize;

use crate::args::ValidateArgs;
use crate::commands::learn::{Lesson, told};
use crate::commands::opened::{probability_cells, probability_columns};
use crate::desk::Desk;
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use crate::noted::{Noted, folder_of};
use crate::view::figures::Restated;

pub use page::points;

/// What cross-validation found.
#[derive(Serialize)]
pub struct Validated {
    pub account: Account,
    pub rule: String,
    pub seed: u64,
    pub order: &'static str,
    /// What is done about classes of unequal size.
    pub balance: &'static str,
    /// The class mix that probabilities speak of.
    pub probabilities: &'static str,
    /// Precision at the natural class mix, where the file has another.
    pub restated: Option<Restated>,
    #[serde(flatten)]
    pub validation: Validation,
    /// What it was held against; missing where only the figures were asked for.
    #[serde(flatten)]
    pub beside: Option<Beside>,
    pub written: Option<String>,
    pub picture: Option<String>,
}

/// What stands beside the figures.
#[derive(Serialize)]
pub struct Beside {
    /// Simpler ways to judge the same reviews.
    pub rivals: Vec<Rival>,
    pub slices: Vec<Slice>,
    /// Whether probabilities may be believed.
    pub reliability: Vec<Bin>,
    /// What other cuts would give.
    pub cut_points: Vec<CutPoint>,
    /// What more data may bring, where it was asked for.
    pub growth: Option<Growth>,
    pub audit: Audit,
}

/// Cross-validates.
pub fn run(args: &ValidateArgs, desk: &Desk) -> anyhow::Result<usize> {
    let intake = Intake::read(&args.files, desk, Kept::Needed, Purpose::Learn)?;
    let names = RowNames::new(&intake, desk.study())?;
    let (beside, all) = aspects::aspects(&intake, desk)?;
    let lesson = Lesson::new(intake, desk)?;
    let parts = lesson.divisions()?;
    let validation = lesson.validate(desk)?;
    let growth = if args.growth { Some(grown(&lesson, &validation, &parts, desk)?) } else { None };
    let sign = desk.busy("baselines");
    let rivals = rivals(&lesson.corpus, &lesson.sample, &lesson.study, &validation, &parts, &beside);
    sign.finish_and_clear();
    let rivals = rivals.map_err(told)?;
    let verdicts: Vec<Option<Verdict>> =
        validation.held_out[0].iter().map(|held| held.map(|held| held.verdict)).collect();
    let judged = lesson.sample.labels.iter().zip(&verdicts);
    let (labels, said): (Vec<_>, Vec<_>) =
        judged.filter_map(|(label, verdict)| Some((*label, (*verdict)?))).unzip();
    let beside = Beside {
        slices: slices(&lesson.sample.labels, &verdicts, &all),
        reliability: reliability(&labels, &said),
        cut_points: cut_points(&labels, &said),
        audit: audit(&lesson.corpus, &lesson.counted, &lesson.sample, &validation, &rivals),
        growth,
        rivals,
    };
    if let Some(path) = &args.out {
        write_held_out((desk, path), &names, &lesson.sample, &validation)?;
        desk.commit()?;
    }
    let folder = args.out.as_ref().map_or(std::path::Path::new("."), |path| folder_of(path));
    note(&lesson, &validation, folder, desk)?;
    let mut found = validated(&lesson, validation, args.out.clone());
    beside.warn(desk);
    if let Some(path) = &args.picture {
        picture::scene(&found, &beside).write(desk.outputs(), path)?;
    }
    (found.beside, found.picture) = (Some(beside), args.picture.clone());
    desk.answer("validate", &found)?;
    Ok(lesson.account.refused)
}

/// Notes a validation in the ledger of a folder.
pub fn note(
    lesson: &Lesson,
    validation: &Validation,
    folder: &std::path::Path,
    desk: &Desk,
) -> anyhow::Result<()> {
    desk.note(Noted {
        command: "validate",
        folder,
        input: &lesson.input,
        model: None,
        mix: lesson.mix(),
        figures: &validation.figures,
        holdouts: &[],
    })
}

fn grown(
    lesson: &Lesson,
    validation: &Validation,
    parts: &[Division],
    desk: &Desk,
) -> anyhow::Result<Growth> {
    let bar = desk.progress("shares", lesson.study.validation.folds * SHARES.len());
    let Lesson { counted, sample, study, .. } = lesson;
    let found = growth(counted, sample, study, parts, validation, || bar.inc(1));
    bar.finish_and_clear();
    found.map_err(|error| anyhow!("an eighth of the training reviews is too little for --growth: {error}"))
}

/// The account of a validation.
pub fn validated(lesson: &Lesson, validation: Validation, written: Option<String>) -> Validated {
    let study = &lesson.study;
    Validated {
        account: lesson.account.clone(),
        rule: study.polarity.to_string(),
        seed: study.validation.seed,
        order: study.validation.order.name(),
        balance: study.balance.method.name(),
        probabilities: study.balance.probabilities.name(),
        restated: study.balance.natural.map(|natural| Restated::new(&validation.figures, natural)),
        validation,
        beside: None,
        written,
        picture: None,
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

    /// The name of a review.
    pub fn of(&self, review: usize) -> &str {
        &self.names[review]
    }

    /// What names are: the column they come from.
    pub fn column(&self) -> &str {
        &self.column
    }
}

/// Writes out-of-fold predictions: one row per review and round, joined to the reviews by id.
pub fn write_held_out(
    (desk, path): (&Desk, &str),
    names: &RowNames,
    sample: &Sample,
    validation: &Validation,
) -> anyhow::Result<()> {
    let whole = |name: &str| Column { name: name.into(), kind: CellKind::Whole };
    let classes = Classes::of(sample.mix(&(0..sample.len() as u32).collect::<Vec<_>>()));
    let header = [Column::text(names.column()), Column::text("truth"), whole("round"), whole("fold")];
    let odds = [Column::number("log_odds")].into_iter().chain(probability_columns(classes));
    let columns: Vec<Column> =
        header.into_iter().chain(odds).chain([Column::text("polarity"), Column::text("verdict")]).collect();
    let mut writer = RowWriter::create(desk.outputs(), path, &columns)?;
    for (round, held_out) in validation.held_out.iter().enumerate() {
        let held_out = held_out.iter().enumerate().filter_map(|(at, held)| Some((at, (*held)?)));
        for (at, HeldOut { fold, verdict }) in held_out {
            let numbers = [(round + 1).to_string(), (fold + 1).to_string(), verdict.log_odds.to_string()];
            let probabilities = probability_cells(&verdict, classes);
            let first = [names.of(at), sample.labels[at].name()];
            let cells = numbers.iter().chain(&probabilities).map(String::as_str);
            let called = verdict.called.name();
            let last = [called, if verdict.sure { called } else { "unsure" }];
            writer.row(first.into_iter().chain(cells).chain(last))?;
        }
    }
    writer.finish()?;
    Ok(())
}
