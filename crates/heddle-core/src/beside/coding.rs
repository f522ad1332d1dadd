//! What training rows teach of columns, and the numbers that reviews have under it.

use std::ops::Range;

use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

use super::facts::Fact;
use super::used::{Cell, ColumnUse, Source, order_of};
use super::values::{Beside, Known, Values};
use crate::labels::dates::DateOrder;
use crate::matrix::{Entry, Rows};
use crate::text::document::Document;
use crate::text::language::Language;

/// Bands of a number.
const BANDS: usize = 5;

/// How a column is coded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case", tag = "kind")]
pub enum ColumnKind {
    /// A feature for each of these categories, one for all others and one for blank cells.
    Categories {
        /// Those that enough training rows have, in the alphabetical order of their bytes.
        levels: Vec<String>,
    },
    /// A feature for each band of a number, and one for blank cells.
    Bands {
        /// Where the bands end, rising: the first is all below the first cut.
        cuts: Vec<f64>,
    },
    /// One feature, (number - mean) / spread, which is 0 of a blank cell, and one that is 1 - s of a blank cell and -s of
    /// all others, s being the share of training rows where it is blank.
    Number {
        /// The mean of the training rows.
        mean: f64,
        /// Their standard deviation.
        spread: f64,
        /// The least of them, and the most: what lies beyond counts as that, because nothing is known there.
        range: (f64, f64),
    },
}

/// What training rows teach of a column.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct LearntColumn {
    /// The column and how it is read, as the study writes it.
    pub column: String,
    /// How it is coded.
    #[serde(flatten)]
    pub kind: ColumnKind,
    /// What the penalty on its effects is multiplied by.
    pub penalty: f64,
    /// By feature: the training rows that have it; of a number, those where it is known and those where it is blank.
    pub reviews: Vec<u32>,
}

/// What training rows teach of all columns. Features are numbered column by column.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Coding {
    /// The columns, in the order of the study.
    pub columns: Vec<LearntColumn>,
}

/// What was learnt of columns: a coding, and what each of its features adds to the log-odds.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct ColumnEffects {
    /// How columns are coded.
    pub coding: Coding,
    /// By feature: what it adds to the log-odds of positive, in nats: a category or a band by being there, a number by
    /// each standard deviation above its mean. The mean over the training rows of what a column adds is 0, so that
    /// what is not known adds nothing.
    pub effects: Vec<f32>,
    /// The same for neutrality, where each class has weights of its own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub neutral: Vec<f32>,
}

impl LearntColumn {
    /// Learns from some rows: which categories `at_least` of them have, where bands end, what is usual.
    fn learn(used: &ColumnUse, values: &Values, rows: &[u32], (at_least, penalty): (u32, f64)) -> Self {
        let kind = match values {
            Values::Words { words, of } => {
                let mut counts = vec![0u32; words.len()];
                for row in rows {
                    if let Some(count) = counts.get_mut(of[*row as usize] as usize) {
                        *count += 1;
                    }
                }
                let enough = (0..words.len() as u32).filter(|word| counts[*word as usize] >= at_least.max(1));
                let mut levels: Vec<String> = enough.map(|word| words[word as usize].clone()).collect();
                levels.sort_unstable();
                ColumnKind::Categories { levels }
            }
            Values::Numbers { bands, of } => {
                let there = rows.iter().map(|row| of[*row as usize]).filter(|number| !number.is_nan());
                let mut numbers: Vec<f64> = there.collect();
                numbers.sort_unstable_by(f64::total_cmp);
                if *bands { bands_of(&numbers) } else { number_of(&numbers) }
            }
        };
        let mut column = Self { column: used.to_string(), kind, penalty, reviews: Vec::new() };
        let mut reviews = vec![0; column.features()];
        let coder = Coder::new(&column);
        rows.iter().for_each(|row| reviews[coder.code(values.at(*row as usize)).place()] += 1);
        column.reviews = reviews;
        column
    }

