//! The first look at the rows: which belong together.

use heddle_core::labels::{Day, Days, Polarity};
use heddle_core::resample::{By, Grouping};
use heddle_core::settings::Study;
use heddle_files::{Input, Manner, Record, Reviews, SketchFile, find_column};

use super::options::{DEVELOPMENT, HOLDOUT, TRAINING};
use crate::error::{Result, fail};
use crate::reviews::copies::{Members, ReviewRows};
use crate::reviews::dates::check_order;
use crate::reviews::holdout;
use crate::reviews::labelled::values;
use crate::reviews::labelling::{Account, Labelling};
use crate::reviews::refusals::Refusals;
use crate::reviews::ties::Ties;
use crate::session::Session;

/// What the first look at the rows keeps of each review, and of the copies of reviews.
pub(super) struct Draft {
    /// By review.
    pub(super) labels: Vec<Polarity>,
    /// By row: reviews and copies.
    pub(super) grouping: Grouping<SketchFile>,
    /// By review, where dates decide: its day.
    pub(super) days: Vec<Option<Day>>,
    /// By review, where its place or a column decides: its side, if it has one.
    pub(super) named: Vec<Option<u8>>,
    /// Which rows are which reviews.
    pub(super) rows: ReviewRows,
    pub(super) account: Account,
    pub(super) runs: usize,
    pub(super) manners: Vec<Manner>,
}

impl Draft {
    pub(super) fn read(input: &Input, session: &Session, refusals: &mut Refusals<'_>) -> Result<Self> {
        let study = session.study();
        let mut reviews = input.rows()?;
        let columns = reviews.columns().to_vec();
        let mut labelling = Labelling::new(reviews.file(), &columns, study)?;
        let find = |name: &String| find_column(reviews.file(), &columns, name);
        let together: Vec<usize> = study.reviews.together.iter().map(find).collect::<Result<_, _>>()?;
        let dated = dates_decide(study)?.map(|name| find(&name)).transpose()?;
        let mut ties = Ties::new(together.len())?;
        let (mut labels, mut named, mut runs) = (Vec::new(), Vec::new(), 0);
        let mut days = Days::default();
        let mut members = Members::new(reviews.file(), &columns, study)?;
        let says = match &study.validation.by {
            By::Column(name) => Some(find(name)?),
            _ => None,
        };
        let mut record = Record::new();
        let part = holdout::part_column(&columns);
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            holdout::check_row(&record, part, reviews.file())?;
            let outcome = labelling.take(|at| &record[at], reviews.file(), line)?;
            let place = (reviews.file(), line);
            let Some(class) = members.take(outcome, |at| &record[at], place) else { continue };
            runs += usize::from(labels.last() != Some(&class));
            labels.push(class);
            match (&study.validation.by, says) {
                (By::FromRow(first), _) => {
                    named.push(Some(if reviews.number() >= *first { HOLDOUT } else { TRAINING } as u8));
                }
                (By::Column(name), Some(column)) => {
                    named.push(part_of(&record[column], name, &reviews, line)?)
                }
                _ => {}
            }
            if let Some(column) = dated {
                days.push(&record[column]);
            }
            ties.push(labelling.join(|at| &record[at]).into_owned(), values(|at| &record[at], &together));
        }
        let mut draft = Self {
            labels,
            grouping: ties.finish()?,
            days: Vec::new(),
            named,
            rows: ReviewRows::default(),
            runs,
            manners: reviews.manners(),
            account: labelling.finish(refusals.count())?.0,
        };
        if let Some(column) = dated {
            check_order(&days, &columns[column].name, study)?;
            draft.days = days.read(study.reviews.dates);
        }
        if let Some(rows) = members.settle(&mut draft.account, session)? {
            draft.grouping.tie(rows.ties().collect());
            draft.rows = rows;
            draft.labels = draft.rows.reviews(&draft.labels);
            draft.days = draft.rows.reviews(&draft.days);
            draft.named = draft.rows.reviews(&draft.named);
        }
        Ok(draft)
    }
}

/// The column of the date, if dates decide.
fn dates_decide(study: &Study) -> Result<Option<String>> {
    let by = &study.validation.by;
    match &study.reviews.date {
        _ if !by.is_dated() => Ok(None),
        Some(date) => Ok(Some(date.clone())),
        None => {
            fail!(
                Settings,
                "validation.by = \"{by}\" needs the column of the date, as in --set reviews.date=posted"
            )
        }
    }
}

/// The part that a cell names; nothing where it is blank.
fn part_of(cell: &str, column: &str, reviews: &Reviews, line: u64) -> Result<Option<u8>> {
    const NAMES: [(usize, &[&str]); 3] = [
        (HOLDOUT, &["holdout", "held out", "test", "testing", "final"]),
        (DEVELOPMENT, &["development", "dev", "validation", "valid", "val"]),
        (TRAINING, &["training", "train", "learn"]),
    ];
    let plain = cell.trim().to_lowercase().replace(['-', '_'], " ");
    if plain.is_empty() {
        return Ok(None);
    }
    match NAMES.iter().find(|(_, names)| names.contains(&plain.as_str())) {
        Some((side, _)) => Ok(Some(*side as u8)),
        None => fail!(
            Reviews,
            "{}, line {line}, column `{column}`: expected training, development or holdout, found `{cell}` (validation.by)",
            reviews.file()
        ),
    }
}
