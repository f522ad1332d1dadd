//! From ratings to classes, row by row, with an account of every row and every value.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};

use heddle_core::labels::{ClassCounts, ClassNames, Polarity, Reading, rating_order, shown_rating};
use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{CellKind, Column, find_column};
use serde::{Deserialize, Serialize};

use crate::error::{Result, fail};
use crate::reviews::keep::Keep;
use crate::reviews::unnamed;
use crate::words::{copies, count, number};

/// A column with more values than this is no rating.
const MOST_VALUES: usize = 10_000;
/// A text column whose cells are codes to this share is refused.
const MOSTLY_CODES: f64 = 0.95;
/// So many cells must be seen before a column is judged by them.
const ENOUGH_CELLS: usize = 10;

/// What became of the rows of a file. They add up: `read` is the sum of the rest.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
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
    /// Rows that a condition of `reviews.keep` drops.
    pub not_kept: usize,
    /// Labelled rows that belong to another part: what a model is tried on where it is learnt, or the other way.
    #[serde(skip_serializing_if = "is_none")]
    pub set_aside: usize,
    /// Copies of labelled rows: they count as the review that they are copies of.
    #[serde(skip_serializing_if = "is_none")]
    pub copies: usize,
    /// Copies of rows that are left out, or of another class than the row that they are copies of.
    #[serde(skip_serializing_if = "is_none")]
    pub copies_left_out: usize,
    /// Labelled rows, by class.
    pub negative: usize,
    /// Labelled rows, by class.
    pub neutral: usize,
    /// Labelled rows, by class.
    pub positive: usize,
    /// Whether every label is the name of its class, so that no value of the rule was needed.
    #[serde(skip)]
    pub by_name: bool,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual", skip_deserializing)]
    pub names: ClassNames,
}

impl Account {
    /// Labelled rows of a class.
    pub fn of(&self, class: Polarity) -> usize {
        match class {
            Polarity::Negative => self.negative,
            Polarity::Neutral => self.neutral,
            Polarity::Positive => self.positive,
        }
    }

    /// That of the rows of both, whose classes are called alike.
    #[must_use]
    pub(crate) fn plus(&self, other: &Self) -> Self {
        Self {
            read: self.read + other.read,
            refused: self.refused + other.refused,
            no_text: self.no_text + other.no_text,
            no_rating: self.no_rating + other.no_rating,
            middle: self.middle + other.middle,
            not_kept: self.not_kept + other.not_kept,
            set_aside: self.set_aside + other.set_aside,
            copies: self.copies + other.copies,
            copies_left_out: self.copies_left_out + other.copies_left_out,
            negative: self.negative + other.negative,
            neutral: self.neutral + other.neutral,
            positive: self.positive + other.positive,
            by_name: self.by_name && other.by_name,
            names: self.names.clone(),
        }
    }

    /// Labelled rows.
    pub fn labelled(&self) -> usize {
        Polarity::ALL.into_iter().map(|class| self.of(class)).sum()
    }

    /// Rows that were read whole and left out for a reason.
    pub fn left_out(&self) -> usize {
        self.no_text + self.no_rating + self.middle + self.not_kept + self.copies_left_out
    }

    /// Labelled rows of each class, in the order of [`Polarity::index`].
    pub fn counts(&self) -> ClassCounts {
        [self.negative, self.positive, self.neutral].into()
    }

    /// Labelled rows by class, under their names, for those classes that have some.
    pub fn mix(&self) -> BTreeMap<String, usize> {
        let rows = Polarity::ALL.into_iter().map(|class| (class.name().to_string(), self.of(class)));
        rows.filter(|(_, rows)| *rows > 0).collect()
    }

