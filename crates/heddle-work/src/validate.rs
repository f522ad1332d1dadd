//! How good a model would be on reviews it has not seen.

use std::path::Path;

use heddle_core::Choice;
use heddle_core::labels::{Classes, Polarity};
use heddle_core::measure::{Bin, CutPoint, Figures, Gain, Trust, Verdict, cut_points, gains, reliability};
use heddle_core::resample::{Balance, PriorKind, Sample};
use heddle_core::settings::Order;
use heddle_core::validate::{
    Audit, Baseline, HeldOut, Judged, LearningCurve, SHARES, Slice, Validation, audit, baselines,
    learning_curve, slices,
};
use heddle_files::{CellKind, Column};
use serde::Serialize;

use crate::aspects::{Aspects, aspects};
use crate::error::{Error, Result};
use crate::judgement::{Judgement, Places};
use crate::ledger::{NewEntry, folder_of};
use crate::natural_mix::NaturalMix;
use crate::reviews::columns::{probability_cells, probability_columns, verdict_cells, with_ours};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::HELD_OUT;
use crate::session::Session;
use crate::sources::{SourceFound, sources, without_copies};
use crate::training::TrainingSet;
use crate::words::{count, number, percent};

/// What is cross-validated, and what is told of it.
#[derive(Debug, Clone, Default)]
pub struct ValidateOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where out-of-fold predictions go, if anywhere.
    pub out: Option<String>,
    /// Whether to learn from parts of the training reviews too.
    pub learning_curve: bool,
    /// How many reviews can be read, if it is known.
    pub budget: Option<usize>,
}

/// What cross-validation found.
#[derive(Debug, Serialize)]
pub struct Validated {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The seed of the folds.
    pub seed: u64,
    /// How reviews come into folds.
    pub order: Order,
    /// The fewest reviews that a slice has.
    pub slices_from: usize,
    /// What is done about classes of unequal size.
    pub balance: Balance,
    /// The class mix that probabilities speak of.
    pub probabilities: PriorKind,
    /// Whether a band of unsure verdicts was promised.
    pub unsure_promised: bool,
    /// How reviews that belong together fill the folds.
    pub ties: Ties,
    /// Precision at the natural class mix, where the file has another.
    pub restated: Option<NaturalMix>,
    /// The figures, and what was said of each review.
    #[serde(flatten)]
    pub validation: Validation,
    /// What it was held against; missing where only the figures were asked for.
    #[serde(flatten)]
    pub beside: Option<Beside>,
    /// Where out-of-fold predictions were written.
    pub written: Option<String>,
    /// Where a picture was drawn.
    pub picture: Option<String>,
    /// Where one in plain words was drawn.
    pub overview: Option<String>,
}

/// The figures where every text counts once.
#[derive(Debug, Serialize)]
pub struct WithoutRepeats {
    /// Reviews that read as an earlier one does; they still teach.
    pub repeated: usize,
    /// The figures of the others.
    pub figures: Figures,
}

impl WithoutRepeats {
    /// Nothing where no text stands twice.
    fn new(training: &TrainingSet, judged: Judged<'_>) -> Option<Self> {
        let repeats = training.corpus.repeats();
        let repeated = repeats.iter().filter(|again| **again).count();
        (repeated > 0)
            .then(|| Self { repeated, figures: judged.figures_of(&training.sample, |row| !repeats[row]) })
    }
}

/// What stands beside the figures.
#[derive(Debug, Serialize)]
pub struct Beside {
    /// The figures where every text counts once; missing where none stands twice.
    pub without_repeats: Option<WithoutRepeats>,
    /// Simpler ways to judge the same reviews.
    pub baselines: Vec<Baseline>,
    /// The text alone and the columns alone, held against both; none where no column counts.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub sources: Vec<SourceFound>,
    /// The same without what copies of reviews teach, held against it; none where there are no copies.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub without_copies: Option<SourceFound>,
    /// Figures of parts of the reviews.
    pub slices: Vec<Slice>,
    /// Whether predicted probabilities are observed.
    pub calibration: Vec<Bin>,
    /// The same as a whole.
    pub trust: Trust,
    /// What reading the most negative reviews first would find.
    pub gains: Vec<Gain>,
    /// What other cuts would give.
    pub cut_points: Vec<CutPoint>,
    /// What more data may bring, where it was asked for.
    pub learning_curve: Option<LearningCurve>,
    /// What should be looked at before the figures are believed.
    pub audit: Audit,
    /// What it comes to, and what to do next.
    pub judgement: Judgement,
}

