//! Many settings on the same folds, ranked.

mod halving;
pub(crate) mod run;
mod runs;
mod search;
mod work;

use std::sync::Arc;

use heddle_core::Choice;
use heddle_core::measure::{Figure, Figures};
use heddle_core::settings::{Study, nearest};
use heddle_core::terms::Counted;
use heddle_core::validate::{
    CrossValidationResult, Measure, Nested, Ranking, chosen_elsewhere, nested, rank,
};
use serde::Serialize;

use crate::error::{Error, Result, fail};
use crate::new_study;
use crate::reviews::found::with_found_unless_varied;
use crate::reviews::labelled::{LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::variants::{Shared, Variant, combinations, kept, with_natural};
use crate::words::count;
pub use run::Run;
use runs::Runs;
pub use search::{AS_IT_IS, Searched};
use search::{Left, Search};
use work::Tuning;

/// A week.
const MOST_MINUTES: f64 = 10_080.0;

/// What is tried, and what the runs are ranked by.
#[derive(Debug, Clone, Default)]
pub struct TuneOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Settings with their values, as in "terms.words=1-1,1-2" or "model.strength=1e-6..1e-2/9".
    pub vary: Vec<String>,
    /// How many combinations are drawn at random; all are tried where it is not said.
    pub draws: Option<usize>,
    /// Whether runs begin with few training reviews, and only the better ones go on with more.
    pub halving: bool,
    /// Whether the choice itself is judged, by choosing anew inside each fold.
    pub nested: bool,
    /// What runs are ranked by.
    pub by: Measure,
    /// How many points of accuracy, or of the share that runs are ranked by, a simpler run may cost; none is looked
    /// for where it is not said.
    pub margin: Option<f64>,
    /// The file of runs: those that stand there are not done again.
    pub out: String,
    /// How many minutes are spent on settings that the program chooses itself, where none are varied.
    pub minutes: Option<f64>,
    /// Where the study of the best run goes, if anywhere; it must not be there yet.
    pub write_study: Option<String>,
}

/// What tuning found.
#[derive(Debug, Serialize)]
pub struct Tuned {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// What runs are ranked by.
    pub by: Measure,
    /// Folds.
    pub folds: usize,
    /// Repetitions of the folds.
    pub rounds: usize,
    /// The seed of the folds.
    pub seed: u64,
    /// Runs that were done on all training reviews, the best first.
    pub runs: Vec<Ranked>,
    /// Combinations that a first part of the reviews ruled out, the best first.
    pub stopped: Vec<String>,
    /// The name of the best run.
    pub best: String,
    /// The simplest run that is as good within a margin that was named.
    pub simplest: Option<String>,
    /// That margin, in points.
    pub margin: Option<f64>,
    /// What is ranked by, if it is chosen anew for each fold by the others: what the best of many promises, less
    /// what it owes to chance.
    pub chosen_elsewhere: Figure,
    /// How the search went, where the program chose what to try.
    pub searched: Option<Searched>,
    /// What the choice itself is worth, on reviews that played no role in it.
    pub nested: Option<NestedChoice>,
    /// Combinations that make no sense, with the reason.
    pub left_out: Vec<String>,
    /// Runs that stood in the file already.
    pub resumed: usize,
    /// The file of runs.
    pub noted: String,
    /// Where a picture was drawn.
    pub picture: Option<String>,
    /// Where the study of the best run was written.
    pub written: Option<String>,
}

/// One run in its place.
#[derive(Debug, Serialize)]
pub struct Ranked {
    /// The settings that were varied.
    pub name: String,
    /// How far it is behind the best in what is ranked by; above 0 is worse.
    pub behind: Figure,
    /// Its figures.
    #[serde(flatten)]
    pub result: CrossValidationResult,
    /// How long it took. Not part of the data: findings are the same whenever they are found.
    #[serde(skip)]
    pub seconds: f64,
    /// The size of the matrix that it learnt from.
    #[serde(skip)]
    pub bytes: usize,
}

/// What nested validation found.
#[derive(Debug, Serialize)]
pub struct NestedChoice {
    /// The figures of choosing.
    pub figures: Figures,
    /// What each fold chose.
    pub chosen: Vec<String>,
}

