//! What the cells of a column are.

use std::collections::BTreeMap;

use rustc_hash::{FxHashMap, FxHashSet};
use serde::Serialize;

use super::quartiles::quartiles;
use crate::choice::choice;
use crate::labels::dates::{DateForm, DateOrder, Dated, Day, read_date};
use crate::labels::rating::shown_value;
use crate::resample::fingerprint::value_key;
use crate::resample::random::Random;
use crate::text::word_count;

choice! {
    /// What the cells of a column are.
    #[derive(Serialize)]
    #[serde(rename_all = "lowercase")]
    ColumnKind {
        /// Nothing is filled in.
        Empty = "empty",
        /// Numbers.
        Number = "number",
        /// Dates.
        Date = "date",
        /// Each filled cell is different, and short.
        Identifier = "identifier",
        /// Few distinct values.
        Category = "category",
        /// Running text.
        Text = "text",
    }
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
    /// Filled cells that are not of the kind: no number among numbers, no date among dates.
    pub misfits: usize,
    /// The most frequent values with their counts, at most 12, the most frequent first,
    /// ties in alphabetical order; empty for texts, identifiers and columns where no value
    /// repeats.
    pub values: Vec<(String, usize)>,
    /// Up to three filled cells, drawn at random.
    pub examples: Vec<String>,
    /// The mean number of words in a filled cell.
    pub words: f64,
    /// Of numbers: how they are spread.
    pub numbers: Option<NumberProfile>,
    /// Of dates: when they are.
    pub dates: Option<DateProfile>,
}

/// How numbers are spread.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct NumberProfile {
    /// The least, the quartiles and the greatest.
    pub quartiles: [f64; 5],
    /// Bars from left to right: where each begins, and the numbers in it. The last one ends
    /// at the greatest number.
    pub bars: Vec<(f64, usize)>,
}

/// When dates are.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct DateProfile {
    /// The first and the last day.
    pub range: (String, String),
    /// How they are written, by form.
    pub forms: Vec<(DateForm, usize)>,
    /// Dates whose day and month may be meant the other way round.
    pub ambiguous: usize,
    /// Dates that can only be read the other way round than the others, or than asked.
    pub turned: usize,
    /// Rows of each month from the first to the last.
    pub months: Vec<(String, usize)>,
}

/// Takes the cells of one column, one after the other, and tells what they are.
///
/// Memory grows with the distinct values: 8 bytes each, 12 for numbers, and the values
/// themselves while there are at most 1,000.
#[derive(Debug)]
pub struct Profiler {
    order: DateOrder,
    filled: usize,
    missing: usize,
    words: usize,
    numeric: usize,
    numbers: FxHashMap<u64, u32>,
    dates: Dates,
    distinct: FxHashSet<u64>,
    values: Option<FxHashMap<String, usize>>,
    overflown: bool,
    examples: Vec<String>,
    draw: Random,
}

/// The dates of a column so far.
#[derive(Debug, Default)]
struct Dates {
    count: usize,
    forms: BTreeMap<DateForm, usize>,
    ambiguous: usize,
    /// With the day first, and with the month first.
    read: [Calendar; 2],
}

/// The dates of a column in one order of day and month.
#[derive(Debug, Default)]
struct Calendar {
    range: Option<(Day, Day)>,
    turned: usize,
    months: BTreeMap<i32, usize>,
}

impl Profiler {
    const MOST_VALUES: usize = 1000;
    const SHOWN_VALUES: usize = 12;
    const EXAMPLES: usize = 3;
    /// The share of filled cells that must be of a type for the column to be of it.
    const NEARLY_ALL: f64 = 0.95;
    /// Longer cells are neither numbers nor dates.
    const LONGEST_NUMBER: usize = 40;
    const BARS: usize = 12;

    /// A profiler that reads dates in this order and draws examples with this seed.
    pub fn new(order: DateOrder, seed: u64) -> Self {
        Self {
            order,
            filled: 0,
            missing: 0,
            words: 0,
            numeric: 0,
            numbers: FxHashMap::default(),
            dates: Dates::default(),
            distinct: FxHashSet::default(),
            values: Some(FxHashMap::default()),
            overflown: false,
            examples: Vec::new(),
            draw: Random::new(seed),
        }
    }

    /// Takes one cell.
    pub fn add(&mut self, cell: &str) {
        let cell = cell.trim();
        if cell.is_empty() {
            self.missing += 1;
            return;
        }
        self.filled += 1;
        self.words += word_count(cell);
        self.keep_example(cell);
        if cell.len() > Self::LONGEST_NUMBER {
            self.count(cell, || cell.to_string());
            return;
        }
        if let Some(number) = cell.parse::<f64>().ok().filter(|number| number.is_finite()) {
            self.numeric += 1;
            *self.numbers.entry((number + 0.0).to_bits()).or_insert(0) += 1;
        } else if let Some(dated) = read_date(cell, DateOrder::DayFirst) {
            self.dates.add(dated, read_date(cell, DateOrder::MonthFirst).unwrap_or(dated));
        }
        let shown = shown_value(cell);
        self.count(&shown, || shown.to_string());
    }

