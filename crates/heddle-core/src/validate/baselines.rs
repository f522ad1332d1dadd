//! What a model must beat: simpler ways to judge the same reviews, on the same folds.

use rayon::prelude::*;
use serde::Serialize;

use super::cross::{by_round, figures_of, held_for_training};
use super::slices::Aspect;
use super::splitting::{FoldSplit, ValidateError};
use crate::choice::{by_name, choice};
use crate::labels::classes::Classes;
use crate::labels::per_class::PerClass;
use crate::learn::decide::{Deciding, Shown, decide};
use crate::learn::learner::Stopping;
use crate::learn::objective::Problem;
use crate::learn::question::Question;
use crate::learn::scale::scale;
use crate::learn::settings::{Learning, Strength};
use crate::matrix::{Entry, Rows};
use crate::measure::figures::{Figures, baseline};
use crate::measure::verdict::{Cuts, Decision, Place, Verdict};
use crate::model::error::FitError;
use crate::model::fit::{Fit, fit};
use crate::resample::folds::Sample;
use crate::settings::study::Study;
use crate::terms::corpus::Corpus;
use crate::terms::count::Counted;
use crate::terms::rules::{Stems, TermRules};
use crate::terms::token_id::TokenId;
use crate::terms::weigh::{DocumentFactor, Normalisation, TermFactor, Weighted, Weighting};
use crate::text::plain::plain_sign;

/// A simpler way to judge, and how good it is.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Baseline {
    /// Which it is.
    #[serde(rename = "name", serialize_with = "by_name")]
    pub kind: BaselineKind,
    /// What it does.
    pub about: String,
    /// Its figures on the reviews of the first round.
    pub figures: Figures,
}

choice! {
    /// The simpler ways to judge, from the plainest on.
    BaselineKind {
        /// A short list of plainly good and bad words.
        WordList = "word list",
        /// The columns beside the text, without the text.
        Columns = "columns, no text",
        /// The same learner on single words, negation unseen.
        SingleWords = "single words",
    }
}

/// Judges the reviews of the first round of a validation in simpler ways, each learnt on the same
/// training parts: a short list of plainly good and bad words; the columns beside the text,
/// where there are some; single words without negation, which choose their own strength and are calibrated as the
/// study is: a baseline that is fitted with less care flatters what stands beside it.
///
/// # Errors
/// If a training part cannot be learnt from.
pub fn baselines(
    corpus: &Corpus,
    sample: &Sample,
    study: &Study,
    splits: &[FoldSplit],
    beside: &[Aspect],
) -> Result<Vec<Baseline>, ValidateError> {
    let first: Vec<&FoldSplit> = splits.iter().filter(|split| split.round == 0).collect();
    let shared = held_for_training(&first);
    let mut baselines = Vec::new();
    let mut add = |kind, about: String, verdicts: Vec<Vec<Verdict>>| {
        let held = by_round(sample, &first, &verdicts);
        baselines.push(Baseline { kind, about, figures: figures_of(sample, &held[0], shared) });
    };
    if let Some(words) = word_list(corpus) {
        let languages = study.text.languages.iter();
        let plain: usize = languages.map(|language| language.plain_count()).sum();
        let verdicts = first.par_iter().map(|split| by_words(&words, sample, split, study)).collect();
        add(
            BaselineKind::WordList,
            format!("{plain} plainly good and bad words, turned round by negation"),
            verdicts,
        );
    }
    let varying: Vec<&Aspect> = beside.iter().filter(|aspect| !aspect.is_constant()).collect();
    if !varying.is_empty() {
        let rows = one_hot(&varying, sample.len());
        let names: Vec<&str> = varying.iter().map(|aspect| aspect.name.as_str()).collect();
        let verdicts = first.par_iter().map(|split| by_columns(&rows, sample, split, study)).collect();
        add(BaselineKind::Columns, names.join(", "), verdicts);
    }
    let (counted, plainer) = singles(corpus, study);
    let verdicts: Vec<Vec<Verdict>> = first
        .par_iter()
        .map(|split| {
            let fitted = fit_or_plainly(&counted, sample, &split.training, &plainer)
                .map_err(|error| ValidateError::Fit { fold: split.fold + 1, error })?;
            Ok(fitted.verdicts(&counted, &split.held))
        })
        .collect::<Result<_, _>>()?;
    add(BaselineKind::SingleWords, "the same learner, words one by one, negation unseen".into(), verdicts);
    Ok(baselines)
}

/// By review: plainly good words less plainly bad ones, a negated word counting as its
/// opposite; nothing where words have no names.
fn word_list(corpus: &Corpus) -> Option<Vec<f64>> {
    let languages = corpus.rules.cleaner.languages();
    let sign =
        |word: &str| plain_sign(languages, &corpus.rules.fields.cut(word).1.to_lowercase()).unwrap_or(0.0);
    let signs: Vec<f64> = corpus.words.iter().map(sign).collect();
    let value = |id: &TokenId| signs[id.word() as usize] * if id.is_negated() { -1.0 } else { 1.0 };
    let of_review =
        |row: usize| corpus.review(row).iter().filter(|id| !id.is_sentence_end()).map(value).sum();
    (!signs.is_empty()).then(|| (0..corpus.len()).map(of_review).collect())
}

