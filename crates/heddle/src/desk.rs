//! What every command works with: the settings, the way to answer, and progress.

use std::io::{self, IsTerminal, Write};
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use anyhow::Context;
use heddle_core::{Form, Model, Study};
use heddle_files::{Input, LoadedStudy, Manner, Outputs, Reviews, STREAM};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde::Serialize;

use crate::args::{Arguments, Common, Touched};
use crate::view::{Page, shown};

/// The study that is read where none is named.
const USUAL_STUDY: &str = "study.toml";
/// The version of every JSON answer; it rises when a field changes its meaning or goes.
const JSON_VERSION: u32 = 2;

/// What a command found: shown to a person, or as data.
pub trait Answer: Serialize {
    /// Writes the answer for a person.
    fn show(&self, page: &mut Page);
}

/// The settings in force and the way to answer.
#[derive(Clone)]
pub struct Desk {
    loaded: LoadedStudy,
    overrides: Vec<String>,
    /// The study that was asked for by name.
    named: Option<String>,
    json: bool,
    refused: Option<String>,
    ledger: Option<String>,
    outputs: Arc<Outputs>,
    begun: Instant,
}

impl Desk {
    /// Reads the study and the overrides, and sets the number of threads.
    pub fn new(common: &Common) -> anyhow::Result<Self> {
        if let Some(threads) = common.threads {
            rayon::ThreadPoolBuilder::new().num_threads(threads.into()).build_global()?;
        }
        let mut loaded = LoadedStudy::of(Study::default());
        match &common.study {
            Some(path) => loaded.read_file(path)?,
            None if Path::new(USUAL_STUDY).exists() => loaded.read_file(USUAL_STUDY)?,
            None => {}
        }
        loaded.set(&common.set)?;
        warn_of_negators(&loaded.study);
        Ok(Self {
            loaded,
            overrides: common.set.clone(),
            named: common.study.clone(),
            json: common.json,
            refused: common.refused.clone(),
            ledger: common.ledger.clone(),
            outputs: Arc::new(Outputs::new(common.force, common.safe_cells)),
            begun: Instant::now(),
        })
    }

    /// Holds everything that will be written against everything that is read, and against what
    /// is there, before any work is done.
    pub fn plan(&self, arguments: &Arguments) -> anyhow::Result<()> {
        let Touched { reads, writes, appends } = arguments.touched();
        let study = self.named.as_deref().or(Some(USUAL_STUDY).filter(|path| Path::new(path).exists()));
        let lists = self.loaded.lists.iter().map(|list| list.file.as_str());
        if self.json && writes.iter().any(|(_, path)| *path == STREAM) {
            anyhow::bail!(
                "--json and the data both go to standard output; say where the data go, as in --out scored.csv"
            );
        }
        writes.into_iter().try_for_each(|(role, path)| self.outputs.plan(role, path))?;
        appends.into_iter().try_for_each(|(role, path)| self.outputs.appends(role, path))?;
        // Study and lists were read to get here; the rest is read from now on.
        Ok(reads.into_iter().chain(study).chain(lists).try_for_each(|path| self.outputs.reads(path))?)
    }

    /// What this call writes.
    pub fn outputs(&self) -> &Outputs {
        &self.outputs
    }

    /// Gives all files that are whole their names, together.
    pub fn commit(&self) -> anyhow::Result<()> {
        Ok(self.outputs.commit()?)
    }

    /// Finds review files: names, folders, patterns, and "-" for standard input.
    pub fn gather<S: AsRef<str>>(&self, paths: &[S]) -> anyhow::Result<Input> {
        if paths.iter().any(|path| path.as_ref() == STREAM) {
            self.outputs.reads(STREAM)?;
        }
        let input = Input::gather(paths, &self.study().reviews.form)?;
        input.paths().try_for_each(|path| self.outputs.reads(path))?;
        Ok(input)
    }