/// Cross-validates many settings on the same folds and ranks them. Each run is noted as soon as
/// it is done.
///
/// # Errors
/// Nothing to vary, reviews that cannot be read or learnt from, or a file of runs that cannot
/// be written.
pub fn tune(session: &Session, options: &TuneOptions) -> Result<Tuned> {
    check(options)?;
    let input = session.input(&options.files)?;
    let session = &with_found_unless_varied(session, &input, &options.vary)?;
    let (variants, left_out) = match options.minutes {
        None => combinations(&options.vary, options.draws, session)?,
        Some(_) => (Vec::new(), Vec::new()),
    };
    if let Some(first) = left_out.first() {
        let combinations = count(left_out.len(), "combination");
        session.remark(&format!("note: {combinations} left out, for they make no sense; {first}"));
    }
    let mut reviews = LabelledReviews::of(input, session, kept(&options.vary), Purpose::Learn)?;
    reviews.check_classes()?;
    reviews.tie_for(variants.iter().map(|variant| &variant.study), session)?;
    let data = reviews.input.digests()?.concat();
    let mut runs = Runs::open(&options.out, &data, session)?;
    let work = match options.minutes {
        None => {
            Work::varied(with_natural(variants, reviews.natural), options, (&reviews, session), &mut runs)?
        }
        Some(minutes) => {
            let search = Search { reviews: &reviews, session, runs: &mut runs, by: options.by, minutes };
            Work::of_search(search.go()?)
        }
    };
    let results: Vec<&CrossValidationResult> = work.finished.iter().map(|run| &run.result).collect();
    let Ranking { order, behind, simplest } =
        rank(&results, options.by, options.margin.map(|points| points / 100.0));
    let chosen_elsewhere = chosen_elsewhere(&results, options.by);
    let nested = match options.nested {
        true => Some(nest(&reviews, &work.variants, options.by, session)?),
        false => None,
    };
    let ranked = |&at: &usize| {
        let Run { name, result, seconds, bytes, .. } = work.finished[at].clone();
        Ranked { name, behind: behind[at], result, seconds, bytes }
    };
    let best = work.finished[order[0]].name.clone();
    if let Some(path) = &options.write_study {
        let winner = work.variants.iter().find(|variant| variant.name == best).expect("each run has a study");
        let mut study = winner.study.clone();
        study.balance.natural = session.study().balance.natural;
        if !options.files.is_empty() {
            study.reviews.files = options.files.clone();
        }
        new_study::write(session, path, study)?;
    }
    let study = session.study();
    Ok(Tuned {
        rule: study.rule(reviews.account.by_name),
        by: options.by,
        folds: study.validation.folds,
        rounds: study.validation.rounds,
        seed: study.validation.seed,
        best,
        simplest: simplest.map(|at| work.finished[at].name.clone()),
        margin: options.margin,
        runs: order.iter().map(ranked).collect(),
        chosen_elsewhere,
        searched: work.searched,
        stopped: work.stopped,
        nested,
        left_out,
        resumed: work.resumed,
        noted: options.out.clone(),
        picture: None,
        written: options.write_study.clone(),
        account: reviews.account,
    })
}

/// What cannot be asked for together, told before any work is done.
fn check(options: &TuneOptions) -> Result<()> {
    match options.minutes {
        None if options.vary.is_empty() => fail!(
            Options,
            "nothing is varied: name a setting and its values, as in --vary terms.words=1-1,1-2,1-3, or give the \
             program time to try what usually helps, as in --minutes 5"
        ),
        Some(minutes) if !(minutes > 0.0 && minutes <= MOST_MINUTES) => {
            fail!(Options, "--minutes {minutes}: expected a number above 0, up to {MOST_MINUTES}")
        }
        _ if options.margin.is_some_and(|points| !(points > 0.0 && points < 100.0)) => {
            fail!(
                Options,
                "--margin {}: expected points above 0, such as 0.5",
                options.margin.unwrap_or_default()
            )
        }
        _ => new_study::check_free(options.write_study.as_ref()),
    }
}

/// The runs that were done on all reviews, and what is known beside them.
struct Work {
    variants: Vec<Variant>,
    finished: Vec<Run>,
    stopped: Vec<String>,
    resumed: usize,
    searched: Option<Searched>,
}

impl Work {
    /// Runs what was asked for.
    fn varied(
        variants: Vec<Variant>,
        options: &TuneOptions,
        (reviews, session): (&LabelledReviews, &Session),
        runs: &mut Runs,
    ) -> Result<Self> {
        let mut tuning = Tuning { reviews, variants: &variants, session, runs, resumed: 0 };
        let (finished, stopped) = match options.halving {
            false => (tuning.all((0..variants.len()).collect(), 1.0)?, Vec::new()),
            true => tuning.halve(options.by)?,
        };
        let resumed = tuning.resumed;
        Ok(Self { variants, finished, stopped, resumed, searched: None })
    }

    fn of_search(left: Left) -> Self {
        let (variants, finished) = left.tried.into_iter().map(|one| (one.variant, one.run)).unzip();
        let (resumed, searched) = (left.resumed, Some(left.searched));
        Self { variants, finished, stopped: Vec::new(), resumed, searched }
    }
}

/// The figure of this name.
///
/// # Errors
/// If none of this name ranks runs.
pub fn measure(name: &str) -> Result<Measure> {
    Measure::from_name(name).ok_or_else(|| {
        let names = || Measure::ALL.iter().map(|measure| measure.name());
        let near = nearest(name, names()).map_or(String::new(), |near| format!("; did you mean `{near}`?"));
        Error::Options(format!(
            "--by {name}: no figure of this name ranks runs{near}; there are {}",
            names().collect::<Vec<_>>().join(", ")
        ))
    })
}

/// Chooses anew inside each fold, among all variants: those that halving stopped were part of the
/// choice too.
fn nest(
    reviews: &LabelledReviews,
    variants: &[Variant],
    by: Measure,
    session: &Session,
) -> Result<NestedChoice> {
    let mut counted: Vec<(Vec<usize>, Arc<Counted>)> = Vec::new();
    let wanted: Vec<usize> = (0..variants.len()).collect();
    Shared::new(variants).each(reviews, &wanted, session, |terms, _, path| {
        counted.push((path.places.clone(), Arc::clone(terms)));
        Ok(())
    })?;
    let of = |place: &usize| {
        let (_, terms) = counted.iter().find(|(places, _)| places.contains(place)).expect("each is counted");
        (&**terms, &variants[*place].study)
    };
    let settings: Vec<(&Counted, &Study)> = wanted.iter().map(of).collect();
    let validating = &session.study().validation;
    let task = session.progress("nested folds", validating.folds * validating.rounds);
    let found = nested(&settings, &reviews.sample, by, || task.advance(1));
    task.end();
    let Nested { figures, chosen } = found?;
    let chosen = chosen.into_iter().map(|at| variants[wanted[at]].name.clone()).collect();
    Ok(NestedChoice { figures, chosen })
}
