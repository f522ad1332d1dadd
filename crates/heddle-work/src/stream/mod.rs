//! Learning from files of any size: rows are read once or several times, and never kept.
//!
//! The first look (`plan.rs`) gives each row its class, finds which are tied, and decides what each will do. Where
//! terms are weighed by the reviews that hold them, a second counts these. Then come the epochs. While the pool turns
//! a batch into rows of hashed terms, the calling thread learns from the one before and reads the next.

mod plan;
mod progressive;

use heddle_core::matrix::Rows;
use heddle_core::measure::Figures;
use heddle_core::model::{
    Fit, HeldRow, Model, RowHasher, StreamCounts, StreamFit, StreamLearner, StreamState, WaitingRow,
};
use heddle_core::resample::runs_score;
use heddle_core::settings::Study;
use heddle_core::terms::Counted;
use heddle_core::text::Document;
use heddle_files::{CheckpointHead, Input, Record, digest, is_checkpoint, read_checkpoint, write_checkpoint};

use crate::batches::{Done, batches};
use crate::error::{Error, Result, fail};
use crate::observer::Task;
use crate::reviews::document::DocumentColumns;
use crate::reviews::keep::narrowed;
use crate::reviews::labelled::{Purpose, natural};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::words::number;
use plan::Plan;
pub(crate) use plan::{FirstLook, RowUse, RowUses};
pub use progressive::{Doubling, Progressive};

/// Rows that are turned into terms together: enough for all cores.
const BATCH: usize = 8_192;
/// Rows of one class that stand together are learnt from together where there are more than wait; so far from chance is
/// told.
const TOGETHER: f64 = -10.0;

/// Where what is known on the way is kept, so that a call that was stopped can go on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Checkpoints {
    /// The file.
    pub path: String,
    /// It is written anew whenever so many rows have been learnt from.
    pub every: usize,
}

/// What the settings of which this holds are known again by.
pub(crate) fn settings_digest(study: &Study, of: impl Fn(&str) -> bool) -> String {
    let settings: Vec<_> = study.settings().into_iter().filter(|(path, _)| of(path)).collect();
    digest(format!("{settings:?}").as_bytes())
}

/// What rows that were not kept have taught.
pub(crate) struct StreamedFit {
    pub(crate) counted: Counted,
    pub(crate) fit: Fit,
    pub(crate) model: Model,
    pub(crate) account: Account,
    pub(crate) progressive: Option<Progressive>,
    pub(crate) held_back: Option<Figures>,
}

/// Learns from the rows of files as the study of the session says.
///
/// # Errors
/// Settings that ask for all rows at once, rows that cannot be read or learnt from, a checkpoint of something else.
pub(crate) fn fit_stream(
    input: &Input,
    session: &Session,
    checkpoints: Option<&Checkpoints>,
) -> Result<StreamedFit> {
    let mut study = session.study().clone();
    if let Some(asks) = study.keeps_rows() {
        fail!(
            Settings,
            "{asks} asks for all rows at once, and model.learner = \"online\" with terms.hashed reads them one after the \
             other: leave out one of them"
        );
    }
    study.balance.natural = study.balance.natural.or(natural(input, Purpose::Learn, session)?);
    let input = &narrowed(input.clone(), &study);
    let on_the_way = OnTheWay::begin(checkpoints, &study)?;
    let task = session.busy("reading");
    let plan = Plan::new(FirstLook::new(input, session)?, &study)?;
    task.end();
    warn_of_order(&plan, session);
    let lessons = Lessons { pass: Pass::new(input, &plan.uses, &study), plan: &plan };
    let counts = study.counts_first().then(|| lessons.count(session)).transpose()?;
    let mut learner = StreamLearner::new(&study, plan.mix, counts)?;
    let record = lessons.teach(&mut learner, on_the_way, session)?;
    let progressive = record.told(&learner.judging());
    let StreamFit { counted, fit, held_back } = learner.finish()?;
    let model = Model::of_stream(&counted, &fit, &study).with_learnt(plan.learnt);
    Ok(StreamedFit { counted, fit, model, account: plan.account, progressive, held_back })
}

/// Says so where classes stand together: rows that wait are too few to mix them.
fn warn_of_order(plan: &Plan, session: &Session) {
    let counts: Vec<usize> = plan.account.counts().iter().copied().collect();
    if runs_score(plan.runs, &counts).is_some_and(|score| score < TOGETHER) {
        session.remark(
            "warning: reviews of one class stand together, and they are learnt from about in the order of the file: what \
             comes last counts most; put the rows into a random order first",
        );
    }
}

/// A pass over rows of which is known what each does.
pub(crate) struct Pass<'p> {
    input: &'p Input,
    uses: &'p RowUses,
    hasher: RowHasher,
    study: &'p Study,
}

