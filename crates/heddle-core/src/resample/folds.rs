//! Parts of nearly equal class mix.

use rustc_hash::FxHashMap;

use super::copies::Copies;
use super::random::rank;
use crate::labels::dates::Day;
use crate::labels::per_class::{CLASSES, ClassCounts};
use crate::labels::polarity::Polarity;

/// Labelled rows as the resampling sees them.
#[derive(Debug, Clone)]
pub struct Sample {
    /// The class of each row.
    pub labels: Vec<Polarity>,
    /// The group of each row, as [`Grouping::groups`](super::near_duplicates::Grouping::groups) gives it.
    pub groups: Vec<u64>,
    /// The day of each row, where it is known; empty where no day plays a role.
    pub days: Vec<Option<Day>>,
    /// The copies of these rows, which stand behind them.
    pub copies: Copies,
}

impl Sample {
    /// Rows without days or copies.
    pub fn new(labels: Vec<Polarity>, groups: Vec<u64>) -> Self {
        Self { labels, groups, days: Vec::new(), copies: Copies::default() }
    }

    /// Some of its rows, without days or copies.
    pub fn part(&self, rows: &[u32]) -> Self {
        let of = |row: &u32| (self.labels[*row as usize], self.groups[*row as usize]);
        let (labels, groups) = rows.iter().map(of).unzip();
        Self::new(labels, groups)
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.labels.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.labels.is_empty()
    }

    /// How many of `rows` have each class.
    pub fn mix(&self, rows: &[u32]) -> ClassCounts {
        let mut counts = ClassCounts::default();
        rows.iter().for_each(|&row| counts[self.labels[row as usize]] += 1);
        counts
    }
}

/// A group on its way into a part: its random place, its rows and its class mix.
struct Group {
    rank: u64,
    rows: Vec<u32>,
    mix: ClassCounts,
}

/// Deals `rows` into parts whose sizes are proportional to `shares`; each part gets nearly
/// the same class mix and a group is never divided. Returns each part's rows, ascending.
///
/// Groups come in an order that depends only on their keys and the seed, the largest
/// first; each goes to the part that lacks most of the group's own class. The order of
/// the rows in the file plays no role.
///
/// # Panics
/// If a share is not above zero.
pub fn deal(sample: &Sample, rows: &[u32], shares: &[f64], seed: u64) -> Vec<Vec<u32>> {
    assert!(shares.iter().all(|share| *share > 0.0), "shares must be above 0, got {shares:?}");
    let total: f64 = shares.iter().sum();
    let mut filled = vec![ClassCounts::default(); shares.len()];
    let mut parts = vec![Vec::new(); shares.len()];
    for group in groups_in_order(sample, rows, seed) {
        let class = CLASSES.into_iter().max_by_key(|&class| group.mix[class]).unwrap_or(Polarity::Negative);
        // The share of its due that a part would hold with this group in it.
        let fullness = |part: usize| (filled[part][class] + group.mix[class]) as f64 * total / shares[part];
        let part = (0..shares.len()).min_by(|a, b| fullness(*a).total_cmp(&fullness(*b))).unwrap_or(0);
        CLASSES.into_iter().for_each(|class| filled[part][class] += group.mix[class]);
        parts[part].extend(group.rows);
    }
    parts.iter_mut().for_each(|part| part.sort_unstable());
    parts
}

fn groups_in_order(sample: &Sample, rows: &[u32], seed: u64) -> Vec<Group> {
    let mut places: FxHashMap<u64, usize> = FxHashMap::default();
    let mut groups: Vec<Group> = Vec::new();
    for &row in rows {
        let key = sample.groups[row as usize];
        let place = *places.entry(key).or_insert_with(|| {
            groups.push(Group { rank: rank(key, seed), rows: Vec::new(), mix: ClassCounts::default() });
            groups.len() - 1
        });
        groups[place].rows.push(row);
        groups[place].mix[sample.labels[row as usize]] += 1;
    }
    groups.sort_unstable_by_key(|group| (std::cmp::Reverse(group.rows.len()), group.rank));
    groups
}

/// Deals `rows` into `count` folds: each row is held out in exactly one.
///
/// # Panics
/// If `count` is below 2.
pub fn folds(sample: &Sample, rows: &[u32], count: usize, seed: u64) -> Vec<Vec<u32>> {
    assert!(count >= 2, "cross-validation needs at least 2 folds, got {count}");
    deal(sample, rows, &vec![1.0; count], seed)
}

/// The members of `rows` that are not in `held`; both ascending.
pub(crate) fn without(rows: &[u32], held: &[u32]) -> Vec<u32> {
    let mut held = held.iter().peekable();
    rows.iter()
        .copied()
        .filter(|row| {
            while held.next_if(|next| *next < row).is_some() {}
            held.peek() != Some(&row)
        })
        .collect()
}
