//! What the reviews have in the columns that are used.

use std::collections::HashSet;

use rustc_hash::FxHashMap;

use super::used::{Cell, ColumnForm, ColumnUse, finite};

/// Fewer different numbers than this are categories, where nothing is said of them.
const MANY_NUMBERS: usize = 12;
/// The place of a blank cell.
const BLANK: u32 = u32::MAX;

/// What all reviews have in the columns that are used: by column, then by review.
#[derive(Debug, Clone, Default)]
pub struct Beside {
    columns: Vec<Values>,
    /// By column: cells that are filled, and cannot be read as they should be.
    unread: Vec<usize>,
}

/// How the cells of a column differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Variety {
    /// Whether they are read as categories.
    pub is_categories: bool,
    /// Different values.
    pub values: usize,
    /// Cells in which nothing can be read.
    pub blank: usize,
    /// Of these, the ones that are filled.
    pub unread: usize,
}

/// The cells of a column.
#[derive(Debug, Clone)]
pub(super) enum Values {
    /// The different words, and by review the place of its own.
    Words { words: Vec<String>, of: Vec<u32> },
    /// By review; NaN where it is blank.
    Numbers { bands: bool, of: Vec<f64> },
}

/// What a review has in a column.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Known<'a> {
    Blank,
    Number(f64),
    Word(&'a str),
}

impl Beside {
    /// The cells of all reviews, one review after the other, in the order of `uses`.
    pub(crate) fn new(uses: &[ColumnUse], cells: &[Cell]) -> Self {
        let of =
            |(at, used): (usize, &ColumnUse)| Values::of(used, cells.iter().skip(at).step_by(uses.len()));
        let unread = |at: usize| {
            cells.iter().skip(at).step_by(uses.len()).filter(|cell| **cell == Cell::Unread).count()
        };
        Self {
            columns: uses.iter().enumerate().map(of).collect(),
            unread: (0..uses.len()).map(unread).collect(),
        }
    }

    /// Whether there are no columns.
    pub fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    pub(super) fn column(&self, column: usize) -> &Values {
        &self.columns[column]
    }

    /// By column: how its cells differ.
    pub fn variety(&self) -> Vec<Variety> {
        self.columns.iter().zip(&self.unread).map(|(own, unread)| own.variety(*unread)).collect()
    }
}

impl Values {
    fn of<'a>(used: &ColumnUse, cells: impl Iterator<Item = &'a Cell> + Clone) -> Self {
        let written = |cell: &Cell| match cell {
            Cell::Number(number) => *number,
            Cell::Word(word) => finite(word).unwrap_or(f64::NAN),
            Cell::Blank | Cell::Unread => f64::NAN,
        };
        let numbers = match used.form {
            ColumnForm::Number | ColumnForm::Bands => true,
            ColumnForm::Auto => {
                let mut filled = cells.clone().filter(|cell| matches!(cell, Cell::Word(_) | Cell::Number(_)));
                let different: HashSet<u64> = cells.clone().map(|cell| written(cell).to_bits()).collect();
                filled.all(|cell| !written(cell).is_nan()) && different.len() > MANY_NUMBERS
            }
            _ => false,
        };
        if numbers {
            return Self::Numbers { bands: used.form == ColumnForm::Bands, of: cells.map(written).collect() };
        }
        let (mut words, mut places) = (Vec::new(), FxHashMap::<String, u32>::default());
        let mut place = |word: &str| {
            places.get(word).copied().unwrap_or_else(|| {
                places.insert(word.into(), words.len() as u32);
                words.push(word.to_string());
                words.len() as u32 - 1
            })
        };
        let of = cells.map(|cell| match cell {
            Cell::Word(word) => place(word),
            Cell::Number(number) => place(&number.to_string()),
            Cell::Blank | Cell::Unread => BLANK,
        });
        Self::Words { of: of.collect(), words }
    }

    pub(super) fn at(&self, row: usize) -> Known<'_> {
        match self {
            Self::Words { words, of } => match of[row] {
                BLANK => Known::Blank,
                word => Known::Word(&words[word as usize]),
            },
            Self::Numbers { of, .. } if of[row].is_nan() => Known::Blank,
            Self::Numbers { of, .. } => Known::Number(of[row]),
        }
    }

    fn variety(&self, unread: usize) -> Variety {
        let (values, blank) = match self {
            Self::Words { words, of } => (words.len(), of.iter().filter(|word| **word == BLANK).count()),
            Self::Numbers { of, .. } => {
                let there = of.iter().filter(|number| !number.is_nan());
                let different: HashSet<u64> = there.clone().map(|number| number.to_bits()).collect();
                (different.len(), of.len() - there.count())
            }
        };
        Variety { is_categories: matches!(self, Self::Words { .. }), values, blank, unread }
    }
}
