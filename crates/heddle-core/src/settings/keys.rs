//! The keys of a study file: the one list behind reading, showing, explaining and writing
//! settings.

use std::sync::LazyLock;

use super::error::SettingError;
use super::key::{FORMER, Key, at, text, whole};
use super::kind::{Kind, Range};
use super::near::nearest;
use super::study::Study;
use super::text_keys::{feature_keys, negation_keys, term_keys, text_keys};
use super::value::Value;
use crate::labels::polarity::Polarity;
use crate::learn::settings::Strength;
use crate::resample::side::By;

/// Every key, in the order of a study file.
pub static KEYS: LazyLock<Vec<Key>> = LazyLock::new(|| {
    [
        review_keys(),
        form_keys(),
        polarity_keys(),
        text_keys(),
        negation_keys(),
        term_keys(),
        feature_keys(),
        balance_keys(),
        model_keys(),
        validation_keys(),
        decision_keys(),
    ]
    .into_iter()
    .flatten()
    .collect()
});

fn review_keys() -> Vec<Key> {
    vec![
        Key::names(
            "reviews.files",
            "files to read where the command names none, seen from the study",
            at!(reviews.files),
        ),
        Key::names("reviews.text", "the columns that hold the text", at!(reviews.text)),
        Key::choice(
            "reviews.fields",
            "the terms of several text columns: the same, or kept apart",
            at!(reviews.fields),
        ),
        Key::new(
            "reviews.stars",
            "the column of the rating",
            Kind::Column { optional: false },
            |study| Value::Text(study.reviews.stars.clone()),
            |study, value| {
                study.reviews.stars = Some(text(value)?.to_string()).filter(|name| !name.is_empty())?;
                Some(())
            },
        ),
        Key::column("reviews.label", "a column of classes, in place of the rating", at!(reviews.label)),
        Key::column("reviews.id", "the column that names a row", at!(reviews.id)),
        Key::column(
            "reviews.copy_of",
            "the column that names, in a copy (rephrased or translated), the row that it is a copy of",
            at!(reviews.copy_of),
        ),
        Key::names(
            "reviews.together",
            "rows that share a value here stay on one side of a split",
            at!(reviews.together),
        ),
        Key::column("reviews.date", "the column of the date", at!(reviews.date)),
        Key::names(
            "reviews.beside",
            "columns beside the text, for slices and a baseline without text",
            at!(reviews.beside),
        ),
        Key::choice("reviews.dates", "how 3/4/2025 is read", at!(reviews.dates)),
        Key::conditions(
            "reviews.keep",
            "conditions that rows are kept by, such as \"channel = web\", \"words >= 3\", \"posted < 2025-11-01\", \"language = English\", \"repeated = no\"",
            at!(reviews.keep),
        ),
    ]
}

/// How files are written. They belong to the files, not to what is learnt from them: a
/// model does not carry them along.
fn form_keys() -> Vec<Key> {
    vec![
        Key::choice("reviews.format", "the format of the files", at!(reviews.form.format)),
        delimiter_key(),
        Key::whole_or(
            "reviews.skip",
            "lines above the names of the columns that are passed over",
            ("auto", 0..=1_000_000),
            at!(reviews.form.skip),
        ),
        Key::column(
            "reviews.sheet",
            "the sheet of a workbook; the first where none is named",
            at!(reviews.form.sheet),
        ),
        Key::choice("reviews.header", "whether the first row holds names", at!(reviews.form.header)),
        Key::choice("reviews.quotes", "what a double quote means", at!(reviews.form.quotes)),
        Key::choice("reviews.encoding", "how characters are written as bytes", at!(reviews.form.encoding)),
        mark_key(),
        Key::whole(
            "reviews.row_limit",
            "the longest row that is read, in MiB",
            1..=2000,
            at!(reviews.form.limits.row),
        ),
        Key::whole(
            "reviews.column_limit",
            "the most columns that are read",
            1..=1_000_000,
            at!(reviews.form.limits.columns),
        ),
        Key::whole(
            "reviews.unpack_limit",
            "how many times its packed size a file may unpack to",
            1..=1_000_000,
            at!(reviews.form.limits.unpacking),
        ),
    ]
}

fn delimiter_key() -> Key {
    Key::new(
        "reviews.delimiter",
        "what stands between two fields",
        Kind::Either(vec![
            Kind::Choice(vec!["auto", "tab"]),
            Kind::Form { about: "one character such as \";\"", pattern: "^[^\"\\r\\n]$" },
        ]),
        |study| {
            Value::Text(match study.reviews.form.delimiter {
                None => "auto".into(),
                Some(b'\t') => "tab".into(),
                Some(byte) => (byte as char).into(),
            })
        },
        |study, value| {
            study.reviews.form.delimiter = match text(value)? {
                "auto" => None,
                "tab" | "\t" => Some(b'\t'),
                other => match other.as_bytes() {
                    [byte] if byte.is_ascii() && !b"\"\r\n".contains(byte) => Some(*byte),
                    _ => return None,
                },
            };
            Some(())
        },
    )
}

