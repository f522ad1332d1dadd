//! Which columns mean what.

use heddle_core::labels::{DateOrder, Reading};
use heddle_core::settings::Study;
use heddle_core::survey::{ColumnKind, ColumnProfile};
use serde::Serialize;

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
    pub fn enter(&self, study: &mut Study, columns: &[ColumnProfile]) {
        let reviews = &mut study.reviews;
        if !self.text.is_empty() {
            reviews.text = self.text.clone();
        }
        if let Some(rating) = &self.rating {
            reviews.stars = rating.clone();
        }
        reviews.id = self.id.clone().or(reviews.id.take());
        reviews.date = self.date.clone().or(reviews.date.take());
        let turned = |column: &ColumnProfile| {
            Some(&column.name) == self.date.as_ref()
                && column.dates.as_ref().is_some_and(|own| own.turned > 0)
        };
        if columns.iter().any(turned) {
            // What cannot be read in one order is written in the other.
            reviews.dates = match reviews.dates {
                DateOrder::DayFirst => DateOrder::MonthFirst,
                DateOrder::MonthFirst => DateOrder::DayFirst,
            };
        }
    }
}

/// The columns named by the study where they exist, others by what they hold.
pub fn find(columns: &[ColumnProfile], study: &Study) -> FoundColumns {
    let named = |name: &str| columns.iter().any(|column| column.name == name);
    let of_kind = |kind: ColumnKind| columns.iter().filter(move |column| column.kind == kind);
    let reviews = &study.reviews;
    let text = if reviews.text.iter().all(|name| named(name)) && *reviews != Study::default().reviews {
        reviews.text.clone()
    } else {
        of_kind(ColumnKind::Text).map(|column| column.name.clone()).collect()
    };
    FoundColumns {
        text,
        rating: rating(columns, study),
        id: of_kind(ColumnKind::Identifier).map(|column| column.name.clone()).next(),
        date: reviews
            .date
            .clone()
            .filter(|name| named(name))
            .or_else(|| of_kind(ColumnKind::Date).map(|column| column.name.clone()).next()),
    }
}

fn rating(columns: &[ColumnProfile], study: &Study) -> Option<String> {
    const NAMES: [&str; 10] =
        ["star", "rating", "score", "grade", "points", "class", "label", "polarity", "thumb", "recommend"];
    let sounds = |column: &&ColumnProfile| {
        let name = column.name.to_lowercase();
        NAMES.iter().any(|word| name.contains(word))
    };
    let few = |column: &&ColumnProfile| {
        matches!(column.kind, ColumnKind::Number | ColumnKind::Category)
            && (2..=12).contains(&column.distinct)
    };
    // A few numbers that come again and again, in one column only, are a rating by any name.
    let repeats = |column: &&ColumnProfile| {
        column.kind == ColumnKind::Number && few(column) && column.filled >= 3 * column.distinct
    };
    // Values that the rule names are classes, whatever the column is called.
    let classes = |column: &&ColumnProfile| {
        let named = |(value, _): &(String, usize)| matches!(study.polarity.read(value), Reading::Class(_));
        column.kind == ColumnKind::Category && few(column) && column.values.iter().all(named)
    };
    let wanted = study.reviews.rated();
    if columns.iter().any(|column| column.name == wanted) {
        return Some(wanted.to_string());
    }
    let sounding = columns.iter().filter(few).find(sounds);
    let telling = || only(columns.iter().filter(repeats)).or_else(|| only(columns.iter().filter(classes)));
    sounding.or_else(telling).map(|column| column.name.clone())
}

/// The item, if there is one and no other.
fn only<T>(mut items: impl Iterator<Item = T>) -> Option<T> {
    let first = items.next()?;
    items.next().is_none().then_some(first)
}
