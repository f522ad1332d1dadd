//! A training part and a locked holdout, and a third part if asked.

mod page;
mod sides;

use std::collections::BTreeMap;

use anyhow::bail;
use heddle_core::{Choice, ClassCounts, Day, Fingerprint, Kin, Overlap, Polarity, Study, runs_score};
use heddle_files::{About, Holds, Input, Manner, Origins, Record, RowWriter, SketchFile, find_column};
use rayon::prelude::*;
use serde::Serialize;

use crate::args::SplitArgs;
use crate::commands::label::{Target, replaces};
use crate::desk::Desk;
use crate::intake::{input, values};
use crate::labelling::{Account, Fate, Labelling};
use crate::locked::{self, Digest};
use crate::refusals::Refusals;
use sides::{Chosen, DEVELOPMENT, HOLDOUT, TRAINING, check_places, check_sides, dates_decide, day};

/// Texts whose fingerprints are taken at a time, on all cores.
const BATCH: usize = 4096;

/// Where the parts go.
pub struct Places<'a> {
    pub training: &'a str,
    pub development: Option<&'a str>,
    pub holdout: &'a str,
}

/// What was divided how.
#[derive(Serialize, Clone)]
pub struct Divided {
    pub account: Account,
    pub rule: String,
    pub seed: u64,
    pub by: &'static str,
    pub sides: &'static str,
    pub training: Part,
    pub development: Option<Part>,
    pub holdout: Part,
    /// Labelled rows on no side: without a date that can be read, where dates decide.
    pub no_date: usize,
    /// Labelled rows on no side: tied to a row of a later part, where dates decide.
    pub tied: usize,
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

/// One side.
#[derive(Serialize, Clone)]
pub struct Part {
    pub file: String,
    /// Reviews of each class.
    pub mix: BTreeMap<String, usize>,
    /// The first and the last day, where dates decide.
    pub days: Option<(String, String)>,
}

impl Part {
    pub fn rows(&self) -> usize {
        self.mix.values().sum()
    }