fn mark_key() -> Key {
    Key::new(
        "reviews.mark",
        "what stands before the text of a line",
        Kind::Form {
            about: "a regular expression whose first group is the class, or \"\" for none",
            pattern: "",
        },
        |study| Value::Text(study.reviews.form.mark.clone().unwrap_or_default()),
        |study, value| {
            let mark = text(value)?.to_string();
            study.reviews.form.mark = Some(mark).filter(|mark| !mark.is_empty());
            Some(())
        },
    )
}

fn polarity_keys() -> Vec<Key> {
    vec![
        Key::ratings("polarity.negative", "values of displeased customers", at!(polarity.negative)),
        Key::ratings("polarity.positive", "values of pleased customers", at!(polarity.positive)),
        Key::ratings("polarity.neutral", "values of a third class", at!(polarity.neutral)),
        Key::ratings(
            "polarity.between",
            "words between the two, beside the numbers there",
            at!(polarity.between),
        ),
        Key::choice("polarity.middle", "what becomes of what is between them", at!(polarity.middle)),
        Key::ratings("polarity.missing", "values that mean no rating was given", at!(polarity.missing)),
        name_key("polarity.negative_name", "what the negative class is called", Polarity::Negative),
        name_key("polarity.positive_name", "what the positive class is called", Polarity::Positive),
        name_key("polarity.neutral_name", "what the third class is called", Polarity::Neutral),
        Key::new(
            "polarity.open",
            "questions that are still to be answered; nothing is learnt while there is one",
            Kind::Names,
            |study| Value::List(study.open.clone()),
            |study, value| {
                study.open = match value {
                    Value::List(questions) => questions.clone(),
                    Value::Text(question) if question.is_empty() => Vec::new(),
                    Value::Text(question) => vec![question.clone()],
                    _ => return None,
                };
                Some(())
            },
        ),
    ]
}

fn name_key(path: &'static str, about: &'static str, class: Polarity) -> Key {
    Key::new(
        path,
        about,
        Kind::Form { about: "a name, or \"\" for what it is", pattern: "" },
        move |study| Value::Text(study.polarity.names.own(class).unwrap_or_default().into()),
        move |study, value| {
            study.polarity.names.set(class, text(value)?);
            Some(())
        },
    )
}

fn balance_keys() -> Vec<Key> {
    vec![
        Key::choice("balance.method", "classes of unequal size, in training rows only", at!(balance.method)),
        Key::number(
            "balance.ratio",
            "how large smaller classes are made against the largest",
            Range::UP_TO_ONE,
            at!(balance.ratio),
        ),
        Key::choice(
            "balance.probabilities",
            "the class mix that probabilities speak of",
            at!(balance.probabilities),
        ),
        Key::share_or(
            "balance.natural",
            "the share of negative reviews where the model will be used",
            "auto",
            at!(balance.natural),
        ),
    ]
}

/// What lambda may be.
const LAMBDAS: Range = Range { least: 1e-12, above: false, most: 1e12, below: false };

fn model_keys() -> Vec<Key> {
    vec![
        Key::choice("model.learner", "how weights are learnt", at!(model.learner)),
        Key::choice("model.penalty", "what keeps weights small", at!(model.penalty)),
        Key::share(
            "model.lasso_share",
            "the lasso's part of an elastic penalty",
            Range::BELOW_ONE,
            at!(model.lasso_share),
        ),
        Key::choice("model.hinge", "the loss of a support vector machine", at!(model.hinge)),
        Key::choice("model.events", "what naive Bayes counts", at!(model.events)),
        Key::number(
            "model.smoothing",
            "naive Bayes: added to every count",
            Range::POSITIVE,
            at!(model.smoothing),
        ),
        Key::whole("model.epochs", "online: passes over the reviews", 1..=10000, at!(model.epochs)),
        Key::choice("model.calibration", "how scores become log-odds", at!(model.calibration)),
        Key::choice(
            "model.ratios",
            "class ratios of terms: blended into the weights by held-out loss, or not",
            at!(model.ratios),
        ),
        Key::new(
            "model.strength",
            "lambda of mean loss + lambda x penalty",
            Kind::Either(vec![Kind::Choice(vec!["auto"]), Kind::Number(LAMBDAS)]),
            |study| match study.model.strength {
                Strength::Auto => Value::Text("auto".into()),
                Strength::Fixed(lambda) => Value::Number(lambda),
            },
            |study, value| {
                study.model.strength = match value {
                    Value::Number(lambda) if LAMBDAS.contains(*lambda) => Strength::Fixed(*lambda),
                    Value::Text(text) if text == "auto" => Strength::Auto,
                    _ => return None,
                };
                Some(())
            },
        ),
        Key::choice(
            "model.classes",
            "how three classes are told apart: on one axis, or each by its own weights",
            at!(model.classes),
        ),
        Key::number(
            "model.copies",
            "what the copies of a review (reviews.copy_of) count together, times the review itself; 0: they teach nothing",
            Range::UP_TO_THOUSAND,
            at!(model.copies),
        ),
        Key::number(
            "model.tolerance",
            "the relative duality gap at which learning stops",
            Range::BELOW_ONE,
            at!(model.tolerance),
        ),
    ]
}

