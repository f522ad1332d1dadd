//! The keys of a study file: the one list behind reading, showing, explaining and writing
//! settings.

use std::sync::LazyLock;

use super::{Strength, Study};
use crate::choice::Choice;
use crate::polarity::Values;
use crate::terms::rules::{Bound, LONGEST};
use crate::terms::weigh::Weighting;

/// A value as a study file holds it.
#[derive(Debug, Clone, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(untagged)]
pub enum Value {
    /// `true` or `false`.
    Flag(bool),
    /// A number.
    #[serde(serialize_with = "put_number")]
    Number(f64),
    /// A text.
    Text(String),
    /// A list of texts.
    List(Vec<String>),
}

/// Writes 2 rather than 2.0.
fn put_number<S: serde::Serializer>(number: &f64, serializer: S) -> Result<S::Ok, S::Error> {
    if number.fract() == 0.0 && number.abs() < 9.0e15 {
        serializer.serialize_i64(*number as i64)
    } else {
        serializer.serialize_f64(*number)
    }
}

impl std::fmt::Display for Value {
    /// As it would stand in a study file.
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let quoted = |text: &String| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
        match self {
            Self::Flag(flag) => write!(out, "{flag}"),
            Self::Number(number) => write!(out, "{number}"),
            Self::Text(text) => write!(out, "{}", quoted(text)),
            Self::List(items) => write!(out, "[{}]", items.iter().map(quoted).collect::<Vec<_>>().join(", ")),
        }
    }
}

type Get = Box<dyn Fn(&Study) -> Value + Send + Sync>;
type Put = Box<dyn Fn(&mut Study, &Value) -> Option<()> + Send + Sync>;

/// One setting.
pub struct Key {
    /// Section and name, as in `text.case`.
    pub path: &'static str,
    /// What it does, in one line.
    pub about: &'static str,
    /// The values it takes, in words.
    pub expects: String,
    get: Get,
    put: Put,
}

impl Key {
    /// The value in force.
    pub fn get(&self, study: &Study) -> Value {
        (self.get)(study)
    }

    /// Changes the setting.
    ///
    /// # Errors
    /// A sentence that says which values are possible, if `value` is none of them.
    pub fn set(&self, study: &mut Study, value: &Value) -> Result<(), String> {
        let wrong = || format!("{} = {value} is not possible: expected {}", self.path, self.expects);
        (self.put)(study, value).ok_or_else(wrong)
    }

    fn new(
        path: &'static str,
        expects: impl Into<String>,
        about: &'static str,
        get: impl Fn(&Study) -> Value + Send + Sync + 'static,
        put: impl Fn(&mut Study, &Value) -> Option<()> + Send + Sync + 'static,
    ) -> Self {
        Self { path, about, expects: expects.into(), get: Box::new(get), put: Box::new(put) }
    }

    fn choice<C: Choice + Send + Sync>(
        path: &'static str,
        about: &'static str,
        place: fn(&mut Study) -> &mut C,
    ) -> Self {
        let names: Vec<String> = C::ALL.iter().map(|value| format!("\"{}\"", value.name())).collect();
        Self::new(
            path,
            names.join(" or "),
            about,
            move |study| Value::Text((*place(&mut study.clone())).name().into()),
            move |study, value| {
                *place(study) = C::from_name(text(value)?)?;
                Some(())
            },
        )
    }

    fn number(
        path: &'static str,
        expects: &'static str,
        about: &'static str,
        get: fn(&Study) -> f64,
        put: fn(&mut Study, f64) -> Option<()>,
    ) -> Self {
        Self::new(
            path,
            expects,
            about,
            move |study| Value::Number(get(study)),
            move |study, value| match value {
                Value::Number(number) => put(study, *number),
                _ => None,
            },
        )
    }

    fn column(
        path: &'static str,
        about: &'static str,
        get: fn(&Study) -> &Option<String>,
        put: fn(&mut Study, Option<String>),
    ) -> Self {
        let shown = move |study: &Study| Value::Text(get(study).clone().unwrap_or_default());
        Self::new(path, "the name of a column, or \"\" for none", about, shown, move |study, value| {
            put(study, Some(text(value)?.to_string()).filter(|name| !name.is_empty()));
            Some(())
        })
    }

