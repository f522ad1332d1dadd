//! One setting: how it is read, shown and changed.

use std::ops::RangeInclusive;

use super::condition::Condition;
use super::error::SettingError;
use super::kind::{Kind, Range};
use super::study::Study;
use super::value::Value;
use crate::choice::Choice;
use crate::labels::values::Values;

/// Why a value is not taken, where more can be said than what is expected.
type Reason = Option<String>;
/// Reads one of several, or says in a sentence why it cannot.
type Reads<T> = fn(&str) -> Result<T, String>;
type Get = Box<dyn Fn(&Study) -> Value + Send + Sync>;
type Put = Box<dyn Fn(&mut Study, &Value) -> Result<(), Reason> + Send + Sync>;

/// Where a setting is kept.
pub(super) struct Place<T: 'static> {
    pub get: fn(&Study) -> &T,
    pub put: fn(&mut Study) -> &mut T,
}

/// The place of a field of a study, as in `at!(text.case)`.
macro_rules! at {
    ($($field:ident).+) => {
        $crate::settings::key::Place { get: |study| &study.$($field).+, put: |study| &mut study.$($field).+ }
    };
}
pub(super) use at;

/// Names that settings had in earlier versions: files that were written then stay readable.
pub(super) const FORMER: [(&str, &str); 1] = [("model.passes", "model.epochs")];

/// One setting.
pub struct Key {
    /// Section and name, as in `text.case`.
    pub path: &'static str,
    /// What it does, in one line.
    pub about: &'static str,
    /// The values it takes.
    pub kind: Kind,
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
    /// If `value` is none that it takes.
    pub fn set(&self, study: &mut Study, value: &Value) -> Result<(), SettingError> {
        (self.put)(study, value).map_err(|reason| SettingError::Value {
            key: self.path,
            value: value.clone(),
            expected: self.kind.expects(),
            reason,
        })
    }

    /// A setting of its own kind.
    pub(super) fn new(
        path: &'static str,
        about: &'static str,
        kind: Kind,
        get: impl Fn(&Study) -> Value + Send + Sync + 'static,
        put: impl Fn(&mut Study, &Value) -> Option<()> + Send + Sync + 'static,
    ) -> Self {
        let put: Put = Box::new(move |study, value| put(study, value).ok_or(None));
        Self { path, about, kind, get: Box::new(get), put }
    }

    /// A setting whose field is shown and read by two functions.
    fn of<T>(
        path: &'static str,
        about: &'static str,
        kind: Kind,
        place: Place<T>,
        (show, read): (
            impl Fn(&T) -> Value + Send + Sync + 'static,
            impl Fn(&Value) -> Option<T> + Send + Sync + 'static,
        ),
    ) -> Self {
        let Place { get, put } = place;
        Self::new(
            path,
            about,
            kind,
            move |study| show(get(study)),
            move |study, value| {
                *put(study) = read(value)?;
                Some(())
            },
        )
    }

    pub(super) fn choice<C: Choice + Send + Sync>(
        path: &'static str,
        about: &'static str,
        place: Place<C>,
    ) -> Self {
        let kind = Kind::Choice(C::ALL.iter().map(|value| value.name()).collect());
        let show = |value: &C| Value::Text(value.name().into());
        Self::of(path, about, kind, place, (show, |value: &Value| C::from_name(text(value)?)))
    }

    pub(super) fn flag(path: &'static str, about: &'static str, place: Place<bool>) -> Self {
        let read = |value: &Value| match value {
            Value::Flag(flag) => Some(*flag),
            _ => None,
        };
        Self::of(path, about, Kind::Flag, place, (|flag: &bool| Value::Flag(*flag), read))
    }

    pub(super) fn whole<N: TryFrom<u64> + Copy + Into<Whole>>(
        path: &'static str,
        about: &'static str,
        range: RangeInclusive<u64>,
        place: Place<N>,
    ) -> Self {
        let kind = Kind::Whole { least: *range.start(), most: *range.end() };
        let show = |number: &N| Value::Number(Into::<Whole>::into(*number).0 as f64);
        Self::of(path, about, kind, place, (show, move |value| N::try_from(whole(value, &range)?).ok()))
    }