/// Cross-validates: everything that is learnt is learnt anew in each fold.
///
/// # Errors
/// Reviews that cannot be read or learnt from, a locked holdout, or too few reviews for the folds.
pub fn validate(session: &Session, options: &ValidateOptions) -> Result<Validated> {
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let reviews = LabelledReviews::of(input, session, Kept::Needed, Purpose::Learn)?;
    let names = match options.out {
        Some(_) => RowNames::with_columns(&reviews, session.study())?,
        None => RowNames::new(&reviews, session.study())?,
    };
    let aspects = aspects(&reviews, session)?;
    let training = TrainingSet::new(reviews, session)?;
    let validation = training.validate(session)?;
    let beside = Beside::of(&training, &validation, &aspects, options, session)?;
    if let Some(path) = &options.out {
        write_held_out((session, path), &names, &training.sample, &validation)?;
        session.commit()?;
    }
    let folder = options.out.as_ref().map_or(Path::new("."), |path| folder_of(path));
    note(&training, &validation, folder, session)?;
    beside.warn(session);
    let found = Validated::new(&training, validation, options.out.clone());
    found.ties.warn(training.study.validation.folds, training.sample.len(), session);
    Ok(Validated { beside: Some(beside), ..found })
}

/// Cross-validates, and tells what the card of a model keeps of it.
///
/// # Errors
/// Reviews that cannot be cross-validated.
pub(crate) fn validated(
    training: &TrainingSet,
    aspects: &Aspects,
    session: &Session,
) -> Result<heddle_core::model::Validated> {
    let validation = training.validate(session)?;
    let splits = training.splits()?;
    let judged = Judged { validation: &validation, splits: &splits };
    Ok(with_slices(validation.summary(), &sliced(training, judged, aspects)))
}

/// A summary with what it keeps of slices.
pub(crate) fn with_slices(
    summary: heddle_core::model::Validated,
    slices: &[Slice],
) -> heddle_core::model::Validated {
    heddle_core::model::Validated { slices: slices.iter().map(Slice::summary).collect(), ..summary }
}

fn sliced(training: &TrainingSet, judged: Judged<'_>, aspects: &Aspects) -> Vec<Slice> {
    let floor = training.study.validation.slices_from;
    let held = &judged.validation.held_out[0];
    slices(&training.sample, held, judged.held_for_training(), (&aspects.all, floor))
}

/// Notes a validation in the ledger of a folder.
pub(crate) fn note(
    training: &TrainingSet,
    validation: &Validation,
    folder: &Path,
    session: &Session,
) -> Result<()> {
    session.note(NewEntry {
        command: "validate",
        folder,
        input: &training.input,
        model: None,
        counts: training.counts(),
        figures: &validation.figures,
        holdouts: &[],
    })
}

fn curve(training: &TrainingSet, judged: Judged<'_>, session: &Session) -> Result<LearningCurve> {
    let task = session.progress("shares", training.study.validation.folds * SHARES.len());
    let TrainingSet { counted, sample, study, .. } = training;
    let found = learning_curve(counted, sample, study, judged, || task.advance(1));
    task.end();
    found.map_err(|error| {
        Error::from(error).during("an eighth of the training reviews is too little for a learning curve")
    })
}

impl Validated {
    /// The account of a validation.
    pub(crate) fn new(training: &TrainingSet, validation: Validation, written: Option<String>) -> Self {
        let study = &training.study;
        Self {
            account: training.account.clone(),
            rule: study.rule(training.account.by_name),
            seed: study.validation.seed,
            order: study.validation.order,
            slices_from: study.validation.slices_from,
            balance: study.balance.method,
            probabilities: study.balance.probabilities,
            unsure_promised: study.decision.unsure.is_some(),
            ties: Ties::new(&training.sample, &validation),
            restated: study.balance.natural.map(|natural| NaturalMix::new(&validation.figures, natural)),
            validation,
            beside: None,
            written,
            picture: None,
            overview: None,
        }
    }
}

/// How reviews that belong together fill the folds.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct Ties {
    /// Groups of equal, like or tied reviews, those of one review included.
    pub groups: usize,
    /// Reviews of the largest of them.
    pub largest_group: usize,
    /// Reviews that the smallest fold of the first round holds out.
    pub smallest_fold: usize,
    /// Those of the largest.
    pub largest_fold: usize,
}

impl Ties {
    fn new(sample: &Sample, validation: &Validation) -> Self {
        let mut groups = sample.groups.clone();
        groups.sort_unstable();
        let sizes = groups.chunk_by(|a, b| a == b).map(<[u64]>::len);
        let first = validation.folds.iter().filter(|fold| fold.round == 0);
        let held = first.map(|fold| fold.held_out.iter().sum::<usize>());
        Self {
            groups: sizes.clone().count(),
            largest_group: sizes.max().unwrap_or(0),
            smallest_fold: held.clone().min().unwrap_or(0),
            largest_fold: held.max().unwrap_or(0),
        }
    }

