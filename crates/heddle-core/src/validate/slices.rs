//! Figures by slice: for each value of what stands beside the text.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use serde::Serialize;

use super::compare::within;
use super::cross::{HeldOut, dependence, judged};
use crate::choice::Choice;
use crate::labels::dates::Day;
use crate::labels::polarity::Polarity;
use crate::labels::rating::rating_order;
use crate::measure::dependence::Dependence;
use crate::measure::interval::Figure;
use crate::measure::slice_figure::SliceFigure;
use crate::measure::verdict::Verdict;
use crate::model::card::ValidatedSlice;
use crate::resample::folds::Sample;

/// More values of a column than this are drawn together: numbers into quarters, others by what is
/// frequent.
const MOST_LEVELS: usize = 12;
/// So many of the most frequent values stay apart then.
const FREQUENT: usize = 10;
/// Of fewer reviews that have a part in it, no figure is held against that of the rest.
const FEWEST_OF_FIGURE: f64 = 10.0;

/// Something that is known of every review beside its text, with few values.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Aspect {
    /// What it is: the name of a column, "month", "length" or "language".
    pub name: String,
    /// Its values, as they are shown.
    pub levels: Vec<String>,
    /// By review: the place of its value in `levels`.
    pub of: Vec<u32>,
    /// Cells that look like numbers and are none: NaN and the infinite ones count as blank.
    pub not_numbers: usize,
    /// The place of the reviews of which nothing is known: they are no slice, and no part of the rest.
    pub unknown: Option<u32>,
}

impl Aspect {
    /// An aspect of the cells of a column. Where all are numbers, and different ones, they are
    /// cut into quarters; of many other values the most frequent ones stay apart.
    pub fn of_cells<'a>(name: &str, cells: impl Iterator<Item = &'a str>) -> Self {
        let cells: Vec<&str> = cells.map(str::trim).collect();
        let number = |cell: &str| cell.parse::<f64>().ok();
        let filled = || cells.iter().filter(|cell| !cell.is_empty());
        let mut numbers: Vec<f64> = filled().filter_map(|cell| number(cell)).collect();
        let all_numbers = !numbers.is_empty() && numbers.len() == filled().count();
        numbers.retain(|number| number.is_finite());
        numbers.sort_unstable_by(f64::total_cmp);
        let mut different = numbers.clone();
        different.dedup();
        if all_numbers && different.len() > MOST_LEVELS {
            let values = cells.iter().map(|cell| number(cell).filter(|number| number.is_finite()));
            let not_numbers = filled().count() - numbers.len();
            return Self { not_numbers, ..Self::quarters(name, values, &numbers) };
        }
        let blank =
            |cell: &str| cell.is_empty() || all_numbers && number(cell).is_some_and(|n| !n.is_finite());
        let shown: Vec<&str> = cells.iter().map(|&cell| if blank(cell) { "(blank)" } else { cell }).collect();
        let not_numbers = filled().filter(|cell| blank(cell)).count();
        Self { not_numbers, ..Self::of_words(name, &shown) }
    }

    /// An aspect of a number for each review, in quarters of equal size.
    pub fn of_numbers(name: &str, values: &[f64]) -> Self {
        let mut sorted = values.to_vec();
        sorted.sort_unstable_by(f64::total_cmp);
        Self::quarters(name, values.iter().copied().map(Some), &sorted)
    }

    /// An aspect of days: months, quarters or years, the first of which there are at most twelve.
    pub fn of_days(days: &[Option<Day>]) -> Self {
        let shown = |part: fn(Day) -> String| -> Vec<String> {
            days.iter().map(|day| day.map_or("(none)".into(), part)).collect()
        };
        let year = |day: Day| day.month()[..4].to_string();
        let quarter = |day: Day| {
            format!("{}, quarter {}", &day.month()[..4], day.month_number().rem_euclid(12) / 3 + 1)
        };
        let few = |words: &Vec<String>| words.iter().collect::<BTreeSet<_>>().len() <= MOST_LEVELS;
        let (name, words) = [("month", shown(Day::month)), ("quarter", shown(quarter))]
            .into_iter()
            .find(|(_, words)| few(words))
            .unwrap_or_else(|| ("year", shown(year)));
        Self::of_words(name, &words.iter().map(String::as_str).collect::<Vec<_>>())
    }

    fn quarters(name: &str, values: impl Iterator<Item = Option<f64>>, sorted: &[f64]) -> Self {
        let mut cuts: Vec<f64> = (1..4).map(|quarter| sorted[sorted.len() * quarter / 4]).collect();
        cuts.dedup();
        let mut levels: Vec<String> = Vec::new();
        for part in 0..=cuts.len() {
            levels.push(match part {
                0 => format!("below {}", cuts[0]),
                part if part == cuts.len() => format!("{} and more", cuts[part - 1]),
                part => format!("{} to {}", cuts[part - 1], cuts[part]),
            });
        }
        levels.push("(blank)".into());
        let blank = levels.len() as u32 - 1;
        let place = |value: f64| cuts.iter().take_while(|cut| **cut <= value).count() as u32;
        let of: Vec<u32> = values.map(|value| value.map_or(blank, place)).collect();
        if !of.contains(&blank) {
            levels.pop();
        }
        Self { name: name.into(), levels, of, not_numbers: 0, unknown: None }
    }

    /// As [`of_words`](Self::of_words), where for some reviews there is none.
    pub fn of_known_words(name: &str, values: &[Option<&str>]) -> Self {
        const UNKNOWN: &str = "(unknown)";
        let shown: Vec<&str> = values.iter().map(|value| value.unwrap_or(UNKNOWN)).collect();
        let words = Self::of_words(name, &shown);
        let unknown = words.levels.iter().position(|level| level == UNKNOWN).map(|place| place as u32);
        Self { unknown, ..words }
    }

    /// An aspect of a few words for each review; of many different ones the most frequent stay
    /// apart.
    pub fn of_words(name: &str, values: &[&str]) -> Self {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        values.iter().for_each(|value| *counts.entry(value).or_insert(0) += 1);
        let mut order: Vec<(&str, usize)> = counts.into_iter().collect();
        if order.len() > MOST_LEVELS {
            order.sort_by_key(|(_, count)| std::cmp::Reverse(*count)); // equal counts by the alphabet
            order.truncate(FREQUENT);
            order.push(("(other)", 0));
        }
        // "2" before "10", and what is no value last.
        let last = |level: &str| level.starts_with('(');
        order.sort_by(|(a, _), (b, _)| last(a).cmp(&last(b)).then_with(|| rating_order(a, b)));
        let others = order.iter().position(|(level, count)| *level == "(other)" && *count == 0);

        let other = others.unwrap_or_default() as u32;
        let place = |value: &&str| {
            order.iter().position(|(level, _)| level == value).map_or(other, |place| place as u32)
        };
        let of = values.iter().map(place).collect();
        let levels = order.iter().map(|(level, _)| level.to_string()).collect();
        Self { name: name.into(), levels, of, not_numbers: 0, unknown: None }
    }

    /// Whether all reviews have one value: then it says nothing.
    pub fn is_constant(&self) -> bool {
        self.levels.len() - usize::from(self.unknown.is_some()) < 2
    }
}

