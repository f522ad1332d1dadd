//! What a set of training rows teaches.

use std::cell::LazyCell;
use std::sync::Arc;

use super::error::{FitError, check_kept, check_mix};
use super::seen::Said;
use super::settle::{NeutralWeights, Settled, Settling};
use super::teach::{Learnt, Lesson, Needs, better};
use crate::beside::{Coding, ColumnEffects, Features};
use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::learn::calibrate::Calibration;
use crate::learn::inner_validation::{InnerFolds, calibrating_folds, choosing_folds};
use crate::learn::lambda::LambdaChoice;
use crate::learn::layout::{Layout, LayoutChoice};
use crate::learn::learner::Convergence;
use crate::learn::objective::Problem;
use crate::learn::question::Question;
use crate::learn::settings::Strength;
use crate::measure::figures::Reached;
use crate::measure::verdict::{Decision, Place, Verdict};
use crate::resample::folds::Sample;
use crate::settings::study::Study;
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::term_id::TermId;
use crate::terms::vectors::{VectorBags, WordPulls};

/// What was learnt from a set of rows: the terms they keep, and their weights.
#[derive(Debug, Clone)]
pub struct Fit {
    /// The terms that the training rows keep.
    pub selection: Arc<Selection>,
    /// By term: its weight, in log-odds per unit of the term's value; 0 if it is left out. Held in 32 bits,
    /// as a model keeps it.
    pub weights: Vec<f32>,
    /// What the columns beside the text add, where some count.
    pub columns: Option<ColumnEffects>,
    /// What words with vectors come to, where vectors count.
    pub vectors: Option<WordPulls>,
    /// The score of a review without known terms.
    pub intercept: f64,
    /// Half the width of the neutral zone; 0 where there are two classes, or free ones.
    pub half: f64,
    /// What speaks for neutral, where each class has weights of its own.
    pub neutral: Option<NeutralWeights>,
    /// The training reviews of each class.
    pub mix: ClassCounts,
    /// lambda; missing for learners without a penalty.
    pub strength: Option<f64>,
    /// How lambda was chosen, where it was.
    pub choice: Option<LambdaChoice>,
    /// Why three classes are told apart as they are, where that was open.
    pub layout: Option<LayoutChoice>,
    /// How far the learner came.
    pub convergence: Convergence,
    /// The spread of the class ratios that were blended into the weights, as a share of that of the scores.
    pub ratios: f64,
    /// How scores become log-odds.
    pub calibration: Calibration,
    /// How verdicts are reached.
    pub decision: Decision,
    /// What that makes of the held-out rows that it was set on, where it was.
    pub reached: Option<Reached>,
    /// What is said of held-out rows, where there are some.
    pub said: Option<Said>,
}

/// Learns from `rows` (ascending): selects terms, chooses the strength if the study leaves
/// it open, fits the weights, calibrates scores and sets the cuts of verdicts. Nothing outside
/// `rows` plays a role.
///
/// # Errors
/// If a class is absent, no term is kept, or the scores do not allow what the study asks for.
pub fn fit(counted: &Counted, sample: &Sample, rows: &[u32], study: &Study) -> Result<Fit, FitError> {
    let fits = fit_path(counted, sample, rows, study, &[study.model.strength])?;
    Ok(fits.into_iter().next().expect("a fit for the one strength"))
}