    /// The review files that the study names, as seen from here.
    pub fn study_files(&self) -> Vec<String> {
        self.loaded.files()
    }

    /// Opens one review file, or standard input as it comes.
    pub fn open_reviews(&self, path: &str) -> anyhow::Result<Reviews> {
        self.outputs.reads(path)?;
        Ok(Reviews::open(path, &self.study().reviews.form)?)
    }

    fn overridden(&self, mut loaded: LoadedStudy) -> anyhow::Result<Self> {
        loaded.set(&self.overrides)?;
        Ok(Self { loaded, ..self.clone() })
    }

    /// This desk with the settings of a model: what was used in training is used again, but
    /// for overrides on the command line.
    pub fn of_model(&self, model: &Model) -> anyhow::Result<Self> {
        const OURS: [&str; 3] = ["reviews.", "polarity.", "balance.natural"];
        let foreign = self.overrides.iter().find(|set| !OURS.iter().any(|section| set.starts_with(section)));
        if let Some(set) = foreign {
            anyhow::bail!(
                "--set {set}: the model was trained with its own settings; train again to change them"
            );
        }
        self.check_unnamed(
            "the model brings its own study; --set reviews.text=COLUMN and the like fit it to other files",
        )?;
        let mut study = model.study().clone();
        // How a file is written belongs to the file, not to what was learnt from it.
        study.reviews.form = Form::default();
        self.overridden(LoadedStudy::of(study))
    }

    /// A study that was asked for must not be passed over in silence.
    pub fn check_unnamed(&self, why: &str) -> anyhow::Result<()> {
        match &self.named {
            Some(path) => anyhow::bail!("--study {path} has no use here: {why}"),
            None => Ok(()),
        }
    }

    /// The settings in force with others over them.
    ///
    /// # Errors
    /// An unknown key, an impossible value, or settings that make no sense together.
    pub fn varied(&self, assignments: &[String]) -> anyhow::Result<Study> {
        let mut loaded = self.loaded.clone();
        loaded.set(assignments)?;
        Ok(loaded.study)
    }

    /// This desk with the study of the demo; overrides stay in force.
    pub fn with_study(&self, path: &str) -> anyhow::Result<Self> {
        let mut loaded = LoadedStudy::of(Study::default());
        loaded.read_file(path)?;
        self.overridden(loaded)
    }

    /// The settings in force.
    pub fn study(&self) -> &Study {
        &self.loaded.study
    }

    /// The settings with their origins.
    pub fn loaded(&self) -> &LoadedStudy {
        &self.loaded
    }

    /// Whether the answer is wanted as JSON.
    pub fn json(&self) -> bool {
        self.json
    }

    /// Prints the answer of a command to standard output, when its files are in place.
    pub fn answer(&self, command: &str, answer: &impl Answer) -> anyhow::Result<()> {
        self.commit()?;
        if self.json {
            let mut out = io::stdout().lock();
            out.write_all(shown::json(&as_json(command, answer)?)?.as_bytes())?;
            writeln!(out)?;
            return Ok(());
        }
        self.print(&page_of(answer))
    }

    /// Prints a page to standard output, or to standard error where data go to standard output;
    /// colours go where they can be shown.
    pub fn print(&self, page: &Page) -> anyhow::Result<()> {
        let text = page.painted();
        if self.outputs.to_standard() {
            anstream::stderr().lock().write_all(text.as_bytes())?;
        } else {
            anstream::stdout().lock().write_all(text.as_bytes())?;
        }
        Ok(())
    }

    /// Says something beside the answer, on standard error.
    pub fn remark(&self, remark: &str) {
        let _ = writeln!(anstream::stderr(), "{}", shown::visible(remark)); // nobody is left to tell if this fails
    }

    /// This desk for files that were written here: they hold no row to be refused, and must
    /// not take the place of those that were.
    pub fn for_own_files(&self) -> Self {
        Self { refused: None, ..self.clone() }
    }