    pub(super) fn number(path: &'static str, about: &'static str, range: Range, place: Place<f64>) -> Self {
        let read = move |value: &Value| number(value).filter(|number| range.contains(*number));
        Self::of(path, about, Kind::Number(range), place, (|number: &f64| Value::Number(*number), read))
    }

    pub(super) fn share(path: &'static str, about: &'static str, range: Range, place: Place<f64>) -> Self {
        let read = move |value: &Value| share(value, range);
        Self::of(path, about, Kind::Share(range), place, (|share: &f64| percent(*share), read))
    }

    /// A whole number, or a word for none.
    pub(super) fn whole_or(
        path: &'static str,
        about: &'static str,
        (word, range): (&'static str, RangeInclusive<u32>),
        place: Place<Option<u32>>,
    ) -> Self {
        let range = u64::from(*range.start())..=u64::from(*range.end());
        let numbers = Kind::Whole { least: *range.start(), most: *range.end() };
        let kind = Kind::Either(vec![Kind::Choice(vec![word]), numbers]);
        let show =
            move |own: &Option<u32>| own.map_or(Value::Text(word.into()), |own| Value::Number(own.into()));
        let read = move |value: &Value| match value {
            Value::Text(text) if text == word => Some(None),
            other => Some(Some(u32::try_from(whole(other, &range)?).ok()?)),
        };
        Self::of(path, about, kind, place, (show, read))
    }

    /// A share below 1, or a word for none.
    pub(super) fn share_or(
        path: &'static str,
        about: &'static str,
        word: &'static str,
        place: Place<Option<f64>>,
    ) -> Self {
        let range = Range::BELOW_ONE;
        let kind = Kind::Either(vec![Kind::Choice(vec![word]), Kind::Share(range)]);
        let show = move |own: &Option<f64>| own.map_or(Value::Text(word.into()), percent);
        let read = move |value: &Value| match value {
            Value::Text(text) if text == word => Some(None),
            other => Some(Some(share(other, range)?)),
        };
        Self::of(path, about, kind, place, (show, read))
    }

    pub(super) fn column(path: &'static str, about: &'static str, place: Place<Option<String>>) -> Self {
        Self::name(path, about, Kind::Column { optional: true }, place)
    }

    /// A name of something, or "" for none.
    pub(super) fn name(
        path: &'static str,
        about: &'static str,
        kind: Kind,
        place: Place<Option<String>>,
    ) -> Self {
        let show = |name: &Option<String>| Value::Text(name.clone().unwrap_or_default());
        let read = |value: &Value| Some(Some(text(value)?.to_string()).filter(|name| !name.is_empty()));
        Self::of(path, about, kind, place, (show, read))
    }

    pub(super) fn names(path: &'static str, about: &'static str, place: Place<Vec<String>>) -> Self {
        Self::of(path, about, Kind::Names, place, (|names: &Vec<String>| Value::List(names.clone()), list))
    }

    /// Conditions, each a text of its own.
    pub(super) fn conditions(path: &'static str, about: &'static str, place: Place<Vec<Condition>>) -> Self {
        Self::parsed(path, about, Kind::Conditions, place, (Condition::to_string, Condition::parse))
    }

    /// A list of what is each read from a text of its own, which may hold commas.
    pub(super) fn parsed<T: 'static>(
        path: &'static str,
        about: &'static str,
        kind: Kind,
        place: Place<Vec<T>>,
        (show, read): (fn(&T) -> String, Reads<T>),
    ) -> Self {
        let Place { get, put } = place;
        let commas = kind != Kind::Conditions;
        let put = move |study: &mut Study, value: &Value| {
            let written = match value {
                Value::Text(one) if one.is_empty() => Vec::new(),
                Value::Text(one) if !commas => vec![one.clone()],
                other => list(other).ok_or(None)?,
            };
            *put(study) = written.iter().map(|own| read(own)).collect::<Result<_, _>>().map_err(Some)?;
            Ok(())
        };
        let get = move |study: &Study| Value::List(get(study).iter().map(show).collect());
        Self { path, about, kind, get: Box::new(get), put: Box::new(put) }
    }

