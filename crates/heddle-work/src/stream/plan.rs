//! The first look at the rows: what each will do. A byte a row is all that is kept of it.

use std::collections::HashSet;

use heddle_core::labels::{ClassCounts, Polarity};
use heddle_core::resample::{LearntTexts, side};
use heddle_core::settings::Study;
use heddle_files::{Input, Record, find_column};
use xxhash_rust::xxh3::Xxh3;

use crate::error::Result;
use crate::reviews::holdout;
use crate::reviews::labelled::{check_classes, values};
use crate::reviews::labelling::{Account, Labelling};
use crate::reviews::refusals::Refusals;
use crate::reviews::ties::Ties;
use crate::session::Session;

/// So many rows that do not teach are enough to bring scores to log-odds, and there are never more.
const ENOUGH: f64 = 20_000.0;
/// There are to be so many at least, as far as that leaves enough to learn from.
const FEWEST: f64 = 1_000.0;
/// The share of the rows that does not teach, of many rows and of few.
const SHARES: [f64; 2] = [0.05, 0.2];
/// Keeps the draw of these rows apart from that of other parts.
const HELD: u64 = 0x4e1d;

/// What a row does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum RowUse {
    /// Nothing: it has no class, or no text.
    None,
    /// It teaches, after it was judged.
    Teaches(Polarity),
    /// It teaches; a review that it is tied to has taught before, so that judging it would flatter.
    Repeats(Polarity),
    /// It does not teach: scores are brought to log-odds by it.
    HeldBack(Polarity),
}

impl RowUse {
    fn byte(self) -> u8 {
        match self {
            Self::None => 0,
            Self::Teaches(class) => 4 + class.index() as u8,
            Self::Repeats(class) => 8 + class.index() as u8,
            Self::HeldBack(class) => 12 + class.index() as u8,
        }
    }

    fn of(byte: u8) -> Self {
        let class = || Polarity::ALL.into_iter().find(|class| class.index() == usize::from(byte % 4));
        match (byte / 4, class()) {
            (1, Some(class)) => Self::Teaches(class),
            (2, Some(class)) => Self::Repeats(class),
            (3, Some(class)) => Self::HeldBack(class),
            _ => Self::None,
        }
    }
}

/// What the rows will do.
pub(super) struct Plan {
    /// By row of the files that can be read.
    uses: Vec<u8>,
    /// By row that is held back, in order: the same for rows that are tied.
    pub(super) held: Vec<u64>,
    /// The rows of each class that teach.
    pub(super) mix: ClassCounts,
    /// Rows that teach, and are tied to one before.
    pub(super) repeats: usize,
    /// Neighbouring labelled rows of one class count as one.
    pub(super) runs: usize,
    pub(super) account: Account,
    pub(super) learnt: LearntTexts,
    /// What the rows are known again by.
    pub(super) digest: u64,
}

impl Plan {
    /// Reads all rows once.
    ///
    /// # Errors
    /// Rows that cannot be read, a rating that the rule does not name, a row of a locked holdout.
    pub(super) fn read(input: &Input, session: &Session) -> Result<Self> {
        let study = session.study();
        let mut refusals = Refusals::new(session)?;
        let mut reviews = input.rows()?;
        let columns = reviews.columns().to_vec();
        let mut labelling = Labelling::new(reviews.file(), &columns, study)?;
        let find = |name: &String| find_column(reviews.file(), &columns, name);
        let together: Vec<usize> = study.reviews.together.iter().map(find).collect::<Result<_, _>>()?;
        let part = holdout::part_column(&columns);
        let mut ties = Ties::new(together.len())?;
        let (mut uses, mut runs, mut before) = (Vec::new(), 0, None);
        let mut digest = Xxh3::new();
        let mut record = Record::new();
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            holdout::check_row(&record, part, reviews.file())?;
            let class = labelling.take(|at| &record[at], reviews.file(), line)?.class();
            uses.push(class.map_or(RowUse::None, RowUse::Teaches).byte());
            let Some(class) = class else { continue };
            runs += usize::from(before.replace(class) != Some(class));
            let text = labelling.join(|at| &record[at]).into_owned();
            digest.update(&[class.index() as u8]);
            digest.update(text.as_bytes());
            ties.push(text, values(|at| &record[at], &together))?;
        }
        session.tell_manners(&reviews.manners());
        let account = labelling.finish(refusals.finish()?)?.0;
        check_classes(&account)?;
        let groups = ties.finish()?.groups(study.validation.alike)?;
        let mut plan = Self {
            uses,
            held: Vec::new(),
            mix: ClassCounts::default(),
            repeats: 0,
            runs,
            account,
            learnt: LearntTexts::new(groups.texts.iter().copied()),
            digest: digest.digest(),
        };
        plan.share_out(&groups.keys, study);
        Ok(plan)
    }

    /// Decides which rows are held back, and which repeat others.
    fn share_out(&mut self, groups: &[u64], study: &Study) {
        let rows = groups.len() as f64;
        let share = (FEWEST / rows).clamp(SHARES[0], SHARES[1]).min(ENOUGH / rows);
        let seed = study.validation.seed ^ HELD;
        let (mut groups, mut seen) = (groups.iter(), HashSet::new());
        for byte in &mut self.uses {
            let RowUse::Teaches(class) = RowUse::of(*byte) else { continue };
            let group = *groups.next().expect("a group for each labelled row");
            if side(group, seed, &[share, 1.0 - share]) == 0 {
                self.held.push(group);
                *byte = RowUse::HeldBack(class).byte();
                continue;
            }
            self.mix[class] += 1;
            if !seen.insert(group) {
                self.repeats += 1;
                *byte = RowUse::Repeats(class).byte();
            }
        }
    }

    /// What the row of this number does, from 0; nothing if there was no such row.
    pub(super) fn row(&self, number: usize) -> Option<RowUse> {
        self.uses.get(number).map(|byte| RowUse::of(*byte))
    }

    /// The rows that were read.
    pub(super) fn rows(&self) -> usize {
        self.uses.len()
    }

    /// The rows that teach.
    pub(super) fn teaching(&self) -> usize {
        self.mix.iter().sum()
    }
}
