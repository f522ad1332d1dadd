//! Rows that are copies of others, by the column that names what they are copies of.

use std::collections::HashMap;

use heddle_core::labels::Polarity;
use heddle_core::resample::value_key;
use heddle_core::settings::Study;
use heddle_files::{Column, find_column};

use crate::error::{Result, fail};
use crate::reviews::labelling::{Account, RowOutcome};
use crate::session::Session;
use crate::words::{copies, count};

/// The places of the columns that tell copies.
#[derive(Debug, Clone, Copy)]
pub struct CopyColumns<'s> {
    id: usize,
    copy_of: usize,
    /// What the column of originals is called.
    name: &'s str,
}

impl<'s> CopyColumns<'s> {
    /// Where the study names them; nothing where it names none.
    ///
    /// # Errors
    /// If one is not there.
    pub fn find(file: &str, columns: &[Column], study: &'s Study) -> Result<Option<Self>> {
        let (Some(copy_of), Some(id)) = (&study.reviews.copy_of, &study.reviews.id) else { return Ok(None) };
        let find = |name: &String| find_column(file, columns, name);
        Ok(Some(Self { id: find(id)?, copy_of: find(copy_of)?, name: copy_of }))
    }

    /// As [`find`](Self::find), where both are there.
    pub fn if_there(file: &str, columns: &[Column], study: &'s Study) -> Option<Self> {
        Self::find(file, columns, study).ok().flatten()
    }

    /// What a row is called, and what it is a copy of; the same where it is none.
    fn names<'c>(self, cell: impl Fn(usize) -> &'c str) -> (&'c str, &'c str) {
        let (id, copy_of) = (cell(self.id).trim(), cell(self.copy_of).trim());
        (id, if copy_of.is_empty() { id } else { copy_of })
    }

    /// Whether a row is a copy.
    fn is_copy<'c>(self, cell: impl Fn(usize) -> &'c str) -> bool {
        let (id, copy_of) = self.names(cell);
        id != copy_of
    }
}

/// Whether a row may be a review or a copy of one: a copy needs no rating of its own.
fn may_teach(outcome: RowOutcome, is_copy: bool) -> bool {
    outcome.class().is_some() || is_copy && outcome == RowOutcome::Unrated
}

/// The rows of files, and which of them are copies of which. Takes 20 bytes a row.
#[derive(Debug)]
pub struct Families<'s> {
    columns: CopyColumns<'s>,
    /// By name: the row that has it, and whether another has it too.
    named: HashMap<u64, (u32, bool)>,
    /// By row: the name of what it is a copy of.
    of: Vec<Option<u64>>,
    /// By copy: its row, what it names, and where it stands.
    places: Vec<(u32, String, String, u64)>,
}

/// What a row is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// A review of this class.
    Review(Polarity),
    /// A copy of the review in this row.
    CopyOf(u32),
    /// A copy that is left out: its review is, or has another class.
    CopyLeftOut,
    /// Neither.
    Neither,
}

/// Every row as what it is.
#[derive(Debug)]
pub struct Settled {
    /// By row.
    pub parts: Vec<Part>,
    /// By row: what it shares with its copies, or with the review that it is a copy of; 0 where there are none.
    pub ties: Vec<u64>,
    /// Names of originals that no row has: their first copy stands for them.
    pub missing: usize,
    /// Copies that are left out because their class is another than that of their review.
    pub other_class: usize,
}

impl<'s> Families<'s> {
    /// None, of rows with these columns.
    pub fn new(columns: CopyColumns<'s>) -> Self {
        Self { columns, named: HashMap::new(), of: Vec::new(), places: Vec::new() }
    }

