//! Settings, their values and the columns of files, offered by the shell while a call is typed.

use std::env;
use std::ffi::OsStr;
use std::path::Path;

use clap_complete::engine::CompletionCandidate;
use heddle_core::settings::{Form, KEYS, Study};
use heddle_files::{Input, LoadedStudy, is_model};
use heddle_work::USUAL_STUDY;

/// Settings whose values are columns.
const COLUMNS: [&str; 9] = [
    "reviews.text",
    "reviews.stars",
    "reviews.label",
    "reviews.date",
    "reviews.id",
    "reviews.together",
    "reviews.beside",
    "reviews.copy_of",
    "features.columns",
];

/// Settings that begin as what is typed does, or values of the one that is typed.
pub fn settings(typed: &OsStr) -> Vec<CompletionCandidate> {
    let Some(typed) = typed.to_str() else { return Vec::new() };
    let Some((path, value)) = typed.split_once('=') else {
        let begun = KEYS.iter().filter(|key| key.path.starts_with(typed));
        return begun
            .map(|key| CompletionCandidate::new(format!("{}=", key.path)).help(Some(key.about.into())))
            .collect();
    };
    let Ok(key) = Study::key(path) else { return Vec::new() };
    let words = key.kind.words().into_iter().map(String::from);
    let names = if COLUMNS.contains(&path) { names() } else { Vec::new() };
    let begun = words.chain(names).filter(|word| word.starts_with(value));
    begun.map(|word| CompletionCandidate::new(format!("{path}={word}"))).collect()
}

/// Columns of the files that are named on the line, or by the study that stands here.
pub fn columns(typed: &OsStr) -> Vec<CompletionCandidate> {
    let Some(typed) = typed.to_str() else { return Vec::new() };
    names().into_iter().filter(|name| name.starts_with(typed)).map(CompletionCandidate::new).collect()
}

/// The columns of the first review file that the words of the line name. Whatever goes wrong, nothing is offered: a shell
/// that asks has no place for errors.
fn names() -> Vec<String> {
    let words = env::args().skip(1).skip_while(|word| word != "--").skip(3); // the program and its command
    let named = words.filter(|word| !word.starts_with('-')).find_map(|word| columns_of(&word));
    named.or_else(|| of_study()?.iter().find_map(|file| columns_of(file))).unwrap_or_default()
}

fn columns_of(file: &str) -> Option<Vec<String>> {
    if !Path::new(file).is_file() || is_model(file).unwrap_or(true) {
        return None;
    }
    let rows = Input::gather(&[file], &Form::default()).ok()?.rows().ok()?;
    Some(rows.columns().iter().map(|column| column.name.clone()).collect())
}

fn of_study() -> Option<Vec<String>> {
    let mut loaded = LoadedStudy::of(Study::default());
    loaded.read_file(USUAL_STUDY).ok()?;
    Some(loaded.files())
}
