//! One setting: how it is read, shown and changed.

use super::Study;
use crate::choice::Choice;
use crate::polarity::Values;

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
type Put = Box<dyn Fn(&mut Study, &Value) -> Result<(), Wrong> + Send + Sync>;

/// Why a value is none of those that a key takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Wrong {
    /// It is of another kind, or out of bounds: what the key expects tells all.
    Unexpected,
    /// More can be said.
    Because(String),
}

/// A file of lines that stands for a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lines {
    /// A first line that only names the columns.
    pub header: &'static str,
    /// Values that are no names of files.
    pub words: &'static [&'static str],
}

/// One setting.
pub struct Key {
    /// Section and name, as in `text.case`.
    pub path: &'static str,
    /// What it does, in one line.
    pub about: &'static str,
    /// The values it takes, in words.
    pub expects: String,
    /// What a file of lines holds, where the name of one may stand for them.
    pub lines: Option<Lines>,
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
        (self.put)(study, value).map_err(|wrong| {
            let expected = format!("{} = {value} is not possible: expected {}", self.path, self.expects);
            match wrong {
                Wrong::Unexpected => expected,
                Wrong::Because(reason) => format!("{expected}; {reason}"),
            }
        })
    }

    pub(super) fn new(
        path: &'static str,
        expects: impl Into<String>,
        about: &'static str,
        get: impl Fn(&Study) -> Value + Send + Sync + 'static,
        put: impl Fn(&mut Study, &Value) -> Option<()> + Send + Sync + 'static,
    ) -> Self {
        Self::told(path, expects, about, get, move |study, value| put(study, value).ok_or(Wrong::Unexpected))
    }

    /// As [`new`](Self::new), where more can be said of a value that is not possible.
    fn told(
        path: &'static str,
        expects: impl Into<String>,
        about: &'static str,
        get: impl Fn(&Study) -> Value + Send + Sync + 'static,
        put: impl Fn(&mut Study, &Value) -> Result<(), Wrong> + Send + Sync + 'static,
    ) -> Self {
        Self { path, about, expects: expects.into(), lines: None, get: Box::new(get), put: Box::new(put) }
    }

    /// A list of lines, or a file that holds them.
    pub(super) fn lines(
        path: &'static str,
        header: &'static str,
        about: &'static str,
        place: fn(&mut Study) -> &mut Vec<String>,
    ) -> Self {
        let key = Self::new(
            path,
            format!("\"none\", a list of lines such as \"{header}\", or a file of them"),
            about,
            move |study| match place(&mut study.clone()) {
                lines if lines.is_empty() => Value::Text("none".into()),
                lines => Value::List(lines.clone()),
            },
            move |study, value| {
                *place(study) = match value {
                    Value::List(lines) => lines.clone(),
                    Value::Text(text) if text == "none" => Vec::new(),
                    Value::Text(line) => vec![line.clone()],
                    _ => return None,
                };
                Some(())
            },
        );
        key.or_file(header, &["none"])
    }

    /// The name of a file of lines may stand for the value, unless it is one of `words`.
    pub(super) fn or_file(self, header: &'static str, words: &'static [&'static str]) -> Self {
        Self { lines: Some(Lines { header, words }), ..self }
    }

    /// A range of lengths, or none.
    pub(super) fn lengths(
        path: &'static str,
        most: usize,
        about: &'static str,
        place: fn(&mut Study) -> &mut Option<(usize, usize)>,
    ) -> Self {
        Self::new(
            path,
            format!("a length such as \"1\", a range such as \"1-2\", at most {most}, or \"none\""),
            about,
            move |study| {
                Value::Text(match *place(&mut study.clone()) {
                    None => "none".into(),
                    Some((low, high)) if low == high => low.to_string(),
                    Some((low, high)) => format!("{low}-{high}"),
                })
            },
            move |study, value| {
                let written = match value {
                    Value::Number(number) => number.to_string(),
                    other => text(other)?.to_string(),
                };
                *place(study) = if written == "none" {
                    None
                } else {
                    let (low, high) = written.split_once('-').unwrap_or((&written, &written));
                    let range = (low.trim().parse().ok()?, high.trim().parse().ok()?);
                    Some(range).filter(|(low, high)| 1 <= *low && low <= high && *high <= most)?.into()
                };
                Some(())
            },
        )
    }

    pub(super) fn choice<C: Choice + Send + Sync>(
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

    /// A share below 1, or none.
    pub(super) fn share_or_none(
        path: &'static str,
        about: &'static str,
        place: fn(&mut Study) -> &mut Option<f64>,
    ) -> Self {
        Self::new(
            path,
            "\"none\" or a share below 100%, such as \"90%\"",
            about,
            move |study| (*place(&mut study.clone())).map_or(Value::Text("none".into()), percent),
            move |study, value| {
                *place(study) = match value {
                    Value::Text(text) if text == "none" => None,
                    other => Some(share(other).filter(|share| *share < 1.0)?),
                };
                Some(())
            },
        )
    }

    pub(super) fn number(
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

    pub(super) fn column(
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

    pub(super) fn names(
        path: &'static str,
        about: &'static str,
        place: fn(&mut Study) -> &mut Vec<String>,
    ) -> Self {
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

    pub(super) fn values(
        path: &'static str,
        about: &'static str,
        place: fn(&mut Study) -> &mut Values,
    ) -> Self {
        Self::told(
            path,
            "numbers, ranges such as \"1-2\" and words, separated by commas",
            about,
            move |study| Value::Text(place(&mut study.clone()).to_string()),
            move |study, value| {
                let written = match value {
                    Value::Number(number) => number.to_string(),
                    other => list(other).ok_or(Wrong::Unexpected)?.join(","),
                };
                *place(study) = Values::parse(&written).map_err(Wrong::Because)?;
                Ok(())
            },
        )
    }
}

pub(super) fn text(value: &Value) -> Option<&str> {
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

pub(super) fn whole(number: f64, range: std::ops::RangeInclusive<f64>) -> Option<f64> {
    (number.fract() == 0.0 && range.contains(&number)).then_some(number)
}

/// Reads "20%" or 0.2 as 0.2; at most 1.
pub(super) fn share(value: &Value) -> Option<f64> {
    let share = match value {
        Value::Number(number) => *number,
        Value::Text(text) => text.trim().strip_suffix('%')?.trim().parse::<f64>().ok()? / 100.0,
        _ => return None,
    };
    (share > 0.0 && share <= 1.0).then_some(share)
}

pub(super) fn percent(share: f64) -> Value {
    // Rounded, so that 0.29 shows as 29% and not as 28.999999999999996%.
    Value::Text(format!("{}%", (share * 1e12).round() / 1e10))
}
