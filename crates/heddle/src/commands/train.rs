//! Learning a model.

use heddle_core::{Card, Convergence, Fit, INNER_FOLDS, Model, Polarity, Stop, Study};
use heddle_files::write_model;
use serde::Serialize;

use crate::args::TrainArgs;
use crate::commands::learn::Lesson;
use crate::desk::{Answer, Desk};
use crate::intake::{Account, Intake, Kept};
use crate::view::figures::{plain_with_interval, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent, signed};

/// What was learnt.
#[derive(Serialize)]
pub struct Trained {
    pub model: String,
    pub bytes: u64,
    pub account: Account,
    pub rule: String,
    pub counted_terms: usize,
    pub words: (usize, usize),
    pub at_least: u32,
    pub weighting: String,
    pub even_mix: bool,
    pub base: f64,
    pub card: Card,
    /// The strongest terms of each class, negative first.
    pub strongest: [Vec<TermRow>; 2],
}

/// A term and its weight.
#[derive(Serialize)]
pub struct TermRow {
    pub term: String,
    pub weight: f64,
    pub reviews: u32,
}

/// Trains a model.
pub fn run(args: &TrainArgs, desk: &Desk) -> anyhow::Result<usize> {
    let study = desk.study();
    let intake = Intake::read(&args.files, study, Kept::Needed)?;
    desk.tell_refused(intake.table.refused());
    let account = intake.account.clone();
    let lesson = Lesson::new(intake, study, desk)?;
    let validated = if args.validate { Some(lesson.validate(desk)?.summary()) } else { None };
    let fit = lesson.fit(desk)?;
    let model = lesson.model(&fit, validated);
    write_model(&args.out, &model)?;
    let refused = account.refused;
    desk.answer("train", &trained(&args.out, account, &lesson, &fit, &model, args.top))?;
    Ok(refused)
}

/// The account of a trained model.
pub fn trained(
    path: &str,
    account: Account,
    lesson: &Lesson,
    fit: &Fit,
    model: &Model,
    top: usize,
) -> Trained {
    let study: &Study = model.study();
    Trained {
        model: path.into(),
        bytes: std::fs::metadata(path).map_or(0, |data| data.len()),
        account,
        rule: study.polarity.to_string(),
        counted_terms: lesson.counted.vocabulary.len(),
        words: study.terms.words,
        at_least: study.terms.at_least,
        weighting: study.terms.weighting.to_string(),
        even_mix: study.balance.is_even(),
        base: fit.base,
        card: model.card().clone(),
        strongest: Polarity::ALL.map(|polarity| strongest(model, polarity, top)),
    }
}

/// The terms that pull hardest towards a class.
fn strongest(model: &Model, polarity: Polarity, top: usize) -> Vec<TermRow> {
    let pull = |term: &u32| polarity.sign() * model.term(*term).weight;
    let mut terms: Vec<u32> =
        (0..model.len() as u32).filter(|term| model.term(*term).kept && pull(term) > 0.0).collect();
    terms.sort_by(|a, b| pull(b).total_cmp(&pull(a)));
    let row = |term: u32| TermRow {
        term: model.spell(term),
        weight: model.term(term).weight,
        reviews: model.term(term).reviews,
    };
    terms.into_iter().take(top).map(row).collect()
}

impl Answer for Trained {
    fn show(&self, page: &mut Page) {
        let [negative, positive] = self.card.mix;
        page.heading(&format!(
            "Learnt from {}: {} negative, {} positive",
            count(negative + positive, "review"),
            number(negative),
            number(positive),
        ));
        self.show_steps(page);
        page.heading("What pulls hardest");
        self.show_strongest(page);
        page.note("Weights are log-odds for one unit of a term; ¬ marks a negated word. The number of reviews says how much a weight rests on.");
        page.heading(&format!("Written: {} ({} KB)", self.model, number(self.bytes.div_ceil(1024) as usize)));
    }
}

impl Trained {
    fn show_steps(&self, page: &mut Page) {
        let mut line = |name: &str, text: String| page.item(&format!("{name:<10}"), &text);
        line("rows", self.rows());
        line("terms", self.terms());
        line("strength", self.strength());
        line("learner", self.learner());
        if self.even_mix {
            let [negative, positive] = self.card.mix;
            let share = percent(negative, negative + positive);
            line(
                "classes",
                format!("weigh the same, so probabilities speak of an even mix (here {share} are negative)"),
            );
        }
        line("base", format!("{}, the log-odds of a review without known terms", signed(self.base)));
        line("validated", self.validated());
    }

    fn rows(&self) -> String {
        let Account { read, middle, no_rating, no_text, refused, .. } = self.account;
        let left_out = number(middle + no_rating + no_text + refused);
        format!("{} read, {left_out} left out or refused ({})", number(read), self.rule)
    }

    fn terms(&self) -> String {
        let (low, high) = self.words;
        let lengths = if low == high { low.to_string() } else { format!("{low} to {high}") };
        let (terms, floor) = (number(self.card.terms), count(self.at_least as usize, "review"));
        format!("{terms} of {lengths} words, each in {floor} or more, weighted {}", self.weighting)
    }

    fn strength(&self) -> String {
        let chosen = match &self.card.choice {
            Some(choice) => format!("chosen from {} by {INNER_FOLDS} inner folds", choice.trials.len()),
            None => "as set".into(),
        };
        format!("lambda {:.1e} of the ridge penalty, {chosen}", self.card.strength)
    }

    fn learner(&self) -> String {
        let Convergence { stop, rounds, gap, .. } = self.card.convergence;
        let stopped = match stop {
            Stop::Converged => "converged",
            Stop::Rounds => "NOT converged: raise model.tolerance or model.strength;",
        };
        let above = 100.0 * gap.max(0.0);
        format!("logistic regression, {stopped} in {rounds} rounds, at most {above:.3} % above the optimum")
    }

    fn validated(&self) -> String {
        let Some(validated) = &self.card.validated else {
            return "never; --validate tells how good it is on reviews it has not seen".into();
        };
        let (accuracy, area) = (&validated.figures.accuracy, &validated.figures.roc_area);
        format!(
            "{} folds: accuracy {}, ROC area {}",
            validated.folds,
            share_with_interval(accuracy),
            plain_with_interval(area)
        )
    }

    fn show_strongest(&self, page: &mut Page) {
        let mut table = Table::new(&[
            ("to negative", Side::Left),
            ("weight", Side::Right),
            ("reviews", Side::Right),
            ("to positive", Side::Left),
            ("weight", Side::Right),
            ("reviews", Side::Right),
        ]);
        let [negative, positive] = &self.strongest;
        for at in 0..negative.len().max(positive.len()) {
            let cells = |row: Option<&TermRow>| match row {
                Some(row) => [row.term.clone(), signed(row.weight), number(row.reviews as usize)],
                None => [String::new(), String::new(), String::new()],
            };
            table.row(cells(negative.get(at)).into_iter().chain(cells(positive.get(at))));
        }
        table.put(page);
    }
}