    /// Each filled cell is an example with the same chance.
    fn keep_example(&mut self, cell: &str) {
        if self.examples.len() < Self::EXAMPLES {
            self.examples.push(cell.to_string());
        } else {
            let place = self.draw.below(self.filled);
            if place < Self::EXAMPLES {
                self.examples[place] = cell.to_string();
            }
        }
    }

    fn count(&mut self, shown: &str, owned: impl FnOnce() -> String) {
        self.distinct.insert(value_key(0, shown));
        if self.overflown {
            return;
        }
        let values = self.values.get_or_insert_default();
        match values.get_mut(shown) {
            Some(count) => *count += 1,
            None => drop(values.insert(owned(), 1)),
        }
        if values.len() > Self::MOST_VALUES {
            (self.values, self.overflown) = (None, true);
        }
    }

    /// The profile of the cells so far.
    pub fn finish(self, name: &str) -> ColumnProfile {
        let kind = self.kind();
        let misfits = match kind {
            ColumnKind::Number => self.filled - self.numeric,
            ColumnKind::Date => self.filled - self.dates.count,
            _ => 0,
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
            misfits,
            values,
            examples: self.examples,
            words: self.words as f64 / self.filled.max(1) as f64,
            numbers: (kind == ColumnKind::Number).then(|| spread(&self.numbers, Self::BARS)),
            dates: (kind == ColumnKind::Date).then(|| self.dates.finish(self.order)).flatten(),
        }
    }

    fn kind(&self) -> ColumnKind {
        let nearly_all = |count: usize| count as f64 >= Self::NEARLY_ALL * self.filled as f64;
        let words = self.words as f64 / self.filled.max(1) as f64;
        if self.filled == 0 {
            ColumnKind::Empty
        } else if nearly_all(self.numeric) {
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

impl Dates {
    fn add(&mut self, day_first: Dated, month_first: Dated) {
        self.count += 1;
        *self.forms.entry(day_first.form).or_insert(0) += 1;
        self.ambiguous += usize::from(day_first.ambiguous);
        self.read[0].add(day_first);
        self.read[1].add(month_first);
    }

    /// The order that is set, or the one against which fewer dates speak.
    fn finish(self, order: DateOrder) -> Option<DateProfile> {
        let [day_first, month_first] = self.read;
        let read = match order {
            DateOrder::DayFirst => day_first,
            DateOrder::MonthFirst => month_first,
            DateOrder::Auto if month_first.turned < day_first.turned => month_first,
            DateOrder::Auto => day_first,
        };
        let (first, last) = read.range?;
        // Months without rows count too: a gap must be seen as one.
        const MOST_MONTHS: i32 = 600;
        let span = first.month_number()..=last.month_number().min(first.month_number() + MOST_MONTHS);
        let months = span.map(|month| {
            let rows = read.months.get(&month).copied().unwrap_or(0);
            (format!("{:04}-{:02}", month.div_euclid(12), month.rem_euclid(12) + 1), rows)
        });
        Some(DateProfile {
            range: (first.to_string(), last.to_string()),
            forms: self.forms.into_iter().collect(),
            ambiguous: self.ambiguous,
            turned: read.turned,
            months: months.collect(),
        })
    }
}

impl Calendar {
    fn add(&mut self, Dated { day, turned, .. }: Dated) {
        self.range = Some(self.range.map_or((day, day), |(first, last)| (first.min(day), last.max(day))));
        self.turned += usize::from(turned);
        *self.months.entry(day.month_number()).or_insert(0) += 1;
    }
}

/// Quartiles and bars of numbers with their counts: a bar for each number where there are few
/// of them, else bars of equal width.
fn spread(numbers: &FxHashMap<u64, u32>, bars: usize) -> NumberProfile {
    let mut sorted: Vec<(f64, usize)> =
        numbers.iter().map(|(bits, count)| (f64::from_bits(*bits), *count as usize)).collect();
    sorted.sort_by(|a, b| a.0.total_cmp(&b.0));
    let total: usize = sorted.iter().map(|(_, count)| count).sum();
    let quartiles = quartiles(sorted.iter().copied(), total);
    if sorted.len() <= bars {
        return NumberProfile { quartiles, bars: sorted };
    }
    let (low, high) = (quartiles[0], quartiles[4]);
    let width = (high - low) / bars as f64;
    let mut counted: Vec<(f64, usize)> = (0..bars).map(|bar| (low + width * bar as f64, 0)).collect();
    for (number, count) in sorted {
        counted[(((number - low) / width) as usize).min(bars - 1)].1 += count;
    }
    NumberProfile { quartiles, bars: counted }
}