/// One value of an aspect.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Slice {
    /// The aspect.
    pub aspect: String,
    /// Its value.
    pub level: String,
    /// The share of reviews called by their true class.
    pub accuracy: Figure,
    /// The share of negative reviews found.
    pub recall_negative: Figure,
    /// The share of positive reviews called negative.
    pub false_alarms: Figure,
    /// The share of those called negative that is.
    pub precision_negative: Figure,
    /// The share of positive reviews less the mean probability of positive: 0 where probabilities are right.
    pub calibration: Figure,
    /// The share of negative reviews among them.
    pub negative: Figure,
    /// The accuracy of calling all of them the class that is larger among them: their own majority baseline.
    pub majority: Figure,
    /// The figures that differ from those of all other reviews by more than noise, as many figures of slices being
    /// looked at as there are.
    pub differs: Vec<SliceFigure>,
}

impl Slice {
    /// What the card of a model keeps of it.
    pub fn summary(&self) -> ValidatedSlice {
        ValidatedSlice {
            aspect: self.aspect.clone(),
            level: self.level.clone(),
            accuracy: self.accuracy,
            majority: self.majority,
            differs: self.differs.clone(),
        }
    }
}

/// The figures of each slice of `fewest` or more reviews, given what was said of those that were held out and the
/// held-out reviews for each training review.
///
/// A figure of a slice differs where the interval of its difference to that of the rest leaves out 0, with the
/// variance over groups and at a confidence that is shared by all figures of all slices (Bonferroni). What the models
/// of folds have in common moves both alike, and has no part in it.
pub fn slices(
    sample: &Sample,
    held: &[Option<HeldOut>],
    shared: f64,
    (aspects, fewest): (&[Aspect], usize),
) -> Vec<Slice> {
    let (labels, verdicts) = judged(sample, held);
    let rows = (0..held.len()).filter(|row| held[*row].is_some()).collect::<Vec<_>>();
    let groups: Vec<u64> = rows.iter().map(|row| sample.groups[*row]).collect();
    let own = Sliced {
        labels: &labels,
        verdicts: &verdicts,
        dependence: dependence(sample, held, shared),
        tied: Dependence::of_groups(&groups),
    };
    let mut parts: Vec<Part<'_>> = Vec::new();
    for aspect in aspects.iter().filter(|aspect| !aspect.is_constant()) {
        for (place, level) in aspect.levels.iter().enumerate() {
            let side = |row: &usize| match aspect.of[*row] {
                own if Some(own) == aspect.unknown => None,
                own => Some(own as usize == place),
            };
            let inside: Vec<Option<bool>> = rows.iter().map(side).collect();
            let count = |side: bool| inside.iter().filter(|inside| **inside == Some(side)).count();
            if aspect.unknown != Some(place as u32) && count(true) >= fewest && count(false) >= fewest {
                parts.push((aspect, level, inside));
            }
        }
    }
    let tests = parts.len() * SliceFigure::ALL.len();
    let slice = |(aspect, level, inside): &Part<'_>| own.slice((aspect, level), inside, tests);
    parts.par_iter().map(slice).collect()
}