    /// Where all refused rows are to be kept.
    pub fn refused_file(&self) -> Option<&str> {
        self.refused.as_deref()
    }

    /// Says how files were read, where that was not plain or may be wrong.
    pub fn tell_manners(&self, manners: &[Manner]) {
        for remark in manners.iter().flat_map(crate::view::manner::remarks) {
            self.remark(&remark);
        }
    }

    /// Says which files a model carries a copy of.
    pub fn tell_lists(&self) {
        for list in &self.loaded.lists {
            let lines = crate::view::count(list.lines, "line");
            self.remark(&format!("note: {lines} of {} are part of the model ({})", list.file, list.key));
        }
    }

    /// The ledger that was asked for.
    pub fn ledger(&self) -> Option<&str> {
        self.ledger.as_deref()
    }

    /// Seconds since the program began.
    pub fn seconds(&self) -> f64 {
        self.begun.elapsed().as_secs_f64()
    }

    /// A bar that counts finished parts; silent where standard error is no terminal.
    pub fn progress(&self, what: &'static str, parts: usize) -> ProgressBar {
        if !io::stderr().is_terminal() {
            return ProgressBar::hidden();
        }
        let style = ProgressStyle::with_template("{msg} {pos}/{len} {wide_bar:.dim} {eta} left")
            .unwrap_or_else(|_| ProgressStyle::default_bar())
            .progress_chars("━╸ ");
        let bar = ProgressBar::with_draw_target(Some(parts as u64), ProgressDrawTarget::stderr());
        bar.set_style(style);
        bar.set_message(what);
        bar
    }

    /// A sign that work goes on whose end is not known; silent where standard error is no
    /// terminal.
    pub fn busy(&self, what: &'static str) -> ProgressBar {
        if !io::stderr().is_terminal() {
            return ProgressBar::hidden();
        }
        let style = ProgressStyle::with_template("{spinner} {msg} {elapsed}");
        let sign = ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr());
        sign.set_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()));
        sign.set_message(what);
        sign.enable_steady_tick(Duration::from_millis(100));
        sign
    }
}

/// Leaving a negator out turns "not good" into "good": it is done where it is asked for by
/// name, and said.
fn warn_of_negators(study: &Study) {
    if study.text.stop_also.is_empty() {
        return;
    }
    let cleaner = study.cleaner();
    let named: Vec<&str> = study
        .text
        .stop_also
        .iter()
        .map(String::as_str)
        .filter(|word| cleaner.is_negator(&word.to_lowercase()))
        .collect();
    if !named.is_empty() {
        let _ = writeln!(
            anstream::stderr(),
            "warning: text.stop_also leaves out {}, which negate: \"not good\" then reads as \"good\" where scopes are off",
            named.join(", ")
        ); // nobody is left to tell if this fails
    }
}

/// An answer as its JSON object: the command, the version, and what was found.
pub fn as_json(command: &str, answer: &impl Serialize) -> anyhow::Result<serde_json::Value> {
    let mut object = serde_json::json!({"heddle": command, "version": JSON_VERSION});
    let found = serde_json::to_value(answer).context("the answer cannot be written as JSON")?;
    if let (Some(object), serde_json::Value::Object(found)) = (object.as_object_mut(), found) {
        object.extend(found);
    }
    Ok(object)
}

/// An answer as a page.
pub fn page_of(answer: &impl Answer) -> Page {
    let mut page = Page::new();
    answer.show(&mut page);
    page
}

/// Whether an error means that the reader of our output has gone: no fault of ours.
pub fn is_closed_pipe(error: &anyhow::Error) -> bool {
    error.chain().any(|cause| {
        let broken = |error: &io::Error| error.kind() == io::ErrorKind::BrokenPipe;
        cause.downcast_ref::<io::Error>().is_some_and(broken)
            || cause
                .downcast_ref::<serde_json::Error>()
                .is_some_and(|error| error.io_error_kind() == Some(io::ErrorKind::BrokenPipe))
    })
}
