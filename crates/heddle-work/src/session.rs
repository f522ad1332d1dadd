//! What every piece of work is done with: the settings in force, the files of the call, and
//! whoever listens.

use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

use heddle_core::model::Model;
use heddle_core::settings::{Form, Study};
use heddle_files::{Column, Input, LoadedStudy, Manner, Outputs, Reviews, Role, RowWriter, STREAM};

use crate::error::{Result, fail};
use crate::manner;
use crate::observer::{Observer, Silent, Task, Unremarked};
use crate::words::count;

/// The study that is read where none is named.
pub const USUAL_STUDY: &str = "study.toml";

/// Where figures are noted.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum LedgerPlace {
    /// `ledger.jsonl` beside the model, or in the folder of the run.
    #[default]
    Usual,
    /// A file.
    File(String),
    /// Nowhere.
    Nowhere,
}

/// How a session begins.
#[derive(Debug, Clone, Default)]
pub struct SessionOptions {
    /// The study.
    pub study: Option<String>,
    /// Studies of which the first that is there is read where none is named, such as [`USUAL_STUDY`].
    pub usual_studies: Vec<String>,
    /// Settings over those of the study, as in "terms.words=1-3".
    pub set: Vec<String>,
    /// A file for all refused rows.
    pub refused: Option<String>,
    /// Where figures are noted.
    pub ledger: LedgerPlace,
    /// Whether files may be replaced that were not written by Heddle.
    pub force: bool,
    /// Whether cells are guarded that a spreadsheet would take as formulas.
    pub safe_cells: bool,
}

/// The settings in force, the files of the call, and whoever listens.
#[derive(Clone)]
pub struct Session {
    loaded: LoadedStudy,
    overrides: Vec<String>,
    /// The study that was asked for by name.
    named: Option<String>,
    /// The study that was read.
    read: Option<String>,
    refused: Option<String>,
    ledger: LedgerPlace,
    outputs: Arc<Outputs>,
    observer: Arc<dyn Observer>,
    begun: Instant,
}

impl Session {
    /// Reads the study and the settings over it.
    ///
    /// # Errors
    /// A study that cannot be read, an unknown key, or an impossible value.
    pub fn new(options: SessionOptions, observer: Arc<dyn Observer>) -> Result<Self> {
        let SessionOptions { study, usual_studies, set, refused, ledger, force, safe_cells } = options;
        let mut loaded = LoadedStudy::of(Study::default());
        let usual = usual_studies.into_iter().find(|path| Path::new(path).exists());
        let read = study.clone().or(usual);
        read.iter().try_for_each(|path| loaded.read_file(path))?;
        loaded.set(&set)?;
        let session = Self {
            loaded,
            overrides: set,
            named: study,
            read,
            refused,
            ledger,
            outputs: Arc::new(Outputs::new(force, safe_cells)),
            observer,
            begun: Instant::now(),
        };
        session.warn_of_negators();
        Ok(session)
    }

    /// A session with a study and nobody who listens.
    pub fn of(study: Study) -> Self {
        Self {
            loaded: LoadedStudy::of(study),
            overrides: Vec::new(),
            named: None,
            read: None,
            refused: None,
            ledger: LedgerPlace::Usual,
            outputs: Arc::default(),
            observer: Arc::new(Silent),
            begun: Instant::now(),
        }
    }

    /// The settings in force.
    pub fn study(&self) -> &Study {
        &self.loaded.study
    }

    /// The settings with their origins.
    pub fn loaded(&self) -> &LoadedStudy {
        &self.loaded
    }

    /// The study that was read, and the lists that it names.
    pub fn study_and_lists(&self) -> impl Iterator<Item = &str> {
        self.read.as_deref().into_iter().chain(self.loaded.lists.iter().map(|list| list.file.as_str()))
    }

    /// What is written.
    pub fn outputs(&self) -> &Outputs {
        &self.outputs
    }

    /// What is written, to be kept.
    pub fn shared_outputs(&self) -> Arc<Outputs> {
        Arc::clone(&self.outputs)
    }

    /// Makes sure that a file can be written as what it is to be, unless that was done before.
    pub(crate) fn writes(&self, role: Role, path: &str) -> Result<()> {
        Ok(self.outputs.plan_once(role, path)?)
    }