    /// The sum that must hold, in words; an error if it does not.
    pub fn sum(&self) -> Result<String> {
        let copies = match self.copies {
            0 => String::new(),
            some => format!(" + {}", copies(some)),
        };
        let aside = match self.set_aside {
            0 => String::new(),
            some => format!(" + {} set aside", number(some)),
        };
        let sum = format!(
            "{} in = {} labelled{copies}{aside} + {} left out + {} refused",
            count(self.read, "row"),
            number(self.labelled()),
            number(self.left_out()),
            number(self.refused)
        );
        let told = self.labelled() + self.set_aside + self.copies + self.left_out() + self.refused;
        if self.read != told {
            fail!(Reviews, "the rows do not add up: {sum}; please report this");
        }
        Ok(sum)
    }
}

fn is_none(rows: &usize) -> bool {
    *rows == 0
}

/// What became of one value of the rating.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ValueRow {
    /// The value; numbers in their shortest form.
    pub value: String,
    /// What a row with it becomes.
    pub becomes: Becomes,
    /// Rows that have it, those without text included.
    pub rows: usize,
}

/// What a value of the rating makes of a row.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Becomes {
    /// A review of this class.
    Class(Polarity),
    /// It is left out, being between the classes.
    Middle,
    /// It is left out, having no rating.
    NoRating,
}

impl Becomes {
    /// In words; a class by its name.
    pub fn words(self) -> &'static str {
        match self {
            Self::Class(class) => class.name(),
            Self::Middle => "left out: between the classes",
            Self::NoRating => "left out: no rating",
        }
    }
}

impl Serialize for Becomes {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> std::result::Result<S::Ok, S::Error> {
        serializer.serialize_str(self.words())
    }
}

/// What is known of one value of the rating while rows are read.
struct Value {
    reading: Reading,
    rows: usize,
    /// Where it first stands.
    first: (String, u64),
}

/// What became of one row.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowOutcome {
    /// It has a class.
    Labelled(Polarity),
    /// It has a text, and a rating between the classes.
    Middle,
    /// It has a text, and no rating.
    Unrated,
    /// It is left out for another reason.
    LeftOut,
}

impl RowOutcome {
    /// The class, where there is one.
    pub fn class(self) -> Option<Polarity> {
        match self {
            Self::Labelled(class) => Some(class),
            Self::Middle | Self::Unrated | Self::LeftOut => None,
        }
    }
}

/// Labels rows as they come. What it keeps does not grow with the rows.
pub struct Labelling<'s> {
    study: &'s Study,
    text: Vec<usize>,
    /// The place of the rating; nothing where nobody rated.
    rated: Option<usize>,
    account: Account,
    values: Vec<Value>,
    /// By cell as it is written: its place in `values`.
    places: HashMap<String, usize>,
    names: BTreeMap<String, usize>,
    keep: Keep<'s>,
    /// By text column: cells that are filled, and those that are codes or numbers.
    codes: Vec<(usize, usize)>,
}

impl<'s> Labelling<'s> {
    /// Finds the columns that the study names.
    ///
    /// # Errors
    /// If one is not there, or cannot hold text, or the study asks what nobody has answered.
    pub fn new(file: &str, columns: &[Column], study: &'s Study) -> Result<Self> {
        check_settled(study)?;
        Self::of_open(file, columns, study)
    }

    /// As [`new`](Self::new), for those who only look at what a study that is still open makes of its rows.
    ///
    /// # Errors
    /// If a column is not there, or cannot hold text.
    pub fn of_open(file: &str, columns: &[Column], study: &'s Study) -> Result<Self> {
        let rated = Some(find_column(file, columns, study.reviews.rated())?);
        Self::with_rating(file, columns, rated, study)
    }

    /// As [`new`](Self::new), for reviews that nobody rated: each counts as neutral.
    ///
    /// # Errors
    /// If a column of the text is not there.
    pub fn of_unrated(file: &str, columns: &[Column], study: &'s Study) -> Result<Self> {
        Self::with_rating(file, columns, None, study)
    }

    fn with_rating(file: &str, columns: &[Column], rated: Option<usize>, study: &'s Study) -> Result<Self> {
        let text = text_columns(file, columns, study)?;
        let codes = vec![(0, 0); text.len()];
        Ok(Self {
            study,
            text,
            rated,
            account: Account { names: study.class_names(), ..Account::default() },
            values: Vec::new(),
            places: HashMap::new(),
            names: BTreeMap::new(),
            keep: Keep::new(file, columns, study)?,
            codes,
        })
    }

