//! Dates as people and programs write them.

use jiff::civil::Date;

use crate::choice::choice;

choice! {
    /// How dates such as 3/4/2025 are read.
    #[derive(Default)]
    DateOrder {
        /// Told by the whole column: one date that can only be read one way tells of all.
        #[default]
        Auto = "auto",
        /// The third of April.
        DayFirst = "day-first",
        /// The fourth of March.
        MonthFirst = "month-first",
    }
}

/// A calendar day.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Day(Date);

impl Day {
    /// The month, as in "2025-03".
    pub fn month(self) -> String {
        format!("{:04}-{:02}", self.0.year(), self.0.month())
    }

    /// The days since the first of January 1970.
    pub fn number(self) -> i32 {
        let epoch = jiff::civil::date(1970, 1, 1);
        (self.0 - epoch).get_days()
    }

    /// The month as a number that rises by one from month to month.
    pub fn month_number(self) -> i32 {
        i32::from(self.0.year()) * 12 + i32::from(self.0.month()) - 1
    }
}

impl std::fmt::Display for Day {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.fmt(out)
    }
}

/// A way to write dates.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
pub enum DateForm {
    /// 2025-04-03
    #[serde(rename = "2025-04-03")]
    YearFirst,
    /// 3.4.2025
    #[serde(rename = "3.4.2025")]
    Dotted,
    /// 3/4/2025 or 3-4-2025
    #[serde(rename = "3/4/2025")]
    Slashed,
    /// 3 April 2025 or April 3, 2025
    #[serde(rename = "3 April 2025")]
    Named,
}

impl DateForm {
    /// An example.
    pub fn example(self) -> &'static str {
        match self {
            Self::YearFirst => "2025-04-03",
            Self::Dotted => "3.4.2025",
            Self::Slashed => "3/4/2025",
            Self::Named => "3 April 2025",
        }
    }
}

/// A cell that was read as a date.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dated {
    /// The day.
    pub day: Day,
    /// How it is written.
    pub form: DateForm,
    /// Whether day and month might be meant the other way round.
    pub ambiguous: bool,
    /// Whether only the other order of day and month gives a date, so that this one was
    /// read against the order that was asked for.
    pub turned: bool,
}

/// Reads the date at the head of a cell, by itself, with the day first where nothing says otherwise; a time may
/// follow. Years of two digits are those
/// from 1970 to 2069. Nothing if there is no such day in the calendar.
pub fn read_date(cell: &str, order: DateOrder) -> Option<Dated> {
    let cell = cell.trim();
    let first = cell.as_bytes().first()?;
    if first.is_ascii_digit() {
        let (numbers, separator, rest) = three_numbers(cell)?;
        if is_time(rest) {
            return of_numbers(numbers, separator, order);
        }
        return None;
    }
    if first.is_ascii_alphabetic() { named(cell) } else { None }
}

/// Three numbers with one kind of separator between them, and what follows; or the day of a
/// date whose month is a word.
fn three_numbers(cell: &str) -> Option<([Part<'_>; 3], u8, &str)> {
    let (first, rest) = number(cell)?;
    let separator = *rest.as_bytes().first()?;
    if separator == b' ' || rest[1..].bytes().next()?.is_ascii_alphabetic() {
        // "3 April 2025", "3-Apr-2025"
        let rest = rest[1..].trim_start();
        let (month, rest) = word(rest)?;
        let rest = rest.trim_start_matches(['-', ' ', ',', '.', '/']);
        let (year, rest) = number(rest)?;
        return Some(([first, Part::Month(month), year], b' ', rest));
    }
    if !b"-/.".contains(&separator) {
        return None;
    }
    let (second, rest) = number(&rest[1..])?;
    if rest.as_bytes().first() != Some(&separator) {
        return None;
    }
    let (third, rest) = number(&rest[1..])?;
    Some(([first, second, third], separator, rest))
}

/// A part of a date: its digits, or the number of its month.
#[derive(Debug, Clone, Copy)]
enum Part<'a> {
    Digits(&'a str),
    Month(i8),
}

impl Part<'_> {
    fn value(self) -> i16 {
        match self {
            Self::Digits(digits) => digits.parse().unwrap_or(-1),
            Self::Month(month) => month.into(),
        }
    }

    fn year(self) -> Option<i16> {
        match self {
            Self::Digits(digits) if digits.len() == 4 => Some(self.value()),
            Self::Digits(digits) if digits.len() == 2 => {
                Some(self.value() + if self.value() < 70 { 2000 } else { 1900 })
            }
            _ => None,
        }
    }
}