    /// Adds a row: its cells, and where it stands. Tells whether it is a copy.
    pub fn push<'c>(&mut self, cell: impl Fn(usize) -> &'c str, (file, line): (&str, u64)) -> bool {
        let (id, copy_of) = self.columns.names(cell);
        let row = self.of.len() as u32;
        let is_copy = id != copy_of;
        if !id.is_empty() {
            self.named.entry(key(id)).and_modify(|(_, twice)| *twice = true).or_insert((row, false));
        }
        self.of.push(is_copy.then(|| key(copy_of)));
        if is_copy {
            self.places.push((row, copy_of.into(), file.into(), line));
        }
        is_copy
    }

    /// Which rows are reviews and which copies of them, given what the rule makes of each. Copies of copies are copies of
    /// what those are copies of. Where no row has the name of an original, the first copy that can be used stands for it.
    ///
    /// # Errors
    /// If a name stands twice, or copies go round in a circle.
    pub fn settle(&self, outcomes: &[RowOutcome]) -> Result<Settled> {
        // By row: what the row that it is a copy of is called, and that row, if it is there.
        let mut roots: Vec<(u64, Option<u32>)> =
            (0..self.of.len() as u32).map(|row| (0, Some(row))).collect();
        for (row, name, file, line) in &self.places {
            roots[*row as usize] = self.root(*row, (name, file, *line))?;
        }
        let usable = |row: usize| match outcomes[row] {
            RowOutcome::Labelled(class) => Some(Some(class)),
            RowOutcome::Unrated => Some(None),
            RowOutcome::Middle | RowOutcome::LeftOut => None,
        };
        let mut stands_in: HashMap<u64, u32> = HashMap::new();
        for (row, root) in roots.iter().enumerate() {
            if let ((name, None), Some(Some(_))) = (root, usable(row)) {
                stands_in.entry(*name).or_insert(row as u32);
            }
        }
        let mut settled = Settled {
            parts: Vec::with_capacity(roots.len()),
            ties: vec![0; roots.len()],
            missing: stands_in.len(),
            other_class: 0,
        };
        for (row, (name, there)) in roots.iter().enumerate() {
            let of = there.or_else(|| stands_in.get(name).copied());
            let part = match (usable(row), of) {
                (Some(Some(class)), Some(of)) if of as usize == row => Part::Review(class),
                (None, _) => Part::Neither,
                (Some(None), Some(of)) if of as usize == row => Part::Neither,
                (Some(own), of) => match of.and_then(|of| usable(of as usize)).flatten() {
                    Some(class) if own.is_none_or(|own| own == class) => {
                        let of = of.expect("there is one");
                        settled.ties[row] = *name;
                        settled.ties[of as usize] = *name;
                        Part::CopyOf(of)
                    }
                    other => {
                        settled.other_class += usize::from(other.is_some());
                        Part::CopyLeftOut
                    }
                },
            };
            settled.parts.push(part);
        }
        Ok(settled)
    }

    fn root(&self, row: u32, (name, file, line): (&str, &str, u64)) -> Result<(u64, Option<u32>)> {
        let column = self.columns.name;
        let (mut at, mut steps, mut named) = (row, 0, 0);
        while let Some(of) = self.of[at as usize] {
            match self.named.get(&of) {
                None => return Ok((of, None)),
                Some((_, true)) => fail!(
                    Reviews,
                    "{file}, line {line}, column `{column}`: `{name}` leads to a row whose name several rows have, so that \
                     nobody can tell which it is a copy of; give every row a name of its own (reviews.id)"
                ),
                Some((next, false)) => at = *next,
            }
            (steps, named) = (steps + 1, of);
            if steps > self.of.len() {
                fail!(
                    Reviews,
                    "{file}, line {line}, column `{column}`: `{name}` leads back to this row: copies name the row that \
                     they are copies of, and that row names none"
                );
            }
        }
        Ok((named, Some(at)))
    }
}

fn key(name: &str) -> u64 {
    value_key(0, name)
}

impl Settled {
    /// Counts copies as copies, in place of what each was counted as before.
    fn count_in(&self, outcomes: &[RowOutcome], account: &mut Account) {
        for (outcome, part) in outcomes.iter().zip(&self.parts) {
            let own = match part {
                Part::CopyOf(_) => &mut account.copies,
                Part::CopyLeftOut => &mut account.copies_left_out,
                Part::Review(_) | Part::Neither => continue,
            };
            *own += 1;
            match outcome {
                RowOutcome::Labelled(Polarity::Negative) => account.negative -= 1,
                RowOutcome::Labelled(Polarity::Neutral) => account.neutral -= 1,
                RowOutcome::Labelled(Polarity::Positive) => account.positive -= 1,
                RowOutcome::Unrated => account.no_rating -= 1,
                RowOutcome::Middle | RowOutcome::LeftOut => {}
            }
        }
    }

    /// Says what is not as it should be.
    pub fn tell(&self, session: &Session) {
        if self.missing > 0 {
            session.remark(&format!(
                "note: copies name {} that no row has: the first copy of each stands for it",
                count(self.missing, "original")
            ));
        }
        if self.other_class > 0 {
            session.remark(&format!(
                "warning: {} left out, whose class is not that of the review that it is a copy of",
                copies(self.other_class)
            ));
        }
    }
}

/// The rows of files that may teach, taken one by one: reviews, and copies of them where the study names these.
pub struct Members<'s> {
    families: Option<Families<'s>>,
    outcomes: Vec<RowOutcome>,
    taken: Vec<usize>,
}

impl<'s> Members<'s> {
    /// Of files with these columns.
    ///
    /// # Errors
    /// If a column is not there.
    pub fn new(file: &str, columns: &[Column], study: &'s Study) -> Result<Self> {
        CopyColumns::find(file, columns, study).map(Self::of)
    }

