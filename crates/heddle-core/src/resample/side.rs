//! On which side of a split a row stands.

use super::random::{Random, rank};
use crate::choice::choice;
use crate::labels::dates::{DateForm, DateOrder, Day, read_date};

/// How rows come to the holdout.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum By {
    /// At random.
    #[default]
    Random,
    /// The latest ones, by reviews.date.
    Latest,
    /// Those of this day and later ones, by reviews.date.
    From(Day),
    /// Those of this number in their file and later ones.
    FromRow(u64),
    /// Those of which this column says so.
    Column(String),
}

impl By {
    /// What a setting means: a word, a day with the year first, a number of a row, or the name of a column.
    pub fn of(written: &str) -> Option<Self> {
        let day = || read_date(written, DateOrder::DayFirst).filter(|read| read.form == DateForm::YearFirst);
        Some(match written {
            "" => return None,
            "random" => Self::Random,
            "latest" => Self::Latest,
            written => match (written.parse(), day()) {
                (Ok(0), _) => return None,
                (Ok(row), _) => Self::FromRow(row),
                (_, Some(read)) => Self::From(read.day),
                _ => Self::Column(written.into()),
            },
        })
    }

    /// Whether days decide.
    pub fn is_dated(&self) -> bool {
        matches!(self, Self::Latest | Self::From(_))
    }
}

impl std::fmt::Display for By {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Random => out.write_str("random"),
            Self::Latest => out.write_str("latest"),
            Self::From(day) => day.fmt(out),
            Self::FromRow(row) => row.fmt(out),
            Self::Column(name) => out.write_str(name),
        }
    }
}

impl serde::Serialize for By {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

choice! {
    /// What a random split holds to.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    Sides {
        /// The side of a row depends on its own group and the seed alone: rows that are added
        /// later move no other row. Sizes and class mix are as asked but for chance.
        #[default]
        Stable = "stable",
        /// Sizes and class mix are as asked, to the row; added rows may move others.
        Exact = "exact",
    }
}

/// Keeps the draw of sides apart from that of folds, which has the same seed.
const SIDES: u64 = 0x51de;

/// The part that a group belongs to, of parts that get these shares.
///
/// Depends on the key of the group and the seed alone.
pub fn side(group: u64, seed: u64, shares: &[f64]) -> usize {
    let total: f64 = shares.iter().sum();
    let mut place = Random::new(rank(group, seed ^ SIDES)).unit() * total;
    for (side, share) in shares.iter().enumerate() {
        if place < *share {
            return side;
        }
        place -= share;
    }
    shares.len() - 1
}

/// How far a sequence of classes is from a random order: the number of runs against the
/// number expected, in standard deviations (Wald and Wolfowitz (1940), DOI
/// 10.1214/aoms/1177731909). Far below zero where equal classes stand together.
///
/// `counts` holds the rows of each class; nothing if there are fewer than two classes.
pub fn runs_score(runs: usize, counts: &[usize]) -> Option<f64> {
    let n: f64 = counts.iter().sum::<usize>() as f64;
    // For any number of classes: Mood (1940), DOI 10.1214/aoms/1177731825.
    let power = |k: i32| counts.iter().map(|count| (*count as f64 / n).powi(k)).sum::<f64>();
    let expected = n * (1.0 - power(2)) + power(2);
    let variance = n * (power(2) + power(2).powi(2) - 2.0 * power(3));
    (variance > 0.0).then(|| (runs as f64 - expected) / variance.sqrt())
}