/// Rows of a batch that do something.
pub(crate) struct Worked {
    pub(crate) rows: Rows,
    pub(crate) uses: Vec<RowUse>,
    /// Rows that were read, whatever they do.
    pub(crate) read: usize,
}

impl<'p> Pass<'p> {
    pub(crate) fn new(input: &'p Input, uses: &'p RowUses, study: &'p Study) -> Self {
        Self { input, uses, hasher: RowHasher::new(study), study }
    }

    /// Reads all rows but the first, and gives those that `wanted` names.
    pub(crate) fn each(
        &self,
        first: usize,
        wanted: impl Fn(RowUse) -> bool + Send + Sync,
        mut take: impl FnMut(Worked) -> Result<()>,
    ) -> Result<()> {
        let mut reviews = self.input.rows()?;
        let columns = DocumentColumns::of_text(reviews.file(), reviews.columns(), self.study)?;
        let mut skipped = Record::new();
        let mut next = 0;
        // What cannot be used was told when rows were first read.
        let mut read =
            move |record: &mut Record| -> Result<bool> { Ok(reviews.next_sound(record)?.is_some()) };
        while next < first && read(&mut skipped)? {
            next += 1;
        }
        let mut changed = next < first;
        let work = |records: &[Record]| {
            let mut documents = Vec::with_capacity(records.len());
            let mut uses = Vec::with_capacity(records.len());
            for (at, record) in records.iter().enumerate() {
                let own = self.uses.row(next + at);
                changed |= own.is_none();
                let own = own.unwrap_or(RowUse::None);
                if wanted(own) {
                    documents.push(columns.document(|at| &record[at]));
                    uses.push(own);
                }
            }
            next += records.len();
            Worked { rows: self.hasher.rows::<[Document]>(&documents), uses, read: records.len() }
        };
        batches(BATCH, read, work, |done| match done {
            Done::Batch(_, worked) => take(worked),
            Done::Pause => Ok(()),
        })?;
        if changed || next != self.uses.rows() {
            fail!(
                Reviews,
                "the files have other rows than when they were first read: they must not change meanwhile"
            );
        }
        Ok(())
    }
}

/// The passes that learning takes.
struct Lessons<'p> {
    pass: Pass<'p>,
    plan: &'p Plan,
}

impl Lessons<'_> {
    /// Counts the reviews of each class that hold a term, of those that teach.
    fn count(&self, session: &Session) -> Result<StreamCounts> {
        let task = session.progress("counting", self.plan.uses.rows());
        let mut counts = StreamCounts::new(self.pass.study.terms.hashed);
        let wanted = |own| matches!(own, RowUse::Teaches(_) | RowUse::Repeats(_));
        self.pass.each(0, wanted, |worked| {
            for (row, own) in worked.uses.iter().enumerate() {
                if let RowUse::Teaches(class) | RowUse::Repeats(class) = own {
                    counts.add(worked.rows.row(row), *class);
                }
            }
            task.advance(worked.read);
            Ok(())
        })?;
        Ok(counts)
    }

    /// All epochs, from where a checkpoint ends; what was said of rows before they taught.
    fn teach(
        &self,
        learner: &mut StreamLearner<'_>,
        mut on_the_way: OnTheWay<'_>,
        session: &Session,
    ) -> Result<progressive::Record> {
        let epochs = self.pass.study.model.epochs;
        on_the_way.go_on(learner, self.plan, session)?;
        let task = session.progress("learning", self.plan.uses.rows() * epochs as usize);
        task.advance(on_the_way.epoch as usize * self.plan.uses.rows() + on_the_way.rows);
        for epoch in on_the_way.epoch..epochs {
            self.epoch(epoch, learner, &mut on_the_way, &task)?;
        }
        Ok(on_the_way.record)
    }

    fn epoch(
        &self,
        epoch: u32,
        learner: &mut StreamLearner<'_>,
        way: &mut OnTheWay<'_>,
        task: &Task<'_>,
    ) -> Result<()> {
        let (decision, all) = (learner.judging(), self.plan.teaching() - self.plan.repeats);
        let held = &self.plan.held;
        let wanted = |own| match own {
            RowUse::HeldBack(_) => epoch == 0,
            other => other != RowUse::None,
        };
        self.pass.each(way.rows, wanted, |worked| {
            for (row, own) in worked.uses.iter().enumerate() {
                let entries = worked.rows.row(row).to_vec();
                let (class, judged) = match *own {
                    RowUse::Teaches(class) => (class, epoch == 0 && !self.pass.study.counts_first()),
                    RowUse::Repeats(class) => (class, false),
                    RowUse::HeldBack(class) => {
                        let group = held[learner.state().held.len()];
                        learner.hold_back(HeldRow { entries, class, group });
                        continue;
                    }
                    RowUse::None => continue,
                };
                let said = learner.teach(WaitingRow { entries, class, judged });
                said.into_iter().for_each(|judged| way.record.take(judged, all, &decision));
            }
            way.rows += worked.read;
            task.advance(worked.read);
            way.keep(worked.read, learner)
        })?;
        learner.end_epoch(|judged| way.record.take(judged, all, &decision));
        (way.epoch, way.rows) = (epoch + 1, 0);
        Ok(())
    }
}

