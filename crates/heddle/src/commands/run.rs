//! The whole work of a study.

use std::path::Path;
use std::time::Instant;

use heddle_core::{Classes, Document, Figure, Polarity};
use heddle_files::{About, Input, MARK, Record, Role, StagedFolder, read_model, write_model};
use serde::Serialize;

use crate::args::{Files, RunArgs};
use crate::commands::assess::{Assessed, assess};
use crate::commands::explain::{Explained, explained};
use crate::commands::learn::Lesson;
use crate::commands::looked::Text;
use crate::commands::split::{Divided, Places, divide};
use crate::commands::train::{Aside, Trained, trained};
use crate::commands::validate::{RowNames, Validated, note, validated, write_held_out};
use crate::desk::{Answer, Desk, as_json};
use crate::intake::{Intake, Kept, Purpose, input};
use crate::labelling::{Fate, Labelling};
use crate::view::figures::{plain, plain_with_interval, share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, class, count, number, percent};

/// Everything that a run found.
#[derive(Serialize)]
pub struct Ran {
    pub folder: String,
    pub split: Divided,
    pub validation: Validated,
    pub training: Trained,
    /// What the model makes of the reviews between the classes, which no part holds.
    pub middle: Option<Aside>,
    pub assessment: Assessed,
    /// The review of the holdout in which the log-odds change sides most clearly.
    pub explained: Explained,
    /// Not part of the data: the same input gives the same findings, byte for byte.
    #[serde(skip)]
    pub seconds: f64,
}

/// Runs a study.
pub fn run(args: &RunArgs, desk: &Desk) -> anyhow::Result<usize> {
    let remedy = "name another folder with --out, or say --replace to put this run in its place";
    let ran = work(&args.files, Place { folder: &args.out, replace: args.replace, remedy }, desk)?;
    desk.answer("run", &ran)?;
    Ok(ran.split.account.refused)
}

/// Where a run goes.
pub struct Place<'a> {
    pub folder: &'a str,
    /// An earlier run that stands there gives way.
    pub replace: bool,
    /// What to do if something else stands there.
    pub remedy: &'a str,
}

/// Label, split, validate, train, assess, explain; everything goes into one folder, or
/// nothing does.
pub fn work(files: &Files, place: Place<'_>, desk: &Desk) -> anyhow::Result<Ran> {
    let Place { folder, replace, remedy } = place;
    let ours: Option<&dyn Fn(&Path) -> bool> = if replace { Some(&is_run) } else { None };
    let staged = StagedFolder::begin(folder, ours, remedy)?;
    if staged.begun_before() {
        desk.remark(&format!("note: a run into {folder} was stopped before its end; it is done anew"));
    }
    for name in KEPT {
        // What counts the looks at a holdout outlives the run.
        if replace && Path::new(folder).join(name).exists() {
            std::fs::copy(Path::new(folder).join(name), staged.inside(name))?;
        }
    }
    let ran = fill(files, folder, &staged, desk)?;
    staged.finish()?;
    Ok(ran)
}

/// The files of a run.
const FILES: [&str; 6] =
    ["training.csv", "development.csv", "holdout.csv", "held-out.csv", "model.heddle", "findings.json"];
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

fn fill(files: &Files, folder: &str, staged: &StagedFolder, desk: &Desk) -> anyhow::Result<Ran> {
    let begun = Instant::now();
    let study = desk.study();
    // Files are called by the names that they will have, wherever they are on the way.
    let named = |name: &str| Path::new(folder).join(name).display().to_string();
    let inside = |name: &str| staged.inside(name);

    let input = input(files, desk)?;
    let development_file = (study.validation.development > 0.0).then(|| inside("development.csv"));
    let (training_file, holdout_file) = (inside("training.csv"), inside("holdout.csv"));
    let places =
        Places { training: &training_file, development: development_file.as_deref(), holdout: &holdout_file };
    let mut split = divide(&input, desk, &places)?;
    desk.commit()?;
    split.training.file = named("training.csv");
    split.holdout.file = named("holdout.csv");
    split.development.iter_mut().for_each(|part| part.file = named("development.csv"));

    // The parts are read back from their files: what later commands see is what was used.
    let desk = &desk.for_own_files();
    let part = |name: &str, purpose| {
        let input = Input::named(&named(name), &inside(name), &study.reviews.form);
        Intake::of(input, desk, Kept::Needed, purpose)
    };
    let training = part("training.csv", Purpose::Learn)?;
    let names = RowNames::new(&training, study)?;
    let lesson = Lesson::new(training, desk)?;
    let validation = lesson.validate(desk)?;
    note(&lesson, &validation, staged.path(), desk)?;
    write_held_out((desk, &inside("held-out.csv")), &names, &lesson.sample, &validation)?;
    let fit = lesson.fit(desk)?;
    let (path, name) = (inside("model.heddle"), named("model.heddle"));
    let written = write_model(desk.outputs(), &path, &lesson.model(&fit, Some(validation.summary())))?;
    desk.commit()?;
    desk.tell_lists();
    let model = read_model(&path)?;
    let training = trained((&name, written.bytes), &lesson, &fit, &model, 10);
    training.warn(desk);
    let middle = Aside::new(&model, &middle_texts(&input, desk)?);

    let holdout = part("holdout.csv", Purpose::Try)?;
    let assessment = Assessed { model: name.clone(), ..assess(&path, &model, &holdout, desk, None)? };
    let example = turning_review(&model, &holdout);
    let ran = Ran {
        folder: folder.into(),
        split,
        validation: validated(&lesson, validation, Some(named("held-out.csv"))),
        training,
        middle,
        assessment,
        explained: explained(&name, &model, vec![example], 6),
        seconds: begun.elapsed().as_secs_f64(),
    };
    let json = serde_json::to_vec_pretty(&as_json("run", &ran)?)?;
    desk.outputs().write(Role::Any, &inside("findings.json"), &json)?;
    desk.commit()?;
    Ok(ran)
}