    /// Says so where a group fills more than half a fold, or folds differ much in size.
    fn warn(self, folds: usize, reviews: usize, session: &Session) {
        if 2 * folds * self.largest_group > reviews {
            session.remark(&format!(
                "warning: {} of {} are one group of equal, like or tied texts, and stand in one fold: reviews.together \
                 or validation.alike may tie too much, or one text is repeated",
                number(self.largest_group),
                count(reviews, "review")
            ));
        } else if self.largest_fold > 2 * self.smallest_fold {
            session.remark(&format!(
                "note: folds hold out from {} to {}: groups of tied reviews cannot be dealt more evenly",
                number(self.smallest_fold),
                count(self.largest_fold, "review")
            ));
        }
    }
}

impl Beside {
    /// What stands beside the figures of a validation.
    pub(crate) fn of(
        training: &TrainingSet,
        validation: &Validation,
        aspects: &Aspects,
        options: &ValidateOptions,
        session: &Session,
    ) -> Result<Self> {
        let splits = training.splits()?;
        let judged = Judged { validation, splits: &splits };
        let curve = match options.learning_curve {
            true => Some(curve(training, judged, session)?),
            false => None,
        };
        let task = session.busy("baselines");
        let TrainingSet { corpus, counted, sample, study, .. } = training;
        let baselines = baselines(corpus, sample, study, &splits, &aspects.columns)?;
        task.end();
        let held = sample.labels.iter().zip(&validation.held_out[0]);
        let (labels, said): (Vec<Polarity>, Vec<Verdict>) =
            held.filter_map(|(label, held)| Some((*label, (*held)?.verdict))).unzip();
        let dependence = judged.dependence(sample);
        Ok(Self {
            without_repeats: WithoutRepeats::new(training, judged),
            sources: sources(training, validation, session)?,
            without_copies: without_copies(training, validation, session)?,
            slices: sliced(training, judged, aspects),
            calibration: reliability(&labels, &said, &dependence),
            trust: Trust::new(&labels, &said, &dependence),
            cut_points: cut_points(&labels, &said, &dependence),
            gains: gains(&labels, &said, &dependence, options.budget),
            audit: audit(corpus, counted, (sample, &study.features), validation, &baselines),
            learning_curve: curve,
            judgement: Judgement::new(
                &validation.figures,
                None,
                Places {
                    training: &training.input.names().collect::<Vec<_>>().join(" "),
                    ..Places::default()
                },
            ),
            baselines,
        })
    }

    /// Says what must not be passed over.
    pub(crate) fn warn(&self, session: &Session) {
        let differing = self.slices.iter().filter(|slice| !slice.differs.is_empty());
        let told: Vec<String> = differing
            .map(|slice| {
                let names: Vec<&str> = slice.differs.iter().map(|figure| figure.name()).collect();
                let accuracy = percent(slice.accuracy.value);
                format!("{} {}: {} (accuracy {accuracy})", slice.aspect, slice.level, names.join(", "))
            })
            .collect();
        if !told.is_empty() {
            session.remark(&format!(
                "warning: figures differ from those of the other reviews by more than noise where {}",
                told.join("; ")
            ));
        }
        if self.audit.too_good {
            let behind = if self.audit.findings.is_empty() {
                "nothing was found that explains it"
            } else {
                "see what may be behind it"
            };
            session.remark(&format!("warning: this is nearly perfect, which reviews rarely allow; {behind}"));
        }
    }
}

/// Writes out-of-fold predictions: one row per review and round, joined to the reviews by id.
pub(crate) fn write_held_out(
    (session, path): (&Session, &str),
    rows: &RowNames,
    sample: &Sample,
    validation: &Validation,
) -> Result<()> {
    let whole = |name: &str| Column::new(name, CellKind::Whole);
    let classes = Classes::of(sample.mix(&(0..sample.len() as u32).collect::<Vec<_>>()));
    let names = session.study().class_names();
    let header = [Column::text(rows.column())].into_iter().chain(rows.columns());
    let header = header.chain([Column::text("truth"), whole("round"), whole("fold")]);
    let odds = [Column::number("log_odds")].into_iter().chain(probability_columns(classes, &names));
    let columns: Vec<Column> =
        header.chain(odds).chain([Column::text("polarity"), Column::text("verdict")]).collect();
    let columns = with_ours(&[], columns);
    let mut writer = session.row_writer(HELD_OUT, path, &columns)?;
    for (round, held_out) in validation.held_out.iter().enumerate() {
        let held_out = held_out.iter().enumerate().filter_map(|(at, held)| Some((at, (*held)?)));
        for (at, HeldOut { fold, verdict }) in held_out {
            let numbers = [(round + 1).to_string(), (fold + 1).to_string(), verdict.log_odds.to_string()];
            let probabilities = probability_cells(&verdict, classes);
            let first = [rows.of(at)].into_iter().chain(rows.cells(at)).chain([names.of(sample.labels[at])]);
            let cells = numbers.iter().chain(&probabilities).map(String::as_str);
            let last = verdict_cells(&verdict, verdict.sure, &names);
            writer.row(first.chain(cells).chain(last))?;
        }
    }
    writer.finish()?;
    Ok(())
}
