//! From the rows of files to labelled reviews, with an account of every row.

use std::borrow::Cow;
use std::collections::BTreeMap;

use anyhow::bail;
use heddle_core::{Polarity, Reading, Sample, Study, Texts, groups, shown_value, text_key, value_key};
use heddle_files::{Keep, Table};
use rayon::prelude::*;
use serde::Serialize;

use crate::args::Files;
use crate::view::count;

/// What stands between the columns of one review: the end of a sentence.
pub const BETWEEN_COLUMNS: &str = "\n\n";

/// What became of the rows of a file. They add up: `read` is the sum of the rest.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Account {
    /// Rows in the files.
    pub read: usize,
    /// Rows that could not be used: wrong number of fields, undecodable bytes.
    pub refused: usize,
    /// Rows whose text columns are all blank.
    pub no_text: usize,
    /// Rows with a text and no rating.
    pub no_rating: usize,
    /// Rows between the classes, left out by the rule.
    pub middle: usize,
    /// Labelled rows, by class.
    pub negative: usize,
    /// Labelled rows, by class.
    pub positive: usize,
}

/// What became of one value of the rating.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ValueRow {
    /// The value; numbers in their shortest form.
    pub value: String,
    /// The class, or why there is none.
    pub becomes: &'static str,
    /// Rows that have it, those without text included.
    pub rows: usize,
}

/// What is known of one value of the rating while rows are read.
struct Value {
    reading: Reading,
    rows: usize,
    /// The first row that has it.
    first: usize,
}

/// Which columns are kept of the files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kept {
    /// Every column: the rows are written out again.
    All,
    /// Those that the study names.
    Needed,
}

impl Kept {
    /// Every column if there is somewhere to write them.
    pub fn if_written(out: &Option<String>) -> Self {
        if out.is_some() { Self::All } else { Self::Needed }
    }
}

/// Labelled reviews.
pub struct Intake {
    /// The rows of the files.
    pub table: Table,
    /// By review: its row in the table.
    pub rows: Vec<usize>,
    /// By review: its class and its group.
    pub sample: Sample,
    /// What became of every row.
    pub account: Account,
    /// What became of every value of the rating.
    pub values: Vec<ValueRow>,
    text: Vec<usize>,
}

impl Intake {
    /// Reads and labels.
    ///
    /// # Errors
    /// A file or column that is not there, or a rating that the rule does not name.
    pub fn read(files: &Files, study: &Study, kept: Kept) -> anyhow::Result<Self> {
        let paths = paths(files, study)?;
        let columns = &study.reviews;
        let mut needed: Vec<&str> = columns.text.iter().map(String::as_str).collect();
        needed.push(columns.rated());
        needed.extend(columns.together.iter().chain(&columns.id).map(String::as_str));
        needed.sort_unstable();
        needed.dedup();
        let keep = match kept {
            Kept::All => Keep::All,
            Kept::Needed => Keep::Only(&needed),
        };
        let table = Table::read(paths, keep)?;
        Self::label(table, study)
    }

    fn label(table: Table, study: &Study) -> anyhow::Result<Self> {
        let text = text_columns(&table, study)?;
        let rated = table.column(study.reviews.rated())?;
        let together: Vec<usize> =
            study.reviews.together.iter().map(|name| table.column(name)).collect::<Result<_, _>>()?;
        let refused = table.refused().len();
        let mut account = Account { read: table.len() + refused, refused, ..Account::default() };
        let mut values: BTreeMap<String, Value> = BTreeMap::new();
        let (mut rows, mut labels) = (Vec::new(), Vec::new());
        for row in 0..table.len() {
            let cell = shown_value(table.cell(row, rated));
            let reading = study.polarity.read(&cell);
            match values.get_mut(cell.as_ref()) {
                Some(known) => known.rows += 1,
                None => drop(values.insert(cell.into_owned(), Value { reading, rows: 1, first: row })),
            }
            if text.iter().all(|&column| table.cell(row, column).trim().is_empty()) {
                account.no_text += 1;
                continue;
            }
            match reading {
                Reading::Class(class) => {
                    rows.push(row);
                    labels.push(class);
                }
                Reading::Middle => account.middle += 1,
                Reading::Missing => account.no_rating += 1,
                Reading::Unknown => {} // told below, all at once
            }
        }
        check_unknown(&table, study, &values)?;
        let name = |reading| match reading {
            Reading::Class(class) => class.name(),
            Reading::Middle => "left out: between the classes",
            Reading::Missing | Reading::Unknown => "left out: no rating",
        };
        let values = values
            .into_iter()
            .map(|(value, Value { reading, rows, .. })| ValueRow { value, becomes: name(reading), rows })
            .collect();
        account.negative = labels.iter().filter(|class| **class == Polarity::Negative).count();
        account.positive = labels.len() - account.negative;
        let keys: Vec<Vec<u64>> = rows.par_iter().map(|&row| keys(&table, row, &text, &together)).collect();
        let sample = Sample { labels, groups: groups(&keys) };
        Ok(Self { table, rows, sample, account, values, text })
    }