    /// Whether training could have learnt it.
    fn is_sound(&self) -> bool {
        let kind = match &self.kind {
            ColumnKind::Categories { levels } => levels.is_sorted_by(|a, b| a < b),
            ColumnKind::Bands { cuts } => {
                cuts.iter().all(|cut| cut.is_finite()) && cuts.is_sorted_by(|a, b| a < b)
            }
            ColumnKind::Number { mean, spread, range: (least, most) } => {
                let finite = [mean, spread, least, most].into_iter().all(|number| number.is_finite());
                finite && *spread > 0.0 && least <= most
            }
        };
        kind && self.reviews.len() == self.features() && self.penalty > 0.0 && self.penalty.is_finite()
    }

    /// The number of its features.
    pub fn features(&self) -> usize {
        match &self.kind {
            ColumnKind::Categories { levels } => levels.len() + 2,
            ColumnKind::Bands { cuts } => cuts.len() + 2,
            ColumnKind::Number { .. } => 2,
        }
    }

    /// What a feature stands for.
    pub fn feature_name(&self, feature: usize) -> String {
        if feature + 1 == self.features() {
            return if self.fact().is_some() { "(none)".into() } else { "(blank)".into() };
        }
        match &self.kind {
            ColumnKind::Categories { levels } => levels.get(feature).cloned().unwrap_or("(other)".into()),
            ColumnKind::Bands { cuts } => {
                match (feature.checked_sub(1).map(|below| cuts[below]), cuts.get(feature)) {
                    (None, Some(end)) => format!("below {}", self.shown(*end)),
                    (Some(start), Some(end)) => format!("{} to {}", self.shown(start), self.shown(*end)),
                    (Some(start), None) => format!("{} and more", self.shown(start)),
                    (None, None) => "all".into(),
                }
            }
            // A step on the scale of logarithms multiplies.
            ColumnKind::Number { spread, .. } => match self.fact() {
                Some(Fact::Words | Fact::Exclamations) => {
                    format!("each {} times as many", short(spread.exp()))
                }
                Some(Fact::Capitals | Fact::Rating) => format!("each {} points more", short(100.0 * spread)),
                Some(Fact::Language) | None => format!("each {} more", short(*spread)),
            },
        }
    }

    /// A number of the column as it is shown: facts that are logarithms as what they are logarithms of.
    pub fn shown(&self, number: f64) -> String {
        match self.fact() {
            Some(Fact::Words | Fact::Exclamations) => format!("{:.0}", number.exp_m1()),
            Some(Fact::Capitals) => format!("{:.1} %", 100.0 * number),
            Some(Fact::Rating) => format!("{:.0} of 10", 10.0 * number),
            Some(Fact::Language) | None => short(number),
        }
    }

    /// The fact of the text that it is.
    fn fact(&self) -> Option<Fact> {
        match ColumnUse::parse(&self.column).ok()?.source {
            Source::Text(fact) => Some(fact),
            Source::Column(_) => None,
        }
    }

    /// The features in the order in which people expect them: categories by the calendar, by size or by the alphabet.
    pub fn shown_order(&self) -> Vec<usize> {
        let mut order: Vec<usize> = (0..self.features()).collect();
        if let ColumnKind::Categories { levels } = &self.kind {
            order[..levels.len()].sort_by_key(|at| order_of(&levels[*at]));
        }
        order
    }

    /// Whether a feature is that of all categories which stand for nothing alone.
    pub fn is_other(&self, feature: usize) -> bool {
        matches!(&self.kind, ColumnKind::Categories { levels } if feature == levels.len())
    }

    /// The share of the training rows where it is blank.
    fn blank(&self) -> f64 {
        let all: f64 = self.reviews.iter().map(|count| f64::from(*count)).sum();
        let blank = self.reviews.last().map_or(0.0, |count| f64::from(*count));
        if all > 0.0 { blank / all } else { 0.0 }
    }

    /// The entries that a review has of it.
    fn slots(&self) -> usize {
        match self.kind {
            ColumnKind::Number { .. } => 2,
            _ => 1,
        }
    }

    /// Puts the entries of a cell behind others; features are numbered from `first` on.
    fn put(&self, coded: Coded, first: usize, row: &mut Vec<Entry>) {
        let mut push = |feature: usize, value: f64| {
            row.push(Entry { column: (first + feature) as u32, value: value as f32 });
        };
        match coded {
            Coded::One(feature) => push(feature, 1.0),
            Coded::Number(number) => {
                push(0, number.unwrap_or(0.0));
                push(1, if number.is_none() { 1.0 - self.blank() } else { -self.blank() });
            }
        }
    }

