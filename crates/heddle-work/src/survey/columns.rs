//! Which columns mean what.

use heddle_core::labels::{Reading, Sense, read_rating};
use heddle_core::settings::Study;
use heddle_core::survey::{ColumnKind, ColumnProfile};
use serde::Serialize;

/// More distinct numbers are no rating, whatever the column is called.
const MOST_NUMBERS: usize = 101;

/// The columns that mean something, as far as can be told.
#[derive(Debug, Default, Serialize)]
pub struct FoundColumns {
    /// The columns of the text.
    pub text: Vec<String>,
    /// The column of the rating.
    pub rating: Option<String>,
    /// The column of ids.
    pub id: Option<String>,
    /// The column of the date.
    pub date: Option<String>,
}

impl FoundColumns {
    /// Puts the columns into a study.
    pub fn enter(&self, study: &mut Study) {
        let reviews = &mut study.reviews;
        if !self.text.is_empty() {
            reviews.text = self.text.clone();
        }
        if let Some(rating) = &self.rating {
            reviews.stars = rating.clone();
        }
        reviews.id = self.id.clone().or(reviews.id.take());
        reviews.date = self.date.clone().or(reviews.date.take());
    }
}

/// The columns named by the study where they exist, others by what they hold.
pub fn find(columns: &[ColumnProfile], study: &Study) -> FoundColumns {
    let named = |name: &str| columns.iter().any(|column| column.name == name);
    let first =
        |kind: ColumnKind| columns.iter().find(|column| column.kind == kind).map(|own| own.name.clone());
    let reviews = &study.reviews;
    let text = if reviews.text.iter().all(|name| named(name)) && *reviews != Study::default().reviews {
        reviews.text.clone()
    } else {
        texts(columns).into_iter().map(|column| column.name.clone()).collect()
    };
    let rating = match named(reviews.rated()) {
        true => Some(reviews.rated().to_string()),
        false => ratings(columns, study).first().map(|column| column.name.clone()),
    };
    FoundColumns {
        text,
        rating,
        id: first(ColumnKind::Identifier),
        date: reviews.date.clone().filter(|name| named(name)).or_else(|| first(ColumnKind::Date)),
    }
}

/// The columns that may hold the text.
pub fn texts(columns: &[ColumnProfile]) -> Vec<&ColumnProfile> {
    columns.iter().filter(|column| column.kind == ColumnKind::Text).collect()
}

/// The columns that may hold the rating, all as likely.
pub fn ratings<'a>(columns: &'a [ColumnProfile], study: &Study) -> Vec<&'a ColumnProfile> {
    const NAMES: [&str; 11] = [
        "star",
        "rating",
        "score",
        "grade",
        "points",
        "class",
        "label",
        "polarity",
        "sentiment",
        "thumb",
        "recommend",
    ];
    let sounds = |column: &ColumnProfile| {
        let name = column.name.to_lowercase();
        NAMES.iter().any(|word| name.contains(word))
    };
    let few = |column: &ColumnProfile| {
        matches!(column.kind, ColumnKind::Number | ColumnKind::Category)
            && (2..=12).contains(&column.distinct)
    };
    // A scale of a hundred has many values, and a name that says what it is.
    let many = |column: &ColumnProfile| {
        column.kind == ColumnKind::Number
            && (2..=MOST_NUMBERS).contains(&column.distinct)
            && within_hundred(column)
    };
    // "4/5", "★★★★☆": written as nothing but ratings are.
    let written = |column: &ColumnProfile| {
        let drawn =
            |(value, _): &(String, usize)| read_rating(value).is_some_and(|rating| rating.out_of.is_some());
        column.kind == ColumnKind::Category && column.values.iter().filter(|value| drawn(value)).count() >= 2
    };
    // A few numbers that come again and again, in one column only, are a rating by any name.
    let repeats = |column: &ColumnProfile| {
        column.kind == ColumnKind::Number && few(column) && column.filled >= 3 * column.distinct
    };
    // Values that the rule names are classes, whatever the column is called.
    let classes = |column: &ColumnProfile| {
        let named = |(value, _): &(String, usize)| {
            matches!(study.polarity.read(value), Reading::Class(_)) || Sense::of(value).is_some()
        };
        column.kind == ColumnKind::Category && few(column) && column.values.iter().all(named)
    };
    let fitting = |way: &dyn Fn(&ColumnProfile) -> bool| -> Vec<&'a ColumnProfile> {
        columns.iter().filter(|column| way(column)).collect()
    };
    let sounding = fitting(&|column| (few(column) || many(column)) && sounds(column));
    if !sounding.is_empty() {
        return sounding;
    }
    let ways: [&dyn Fn(&ColumnProfile) -> bool; 3] = [&written, &repeats, &classes];
    ways.into_iter().map(fitting).find(|found| found.len() == 1).unwrap_or_default()
}

fn within_hundred(column: &ColumnProfile) -> bool {
    column.numbers.as_ref().is_some_and(|own| own.quartiles[0] >= 0.0 && own.quartiles[4] <= 100.0)
}