/// The texts that the rule leaves out between the classes.
fn middle_texts(input: &Input, desk: &Desk) -> anyhow::Result<Vec<Document>> {
    let mut reviews = input.rows()?;
    let mut labelling = Labelling::new(reviews.file(), reviews.columns(), desk.study())?;
    let mut texts = Vec::new();
    let mut record = Record::new();
    while let Some(line) = reviews.next_sound(&mut record)? {
        if labelling.take(|at| &record[at], reviews.file(), line)? == Fate::Middle {
            texts.push(labelling.document(|at| &record[at]));
        }
    }
    Ok(texts)
}

/// The holdout review, rightly called and of readable length, in which the running log-odds
/// go furthest to the other side before they turn: it shows best what a reading line is.
fn turning_review(model: &heddle_core::Model, holdout: &Intake) -> Text {
    let mut reader = model.reader();
    let mut best = (0, f64::NEG_INFINITY);
    for at in 0..holdout.rows.len() {
        let text = holdout.review(at);
        let (score, explanation) = heddle_core::explain_document(&mut reader, &text);
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
        let turn = against.min(truth.sign() * explanation.log_odds);
        if turn > best.1 {
            best = (at, turn);
        }
    }
    let (file, line) = holdout.table.place(holdout.rows[best.0]);
    Text { origin: format!("{file}, line {line}"), document: holdout.review(best.0) }
}

impl Answer for Ran {
    fn show(&self, page: &mut Page) {
        let account = &self.split.account;
        let left_out = account.left_out() + account.refused;
        let of = |polarity: &Polarity| format!("{} {}", number(account.of(*polarity)), class(*polarity));
        let classes: Vec<String> = Classes::of(account.counts()).list().iter().map(of).collect();
        page.heading("What came in");
        page.line(format!(
            "  {} read: {}, {} left out or refused",
            count(account.read, "row"),
            classes.join(", "),
            number(left_out)
        ));
        page.line(format!(
            "  {} to learn from, {} locked away; {} on both sides",
            number(self.split.training.rows()),
            number(self.split.holdout.rows()),
            count(self.split.overlap.texts, "text"),
        ));
        page.heading("How good it is on reviews it has not seen");
        self.show_figures(page);
        let holdout = &self.split.holdout;
        page.note(&format!(
            "{} folds, everything refitted in each; one look at the holdout ({} negative); 95 % intervals.",
            self.validation.validation.folds.len() / self.validation.validation.rounds.len(),
            percent(holdout.of(Polarity::Negative), holdout.rows()),
        ));
        let middle = self.middle.as_ref().map_or(String::new(), |middle| {
            let called = share_with_interval(&middle.called_positive);
            format!("; of these {}, {called} called positive", number(middle.reviews))
        });
        page.note(&format!("Rule: {}{middle}.", self.split.rule));
        page.heading("How it reads a review of the holdout");
        self.explained.show_readings(page);
        page.heading(&format!("Done in {:.1} s; everything is in {}", self.seconds, self.folder));
    }
}

impl Ran {
    fn show_figures(&self, page: &mut Page) {
        let mut table = Table::new(&[
            ("", Side::Left),
            ("cross-validated", Side::Right),
            ("locked holdout", Side::Right),
            ("baseline", Side::Right),
        ]);
        let (then, now) = (&self.validation.validation.figures, &self.assessment.figures);
        let base = &self.assessment.baseline;
        let mut row = |name: String, a: String, b: String, base: String| table.row([name, a, b, base]);
        let recall = |figures: &heddle_core::Figures, class| {
            figures.class(class).map_or(Figure::undefined(0), |own| own.recall)
        };
        for own in &now.classes {
            row(
                format!("recall of {}", own.class.name()),
                share_with_interval(&recall(then, own.class)),
                share_with_interval(&own.recall),
                share(&recall(base, own.class)),
            );
        }
        row(
            "accuracy".into(),
            share_with_interval(&then.accuracy),
            share_with_interval(&now.accuracy),
            share(&base.accuracy),
        );
        let mut plainly = |name: &str, then, now, base| {
            row(name.into(), plain_with_interval(then), plain_with_interval(now), plain(base));
        };
        plainly("ROC area", &then.roc_area, &now.roc_area, &base.roc_area);
        plainly("log loss, in nats", &then.log_loss, &now.log_loss, &base.log_loss);
        table.put(page);
    }
}
