//! Learning a model.

use heddle_core::explain::{PlainWords, plain_words};
use heddle_core::labels::Polarity;
use heddle_core::learn::{Calibration, Learning, Stop};
use heddle_core::measure::{Figure, Figures, share};
use heddle_core::model::{Card, Fit, Model, Validated, fit_counts};
use heddle_core::resample::{Balance, PriorKind};
use heddle_core::settings::{Study, Value};
use heddle_core::terms::{Counted, Emphasis, KindFloor, Tallied};
use heddle_core::text::Document;
use heddle_files::{Input, Role, write_model};
use serde::Serialize;

use crate::aspects::aspects;
use crate::error::{Result, fail};
use crate::judgement::{Judgement, Places};
use crate::ledger::{NewEntry, folder_of};
use crate::probe::ShortProbes;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose, check_classes};
use crate::reviews::labelling::Account;
use crate::scoring::score_all;
use crate::session::Session;
use crate::stream::{Checkpoints, Progressive, fit_stream};
use crate::terms::model::{DOUBTED, WeighedTerm, doubtful, heaviest};
use crate::terms::parts::read_tally;
use crate::terms::{account_of, tallied};
use crate::training::TrainingSet;
use crate::validate::validated;

/// So many reviews of a file of any size are cross-validated: more tell hardly more, and these are kept in memory.
const MOST_VALIDATED: usize = 20_000;

/// What is learnt from, and where the model goes.
#[derive(Debug, Clone, Default)]
pub struct TrainOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where the model goes.
    pub out: String,
    /// Whether to cross-validate first, and keep the figures in the model.
    pub validate: bool,
    /// How many of the strongest terms of each class are told.
    pub top: usize,
    /// Where what is known on the way is kept, where rows are not kept.
    pub checkpoints: Option<Checkpoints>,
    /// Counts of terms that are learnt from in place of reviews.
    pub counts: Vec<String>,
}

/// What was learnt.
#[derive(Debug, Serialize)]
pub struct Trained {
    /// The model file.
    pub model: String,
    /// Its size.
    pub bytes: u64,
    /// What became of every row.
    pub account: Account,
    /// The settings that made it, in words where that is shorter.
    #[serde(flatten)]
    pub settings: TrainingSettings,
    /// Terms that were counted, kept or not.
    pub counted_terms: usize,
    /// The log-odds of a review without known terms.
    pub intercept: f64,
    /// What the model says of itself.
    pub card: Card,
    /// The strongest terms of each class, negative first.
    pub strongest: [Vec<WeighedTerm>; 2],
    /// The terms that speak most for neutral, where each class has weights of its own.
    pub to_neutral: Vec<WeighedTerm>,
    /// Heavy terms that should be looked at twice.
    pub doubtful: Vec<WeighedTerm>,
    /// What the model makes of the reviews between the classes; not told where rows are not kept.
    pub middle: Option<Middle>,
    /// How good the model is on the reviews that were held back from it, where rows came one after the other.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub held_back: Option<Figures>,
    /// How well reviews were called before they taught, where rows came one after the other and none was counted before.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub progressive: Option<Progressive>,
    /// Whether plainly good and plainly bad words pull as they should.
    pub plain_words: PlainWords,
    /// What it makes of sentences in which such words stand, plain and negated.
    pub probes: ShortProbes,
    /// What the cross-validated figures come to, where there are any.
    pub judgement: Option<Judgement>,
}

