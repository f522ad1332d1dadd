//! The fields of a JSON object as they are written: every digit, and every name as often as it
//! stands there.

use std::borrow::Cow;
use std::fmt;

use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, Visitor};
use serde_json::value::RawValue;

use super::column::CellKind;

/// The fields of an object, in their order.
pub(crate) struct Fields<'a>(pub Vec<(Cow<'a, str>, &'a RawValue)>);

impl<'de: 'a, 'a> Deserialize<'de> for Fields<'a> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct InOrder;
        impl<'de> Visitor<'de> for InOrder {
            type Value = Fields<'de>;

            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a JSON object")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Fields<'de>, A::Error> {
                let mut fields = Vec::new();
                while let Some(Name(name)) = map.next_key()? {
                    fields.push((name, map.next_value()?));
                }
                Ok(Fields(fields))
            }
        }
        deserializer.deserialize_map(InOrder)
    }
}

/// A name, which is copied only where it holds escapes.
#[derive(Deserialize)]
struct Name<'a>(#[serde(borrow)] Cow<'a, str>);

/// A text, as [`Name`].
#[derive(Deserialize)]
struct Text<'a>(#[serde(borrow)] Cow<'a, str>);

/// A value that is no object with fields.
pub(crate) struct Cell<'a> {
    /// What it is; nothing is told of null.
    pub kind: Option<CellKind>,
    /// As it stands in a cell; null is blank.
    pub text: Cow<'a, str>,
}

/// Gives the fields of an object, those of objects inside it under dotted names.
pub(crate) fn flatten<'a>(
    fields: Fields<'a>,
    prefix: &str,
    give: &mut impl FnMut(&str, Cell<'a>),
) -> Result<(), serde_json::Error> {
    for (name, value) in fields.0 {
        let dotted = if prefix.is_empty() { name } else { Cow::Owned(format!("{prefix}.{name}")) };
        let written = value.get();
        if written.starts_with('{') {
            let inner: Fields<'a> = serde_json::from_str(written)?;
            if !inner.0.is_empty() {
                flatten(inner, &dotted, give)?;
                continue;
            }
        }
        give(&dotted, cell(written)?);
    }
    Ok(())
}

fn cell(written: &str) -> Result<Cell<'_>, serde_json::Error> {
    let whole = |kind, text: Cow<'_, str>| Ok(Cell { kind: Some(kind), text: Cow::Owned(text.into_owned()) });
    match written.as_bytes()[0] {
        b'n' => Ok(Cell { kind: None, text: Cow::Borrowed("") }),
        b'"' => {
            let Text(text) = serde_json::from_str(written)?;
            Ok(Cell { kind: Some(CellKind::Text), text })
        }
        b't' | b'f' => Ok(Cell { kind: Some(CellKind::Flag), text: Cow::Borrowed(written) }),
        b'[' | b'{' => whole(CellKind::Json, compact(written).into()),
        _ => Ok(Cell { kind: Some(number_kind(written)), text: Cow::Borrowed(written) }),
    }
}

/// What holds a number to its last digit.
pub(crate) fn number_kind(written: &str) -> CellKind {
    if written.parse::<i64>().is_ok() && written != "-0" {
        CellKind::Whole
    } else if is_exact(written) {
        CellKind::Number
    } else {
        CellKind::Digits
    }
}

/// Whether the shortest form of the number in 64 bits has the digits that are written.
pub(crate) fn is_exact(written: &str) -> bool {
    let Ok(number) = written.parse::<f64>() else { return false };
    if !number.is_finite() {
        return false;
    }
    let digits = |text: &str| -> String {
        let mantissa = text.split(['e', 'E']).next().unwrap_or_default();
        let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
        digits.trim_start_matches('0').trim_end_matches('0').to_string()
    };
    let own = digits(written);
    // So many digits always fit, unless the number is too small for all of them.
    (own.len() <= 15 && number.abs() > 1e-290) || own == digits(&format!("{number:e}"))
}

/// JSON without the blanks between its signs.
fn compact(written: &str) -> String {
    let (mut string, mut escaped) = (false, false);
    let keeps = |sign: &char| {
        let inside = string;
        match sign {
            _ if escaped => escaped = false,
            '\\' if string => escaped = true,
            '"' => string = !string,
            _ => {}
        }
        inside || !sign.is_ascii_whitespace()
    };
    written.chars().filter(keeps).collect()
}