    /// Begins to write rows of a kind.
    pub(crate) fn row_writer(&self, role: Role, path: &str, columns: &[Column]) -> Result<RowWriter<'_>> {
        self.writes(role, path)?;
        Ok(RowWriter::create(&self.outputs, path, columns)?)
    }

    /// Gives all files that are whole their names, together.
    ///
    /// # Errors
    /// If one cannot get its name; then none of them has.
    pub fn commit(&self) -> Result<()> {
        Ok(self.outputs.commit()?)
    }

    /// The session with the settings of a model: what was used in training is used again, but
    /// for overrides of `reviews`, `polarity`, `decision` and `balance.natural`.
    ///
    /// # Errors
    /// If another setting is overridden, or a study was named.
    pub fn of_model(&self, model: &Model) -> Result<Self> {
        const OURS: [&str; 4] = ["reviews.", "polarity.", "balance.natural", "decision."];
        self.check_overrides(&OURS)?;
        let mut study = model.study().clone();
        // How a file is written belongs to the file, not to what was learnt from it.
        study.reviews.form = Form::default();
        // Which of its rows were meant does too.
        study.reviews.keep = Vec::new();
        self.overridden(LoadedStudy::of(study))
    }

    /// As [`of_model`](Self::of_model), to learn from reviews as the model did: conditions on rows hold again.
    ///
    /// # Errors
    /// If a setting is overridden that is none of reviews, validation, natural mix or decisions, or a study was named.
    pub(crate) fn of_training(&self, model: &Model) -> Result<Self> {
        const OURS: [&str; 5] =
            ["reviews.", "validation.", "balance.natural", "decision.", "features.vectors"];
        self.check_overrides(&OURS)?;
        let mut study = model.study().clone();
        study.reviews.form = Form::default();
        self.overridden(LoadedStudy::of(study))
    }

    fn check_overrides(&self, ours: &[&str]) -> Result<()> {
        let foreign = self.overrides.iter().find(|set| !ours.iter().any(|section| set.starts_with(section)));
        if let Some(set) = foreign {
            fail!(
                Options,
                "--set {set}: the model was trained with its own settings; train again to change them"
            );
        }
        self.check_unnamed(
            "the model brings its own study; --set reviews.text=COLUMN and the like fit it to other files",
        )
    }

    /// A study that was asked for must not be passed over in silence.
    pub(crate) fn check_unnamed(&self, why: &str) -> Result<()> {
        match &self.named {
            Some(path) => fail!(Options, "--study {path} has no use here: {why}"),
            None => Ok(()),
        }
    }

    /// The settings in force with others over them.
    ///
    /// # Errors
    /// An unknown key, an impossible value, or settings that make no sense together.
    pub(crate) fn varied(&self, assignments: &[String]) -> Result<Study> {
        let mut loaded = self.loaded.clone();
        loaded.set(assignments)?;
        Ok(loaded.study)
    }

    /// The session with another study; overrides stay in force.
    pub(crate) fn with_study(&self, path: &str) -> Result<Self> {
        let mut loaded = LoadedStudy::of(Study::default());
        loaded.read_file(path)?;
        self.overridden(loaded)
    }

    /// The session with some settings changed.
    pub(crate) fn with(&self, assignments: &[String]) -> Result<Self> {
        let mut loaded = self.loaded.clone();
        loaded.set(assignments)?;
        Ok(Self { loaded, ..self.clone() })
    }

    /// The session with some settings changed, whose files and remarks are its own.
    pub(crate) fn apart(&self, assignments: &[String], observer: Arc<dyn Observer>) -> Result<Self> {
        let outputs = Arc::new(Outputs::new(false, self.outputs.safe_cells()));
        Ok(Self { outputs, observer, refused: None, ledger: LedgerPlace::Nowhere, ..self.with(assignments)? })
    }

    /// Whether the study or the command line sets a setting.
    pub(crate) fn names(&self, path: &str) -> bool {
        self.loaded.is_named(path)
    }

    fn overridden(&self, mut loaded: LoadedStudy) -> Result<Self> {
        loaded.set(&self.overrides)?;
        Ok(Self { loaded, ..self.clone() })
    }

    /// The session for files that were written here: they hold no row to be refused, and must
    /// not take the place of those that were.
    pub(crate) fn for_own_files(&self) -> Self {
        Self { refused: None, ..self.clone() }
    }

    /// The session for rows that are read again: what there is to say of them has been said.
    pub(crate) fn again(&self) -> Self {
        let observer = Arc::new(Unremarked(self.observer.clone()));
        Self { refused: None, observer, ..self.clone() }
    }

    /// Finds review files: names, folders, patterns, and "-" for standard input. Where none is
    /// named, those of the study.
    ///
    /// # Errors
    /// If there is none, or it is written by the same call.
    pub fn input(&self, files: &[String]) -> Result<Input> {
        let paths = if files.is_empty() { self.loaded.files() } else { files.to_vec() };
        if paths.is_empty() {
            fail!(
                Options,
                "no review file: name one, as in `heddle survey reviews.csv`, or set reviews.files in study.toml"
            );
        }
        if paths.iter().any(|path| path == STREAM) {
            self.outputs.reads(STREAM)?;
        }
        let input = Input::gather(&paths, &self.study().reviews.form)?;
        input.paths().try_for_each(|path| self.outputs.reads(path))?;
        Ok(input)
    }

    /// Notes a file that is read beside the reviews.
    ///
    /// # Errors
    /// If it is written by the same call.
    pub(crate) fn reads(&self, path: &str) -> Result<()> {
        Ok(self.outputs.reads(path)?)
    }

    /// Opens one review file, or standard input as it comes.
    pub(crate) fn open_reviews(&self, path: &str) -> Result<Reviews> {
        self.outputs.reads(path)?;
        Ok(Reviews::open(path, &self.study().reviews.form)?)
    }

    /// Where all refused rows are to be kept.
    pub(crate) fn refused_file(&self) -> Option<&str> {
        self.refused.as_deref()
    }

    /// The ledger of a folder, unless another one or none is asked for.
    pub(crate) fn ledger_path(&self, folder: &Path) -> Option<String> {
        match &self.ledger {
            LedgerPlace::Nowhere => None,
            LedgerPlace::File(path) => Some(path.clone()),
            LedgerPlace::Usual => Some(folder.join("ledger.jsonl").display().to_string()),
        }
    }

    /// Whether the ledger is the usual one, which may be another's file of that name.
    pub(crate) fn has_usual_ledger(&self) -> bool {
        self.ledger == LedgerPlace::Usual
    }

    /// Seconds since the session began.
    pub(crate) fn seconds(&self) -> f64 {
        self.begun.elapsed().as_secs_f64()
    }

    /// Whoever listens.
    pub fn observer(&self) -> &dyn Observer {
        &*self.observer
    }

    /// Says something beside the findings.
    pub(crate) fn remark(&self, remark: &str) {
        self.observer.remark(remark);
    }

    /// Work that counts its parts.
    pub(crate) fn progress(&self, what: &'static str, parts: usize) -> Task<'_> {
        Task::begin(&*self.observer, what, Some(parts))
    }

    /// Work whose end is not known.
    pub(crate) fn busy(&self, what: &'static str) -> Task<'_> {
        Task::begin(&*self.observer, what, None)
    }

    /// Says how files were read, where that was not plain or may be wrong.
    pub(crate) fn tell_manners(&self, manners: &[Manner]) {
        manners.iter().flat_map(manner::remarks).for_each(|remark| self.remark(&remark));
    }

    /// Says which files a model carries a copy of.
    pub(crate) fn tell_lists(&self) {
        for list in &self.loaded.lists {
            let lines = count(list.lines, "line");
            self.remark(&format!("note: {lines} of {} are part of the model ({})", list.file, list.key));
        }
    }

    /// Leaving a negator out turns "not good" into "good": it is done where it is asked for by
    /// name, and said.
    fn warn_of_negators(&self) {
        let study = self.study();
        if study.text.stop_also.is_empty() {
            return;
        }
        let cleaner = study.cleaner();
        let negates = |word: &&str| cleaner.is_negator(&word.to_lowercase());
        let named: Vec<&str> = study.text.stop_also.iter().map(String::as_str).filter(negates).collect();
        if !named.is_empty() {
            self.remark(&format!(
                "warning: text.stop_also leaves out {}, which negate: \"not good\" then reads as \"good\" where scopes are off",
                named.join(", ")
            ));
        }
    }
}