/// What a model was learnt by.
#[derive(Debug, Serialize)]
pub struct TrainingSettings {
    /// The rule for classes, in words.
    pub rule: String,
    /// The lengths of n-grams in words, as a study writes them.
    pub words: Value,
    /// The lengths of n-grams in letters.
    pub letters: Value,
    /// Whether stems stand beside the words.
    pub stems: bool,
    /// The fewest reviews that a term must stand in.
    pub at_least: u32,
    /// The same of kinds of terms that have another, as a study writes them.
    pub at_least_of: Vec<KindFloor>,
    /// Whether it is so low because reviews are few.
    pub few: bool,
    /// The SMART letters.
    pub weighting: String,
    /// Whether the study lets no word count.
    pub words_are_unread: bool,
    /// What weighs beside them.
    pub emphasis: Emphasis,
    /// How weights were learnt, in words.
    pub learner: String,
    /// What keeps weights small.
    pub penalty: heddle_core::learn::Penalty,
    /// What was done about classes of unequal size.
    pub balance: Balance,
    /// The class mix that probabilities speak of.
    pub probabilities: PriorKind,
}

/// Reviews between the classes, which the rule leaves out, as the model scores them.
#[derive(Debug, Serialize)]
pub struct Middle {
    /// How many there are.
    pub reviews: usize,
    /// The share of them that is called positive.
    pub called_positive: Figure,
    /// The mean of their probabilities of positive.
    pub mean_probability_of_positive: f64,
}

impl Middle {
    /// Scores the texts; nothing if there are none.
    pub(crate) fn new(model: &Model, texts: &[Document]) -> Option<Self> {
        let scores = score_all(model, texts);
        let positive = scores.iter().filter(|score| score.polarity() == Polarity::Positive).count();
        let sum: f64 = scores.iter().map(|score| score.probability(Polarity::Positive)).sum();
        (!scores.is_empty()).then(|| Self {
            reviews: scores.len(),
            called_positive: share(positive, scores.len()),
            mean_probability_of_positive: sum / scores.len() as f64,
        })
    }
}

/// Learns a model from labelled reviews and writes it.
///
/// # Errors
/// Reviews that cannot be read or learnt from, a locked holdout, or a model that cannot be written.
pub fn train(session: &Session, options: &TrainOptions) -> Result<Trained> {
    if !options.counts.is_empty() {
        return train_on_counts(options, session);
    }
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    if session.study().streams() {
        return train_on_stream(&input, options, session);
    }
    if options.checkpoints.is_some() {
        fail!(
            Options,
            "--checkpoint is for rows that are read one after the other: set model.learner=online and terms.hashed"
        );
    }
    let reviews = LabelledReviews::of(input, session, Kept::Needed, Purpose::Learn)?;
    let (training, fit, model) = learn(reviews, options.validate, session)?;
    let bytes = save(&model, &options.out, session)?;
    let mut trained = Trained::of((&options.out, bytes), &training, &fit, &model, options.top);
    trained.warn(session);
    trained.judge(&training.input, options, session)?;
    Ok(trained)
}

/// Learns a model from reviews, cross-validated first where that is asked for. The training set is left without its
/// matrix.
pub(crate) fn learn(
    reviews: LabelledReviews,
    validates: bool,
    session: &Session,
) -> Result<(TrainingSet, Fit, Model)> {
    let aspects = validates.then(|| aspects(&reviews, session)).transpose()?;
    let mut training = TrainingSet::new(reviews, session)?;
    let validated = aspects.map(|aspects| validated(&training, &aspects, session)).transpose()?;
    let fit = training.fit(session)?;
    training.counted.forget_rows();
    let model = training.model(&fit, validated);
    Ok((training, fit, model))
}

/// As [`train`], from rows that are not kept.
fn train_on_stream(input: &Input, options: &TrainOptions, session: &Session) -> Result<Trained> {
    options.checkpoints.iter().try_for_each(|own| own.check(&options.out))?;
    let streamed = fit_stream(input, session, options.checkpoints.as_ref())?;
    let validated =
        options.validate.then(|| validated_on_part(input, &streamed.account, session)).transpose()?;
    let model = streamed.model.with_validated(validated);
    let bytes = save(&model, &options.out, session)?;
    options.checkpoints.iter().for_each(Checkpoints::done);
    let learnt = Source { account: &streamed.account, counted: &streamed.counted, middle: None };
    let mut trained = Trained::new((&options.out, bytes), learnt, &streamed.fit, &model, options.top);
    (trained.progressive, trained.held_back) = (streamed.progressive, streamed.held_back);
    trained.warn(session);
    trained.judge(input, options, session)?;
    Ok(trained)
}

