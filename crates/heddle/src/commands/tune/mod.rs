//! Many settings on the same folds, ranked.

mod page;
mod picture;
mod runs;

use std::time::Instant;

use anyhow::{anyhow, bail};
use heddle_core::{
    Choice, Corpus, Counted, Figure, Figures, Measure, Nested, Ranking, Study, Trial, nearest, nested, rank,
    try_out,
};
use serde::Serialize;

use crate::args::TuneArgs;
use crate::commands::learn::told;
use crate::commands::variants::{Shared, Variant, combinations};
use crate::desk::Desk;
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use crate::view::count;
use runs::{Run, Runs};

/// What tuning found.
#[derive(Serialize)]
struct Tuned {
    account: Account,
    rule: String,
    by: Measure,
    folds: usize,
    rounds: usize,
    seed: u64,
    /// Runs that were done on all training reviews, the best first.
    runs: Vec<Ranked>,
    /// Combinations that a first part of the reviews ruled out, the best first.
    stopped: Vec<String>,
    /// The name of the best run.
    best: String,
    /// The simplest run within noise of the best.
    simplest: String,
    /// What the choice itself is worth, on reviews that played no role in it.
    nested: Option<NestedChoice>,
    /// Combinations that make no sense, with the reason.
    left_out: Vec<String>,
    /// Runs that stood in the file already.
    resumed: usize,
    noted: String,
    picture: Option<String>,
    /// Not part of the data: figures are the same in every run of the program.
    #[serde(skip)]
    costs: Vec<(f64, usize)>,
    #[serde(skip)]
    top: usize,
}

/// One run in its place.
#[derive(Serialize)]
struct Ranked {
    name: String,
    /// How far it is behind the best in what is ranked by; above 0 is worse.
    behind: Figure,
    #[serde(flatten)]
    trial: Trial,
}

/// What nested validation found.
#[derive(Serialize)]
struct NestedChoice {
    figures: Figures,
    /// What each fold chose.
    chosen: Vec<String>,
}

/// Tunes.
pub fn run(args: &TuneArgs, desk: &Desk) -> anyhow::Result<usize> {
    let by = measure(&args.by)?;
    if args.varied.vary.is_empty() {
        bail!("nothing is varied: name a setting and its values, as in --vary terms.words=1-1,1-2,1-3");
    }
    let (variants, left_out) = combinations(&args.varied.vary, args.draws, desk)?;
    if !left_out.is_empty() {
        let (combinations, first) = (count(left_out.len(), "combination"), &left_out[0]);
        desk.remark(&format!("note: {combinations} left out, for they make no sense; {first}"));
    }
    let text_varies = args.varied.vary.iter().any(|vary| vary.starts_with("reviews."));
    let kept = if text_varies { Kept::All } else { Kept::Needed };
    let intake = Intake::read(&args.files, desk, kept, Purpose::Learn)?;
    intake.check_classes()?;
    let variants = with_natural(variants, intake.natural);
    let data = intake.input.digests()?;
    let mut runs = Runs::open(&args.out, &data.concat(), desk)?;
    let mut tuning = Tuning { intake: &intake, variants: &variants, desk, runs: &mut runs, resumed: 0 };
    let (finished, stopped) = match args.halving {
        false => (tuning.all((0..variants.len()).collect(), 1.0)?, Vec::new()),
        true => tuning.halve(by)?,
    };
    let resumed = tuning.resumed;
    let names: Vec<&str> = finished.iter().map(|run| run.name.as_str()).collect();
    let trials: Vec<&Trial> = finished.iter().map(|run| &run.trial).collect();
    let ranking = rank(&trials, by);
    let nested = match args.nested {
        true => Some(nest(&intake, &variants, by, desk)?),
        false => None,
    };
    if let Some(path) = &args.picture {
        picture::scene(&names, &trials, &ranking, by).write(desk.outputs(), path)?;
    }
    let Ranking { order, behind, simplest } = ranking;
    let ranked = |&at: &usize| Ranked {
        name: finished[at].name.clone(),
        behind: behind[at],
        trial: finished[at].trial.clone(),
    };
    let study = desk.study();
    let tuned = Tuned {
        account: intake.account.clone(),
        rule: study.polarity.to_string(),
        by,
        folds: study.validation.folds,
        rounds: study.validation.rounds,
        seed: study.validation.seed,
        best: names[order[0]].into(),
        simplest: names[simplest].into(),
        costs: order.iter().map(|&at| (finished[at].seconds, finished[at].bytes)).collect(),
        runs: order.iter().map(ranked).collect(),
        stopped,
        nested,
        left_out,
        resumed,
        noted: args.out.clone(),
        picture: args.picture.clone(),
        top: args.top,
    };
    desk.answer("tune", &tuned)?;
    Ok(tuned.account.refused)
}

/// The figure of this name.
pub fn measure(name: &str) -> anyhow::Result<Measure> {
    Measure::from_name(name).ok_or_else(|| {
        let names = || Measure::ALL.iter().map(|measure| measure.name());
        let near = nearest(name, names()).map_or(String::new(), |near| format!("; did you mean `{near}`?"));
        anyhow!(
            "--by {name}: no figure of this name ranks runs{near}; there are {}",
            names().collect::<Vec<_>>().join(", ")
        )
    })
}