    /// What the entries of a review say of the column: its feature, and where it is a number, that.
    pub(crate) fn read(&self, entries: &[Entry], first: usize) -> Option<(usize, Option<f64>)> {
        let entry = entries.first()?;
        match (&self.kind, entries.get(1)) {
            (ColumnKind::Number { mean, spread, .. }, Some(blank)) => match blank.value > 0.0 {
                true => Some((1, None)),
                false => Some((0, Some(mean + spread * f64::from(entry.value)))),
            },
            _ => Some((entry.column as usize - first, None)),
        }
    }

    /// What a cell comes to.
    fn code(&self, cell: &Cell) -> Coded {
        let known = match cell {
            Cell::Blank | Cell::Unread => Known::Blank,
            Cell::Number(number) => Known::Number(*number),
            Cell::Word(word) => Known::Word(word),
        };
        code(&self.kind, known, |word| match &self.kind {
            ColumnKind::Categories { levels } => levels.binary_search_by(|own| own.as_str().cmp(word)).ok(),
            _ => None,
        })
    }
}

/// A number as it is shown.
fn short(number: f64) -> String {
    let digits = 2 - (number.abs().max(1e-9).log10().floor() as i32).clamp(-6, 2);
    let shown = format!("{number:.*}", digits.max(0) as usize);
    match shown.contains('.') {
        true => shown.trim_end_matches('0').trim_end_matches('.').to_string(),
        false => shown,
    }
}

fn bands_of(sorted: &[f64]) -> ColumnKind {
    let mut cuts: Vec<f64> = match sorted.len() {
        0 => Vec::new(),
        all => (1..BANDS).map(|band| sorted[all * band / BANDS]).collect(),
    };
    cuts.dedup();
    cuts.retain(|cut| sorted.first() < Some(cut)); // below the least there is nothing
    ColumnKind::Bands { cuts }
}

/// Of numbers that are sorted.
fn number_of(sorted: &[f64]) -> ColumnKind {
    let all = sorted.len().max(1) as f64;
    let mean = sorted.iter().sum::<f64>() / all;
    let square = sorted.iter().map(|number| (number - mean).powi(2)).sum::<f64>() / all;
    let range = (sorted.first().copied().unwrap_or(0.0), sorted.last().copied().unwrap_or(0.0));
    // Of one number alone, what rounding leaves of the spread is none.
    ColumnKind::Number { mean, spread: if range.0 < range.1 { square.sqrt() } else { 1.0 }, range }
}

/// What a cell comes to.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Coded {
    /// One feature is there.
    One(usize),
    /// A number, in standard deviations above its mean; nothing where it is blank.
    Number(Option<f64>),
}

impl Coded {
    /// The feature by which it is counted.
    fn place(self) -> usize {
        match self {
            Self::One(feature) => feature,
            Self::Number(number) => usize::from(number.is_none()),
        }
    }
}

fn code(kind: &ColumnKind, known: Known<'_>, place: impl Fn(&str) -> Option<usize>) -> Coded {
    let number = match known {
        Known::Number(number) => Some(number),
        Known::Word(word) => super::used::finite(word),
        Known::Blank => None,
    };
    match (kind, known) {
        (ColumnKind::Categories { levels }, Known::Blank) => Coded::One(levels.len() + 1),
        (ColumnKind::Categories { levels }, Known::Word(word)) => {
            Coded::One(place(word).unwrap_or(levels.len()))
        }
        (ColumnKind::Categories { levels }, Known::Number(number)) => {
            Coded::One(place(&number.to_string()).unwrap_or(levels.len()))
        }
        (ColumnKind::Bands { cuts }, _) => Coded::One(match number {
            Some(number) => cuts.partition_point(|cut| *cut <= number),
            None => cuts.len() + 1,
        }),
        (ColumnKind::Number { mean, spread, range }, _) => {
            Coded::Number(number.map(|own| (own.clamp(range.0, range.1) - mean) / spread))
        }
    }
}

/// Finds the features of many reviews.
struct Coder<'a> {
    kind: &'a ColumnKind,
    places: FxHashMap<&'a str, usize>,
}

