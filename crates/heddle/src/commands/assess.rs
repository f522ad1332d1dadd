//! A model on a holdout, beside its cross-validated figures.

use heddle_core::{Choice, Classes, Figure, Figures, Model, Polarity, Verdict, baseline};
use heddle_files::{Column, RowWriter};
use serde::Serialize;

use crate::args::AssessArgs;
use crate::commands::opened::{
    open, probability_cells, probability_columns, score_all, warn_unvalidated, with_ours,
};
use crate::desk::{Answer, Desk};
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use crate::locked;
use crate::noted::{Noted, folder_of};
use crate::view::figures::{Restated, confusion, figures, mix_note, order_note, plain, share, unsure};
use crate::view::table::{Side, Table};
use crate::view::{Page, class, count, cut, percent, signed, width};

/// How many confident mistakes are listed.
const MISTAKES: usize = 5;

/// What a holdout says of a model.
#[derive(Serialize)]
pub struct Assessed {
    pub model: String,
    pub account: Account,
    pub rule: String,
    /// What was done about classes of unequal size in training.
    pub balance: &'static str,
    /// The class mix that probabilities speak of.
    pub probabilities: &'static str,
    /// Precision at the natural class mix, where it is known to be another.
    pub restated: Option<Restated>,
    /// How often this holdout was opened, this time included; missing where nobody counts.
    pub opened: Option<usize>,
    pub figures: Figures,
    pub baseline: Figures,
    /// The cross-validated figures that the model carries.
    pub validated: Option<heddle_core::Validated>,
    /// The reviews called most confidently against their label.
    pub mistakes: Vec<Mistake>,
    /// Reviews that share no term with the model.
    pub unknown_only: usize,
}

/// A review that was called against its label.
#[derive(Serialize)]
pub struct Mistake {
    pub line: u64,
    pub truth: Polarity,
    pub log_odds: f64,
    pub text: String,
}

/// Assesses a model.
pub fn run(args: &AssessArgs, desk: &Desk) -> anyhow::Result<usize> {
    let (model, desk) = open(&args.model, desk)?;
    let intake = Intake::read(&args.files, &desk, Kept::if_written(&args.out), Purpose::Try)?;
    let assessed = assess(&args.model, &model, &intake, &desk, args.out.as_deref())?;
    warn_unvalidated(&model, &desk);
    desk.answer("assess", &assessed)?;
    Ok(assessed.account.refused)
}

/// Scores labelled reviews with a model and compares.
pub fn assess(
    path: &str,
    model: &Model,
    intake: &Intake,
    desk: &Desk,
    out: Option<&str>,
) -> anyhow::Result<Assessed> {
    if intake.rows.is_empty() {
        anyhow::bail!("there is no labelled review to assess the model on");
    }
    if intake.account.neutral > 0 && model.classes() == Classes::Two {
        anyhow::bail!(
            "{} are neutral, and the model tells negative from positive alone: leave them out with \
             --set polarity.middle=drop --set polarity.neutral=\"\", or train with them",
            count(intake.account.neutral, "review")
        );
    }
    let opened = locked::open(&[path], intake, desk)?;
    let reviews: Vec<_> = (0..intake.rows.len()).map(|at| intake.review(at)).collect();
    let scores = score_all(model, &reviews);
    let labels = &intake.sample.labels;
    let verdicts: Vec<Verdict> = scores.iter().map(|score| score.verdict).collect();
    let mut wrong: Vec<usize> = (0..labels.len()).filter(|&at| scores[at].polarity() != labels[at]).collect();
    // The least likely first: what is most surely called against its label.
    let likely = |at: usize| scores[at].probability(labels[at]);
    wrong.sort_by(|&a, &b| likely(a).total_cmp(&likely(b)));
    let mistake = |at: usize| Mistake {
        line: intake.table.place(intake.rows[at]).1,
        truth: labels[at],
        log_odds: verdicts[at].log_odds,
        text: reviews[at].text().into(),
    };
    if let Some(path) = out {
        write_scored((desk, path), model, intake, &verdicts)?;
    }
    let figures = Figures::new(labels, &verdicts);
    let (folder, input) = (folder_of(path), &intake.input);
    let mix = intake.account.counts();
    let holdouts = &intake.holdouts;
    desk.note(Noted {
        command: "assess",
        folder,
        input,
        model: Some(path),
        mix,
        figures: &figures,
        holdouts,
    })?;
    let study = desk.study();
    let natural = study.balance.natural.or(intake.natural);
    Ok(Assessed {
        model: path.into(),
        account: intake.account.clone(),
        rule: study.polarity.to_string(),
        balance: study.balance.method.name(),
        probabilities: study.balance.probabilities.name(),
        restated: natural.map(|natural| Restated::new(&figures, natural)),
        opened,
        figures,
        baseline: Figures::new(labels, &vec![baseline(model.card().mix); labels.len()]),
        validated: model.card().validated.clone(),
        mistakes: wrong.into_iter().take(MISTAKES).map(mistake).collect(),
        unknown_only: scores.iter().filter(|score| score.terms == 0).count(),
    })
}

