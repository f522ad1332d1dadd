//! A training part and a locked holdout, and a third part if asked.

mod draft;
mod options;
mod parts;
mod sides;

use std::collections::BTreeMap;

use heddle_core::labels::{ClassCounts, Polarity};
use heddle_core::resample::{By, Overlap, Sides, runs_score};
use heddle_core::settings::Study;
use heddle_core::text::Document;
use heddle_files::{About, Holds, Input};
use rayon::prelude::*;
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled;
use crate::reviews::labelling::Account;
use crate::reviews::refusals::Refusals;
use crate::session::Session;
use draft::Draft;
pub use options::SplitOptions;
use options::{DEVELOPMENT, HOLDOUT, TRAINING};
use parts::{Rows, marks};
use sides::{Chosen, check_sides};

/// What was split how.
#[derive(Debug, Clone, Serialize)]
pub struct Split {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The seed of what is drawn at random.
    pub seed: u64,
    /// What decides on the side of a row.
    pub by: By,
    /// How sides are filled.
    pub sides: Sides,
    /// The part to learn from.
    pub training: Part,
    /// The part for settings to be chosen on, where there is one.
    pub development: Option<Part>,
    /// The locked holdout.
    pub holdout: Part,
    /// Labelled rows that were refused for having no date that can be read, where dates decide.
    pub no_date: usize,
    /// Labelled rows on no side: tied to a row of a later part, where dates decide.
    pub tied: usize,
    /// Labelled rows on no side: the column that names the parts is blank there.
    pub unnamed: usize,
    /// What stands on more than one side; nothing should.
    pub overlap: Overlap,
    /// The columns whose values keep rows together.
    pub together: Vec<String>,
    /// Groups of more than one row, kept on one side.
    pub groups_kept_together: usize,
    /// Reviews that are nearly equal to an earlier one.
    pub near_repeats: usize,
    /// How far the order of the file is from random, in standard deviations of the runs of
    /// equal classes.
    pub order: Option<f64>,
}

impl Split {
    /// Rows that were refused: when they were read, or for their date.
    pub fn refused(&self) -> usize {
        self.account.refused + self.no_date
    }
}

/// One side.
#[derive(Debug, Clone, Serialize)]
pub struct Part {
    /// Where it was written.
    pub file: String,
    /// Reviews of each class.
    pub mix: BTreeMap<String, usize>,
    /// The first and the last day, where dates decide.
    pub days: Option<(String, String)>,
}

impl Part {
    /// Rows.
    pub fn rows(&self) -> usize {
        self.mix.values().sum()
    }

    /// Its reviews of a class.
    pub fn of(&self, class: Polarity) -> usize {
        self.mix.get(class.name()).copied().unwrap_or(0)
    }
}

/// Divides labelled reviews into a training part and a locked holdout, and a third part if asked,
/// and writes them. What belongs together stands on one side.
///
/// # Errors
/// Files that cannot be read or written, a locked holdout among them, or a part without a class.
pub fn split(session: &Session, options: &SplitOptions) -> Result<Split> {
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    Ok(split_input(&input, session, options, false)?.0)
}

/// As [`split`], of files that are found already. Gives also the texts between the classes, which
/// no part holds, if `keeps_middle`. The files are read twice: first to see which rows belong
/// together, then to write each to its side; other rows are never kept.
pub(crate) fn split_input(
    input: &Input,
    session: &Session,
    options: &SplitOptions,
    keeps_middle: bool,
) -> Result<(Split, Vec<Document>)> {
    let study = session.study();
    options.check(study)?;
    check_unbalanced(input)?;
    let task = session.busy("finding what belongs together");
    let mut refusals = Refusals::new(session)?;
    let draft = Draft::read(input, session, &mut refusals)?;
    task.end();
    session.tell_manners(&draft.manners);
    check_classes(&draft.account, study)?;
    let groups = draft.grouping.groups(study.validation.alike)?;
    let keys = draft.rows.reviews(&groups.keys);
    let chosen = Chosen::new(&draft, &keys, study)?;
    let counts = chosen.counts(&draft.labels);
    check_sides(&counts, &draft.account, study, options)?;
    let placed: usize = counts.iter().flatten().sum();
    if counts[DEVELOPMENT].iter().sum::<usize>() > 0 && options.development.is_none() {
        fail!(
            Options,
            "rows of column `{}` are of a development part: name its file with --development, or in `run` set \
             validation.development to the share it has",
            study.validation.by
        );
    }
    if placed + chosen.no_date + chosen.tied + chosen.unnamed != draft.account.labelled() {
        fail!(Reviews, "the sides do not add up to the labelled rows; please report this");
    }
    let sources = input.origins()?;
    let marks = marks(&chosen.sides, &keys, &draft.labels);
    let rows = Rows { draft: &draft, sides: &chosen.sides, marks: &marks };
    let (written, middle) = rows.write(input, session, options, keeps_middle, &mut refusals)?;
    refusals.finish()?;
    for part in written {
        part.note(&sources, session, named(&counts[part.side], study), &marks[part.side])?;
    }
    let part = |side: usize, file: &str| Part {
        file: file.into(),
        mix: named(&counts[side], study),
        days: chosen.days(&draft.days, side),
    };
    let mut sizes = keys;
    sizes.par_sort_unstable();
    let split = Split {
        rule: study.rule(draft.account.by_name),
        seed: study.validation.seed,
        by: study.validation.by.clone(),
        sides: study.validation.sides,
        training: part(TRAINING, &options.training),
        development: options.development.as_deref().map(|file| part(DEVELOPMENT, file)),
        holdout: part(HOLDOUT, &options.holdout),
        no_date: chosen.no_date,
        tied: chosen.tied,
        unnamed: chosen.unnamed,
        overlap: draft.grouping.overlap(&groups, &draft.rows.sides(&chosen.sides)),
        together: study.reviews.together.clone(),
        groups_kept_together: sizes.chunk_by(|a, b| a == b).filter(|group| group.len() > 1).count(),
        near_repeats: groups.near.iter().filter(|(_, like)| !draft.rows.is_copy(*like as usize)).count(),
        order: runs_score(draft.runs, &draft.account.counts().into_array()),
        account: draft.account,
    };
    Ok((split, middle))
}

/// A holdout must have the mix that reviews come in.
fn check_unbalanced(input: &Input) -> Result<()> {
    for path in input.paths() {
        if About::beside(path)?.is_some_and(|about| about.holds == Holds::Balanced && about.fits(path)) {
            fail!(
                Reviews,
                "{path} was balanced: its holdout would have a class mix that nobody meets. \
                 Split first, then balance the training part"
            );
        }
    }
    Ok(())
}

fn check_classes(account: &Account, study: &Study) -> Result<()> {
    if study.polarity.has_neutral() && account.neutral > 0 && account.labelled() > account.neutral {
        return Ok(());
    }
    labelled::check_classes(account)
}

/// The counts of the classes that the rule gives, by name.
pub fn named(mix: &ClassCounts, study: &Study) -> BTreeMap<String, usize> {
    study.polarity.classes().map(|class| (class.name().to_string(), mix[class])).collect()
}