/// Cross-validates the settings on as many reviews as tell enough, drawn at random where there are more: these are kept.
fn validated_on_part(input: &Input, account: &Account, session: &Session) -> Result<Validated> {
    let (again, all) = (session.again(), account.labelled());
    let share = MOST_VALIDATED as f64 / all.max(1) as f64;
    let part = match share < 1.0 {
        true => input.clone().drawn(share, session.study().validation.seed),
        false => input.clone(),
    };
    let reviews = LabelledReviews::of(part, &again, Kept::Needed, Purpose::Learn)?;
    let aspects = aspects(&reviews, &again)?;
    let validated = validated(&TrainingSet::new(reviews, &again)?, &aspects, &again)?;
    Ok(Validated { drawn_from: (share < 1.0).then_some(all), ..validated })
}

/// As [`train`], from the counts of terms alone.
fn train_on_counts(options: &TrainOptions, session: &Session) -> Result<Trained> {
    let study = session.study();
    if !options.files.is_empty() || options.validate || options.checkpoints.is_some() {
        fail!(
            Options,
            "--counts learns from counts alone: leave out review files, --validate and --checkpoint"
        );
    }
    if let Some(asks) = study.needs_reviews() {
        fail!(
            Settings,
            "counts alone do not tell what {asks} asks for; docs/large-files.md says what can be learnt from them"
        );
    }
    let tally = read_tally(&options.counts, session)?;
    let tallied = tallied(&tally, study)?;
    let account = account_of(&tally, study);
    check_classes(&account)?;
    let fit = fit_counts(&tallied, study)?;
    let Tallied { corpus, counted, .. } = &tallied;
    let model = Model::new(corpus, counted, &fit, study, None);
    session.remark("note: counts hold no review to bring scores to log-odds by: verdicts stand, probabilities are too sure");
    let bytes = save(&model, &options.out, session)?;
    let learnt = Source { account: &account, counted, middle: None };
    let trained = Trained::new((&options.out, bytes), learnt, &fit, &model, options.top);
    trained.warn(session);
    Ok(trained)
}

/// Writes a model under its name; its size in bytes.
pub(crate) fn save(model: &Model, path: &str, session: &Session) -> Result<u64> {
    session.writes(Role::Model, path)?;
    let written = write_model(session.outputs(), path, model)?;
    session.commit()?;
    session.tell_lists();
    Ok(written.bytes)
}

/// What is told of the reviews that a model was learnt from.
pub(crate) struct Source<'s> {
    pub(crate) account: &'s Account,
    pub(crate) counted: &'s Counted,
    pub(crate) middle: Option<Middle>,
}

impl Trained {
    /// The account of a model that was written.
    pub(crate) fn of(
        written: (&str, u64),
        training: &TrainingSet,
        fit: &Fit,
        model: &Model,
        top: usize,
    ) -> Self {
        let learnt = Source {
            account: &training.account,
            counted: &training.counted,
            middle: Middle::new(model, training.middle()),
        };
        Self::new(written, learnt, fit, model, top)
    }