    /// Both classes must be there to learn anything.
    pub fn check_classes(&self) -> anyhow::Result<()> {
        let Account { negative, positive, .. } = self.account;
        if negative > 0 && positive > 0 {
            return Ok(());
        }
        if negative + positive == 0 {
            let Account { read, no_text, no_rating, middle, refused, .. } = self.account;
            bail!(
                "none of {} can be learnt from: {refused} refused, {no_text} without text, {no_rating} without rating, {middle} between the classes",
                count(read, "row")
            );
        }
        let (there, missing) = if negative > 0 { ("negative", "positive") } else { ("positive", "negative") };
        bail!(
            "all {} reviews are {there}: there is none to learn {missing} from; check polarity.{missing} (`heddle label` shows what each value becomes)",
            negative + positive
        );
    }

    /// The text of a review.
    pub fn review(&self, review: usize) -> Cow<'_, str> {
        joined(&self.table, &self.text, self.rows[review])
    }
}

impl Texts for Intake {
    fn count(&self) -> usize {
        self.rows.len()
    }

    fn put(&self, row: usize, text: &mut String) {
        text.push_str(&self.review(row));
    }
}

/// The files to read: those named, or those of the study.
pub fn paths<'a>(files: &'a Files, study: &'a Study) -> anyhow::Result<&'a [String]> {
    let paths = if files.files.is_empty() { &study.reviews.files } else { &files.files };
    if paths.is_empty() {
        bail!(
            "no review file: name one, as in `heddle survey reviews.csv`, or set reviews.files in study.toml"
        );
    }
    Ok(paths)
}

/// The places of the text columns.
pub fn text_columns(table: &Table, study: &Study) -> anyhow::Result<Vec<usize>> {
    if study.reviews.text.is_empty() {
        bail!("reviews.text names no column; set it, as in --set reviews.text=review");
    }
    Ok(study.reviews.text.iter().map(|name| table.column(name)).collect::<Result<_, _>>()?)
}

/// The text of a row: its text columns, those that are blank left out.
pub fn joined<'a>(table: &'a Table, columns: &[usize], row: usize) -> Cow<'a, str> {
    join(columns.iter().map(|&column| table.cell(row, column)))
}

/// Puts the columns of one review together.
pub fn join<'a>(cells: impl Iterator<Item = &'a str>) -> Cow<'a, str> {
    let mut text = Cow::Borrowed("");
    for cell in cells.filter(|cell| !cell.trim().is_empty()) {
        if text.is_empty() {
            text = Cow::Borrowed(cell);
        } else {
            text.to_mut().push_str(BETWEEN_COLUMNS);
            text.to_mut().push_str(cell);
        }
    }
    text
}

/// What ties a row to others: its text, and the values of the columns that keep rows
/// together.
fn keys(table: &Table, row: usize, text: &[usize], together: &[usize]) -> Vec<u64> {
    let shared = |(at, column): (usize, &usize)| {
        let cell = table.cell(row, *column);
        (!cell.trim().is_empty()).then(|| value_key(at, cell))
    };
    let own = text_key(&joined(table, text, row));
    std::iter::once(own).chain(together.iter().enumerate().filter_map(shared)).collect()
}

fn check_unknown(table: &Table, study: &Study, values: &BTreeMap<String, Value>) -> anyhow::Result<()> {
    const SHOWN: usize = 6;
    let mut unknown: Vec<(&String, &Value)> =
        values.iter().filter(|(_, value)| value.reading == Reading::Unknown).collect();
    unknown.sort_by_key(|(_, value)| std::cmp::Reverse(value.rows));
    let Some((first, most)) = unknown.first() else { return Ok(()) };
    let listed: Vec<String> = unknown
        .iter()
        .take(SHOWN)
        .map(|(name, value)| format!("`{name}` in {}", count(value.rows, "row")))
        .collect();
    let more =
        if unknown.len() > SHOWN { format!(" and {} more", unknown.len() - SHOWN) } else { String::new() };
    let (file, line) = table.place(most.first);
    bail!(
        "column `{}` holds values that the rule does not name: {}{more} (first: {file}, line {line}). \
         Say what they mean: --set polarity.missing=\"{first}\" leaves `{first}` out as no rating; \
         polarity.negative and polarity.positive give values a class",
        study.reviews.rated(),
        listed.join(", "),
    );
}
