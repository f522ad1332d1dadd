//! A model learnt anew, with reviews that came since, in the place of the old one where it is no worse.

use std::collections::HashSet;
use std::path::Path;

use heddle_core::explain::{KindPassed, built_in_probes, passed_by_kind, probe};
use heddle_core::labels::Polarity;
use heddle_core::measure::Figure;
use heddle_core::model::Model;
use heddle_core::resample::side;
use heddle_core::validate::Difference;
use heddle_files::{Input, Role, digest, read_model_and_bytes, write_model};
use serde::Serialize;

use crate::compare::{Compared, compare_open};
use crate::error::{Result, fail};
use crate::ledger::{NewEntry, folder_of};
use crate::openings;
use crate::probe::mended_and_broken;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::scoring::decide;
use crate::session::Session;
use crate::stream::fit_stream;
use crate::train::learn;
use crate::unseen::unseen;
use crate::words::{count, number, percent, with_sign};

/// Fewer fresh reviews show nothing but a disaster.
const FEWEST: usize = 50;
/// Digits of a digest that tell the old model from others beside it.
const DIGITS: usize = 8;

/// Which model is learnt anew, and from what.
#[derive(Debug, Clone, Default)]
pub struct RenewOptions {
    /// The model in use.
    pub model: String,
    /// Labelled reviews to learn from: those of the old model, and those that came since.
    pub files: Vec<String>,
    /// Labelled reviews that none of the models learns from, to judge both by; a share of what the old model has not learnt
    /// from where none is named.
    pub fresh: Option<String>,
    /// Where the new model goes if it is no worse; in the place of the old one where nothing is named.
    pub out: Option<String>,
    /// Where it goes if it is worse.
    pub worse: Option<String>,
    /// Points of accuracy that it must be shown to lose less than; where nothing is named, it must not be shown to be worse.
    pub margin: Option<f64>,
    /// Where the reviews go that changed sides.
    pub changed: Option<String>,
}

/// What came of it.
#[derive(Debug, Serialize)]
pub struct Renewed {
    /// The model in use.
    pub model: String,
    /// Whether the new model is taken.
    pub taken: bool,
    /// Why, in a sentence.
    pub why: String,
    /// What became of the rows that were learnt from.
    pub account: Account,
    /// Training reviews whose text the old model has not learnt from.
    pub new_reviews: usize,
    /// The file of fresh reviews; missing where they were drawn from the others.
    pub fresh: Option<String>,
    /// Fresh reviews that both models were judged by.
    pub judged_by: usize,
    /// Both models on these, the old one first; its account is that of the fresh reviews.
    pub compared: Compared,
    /// Sentences of known meaning, before and after.
    pub probes: ProbesBeside,
    /// Where the new model is.
    pub written: Option<String>,
    /// Where the old one is kept.
    pub kept: Option<String>,
}

/// What two models make of the same sentences.
#[derive(Debug, Serialize)]
pub struct ProbesBeside {
    /// The share that the old model reads as expected.
    pub before: Figure,
    /// The share that the new one does.
    pub after: Figure,
    /// The old model by kind of sentence.
    pub kinds_before: Vec<KindPassed>,
    /// The new one.
    pub kinds_after: Vec<KindPassed>,
    /// Sentences that only the new one reads as expected.
    pub mended: Vec<String>,
    /// Sentences that only the old one does.
    pub broken: Vec<String>,
}

