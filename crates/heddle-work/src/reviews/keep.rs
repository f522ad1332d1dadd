//! Rows that are kept or dropped by conditions of the study.

use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::Arc;

use heddle_core::resample::text_key;
use heddle_core::settings::{Condition, Study, Subject};
use heddle_core::text::language;
use heddle_core::text::word_count;
use heddle_files::{Column, Input, find_column};

use crate::error::Result;

/// The conditions of a study over the columns of a file. Where repeats matter, 8 bytes are kept of each text.
pub struct Keep<'s> {
    /// Each with the place of its column, if it looks at one; those about repeats last, so that a row which is dropped
    /// for another reason repeats nothing.
    conditions: Vec<(&'s Condition, Option<usize>)>,
    seen: HashSet<u64>,
}

impl<'s> Keep<'s> {
    /// Finds the columns that conditions look at.
    ///
    /// # Errors
    /// If one is not there.
    pub fn new(file: &str, columns: &[Column], study: &'s Study) -> Result<Self> {
        Self::of(&study.reviews.keep, file, columns)
    }

    /// The same of conditions that stand in no study.
    ///
    /// # Errors
    /// If a column that one looks at is not there.
    pub fn of(conditions: &'s [Condition], file: &str, columns: &[Column]) -> Result<Self> {
        let place = |condition: &'s Condition| match &condition.subject {
            Subject::Column(name) => Ok((condition, Some(find_column(file, columns, name)?))),
            Subject::Words | Subject::Language | Subject::Repeated => Ok((condition, None)),
        };
        let mut conditions = conditions.iter().map(place).collect::<Result<Vec<_>>>()?;
        conditions.sort_by_key(|(condition, _)| condition.subject == Subject::Repeated);
        Ok(Self { conditions, seen: HashSet::default() })
    }

    /// Whether all conditions hold of a row.
    pub fn holds<'a>(&mut self, cell: impl Fn(usize) -> &'a str, text: impl Fn() -> Cow<'a, str>) -> bool {
        let Self { conditions, seen } = self;
        conditions.iter().all(|(condition, place)| match (&condition.subject, place) {
            (Subject::Column(_), Some(place)) => condition.holds(cell(*place)),
            (Subject::Language, _) => condition.holds(language(&text()).unwrap_or("unknown")),
            (Subject::Repeated, _) => {
                condition.holds(if seen.insert(text_key(&text())) { "no" } else { "yes" })
            }
            _ => condition.holds(&word_count(&text()).to_string()),
        })
    }
}

/// Files of which those rows alone are wanted that the conditions of a study keep: a part of a file in which the file
/// itself says that none can be is not decoded, and its rows are dropped as they would be anyway.
pub fn narrowed(input: Input, study: &Study) -> Input {
    study.reviews.keep.iter().fold(input, |input, condition| match &condition.subject {
        Subject::Column(name) => {
            let own = condition.clone();
            input.wanting(name, Arc::new(move |least, most| own.can_hold(least, most)))
        }
        _ => input,
    })
}

/// Whether one of these conditions looks at the text.
pub fn reads_text(conditions: &[Condition]) -> bool {
    conditions.iter().any(|condition| !matches!(condition.subject, Subject::Column(_)))
}

/// The columns that the conditions of a study look at.
pub fn columns(study: &Study) -> impl Iterator<Item = &str> {
    study.reviews.keep.iter().filter_map(|condition| match &condition.subject {
        Subject::Column(name) => Some(name.as_str()),
        _ => None,
    })
}
