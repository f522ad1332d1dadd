//! Why a piece of work was not done.

use std::io;

use heddle_core::model::FitError;
use heddle_core::validate::ValidateError;
use heddle_files::FileError;
use thiserror::Error;

/// What functions of this crate return.
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// Why a piece of work was not done. Messages say what was found, what was expected and what
/// to do; the variant says what kind of thing is in the way.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum Error {
    /// A file that cannot be read or written as asked, or a column that is not there.
    #[error(transparent)]
    File(#[from] FileError),
    /// Options that cannot be followed, alone or together.
    #[error("{0}")]
    Options(String),
    /// Settings that cannot be followed with these reviews or options.
    #[error("{0}")]
    Settings(String),
    /// Reviews that do not allow what was asked: no class, no text, no such row.
    #[error("{0}")]
    Reviews(String),
    /// Rows of a locked holdout where they would be learnt from, or a look that cannot be counted.
    #[error("{0}")]
    Locked(String),
    /// A model that does not fit the reviews or another model.
    #[error("{0}")]
    Model(String),
    /// Weights cannot be learnt.
    #[error(transparent)]
    Fit(#[from] FitError),
    /// Reviews cannot be cross-validated.
    #[error("{error}{remedy}")]
    Validate {
        /// Why not.
        error: ValidateError,
        /// What to do, where that is known.
        remedy: String,
    },
    /// The operating system refused.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// Findings cannot be written as JSON.
    #[error("the findings cannot be written as JSON")]
    Json(#[from] serde_json::Error),
    /// Something failed while something else was done.
    #[error("{doing}")]
    During {
        /// What was done.
        doing: String,
        /// What failed.
        #[source]
        error: Box<Self>,
    },
}

impl Error {
    /// The message with its causes, "what was done: why it failed".
    pub fn story(&self) -> String {
        let mut story = self.to_string();
        let mut cause = std::error::Error::source(self);
        while let Some(error) = cause {
            story = format!("{story}: {error}");
            cause = error.source();
        }
        story
    }

    /// With what was being done.
    pub(crate) fn during(self, doing: impl Into<String>) -> Self {
        Self::During { doing: doing.into(), error: Box::new(self) }
    }
}

/// An error of validation, with the way out.
impl From<ValidateError> for Error {
    fn from(error: ValidateError) -> Self {
        let remedy = match error {
            ValidateError::TooFew { count, .. } if count >= 2 => {
                format!("; try --set validation.folds={count} or fewer, or add reviews")
            }
            ValidateError::TooFewDays { days, .. } if days >= 3 => {
                format!("; try --set validation.folds={} or fewer", (days - 1).min(5))
            }
            _ => String::new(),
        };
        Self::Validate { error, remedy }
    }
}

/// Ends a function with an error of a kind.
macro_rules! fail {
    ($kind:ident, $($message:tt)+) => {
        return Err($crate::error::Error::$kind(format!($($message)+)))
    };
}
pub(crate) use fail;