fn by_words(words: &[f64], sample: &Sample, split: &FoldSplit, study: &Study) -> Vec<Verdict> {
    let mix = sample.mix(&split.training);
    let classes = Classes::of(mix);
    let row = |&row: &u32| (words[row as usize], sample.labels[row as usize], 1.0);
    let Some(scale) = scale(&split.training.iter().map(row).collect::<Vec<_>>(), classes) else {
        return vec![baseline(mix); split.held.len()]; // the words say nothing here
    };
    let (intercept, half) = (
        (scale.intercepts[0] + scale.intercepts[1]) / 2.0,
        (scale.intercepts[0] - scale.intercepts[1]).max(0.0) / 2.0,
    );
    let place = |&row: &u32| Place::between(intercept + scale.slope * words[row as usize], half);
    decided(study, sample, split, (classes, half), place)
}

/// A column for each value of each aspect.
fn one_hot(aspects: &[&Aspect], rows: usize) -> Rows {
    let mut starts = vec![0u32];
    aspects.iter().for_each(|aspect| starts.push(starts[starts.len() - 1] + aspect.levels.len() as u32));
    let entry = |row: usize, at: usize| Entry { column: starts[at] + aspects[at].of[row], value: 1.0 };
    let entries = (0..rows).flat_map(|row| (0..aspects.len()).map(move |at| (row, at)));
    let entries = entries.map(|(row, at)| entry(row, at)).collect();
    Rows::new((0..rows).map(|_| aspects.len()), entries, starts[aspects.len()] as usize)
}

/// The penalty of a model on a few columns weighs like the loss of this many reviews.
const PENALTY: f64 = 25.0;

fn by_columns(rows: &Rows, sample: &Sample, split: &FoldSplit, study: &Study) -> Vec<Verdict> {
    let plain =
        Weighting { term: TermFactor::Presence, document: DocumentFactor::None, norm: Normalisation::None };
    let features = Weighted::new(rows, vec![1.0; rows.columns()], plain, 0.0);
    let classes = Classes::of(sample.mix(&split.training));
    let question = Question::Above(classes);
    let (labels, costs) = (&sample.labels[..], PerClass::of(|_| 1.0));
    let problem =
        Problem { features: &features, labels, shares: &[], rows: &split.training, costs, question };
    let mut learner = Learning::default().begin(problem, 0);
    let lambda = PENALTY / split.training.len().max(1) as f64;
    learner.solve(lambda, Stopping { tolerance: 1e-3, rounds: 1000 });
    let [low, high] = learner.intercepts();
    let half = (low - high) / 2.0;
    let place = |&row: &u32| Place::between((low + high) / 2.0 + learner.dot(row as usize), half);
    decided(study, sample, split, (classes, half), place)
}

/// The verdicts on held-out rows by the study's own way to decide, set on the training rows: a handful of numbers was
/// fitted to them. Where a wanted precision is out of reach, by the more probable class.
fn decided(
    study: &Study,
    sample: &Sample,
    split: &FoldSplit,
    (classes, half): (Classes, f64),
    place: impl Fn(&u32) -> Place,
) -> Vec<Verdict> {
    let shown = |row: &u32| Shown { place: place(row), label: sample.labels[*row as usize], weight: 1.0 };
    let learns = study.decision.learns();
    let shown: Vec<Shown> = split.training.iter().filter(|_| learns).map(shown).collect();
    let wanted = decide(&study.decision, (classes, Some(half)), &shown, study.balance.natural);
    let decision = wanted.unwrap_or(Decision::OnAxis(Cuts::most_probable(half)));
    split.held.iter().map(|row| decision.verdict(place(row))).collect()
}

/// A fit that decides as the study does, or where a wanted precision is out of reach by the more probable class.
fn fit_or_plainly(counted: &Counted, sample: &Sample, rows: &[u32], study: &Study) -> Result<Fit, FitError> {
    match fit(counted, sample, rows, study) {
        Err(FitError::OutOfReach { .. }) => {
            fit(counted, sample, rows, &Study { decision: Deciding::default(), ..study.clone() })
        }
        other => other,
    }
}

/// The reviews as single words, none negated, and the study that learns from them.
fn singles(corpus: &Corpus, study: &Study) -> (Counted, Study) {
    let mut plainer = study.clone();
    plainer.terms = TermRules {
        words: Some((1, 1)),
        letters: None,
        stems: Stems::None,
        include: Vec::new(),
        exclude: Vec::new(),
        ..study.terms.clone()
    };
    plainer.model.strength = Strength::Auto;
    (Counted::new(&corpus.without_marks(), &plainer.terms), plainer)
}
