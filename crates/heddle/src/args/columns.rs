//! Review files and their columns, named shortly.

use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use heddle_core::settings::Value;

use crate::complete;

/// Review files.
#[derive(Debug, Args)]
pub struct Files {
    /// Review files: delimited text, workbooks, JSON Lines, JSON, Parquet, sentences or marked lines, or a folder with
    /// a folder for each class; packed with gzip or zstd or not. Patterns such as "2025-*.csv"
    /// and "-" for standard input are understood. Default: reviews.files of the study
    #[arg(value_name = "FILE")]
    pub files: Vec<String>,
}

/// Columns of review files, named shortly: each stands for `--set reviews.…`.
#[derive(Debug, Clone, Default, Args)]
pub struct ColumnArgs {
    /// The column of the text; may be repeated (reviews.text)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", add = ArgValueCompleter::new(complete::columns))]
    pub text: Vec<String>,
    /// The column of the rating (reviews.stars)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", add = ArgValueCompleter::new(complete::columns), conflicts_with = "label")]
    pub stars: Option<String>,
    /// A column of classes, in place of the rating (reviews.label)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", add = ArgValueCompleter::new(complete::columns))]
    pub label: Option<String>,
}

/// Columns that stand beside text and rating, named shortly.
#[derive(Debug, Clone, Default, Args)]
pub struct RowArgs {
    /// The column that names a row (reviews.id)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", add = ArgValueCompleter::new(complete::columns))]
    pub id: Option<String>,
    /// The column of the date (reviews.date)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", add = ArgValueCompleter::new(complete::columns))]
    pub date: Option<String>,
}

impl ColumnArgs {
    /// The settings that they stand for.
    pub fn settings(&self) -> Vec<String> {
        let text =
            (!self.text.is_empty()).then(|| format!("reviews.text={}", Value::List(self.text.clone())));
        text.into_iter().chain(named("stars", &self.stars)).chain(named("label", &self.label)).collect()
    }
}

impl RowArgs {
    /// The settings that they stand for.
    pub fn settings(&self) -> Vec<String> {
        named("id", &self.id).chain(named("date", &self.date)).collect()
    }
}

fn named<'a>(key: &'a str, column: &'a Option<String>) -> impl Iterator<Item = String> + 'a {
    // As a study writes it, so that no name is taken for a number or a list.
    column.iter().map(move |name| format!("reviews.{key}={}", Value::Text(name.clone())))
}
