//! Which rows teach and which are held out, split by split.

use crate::labels::dates::Day;
use crate::labels::polarity::Polarity;
use crate::model::error::FitError;
use crate::resample::folds::{Sample, folds, without};
use crate::resample::random::rank;
use crate::settings::study::{Order, Validating};

/// One split of the rows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoldSplit {
    /// The round, from 0.
    pub round: usize,
    /// The fold in its round, from 0.
    pub fold: usize,
    /// The rows that teach, ascending.
    pub training: Vec<u32>,
    /// The rows that are held out, ascending.
    pub held: Vec<u32>,
}

/// Why cross-validation is not possible.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ValidateError {
    /// A class has fewer groups of reviews than there are folds.
    #[error("{count} {} reviews that may be parted cannot fill {folds} folds", class.name())]
    TooFew {
        /// The class.
        class: Polarity,
        /// Groups of reviews of that class.
        count: usize,
        /// Folds asked for.
        folds: usize,
    },
    /// Folds by date need dates.
    #[error(
        "validation.order = \"rolling\" needs the date of every review (reviews.date), and {missing} of {rows} have none"
    )]
    NoDays {
        /// Rows without a date.
        missing: usize,
        /// All rows.
        rows: usize,
    },
    /// There are not enough days for the folds.
    #[error("{days} days cannot fill {folds} rolling folds and a first part to learn from")]
    TooFewDays {
        /// Different days.
        days: usize,
        /// Folds asked for.
        folds: usize,
    },
    /// A fold cannot be trained.
    #[error("fold {fold}: {error}")]
    Fit {
        /// The fold, from 1.
        fold: usize,
        /// Why.
        error: FitError,
    },
}

/// Divides `rows` (ascending) as the study asks. Shuffled: in each round every row is held out
/// once, folds have nearly the same class mix, and a group is never divided. Rolling: rows come
/// by date, in one part more than there are folds; each part but the first is held out against
/// all earlier rows, but for those that belong to a group of its own.
///
/// # Errors
/// If a class cannot fill the folds, or a date is missing.
pub fn fold_splits(
    sample: &Sample,
    rows: &[u32],
    validating: &Validating,
) -> Result<Vec<FoldSplit>, ValidateError> {
    match validating.order {
        Order::Shuffled => shuffled(sample, rows, validating),
        Order::Rolling => rolling(sample, rows, validating),
    }
}

fn shuffled(sample: &Sample, rows: &[u32], validating: &Validating) -> Result<Vec<FoldSplit>, ValidateError> {
    check_sizes(sample, rows, validating.folds)?;
    let of_round = |round: usize| {
        // The first round has the seed itself.
        let seed = if round == 0 { validating.seed } else { rank(round as u64, validating.seed) };
        let parts = folds(sample, rows, validating.folds, seed);
        let split = move |(fold, held): (usize, Vec<u32>)| FoldSplit {
            round,
            fold,
            training: without(rows, &held),
            held,
        };
        parts.into_iter().enumerate().map(split)
    };
    Ok((0..validating.rounds).flat_map(of_round).collect())
}

fn check_sizes(sample: &Sample, rows: &[u32], folds: usize) -> Result<(), ValidateError> {
    for class in Polarity::POLES {
        let own = rows.iter().map(|&row| row as usize).filter(|&row| sample.labels[row] == class);
        let mut groups: Vec<u64> = own.map(|row| sample.groups[row]).collect();
        groups.sort_unstable();
        groups.dedup();
        if groups.len() < folds {
            return Err(ValidateError::TooFew { class, count: groups.len(), folds });
        }
    }
    Ok(())
}

fn rolling(sample: &Sample, rows: &[u32], validating: &Validating) -> Result<Vec<FoldSplit>, ValidateError> {
    let day = |row: u32| sample.days.get(row as usize).copied().flatten();
    let missing = rows.iter().filter(|&&row| day(row).is_none()).count();
    if missing > 0 {
        return Err(ValidateError::NoDays { missing, rows: rows.len() });
    }
    let mut by_day: Vec<(Day, u32)> = rows.iter().filter_map(|&row| Some((day(row)?, row))).collect();
    by_day.sort_unstable();
    let parts = validating.folds + 1;
    // A part begins with the first day that starts at or after its due place: a day is never
    // divided.
    let mut starts: Vec<usize> = (0..parts)
        .map(|part| {
            let due = by_day.len() * part / parts;
            by_day.partition_point(|(day, _)| *day < by_day[due].0)
        })
        .collect();
    starts.push(by_day.len());
    if starts.windows(2).any(|ends| ends[0] >= ends[1]) {
        let mut days: Vec<Day> = by_day.iter().map(|(day, _)| *day).collect();
        days.dedup();
        return Err(ValidateError::TooFewDays { days: days.len(), folds: validating.folds });
    }
    let split = |fold: usize| {
        let ascending = |rows: &[(Day, u32)]| {
            let mut rows: Vec<u32> = rows.iter().map(|(_, row)| *row).collect();
            rows.sort_unstable();
            rows
        };
        let held = ascending(&by_day[starts[fold + 1]..starts[fold + 2]]);
        let mut own: Vec<u64> = held.iter().map(|&row| sample.groups[row as usize]).collect();
        own.sort_unstable();
        let mut training = ascending(&by_day[..starts[fold + 1]]);
        training.retain(|&row| own.binary_search(&sample.groups[row as usize]).is_err());
        FoldSplit { round: 0, fold, training, held }
    };
    Ok((0..validating.folds).map(split).collect())
}

impl FoldSplit {
    /// The same split with only this share of the groups that teach. Which ones depends on
    /// their keys and the seed; a smaller share is part of a larger one.
    pub fn with_share(&self, sample: &Sample, share: f64, seed: u64) -> Self {
        const SHARES: u64 = 0x5a4e;
        let within = |group: u64| {
            // The upper half of the rank as a number from 0 to 1.
            (rank(group, seed ^ SHARES) >> 11) as f64 / (1u64 << 53) as f64 <= share
        };
        let training =
            self.training.iter().copied().filter(|&row| within(sample.groups[row as usize])).collect();
        Self { training, ..self.clone() }
    }
}