    pub fn of(&self, class: Polarity) -> usize {
        self.mix.get(class.name()).copied().unwrap_or(0)
    }
}

/// Divides files.
pub fn run(args: &SplitArgs, desk: &Desk) -> anyhow::Result<usize> {
    let places =
        Places { training: &args.training, development: args.development.as_deref(), holdout: &args.holdout };
    let input = input(&args.files, desk)?;
    let divided = divide(&input, desk, &places)?;
    desk.answer("split", &divided)?;
    Ok(divided.account.refused)
}

/// What the first look at the rows keeps of each labelled one.
struct Draft {
    labels: Vec<Polarity>,
    kin: Kin<SketchFile>,
    /// The day of each, where dates decide.
    days: Vec<Option<Day>>,
    account: Account,
    runs: usize,
    manners: Vec<Manner>,
}

/// Divides labelled reviews and writes the sides. The files are read twice: first to see
/// which rows belong together, then to write each to its side; rows are never kept.
pub fn divide(input: &Input, desk: &Desk, places: &Places<'_>) -> anyhow::Result<Divided> {
    let study = desk.study();
    check_places(places, study)?;
    check_unbalanced(input)?;
    let sign = desk.busy("finding what belongs together");
    let draft = Draft::read(input, desk)?;
    sign.finish_and_clear();
    desk.tell_manners(&draft.manners);
    check_classes(&draft.account, study)?;
    let groups = draft.kin.groups(study.validation.alike)?;
    let chosen = Chosen::new(&draft, &groups.keys, study)?;
    let counts = chosen.counts(&draft.labels);
    check_sides(&counts, &draft.account, study, places)?;
    let placed: usize = counts.iter().flatten().sum();
    if placed + chosen.no_date + chosen.tied != draft.account.labelled() {
        bail!("the sides do not add up to the labelled rows; please report this");
    }
    let sources = input.origins()?;
    let marks = marks(&chosen.sides, &groups.keys, &draft.labels);
    let written = write_sides(input, desk, places, (&chosen.sides, &marks), &draft)?;
    let part = |at: usize, file: &str| Part {
        file: file.into(),
        mix: named(&counts[at], study),
        days: chosen.days(&draft.days, at),
    };
    written.note(&sources, desk, &counts, &marks)?;
    let mut sizes = groups.keys.clone();
    sizes.par_sort_unstable();
    let order = runs_score(draft.runs, &draft.account.counts());
    Ok(Divided {
        rule: study.polarity.to_string(),
        seed: study.validation.seed,
        by: study.validation.by.name(),
        sides: study.validation.sides.name(),
        training: part(TRAINING, places.training),
        development: places.development.map(|file| part(DEVELOPMENT, file)),
        holdout: part(HOLDOUT, places.holdout),
        no_date: chosen.no_date,
        tied: chosen.tied,
        overlap: draft.kin.overlap(&groups, &chosen.sides),
        together: study.reviews.together.clone(),
        groups_kept_together: sizes.chunk_by(|a, b| a == b).filter(|group| group.len() > 1).count(),
        near_repeats: groups.near.len(),
        order,
        account: draft.account,
    })
}

/// A holdout must have the mix that reviews come in.
fn check_unbalanced(input: &Input) -> anyhow::Result<()> {
    for path in input.paths() {
        if About::beside(path)?.is_some_and(|about| about.holds == Holds::Balanced && about.fits(path)) {
            bail!(
                "{path} was balanced: its holdout would have a class mix that nobody meets. \
                 Split first, then balance the training part"
            );
        }
    }
    Ok(())
}

fn check_classes(account: &Account, study: &Study) -> anyhow::Result<()> {
    if study.polarity.has_neutral() && account.neutral > 0 && account.labelled() > account.neutral {
        return Ok(());
    }
    crate::intake::check_classes(account)
}

impl Draft {
    fn read(input: &Input, desk: &Desk) -> anyhow::Result<Self> {
        let study = desk.study();
        let mut reviews = input.rows()?;
        let columns = reviews.columns().to_vec();
        let mut labelling = Labelling::new(reviews.file(), &columns, study)?;
        let find = |name: &String| find_column(reviews.file(), &columns, name);
        let together: Vec<usize> = study.reviews.together.iter().map(find).collect::<Result<_, _>>()?;
        let dated = dates_decide(study)?.map(|name| find(&name)).transpose()?;
        let mut draft = Self {
            labels: Vec::new(),
            kin: Kin::kept_in(SketchFile::new()?, together.len()),
            days: Vec::new(),
            account: Account::default(),
            runs: 0,
            manners: Vec::new(),
        };
        let mut refusals = Refusals::new(desk)?;
        let mut batch: Vec<(String, Vec<Option<u64>>)> = Vec::new();
        let mut record = Record::new();
        let part = locked::part_column(&columns);
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            locked::check_row(&record, part, reviews.file())?;
            let Fate::Labelled(class) = labelling.take(|at| &record[at], reviews.file(), line)? else {
                continue;
            };
            draft.runs += usize::from(draft.labels.last() != Some(&class));
            draft.labels.push(class);
            if let Some(column) = dated {
                draft.days.push(day(&record[column], study.reviews.dates));
            }
            batch.push((labelling.join(|at| &record[at]).into_owned(), values(|at| &record[at], &together)));
            if batch.len() == BATCH {
                draft.take(&mut batch)?;
            }
        }
        draft.take(&mut batch)?;
        draft.manners = reviews.manners();
        draft.account = labelling.finish(refusals.finish()?)?.0;
        Ok(draft)
    }