impl<'a> Coder<'a> {
    fn new(column: &'a LearntColumn) -> Self {
        let levels: &[String] = match &column.kind {
            ColumnKind::Categories { levels } => levels,
            _ => &[],
        };
        let places = levels.iter().enumerate().map(|(place, level)| (level.as_str(), place)).collect();
        Self { kind: &column.kind, places }
    }

    fn code(&self, known: Known<'_>) -> Coded {
        code(self.kind, known, |word| self.places.get(word).copied())
    }
}

impl Coding {
    /// Learns from the `training` rows of all reviews: categories that `at_least` of them have, bands, and what is usual.
    /// `penalty` tells what that on a column is multiplied by.
    pub(crate) fn learn(
        uses: &[ColumnUse],
        beside: &Beside,
        training: &[u32],
        (at_least, penalty): (u32, impl Fn(&ColumnUse) -> f64),
    ) -> Self {
        let learn = |(at, used): (usize, &ColumnUse)| {
            LearntColumn::learn(used, beside.column(at), training, (at_least, penalty(used)))
        };
        Self { columns: uses.iter().enumerate().map(learn).collect() }
    }

    /// The number of features of all columns.
    pub fn features(&self) -> usize {
        self.columns.iter().map(LearntColumn::features).sum()
    }

    /// The features of `count` reviews, training rows or not: of each column as many entries in every review.
    pub fn rows(&self, beside: &Beside, count: usize) -> Rows {
        let coders: Vec<Coder<'_>> = self.columns.iter().map(Coder::new).collect();
        let width = self.slots();
        let mut entries = Vec::with_capacity(count * width);
        for row in 0..count {
            let mut first = 0;
            for (at, (column, coder)) in self.columns.iter().zip(&coders).enumerate() {
                column.put(coder.code(beside.column(at).at(row)), first, &mut entries);
                first += column.features();
            }
        }
        Rows::new((0..count).map(|_| width), entries, self.features())
    }

    /// The entries that a review has.
    pub(crate) fn slots(&self) -> usize {
        self.columns.iter().map(LearntColumn::slots).sum()
    }

    /// By column: its first feature, and where its entries stand in those of a review.
    pub(crate) fn places(&self) -> Vec<(usize, Range<usize>)> {
        let (mut first, mut entry) = (0, 0);
        let of = |column: &LearntColumn| {
            let width = column.slots();
            let own = (first, entry..entry + width);
            (first, entry) = (first + column.features(), entry + width);
            own
        };
        self.columns.iter().map(of).collect()
    }

    /// The entries of a review that stand for all other categories of their column.
    pub(crate) fn others(&self, row: &[Entry]) -> usize {
        let mut first = 0;
        let mut others = 0;
        for column in &self.columns {
            let is_other = |entry: &&Entry| {
                (entry.column as usize).checked_sub(first).is_some_and(|feature| column.is_other(feature))
            };
            others += row.iter().filter(is_other).count();
            first += column.features();
        }
        others
    }

    /// By feature: what its value is multiplied by before it is learnt from, so that a penalty weighs as much as it is
    /// asked to.
    pub(crate) fn scales(&self) -> Vec<f32> {
        let of = |column: &LearntColumn| vec![column.penalty.sqrt().recip() as f32; column.features()];
        self.columns.iter().flat_map(of).collect()
    }

    /// Takes the mean over the training rows of what each column adds out of its effects, and gives their sum. Every
    /// row has one category of each column: the scores stay. The features of numbers have the mean 0.
    pub(crate) fn centre(&self, effects: &mut [f64]) -> f64 {
        let (mut first, mut moved) = (0, 0.0);
        for column in &self.columns {
            let own = &mut effects[first..first + column.features()];
            first += column.features();
            if matches!(column.kind, ColumnKind::Number { .. }) {
                continue;
            }
            let all: f64 = column.reviews.iter().map(|count| f64::from(*count)).sum();
            let sum: f64 = own.iter().zip(&column.reviews).map(|(own, count)| *own * f64::from(*count)).sum();
            let mean = if all > 0.0 { sum / all } else { 0.0 };
            own.iter_mut().for_each(|own| *own -= mean);
            // What no training row has says nothing.
            own.iter_mut()
                .zip(&column.reviews)
                .filter(|(_, count)| **count == 0)
                .for_each(|(own, _)| *own = 0.0);
            moved += mean;
        }
        moved
    }