fn of_numbers([a, b, c]: [Part<'_>; 3], separator: u8, order: DateOrder) -> Option<Dated> {
    let certain = |day: Date, form| Dated { day: Day(day), form, ambiguous: false, turned: false };
    let date = |year: i16, month: i16, day: i16| {
        Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
    };
    if matches!(b, Part::Month(_)) {
        return date(c.year()?, b.value(), a.value()).map(|day| certain(day, DateForm::Named));
    }
    if matches!(a, Part::Digits(digits) if digits.len() == 4) {
        return date(a.value(), b.value(), c.value()).map(|day| certain(day, DateForm::YearFirst));
    }
    let year = c.year()?;
    let (day_first, month_first) = (date(year, b.value(), a.value()), date(year, a.value(), b.value()));
    if separator == b'.' {
        return day_first.map(|day| certain(day, DateForm::Dotted));
    }
    let (wanted, other) = match order {
        DateOrder::Auto | DateOrder::DayFirst => (day_first, month_first),
        DateOrder::MonthFirst => (month_first, day_first),
    };
    Some(Dated {
        day: Day(wanted.or(other)?),
        form: DateForm::Slashed,
        ambiguous: wanted.is_some() && other.is_some() && a.value() != b.value(),
        turned: wanted.is_none(),
    })
}

/// "April 3, 2025"
fn named(cell: &str) -> Option<Dated> {
    let (month, rest) = word(cell)?;
    let (day, rest) = number(rest.trim_start_matches([' ', '.', '-']))?;
    let rest = rest.trim_start_matches(|char: char| char.is_ascii_lowercase()); // "3rd"
    let (year, rest) = number(rest.trim_start_matches([',', ' ', '-']))?;
    let date = || {
        let day = i8::try_from(day.value()).ok()?;
        Date::new(year.year()?, month, day).ok()
    };
    let day = Day(date()?);
    is_time(rest).then_some(Dated { day, form: DateForm::Named, ambiguous: false, turned: false })
}

/// One to four digits, and what follows.
fn number(text: &str) -> Option<(Part<'_>, &str)> {
    let length = text.bytes().take_while(u8::is_ascii_digit).count();
    let (digits, rest) = text.split_at(length);
    (1..=4).contains(&length).then_some((Part::Digits(digits), rest))
}

/// The name of a month, whole or its first three letters or more, and what follows.
fn word(text: &str) -> Option<(i8, &str)> {
    const MONTHS: [&str; 12] = [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ];
    let length = text.bytes().take_while(u8::is_ascii_alphabetic).count();
    let (name, rest) = text.split_at(length);
    let name = name.to_ascii_lowercase();
    let at = MONTHS.iter().position(|month| name.len() >= 3 && month.starts_with(&name))?;
    Some((at as i8 + 1, rest))
}

/// Nothing, or a time of day.
fn is_time(rest: &str) -> bool {
    let rest = rest.trim_start_matches(['T', ' ', ',']);
    rest.is_empty()
        || (rest.as_bytes()[0].is_ascii_digit()
            && rest.bytes().all(|byte| byte.is_ascii_digit() || b":.+-ZzAaPpMmUTC ".contains(&byte)))
}
