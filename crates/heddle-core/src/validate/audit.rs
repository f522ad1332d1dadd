//! Too good to be true? What may be behind figures that are nearly perfect.

use serde::Serialize;

use super::baselines::{Baseline, BaselineKind};
use super::cross::Validation;
use super::effects::gains_alone;
use crate::beside::Features;
use crate::labels::polarity::Polarity;
use crate::measure::interval::{Figure, share};
use crate::resample::folds::Sample;
use crate::terms::corpus::Corpus;
use crate::terms::count::Counted;
use crate::terms::made_of::MadeOf;
use crate::terms::report::TermReport;
use crate::terms::select::Selection;
use crate::terms::term_id::TermId;

/// Balanced accuracy, or ROC area, from which figures are asked where they come from.
const TOO_GOOD: (f64, f64) = (0.97, 0.995);
/// A term that separates the classes so well alone.
const DOMINANT: f64 = 0.85;
/// A term of so many reviews that one class alone holds is a mark of its source.
const MARKER: usize = 20;
/// Such marks matter where they stand in so large a share of the reviews.
const MARKED: f64 = 0.2;
/// A column that makes such a share of the gain over the class mix alone may hold the label.
const MOST_OF_THE_GAIN: f64 = 0.5;

/// What was found.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Audit {
    /// Whether the figures are so good that they need an explanation.
    pub too_good: bool,
    /// What might explain them; each would be told of lesser figures too.
    pub findings: Vec<Finding>,
}

/// Something that makes a task easier than it should be.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(rename_all = "snake_case", tag = "finding")]
pub enum Finding {
    /// One term nearly tells the class.
    DominantTerm {
        /// The term.
        term: String,
        /// The class that it goes with.
        class: Polarity,
        /// Balanced accuracy of calling by this term alone.
        alone: f64,
        /// The reviews that hold it.
        reviews: usize,
    },
    /// Terms that many reviews of one class hold and none of the others.
    Markers {
        /// The most frequent of them.
        terms: Vec<String>,
        /// The share of reviews that hold one.
        reviews: Figure,
    },
    /// One column that the model uses does most of the work.
    Column {
        /// The column.
        column: String,
        /// How much of the gain in log loss over the class mix it makes alone.
        share: f64,
    },
    /// The columns beside the text tell the class nearly as well.
    Beside {
        /// Their balanced accuracy.
        balanced_accuracy: Figure,
    },
}

/// Looks for what might make figures too good: one dominant term, marks of a source, a
/// column beside the text that gives the class away.
pub fn audit(
    corpus: &Corpus,
    counted: &Counted,
    (sample, features): (&Sample, &Features),
    validation: &Validation,
    baselines: &[Baseline],
) -> Audit {
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let selection = Selection::under(features, counted, sample, &rows);
    let look = TermReport { corpus, counted, selection: &selection };
    let mut findings = Vec::new();
    findings.extend(dominant(&look));
    findings.extend(markers(&look, sample));
    let of = |figure: Figure| figure.value.unwrap_or(0.0);
    let ours = of(validation.figures.balanced_accuracy);
    let beside = baselines.iter().find(|baseline| baseline.kind == BaselineKind::Columns);
    if let Some(baseline) =
        beside.filter(|baseline| of(baseline.figures.balanced_accuracy) >= DOMINANT.min(ours))
    {
        findings.push(Finding::Beside { balanced_accuracy: baseline.figures.balanced_accuracy });
    }
    findings.extend(one_column(&selection, sample, validation));
    let too_good = ours >= TOO_GOOD.0 || of(validation.figures.roc_area) >= TOO_GOOD.1;
    Audit { too_good, findings }
}

/// The column that makes most of the gain over the class mix, if it makes more than half of it.
fn one_column(selection: &Selection, sample: &Sample, validation: &Validation) -> Option<Finding> {
    let other = selection.other.as_ref()?;
    let (coding, rows) = (other.coding.as_ref()?, other.rows());
    let loss = |figure: Figure| figure.value;
    let gain = loss(validation.baseline.log_loss)? - loss(validation.figures.log_loss)?;
    let alone = gains_alone(sample, coding, rows);
    let most = (0..alone.len()).max_by(|a, b| alone[*a].total_cmp(&alone[*b]))?;
    let share = alone[most] / gain;
    (gain > 0.0 && share >= MOST_OF_THE_GAIN)
        .then(|| Finding::Column { column: coding.columns[most].column.clone(), share: share.min(1.0) })
}

fn dominant(look: &TermReport<'_>) -> Option<Finding> {
    let mix = look.selection.mix;
    let share = |count: usize, class: Polarity| count as f64 / mix[class].max(1) as f64;
    let alone = |term: TermId| {
        let counts = look.selection.counts(term);
        let [negative, positive] = Polarity::POLES.map(|class| share(counts[class], class));
        (0.5 + (positive - negative) / 2.0, counts.iter().sum::<usize>())
    };
    let kept = TermId::all(look.counted.vocabulary.len()).filter(|term| look.selection.keeps(*term));
    let strength = |term: &TermId| (alone(*term).0 - 0.5).abs();
    let best = kept.max_by(|a, b| strength(a).total_cmp(&strength(b)))?;
    let (separation, reviews) = alone(best);
    let class = if separation > 0.5 { Polarity::Positive } else { Polarity::Negative };
    let alone = separation.max(1.0 - separation);
    (alone >= DOMINANT).then(|| Finding::DominantTerm { term: look.spell(best), class, alone, reviews })
}

fn markers(look: &TermReport<'_>, sample: &Sample) -> Option<Finding> {
    let one_class = |term: &TermId| {
        let counts = look.selection.counts(*term);
        // What is so of a part is so of its word.
        let whole = matches!(look.counted.vocabulary.made_of(*term), MadeOf::Words(_));
        whole
            && look.selection.keeps(*term)
            && counts.iter().sum::<usize>() >= MARKER.max(sample.len() / 100)
            && counts.iter().filter(|count| **count > 0).count() == 1
    };
    let mut terms: Vec<TermId> = TermId::all(look.counted.vocabulary.len()).filter(one_class).collect();
    let marked: Vec<bool> = {
        let mut is_mark = vec![false; look.counted.vocabulary.len()];
        terms.iter().for_each(|term| is_mark[term.place()] = true);
        let holds =
            |row: usize| look.counted.rows.row(row).iter().any(|entry| is_mark[entry.column as usize]);
        (0..sample.len()).map(holds).collect()
    };
    let count = marked.iter().filter(|marked| **marked).count();
    terms.sort_by_key(|term| {
        (std::cmp::Reverse(look.selection.document_count(*term)), look.counted.alphabet[term.place()])
    });
    let names = terms.iter().take(5).map(|term| look.spell(*term)).collect();
    (count as f64 >= MARKED * sample.len() as f64)
        .then(|| Finding::Markers { terms: names, reviews: share(count, sample.len()) })
}