/// As [`fit`], once for each strength. Terms are selected once, and each strength starts from
/// the weights of the one before: from strong to weak, a path costs little more than its last
/// step. A fit on a path may differ from one alone by what `model.tolerance` leaves open.
///
/// # Errors
/// As [`fit`].
pub fn fit_path(
    counted: &Counted,
    sample: &Sample,
    rows: &[u32],
    study: &Study,
    strengths: &[Strength],
) -> Result<Vec<Fit>, FitError> {
    let plain;
    let sample = match study.model.copies == 0.0 && !sample.copies.is_empty() {
        true => {
            plain = sample.without_copies();
            &plain
        }
        false => sample,
    };
    let (mix, taught) = (sample.mix(rows), sample.taught(study.model.copies));
    let selection = Arc::new(select(counted, sample, rows, &study.features)?);
    // Terms, counts and factors are those of all training rows; balancing changes only what
    // the learner makes of them.
    let (balance, seed) = (&study.balance, study.validation.seed);
    let (seen, costs) = (sample.copies.with(balance.rows(sample, rows, seed)), balance.costs(mix));
    let classes = Classes::of(mix);
    let question = Question::Above(classes);
    let layouts = study.model.classes.layouts(classes);
    let needs = Needs { study, held: study.decision.learns() || layouts.len() > 1 };
    let open = study.model.has_strength() && strengths.contains(&Strength::Auto);
    let each = || layouts.iter().flat_map(|layout| strengths.iter().map(move |asked| (*layout, *asked)));
    let wanted = each().any(|(layout, asked)| needs.held_rows(layout, asked));
    let learning = (&study.model, balance, layouts, &study.features);
    let folds = |count: usize| InnerFolds::new(counted, sample, (rows, &selection, count), learning, seed);
    let finer = calibrating_folds(rows.len()).filter(|_| wanted).map(folds);
    let inner = (open || wanted && finer.is_none()).then(|| folds(choosing_folds(rows.len())));
    let leanings = LazyCell::new(|| selection.leanings(&counted.rules));
    let follow = |layout: &Layout| {
        let features = selection.weighted(counted, layout.contrast());
        let lesson = Lesson {
            layout: *layout,
            problem: Problem {
                features: &features,
                labels: &taught.labels,
                shares: &taught.shares,
                rows: &seen,
                costs,
                question,
            },
            needs,
            emphasis: counted.rules.emphasis,
            reviews: rows.len(),
            choosing: inner.as_ref(),
            calibrating: finer.as_ref(),
        };
        lesson.follow(strengths, &leanings).into_iter()
    };
    let mut paths: Vec<_> = layouts.iter().map(follow).collect();
    let by_class = LazyCell::new(|| Arc::new(selection.of_classes(counted)));
    let mut of_strength = |asked: &Strength| {
        let (learnt, layout) = better(paths.iter_mut().filter_map(Iterator::next).collect());
        let calibrated = needs.calibrated(learnt.layout, *asked);
        let selection = Arc::clone(if learnt.layout == Layout::Free { &by_class } else { &selection });
        let settling = Settling { study, mix, calibrated, groups: &sample.groups };
        Ok(Fit { layout, ..settled(learnt, selection, &settling, counted.vectors.as_deref())? })
    };
    strengths.iter().map(&mut of_strength).collect()
}

/// What becomes of what was learnt; why its layout was chosen is not known here.
pub(super) fn settled(
    learnt: Learnt,
    selection: Arc<Selection>,
    settling: &Settling<'_>,
    bags: Option<&VectorBags>,
) -> Result<Fit, FitError> {
    let Learnt { raw, held, strength, choice, convergence, blend, .. } = learnt;
    let Settled { mut weights, mut intercept, half, mut neutral, calibration, decision, reached, said } =
        settling.settle(raw, &held)?;
    let (mut columns, mut vectors) = (None, None);
    if let Some(other) = &selection.other {
        let terms = selection.statuses.len();
        // Weights of values as they are, before they were scaled for the penalty.
        let behind = |weights: &mut Vec<f32>| -> Vec<f64> {
            let own = weights.drain(terms..).zip(&other.scales);
            own.map(|(weight, scale)| f64::from(weight) * f64::from(*scale)).collect()
        };
        let of_axis = behind(&mut weights);
        let of_neutral = neutral.as_mut().map(|own| behind(&mut own.weights));
        let features = other.coding.as_ref().map_or(0, Coding::features);
        if let Some(coding) = &other.coding {
            let (effects, moved) = coding.effects(&of_axis[..features]);
            intercept += moved;
            let of_neutral = of_neutral.as_ref().map(|own| coding.effects(&own[..features]));
            let neutral = neutral.as_mut().zip(of_neutral).map(|(neutral, (effects, moved))| {
                neutral.intercept += moved;
                effects
            });
            columns =
                Some(ColumnEffects { coding: coding.clone(), effects, neutral: neutral.unwrap_or_default() });
        }
        if let (Some(coding), Some(bags)) = (&other.vectors, bags) {
            let of_neutral = of_neutral.as_ref().map(|own| &own[features..]);
            vectors = Some(coding.pulls(bags, &of_axis[features..], of_neutral));
        }
    }
    Ok(Fit {
        selection,
        columns,
        vectors,
        weights,
        intercept,
        half,
        neutral,
        mix: settling.mix,
        strength,
        choice,
        layout: None,
        convergence,
        ratios: blend.share,
        calibration,
        decision,
        reached,
        said,
    })
}