/// The last row that may be named.
const ROWS: u64 = 1_000_000_000;

fn validation_keys() -> Vec<Key> {
    vec![
        Key::share(
            "validation.holdout",
            "the share of reviews locked away for the last test",
            Range::BELOW_ONE,
            at!(validation.holdout),
        ),
        Key::share(
            "validation.development",
            "the share of a third part, to choose settings on; 0% for none",
            Range { above: false, ..Range::BELOW_ONE },
            at!(validation.development),
        ),
        Key::new(
            "validation.by",
            "what decides on the holdout: chance, the latest rows, those from a day or a row on, or a column",
            Kind::Either(vec![
                Kind::Choice(vec!["random", "latest"]),
                Kind::Whole { least: 1, most: ROWS },
                Kind::Form {
                    about: "a day such as \"2025-06-01\", or a column that names the part",
                    pattern: "^.+$",
                },
            ]),
            |study| Value::Text(study.validation.by.to_string()),
            |study, value| {
                study.validation.by = match value {
                    Value::Number(_) => By::FromRow(whole(value, &(1..=ROWS))?),
                    other => By::of(text(other)?)?,
                };
                Some(())
            },
        ),
        Key::choice(
            "validation.sides",
            "rows never change sides, or the mix is exact",
            at!(validation.sides),
        ),
        Key::share(
            "validation.alike",
            "texts that share so many of their words, in order, stay on one side; 100% for equal texts only",
            Range { least: 0.5, above: false, ..Range::UP_TO_ONE },
            at!(validation.alike),
        ),
        Key::whole("validation.folds", "the number of folds", 2..=1000000, at!(validation.folds)),
        Key::choice("validation.order", "how folds are made", at!(validation.order)),
        Key::whole(
            "validation.rounds",
            "repetitions of all folds, each with a new shuffle",
            1..=1000,
            at!(validation.rounds),
        ),
        Key::whole(
            "validation.slices_from",
            "slices of fewer reviews are not shown",
            2..=1_000_000,
            at!(validation.slices_from),
        ),
        Key::whole("validation.seed", "the seed of every draw", 0..=9007199254740992, at!(validation.seed)),
    ]
}

fn decision_keys() -> Vec<Key> {
    vec![
        Key::number(
            "decision.cost_missed_negative",
            "what it costs to miss a negative review",
            Range::POSITIVE,
            at!(decision.cost_missed_negative),
        ),
        Key::number(
            "decision.cost_false_alarm",
            "what it costs to call another review negative",
            Range::POSITIVE,
            at!(decision.cost_false_alarm),
        ),
        Key::share_or(
            "decision.recall_negative",
            "the share of negative reviews that is to be found",
            "none",
            at!(decision.recall_negative),
        ),
        Key::share_or(
            "decision.precision_negative",
            "the share of those called negative that is to be right",
            "none",
            at!(decision.precision_negative),
        ),
        Key::share_or(
            "decision.unsure",
            "the share of each class that must not be called another; what is too near is unsure",
            "none",
            at!(decision.unsure),
        ),
    ]
}

impl Study {
    /// The setting of this path.
    ///
    /// # Errors
    /// If there is none; the error names the nearest.
    pub fn key(path: &str) -> Result<&'static Key, SettingError> {
        KEYS.iter().find(|key| key.path == path).ok_or_else(|| {
            let renamed = FORMER.iter().find(|(former, _)| *former == path).map(|(_, now)| *now);
            let near = || nearest(path, KEYS.iter().map(|key| key.path));
            // "weighting" alone is as near as "terms.weighing".
            let name = |path: &str| path.rsplit_once('.').map_or(path.to_string(), |(_, name)| name.into());
            let same = || KEYS.iter().map(|key| key.path).find(|own| name(own) == name(path));
            SettingError::Unknown { path: path.into(), nearest: renamed.or_else(same).or_else(near) }
        })
    }

    /// Every setting in force, by path.
    pub fn settings(&self) -> Vec<(String, Value)> {
        KEYS.iter().map(|key| (key.path.to_string(), key.get(self))).collect()
    }

    /// The study of these settings over the defaults, as a file keeps them.
    ///
    /// # Errors
    /// The first unknown path or impossible value.
    pub fn from_settings(settings: &[(String, Value)]) -> Result<Self, SettingError> {
        let mut study = Self::default();
        for (path, value) in settings {
            let now = FORMER.iter().find(|(former, _)| former == path).map_or(path.as_str(), |(_, now)| now);
            Self::key(now)?.set(&mut study, value)?;
        }
        study.model = study.model.without_idle();
        study.check()?;
        Ok(study)
    }
}
