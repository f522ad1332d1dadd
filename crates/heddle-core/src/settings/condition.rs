//! Conditions that rows are kept by.

use crate::labels::dates::{DateForm, DateOrder, Day, read_date};
use crate::labels::rating::read_rating;

/// What a condition looks at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Subject {
    /// A column, by name.
    Column(String),
    /// The words of the text.
    Words,
    /// The language of the text.
    Language,
    /// Whether an earlier row has the same text: "yes" or "no".
    Repeated,
}

/// How it is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Relation {
    Equal,
    Other,
    Below,
    AtMost,
    Above,
    AtLeast,
}

/// A condition such as `language = English`, `words >= 3`, `channel = web, desk` or `repeated = no`.
///
/// ```
/// use heddle_core::settings::{Condition, Subject};
///
/// let condition = Condition::parse("channel = web, desk").unwrap();
/// assert_eq!(condition.subject, Subject::Column("channel".into()));
/// assert!(condition.holds("Desk") && !condition.holds("mail"));
/// assert!(Condition::parse("words >= 3").unwrap().holds("12"));
/// assert!(Condition::parse("posted < 2025-11-01").unwrap().holds("31.10.2025 23:59"));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Condition {
    /// What is looked at.
    pub subject: Subject,
    relation: Relation,
    values: Vec<String>,
}

const SIGNS: [(&str, Relation); 6] = [
    ("!=", Relation::Other),
    (">=", Relation::AtLeast),
    ("<=", Relation::AtMost),
    (">", Relation::Above),
    ("<", Relation::Below),
    ("=", Relation::Equal),
];

impl Condition {
    /// Reads a condition: what is looked at, a sign, and a value; several values for `=` and `!=`.
    ///
    /// # Errors
    /// The sentence that says what is wrong.
    pub fn parse(written: &str) -> Result<Self, String> {
        let wrong = || {
            format!(
                "`{written}` is no condition: expected a column, words, language or repeated, then =, !=, <, <=, > or >=, and a value, as in \"channel = web\""
            )
        };
        let found = SIGNS.iter().filter_map(|(sign, relation)| Some((written.find(sign)?, *sign, *relation)));
        let (at, sign, relation) =
            found.min_by_key(|(at, sign, _)| (*at, std::cmp::Reverse(sign.len()))).ok_or_else(wrong)?;
        let (name, value) = (written[..at].trim(), written[at + sign.len()..].trim());
        if name.is_empty() {
            return Err(wrong());
        }
        let subject = match name {
            "words" => Subject::Words,
            "language" => Subject::Language,
            "repeated" => Subject::Repeated,
            name => Subject::Column(name.into()),
        };
        let ordered = !matches!(relation, Relation::Equal | Relation::Other);
        if ordered && value.parse::<f64>().is_err() && day(value).is_none() {
            return Err(format!(
                "`{written}` compares by size or by date, and `{value}` is neither a number nor a day such as 2025-11-01"
            ));
        }
        if subject == Subject::Repeated && !matches!(value, "yes" | "no") {
            return Err(format!("`{written}`: a text is repeated or not: yes or no"));
        }
        let values = if ordered {
            vec![value.to_string()]
        } else {
            value.split(',').map(|one| one.trim().to_string()).collect()
        };
        Ok(Self { subject, relation, values })
    }

    /// Whether it holds of a cell. Numbers are compared as such, words in any case, and by a day a cell is a date at its
    /// head, whatever time follows, with the day before the month where both are possible; nothing is larger or smaller
    /// than what is no number, or earlier or later than what is no date.
    pub fn holds(&self, cell: &str) -> bool {
        let cell = cell.trim();
        let number = |text: &str| read_rating(text).map(|rating| rating.number);
        let same = |value: &String| match (number(value), number(cell)) {
            (Some(a), Some(b)) => a == b,
            _ => value.to_lowercase() == cell.to_lowercase(),
        };
        match self.relation {
            Relation::Equal => self.values.iter().any(same),
            Relation::Other => !self.values.iter().any(same),
            _ => match day(&self.values[0]) {
                Some(value) => {
                    read_date(cell, DateOrder::DayFirst).is_some_and(|cell| self.stands(cell.day, value))
                }
                None => number(cell).is_some_and(|cell| self.compares(cell)),
            },
        }
    }

    /// Whether a number stands to the value as a relation by size asks.
    fn compares(&self, number: f64) -> bool {
        self.values[0].parse::<f64>().is_ok_and(|value| self.stands(number, value))
    }

    fn stands<T: PartialOrd>(&self, cell: T, value: T) -> bool {
        match self.relation {
            Relation::Below => cell < value,
            Relation::AtMost => cell <= value,
            Relation::Above => cell > value,
            _ => cell >= value,
        }
    }

    /// Whether it can hold of any cell that is a number from `least` to `most`. "Yes" where that is not known.
    pub fn can_hold(&self, least: f64, most: f64) -> bool {
        let within = |value: &String| {
            read_rating(value).is_none_or(|rating| least <= rating.number && rating.number <= most)
        };
        match self.relation {
            Relation::Other => true,
            _ if day(&self.values[0]).is_some() => true, // a number is no date, as far as is known here
            Relation::Equal => self.values.iter().any(within),
            Relation::Below | Relation::AtMost => self.compares(least),
            Relation::Above | Relation::AtLeast => self.compares(most),
        }
    }
}

/// A day with the year first, which cannot be misread.
fn day(value: &str) -> Option<Day> {
    let read = read_date(value, DateOrder::DayFirst)?;
    (read.form == DateForm::YearFirst).then_some(read.day)
}

impl std::fmt::Display for Condition {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let name = match &self.subject {
            Subject::Column(name) => name,
            Subject::Words => "words",
            Subject::Language => "language",
            Subject::Repeated => "repeated",
        };
        let sign =
            SIGNS.iter().find(|(_, relation)| *relation == self.relation).map_or("=", |(sign, _)| sign);
        write!(out, "{name} {sign} {}", self.values.join(", "))
    }
}
