//! The whole work of a study.

use std::path::Path;
use std::time::Instant;

use heddle_core::explain::explain_document;
use heddle_core::model::Model;
use heddle_files::{About, Input, MARK, StagedFolder, read_model};
use serde::Serialize;

use crate::aspects::aspects;
use crate::assess::{Assessed, assess_reviews};
use crate::doubts::{Doubted, DoubtsOptions, doubted};
use crate::drivers::{Driven, DriversOptions, driven};
use crate::error::{Error, Result};
use crate::explain::{Explained, explain_texts};
use crate::findings::as_json;
use crate::judgement::{Judgement, Places};
use crate::probe::{ProbeOptions, ProbedModel, probed};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::names::RowNames;
use crate::reviews::texts::Text;
use crate::session::Session;
use crate::split::{Split, SplitOptions, split_input};
use crate::train::{Middle, Trained, save};
use crate::training::TrainingSet;
use crate::validate::{Beside, ValidateOptions, Validated, note, with_slices, write_held_out};

/// How many of the strongest terms of each class are told.
const TOP: usize = 10;
/// How many of the most doubtful labels are told.
const DOUBTS: usize = 50;
/// How many themes of each class, and quotes of each.
const THEMES: usize = 10;
const QUOTES: usize = 3;

/// Makes a page of the findings of a run, as `findings.json` holds them, and of what stands beside its training part.
pub type Reporter = fn(&[u8], Option<&About>) -> std::result::Result<String, String>;

/// What a study is run on, and where everything goes.
#[derive(Debug, Clone, Default)]
pub struct RunOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// The folder for everything that is found; it must be new or empty.
    pub folder: String,
    /// Whether an earlier run that stands there gives way.
    pub replace: bool,
    /// Whether it learns from an eighth, a quarter and a half of the reviews too.
    pub learning_curve: bool,
    /// What to say that can be done if something else stands there.
    pub remedy: String,
    /// What makes `report.html`, which takes its place with everything else; no report without it.
    pub reporter: Option<Reporter>,
}

/// Everything that a run found.
#[derive(Debug, Serialize)]
pub struct Ran {
    /// The folder.
    pub folder: String,
    /// How the reviews were split.
    pub split: Split,
    /// How good models are on training reviews that they have not seen.
    pub validation: Validated,
    /// What the model learnt.
    pub training: Trained,
    /// What the model makes of the reviews between the classes, which no part holds.
    pub middle: Option<Middle>,
    /// What the holdout says of it.
    pub assessment: Assessed,
    /// Labels of the training reviews that the words contradict, the most doubtful.
    pub doubts: Doubted,
    /// What drives training reviews to one side or the other.
    pub drivers: Driven,
    /// What the model makes of sentences whose meaning is known.
    pub probes: ProbedModel,
    /// The review of the holdout in which the log-odds change sides most clearly.
    pub explained: Explained,
    /// What all of it comes to, and what to do next.
    pub judgement: Judgement,
    /// How long it took. Not part of the data: the same input gives the same findings, byte for
    /// byte.
    #[serde(skip)]
    pub seconds: f64,
}

/// Splits, validates, trains, assesses and explains; everything goes into one folder, or nothing
/// does.
///
/// # Errors
/// A folder that holds something else, and those of each step.
pub fn run(session: &Session, options: &RunOptions) -> Result<Ran> {
    let RunOptions { folder, replace, remedy, .. } = options;
    let ours: Option<&dyn Fn(&Path) -> bool> = if *replace { Some(&is_run) } else { None };
    let staged = StagedFolder::begin(folder, ours, remedy)?;
    if staged.begun_before() {
        session.remark(&format!("note: a run into {folder} was stopped before its end; it is done anew"));
    }
    for name in KEPT {
        // What counts the looks at a holdout outlives the run.
        if *replace && Path::new(folder).join(name).exists() {
            std::fs::copy(Path::new(folder).join(name), staged.inside(name))?;
        }
    }
    let ran = Running { staged: &staged, session, options }.fill()?;
    staged.finish()?;
    Ok(ran)
}

/// The files of a run.
const FILES: [&str; 8] = [
    "training.csv",
    "development.csv",
    "holdout.csv",
    PREDICTIONS,
    "held-out.csv", // what it was called before
    "model.heddle",
    "findings.json",
    "report.html", // which the program makes of the findings
];
/// What models of folds say of the training reviews that they have not seen.
const PREDICTIONS: &str = "cross-validated.csv";
/// Files of a run that the next one goes on with.
const KEPT: [&str; 2] = ["ledger.jsonl", "holdout.csv.about.json"];

/// Whether a folder holds what a run wrote and nothing else, with its parts as they were written.
fn is_run(folder: &Path) -> bool {
    let Ok(entries) = std::fs::read_dir(folder) else { return false };
    let sound = |entry: std::fs::DirEntry| {
        let name = entry.file_name().display().to_string();
        let part = name.strip_suffix(".about.json").unwrap_or(&name);
        let known = FILES.contains(&part) || KEPT.contains(&name.as_str()) || name == MARK;
        let path = entry.path().display().to_string();
        known && About::beside(&path).is_ok_and(|about| about.is_none_or(|about| about.fits(&path)))
    };
    entries.into_iter().all(|entry| entry.is_ok_and(sound))
}

/// A run on its way. Files are called by the names that they will have, wherever they are.
struct Running<'a> {
    staged: &'a StagedFolder,
    session: &'a Session,
    options: &'a RunOptions,
}