/// Learns a model anew by the settings of an old one, and judges both on the same fresh reviews. The new one takes the place
/// of the old one where it is not worse by more than noise; the old one is kept beside it.
///
/// It is worse where the interval of 95 % of the difference in accuracy, or in log loss, lies on the worse side of 0 as a
/// whole: of twenty new models that are as good as the old one, chance sends about one away. With a margin it must also be
/// shown that it loses less than so many points of accuracy: the interval must exclude more (non-inferiority).
///
/// # Errors
/// Files that cannot be read, settings that are not those of the model, too few fresh reviews, or a model that cannot be
/// written.
pub fn renew(session: &Session, options: &RenewOptions) -> Result<Renewed> {
    let old_path = options.model.as_str();
    let (mut old, bytes) = read_model_and_bytes(old_path)?;
    let session = &session.of_training(&old)?;
    decide(&mut old, old_path, session)?;
    let out = options.out.as_deref().unwrap_or(old_path);
    session.writes(Role::Model, out)?;
    options.worse.iter().try_for_each(|path| session.writes(Role::Model, path))?;
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let Sides { fresh, learnt } = match &options.fresh {
        Some(file) => named(file, &input, session)?,
        None => drawn(&input, &old, session)?,
    };
    let Learnt { model, account, new_reviews } = learnt.model(&old, session)?;
    let rows = unseen(&[&old, &model], &fresh, session)?;
    if rows.len() < FEWEST {
        fail!(
            Reviews,
            "{} that neither model has learnt from: at least {FEWEST} are needed to tell which is better; name a file of \
             labelled ones with --fresh",
            count(rows.len(), "fresh review")
        );
    }
    let opened = openings::open(&[old_path], &fresh, session)?;
    let pair = [("the old model", &old), ("the new model", &model)];
    let compared = compare_open(&pair, (&fresh, &rows), (options.changed.as_deref(), opened), session)?;
    let difference = compared.ways[1].difference.as_ref().expect("the second way is held against the first");
    let (taken, why) = judged(difference, &compared, options.margin);
    let mut renewed = Renewed {
        model: old_path.into(),
        taken,
        why,
        account,
        new_reviews,
        fresh: options.fresh.clone(),
        judged_by: rows.len(),
        probes: ProbesBeside::of(&old, &model),
        compared,
        written: None,
        kept: None,
    };
    renewed.write(&model, &bytes, (options, out), session)?;
    if let (Some(validated), Some(path)) = (&model.card().validated, &renewed.written) {
        session.note(NewEntry {
            command: "renew",
            folder: folder_of(path),
            input: &input,
            model: Some(path),
            counts: renewed.account.counts(),
            figures: &validated.figures,
            holdouts: &[],
        })?;
    }
    Ok(renewed)
}

/// Reviews that judge, and what is learnt from.
struct Sides {
    fresh: LabelledReviews,
    learnt: Source,
}

enum Source {
    Reviews(Box<LabelledReviews>),
    /// Rows that are not kept.
    Stream(Input),
}

/// A new model, and what it was learnt from.
struct Learnt {
    model: Model,
    account: Account,
    new_reviews: usize,
}

/// Fresh reviews stand in a file of their own.
fn named(file: &str, input: &Input, session: &Session) -> Result<Sides> {
    let own = session.input(&[file.to_string()])?;
    let fresh = LabelledReviews::of(own, session, Kept::Needed, Purpose::Try)?;
    let learnt = match session.study().streams() {
        true => Source::Stream(input.clone()),
        false => Source::Reviews(Box::new(LabelledReviews::of(
            input.clone(),
            session,
            Kept::Needed,
            Purpose::Learn,
        )?)),
    };
    Ok(Sides { fresh, learnt })
}

/// Fresh reviews are drawn from those that the old model has not learnt from, and whatever is tied to them. A review that
/// was drawn once is drawn again when more are added.
fn drawn(input: &Input, old: &Model, session: &Session) -> Result<Sides> {
    let study = session.study();
    if study.streams() {
        fail!(
            Options,
            "rows are read one after the other and not kept, so that none can be set aside: name a file of fresh labelled \
             reviews with --fresh"
        );
    }
    if old.learnt().is_empty() {
        fail!(
            Model,
            "the model does not know which reviews it was learnt from, so that it cannot be told which are new: name a file \
             of fresh labelled reviews with --fresh"
        );
    }
    let all = LabelledReviews::of(input.clone(), session, Kept::Needed, Purpose::Learn)?;
    all.check_classes()?;
    let groups = &all.sample.groups;
    let known: HashSet<u64> =
        (0..all.rows.len()).filter(|at| old.learnt().hold(all.keys[*at])).map(|at| groups[at]).collect();
    let share = study.validation.holdout;
    let shares = [1.0 - share, share];
    let new = |at: &u32| !known.contains(&groups[*at as usize]);
    let is_fresh = |at: &u32| side(groups[*at as usize], study.validation.seed, &shares) == 1;
    let rows: Vec<u32> = (0..all.rows.len() as u32).filter(new).collect();
    let fresh: Vec<u32> = rows.iter().copied().filter(is_fresh).collect();
    let poles = Polarity::POLES.map(|class| fresh.iter().any(|at| all.sample.labels[*at as usize] == class));
    if fresh.len() < FEWEST || poles.contains(&false) {
        fail!(
            Reviews,
            "{} of the {} are tied to nothing that the model has learnt from: a share of {:.0} % of them would be {} to \
             judge by, and {FEWEST} of both classes are needed; name more new files, or fresh labelled reviews with --fresh",
            number(rows.len()),
            count(all.rows.len(), "labelled review"),
            100.0 * share,
            number(fresh.len())
        );
    }
    let [training, fresh] = all.divided(&fresh, session)?;
    Ok(Sides { fresh, learnt: Source::Reviews(Box::new(training)) })
}

