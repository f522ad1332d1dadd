//! Learning a model.

use heddle_core::{
    Balance, Calibration, Card, Choice, Classes, Convergence, Document, Events, Fit, INNER_FOLDS, Learning,
    Method, Model, PlainWords, Polarity, Speak, Stop, Study, Value, plain_words,
};
use heddle_files::write_model;
use serde::Serialize;

use crate::args::TrainArgs;
use crate::commands::learn::Lesson;
use crate::commands::opened::score_all;
use crate::commands::terms::{Weighed, doubtful, heaviest, twice};
use crate::desk::{Answer, Desk};
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use crate::noted::{Noted, folder_of};
use crate::view::figures::{plain_with_interval, share_with_interval, verdicts};
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
    pub words: Value,
    pub at_least: u32,
    pub weighting: String,
    /// How weights were learnt, in words.
    pub learner: String,
    pub penalty: &'static str,
    /// What was done about classes of unequal size.
    pub balance: &'static str,
    /// The class mix that probabilities speak of.
    pub probabilities: &'static str,
    pub base: f64,
    pub card: Card,
    /// The strongest terms of each class, negative first.
    pub strongest: [Vec<Weighed>; 2],
    /// Heavy terms that should be looked at twice.
    pub doubtful: Vec<Weighed>,
    /// What the model makes of the reviews between the classes.
    pub middle: Option<Aside>,
    /// Whether plainly good and plainly bad words pull as they should.
    pub plain_words: PlainWords,
}

/// Reviews that the rule leaves out, as the model scores them.
#[derive(Serialize)]
pub struct Aside {
    pub reviews: usize,
    pub called_positive: heddle_core::Figure,
    pub mean_probability_of_positive: f64,
}

impl Aside {
    /// Scores the texts; nothing if there are none.
    pub fn new(model: &Model, texts: &[Document]) -> Option<Self> {
        let scores = score_all(model, texts);
        let positive = scores.iter().filter(|score| score.polarity() == Polarity::Positive).count();
        let sum: f64 = scores.iter().map(|score| score.probability(Polarity::Positive)).sum();
        (!scores.is_empty()).then(|| Self {
            reviews: scores.len(),
            called_positive: heddle_core::share(positive, scores.len()),
            mean_probability_of_positive: sum / scores.len() as f64,
        })
    }
}

/// Trains a model.
pub fn run(args: &TrainArgs, desk: &Desk) -> anyhow::Result<usize> {
    let intake = Intake::read(&args.files, desk, Kept::Needed, Purpose::Learn)?;
    let lesson = Lesson::new(intake, desk)?;
    let validated = if args.validate { Some(lesson.validate(desk)?.summary()) } else { None };
    let fit = lesson.fit(desk)?;
    let model = lesson.model(&fit, validated);
    let written = write_model(desk.outputs(), &args.out, &model)?;
    desk.commit()?;
    desk.tell_lists();
    let trained = trained((&args.out, written.bytes), &lesson, &fit, &model, args.top);
    trained.warn(desk);
    if let Some(validated) = &model.card().validated {
        desk.note(Noted {
            command: "train",
            folder: folder_of(&args.out),
            input: &lesson.input,
            model: Some(&args.out),
            mix: lesson.mix(),
            figures: &validated.figures,
            holdouts: &[],
        })?;
    }
    desk.answer("train", &trained)?;
    Ok(lesson.account.refused)
}

/// The account of a trained model.
pub fn trained((path, bytes): (&str, u64), lesson: &Lesson, fit: &Fit, model: &Model, top: usize) -> Trained {
    let study: &Study = model.study();
    Trained {
        model: path.into(),
        bytes,
        account: lesson.account.clone(),
        rule: study.polarity.to_string(),
        counted_terms: lesson.counted.vocabulary.len(),
        words: setting(study, "terms.words"),
        at_least: study.terms.at_least,
        weighting: study.terms.weighting.to_string(),
        learner: learner_words(&study.model),
        penalty: study.model.penalty.name(),
        balance: study.balance.method.name(),
        probabilities: study.balance.probabilities.name(),
        base: fit.base,
        card: model.card().clone(),
        strongest: Polarity::POLES.map(|polarity| heaviest(model, polarity, top, |_| true)),
        doubtful: doubtful(model),
        middle: Aside::new(model, lesson.middle()),
        plain_words: plain_words(model),
    }
}