    fn take(&mut self, batch: &mut Vec<(String, Vec<Option<u64>>)>) -> anyhow::Result<()> {
        let fingerprints: Vec<Fingerprint> =
            batch.par_iter().map(|(text, _)| Fingerprint::of(text)).collect();
        for ((_, values), fingerprint) in batch.drain(..).zip(&fingerprints) {
            self.kin.push(fingerprint, &values)?;
        }
        Ok(())
    }
}

/// The counts of the classes that the rule gives, by name.
pub fn named(mix: &ClassCounts, study: &Study) -> BTreeMap<String, usize> {
    study.polarity.classes().map(|class| (class.name().to_string(), mix[class.index()])).collect()
}

/// By side: what its rows carry.
fn marks(sides: &[Option<u8>], groups: &[u64], labels: &[Polarity]) -> [String; 3] {
    let mut digests = [Digest::new(), Digest::new(), Digest::new()];
    for ((side, group), label) in sides.iter().zip(groups).zip(labels) {
        if let Some(side) = side {
            digests[*side as usize].add(*group, *label);
        }
    }
    [(HOLDOUT, "holdout"), (DEVELOPMENT, "development"), (TRAINING, "training")]
        .map(|(side, name)| digests[side].mark(name))
}

/// The parts that were written: the place, what it holds, and what was written.
struct WrittenParts(Vec<(String, usize, heddle_files::Written)>);

impl WrittenParts {
    /// Writes beside each part what it is.
    fn note(
        &self,
        sources: &[Origins],
        desk: &Desk,
        counts: &[ClassCounts; 3],
        marks: &[String; 3],
    ) -> anyhow::Result<()> {
        let study = desk.study();
        for (path, side, written) in &self.0 {
            let holds = [Holds::Holdout, Holds::Development, Holds::Training][*side];
            let mix = named(&counts[*side], study);
            let mut about = About::new(holds, study, sources.to_vec(), written, mix);
            about.part = Some(marks[*side].clone());
            // The same holdout, written again, was opened as often as before.
            let before = About::beside(path).ok().flatten().filter(|before| before.part == about.part);
            about.openings = before.map_or(Vec::new(), |before| before.openings);
            about.put_beside(desk.outputs(), path)?;
        }
        Ok(())
    }
}

/// Reads the files again and writes each labelled row to its side.
fn write_sides(
    input: &Input,
    desk: &Desk,
    places: &Places<'_>,
    (sides, marks): (&[Option<u8>], &[String; 3]),
    draft: &Draft,
) -> anyhow::Result<WrittenParts> {
    let study = desk.study();
    let sign = desk.busy("writing the parts");
    let mut reviews = input.rows()?;
    let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
    let target = Target::new(reviews.columns(), replaces(input, study)?).with_part(reviews.columns());
    let files = [Some(places.holdout), places.development, Some(places.training)];
    let mut writers: Vec<Option<RowWriter<'_>>> = files
        .iter()
        .map(|file| file.map(|file| RowWriter::create(desk.outputs(), file, target.columns())).transpose())
        .collect::<Result<_, _>>()?;
    let mut record = Record::new();
    let mut at = 0;
    while let Some(line) = reviews.next_sound(&mut record)? {
        let Fate::Labelled(class) = labelling.take(|at| &record[at], reviews.file(), line)? else { continue };
        if draft.labels.get(at) != Some(&class) {
            bail!("{} changed while it was read; run this again", reviews.file());
        }
        if let Some(side) = sides[at].map(usize::from)
            && let Some(writer) = writers[side].as_mut()
        {
            writer.row(target.cells(&record, class).chain([marks[side].as_str()]))?;
        }
        at += 1;
    }
    if at != sides.len() {
        bail!("{} changed while it was read; run this again", reviews.file());
    }
    let mut written = Vec::new();
    for (side, (writer, file)) in writers.into_iter().zip(files).enumerate() {
        if let (Some(writer), Some(file)) = (writer, file) {
            written.push((file.to_string(), side, writer.finish()?));
        }
    }
    sign.finish_and_clear();
    Ok(WrittenParts(written))
}
