//! Values of settings.

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
            Self::Number(number) => write!(out, "{}", short(*number)),
            Self::Text(text) => write!(out, "{}", quoted(text)),
            Self::List(items) => write!(out, "[{}]", items.iter().map(quoted).collect::<Vec<_>>().join(", ")),
        }
    }
}

/// A number as people write it: very small and very large ones with an exponent.
pub(super) fn short(number: f64) -> String {
    match number.abs() {
        size if size != 0.0 && size < 1e-6 || size >= 1e16 => format!("{number:e}"),
        _ => number.to_string(),
    }
}
