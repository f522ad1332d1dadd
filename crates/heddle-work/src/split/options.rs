//! What is asked of a split.

use heddle_core::resample::By;
use heddle_core::settings::Study;

use crate::error::{Result, fail};

/// The sides, in the order in which shares are laid out: the holdout first, so that a third
/// part takes nothing from it.
pub(super) const HOLDOUT: usize = 0;
pub(super) const DEVELOPMENT: usize = 1;
pub(super) const TRAINING: usize = 2;

/// What is split, and where the parts go.
#[derive(Debug, Clone, Default)]
pub struct SplitOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where the reviews go to learn from.
    pub training: String,
    /// Where a third part goes, for settings to be chosen on (`validation.development`).
    pub development: Option<String>,
    /// Where the locked holdout goes.
    pub holdout: String,
}

impl SplitOptions {
    /// Whether each part has a place of its own, and a share of the reviews.
    pub(super) fn check(&self, study: &Study) -> Result<()> {
        let mut names = vec![&self.training, &self.holdout];
        names.extend(&self.development);
        for (at, name) in names.iter().enumerate() {
            if names[..at].contains(name) {
                fail!(Options, "two parts are to go into one file, {name}; name each its own");
            }
        }
        let (share, rest) = (study.validation.development, study.validation.holdout);
        if matches!(study.validation.by, By::Column(_)) {
            return Ok(()); // what is in it says the column
        }
        match (&self.development, share > 0.0) {
            (Some(file), false) => {
                fail!(Options, "{file} would be empty: set its share, as in --set validation.development=10%")
            }
            (None, true) => {
                fail!(
                    Settings,
                    "validation.development is {:.0} %: name its file with --development",
                    100.0 * share
                )
            }
            _ if share + rest >= 1.0 => {
                fail!(Settings, "validation.holdout and validation.development leave nothing to learn from")
            }
            _ => Ok(()),
        }
    }
}