    fn names(path: &'static str, about: &'static str, place: fn(&mut Study) -> &mut Vec<String>) -> Self {
        Self::new(
            path,
            "a name or a list of names",
            about,
            move |study| Value::List(place(&mut study.clone()).clone()),
            move |study, value| {
                *place(study) = list(value)?;
                Some(())
            },
        )
    }

    fn values(path: &'static str, about: &'static str, place: fn(&mut Study) -> &mut Values) -> Self {
        Self::new(
            path,
            "numbers, ranges such as \"1-2\" and words, separated by commas",
            about,
            move |study| Value::Text(place(&mut study.clone()).to_string()),
            move |study, value| {
                let written = match value {
                    Value::Number(number) => number.to_string(),
                    other => list(other)?.join(","),
                };
                *place(study) = Values::parse(&written).ok()?;
                Some(())
            },
        )
    }
}

fn text(value: &Value) -> Option<&str> {
    match value {
        Value::Text(text) => Some(text),
        _ => None,
    }
}

fn list(value: &Value) -> Option<Vec<String>> {
    match value {
        Value::List(items) => Some(items.clone()),
        Value::Text(text) => {
            Some(text.split(',').map(str::trim).filter(|item| !item.is_empty()).map(String::from).collect())
        }
        _ => None,
    }
}

fn whole(number: f64, range: std::ops::RangeInclusive<f64>) -> Option<f64> {
    (number.fract() == 0.0 && range.contains(&number)).then_some(number)
}

/// Reads "20%" or 0.2 as 0.2; at most 1.
fn share(value: &Value) -> Option<f64> {
    let share = match value {
        Value::Number(number) => *number,
        Value::Text(text) => text.trim().strip_suffix('%')?.trim().parse::<f64>().ok()? / 100.0,
        _ => return None,
    };
    (share > 0.0 && share <= 1.0).then_some(share)
}

fn percent(share: f64) -> Value {
    Value::Text(format!("{}%", share * 100.0))
}

/// Every key, in the order of a study file.
pub static KEYS: LazyLock<Vec<Key>> = LazyLock::new(|| {
    [review_keys(), polarity_keys(), text_keys(), negation_keys(), term_keys(), learning_keys()]
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
    ]
}

fn polarity_keys() -> Vec<Key> {
    vec![
        Key::values("polarity.negative", "values of displeased customers", |s| &mut s.polarity.negative),
        Key::values("polarity.positive", "values of pleased customers", |s| &mut s.polarity.positive),
        Key::choice("polarity.middle", "what becomes of numbers between the two", |s| &mut s.polarity.middle),
        Key::values("polarity.missing", "values that mean no rating was given", |s| &mut s.polarity.missing),
    ]
}

fn text_keys() -> Vec<Key> {
    vec![
        Key::choice("text.case", "capital letters", |s| &mut s.text.case),
        Key::new(
            "text.contractions",
            "true or false",
            "whether \"isn't\" becomes \"is\" and \"not\"",
            |study| Value::Flag(study.text.contractions),
            |study, value| match value {
                Value::Flag(flag) => {
                    study.text.contractions = *flag;
                    Some(())
                }
                _ => None,
            },
        ),
        Key::choice("text.elongation", "stretched words: \"sooooo\" becomes \"soo\"", |s| {
            &mut s.text.elongation
        }),
        Key::choice("text.numbers", "numbers, prices and times", |s| &mut s.text.numbers),
        Key::choice("text.links", "web and mail addresses", |s| &mut s.text.links),
        Key::choice("text.emoticons", "emoticons and emoji", |s| &mut s.text.emoticons),
        Key::choice("text.punctuation", "exclamation and question marks", |s| &mut s.text.punctuation),
    ]
}