/// How weights are learnt, in words.
pub fn learner_words(learning: &Learning) -> String {
    match (learning.learner, learning.events) {
        (Method::Logistic, _) => "logistic regression".into(),
        (Method::Svm, _) => format!("support vector machine ({} hinge)", learning.hinge.name()),
        (Method::Bayes, Events::Presence) => "naive Bayes on the presence of terms".into(),
        (Method::Bayes, events) => format!("{} naive Bayes", events.name()),
        (Method::Online, _) => "online logistic regression".into(),
    }
}

/// A setting as a study writes it.
fn setting(study: &Study, path: &str) -> Value {
    Study::key(path).map_or(Value::Flag(false), |key| key.get(study))
}

impl Answer for Trained {
    fn show(&self, page: &mut Page) {
        let mix = self.card.mix;
        let of = |class: &Polarity| format!("{} {}", number(mix[class.index()]), class.name());
        let classes: Vec<String> = Classes::of(mix).list().iter().map(of).collect();
        page.heading(&format!("Learnt from {}: {}", count(mix.iter().sum(), "review"), classes.join(", ")));
        self.show_steps(page);
        page.heading("What pulls hardest");
        self.show_strongest(page);
        page.note("Weights are log-odds for one unit of a term; ¬ marks a negated word. The number of reviews says how much a weight rests on.");
        if !self.doubtful.is_empty() {
            page.note(&format!(
                "Look twice: {}. `heddle terms --model {}` tells more.",
                self.doubts(),
                self.model
            ));
        }
        page.heading(&format!("Written: {} ({} KB)", self.model, number(self.bytes.div_ceil(1024) as usize)));
    }
}

impl Aside {
    /// In words.
    pub fn words(&self) -> String {
        format!(
            "{} between the classes, not learnt from: {} would be called positive, mean probability {:.1} %",
            count(self.reviews, "review"),
            share_with_interval(&self.called_positive),
            100.0 * self.mean_probability_of_positive,
        )
    }
}

impl Trained {
    /// Warns where the learner did not come to its end, and where plain words pull the wrong way:
    /// classes may be swapped.
    pub fn warn(&self, desk: &Desk) {
        if matches!(self.card.calibration, Calibration::Scale { slope: 0.0, .. }) {
            desk.remark("warning: scores of held-out reviews do not rise with their labels: the model says the class mix of every review");
        }
        if self.card.convergence.stop == Stop::Rounds {
            desk.remark("warning: the learner did not converge, so its weights are not the best there are: raise model.strength or model.tolerance");
        }
        if self.plain_words.are_turned() {
            desk.remark(&format!(
                "warning: plain words pull the wrong way ({}): do the codes of the classes mean what polarity.negative and polarity.positive say?",
                self.plain_words.against.join(", ")
            ));
        }
    }

    /// The heaviest terms that should be looked at twice, with the reason.
    fn doubts(&self) -> String {
        let mut heaviest: Vec<&Weighed> = self.doubtful.iter().collect();
        heaviest.sort_by(|a, b| b.weight.abs().total_cmp(&a.weight.abs()));
        let shown = heaviest.iter().take(5).map(|term| format!("“{}” ({})", term.term, twice(&term.doubts)));
        let more = match heaviest.len().saturating_sub(5) {
            0 => String::new(),
            more => format!(" and {more} more"),
        };
        format!("{}{more}", shown.collect::<Vec<_>>().join(", "))
    }