/// Where the files say which class mix is natural, every study knows it.
pub fn with_natural(mut variants: Vec<Variant>, natural: Option<f64>) -> Vec<Variant> {
    for variant in &mut variants {
        let own = &mut variant.study.balance.natural;
        *own = own.or(natural);
    }
    variants
}

/// The work of tuning.
struct Tuning<'a> {
    intake: &'a Intake,
    variants: &'a [Variant],
    desk: &'a Desk,
    runs: &'a mut Runs,
    resumed: usize,
}

impl Tuning<'_> {
    /// Runs these variants, those apart that were run before. In the order given.
    fn all(&mut self, places: Vec<usize>, share: f64) -> anyhow::Result<Vec<Run>> {
        let mut done: Vec<Option<Run>> =
            places.iter().map(|&place| self.runs.find(&self.variants[place].study, share)).collect();
        self.resumed += done.iter().flatten().count();
        let open: Vec<usize> =
            places.iter().zip(&done).filter(|(_, run)| run.is_none()).map(|(place, _)| *place).collect();
        let validating = &self.desk.study().validation;
        let bar = self.desk.progress("folds", open.len() * validating.folds * validating.rounds);
        bar.tick();
        let (intake, variants, runs) = (self.intake, self.variants, &mut *self.runs);
        Shared::new(variants).each(intake, &open, |_: &Corpus, counted: &Counted, study: &Study, path| {
            let begun = Instant::now();
            let finished = || bar.inc(path.places.len() as u64);
            let trials = try_out(counted, &intake.sample, study, &path.strengths, share, finished);
            let trials = trials.map_err(|error| {
                let names: Vec<&str> = path.places.iter().map(|&at| variants[at].name.as_str()).collect();
                told(error).context(names.join("; "))
            })?;
            let seconds = begun.elapsed().as_secs_f64() / trials.len() as f64;
            let bytes = counted.rows.entries() * size_of::<heddle_core::Entry>();
            for (&place, trial) in path.places.iter().zip(trials) {
                let Variant { name, study } = &variants[place];
                let run = runs.add(study, Run { name: name.clone(), share, trial, seconds, bytes })?;
                bar.println(page::told_run(&run));
                let at = places.iter().position(|other| *other == place).expect("it was asked for");
                done[at] = Some(run);
            }
            Ok(())
        })?;
        bar.finish_and_clear();
        Ok(done.into_iter().flatten().collect())
    }

    /// Successive halving, by thirds: all variants learn from a small share of the training
    /// reviews, the better third from three times as many, until those that are left learn from
    /// all. Jamieson and Talwalkar (2016), "Non-stochastic best arm identification and
    /// hyperparameter optimization", AISTATS, <https://proceedings.mlr.press/v51/jamieson16.html>.
    fn halve(&mut self, by: Measure) -> anyhow::Result<(Vec<Run>, Vec<String>)> {
        /// Of fewer reviews nothing can be learnt that lasts.
        const FEWEST: f64 = 300.0;
        let reviews = self.intake.rows.len() as f64;
        let mut rungs = 0i32;
        let left = |rungs: i32| self.variants.len() as f64 / 3f64.powi(rungs);
        while left(rungs) > 3.0 && reviews / 3f64.powi(rungs + 1) >= FEWEST {
            rungs += 1;
        }
        let mut places: Vec<usize> = (0..self.variants.len()).collect();
        let mut stopped = Vec::new();
        for rung in (1..=rungs).rev() {
            let runs = self.all(places.clone(), 3f64.powi(-rung))?;
            let trials: Vec<&Trial> = runs.iter().map(|run| &run.trial).collect();
            let order = rank(&trials, by).order;
            let keep = places.len().div_ceil(3);
            let out: Vec<String> = order[keep..].iter().map(|&at| runs[at].name.clone()).collect();
            stopped = [out, stopped].concat();
            places = order[..keep].iter().map(|&at| places[at]).collect();
            places.sort_unstable();
        }
        Ok((self.all(places, 1.0)?, stopped))
    }
}

/// Chooses anew inside each fold, among all variants: those that halving stopped were part of the
/// choice too.
fn nest(intake: &Intake, variants: &[Variant], by: Measure, desk: &Desk) -> anyhow::Result<NestedChoice> {
    let mut counted: Vec<(Vec<usize>, Counted)> = Vec::new();
    let wanted: Vec<usize> = (0..variants.len()).collect();
    Shared::new(variants).each(intake, &wanted, |_, terms, _, path| {
        counted.push((path.places.clone(), terms.clone()));
        Ok(())
    })?;
    let of = |place: &usize| {
        let (_, terms) = counted.iter().find(|(places, _)| places.contains(place)).expect("each is counted");
        (terms, &variants[*place].study)
    };
    let settings: Vec<(&Counted, &Study)> = wanted.iter().map(of).collect();
    let validating = &desk.study().validation;
    let bar = desk.progress("nested folds", validating.folds * validating.rounds);
    bar.tick();
    let found = nested(&settings, &intake.sample, by, || bar.inc(1));
    bar.finish_and_clear();
    let Nested { figures, chosen } = found.map_err(told)?;
    let chosen = chosen.into_iter().map(|at| variants[wanted[at]].name.clone()).collect();
    Ok(NestedChoice { figures, chosen })
}
