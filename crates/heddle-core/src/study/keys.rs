//! The keys of a study file: the one list behind reading, showing, explaining and writing
//! settings.

use std::sync::LazyLock;

use super::Study;
use super::form::Limits;
use super::key::{Key, Value, percent, share, text, whole};
use super::near::nearest;
use super::text_keys::{negation_keys, term_keys, text_keys};
use crate::learn::settings::Strength;

/// Every key, in the order of a study file.
pub static KEYS: LazyLock<Vec<Key>> = LazyLock::new(|| {
    [
        review_keys(),
        form_keys(),
        polarity_keys(),
        text_keys(),
        negation_keys(),
        term_keys(),
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
        Key::names("reviews.files", "files to read where the command names none, seen from the study", |s| {
            &mut s.reviews.files
        }),
        Key::names("reviews.text", "the columns that hold the text", |s| &mut s.reviews.text),
        Key::choice("reviews.fields", "the terms of several text columns: the same, or kept apart", |s| {
            &mut s.reviews.fields
        }),
        Key::new(
            "reviews.stars",
            "the name of a column",
            "the column of the rating",
            |study| Value::Text(study.reviews.stars.clone()),
            |study, value| {
                study.reviews.stars = Some(text(value)?.to_string()).filter(|name| !name.is_empty())?;
                Some(())
            },
        ),
        Key::column(
            "reviews.label",
            "a column of classes, in place of the rating",
            |s| &s.reviews.label,
            |s, name| s.reviews.label = name,
        ),
        Key::column(
            "reviews.id",
            "the column that names a row",
            |s| &s.reviews.id,
            |s, name| s.reviews.id = name,
        ),
        Key::names("reviews.together", "rows that share a value here stay on one side of a split", |s| {
            &mut s.reviews.together
        }),
        Key::column(
            "reviews.date",
            "the column of the date",
            |s| &s.reviews.date,
            |s, name| s.reviews.date = name,
        ),
        Key::names(
            "reviews.beside",
            "columns beside the text, for slices and a baseline without text",
            |s| &mut s.reviews.beside,
        ),
        Key::choice("reviews.dates", "how 3/4/2025 is read", |s| &mut s.reviews.dates),
    ]
}

/// How files are written. They belong to the files, not to what is learnt from them: a
/// model does not carry them along.
fn form_keys() -> Vec<Key> {
    vec![
        Key::choice("reviews.format", "the format of the files", |s| &mut s.reviews.form.format),
        Key::new(
            "reviews.delimiter",
            "\"auto\", \"tab\" or one character such as \";\"",
            "what stands between two fields",
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
        ),
        Key::choice("reviews.header", "whether the first row holds names", |s| &mut s.reviews.form.header),
        Key::choice("reviews.quotes", "what a double quote means", |s| &mut s.reviews.form.quotes),
        Key::choice("reviews.encoding", "how characters are written as bytes", |s| {
            &mut s.reviews.form.encoding
        }),
        Key::new(
            "reviews.mark",
            "a regular expression whose first group is the class, or \"\" for none",
            "what stands before the text of a line",
            |study| Value::Text(study.reviews.form.mark.clone().unwrap_or_default()),
            |study, value| {
                let mark = text(value)?.to_string();
                study.reviews.form.mark = Some(mark).filter(|mark| !mark.is_empty());
                Some(())
            },
        ),
        limit(
            "reviews.row_limit",
            "a whole number of MiB, at most 2000",
            "the longest row that is read",
            2000.0,
            |limits| &mut limits.row,
        ),
        limit(
            "reviews.column_limit",
            "a whole number, at most 1000000",
            "the most columns that are read",
            1e6,
            |limits| &mut limits.columns,
        ),
        limit(
            "reviews.unpack_limit",
            "a whole number, at most 1000000",
            "how many times its packed size a file may unpack to",
            1e6,
            |limits| &mut limits.unpacking,
        ),
    ]
}

fn limit(
    path: &'static str,
    expects: &'static str,
    about: &'static str,
    most: f64,
    place: fn(&mut Limits) -> &mut u64,
) -> Key {
    Key::new(
        path,
        expects,
        about,
        move |study| Value::Number(*place(&mut study.reviews.form.limits.clone()) as f64),
        move |study, value| {
            let Value::Number(number) = value else { return None };
            *place(&mut study.reviews.form.limits) = whole(*number, 1.0..=most)? as u64;
            Some(())
        },
    )
}

fn polarity_keys() -> Vec<Key> {
    vec![
        Key::values("polarity.negative", "values of displeased customers", |s| &mut s.polarity.negative),
        Key::values("polarity.positive", "values of pleased customers", |s| &mut s.polarity.positive),
        Key::values("polarity.neutral", "values of a third class", |s| &mut s.polarity.neutral),
        Key::choice("polarity.middle", "what becomes of other numbers between them", |s| {
            &mut s.polarity.middle
        }),
        Key::values("polarity.missing", "values that mean no rating was given", |s| &mut s.polarity.missing),
    ]
}

fn balance_keys() -> Vec<Key> {
    vec![
        Key::choice("balance.method", "classes of unequal size, in training rows only", |s| {
            &mut s.balance.method
        }),
        Key::number(
            "balance.ratio",
            "a number above 0, at most 1",
            "how large smaller classes are made against the largest",
            |s| s.balance.ratio,
            |s, number| {
                s.balance.ratio = Some(number).filter(|number| *number > 0.0 && *number <= 1.0)?;
                Some(())
            },
        ),
        Key::choice("balance.probabilities", "the class mix that probabilities speak of", |s| {
            &mut s.balance.probabilities
        }),
        Key::new(
            "balance.natural",
            "\"auto\" or a share below 100%, such as \"12%\"",
            "the share of negative reviews where the model will be used",
            |study| study.balance.natural.map_or(Value::Text("auto".into()), percent),
            |study, value| {
                study.balance.natural = match value {
                    Value::Text(text) if text == "auto" => None,
                    other => Some(share(other).filter(|share| *share < 1.0)?),
                };
                Some(())
            },
        ),
    ]
}

fn model_keys() -> Vec<Key> {
    vec![
        Key::choice("model.learner", "how weights are learnt", |s| &mut s.model.learner),
        Key::choice("model.penalty", "what keeps weights small", |s| &mut s.model.penalty),
        Key::new(
            "model.lasso_share",
            "a share below 100%, such as \"50%\"",
            "the lasso's part of an elastic penalty",
            |study| percent(study.model.lasso_share),
            |study, value| {
                study.model.lasso_share = share(value).filter(|share| *share < 1.0)?;
                Some(())
            },
        ),
        Key::choice("model.hinge", "the loss of a support vector machine", |s| &mut s.model.hinge),
        Key::choice("model.events", "what naive Bayes counts", |s| &mut s.model.events),
        Key::number(
            "model.smoothing",
            "a number above 0",
            "naive Bayes: added to every count",
            |s| s.model.smoothing,
            |s, number| {
                s.model.smoothing = Some(number).filter(|number| *number > 0.0 && number.is_finite())?;
                Some(())
            },
        ),
        Key::number(
            "model.passes",
            "a whole number from 1",
            "online: passes over the reviews",
            |s| f64::from(s.model.passes),
            |s, number| {
                s.model.passes = whole(number, 1.0..=1e4)? as u32;
                Some(())
            },
        ),
        Key::choice("model.calibration", "how scores become log-odds", |s| &mut s.model.calibration),
        Key::new(
            "model.strength",
            "\"auto\" or a number from 1e-12 to 1e12",
            "lambda of mean loss + lambda x penalty",
            |study| match study.model.strength {
                Strength::Auto => Value::Text("auto".into()),
                Strength::Fixed(lambda) => Value::Number(lambda),
            },
            |study, value| {
                study.model.strength = match value {
                    Value::Number(lambda) if (1e-12..=1e12).contains(lambda) => Strength::Fixed(*lambda),
                    Value::Text(text) if text == "auto" => Strength::Auto,
                    _ => return None,
                };
                Some(())
            },
        ),
        Key::number(
            "model.tolerance",
            "a number above 0 and below 1",
            "the relative duality gap at which learning stops",
            |s| s.model.tolerance,
            |s, number| {
                s.model.tolerance = Some(number).filter(|number| *number > 0.0 && *number < 1.0)?;
                Some(())
            },
        ),
    ]
}

fn validation_keys() -> Vec<Key> {
    vec![
        Key::new(
            "validation.holdout",
            "a share below 100%, such as \"20%\"",
            "the share of reviews locked away for the last test",
            |study| percent(study.validation.holdout),
            |study, value| {
                study.validation.holdout = share(value).filter(|share| *share < 1.0)?;
                Some(())
            },
        ),
        Key::new(
            "validation.development",
            "a share below 100%, such as \"10%\"; \"0%\" for none",
            "the share of a third part, to choose settings on",
            |study| percent(study.validation.development),
            |study, value| {
                study.validation.development = match value {
                    Value::Number(number) if *number == 0.0 => 0.0,
                    Value::Text(text) if text == "0%" => 0.0,
                    other => share(other).filter(|share| *share < 1.0)?,
                };
                Some(())
            },
        ),
        Key::choice("validation.by", "how the holdout is drawn", |s| &mut s.validation.by),
        Key::choice("validation.sides", "rows never change sides, or the mix is exact", |s| {
            &mut s.validation.sides
        }),
        Key::new(
            "validation.alike",
            "a share above 50%, such as \"80%\"; \"100%\" for equal texts only",
            "texts so much alike stay on one side",
            |study| percent(study.validation.alike),
            |study, value| {
                study.validation.alike = share(value).filter(|share| *share >= 0.5)?;
                Some(())
            },
        ),
        Key::number(
            "validation.folds",
            "a whole number from 2",
            "the number of folds",
            |s| s.validation.folds as f64,
            |s, number| {
                s.validation.folds = whole(number, 2.0..=1e6)? as usize;
                Some(())
            },
        ),
        Key::choice("validation.order", "how folds are made", |s| &mut s.validation.order),
        Key::number(
            "validation.rounds",
            "a whole number from 1",
            "repetitions of all folds, each with a new shuffle",
            |s| s.validation.rounds as f64,
            |s, number| {
                s.validation.rounds = whole(number, 1.0..=1e3)? as usize;
                Some(())
            },
        ),
        Key::number(
            "validation.seed",
            "a whole number from 0",
            "the seed of every draw",
            |s| s.validation.seed as f64,
            |s, number| {
                s.validation.seed = whole(number, 0.0..=9_007_199_254_740_992.0)? as u64;
                Some(())
            },
        ),
    ]
}

fn decision_keys() -> Vec<Key> {
    const COST: &str = "a number above 0";
    fn cost(number: f64) -> Option<f64> {
        Some(number).filter(|number| *number > 0.0 && number.is_finite())
    }
    vec![
        Key::number(
            "decision.cost_missed_negative",
            COST,
            "what it costs to call a negative review positive",
            |s| s.decision.cost_missed_negative,
            |s, number| {
                s.decision.cost_missed_negative = cost(number)?;
                Some(())
            },
        ),
        Key::number(
            "decision.cost_false_alarm",
            COST,
            "what it costs to call a positive review negative",
            |s| s.decision.cost_false_alarm,
            |s, number| {
                s.decision.cost_false_alarm = cost(number)?;
                Some(())
            },
        ),
        Key::share_or_none(
            "decision.recall_negative",
            "the share of negative reviews that is to be found",
            |s| &mut s.decision.recall_negative,
        ),
        Key::share_or_none(
            "decision.precision_negative",
            "the share of those called negative that is to be right",
            |s| &mut s.decision.precision_negative,
        ),
        Key::share_or_none(
            "decision.unsure",
            "the share of each class that must not be called the other; what is too near is unsure",
            |s| &mut s.decision.unsure,
        ),
    ]
}

impl Study {
    /// The key of this path.
    ///
    /// # Errors
    /// A sentence that names the nearest key there is.
    pub fn key(path: &str) -> Result<&'static Key, String> {
        KEYS.iter().find(|key| key.path == path).ok_or_else(|| {
            let name = |path: &'static str| path.rsplit_once('.').map_or(path, |(_, name)| name);
            // "weighting" alone is as near as "terms.weighing".
            let near = nearest(path, KEYS.iter().map(|key| key.path)).or_else(|| {
                KEYS.iter()
                    .find(|key| name(key.path) == path.rsplit('.').next().unwrap_or(path))
                    .map(|key| key.path)
            });
            match near {
                Some(near) => format!("there is no setting `{path}`; did you mean `{near}`?"),
                None => format!("there is no setting `{path}`; `heddle study show` lists all of them"),
            }
        })
    }

    /// Every setting in force, by path.
    pub fn settings(&self) -> Vec<(String, Value)> {
        KEYS.iter().map(|key| (key.path.to_string(), key.get(self))).collect()
    }

    /// The study of these settings over the defaults.
    ///
    /// # Errors
    /// The first unknown path or impossible value, in a sentence.
    pub fn from_settings(settings: &[(String, Value)]) -> Result<Self, String> {
        let mut study = Self::default();
        for (path, value) in settings {
            Self::key(path)?.set(&mut study, value)?;
        }
        study.check()?;
        Ok(study)
    }
}