fn write_scored(
    (desk, path): (&Desk, &str),
    model: &Model,
    intake: &Intake,
    verdicts: &[Verdict],
) -> anyhow::Result<()> {
    let (table, classes) = (&intake.table, model.classes());
    let ours =
        [Column::text("truth"), Column::number("log_odds")].into_iter().chain(probability_columns(classes));
    let mut writer = RowWriter::create(desk.outputs(), path, &with_ours(table.columns(), ours))?;
    for (at, &row) in intake.rows.iter().enumerate() {
        let cells = probability_cells(&verdicts[at], classes);
        let truth = intake.sample.labels[at].name();
        let odds = verdicts[at].log_odds.to_string();
        writer.row(table.row(row).chain([truth, &odds]).chain(cells.iter().map(String::as_str)))?;
    }
    writer.finish()?;
    Ok(())
}

impl Answer for Assessed {
    fn show(&self, page: &mut Page) {
        page.heading(&format!("{} on {}", self.model, count(self.account.labelled(), "labelled review")));
        figures(page, &self.figures, &self.baseline);
        page.note(&format!(
            "Rule: {}. {} share no term with the model.",
            self.rule,
            count(self.unknown_only, "review")
        ));
        order_note(page, &self.figures);
        mix_note(page, self.balance, self.probabilities);
        if let Some(opened) = self.opened {
            page.note(&match opened {
                1 => "This holdout was opened for the first time.".to_string(),
                times => format!(
                    "This holdout was opened {times} times: what is chosen by its figures fits it better than reviews to come."
                ),
            });
        }
        if let Some(restated) = &self.restated {
            restated.show(page);
        }
        unsure(page, &self.figures);
        confusion(page, &self.figures);
        self.show_agreement(page);
        self.show_mistakes(page);
    }
}

impl Assessed {
    fn show_mistakes(&self, page: &mut Page) {
        if self.mistakes.is_empty() {
            return;
        }
        page.heading("Called most surely against their label");
        let mut table = Table::new(&[
            ("line", Side::Right),
            ("labelled", Side::Left),
            ("stands", Side::Right),
            ("", Side::Left),
        ]);
        for mistake in &self.mistakes {
            let text = cut(&mistake.text, width()); // on one line; the table cuts it to its room
            table.row([mistake.line.to_string(), class(mistake.truth), signed(mistake.log_odds), text]);
        }
        table.put(page);
        page.note("Either the model is wrong, or the stars are; `heddle explain` shows why it says so.");
    }

    /// The holdout beside the cross-validated estimate.
    fn show_agreement(&self, page: &mut Page) {
        let Some(validated) = &self.validated else { return };
        page.heading("Beside the cross-validated estimate");
        let mut table = Table::new(&[
            ("", Side::Left),
            ("cross-validated", Side::Right),
            ("here", Side::Right),
            ("", Side::Left),
        ]);
        let (then, now) = (&validated.figures, &self.figures);
        let mut row = |name: &str, then: &Figure, now: &Figure, written: fn(&Figure) -> String| {
            table.row([
                name.into(),
                written(then),
                written(now),
                agreement(then, now, name == "log loss").to_string(),
            ]);
        };
        for own in &now.classes {
            if let Some(before) = then.class(own.class) {
                row(&format!("recall of {}", own.class.name()), &before.recall, &own.recall, share);
            }
        }
        row("accuracy", &then.accuracy, &now.accuracy, share);
        row("balanced accuracy", &then.balanced_accuracy, &now.balanced_accuracy, share);
        row("ROC area", &then.roc_area, &now.roc_area, plain);
        row("log loss", &then.log_loss, &now.log_loss, plain);
        table.put(page);
        let confusion = &self.figures.confusion;
        let negative = percent(confusion.of(Polarity::Negative), confusion.total());
        page.note(&format!(
            "Here {negative} of the reviews are negative. Two figures agree where their intervals explain the difference: so large a one comes by chance in one of twenty times."
        ));
    }
}

/// Whether two independent figures differ by more than their intervals explain.
fn agreement(then: &Figure, now: &Figure, falls: bool) -> &'static str {
    let half = |figure: &Figure| Some((figure.high? - figure.low?) / 2.0);
    let apart = || Some((now.value? - then.value?, half(then)?.hypot(half(now)?)));
    match apart() {
        Some((difference, noise)) if difference.abs() <= noise => "within noise",
        Some((difference, _)) if (difference < 0.0) != falls => "worse here, by more than noise",
        Some(_) => "better here, by more than noise",
        None => "",
    }
}