    /// The places of the text columns.
    pub fn text(&self) -> &[usize] {
        &self.text
    }

    /// The text of a row.
    pub fn join<'a>(&self, cell: impl Fn(usize) -> &'a str) -> Cow<'a, str> {
        join(self.text.iter().map(|&column| cell(column)))
    }

    /// Takes a row: its cells, and where it stands.
    ///
    /// # Errors
    /// If the rating has so many values that it is none.
    pub fn take<'a>(&mut self, cell: impl Fn(usize) -> &'a str, file: &str, line: u64) -> Result<RowOutcome> {
        self.account.read += 1;
        let text = &self.text;
        if !self.keep.holds(&cell, || join(text.iter().map(|&column| cell(column)))) {
            self.account.not_kept += 1;
            return Ok(RowOutcome::LeftOut);
        }
        let reading = match self.rated {
            Some(rated) => self.read(cell(rated), file, line)?,
            None => Reading::Class(Polarity::Neutral),
        };
        let mut blank = true;
        for (&column, (filled, codes)) in self.text.iter().zip(&mut self.codes) {
            let cell = cell(column).trim();
            blank &= cell.is_empty();
            *filled += usize::from(!cell.is_empty());
            *codes += usize::from(is_code(cell));
        }
        if blank {
            self.account.no_text += 1;
            return Ok(RowOutcome::LeftOut);
        }
        Ok(match reading {
            Reading::Class(class) => {
                match class {
                    Polarity::Negative => self.account.negative += 1,
                    Polarity::Neutral => self.account.neutral += 1,
                    Polarity::Positive => self.account.positive += 1,
                }
                RowOutcome::Labelled(class)
            }
            Reading::Middle => {
                self.account.middle += 1;
                RowOutcome::Middle
            }
            Reading::Missing => {
                self.account.no_rating += 1;
                RowOutcome::Unrated
            }
            Reading::Unknown => RowOutcome::LeftOut, // told at the end, all at once
        })
    }

    /// Takes back what a row was counted as that belongs to another part.
    pub fn set_aside(&mut self, outcome: RowOutcome) -> RowOutcome {
        let RowOutcome::Labelled(class) = outcome else { return outcome };
        match class {
            Polarity::Negative => self.account.negative -= 1,
            Polarity::Neutral => self.account.neutral -= 1,
            Polarity::Positive => self.account.positive -= 1,
        }
        self.account.set_aside += 1;
        RowOutcome::LeftOut
    }

    fn read(&mut self, cell: &str, file: &str, line: u64) -> Result<Reading> {
        if let Some(&place) = self.places.get(cell) {
            self.values[place].rows += 1;
            return Ok(self.values[place].reading);
        }
        if self.places.len() >= MOST_VALUES {
            fail!(
                Reviews,
                "column `{}` has more than {} values: is it the rating? (reviews.stars, reviews.label)",
                self.study.reviews.rated(),
                number(MOST_VALUES)
            );
        }
        let shown = shown_rating(cell);
        let reading = self.study.polarity.read(&shown);
        let values = &mut self.values;
        let place = *self.names.entry(shown.into_owned()).or_insert_with(|| {
            values.push(Value { reading, rows: 0, first: (file.to_string(), line) });
            values.len() - 1
        });
        self.values[place].rows += 1;
        self.places.insert(cell.to_string(), place);
        Ok(reading)
    }

    /// The account of all rows and values, given the rows that were refused before they could
    /// be labelled.
    ///
    /// # Errors
    /// If there are values that the rule does not name, or a text column holds codes.
    pub fn finish(mut self, refused: usize) -> Result<(Account, Vec<ValueRow>)> {
        self.account.read += refused;
        self.account.refused = refused;
        self.check_values()?;
        self.check_texts()?;
        self.account.sum()?;
        let named = |(value, &place): (&String, &usize)| match self.values[place].reading {
            Reading::Class(class) => [class.name(), self.account.names.of(class)]
                .into_iter()
                .any(|name| value.eq_ignore_ascii_case(name)),
            _ => true,
        };
        self.account.by_name = self.account.labelled() > 0 && self.names.iter().all(named);
        let becomes = |reading| match reading {
            Reading::Class(class) => Becomes::Class(class),
            Reading::Middle => Becomes::Middle,
            Reading::Missing | Reading::Unknown => Becomes::NoRating,
        };
        let row = |(value, &place): (&String, &usize)| {
            let Value { reading, rows, .. } = self.values[place];
            ValueRow { value: value.clone(), becomes: becomes(reading), rows }
        };
        let mut values: Vec<ValueRow> = self.names.iter().map(row).collect();
        values.sort_by(|a, b| rating_order(&a.value, &b.value));
        Ok((self.account, values))
    }

    fn check_values(&self) -> Result<()> {
        let named = self.names.iter().map(|(name, &place)| (name.as_str(), &self.values[place]));
        let mut unknown: Vec<(&str, &Value)> =
            named.clone().filter(|(_, value)| value.reading == Reading::Unknown).collect();
        unknown.sort_by_key(|(_, value)| std::cmp::Reverse(value.rows));
        let Some((_, most)) = unknown.first() else { return Ok(()) };
        let (file, line) = &most.first;
        let all: Vec<unnamed::ValueCount<'_>> =
            named.filter(|(name, _)| !name.is_empty()).map(|(name, value)| (name, value.rows)).collect();
        let unknown: Vec<unnamed::ValueCount<'_>> =
            unknown.iter().map(|(name, value)| (*name, value.rows)).collect();
        fail!(Reviews, "{}", unnamed::told(&unknown, &all, &format!("{file}, line {line}"), self.study));
    }

    /// Numbers and identifiers are no texts to learn from.
    fn check_texts(&self) -> Result<()> {
        for (name, &(filled, codes)) in self.study.reviews.text.iter().zip(&self.codes) {
            if filled >= ENOUGH_CELLS && codes as f64 >= MOSTLY_CODES * filled as f64 {
                fail!(
                    Reviews,
                    "column `{name}` holds numbers or codes in {codes} of {filled} cells: identifiers and counts \
                     are no text to learn from; name the column of the reviews in reviews.text"
                );
            }
        }
        Ok(())
    }
}