    /// A range of lengths, or none.
    pub(super) fn lengths(
        path: &'static str,
        about: &'static str,
        most: usize,
        place: Place<Option<(usize, usize)>>,
    ) -> Self {
        let show = |lengths: &Option<(usize, usize)>| {
            Value::Text(match *lengths {
                None => "none".into(),
                Some((low, high)) if low == high => low.to_string(),
                Some((low, high)) => format!("{low}-{high}"),
            })
        };
        let read = move |value: &Value| {
            let written = written(value)?;
            if written == "none" {
                return Some(None);
            }
            let (low, high) = written.split_once('-').unwrap_or((&written, &written));
            let range = (low.trim().parse().ok()?, high.trim().parse().ok()?);
            Some(range).filter(|(low, high)| 1 <= *low && low <= high && *high <= most).map(Some)
        };
        Self::of(path, about, Kind::Lengths { most }, place, (show, read))
    }

    /// A list of lines, or a file that holds them.
    pub(super) fn lines(
        path: &'static str,
        about: &'static str,
        header: &'static str,
        place: Place<Vec<String>>,
    ) -> Self {
        let show = |lines: &Vec<String>| match lines.is_empty() {
            true => Value::Text("none".into()),
            false => Value::List(lines.clone()),
        };
        let read = |value: &Value| match value {
            Value::List(lines) => Some(lines.clone()),
            Value::Text(text) if text == "none" => Some(Vec::new()),
            Value::Text(line) => Some(vec![line.clone()]),
            _ => None,
        };
        Self::of(path, about, Kind::Lines { header, words: &["none"] }, place, (show, read))
    }

    pub(super) fn ratings(path: &'static str, about: &'static str, place: Place<Values>) -> Self {
        let Place { get, put } = place;
        let put = move |study: &mut Study, value: &Value| {
            let written = match value {
                Value::Number(number) => number.to_string(),
                other => list(other).ok_or(None)?.join(","),
            };
            *put(study) = Values::parse(&written).map_err(Some)?;
            Ok(())
        };
        let get = move |study: &Study| Value::Text(get(study).to_string());
        Self { path, about, kind: Kind::Ratings, get: Box::new(get), put: Box::new(put) }
    }
}

/// A whole number, whatever its width.
pub(super) struct Whole(u64);

macro_rules! whole_numbers {
    ($($type:ty),+) => {
        $(impl From<$type> for Whole {
            fn from(number: $type) -> Self {
                Self(number as u64)
            }
        })+
    };
}
whole_numbers!(u32, u64, usize);

pub(super) fn text(value: &Value) -> Option<&str> {
    match value {
        Value::Text(text) => Some(text),
        _ => None,
    }
}

fn number(value: &Value) -> Option<f64> {
    match value {
        Value::Number(number) => Some(*number),
        _ => None,
    }
}

/// A number or a text, as it is written.
fn written(value: &Value) -> Option<String> {
    match value {
        Value::Number(number) => Some(number.to_string()),
        other => text(other).map(String::from),
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

/// A whole number in a range.
pub(super) fn whole(value: &Value, range: &RangeInclusive<u64>) -> Option<u64> {
    let number =
        number(value).filter(|number| number.fract() == 0.0 && (0.0..=2f64.powi(53)).contains(number))?;
    Some(number as u64).filter(|number| range.contains(number))
}

/// Reads "20%" or 0.2 as 0.2.
pub(super) fn share(value: &Value, range: Range) -> Option<f64> {
    let share = match value {
        Value::Number(number) => *number,
        Value::Text(text) => text.trim().strip_suffix('%')?.trim().parse::<f64>().ok()? / 100.0,
        _ => return None,
    };
    Some(share).filter(|share| range.contains(*share))
}

pub(super) fn percent(share: f64) -> Value {
    // Rounded, so that 0.29 shows as 29% and not as 28.999999999999996%.
    Value::Text(format!("{}%", (share * 1e12).round() / 1e10))
}
