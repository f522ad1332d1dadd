//! Why a setting cannot be what it was to be.

use super::value::Value;

/// Why a setting cannot be what it was to be.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum SettingError {
    /// There is no setting of this path.
    #[error("there is no setting `{path}`{}", nearest.map_or(String::new(), |near| format!("; did you mean `{near}`?")))]
    Unknown {
        /// The path.
        path: String,
        /// The path that may be meant.
        nearest: Option<&'static str>,
    },
    /// It cannot have this value.
    #[error("{key} = {value} is not possible: expected {expected}{}", reason.as_ref().map_or(String::new(), |reason| format!("; {reason}")))]
    Value {
        /// The path of the setting.
        key: &'static str,
        /// The value.
        value: Value,
        /// The values that are possible, in words.
        expected: String,
        /// What more can be said of this one.
        reason: Option<String>,
    },
    /// Settings that make no sense together.
    #[error("{0}")]
    Together(String),
}