    fn show_steps(&self, page: &mut Page) {
        let mut line = |name: &str, text: String| page.item(&format!("{name:<10}"), &text);
        line("rows", self.rows());
        line("terms", self.terms());
        if let Some(strength) = self.card.strength {
            line("strength", self.strength(strength));
        }
        line("learner", self.learner());
        if let Some(calibration) = self.calibration() {
            line("calibrated", calibration);
        }
        line("classes", self.classes());
        line("base", format!("{}, the log-odds of a review without known terms", signed(self.base)));
        line("verdicts", verdicts(&self.card.cuts, Classes::of(self.card.mix)));
        line("validated", self.validated());
        if let Some(aside) = &self.middle {
            line("middle", aside.words());
        }
    }

    fn rows(&self) -> String {
        let Account { read, middle, no_rating, no_text, refused, .. } = self.account;
        let left_out = number(middle + no_rating + no_text + refused);
        format!("{} read, {left_out} left out or refused ({})", number(read), self.rule)
    }

    /// What was done about the class mix, and what probabilities speak of.
    fn classes(&self) -> String {
        let mix = self.card.mix;
        let share = percent(mix[Polarity::Negative.index()], mix.iter().sum());
        let done = match self.balance {
            name if name == Balance::None.name() => return format!("as they come: {share} are negative"),
            name if name == Balance::Weights.name() => "balanced by weights",
            name if name == Balance::Down.name() => "balanced by leaving rows out",
            _ => "balanced by repeating rows",
        };
        if self.probabilities == Speak::Natural.name() {
            format!(
                "{done}; the base is corrected, so that probabilities speak of the natural mix ({share} negative here)"
            )
        } else {
            format!("{done}, and probabilities speak of that mix (here {share} are negative)")
        }
    }

    fn terms(&self) -> String {
        let lengths = match &self.words {
            Value::Text(lengths) if lengths == "none" => "letters".into(),
            Value::Text(lengths) => format!("{} words", lengths.replace('-', " to ")),
            other => other.to_string(),
        };
        let (terms, floor) = (number(self.card.terms), count(self.at_least as usize, "review"));
        format!("{terms} of {lengths}, each in {floor} or more, weighted {}", self.weighting)
    }

    fn strength(&self, strength: f64) -> String {
        let chosen = match &self.card.choice {
            Some(choice) => format!("chosen from {} by {INNER_FOLDS} inner folds", choice.trials.len()),
            None => "as set".into(),
        };
        let zero = match self.card.terms - self.card.pulling {
            0 => String::new(),
            zero => format!("; {} have weight 0", count(zero, "term")),
        };
        format!("lambda {strength:.1e} of the {} penalty, {chosen}{zero}", self.penalty)
    }

    fn learner(&self) -> String {
        let Convergence { stop, rounds, gap, .. } = self.card.convergence;
        let stopped = match stop {
            Stop::Converged => format!("converged in {}", count(rounds as usize, "round")),
            Stop::Rounds => format!(
                "NOT converged in {}: raise model.tolerance or model.strength",
                count(rounds as usize, "round")
            ),
            Stop::Done if rounds == 1 => "one pass over the reviews".into(),
            Stop::Done => format!("{rounds} passes over the reviews"),
        };
        let above = gap.map_or(String::new(), |gap| {
            format!(", at most {:.3} % above the optimum", 100.0 * gap.max(0.0))
        });
        format!("{}, {stopped}{above}", self.learner)
    }

    /// How scores became log-odds, where they were not so from the start.
    fn calibration(&self) -> Option<String> {
        let held = |reviews: usize| format!("learnt on {} held out by inner folds", count(reviews, "review"));
        match &self.card.calibration {
            Calibration::None => None,
            Calibration::Scale { slope, reviews } => {
                Some(format!("scores times {slope:.3}, {}; weights hold it already", held(*reviews)))
            }
            Calibration::Isotonic { curve, reviews } => Some(format!(
                "probabilities read off a rising curve of {}, {}",
                count(curve.scores.len(), "point"),
                held(*reviews)
            )),
        }
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
            let cells = |row: Option<&Weighed>| match row {
                Some(row) => [row.term.clone(), signed(row.weight), number(row.reviews as usize)],
                None => [String::new(), String::new(), String::new()],
            };
            table.row(cells(negative.get(at)).into_iter().chain(cells(positive.get(at))));
        }
        table.put(page);
    }
}