impl Running<'_> {
    fn fill(&self) -> Result<Ran> {
        let input = self.session.input(&self.options.files)?;
        let found = with_found(self.session, &input, Needs::LABELS)?;
        Running { session: &found, ..*self }.fill_with(&input)
    }

    fn fill_with(&self, input: &Input) -> Result<Ran> {
        let begun = Instant::now();
        let (split, middle) = self.split(input)?;
        // The parts are read back from their files: what later commands see is what was used.
        let session = self.session.for_own_files();
        let reviews = self.part("training.csv", Purpose::Learn, &session)?;
        let names = RowNames::with_columns(&reviews, session.study())?;
        let aspects = aspects(&reviews, &session)?;
        let training = TrainingSet::of(&reviews, &session)?;
        let validation = training.validate(&session)?;
        let curve =
            ValidateOptions { learning_curve: self.options.learning_curve, ..ValidateOptions::default() };
        let beside = Beside::of(&training, &validation, &aspects, &curve, &session)?;
        note(&training, &validation, self.staged.path(), &session)?;
        let held_out = self.inside(PREDICTIONS);
        write_held_out((&session, &held_out), &names, &training.sample, &validation)?;
        let fit = training.fit(&session)?;
        let (path, name) = (self.inside("model.heddle"), self.named("model.heddle"));
        let summary = with_slices(validation.summary(), &beside.slices);
        let model = training.model(&fit, Some(summary));
        let bytes = save(&model, &path, &session)?;
        let model = read_model(&path)?;
        let trained = Trained::of((&name, bytes), &training, &fit, &model, TOP);
        trained.warn(&session);
        let holdout = self.part("holdout.csv", Purpose::Try, &session)?;
        let assessment = assess_reviews(&path, &model, &holdout, &session, (None, None))?;
        let (training_file, holdout_file) = (self.named("training.csv"), self.named("holdout.csv"));
        let places = Places { training: &training_file, model: Some(&name), holdout: Some(&holdout_file) };
        let judgement = Judgement::new(&validation.figures, Some(&assessment.figures), places);
        let learnt = (&reviews, &names, &training);
        let mut doubts = doubted(learnt, (&validation, &model), &DoubtsOptions::default(), &session)?;
        doubts.labels.truncate(DOUBTS);
        let wanted = DriversOptions { most: THEMES, quotes: QUOTES, ..DriversOptions::default() };
        let drivers = driven(learnt, (&model, &aspects.columns), &wanted, &session)?;
        let probing = ProbeOptions { model: name.clone(), ..ProbeOptions::default() };
        let probes = probed(&model, &probing, &session)?;
        let validated = Validated::new(&training, validation, Some(self.named(PREDICTIONS)));
        let ran = Ran {
            doubts,
            drivers,
            probes,
            judgement,
            folder: self.options.folder.clone(),
            split,
            validation: Validated { beside: Some(beside), ..validated },
            training: trained,
            middle: Middle::new(&model, &middle),
            assessment: Assessed { model: name.clone(), ..assessment },
            explained: explain_texts(&name, &model, vec![turning_review(&model, &holdout)], 0),
            seconds: begun.elapsed().as_secs_f64(),
        };
        let json = serde_json::to_vec_pretty(&as_json("run", &ran)?)?;
        session.outputs().write(&self.inside("findings.json"), &json)?;
        if let Some(reporter) = self.options.reporter {
            let about = About::beside(&self.inside("training.csv"))?;
            let page = reporter(&json, about.as_ref()).map_err(Error::Options)?;
            session.outputs().write(&self.inside("report.html"), page.as_bytes())?;
        }
        session.commit()?;
        Ok(ran)
    }

    fn split(&self, input: &Input) -> Result<(Split, Vec<heddle_core::text::Document>)> {
        let third = self.session.study().validation.development > 0.0;
        let options = SplitOptions {
            training: self.inside("training.csv"),
            development: third.then(|| self.inside("development.csv")),
            holdout: self.inside("holdout.csv"),
            ..SplitOptions::default()
        };
        let (mut split, middle) = split_input(input, self.session, &options, true)?;
        self.session.commit()?;
        split.training.file = self.named("training.csv");
        split.holdout.file = self.named("holdout.csv");
        split.development.iter_mut().for_each(|part| part.file = self.named("development.csv"));
        Ok((split, middle))
    }

    fn part(&self, name: &str, purpose: Purpose, session: &Session) -> Result<LabelledReviews> {
        let input = Input::named(&self.named(name), &self.inside(name), &session.study().reviews.form);
        LabelledReviews::of(input, session, Kept::Needed, purpose)
    }

    fn inside(&self, name: &str) -> String {
        self.staged.inside(name)
    }

    fn named(&self, name: &str) -> String {
        Path::new(&self.options.folder).join(name).display().to_string()
    }
}

/// The holdout review, rightly called and of readable length, in which the running log-odds
/// go furthest to the other side before they turn: it shows best what a reading line is.
fn turning_review(model: &Model, holdout: &LabelledReviews) -> Text {
    let mut reader = model.scorer();
    let mut best = (0, f64::NEG_INFINITY);
    for at in 0..holdout.rows.len() {
        let text = holdout.review(at);
        let (score, explanation) = explain_document(&mut reader, &text);
        let truth = holdout.sample.labels[at];
        if score.polarity() != truth
            || !(4..=7).contains(&explanation.clauses.len())
            || text.text().len() > 420
        {
            continue;
        }
        let against = explanation
            .clauses
            .iter()
            .map(|clause| -truth.sign() * clause.running)
            .fold(f64::NEG_INFINITY, f64::max);
        let turn = against.min(truth.sign() * explanation.sum);
        if turn > best.1 {
            best = (at, turn);
        }
    }
    Text { origin: holdout.origin(best.0, model.study()), document: holdout.review(best.0), label: None }
}
