//! On which side a row stands.

use std::collections::HashMap;

use heddle_core::labels::{ClassCounts, Day, Polarity};
use heddle_core::resample::{By, Sample, Sides, deal, side};
use heddle_core::settings::Study;

use super::draft::Draft;
use super::options::{DEVELOPMENT, HOLDOUT, SplitOptions, TRAINING};
use crate::error::{Result, fail};
use crate::reviews::dates::expected;
use crate::reviews::labelling::Account;
use crate::words::number;

/// The side of each labelled row.
pub(super) struct Chosen {
    pub(super) sides: Vec<Option<u8>>,
    pub(super) no_date: usize,
    pub(super) tied: usize,
    /// Rows of which nothing says where they belong.
    pub(super) unnamed: usize,
}

impl Chosen {
    /// Draws them as the study says.
    pub(super) fn new(draft: &Draft, groups: &[u64], study: &Study) -> Result<Self> {
        let validating = &study.validation;
        let shares =
            [validating.holdout, validating.development, 1.0 - validating.holdout - validating.development];
        let drawn = |sides| Ok(Chosen { sides, no_date: 0, tied: 0, unnamed: 0 });
        match (&validating.by, validating.sides) {
            (By::Latest | By::From(_), _) => latest(&draft.days, groups, &shares, study),
            (By::FromRow(_) | By::Column(_), _) => {
                let unnamed = draft.named.iter().filter(|side| side.is_none()).count();
                let (sides, tied) = untied(draft.named.clone(), groups);
                Ok(Chosen { sides, no_date: 0, tied, unnamed })
            }
            (By::Random, Sides::Stable) => {
                let own = |group: &u64| Some(side(*group, validating.seed, &shares) as u8);
                drawn(groups.iter().map(own).collect())
            }
            (By::Random, Sides::Exact) => {
                let sample = Sample::new(draft.labels.clone(), groups.to_vec());
                let rows: Vec<u32> = (0..sample.len() as u32).collect();
                let held: Vec<usize> = (0..3).filter(|&at| shares[at] > 0.0).collect();
                let dealt = deal(
                    &sample,
                    &rows,
                    &held.iter().map(|&at| shares[at]).collect::<Vec<_>>(),
                    validating.seed,
                );
                let mut sides = vec![None; rows.len()];
                for (part, side) in dealt.iter().zip(&held) {
                    part.iter().for_each(|&row| sides[row as usize] = Some(*side as u8));
                }
                drawn(sides)
            }
        }
    }

    pub(super) fn counts(&self, labels: &[Polarity]) -> [ClassCounts; 3] {
        let mut counts = [ClassCounts::default(); 3];
        for (side, label) in self.sides.iter().zip(labels) {
            if let Some(side) = side {
                counts[*side as usize][*label] += 1;
            }
        }
        counts
    }

    pub(super) fn days(&self, days: &[Option<Day>], at: usize) -> Option<(String, String)> {
        let own = || {
            self.sides
                .iter()
                .zip(days)
                .filter(|(side, _)| **side == Some(at as u8))
                .filter_map(|(_, day)| *day)
        };
        Some((own().min()?.to_string(), own().max()?.to_string()))
    }
}

/// The latest rows into the holdout, those before them into the third part, and the rest to
/// learn from, but for rows that are tied to a later part. Rows of one day stay together.
pub(super) fn latest(
    days: &[Option<Day>],
    groups: &[u64],
    shares: &[f64; 3],
    study: &Study,
) -> Result<Chosen> {
    let mut sorted: Vec<Day> = days.iter().flatten().copied().collect();
    sorted.sort_unstable();
    let no_date = days.len() - sorted.len();
    if 2 * no_date >= days.len() && no_date < days.len() {
        fail!(
            Reviews,
            "{} of {} labelled rows have no date that can be read in column `{}`, expected {}: name another column in \
             reviews.date, or the order of day and month in reviews.dates",
            number(no_date),
            number(days.len()),
            study.reviews.date.as_deref().unwrap_or_default(),
            expected(study)
        );
    }
    let (Some(first), Some(last)) = (sorted.first(), sorted.last()) else {
        fail!(
            Reviews,
            "no row has a date that can be read in column `{}`",
            study.reviews.date.as_deref().unwrap_or_default()
        );
    };
    if first == last {
        fail!(Reviews, "all rows are of one day, {first}: dates cannot part them");
    }
    let begins = |share: f64| {
        sorted[((1.0 - share) * sorted.len() as f64).ceil().min(sorted.len() as f64 - 1.0) as usize]
    };
    let (holdout, development) = match study.validation.by {
        By::From(day) => (day, day),
        _ => (begins(shares[HOLDOUT]), begins(shares[HOLDOUT] + shares[DEVELOPMENT])),
    };
    let place = |day: &Option<Day>| {
        let side = day.map(|day| match day {
            day if day >= holdout => HOLDOUT,
            day if day >= development => DEVELOPMENT,
            _ => TRAINING,
        });
        side.map(|side| side as u8)
    };
    let (sides, tied) = untied(days.iter().map(place).collect(), groups);
    Ok(Chosen { sides, no_date, tied, unnamed: 0 })
}

/// The sides without the rows that are tied to one of a later part; and how many these are.
fn untied(mut sides: Vec<Option<u8>>, groups: &[u64]) -> (Vec<Option<u8>>, usize) {
    // The latest side of each group; its earlier rows are on no side.
    let mut latest: HashMap<u64, u8> = HashMap::new();
    for (side, group) in sides.iter().zip(groups) {
        if let Some(side) = side {
            let known = latest.entry(*group).or_insert(*side);
            *known = (*known).min(*side);
        }
    }
    let mut tied = 0;
    for (side, group) in sides.iter_mut().zip(groups) {
        if side.is_some_and(|side| side != latest[group]) {
            *side = None;
            tied += 1;
        }
    }
    (sides, tied)
}

/// Every class of the rule must stand on every side.
pub(super) fn check_sides(
    counts: &[ClassCounts; 3],
    account: &Account,
    study: &Study,
    places: &SplitOptions,
) -> Result<()> {
    for (at, name) in [(HOLDOUT, "holdout"), (DEVELOPMENT, "development part"), (TRAINING, "training part")] {
        if at == DEVELOPMENT && places.development.is_none() {
            continue;
        }
        let absent = study.polarity.classes().find(|class| account.of(*class) > 0 && counts[at][*class] == 0);
        if let Some(class) = absent {
            fail!(
                Reviews,
                "the {name} would be without {} reviews ({} labelled rows, {} of them {}): \
                 take a larger share, --set validation.sides=exact, or more reviews",
                account.names.of(class),
                number(account.labelled()),
                number(account.of(class)),
                account.names.of(class),
            );
        }
    }
    Ok(())
}
