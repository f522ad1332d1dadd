//! Learning from files of any size: rows are read once or several times, and never kept.
//!
//! The first look (`plan.rs`) gives each row its class, finds which are tied, and decides what each will do. Where
//! terms are weighed by the reviews that hold them, a second counts these. Then come the epochs. While the pool turns
//! a batch into rows of hashed terms, the calling thread learns from the one before and reads the next.

mod checkpoints;
mod pass;
mod plan;
mod progressive;

use heddle_core::measure::Figures;
use heddle_core::model::{Fit, HeldRow, Model, StreamCounts, StreamFit, StreamLearner, WaitingRow};
use heddle_core::resample::runs_score;
use heddle_core::terms::Counted;
use heddle_files::Input;

use crate::drift::languages;
use crate::error::{Result, fail};
use crate::observer::Task;
use crate::reviews::keep::narrowed;
use crate::reviews::labelled::{Purpose, natural};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::training::tell_of_languages;
pub use checkpoints::Checkpoints;
pub(crate) use checkpoints::settings_digest;
use checkpoints::{Keeper, Progress};
pub(crate) use pass::Pass;
use plan::Plan;
pub(crate) use plan::{FirstLook, RowUse};
pub use progressive::{Doubling, Progressive};

/// Rows of one class that stand together are learnt from together where there are more than wait; so far from chance is
/// told.
const TOGETHER: f64 = -10.0;

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
    let settings = settings_digest(&study, |_| true);
    // Before the rows: to look through them may take hours.
    let left = checkpoints.map(|own| own.left(&settings)).transpose()?.flatten();
    let task = session.busy("reading");
    let first = FirstLook::new(input, session)?;
    task.end();
    tell_of_languages(&first.texts, &study, session);
    let languages = languages((0..first.texts.len()).collect(), |at| first.texts[at].as_str().into());
    let plan = Plan::new(first, &study)?;
    warn_of_order(&plan, session);
    let reviews = format!("{:016x}", plan.digest);
    left.iter().try_for_each(|left| left.check(&reviews))?;
    let lessons = Lessons { pass: Pass::new(input, &plan.uses, &study), plan: &plan };
    let counts = match &left {
        _ if !study.counts_first() => None,
        Some(left) => Some(left.counts().clone()),
        None => Some(lessons.count(session)?),
    };
    let mut learner = StreamLearner::new(&study, plan.mix, counts)?;
    let progress = left.map_or_else(Progress::default, |left| left.resume(&mut learner, session));
    let keeper = Keeper::new(checkpoints, settings, reviews);
    let record = lessons.teach(&mut learner, progress, keeper, session)?;
    let progressive = record.told(&learner.judging());
    let StreamFit { counted, fit, held_back } = learner.finish()?;
    let model = Model::of_stream(&counted, &fit, &study).with_learnt(plan.learnt).with_languages(languages);
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

    /// All epochs from this progress on; what was said of rows before they taught.
    fn teach(
        &self,
        learner: &mut StreamLearner<'_>,
        mut progress: Progress,
        mut keeper: Keeper<'_>,
        session: &Session,
    ) -> Result<progressive::Record> {
        let epochs = self.pass.study.model.epochs;
        let task = session.progress("learning", self.plan.uses.rows() * epochs as usize);
        task.advance(progress.epochs as usize * self.plan.uses.rows() + progress.rows);
        while progress.epochs < epochs {
            self.epoch(learner, &mut progress, &mut keeper, &task)?;
        }
        Ok(progress.record)
    }

    fn epoch(
        &self,
        learner: &mut StreamLearner<'_>,
        progress: &mut Progress,
        keeper: &mut Keeper<'_>,
        task: &Task<'_>,
    ) -> Result<()> {
        let first = progress.epochs == 0;
        let (decision, all) = (learner.judging(), self.plan.teaching() - self.plan.repeats);
        let held = &self.plan.held;
        let wanted = |own| match own {
            RowUse::HeldBack(_) => first,
            other => other != RowUse::None,
        };
        self.pass.each(progress.rows, wanted, |worked| {
            for (row, own) in worked.uses.iter().enumerate() {
                let entries = worked.rows.row(row).to_vec();
                let (class, judged) = match *own {
                    RowUse::Teaches(class) => (class, first && !self.pass.study.counts_first()),
                    RowUse::Repeats(class) => (class, false),
                    RowUse::HeldBack(class) => {
                        let group = held[learner.state().held.len()];
                        learner.hold_back(HeldRow { entries, class, group });
                        continue;
                    }
                    RowUse::None => continue,
                };
                let said = learner.teach(WaitingRow { entries, class, judged });
                said.into_iter().for_each(|judged| progress.record.take(judged, all, &decision));
            }
            progress.rows += worked.read;
            task.advance(worked.read);
            keeper.keep(worked.read, progress, learner)
        })?;
        learner.end_epoch(|judged| progress.record.take(judged, all, &decision));
        (progress.epochs, progress.rows) = (progress.epochs + 1, 0);
        Ok(())
    }
}
