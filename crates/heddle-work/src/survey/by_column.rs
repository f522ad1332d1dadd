//! The share of the negative class by value of each column that has few.

use std::collections::BTreeMap;

use heddle_core::labels::{Polarity, Reading, rating_order};
use heddle_core::measure::{Figure, differ, share};
use heddle_core::settings::Study;
use heddle_core::survey::{ColumnKind, ColumnProfile};
use heddle_files::Record;
use serde::Serialize;

use super::columns::FoundColumns;

/// A column of more values is not told value by value.
const MOST_VALUES: usize = 12;
/// A value of fewer labelled rows is not told.
const FEWEST: usize = 10;

/// What a column tells of the class.
#[derive(Debug, Serialize)]
pub struct NegativeByColumn {
    /// The column.
    pub column: String,
    /// Its values, in the order in which people expect them.
    pub values: Vec<NegativeByValue>,
}

/// What a value of a column tells of the class.
#[derive(Debug, Serialize)]
pub struct NegativeByValue {
    /// The value.
    pub value: String,
    /// The share of negative rows among those with a class that have it.
    pub negative: Figure,
    /// Whether that is not as in all other rows, by more than noise, as many values being looked at as there are.
    pub differs: bool,
}

/// Counts of ratings by value, of the columns that have few.
pub(super) struct Crossed {
    columns: Vec<CrossedColumn>,
}

/// A column on its way.
struct CrossedColumn {
    /// Its place in a row.
    at: usize,
    name: String,
    /// By value, then by rating: the rows.
    ratings: BTreeMap<String, BTreeMap<String, usize>>,
}

/// The rows of a value, and the negative ones among them.
#[derive(Clone, Copy)]
struct Rows {
    negative: usize,
    all: usize,
}

impl CrossedColumn {
    /// Its values with their rows under the rule of a study.
    fn rows(&self, study: &Study) -> Vec<(&str, Rows)> {
        let class = |rating: &str| match study.polarity.read(rating) {
            Reading::Class(class) => Some(class),
            _ => None,
        };
        let rows = |ratings: &BTreeMap<String, usize>| {
            let of = |takes: &dyn Fn(Polarity) -> bool| -> usize {
                let own = ratings.iter().filter(|(rating, _)| class(rating).is_some_and(takes));
                own.map(|(_, rows)| rows).sum()
            };
            Rows { negative: of(&|class| class == Polarity::Negative), all: of(&|_| true) }
        };
        self.ratings.iter().map(|(value, ratings)| (value.as_str(), rows(ratings))).collect()
    }
}

impl Crossed {
    /// Counts nothing yet; the columns of text, rating and id have no part in it.
    pub fn new(profiles: &[ColumnProfile], found: &FoundColumns) -> Self {
        let taken = |name: &String| {
            found.text.contains(name)
                || [&found.rating, &found.id].iter().any(|own| own.as_ref() == Some(name))
        };
        let few = |profile: &ColumnProfile| {
            matches!(profile.kind, ColumnKind::Category | ColumnKind::Number)
                && (2..=MOST_VALUES).contains(&profile.distinct)
                && !taken(&profile.name)
        };
        let columns = profiles.iter().enumerate().filter(|(_, profile)| few(profile));
        let of = |(at, own): (usize, &ColumnProfile)| CrossedColumn {
            at,
            name: own.name.clone(),
            ratings: BTreeMap::new(),
        };
        Self { columns: columns.map(of).collect() }
    }

    /// Counts a row of this rating.
    pub fn add(&mut self, record: &Record, rating: &str) {
        for column in &mut self.columns {
            let value = record[column.at].trim();
            if !value.is_empty() && !rating.is_empty() {
                // Nearly every value and rating is there already: no text is made for it.
                if !column.ratings.contains_key(value) {
                    column.ratings.insert(value.into(), BTreeMap::new());
                }
                let ratings = column.ratings.get_mut(value).expect("it is there now");
                match ratings.get_mut(rating) {
                    Some(rows) => *rows += 1,
                    None => drop(ratings.insert(rating.into(), 1)),
                }
            }
        }
    }

    /// The shares under the rule of a study.
    pub fn shares(&self, study: &Study) -> Vec<NegativeByColumn> {
        let columns: Vec<(&str, Vec<(&str, Rows)>)> =
            self.columns.iter().map(|column| (column.name.as_str(), column.rows(study))).collect();
        let enough = |(_, rows): &&(&str, Rows)| rows.all >= FEWEST;
        let at_once = columns.iter().flat_map(|(_, own)| own.iter().filter(enough)).count();
        let column = |(name, own): (&str, Vec<(&str, Rows)>)| {
            let sum = |of: fn(&Rows) -> usize| own.iter().map(|(_, rows)| of(rows)).sum::<usize>();
            let (negative, all) = (sum(|rows| rows.negative), sum(|rows| rows.all));
            let value = |(value, rows): &(&str, Rows)| {
                let here = share(rows.negative, rows.all);
                let rest = share(negative - rows.negative, all - rows.all);
                let differs = differ(&here, &rest, at_once).unwrap_or(false);
                NegativeByValue { value: value.to_string(), negative: here, differs }
            };
            let mut values: Vec<NegativeByValue> = own.iter().filter(enough).map(value).collect();
            values.sort_by(|a, b| rating_order(&a.value, &b.value));
            NegativeByColumn { column: name.into(), values }
        };
        columns.into_iter().map(column).filter(|own| own.values.len() > 1).collect()
    }
}