/// What a study leaves open is decided by nobody else.
pub fn check_settled(study: &Study) -> Result<()> {
    if !study.open.is_empty() {
        fail!(
            Settings,
            "the study leaves open what only you can say: {} Set the values in [polarity], and take the question out \
             of polarity.open",
            study.open.join(" ")
        );
    }
    Ok(())
}

/// A cell without blanks and with a digit: a number, a date, an identifier.
fn is_code(cell: &str) -> bool {
    cell.len() < 64 && cell.bytes().any(|byte| byte.is_ascii_digit()) && !cell.contains(char::is_whitespace)
}

/// The places of the text columns.
pub fn text_columns(file: &str, columns: &[Column], study: &Study) -> Result<Vec<usize>> {
    if study.reviews.text.is_empty() {
        fail!(Reviews, "reviews.text names no column; set it, as in --set reviews.text=review");
    }
    let find = |name: &String| {
        let at = find_column(file, columns, name)?;
        match columns[at].kind {
            CellKind::Text => Ok(at),
            kind => {
                fail!(Reviews, "{file}: column `{name}` holds {}, expected text (reviews.text)", kind.words())
            }
        }
    };
    study.reviews.text.iter().map(find).collect()
}

/// Puts the columns of one review together; blank ones are left out.
pub fn join<'a>(cells: impl Iterator<Item = &'a str>) -> Cow<'a, str> {
    let mut text = Cow::Borrowed("");
    for cell in cells.filter(|cell| !cell.trim().is_empty()) {
        if text.is_empty() {
            text = Cow::Borrowed(cell);
        } else {
            text.to_mut().push_str(Document::BETWEEN);
            text.to_mut().push_str(cell);
        }
    }
    text
}
