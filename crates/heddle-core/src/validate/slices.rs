//! Figures by slice: for each value of what stands beside the text.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use crate::labels::dates::Day;
use crate::labels::polarity::Polarity;
use crate::measure::figures::Figures;
use crate::measure::interval::{Figure, share_at};
use crate::measure::verdict::Verdict;

/// More values of a column than this are drawn together: numbers into quarters, others by what is
/// frequent.
const MOST_LEVELS: usize = 12;
/// A slice of fewer reviews says nothing.
const FEWEST: usize = 30;

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
        Self { name: name.into(), levels, of, not_numbers: 0 }
    }

    /// An aspect of a few words for each review; of many different ones the most frequent stay
    /// apart.
    pub fn of_words(name: &str, values: &[&str]) -> Self {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        values.iter().for_each(|value| *counts.entry(value).or_insert(0) += 1);
        let mut order: Vec<(&str, usize)> = counts.into_iter().collect();
        if order.len() > MOST_LEVELS {
            order.sort_by_key(|(_, count)| std::cmp::Reverse(*count)); // equal counts by the alphabet
            order.truncate(MOST_LEVELS - 1);
            order.sort_unstable();
            order.push(("(other)", 0));
        }
        let other = order.len() as u32 - 1;
        let place = |value: &&str| {
            order.iter().position(|(level, _)| level == value).map_or(other, |place| place as u32)
        };
        let of = values.iter().map(place).collect();
        let levels = order.iter().map(|(level, _)| level.to_string()).collect();
        Self { name: name.into(), levels, of, not_numbers: 0 }
    }

    /// Whether all reviews have one value: then it says nothing.
    pub fn is_constant(&self) -> bool {
        self.levels.len() < 2
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
    /// The share of negative reviews among them.
    pub negative: Figure,
    /// Whether accuracy differs from that of all other reviews by more than noise, as many slices
    /// being looked at as there are.
    pub differs: bool,
}

/// The figures of each slice of thirty or more reviews. `verdicts` are by review, missing for
/// those that were never held out.
///
/// A slice differs where the interval of the difference of its accuracy to that of the rest
/// leaves out 0: Newcombe (1998), "Interval estimation for the difference between independent
/// proportions", method 10, DOI 10.1002/(SICI)1097-0258(19980430)17:8<873::AID-SIM779>3.0.CO;2-I,
/// at a confidence that is shared by all slices (Bonferroni).
pub fn slices(labels: &[Polarity], verdicts: &[Option<Verdict>], aspects: &[Aspect]) -> Vec<Slice> {
    let mut parts = Vec::new();
    for aspect in aspects.iter().filter(|aspect| !aspect.is_constant()) {
        for (place, level) in aspect.levels.iter().enumerate() {
            let own = |row: &usize| aspect.of[*row] as usize == place;
            let judged = |row: usize| Some((labels[row], verdicts[row]?));
            let inside: Vec<_> = (0..labels.len()).filter(own).filter_map(judged).collect();
            let outside: Vec<_> = (0..labels.len()).filter(|row| !own(row)).filter_map(judged).collect();
            if inside.len() >= FEWEST && outside.len() >= FEWEST {
                parts.push((aspect, level, inside, outside));
            }
        }
    }
    let error = 0.05 / parts.len().max(1) as f64;
    let slice = |(aspect, level, inside, outside): (&Aspect, &String, Judged, Judged)| {
        let right = |rows: &Judged| rows.iter().filter(|(label, verdict)| verdict.called == *label).count();
        let (here, there) = (
            share_at(right(&inside), inside.len(), 1.0 - error),
            share_at(right(&outside), outside.len(), 1.0 - error),
        );
        let (labels, verdicts): (Vec<_>, Vec<_>) = inside.into_iter().unzip();
        let figures = Figures::new(&labels, &verdicts);
        let negative = labels.iter().filter(|label| **label == Polarity::Negative).count();
        Slice {
            aspect: aspect.name.clone(),
            level: level.clone(),
            accuracy: figures.accuracy,
            recall_negative: figures.class(Polarity::Negative).map_or(Figure::undefined(0), |own| own.recall),
            negative: crate::measure::interval::share(negative, labels.len()),
            differs: differ(here, there),
        }
    };
    parts.into_iter().map(slice).collect()
}

type Judged = Vec<(Polarity, Verdict)>;

fn differ(a: Figure, b: Figure) -> bool {
    let parts = |figure: Figure| Some((figure.value?, figure.low?, figure.high?));
    let (Some(a), Some(b)) = (parts(a), parts(b)) else { return false };
    let difference = a.0 - b.0;
    let below = (a.0 - a.1).hypot(b.2 - b.0);
    let above = (a.2 - a.0).hypot(b.0 - b.1);
    difference - below > 0.0 || difference + above < 0.0
}
