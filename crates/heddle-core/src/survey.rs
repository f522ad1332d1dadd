//! What arrived: the columns of a file, and the texts in it.

use rustc_hash::{FxHashMap, FxHashSet};
use serde::Serialize;

use crate::polarity::shown_value;
use crate::resample::draw::{text_key, value_key};

/// What the cells of a column are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum ColumnKind {
    /// Nothing is filled in.
    Empty,
    /// Numbers.
    Number,
    /// Dates that begin `YYYY-MM-DD`.
    Date,
    /// Each filled cell is different, and short.
    Identifier,
    /// Few distinct values.
    Category,
    /// Running text.
    Text,
}

/// The profile of one column.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ColumnProfile {
    /// The name in the header.
    pub name: String,
    /// What the cells are. A column is of numbers or dates if at least 95 % of its filled
    /// cells are.
    pub kind: ColumnKind,
    /// Cells that are not blank.
    pub filled: usize,
    /// Blank cells.
    pub missing: usize,
    /// Distinct filled cells; "4" and "4.0" are one.
    pub distinct: usize,
    /// The least and the greatest number or date, as written.
    pub range: Option<(String, String)>,
    /// The most frequent values with their counts, at most 12, the most frequent first,
    /// ties in alphabetical order; empty for texts, identifiers and columns where no value
    /// repeats.
    pub values: Vec<(String, usize)>,
    /// The mean number of words in a filled cell.
    pub words: f64,
}

/// Takes the cells of one column, one after the other, and tells what they are.
///
/// Memory grows with the distinct values: 8 bytes each, and the values themselves while
/// there are at most 1,000.
#[derive(Debug, Default)]
pub struct Profiler {
    filled: usize,
    missing: usize,
    words: usize,
    numbers: Extent<f64>,
    dates: Extent<String>,
    distinct: FxHashSet<u64>,
    values: Option<FxHashMap<String, usize>>,
    overflown: bool,
}

/// How many cells were of a type, and the least and greatest of them.
#[derive(Debug)]
struct Extent<T> {
    count: usize,
    ends: Option<((T, String), (T, String))>,
}

impl<T> Default for Extent<T> {
    fn default() -> Self {
        Self { count: 0, ends: None }
    }
}

impl<T: PartialOrd + Clone> Extent<T> {
    fn add(&mut self, value: T, cell: &str) {
        self.count += 1;
        match &mut self.ends {
            None => self.ends = Some(((value.clone(), cell.into()), (value, cell.into()))),
            Some((low, _)) if value < low.0 => *low = (value, cell.into()),
            Some((_, high)) if value > high.0 => *high = (value, cell.into()),
            Some(_) => {}
        }
    }

    fn range(&self) -> Option<(String, String)> {
        self.ends.as_ref().map(|(low, high)| (low.1.clone(), high.1.clone()))
    }
}

impl Profiler {
    const MOST_VALUES: usize = 1000;
    const SHOWN_VALUES: usize = 12;
    /// The share of filled cells that must be of a type for the column to be of it.
    const NEARLY_ALL: f64 = 0.95;

    /// Takes one cell.
    pub fn add(&mut self, cell: &str) {
        let cell = cell.trim();
        if cell.is_empty() {
            self.missing += 1;
            return;
        }
        self.filled += 1;
        self.words += cell.split_whitespace().count();
        if let Ok(number) = cell.parse::<f64>() {
            self.numbers.add(number, cell);
        } else if let Some(date) = iso_date(cell) {
            self.dates.add(date.to_string(), date);
        }
        let cell = shown_value(cell);
        self.distinct.insert(value_key(0, &cell));
        if self.overflown {
            return;
        }
        let values = self.values.get_or_insert_default();
        *values.entry(cell.into_owned()).or_insert(0) += 1;
        if values.len() > Self::MOST_VALUES {
            (self.values, self.overflown) = (None, true);
        }
    }

    /// The profile of the cells so far.
    pub fn finish(self, name: &str) -> ColumnProfile {
        let kind = self.kind();
        let range = match kind {
            ColumnKind::Number => self.numbers.range(),
            ColumnKind::Date => self.dates.range(),
            _ => None,
        };
        let mut values: Vec<(String, usize)> = match kind {
            ColumnKind::Number | ColumnKind::Category => {
                self.values.unwrap_or_default().into_iter().collect()
            }
            _ => Vec::new(),
        };
        values.sort_unstable_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        values.truncate(Self::SHOWN_VALUES);
        ColumnProfile {
            name: name.into(),
            kind,
            filled: self.filled,
            missing: self.missing,
            distinct: self.distinct.len(),
            range,
            values,
            words: self.words as f64 / self.filled.max(1) as f64,
        }
    }

    fn kind(&self) -> ColumnKind {
        let nearly_all = |count: usize| count as f64 >= Self::NEARLY_ALL * self.filled as f64;
        let words = self.words as f64 / self.filled.max(1) as f64;
        if self.filled == 0 {
            ColumnKind::Empty
        } else if nearly_all(self.numbers.count) {
            ColumnKind::Number
        } else if nearly_all(self.dates.count) {
            ColumnKind::Date
        } else if self.distinct.len() == self.filled && words < 1.5 {
            ColumnKind::Identifier
        } else if words >= 2.5 && self.distinct.len() * 4 > self.filled {
            ColumnKind::Text
        } else {
            ColumnKind::Category
        }
    }
}

/// The date at the head of a cell, if it begins `YYYY-MM-DD` with a month and day that
/// exist.
fn iso_date(cell: &str) -> Option<&str> {
    let date = cell.get(..10).filter(|date| date.as_bytes()[4] == b'-')?;
    date.parse::<jiff::civil::Date>().ok().map(|_| date)
}

/// What the texts of a file are like.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct TextProfile {
    /// Texts that are not blank.
    pub filled: usize,
    /// Blank texts.
    pub empty: usize,
    /// Words: the least, the quartiles and the most.
    pub words: [usize; 5],
    /// Reviews whose text an earlier review has already, but for case and marks.
    pub repeated: usize,
    /// Distinct texts that stand with different ratings.
    pub conflicting: usize,
}

impl TextProfile {
    /// Looks at texts with their ratings.
    pub fn new<'a>(reviews: impl Iterator<Item = (std::borrow::Cow<'a, str>, &'a str)>) -> Self {
        let mut lengths = Vec::new();
        let mut empty = 0;
        // By text: the first rating, and whether another one came.
        let mut seen: FxHashMap<u64, (u64, bool)> = FxHashMap::default();
        for (text, rating) in reviews {
            if text.trim().is_empty() {
                empty += 1;
                continue;
            }
            lengths.push(text.split_whitespace().count());
            let rating = value_key(0, rating);
            let known = seen.entry(text_key(&text)).or_insert((rating, false));
            known.1 |= known.0 != rating;
        }
        lengths.sort_unstable();
        let quantile =
            |quarter: usize| lengths.get((lengths.len().max(1) - 1) * quarter / 4).copied().unwrap_or(0);
        Self {
            filled: lengths.len(),
            empty,
            words: [0, 1, 2, 3, 4].map(quantile),
            repeated: lengths.len() - seen.len(),
            conflicting: seen.values().filter(|(_, conflicts)| *conflicts).count(),
        }
    }
}
