//! What is in a review file.

mod columns;
mod contents;
mod profile;
mod questions;

use heddle_core::labels::Values;
use heddle_core::settings::Study;
use heddle_core::survey::{ColumnProfile, LanguageShare, RatingWords};
use heddle_files::Manner;
use serde::Serialize;

use crate::error::{Error, Result};
use crate::new_study;
use crate::session::Session;
pub use columns::FoundColumns;
use columns::find;
use contents::Contents;
pub use contents::{RatingRow, Texts};
use profile::Columns;
use questions::questions;

/// A rating that the rule does not name and that so few rows have is taken for a slip.
const RARE_RATING: f64 = 0.05;

/// What is surveyed.
#[derive(Debug, Clone, Default)]
pub struct SurveyOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where a study with the columns that were found goes, if anywhere; it must not be there yet.
    pub write_study: Option<String>,
}

/// What is in review files.
#[derive(Debug, Serialize)]
pub struct Survey {
    /// The files.
    pub files: Vec<String>,
    /// How each file was read.
    pub manners: Vec<Manner>,
    /// Rows in the files: `rows` + `refused`.
    pub read: usize,
    /// Rows that were read whole.
    pub rows: usize,
    /// Rows that could not be used.
    pub refused: usize,
    /// The columns.
    pub columns: Vec<ColumnProfile>,
    /// The columns that look like text, rating, id and date.
    pub found: FoundColumns,
    /// By value of the rating: rows.
    pub ratings: Vec<RatingRow>,
    /// What the texts are like.
    pub texts: Texts,
    /// The number of words of a text: least, a tenth, half, nine tenths, most.
    pub words: Vec<RatingWords>,
    /// Languages, by share of a sample of the texts.
    pub languages: Vec<LanguageShare>,
    /// What only the analyst can say.
    pub questions: Vec<String>,
}

/// Tells what is in review files; writes a study if asked. The files are read twice: once to
/// learn what each column is, once to look at the texts.
///
/// # Errors
/// Files that cannot be read, or a study that is there already.
pub fn survey(session: &Session, options: &SurveyOptions) -> Result<Survey> {
    let SurveyOptions { files, write_study: target } = options;
    new_study::check_free(target.as_ref())?;
    let input = session.input(files)?;
    let task = session.busy("looking at the columns");
    let looked = Columns::read(&input, session)?;
    task.end();
    let found = find(&looked.profiles, session.study());
    let mut study = session.study().clone();
    if !files.is_empty() {
        study.reviews.files = files.clone();
    }
    found.enter(&mut study, &looked.profiles);
    let task = session.busy("looking at the texts");
    let read = Contents::read(&input, &looked.columns, &found, session)?;
    task.end();
    let ratings = read.ratings(&study);
    session.tell_manners(&looked.manners);
    let (words, languages) = read.words(&study);
    let questions = questions(&looked, &found, (&ratings, &read.texts), &languages, session.study());
    if let Some(path) = target {
        write_study((session, path), &study, &ratings)?;
    }
    Ok(Survey {
        files: input.names().map(String::from).collect(),
        manners: looked.manners,
        read: looked.rows + looked.refused,
        rows: looked.rows,
        refused: looked.refused,
        columns: looked.profiles,
        texts: read.texts,
        words,
        languages,
        questions,
        ratings,
        found,
    })
}

/// Writes a study. Rare ratings that the rule does not name are set to "missing", where the
/// analyst sees them; others are no slips, and are left to be named.
fn write_study((session, path): (&Session, &str), study: &Study, ratings: &[RatingRow]) -> Result<()> {
    let mut study = study.clone();
    let rows: usize = ratings.iter().map(|row| row.rows).sum();
    let rare = |row: &&RatingRow| !row.named && row.rows as f64 <= RARE_RATING * rows as f64;
    let unnamed: Vec<&str> = ratings.iter().filter(rare).map(|row| row.value.as_str()).collect();
    if !unnamed.is_empty() {
        let with = format!("{}, {}", study.polarity.missing, unnamed.join(", "));
        study.polarity.missing = Values::parse(&with).map_err(Error::Settings)?;
    }
    new_study::write(session, path, study)
}
