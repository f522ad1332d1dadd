//! A theme, and what it does.

use serde::Serialize;

use crate::labels::dates::Day;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::measure::dependence::Dependence;
use crate::measure::interval::{Figure, share};
use crate::validate::compare::within;
use crate::validate::slices::Aspect;

/// Values of a column that fewer reviews have are not held against the others.
const FEWEST: usize = 30;

/// A theme: words that are used alike and go with one class.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Theme {
    /// Its most telling word, unless it was given another name.
    pub name: String,
    /// The class that it goes with.
    pub class: Polarity,
    /// Its words, the most telling first; a negated one has "¬" before it.
    pub words: Vec<ThemeWord>,
    /// The reviews that hold one of its words, by class.
    pub counts: ClassCounts,
    /// The share of negative reviews among those with it.
    pub with: Figure,
    /// The same among those without it.
    pub without: Figure,
    /// The first less the second; the interval holds for all themes together.
    pub difference: Figure,
    /// By row: whether it holds one of the words.
    #[serde(skip)]
    pub rows: Vec<bool>,
}

/// A word of a theme.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ThemeWord {
    /// The word; a negated one has "¬" before it.
    pub word: String,
    /// The reviews of each class that hold it.
    pub counts: ClassCounts,
    /// How often it stands in those of each class.
    pub times: ClassCounts,
    /// How much more often a negative review holds it than a positive one: the ratio of the shares of reviews, with half
    /// a review added on both sides.
    pub rate_ratio: f64,
    /// The log-odds ratio of its class against the others, in standard errors.
    pub score: f64,
}

/// How often something is so in reviews of a part: that they hold a theme, or are of a class.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Part {
    /// The part: a month, or the value of a column.
    pub part: String,
    /// The share of its reviews of which it is so.
    pub share: Figure,
    /// That share less the one of all other reviews; the interval holds for all parts of all themes together.
    pub difference: Figure,
    /// Whether that is more than noise.
    pub differs: bool,
}

impl Theme {
    /// Reviews that hold it.
    pub fn reviews(&self) -> usize {
        self.counts.iter().sum()
    }

    /// By value of a column: how often the theme stands there. `at_once` figures are looked at.
    ///
    /// # Panics
    /// If the aspect is of other reviews.
    pub fn by_aspect(&self, aspect: &Aspect, groups: &[u64], at_once: usize) -> Vec<Part> {
        parts(&self.rows, aspect, groups, at_once)
    }

    /// How many points a year the share of reviews that hold it moves, by a straight line through all days; nothing where
    /// days are missing or all the same. `at_once` figures are looked at.
    ///
    /// # Panics
    /// If the days are of other reviews.
    pub fn trend(&self, days: &[Option<Day>], groups: &[u64], at_once: usize) -> Option<Figure> {
        if days.is_empty() {
            return None;
        }
        assert_eq!(days.len(), self.rows.len(), "{} days, {} rows", days.len(), self.rows.len());
        const YEAR: f64 = 365.25;
        let known: Vec<(usize, f64)> = days
            .iter()
            .enumerate()
            .filter_map(|(row, day)| Some((row, f64::from((*day)?.number()) / YEAR)))
            .collect();
        let n = known.len() as f64;
        let mean = known.iter().map(|(_, time)| time).sum::<f64>() / n;
        let spread: f64 = known.iter().map(|(_, time)| (time - mean).powi(2)).sum();
        let hit = |row: usize| f64::from(u8::from(self.rows[row]));
        let share = known.iter().map(|(row, _)| hit(*row)).sum::<f64>() / n;
        if known.len() < 2 * FEWEST || spread <= 0.0 {
            return None;
        }
        let slope = known.iter().map(|(row, time)| (time - mean) * (hit(*row) - share)).sum::<f64>() / spread;
        // What each review adds to the slope, less what the line explains: the spread that does not ask for one variance
        // everywhere (White (1980), DOI 10.2307/1912934).
        let moves: Vec<(u32, f64)> = known
            .iter()
            .enumerate()
            .map(|(at, (row, time))| {
                let left = hit(*row) - share - slope * (time - mean);
                (at as u32, (time - mean) * left / spread)
            })
            .collect();
        let groups: Vec<u64> = known.iter().map(|(row, _)| groups[*row]).collect();
        Some(Dependence::of_groups(&groups).figure(slope, known.len(), &moves, at_once))
    }
}

/// By value of a column: the share of hits among its reviews, and that less the share among all others. Values of fewer
/// than 30 reviews are left out, and reviews whose value is not known play no part. `at_once` figures are looked at.
///
/// # Panics
/// If hits, aspect and groups are of different reviews.
pub fn parts(hits: &[bool], aspect: &Aspect, groups: &[u64], at_once: usize) -> Vec<Part> {
    assert_eq!(aspect.of.len(), hits.len(), "{} cells, {} rows", aspect.of.len(), hits.len());
    let known = |row: &usize| Some(aspect.of[*row]) != aspect.unknown;
    let rows: Vec<usize> = (0..hits.len()).filter(known).collect();
    let hit: Vec<bool> = rows.iter().map(|row| hits[*row]).collect();
    let groups: Vec<u64> = rows.iter().map(|row| groups[*row]).collect();
    let part = |(place, level): (usize, &String)| {
        let inside: Vec<bool> = rows.iter().map(|row| aspect.of[*row] as usize == place).collect();
        let n = inside.iter().filter(|inside| **inside).count();
        let other = rows.len() - n;
        (aspect.unknown != Some(place as u32) && n >= FEWEST && other >= FEWEST).then(|| {
            let difference = difference(&hit, &inside, &groups, at_once);
            let hits = hit.iter().zip(&inside).filter(|(hit, inside)| **hit && **inside).count();
            Part { part: level.clone(), share: share(hits, n), differs: !within(&difference), difference }
        })
    };
    aspect.levels.iter().enumerate().filter_map(part).collect()
}

/// The share of hits inside less that outside, with the variance over groups and an interval that holds for `at_once`
/// such figures. Where a side has all hits or none, two more reviews, one of each kind, tell how much it may spread (Agresti
/// and Caffo (2000), DOI 10.1080/00031305.2000.10474560).
pub(crate) fn difference(hit: &[bool], inside: &[bool], groups: &[u64], at_once: usize) -> Figure {
    let side = |of: bool| {
        let own = hit.iter().zip(inside).filter(|(_, inside)| **inside == of);
        let (n, hits) = own.fold((0usize, 0usize), |(n, hits), (hit, _)| (n + 1, hits + usize::from(*hit)));
        (hits as f64 / n as f64, n as f64)
    };
    let ((here, n_here), (there, n_there)) = (side(true), side(false));
    let one = |(row, (hit, inside)): (usize, (&bool, &bool))| {
        let hit = f64::from(u8::from(*hit));
        (row as u32, if *inside { (hit - here) / n_here } else { (there - hit) / n_there })
    };
    let moves: Vec<(u32, f64)> = hit.iter().zip(inside).enumerate().map(one).collect();
    let beyond = |(share, n): (f64, f64)| match share == 0.0 || share == 1.0 {
        true => (n + 1.0) / (n + 2.0).powi(3),
        false => 0.0,
    };
    let beyond = beyond((here, n_here)) + beyond((there, n_there));
    Dependence::of_groups(groups).figure_beyond(here - there, hit.len(), (&moves, beyond), at_once)
}