    /// Effects of the weights of features, and what goes over to the intercept.
    pub(crate) fn effects(&self, weights: &[f64]) -> (Vec<f32>, f64) {
        let mut effects = weights.to_vec();
        let moved = self.centre(&mut effects);
        (effects.into_iter().map(|effect| effect as f32).collect(), moved)
    }
}

impl ColumnEffects {
    /// By column: how far apart lie the most and the least that it adds to the log-odds; of a number, between one standard
    /// deviation above its mean and one below.
    pub fn widths(&self) -> Vec<(&str, f64)> {
        let of = |(column, (first, _)): (&'_ LearntColumn, (usize, Range<usize>))| {
            let own = &self.effects[first..first + column.features()];
            match column.kind {
                ColumnKind::Number { .. } => 2.0 * f64::from(own[0]).abs(),
                _ => {
                    let (low, high) =
                        own.iter().fold((0.0f32, 0.0f32), |(low, high), e| (low.min(*e), high.max(*e)));
                    f64::from(high) - f64::from(low)
                }
            }
        };
        let columns = self.coding.columns.iter();
        columns.zip(self.coding.places()).map(|own| (own.0.column.as_str(), of(own))).collect()
    }

    /// What each feature stands for, column by column, with the training reviews that have it and what it adds: those
    /// that some review has, in the order in which people expect them.
    pub fn told(&self) -> Vec<(&str, String, u32, f32)> {
        let mut told = Vec::new();
        for (column, (first, _)) in self.coding.columns.iter().zip(self.coding.places()) {
            let there = |feature: &usize| column.reviews[*feature] > 0;
            for feature in column.shown_order().into_iter().filter(there) {
                let (name, reviews) = (column.feature_name(feature), column.reviews[feature]);
                told.push((column.column.as_str(), name, reviews, self.effects[first + feature]));
            }
        }
        told
    }

    /// Whether it can be that of these columns.
    pub fn is_sound(&self, uses: &[ColumnUse], free: bool) -> bool {
        let features = self.coding.features();
        let finite = |effects: &[f32]| effects.iter().all(|effect| effect.is_finite());
        let named = |(column, used): (&LearntColumn, &ColumnUse)| column.column == used.to_string();
        self.coding.columns.len() == uses.len()
            && self.coding.columns.iter().zip(uses).all(named)
            && self.coding.columns.iter().all(LearntColumn::is_sound)
            && self.effects.len() == features
            && self.neutral.len() == if free { features } else { 0 }
            && finite(&self.effects)
            && finite(&self.neutral)
    }

    /// What the features of a review add to the log-odds, in the order of the columns.
    pub(crate) fn sum(row: &[Entry], effects: &[f32]) -> f64 {
        row.iter().map(|entry| Self::of(entry, effects)).sum()
    }

    /// What one feature of a review adds.
    pub(crate) fn of(entry: &Entry, effects: &[f32]) -> f64 {
        f64::from(entry.value) * f64::from(effects[entry.column as usize])
    }

    /// Whether one of the features of a review pulls at all.
    pub(crate) fn pull(&self, row: &[Entry]) -> bool {
        let pulls = |effects: &[f32]| row.iter().any(|entry| Self::of(entry, effects) != 0.0);
        pulls(&self.effects) || !self.neutral.is_empty() && pulls(&self.neutral)
    }

    /// Puts the features of a document into `row`, of each column of which something is known. `told` is the language by
    /// which it was read, where there are several.
    pub(crate) fn put(
        &self,
        uses: &[ColumnUse],
        (document, told): (&Document, Option<Language>),
        dates: DateOrder,
        row: &mut Vec<Entry>,
    ) {
        let mut first = 0;
        for (at, (used, column)) in uses.iter().zip(&self.coding.columns).enumerate() {
            let cell = match used.column() {
                Some(_) => document.beside(at).map(|cell| used.read(cell, "", dates)),
                None => used.of_language(told).or_else(|| Some(used.read("", document.text(), dates))),
            };
            if let Some(cell) = cell {
                column.put(column.code(&cell), first, row);
            }
            first += column.features();
        }
    }
}
