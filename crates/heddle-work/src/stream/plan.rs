//! The first look at the rows: what each will do. A byte a row is all that is kept of it.

use std::collections::HashSet;

use heddle_core::labels::{ClassCounts, Polarity};
use heddle_core::resample::LearntTexts;
use heddle_core::settings::Study;
use heddle_core::survey::Reservoir;
use heddle_files::{Input, Record, find_column};
use xxhash_rust::xxh3::Xxh3;

use crate::error::Result;
use crate::reviews::holdout;
use crate::reviews::labelled::{check_classes, values};
use crate::reviews::labelling::{Account, Labelling};
use crate::reviews::refusals::Refusals;
use crate::reviews::ties::Ties;
use crate::session::Session;

/// In so many texts one looks for their language.
const SOME: usize = 256;

/// What a row does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum RowUse {
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

/// What each row does, by row of the files that can be read.
pub(crate) struct RowUses(Vec<u8>);

impl RowUses {
    /// What the row of this number does, from 0; nothing if there was no such row.
    pub(super) fn row(&self, number: usize) -> Option<RowUse> {
        self.0.get(number).map(|byte| RowUse::of(*byte))
    }

    /// The rows that were read.
    pub(crate) fn rows(&self) -> usize {
        self.0.len()
    }
}

/// What a first look at the rows tells.
pub(crate) struct FirstLook {
    /// Rows with a class teach.
    pub(crate) uses: RowUses,
    /// By labelled row: the same for rows that are tied.
    pub(crate) groups: Vec<u64>,
    /// Neighbouring labelled rows of one class count as one.
    runs: usize,
    pub(crate) account: Account,
    /// Some of the texts, drawn at random.
    pub(super) texts: Vec<String>,
    learnt: LearntTexts,
    /// What the rows are known again by.
    digest: u64,
}

impl FirstLook {
    /// Reads all rows once.
    ///
    /// # Errors
    /// Rows that cannot be read, a rating that the rule does not name, a row of a locked holdout.
    pub(crate) fn new(input: &Input, session: &Session) -> Result<Self> {
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
        let mut drawn = Reservoir::new(SOME, study.validation.seed);
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
            drawn.offer(|| text.clone());
            ties.push(text, values(|at| &record[at], &together));
        }
        session.tell_manners(&reviews.manners());
        let account = labelling.finish(refusals.finish()?)?.0;
        let groups = ties.finish()?.groups(study.validation.alike)?;
        Ok(Self {
            uses: RowUses(uses),
            learnt: LearntTexts::new(groups.texts.iter().copied()),
            groups: groups.keys,
            runs,
            account,
            texts: drawn.into_kept(),
            digest: digest.digest(),
        })
    }
}

/// What the rows will do.
pub(super) struct Plan {
    pub(super) uses: RowUses,
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
    /// Decides which rows are held back, and which repeat others.
    ///
    /// # Errors
    /// If a class is absent.
    pub(super) fn new(first: FirstLook, study: &Study) -> Result<Self> {
        let FirstLook { uses: RowUses(mut uses), groups, runs, account, learnt, digest, .. } = first;
        check_classes(&account)?;
        let share = Study::held_share(groups.len());
        let (mut held, mut mix, mut repeats) = (Vec::new(), ClassCounts::default(), 0);
        let (mut groups, mut seen) = (groups.iter(), HashSet::new());
        for byte in &mut uses {
            let RowUse::Teaches(class) = RowUse::of(*byte) else { continue };
            let group = *groups.next().expect("a group for each labelled row");
            if study.holds_back(group, share) {
                held.push(group);
                *byte = RowUse::HeldBack(class).byte();
                continue;
            }
            mix[class] += 1;
            if !seen.insert(group) {
                repeats += 1;
                *byte = RowUse::Repeats(class).byte();
            }
        }
        Ok(Self { uses: RowUses(uses), held, mix, repeats, runs, account, learnt, digest })
    }

    /// The rows that teach.
    pub(super) fn teaching(&self) -> usize {
        self.mix.iter().sum()
    }
}