    /// Of rows whose copies are told by these columns, where any tell them.
    pub fn of(columns: Option<CopyColumns<'s>>) -> Self {
        Self { families: columns.map(Families::new), outcomes: Vec::new(), taken: Vec::new() }
    }

    /// Takes a row: what the rule makes of it, its cells, and where it stands. Its class, if it may teach; of a copy
    /// without a rating, which has that of its review, any.
    pub fn take<'c>(
        &mut self,
        outcome: RowOutcome,
        cell: impl Fn(usize) -> &'c str,
        place: (&str, u64),
    ) -> Option<Polarity> {
        let Some(families) = &mut self.families else { return outcome.class() };
        let is_copy = families.push(cell, place);
        self.outcomes.push(outcome);
        let teaches = may_teach(outcome, is_copy);
        if teaches {
            self.taken.push(self.outcomes.len() - 1);
        }
        teaches.then(|| outcome.class().unwrap_or(Polarity::Neutral))
    }

    /// Whether a row that is read again is one of those that were taken.
    pub fn takes<'c>(&self, outcome: RowOutcome, cell: impl Fn(usize) -> &'c str) -> bool {
        may_teach(outcome, self.families.as_ref().is_some_and(|families| families.columns.is_copy(cell)))
    }

    /// Which of the taken rows are which reviews, and counts copies as copies; nothing where the study names none.
    ///
    /// # Errors
    /// As [`Families::settle`].
    pub fn settle(self, account: &mut Account, session: &Session) -> Result<Option<ReviewRows>> {
        let Some(families) = self.families else { return Ok(None) };
        let settled = families.settle(&self.outcomes)?;
        settled.tell(session);
        settled.count_in(&self.outcomes, account);
        Ok(Some(ReviewRows::new(&settled, &self.taken)))
    }
}

/// Which of the rows that are written are reviews, and which are copies of which review. Nothing is kept where each row is
/// a review of its own.
#[derive(Debug, Default)]
pub struct ReviewRows(Option<Vec<ReviewRow>>);

#[derive(Debug, Clone, Copy)]
struct ReviewRow {
    /// The place of the review among all reviews, where the row is written.
    review: Option<u32>,
    is_copy: bool,
    /// What the row shares with other rows of its review.
    tie: u64,
}

impl ReviewRows {
    fn new(settled: &Settled, taken: &[usize]) -> Self {
        let mut places = vec![0; settled.parts.len()];
        let reviews = settled.parts.iter().enumerate().filter(|(_, part)| matches!(part, Part::Review(_)));
        reviews.enumerate().for_each(|(place, (row, _))| places[row] = place as u32);
        let row = |row: &usize| {
            let (review, is_copy) = match settled.parts[*row] {
                Part::Review(_) => (Some(places[*row]), false),
                Part::CopyOf(of) => (Some(places[of as usize]), true),
                Part::CopyLeftOut | Part::Neither => (None, true),
            };
            ReviewRow { review, is_copy, tie: settled.ties[*row] }
        };
        Self(Some(taken.iter().map(row).collect()))
    }

    /// By row: what it shares with other rows of its review; 0 where it is alone.
    pub fn ties(&self) -> impl Iterator<Item = u64> {
        self.0.iter().flatten().map(|row| row.tie)
    }

    /// Of something by row: that of the reviews. Nothing stays nothing.
    pub fn reviews<T: Copy>(&self, by_row: &[T]) -> Vec<T> {
        match &self.0 {
            Some(rows) if !by_row.is_empty() => {
                let both = rows.iter().zip(by_row).filter(|(row, _)| !row.is_copy);
                both.map(|(_, own)| *own).collect()
            }
            _ => by_row.to_vec(),
        }
    }

    /// The review that a row is, or is a copy of; nothing where it is left out, or there is no such row.
    pub fn review(&self, row: usize) -> Option<usize> {
        match &self.0 {
            Some(rows) => rows.get(row)?.review.map(|review| review as usize),
            None => Some(row),
        }
    }

    /// Whether a row is a copy.
    pub fn is_copy(&self, row: usize) -> bool {
        self.0.as_ref().is_some_and(|rows| rows[row].is_copy)
    }

    /// The number of rows, given that of reviews.
    pub fn len(&self, reviews: usize) -> usize {
        self.0.as_ref().map_or(reviews, Vec::len)
    }

    /// The side of each row, given that of each review.
    pub fn sides(&self, sides: &[Option<u8>]) -> Vec<Option<u8>> {
        (0..self.len(sides.len())).map(|row| self.review(row).and_then(|review| sides[review])).collect()
    }
}