fn negation_keys() -> Vec<Key> {
    vec![
        Key::choice("negation.scope", "where the reach of a negator ends", |s| &mut s.negation.scope),
        Key::number(
            "negation.reach",
            "a whole number from 1 to 1000",
            "the longest scope, in words",
            |s| s.negation.reach.into(),
            |s, number| {
                s.negation.reach = whole(number, 1.0..=1000.0)? as u32;
                Some(())
            },
        ),
        Key::choice("negation.style", "a negated word counts as marked, or as marked and plain", |s| {
            &mut s.negation.style
        }),
    ]
}

fn term_keys() -> Vec<Key> {
    vec![
        Key::new(
            "terms.words",
            format!("a length such as \"1\" or a range such as \"1-2\", at most {LONGEST}"),
            "n-gram lengths, in words",
            |study| {
                let (shortest, longest) = study.terms.words;
                let single = shortest == longest;
                Value::Text(if single { shortest.to_string() } else { format!("{shortest}-{longest}") })
            },
            |study, value| {
                let written = match value {
                    Value::Number(number) => number.to_string(),
                    other => text(other)?.to_string(),
                };
                let (low, high) = written.split_once('-').unwrap_or((&written, &written));
                let range = (low.trim().parse().ok()?, high.trim().parse().ok()?);
                study.terms.words =
                    Some(range).filter(|(low, high)| 1 <= *low && low <= high && *high <= LONGEST)?;
                Some(())
            },
        ),
        Key::new(
            "terms.weighting",
            "three SMART letters: n, l or b; n, t or p; n or c",
            "term factor, document factor and normalisation",
            |study| Value::Text(study.terms.weighting.to_string()),
            |study, value| {
                study.terms.weighting = Weighting::parse(text(value)?)?;
                Some(())
            },
        ),
        Key::number(
            "terms.at_least",
            "a whole number from 1",
            "a term found in fewer training reviews is left out",
            |s| s.terms.at_least.into(),
            |s, number| {
                s.terms.at_least = whole(number, 1.0..=f64::from(u32::MAX))? as u32;
                Some(())
            },
        ),
        Key::new(
            "terms.at_most",
            "a number of reviews, or a share such as \"50%\"",
            "a term found in more training reviews is left out",
            |study| match study.terms.at_most {
                Bound::Reviews(count) => Value::Number(count.into()),
                Bound::Share(share) => percent(share),
            },
            |study, value| {
                study.terms.at_most = match value {
                    Value::Number(number) => {
                        Bound::Reviews(whole(*number, 1.0..=f64::from(u32::MAX))? as u32)
                    }
                    other => Bound::Share(share(other)?),
                };
                Some(())
            },
        ),
    ]
}

fn learning_keys() -> Vec<Key> {
    vec![
        Key::choice("balance.method", "classes of unequal size, in training rows only", |s| &mut s.balance),
        Key::new(
            "model.strength",
            "\"auto\" or a number above 0",
            "lambda of mean loss + lambda x ridge penalty",
            |study| match study.model.strength {
                Strength::Auto => Value::Text("auto".into()),
                Strength::Fixed(lambda) => Value::Number(lambda),
            },
            |study, value| {
                study.model.strength = match value {
                    Value::Number(lambda) if *lambda > 0.0 && lambda.is_finite() => Strength::Fixed(*lambda),
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

/// The name in `names` that is closest to `name`, if any is close: at most a third of its
/// letters differ. Ties go to the earlier one.
pub fn nearest<'a>(name: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let distance = |other: &str| edit_distance(&name.to_lowercase(), &other.to_lowercase());
    let (best, found) = names.into_iter().map(|other| (distance(other), other)).min_by_key(|(d, _)| *d)?;
    (best * 3 <= found.chars().count().max(name.chars().count()) + 2).then_some(found)
}

/// Levenshtein's distance, in characters.
fn edit_distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, from) in a.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        for (j, to) in b.iter().enumerate() {
            let change = diagonal + usize::from(from != *to);
            diagonal = row[j + 1];
            row[j + 1] = change.min(row[j] + 1).min(diagonal + 1);
        }
    }
    row[b.len()]
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
        study.polarity.check()?;
        Ok(study)
    }
}