    pub(crate) fn new(
        (path, bytes): (&str, u64),
        learnt: Source<'_>,
        fit: &Fit,
        model: &Model,
        top: usize,
    ) -> Self {
        let study: &Study = model.study();
        let (rules, reviews) = (&learnt.counted.rules, fit.mix.iter().sum());
        let floor = rules.floor(reviews);
        // One pass over the terms for each class serves both lists.
        let of = |polarity: Polarity| heaviest(model, polarity, top.max(DOUBTED), |_| true);
        let [low, high] = Polarity::POLES;
        let mut strongest: [Vec<WeighedTerm>; 2] = rayon::join(|| of(low), || of(high)).into();
        let doubtful = doubtful(&strongest);
        strongest.iter_mut().for_each(|terms| terms.truncate(top));
        Self {
            model: path.into(),
            bytes,
            account: learnt.account.clone(),
            settings: TrainingSettings {
                rule: study.rule(learnt.account.by_name),
                words: setting(study, "terms.words"),
                letters: setting(study, "terms.letters"),
                stems: study.has_stems(),
                at_least: floor,
                at_least_of: rules.other_floors(reviews),
                few: study.terms.at_least.is_none() && floor == 1,
                words_are_unread: !study.features.text,
                weighting: study.terms.weighting.to_string(),
                emphasis: study.terms.emphasis,
                learner: learner_words(&study.model),
                penalty: study.model.penalty,
                balance: study.balance.method,
                probabilities: study.balance.probabilities,
            },
            counted_terms: learnt.counted.vocabulary.len(),
            intercept: fit.intercept,
            card: model.card().clone(),
            strongest,
            to_neutral: heaviest(model, Polarity::Neutral, top, |_| true),
            doubtful,
            middle: learnt.middle,
            held_back: None,
            progressive: None,
            plain_words: plain_words(model),
            probes: ShortProbes::of(model),
            judgement: None,
        }
    }

    /// Says what cross-validated figures come to, where there are any, and notes them.
    fn judge(&mut self, input: &Input, options: &TrainOptions, session: &Session) -> Result<()> {
        let Some(validated) = &self.card.validated else { return Ok(()) };
        let names = input.names().collect::<Vec<_>>().join(" ");
        let places = Places { training: &names, model: Some(&options.out), holdout: None };
        self.judgement = Some(Judgement::new(&validated.figures, None, places));
        session.note(NewEntry {
            command: "train",
            folder: folder_of(&options.out),
            input,
            model: Some(&options.out),
            counts: self.account.counts(),
            figures: &validated.figures,
            holdouts: &[],
        })
    }

    /// Warns where the learner did not come to its end, and where plain words pull the wrong way:
    /// classes may be swapped.
    pub(crate) fn warn(&self, session: &Session) {
        if matches!(self.card.calibration, Calibration::Scale { slope: 0.0, .. }) {
            session.remark("warning: scores of held-out reviews do not rise with their labels: the model knows the class mix alone, and leaves every review unsure");
        } else if self.card.pulling == 0 {
            session.remark("warning: no term pulls: the model knows the class mix alone, and leaves every review unsure; a smaller model.strength, or model.penalty=ridge, keeps terms");
        }
        if self.card.convergence.stop == Stop::Rounds {
            session.remark("warning: the learner did not converge, so its weights are not the best there are: raise model.strength or model.tolerance");
        }
        if self.plain_words.are_turned() {
            session.remark(&format!(
                "warning: plain words pull the wrong way ({}): do the codes of the classes mean what polarity.negative and polarity.positive say?",
                self.plain_words.against.join(", ")
            ));
        }
    }
}

/// How weights are learnt, in words.
pub fn learner_words(learning: &Learning) -> String {
    use heddle_core::Choice;
    use heddle_core::learn::{Events, Method};
    match (learning.learner, learning.events) {
        (Method::Logistic, _) => "logistic regression".into(),
        (Method::Svm, _) => format!("support vector machine ({} hinge)", learning.hinge.name()),
        (Method::Bayes, Events::Presence) => "naive Bayes on the presence of terms".into(),
        (Method::Bayes, events) => format!("{} naive Bayes", events.name()),
        (Method::Online, _) => "online logistic regression".into(),
    }
}

/// A setting as a study writes it.
fn setting(study: &Study, path: &str) -> Value {
    Study::key(path).map_or(Value::Flag(false), |key| key.get(study))
}