/// A value of an aspect, and by review whether it has that value; nothing where its value is not known.
type Part<'a> = (&'a Aspect, &'a String, Vec<Option<bool>>);

/// Judged reviews, of which slices are cut.
struct Sliced<'a> {
    labels: &'a [Polarity],
    verdicts: &'a [Verdict],
    /// How they hang together through groups and folds.
    dependence: Dependence,
    /// Through groups alone.
    tied: Dependence,
}

impl Sliced<'_> {
    fn slice(&self, (aspect, level): (&Aspect, &String), inside: &[Option<bool>], tests: usize) -> Slice {
        let rows = |takes: &dyn Fn(usize) -> bool| -> Vec<u32> {
            let within = |row: &u32| inside[*row as usize] == Some(true) && takes(*row as usize);
            (0..inside.len() as u32).filter(within).collect()
        };
        let share = |takes: &dyn Fn(usize) -> bool, hit: &dyn Fn(usize) -> bool| {
            self.dependence.share(&rows(takes), hit).0
        };
        let is = |class: Polarity| move |row: usize| self.labels[row] == class;
        let called = |row: usize| self.verdicts[row].called == Polarity::Negative;
        let right = |row: usize| self.verdicts[row].called == self.labels[row];
        let all = rows(&|_| true);
        let count = |class: &Polarity| all.iter().filter(|row| self.labels[**row as usize] == *class).count();
        let larger = Polarity::ALL.into_iter().rev().max_by_key(count).unwrap_or(Polarity::Positive);
        let distance = |row: &u32| {
            let (label, verdict) = (self.labels[*row as usize], &self.verdicts[*row as usize]);
            SliceFigure::Calibration.of(label, verdict).unwrap_or_default()
        };
        let mean = all.iter().map(distance).sum::<f64>() / all.len() as f64;
        let moves: Vec<(u32, f64)> =
            all.iter().map(|row| (*row, (distance(row) - mean) / all.len() as f64)).collect();
        let differs = |figure: &SliceFigure| self.differs(*figure, inside, tests);
        Slice {
            aspect: aspect.name.clone(),
            level: level.clone(),
            accuracy: share(&|_| true, &right),
            recall_negative: share(&is(Polarity::Negative), &called),
            false_alarms: share(&is(Polarity::Positive), &called),
            precision_negative: share(&called, &is(Polarity::Negative)),
            calibration: self.dependence.figure(mean, all.len(), &moves, 1),
            negative: self.tied.share(&all, is(Polarity::Negative)).0,
            majority: self.tied.share(&all, is(larger)).0,
            differs: SliceFigure::ALL.iter().copied().filter(differs).collect(),
        }
    }

    /// Whether a figure of a slice is another than that of the rest.
    fn differs(&self, figure: SliceFigure, inside: &[Option<bool>], tests: usize) -> bool {
        let values: Vec<Option<f64>> =
            self.labels.iter().zip(self.verdicts).map(|(label, own)| figure.of(*label, own)).collect();
        let side = |within: bool| {
            let own = values.iter().zip(inside).filter(move |(_, inside)| **inside == Some(within));
            let own: Vec<f64> = own.filter_map(|(value, _)| *value).collect();
            (own.iter().sum::<f64>() / own.len() as f64, own.len() as f64)
        };
        let ((here, n_here), (there, n_there)) = (side(true), side(false));
        if n_here < FEWEST_OF_FIGURE || n_there < FEWEST_OF_FIGURE {
            return false;
        }
        let moves = values.iter().zip(inside).enumerate().filter_map(|(row, (value, inside))| {
            let value = (*value)?;
            let own = if (*inside)? { (value - here) / n_here } else { (there - value) / n_there };
            Some((row as u32, own))
        });
        let moves: Vec<(u32, f64)> = moves.collect();
        // Where all or none of a side are hits nothing is seen to spread: two more reviews, one of each kind, tell how
        // much it may (Agresti and Caffo (2000), DOI 10.1080/00031305.2000.10474560).
        let beyond = [(here, n_here), (there, n_there)].map(|(mean, n)| match mean == 0.0 || mean == 1.0 {
            true => (n + 1.0) / (n + 2.0).powi(3),
            false => 0.0,
        });
        let found =
            self.tied.figure_beyond(here - there, moves.len(), (&moves, beyond[0] + beyond[1]), tests);
        !within(&found)
    }
}
