//! Which columns are used, and what their cells say.

use super::facts::Fact;
use crate::choice::{Choice, choice};
use crate::labels::dates::{DateOrder, read_date};
use crate::text::document::Document;
use crate::text::language::{Language, language};

choice! {
    /// How the cells of a column are read.
    ColumnForm {
        /// As a number where all cells are numbers and many of them differ, else as one of several categories.
        Auto = "auto",
        /// As one of several categories.
        Categories = "categories",
        /// As a number, whose effect is a straight line.
        Number = "number",
        /// As a number, each fifth of the training rows with an effect of its own.
        Bands = "bands",
        /// As the hour of a time of day.
        Hour = "hour",
        /// As the day of the week of a date.
        Weekday = "weekday",
        /// As the month of a date, whatever the year.
        Month = "month",
    }
}

/// Where what is known beside the words comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Source {
    /// A column of the file.
    Column(String),
    /// The text itself.
    Text(Fact),
}

/// A column that a model uses, and how it is read: "channel", "posted:hour", "price:bands", "text:words".
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ColumnUse {
    /// What is read.
    pub source: Source,
    /// How it is read; of facts, as a number.
    pub form: ColumnForm,
}

/// What a cell says.
#[derive(Debug, Clone, PartialEq)]
pub enum Cell {
    /// Nothing is written there.
    Blank,
    /// Nothing is written there that can be read as it should be: it counts as blank.
    Unread,
    /// A number.
    Number(f64),
    /// A category.
    Word(String),
}

const WEEKDAYS: [&str; 7] = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

impl ColumnUse {
    /// Reads "name" or "name:form". A name may hold colons of its own: what stands behind the last one is a form only
    /// if it is the name of one.
    ///
    /// # Errors
    /// A sentence that says what is wrong.
    pub fn parse(written: &str) -> Result<Self, String> {
        let written = written.trim();
        let whole = || Self { source: Source::Column(written.into()), form: ColumnForm::Auto };
        let of_fact = |written: &str| Fact::from_name(written.strip_prefix("text:")?).map(Source::Text);
        let used = match (of_fact(written), written.rsplit_once(':')) {
            (Some(source @ Source::Text(Fact::Language)), _) => Self { source, form: ColumnForm::Categories },
            (Some(source), _) => Self { source, form: ColumnForm::Number },
            (None, Some((name, form))) => match (ColumnForm::from_name(form), of_fact(name)) {
                (Some(form @ (ColumnForm::Number | ColumnForm::Bands)), Some(source))
                    if source != Source::Text(Fact::Language) =>
                {
                    Self { source, form }
                }
                (Some(form), _) => Self { source: Source::Column(name.trim().into()), form },
                (None, _) => whole(),
            },
            (None, None) => whole(),
        };
        match &used.source {
            Source::Column(name) if name.is_empty() => Err(format!(
                "`{written}` names no column: write channel, posted:hour, price:bands or text:words"
            )),
            _ => Ok(used),
        }
    }

    /// The column of the file, if it is one.
    pub fn column(&self) -> Option<&str> {
        match &self.source {
            Source::Column(name) => Some(name),
            Source::Text(_) => None,
        }
    }

    /// What a review has there: its cell, or what its text says.
    pub fn read(&self, cell: &str, text: &str, dates: DateOrder) -> Cell {
        if let Source::Text(fact) = self.source {
            return match fact {
                Fact::Language => language(text).map_or(Cell::Blank, |own| Cell::Word(own.into())),
                _ => fact.of(text).map_or(Cell::Blank, Cell::Number),
            };
        }
        let cell = cell.trim();
        if cell.is_empty() {
            return Cell::Blank;
        }
        let word = |word: Option<String>| word.map_or(Cell::Unread, Cell::Word);
        match self.form {
            ColumnForm::Auto | ColumnForm::Categories => Cell::Word(cell.into()),
            ColumnForm::Number | ColumnForm::Bands => finite(cell).map_or(Cell::Unread, Cell::Number),
            ColumnForm::Hour => word(hour(cell).map(|hour| format!("{hour:02}"))),
            ColumnForm::Weekday => {
                // The first of January 1970 was a Thursday.
                let of = |number: i32| WEEKDAYS[(number + 3).rem_euclid(7) as usize].to_string();
                word(read_date(cell, dates).map(|dated| of(dated.day.number())))
            }
            ColumnForm::Month => {
                let of = |number: i32| MONTHS[number.rem_euclid(12) as usize].to_string();
                word(read_date(cell, dates).map(|dated| of(dated.day.month_number())))
            }
        }
    }

    /// The language by which a text was read, where that is what is asked for.
    pub(crate) fn of_language(&self, told: Option<Language>) -> Option<Cell> {
        let asked = self.source == Source::Text(Fact::Language);
        told.filter(|_| asked).map(|language| Cell::Word(language.title().into()))
    }

    /// The number that a document has there; nothing if it is none.
    pub(crate) fn number(&self, document: &Document, column: usize) -> Option<f64> {
        match self.source {
            Source::Text(fact) => fact.of(document.text()),
            Source::Column(_) => finite(document.beside(column)?.trim()),
        }
    }
}

impl std::fmt::Display for ColumnUse {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match (&self.source, self.form) {
            (Source::Text(fact), ColumnForm::Bands) => write!(out, "text:{}:bands", fact.name()),
            (Source::Text(fact), _) => write!(out, "text:{}", fact.name()),
            (Source::Column(name), ColumnForm::Auto) => out.write_str(name),
            (Source::Column(name), form) => write!(out, "{name}:{}", form.name()),
        }
    }
}

/// A number that can be reckoned with.
pub(super) fn finite(cell: &str) -> Option<f64> {
    cell.parse().ok().filter(|number: &f64| number.is_finite())
}

/// The hour of the time of day that a cell holds: two digits of minutes stand behind a colon.
fn hour(cell: &str) -> Option<u32> {
    let bytes = cell.as_bytes();
    let colon = (1..bytes.len()).find(|&at| {
        bytes[at] == b':'
            && bytes[at - 1].is_ascii_digit()
            && bytes.get(at + 1..at + 3).is_some_and(|minutes| minutes.iter().all(u8::is_ascii_digit))
    })?;
    let begins = (0..colon).rev().take_while(|&at| bytes[at].is_ascii_digit()).last()?;
    let hour: u32 = cell[begins..colon].parse().ok()?;
    let rest = cell[colon..].to_ascii_lowercase();
    let hour = match hour {
        12 if rest.ends_with("am") => 0,
        1..12 if rest.ends_with("pm") => hour + 12,
        hour => hour,
    };
    (hour < 24).then_some(hour)
}

/// Orders the categories of a column as people expect them: days and months by the calendar, numbers by size.
pub(super) fn order_of(word: &str) -> (usize, Option<u64>, &str) {
    let listed = |list: &[&str]| list.iter().position(|own| *own == word);
    let place = listed(&WEEKDAYS).or_else(|| listed(&MONTHS)).unwrap_or(usize::MAX);
    // Numbers of either sign in the order of their bits.
    let sorted = |number: f64| {
        let bits = number.to_bits();
        if bits >> 63 == 1 { !bits } else { bits | 1 << 63 }
    };
    (place, finite(word).map(sorted), word)
}