/// The terms and columns of some rows, if there is something to learn from them.
fn select(
    counted: &Counted,
    sample: &Sample,
    rows: &[u32],
    features: &Features,
) -> Result<Selection, FitError> {
    check_mix(sample.mix(rows))?;
    let selection = Selection::under(features, counted, sample, rows);
    check_kept(&selection, counted)?;
    Ok(selection)
}

impl Fit {
    /// Where rows of the matrix lie before calibration, whether they taught or not: intercept + weights x values.
    pub fn places(&self, counted: &Counted, rows: &[u32]) -> Vec<Place> {
        let weighting = counted.rules.weighting;
        // What is known of a column stands in one place: looking for it is what this costs.
        let by_column = |weights: &[f32]| -> Vec<[f32; 2]> {
            self.selection.document_factors.iter().zip(weights).map(|(factor, own)| [*factor, *own]).collect()
        };
        let axis = by_column(&self.weights);
        let neutral = self.neutral.as_ref().map(|neutral| (neutral.intercept, by_column(&neutral.weights)));
        let one = |&row: &u32| {
            let entries = counted.rows.row(row as usize);
            let sum =
                |columns: &[[f32; 2]]| weighting.weighed_by_pairs(entries, columns, self.selection.pivot).dot;
            let beside = |effects: fn(&ColumnEffects) -> &[f32]| {
                let of = |own: &ColumnEffects| {
                    ColumnEffects::sum(self.selection.beside(row as usize), effects(own))
                };
                self.columns.as_ref().map_or(0.0, of)
            };
            let vectors = |pulls: fn(&WordPulls) -> &[f32]| self.of_vectors(counted, row, pulls);
            let log_odds =
                self.intercept + sum(&axis) + beside(|own| &own.effects) + vectors(|own| &own.pulls);
            match &neutral {
                None => Place::between(log_odds, self.half),
                Some((intercept, columns)) => {
                    let sum = intercept + sum(columns);
                    Place::apart(log_odds, sum + beside(|own| &own.neutral) + vectors(|own| &own.neutral))
                }
            }
        };
        rows.iter().map(one).collect()
    }

    /// What the words with vectors of a row add.
    fn of_vectors(&self, counted: &Counted, row: u32, pulls: fn(&WordPulls) -> &[f32]) -> f64 {
        let (Some(own), Some(bags)) = (&self.vectors, &counted.vectors) else { return 0.0 };
        own.sum(&own.known(bags, row as usize), pulls(own))
    }

    /// The verdicts on rows of the matrix; a row without a term that pulls is unsure, unless columns speak for it.
    pub fn verdicts(&self, counted: &Counted, rows: &[u32]) -> Vec<Verdict> {
        let known = |row: u32| {
            let entries = counted.rows.row(row as usize);
            entries.iter().any(|entry| self.pulls(TermId::new(entry.column)))
                || self.columns.as_ref().is_some_and(|own| own.pull(self.selection.beside(row as usize)))
                || self.of_vectors(counted, row, |own| &own.pulls) != 0.0
        };
        let say = |(place, row): (Place, &u32)| {
            self.decision.verdict(self.calibration.place(place)).known(known(*row))
        };
        self.places(counted, rows).into_iter().zip(rows).map(say).collect()
    }

    /// Whether a term is kept, and pulls at all.
    fn pulls(&self, term: TermId) -> bool {
        let at = term.place();
        let neutral = || self.neutral.as_ref().is_some_and(|neutral| neutral.weights[at] != 0.0);
        self.selection.keeps(term) && (self.weights[at] != 0.0 || neutral())
    }

    /// The number of terms that pull at all.
    pub fn pulling(&self) -> usize {
        TermId::all(self.weights.len()).filter(|term| self.pulls(*term)).count()
    }
}
