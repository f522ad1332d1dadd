//! What is in a review file.

mod by_column;
pub(crate) mod columns;
mod contents;
mod profile;
mod questions;

use heddle_core::Choice;
use heddle_core::labels::{ClassNames, Rule, Scale};
use heddle_core::settings::Study;
use heddle_core::survey::{ColumnProfile, LanguageShare, RatingWords};
use heddle_core::text::Language;
use heddle_files::{Input, Manner, Record};
use serde::Serialize;

use crate::error::Result;
use crate::judgement::NextStep;
use crate::new_study;
use crate::reviews::unnamed::rule_as_settings;
use crate::session::Session;
use crate::words::{as_sets, shell};
pub use by_column::{NegativeByColumn, NegativeByValue};
pub use columns::FoundColumns;
use columns::find;
use contents::Contents;
pub use contents::{RatingRow, Texts};
use profile::Columns;
use questions::{about_rating, questions};

/// What is surveyed.
#[derive(Debug, Clone, Default)]
pub struct SurveyOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where a study with the columns that were found goes, if anywhere; it must not be there yet.
    pub write_study: Option<String>,
    /// How many of the first rows are shown.
    pub rows: usize,
}

/// What is in review files.
#[derive(Debug, Serialize)]
pub struct Survey {
    /// The files.
    pub files: Vec<String>,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
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
    /// The scale that the ratings are of, where it can be told and the study names none.
    pub scale: Option<FoundScale>,
    /// By value of the rating: rows.
    pub ratings: Vec<RatingRow>,
    /// The share of negative rows by value of each column that has few.
    pub negative_by: Vec<NegativeByColumn>,
    /// What the texts are like.
    pub texts: Texts,
    /// The number of words of a text: least, a tenth, half, nine tenths, most.
    pub words: Vec<RatingWords>,
    /// Languages, by share of a sample of the texts.
    pub languages: Vec<LanguageShare>,
    /// What only the analyst can say.
    pub questions: Vec<String>,
    /// What to do next.
    pub next: Vec<NextStep>,
    /// The first rows, as many as were asked for: the cells of each column.
    pub first_rows: Vec<Vec<String>>,
}

/// The scale that the ratings are of.
#[derive(Debug, Serialize)]
pub struct FoundScale {
    /// What it is, as in "ratings of 1 to 10".
    pub name: String,
    /// The rule that is usual for it.
    pub rule: String,
    /// Whether that is the one way to read it.
    pub plain: bool,
    /// The settings that make the rule explicit; none where they are the defaults.
    pub settings: Vec<String>,
}

/// Tells what is in review files; writes a study if asked. The files are read twice: once to
/// learn what each column is, once to look at the texts.
///
/// # Errors
/// Files that cannot be read, or a study that is there already.
pub fn survey(session: &Session, options: &SurveyOptions) -> Result<Survey> {
    let SurveyOptions { files, write_study: target, rows: shown } = options;
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
    found.enter(&mut study);
    let task = session.busy("looking at the texts");
    let read = Contents::read(&input, &looked, &found, session)?;
    task.end();
    let scale = read.scale(&study);
    if let Some(scale) = &scale {
        study.polarity = Rule { names: study.polarity.names, ..scale.rule.clone() };
    }
    let names = study.class_names();
    let ratings = read.ratings(&study);
    let negative_by = read.crossed.shares(&study);
    session.tell_manners(&looked.manners);
    let (words, languages) = read.words(&study);
    let spoken = spoken(&languages, &study);
    let next = next(session, files, &found, (scale.as_ref(), &spoken));
    let mut open = about_rating(scale.as_ref(), &ratings);
    let scale = scale.map(|scale| FoundScale {
        settings: rule_as_settings(&scale.rule),
        rule: scale.rule.to_string(),
        plain: scale.question.is_none(),
        name: scale.name,
    });
    let questions = questions(&looked, &found, (&open, &read.texts), &languages, session.study());
    if let Some(path) = target {
        study.open.append(&mut open);
        study.text.languages = spoken;
        new_study::write(session, path, study)?;
    }
    Ok(Survey {
        names,
        files: input.names().map(String::from).collect(),
        manners: looked.manners,
        read: looked.rows + looked.refused,
        rows: looked.rows,
        refused: looked.refused,
        columns: looked.profiles,
        negative_by,
        texts: read.texts,
        words,
        languages,
        questions,
        next,
        first_rows: first_rows(&input, *shown)?,
        scale,
        ratings,
        found,
    })
}

/// The languages of which there are enough texts, the most frequent first; those of the study where nothing else can be
/// told.
fn spoken(languages: &[LanguageShare], study: &Study) -> Vec<Language> {
    /// Of fewer texts nothing would be learnt apart.
    const ENOUGH: f64 = 0.03;
    let known = |own: &&LanguageShare| own.share.low.is_some_and(|low| low >= ENOUGH);
    let of = |own: &LanguageShare| Language::ALL.iter().copied().find(|other| other.title() == own.language);
    let found: Vec<Language> = languages.iter().filter(known).filter_map(of).collect();
    match (&found[..], languages.first()) {
        ([], Some(main)) if main.share.low.is_some_and(|low| low > 0.5) => vec![Language::Other],
        ([], _) => study.text.languages.clone(),
        _ => found,
    }
}

/// The line that learns from these files, with what was found made explicit; none where text or rating is missing.
fn next(
    session: &Session,
    files: &[String],
    found: &FoundColumns,
    (scale, spoken): (Option<&Scale>, &[Language]),
) -> Vec<NextStep> {
    let (Some(rating), false) = (&found.rating, found.text.is_empty()) else { return Vec::new() };
    let reviews = &session.study().reviews;
    let mut parts = vec!["heddle train".to_string()];
    parts.extend(files.iter().map(|file| shell(file)));
    if found.text != reviews.text {
        parts.extend(found.text.iter().map(|name| format!("--text {}", shell(name))));
    }
    if rating != reviews.rated() {
        parts.push(format!("--stars {}", shell(rating)));
    }
    let rule = scale.map_or(Vec::new(), |scale| rule_as_settings(&scale.rule));
    if !rule.is_empty() {
        parts.push(as_sets(&rule));
    }
    if *spoken != session.study().text.languages {
        let names: Vec<&str> = spoken.iter().map(|language| language.name()).collect();
        parts.push(format!("--set text.languages={}", names.join(",")));
    }
    parts.push("--out model.heddle --validate".into());
    let about = match scale.is_some_and(|scale| scale.question.is_some()) {
        true => "learn from them, if the rule is as you mean it, and tell how good that is",
        false => "learn from them, and tell how good that is",
    };
    vec![NextStep::new(about, parts.join(" "))]
}

/// The cells of the first rows that can be used.
fn first_rows(input: &Input, most: usize) -> Result<Vec<Vec<String>>> {
    let (mut reviews, mut record, mut rows) = (input.rows()?, Record::new(), Vec::new());
    while rows.len() < most && reviews.next_sound(&mut record)?.is_some() {
        rows.push(record.iter().map(String::from).collect());
    }
    Ok(rows)
}