impl Source {
    /// The new model: validated where the old one was.
    fn model(self, old: &Model, session: &Session) -> Result<Learnt> {
        let reviews = match self {
            Self::Reviews(reviews) => *reviews,
            Self::Stream(input) => {
                let streamed = fit_stream(&input, session, None)?;
                let known = streamed.model.learnt().halves();
                let new = known.iter().filter(|half| old.learnt().halves().binary_search(half).is_err());
                let new_reviews = new.count();
                return Ok(Learnt { model: streamed.model, account: streamed.account, new_reviews });
            }
        };
        let reviewed = &reviews.keys[..reviews.rows.len()];
        let new_reviews = reviewed.iter().filter(|key| !old.learnt().hold(**key)).count();
        let (training, _, model) = learn(reviews, old.card().validated.is_some(), session)?;
        Ok(Learnt { model, account: training.account, new_reviews })
    }
}

/// Whether the new model is taken, and why.
fn judged(difference: &Difference, compared: &Compared, margin: Option<f64>) -> (bool, String) {
    let (accuracy, loss) = (&difference.accuracy, &difference.log_loss);
    let share = |way: usize| percent(compared.ways[way].figures.accuracy.value);
    let points = |value: Option<f64>| value.map_or("–".into(), |value| with_sign(100.0 * value, 1));
    let found = format!(
        "right in {} of fresh reviews where the old one is in {}, a difference of {} points ({} to {})",
        share(1),
        share(0),
        points(accuracy.value),
        points(accuracy.low),
        points(accuracy.high)
    );
    let less_right = accuracy.high.is_some_and(|high| high < 0.0);
    let less_sure = loss.low.is_some_and(|low| low > 0.0);
    let may_lose = margin.filter(|margin| !accuracy.low.is_some_and(|low| -low * 100.0 < *margin));
    let told = match (less_right, less_sure, may_lose) {
        (true, ..) => format!("The new model is worse: {found}."),
        (_, true, _) => {
            format!(
                "The new model is worse: its probabilities are (log loss {}); {found}.",
                with_sign(loss.value.unwrap_or(0.0), 4)
            )
        }
        (.., Some(margin)) => {
            format!("It is not shown that the new model loses less than {margin} points: {found}.")
        }
        _ => {
            let open = accuracy.low.filter(|low| *low < 0.0).map_or(String::new(), |low| {
                format!(" A loss of {:.1} points is not excluded.", -100.0 * low)
            });
            format!("The new model is no worse beyond noise: {found}.{open}")
        }
    };
    (!less_right && !less_sure && may_lose.is_none(), told)
}

impl ProbesBeside {
    fn of(old: &Model, new: &Model) -> Self {
        let probes = built_in_probes(new);
        let [then, now] = [old, new].map(|model| probe(model, &probes));
        let ((kinds_before, before), (kinds_after, after)) = (passed_by_kind(&then), passed_by_kind(&now));
        let [mended, broken] = mended_and_broken(&then, &now)
            .map(|places| places.into_iter().map(|at| now[at].probe.text.clone()).collect());
        Self { before, after, kinds_before, kinds_after, mended, broken }
    }
}

impl Renewed {
    /// Writes the new model to its place, and a copy of the old one beside it where that is the same.
    fn write(
        &mut self,
        model: &Model,
        old: &[u8],
        (options, out): (&RenewOptions, &str),
        session: &Session,
    ) -> Result<()> {
        let place = if self.taken { Some(out) } else { options.worse.as_deref() };
        let Some(place) = place else { return session.commit() };
        if self.taken && options.out.is_none() {
            let kept = beside(&self.model, &digest(old));
            session.writes(Role::Model, &kept)?;
            session.outputs().write(&kept, old)?;
            self.kept = Some(kept);
        }
        write_model(session.outputs(), place, model)?;
        session.commit()?;
        session.tell_lists();
        self.written = Some(place.into());
        Ok(())
    }
}

/// The name of an old model beside its successor: with the first digits of its digest.
fn beside(model: &str, digest: &str) -> String {
    let path = Path::new(model);
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let ending = path.extension().map_or(String::new(), |ending| format!(".{}", ending.to_string_lossy()));
    path.with_file_name(format!("{stem}-{}{ending}", &digest[..DIGITS])).display().to_string()
}