/// How far the epochs are, and where that is kept.
struct OnTheWay<'c> {
    epoch: u32,
    /// Rows of the files that the epoch is done with.
    rows: usize,
    record: progressive::Record,
    checkpoints: Option<&'c Checkpoints>,
    /// Rows since it was last kept.
    since: usize,
    /// The digest of the settings.
    settings: String,
    /// The digest of the reviews; empty until they have been read.
    reviews: String,
    /// What the learner of a call that was stopped knew.
    before: Option<StreamState>,
}

impl<'c> OnTheWay<'c> {
    /// At the beginning, or where a checkpoint ends: it is read first, since looking through the rows may take hours.
    fn begin(checkpoints: Option<&'c Checkpoints>, study: &Study) -> Result<Self> {
        let mut way = Self {
            epoch: 0,
            rows: 0,
            record: progressive::Record::default(),
            checkpoints,
            since: 0,
            settings: settings_digest(study, |_| true),
            reviews: String::new(),
            before: None,
        };
        let Some(Checkpoints { path, .. }) = checkpoints else { return Ok(way) };
        if !std::path::Path::new(path).exists() {
            return Ok(way);
        }
        let (head, state): (CheckpointHead<progressive::Record>, StreamState) = read_checkpoint(path)?;
        if head.heddle != env!("CARGO_PKG_VERSION") {
            return Err(other_checkpoint(path, "of another version"));
        }
        if head.settings != way.settings {
            return Err(other_checkpoint(path, "of other settings"));
        }
        (way.epoch, way.rows, way.record, way.reviews) = (head.epochs, head.rows, head.notes, head.reviews);
        way.before = Some(state);
        Ok(way)
    }

    /// Now that the rows have been looked through: takes the learner to where the checkpoint ends.
    fn go_on(&mut self, learner: &mut StreamLearner<'_>, plan: &Plan, session: &Session) -> Result<()> {
        let before = std::mem::replace(&mut self.reviews, format!("{:016x}", plan.digest));
        let (Some(state), Some(Checkpoints { path, .. })) = (self.before.take(), self.checkpoints) else {
            return Ok(());
        };
        if before != self.reviews {
            return Err(other_checkpoint(path, "of other reviews"));
        }
        session.remark(&format!(
            "note: going on from {path}: epoch {}, {} rows of it done",
            self.epoch + 1,
            number(self.rows)
        ));
        learner.resume(state);
        Ok(())
    }

    /// After some more rows: keeps all that is known, if it is time.
    fn keep(&mut self, rows: usize, learner: &StreamLearner<'_>) -> Result<()> {
        let Some(Checkpoints { path, every }) = self.checkpoints else { return Ok(()) };
        self.since += rows;
        if self.since < *every {
            return Ok(());
        }
        self.since = 0;
        let head = CheckpointHead {
            heddle: env!("CARGO_PKG_VERSION").into(),
            settings: self.settings.clone(),
            reviews: self.reviews.clone(),
            epochs: self.epoch,
            rows: self.rows,
            notes: &self.record,
        };
        Ok(write_checkpoint(path, &head, learner.state())?)
    }
}

fn other_checkpoint(path: &str, other: &str) -> Error {
    let told = format!("{path} is a checkpoint {other}: remove it to begin again, or name another file");
    Error::Options(told)
}

impl Checkpoints {
    /// Refuses a file that is something else, or will be, before anything is done.
    ///
    /// # Errors
    /// If it is there and no checkpoint, or is where the model goes.
    pub(crate) fn check(&self, model: &str) -> Result<()> {
        let place = |name: &str| std::path::absolute(name).unwrap_or_else(|_| name.into());
        if place(&self.path) == place(model) {
            fail!(Options, "{} is where the model goes: keep the checkpoint in another file", self.path);
        }
        if std::path::Path::new(&self.path).exists() && !is_checkpoint(&self.path)? {
            fail!(Options, "{} is there and no checkpoint: name another file", self.path);
        }
        Ok(())
    }

    /// Takes the file away, once the model is written.
    pub(crate) fn done(&self) {
        // Left behind, it is told of as one that is not needed: nothing is lost by it.
        let _ = std::fs::remove_file(&self.path);
    }
}
