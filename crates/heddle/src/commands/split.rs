//! A training part and a locked holdout, and a third part if asked.

use std::collections::BTreeMap;

use anyhow::bail;
use heddle_core::{
    By, DateOrder, Dated, Day, Fingerprint, Kin, Mix, Overlap, Polarity, Sample, Sides, Study, deal,
    read_date, runs_score, side,
};
use heddle_files::{About, Holds, Input, Manner, Origins, Record, RowWriter, find_column};
use rayon::prelude::*;
use serde::Serialize;

use crate::args::SplitArgs;
use crate::commands::label::{Target, replaces, show_account};
use crate::desk::{Answer, Desk};
use crate::intake::{input, values};
use crate::labelling::{Account, Fate, Labelling};
use crate::refusals::Refusals;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent};

/// Texts whose fingerprints are taken at a time, on all cores.
const BATCH: usize = 4096;
/// Rows are called sorted when equal classes stand together by so many standard deviations.
const SORTED: f64 = -8.0;

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
    pub mix: BTreeMap<&'static str, usize>,
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
    let input = input(&args.files, desk.study())?;
    let divided = divide(&input, desk, &places)?;
    desk.answer("split", &divided)?;
    Ok(divided.account.refused)
}

/// The sides, in the order in which shares are laid out: the holdout first, so that a third
/// part takes nothing from it.
const HOLDOUT: usize = 0;
const DEVELOPMENT: usize = 1;
const TRAINING: usize = 2;

/// What the first look at the rows keeps of each labelled one.
struct Draft {
    labels: Vec<Polarity>,
    kin: Kin,
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
    let sign = desk.busy("finding what belongs together");
    let draft = Draft::read(input, desk)?;
    sign.finish_and_clear();
    desk.tell_manners(&draft.manners);
    check_classes(&draft.account, study)?;
    let groups = draft.kin.groups(study.validation.alike);
    let chosen = sides(&draft, &groups.keys, study)?;
    let counts = chosen.counts(&draft.labels);
    check_sides(&counts, &draft.account, study, places)?;
    let sources = Origins::of(input)?;
    let written = write_sides(input, desk, places, &chosen.sides, &draft)?;
    let part = |at: usize, file: &str| Part {
        file: file.into(),
        mix: named(&counts[at], study),
        days: chosen.days(&draft.days, at),
    };
    written.note(&sources, study, &counts)?;
    let mut sizes = groups.keys.clone();
    sizes.par_sort_unstable();
    let order = runs_score(draft.runs, &draft.account_counts());
    Ok(Divided {
        rule: study.polarity.to_string(),
        seed: study.validation.seed,
        by: heddle_core::Choice::name(study.validation.by),
        sides: heddle_core::Choice::name(study.validation.sides),
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

fn check_places(places: &Places<'_>, study: &Study) -> anyhow::Result<()> {
    let mut names = vec![places.training, places.holdout];
    names.extend(places.development);
    for (at, name) in names.iter().enumerate() {
        if names[..at].contains(name) {
            bail!("two parts are to go into one file, {name}; name each its own");
        }
    }
    let (share, rest) = (study.validation.development, study.validation.holdout);
    match (places.development, share > 0.0) {
        (Some(file), false) => {
            bail!("{file} would be empty: set its share, as in --set validation.development=10%")
        }
        (None, true) => {
            bail!("validation.development is {:.0} %: name its file with --development", 100.0 * share)
        }
        _ if share + rest >= 1.0 => {
            bail!("validation.holdout and validation.development leave nothing to learn from")
        }
        _ => Ok(()),
    }
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
            kin: Kin::new(together.len()),
            days: Vec::new(),
            account: Account::default(),
            runs: 0,
            manners: Vec::new(),
        };
        let mut refusals = Refusals::new(desk)?;
        let mut batch: Vec<(String, Vec<Option<u64>>)> = Vec::new();
        let mut record = Record::new();
        while let Some(read) = reviews.next(&mut record)? {
            let line = match read {
                Ok(line) => line,
                Err(refusal) => {
                    refusals.add(&refusal)?;
                    continue;
                }
            };
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
                draft.take(&mut batch);
            }
        }
        draft.take(&mut batch);
        draft.manners = reviews.manners();
        draft.account = labelling.finish(refusals.finish()?)?.0;
        Ok(draft)
    }

    fn take(&mut self, batch: &mut Vec<(String, Vec<Option<u64>>)>) {
        let fingerprints: Vec<Fingerprint> =
            batch.par_iter().map(|(text, _)| Fingerprint::of(text)).collect();
        for ((_, values), fingerprint) in batch.drain(..).zip(&fingerprints) {
            self.kin.push(fingerprint, &values);
        }
    }

    fn account_counts(&self) -> Vec<usize> {
        Polarity::ALL.into_iter().map(|class| self.account.of(class)).collect()
    }
}

/// The column of the date, if dates decide.
fn dates_decide(study: &Study) -> anyhow::Result<Option<String>> {
    match (study.validation.by, &study.reviews.date) {
        (By::Random, _) => Ok(None),
        (By::Latest, Some(date)) => Ok(Some(date.clone())),
        (By::Latest, None) => {
            bail!("validation.by = \"latest\" needs the column of the date, as in --set reviews.date=posted")
        }
    }
}

/// The day of a cell; nothing if day and month can only be read the other way round.
fn day(cell: &str, order: DateOrder) -> Option<Day> {
    read_date(cell, order).filter(|Dated { turned, .. }| !turned).map(|dated| dated.day)
}

/// The side of each labelled row.
struct Chosen {
    sides: Vec<Option<usize>>,
    no_date: usize,
    tied: usize,
}

impl Chosen {
    fn counts(&self, labels: &[Polarity]) -> [Mix; 3] {
        let mut counts = [Mix::default(); 3];
        for (side, label) in self.sides.iter().zip(labels) {
            if let Some(side) = side {
                counts[*side][label.index()] += 1;
            }
        }
        counts
    }

    fn days(&self, days: &[Option<Day>], at: usize) -> Option<(String, String)> {
        let own =
            || self.sides.iter().zip(days).filter(|(side, _)| **side == Some(at)).filter_map(|(_, day)| *day);
        Some((own().min()?.to_string(), own().max()?.to_string()))
    }
}

fn sides(draft: &Draft, groups: &[u64], study: &Study) -> anyhow::Result<Chosen> {
    let validating = &study.validation;
    let shares =
        [validating.holdout, validating.development, 1.0 - validating.holdout - validating.development];
    let drawn = |sides| Ok(Chosen { sides, no_date: 0, tied: 0 });
    match (validating.by, validating.sides) {
        (By::Latest, _) => latest(&draft.days, groups, &shares, study),
        (By::Random, Sides::Stable) => {
            drawn(groups.iter().map(|group| Some(side(*group, validating.seed, &shares))).collect())
        }
        (By::Random, Sides::Exact) => {
            let sample = Sample { labels: draft.labels.clone(), groups: groups.to_vec() };
            let rows: Vec<u32> = (0..sample.len() as u32).collect();
            let held: Vec<usize> = (0..3).filter(|&at| shares[at] > 0.0).collect();
            let dealt =
                deal(&sample, &rows, &held.iter().map(|&at| shares[at]).collect::<Vec<_>>(), validating.seed);
            let mut sides = vec![None; rows.len()];
            for (part, side) in dealt.iter().zip(&held) {
                part.iter().for_each(|&row| sides[row as usize] = Some(*side));
            }
            drawn(sides)
        }
    }
}

/// The latest rows into the holdout, those before them into the third part, and the rest to
/// learn from, but for rows that are tied to a later part. Rows of one day stay together.
fn latest(days: &[Option<Day>], groups: &[u64], shares: &[f64; 3], study: &Study) -> anyhow::Result<Chosen> {
    let mut sorted: Vec<Day> = days.iter().flatten().copied().collect();
    sorted.sort_unstable();
    let no_date = days.len() - sorted.len();
    let (Some(first), Some(last)) = (sorted.first(), sorted.last()) else {
        bail!(
            "no row has a date that can be read in column `{}`",
            study.reviews.date.as_deref().unwrap_or_default()
        );
    };
    if first == last {
        bail!("all rows are of one day, {first}: dates cannot part them");
    }
    let begins = |share: f64| {
        sorted[((1.0 - share) * sorted.len() as f64).ceil().min(sorted.len() as f64 - 1.0) as usize]
    };
    let (holdout, development) = (begins(shares[HOLDOUT]), begins(shares[HOLDOUT] + shares[DEVELOPMENT]));
    let place = |day: &Option<Day>| {
        day.map(|day| match day {
            day if day >= holdout => HOLDOUT,
            day if day >= development => DEVELOPMENT,
            _ => TRAINING,
        })
    };
    let mut sides: Vec<Option<usize>> = days.iter().map(place).collect();
    // The latest side of each group; its earlier rows are on no side.
    let mut latest: std::collections::HashMap<u64, usize> = std::collections::HashMap::new();
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
    Ok(Chosen { sides, no_date, tied })
}

/// Every class of the rule must stand on every side.
fn check_sides(
    counts: &[Mix; 3],
    account: &Account,
    study: &Study,
    places: &Places<'_>,
) -> anyhow::Result<()> {
    for (at, name) in [(HOLDOUT, "holdout"), (DEVELOPMENT, "development part"), (TRAINING, "training part")] {
        if at == DEVELOPMENT && places.development.is_none() {
            continue;
        }
        let absent =
            study.polarity.classes().find(|class| account.of(*class) > 0 && counts[at][class.index()] == 0);
        if let Some(class) = absent {
            bail!(
                "the {name} would be without {} reviews ({} labelled rows, {} of them {}): \
                 take a larger share, --set validation.sides=exact, or more reviews",
                class.name(),
                number(account.labelled()),
                number(account.of(class)),
                class.name(),
            );
        }
    }
    Ok(())
}

/// The counts of the classes that the rule gives, by name.
pub fn named(mix: &Mix, study: &Study) -> BTreeMap<&'static str, usize> {
    study.polarity.classes().map(|class| (class.name(), mix[class.index()])).collect()
}

/// The parts that were written: the place, what it holds, and what was written.
struct WrittenParts(Vec<(String, usize, heddle_files::Written)>);

impl WrittenParts {
    /// Writes beside each part what it is.
    fn note(&self, sources: &[Origins], study: &Study, counts: &[Mix; 3]) -> anyhow::Result<()> {
        for (path, side, written) in &self.0 {
            let holds = [Holds::Holdout, Holds::Development, Holds::Training][*side];
            let mix = named(&counts[*side], study).into_iter();
            let mix = mix.map(|(class, rows)| (class.to_string(), rows)).collect();
            About::new(holds, study, sources.to_vec(), written, mix).put_beside(path)?;
        }
        Ok(())
    }
}

/// Reads the files again and writes each labelled row to its side.
fn write_sides(
    input: &Input,
    desk: &Desk,
    places: &Places<'_>,
    sides: &[Option<usize>],
    draft: &Draft,
) -> anyhow::Result<WrittenParts> {
    let study = desk.study();
    let sign = desk.busy("writing the parts");
    let mut reviews = input.rows()?;
    let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
    let target = Target::new(reviews.columns(), replaces(input, study)?);
    let files = [Some(places.holdout), places.development, Some(places.training)];
    let mut writers: Vec<Option<RowWriter>> = files
        .iter()
        .map(|file| file.map(|file| RowWriter::create(file, target.columns())).transpose())
        .collect::<Result<_, _>>()?;
    let mut record = Record::new();
    let mut at = 0;
    while let Some(read) = reviews.next(&mut record)? {
        let Ok(line) = read else { continue }; // counted at the first look
        let Fate::Labelled(class) = labelling.take(|at| &record[at], reviews.file(), line)? else { continue };
        if draft.labels.get(at) != Some(&class) {
            bail!("{} changed while it was read; run this again", reviews.file());
        }
        if let Some(writer) = sides[at].and_then(|side| writers[side].as_mut()) {
            writer.row(target.cells(&record, class))?;
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

impl Answer for Divided {
    fn show(&self, page: &mut Page) {
        page.heading("What became of the rows");
        show_account(page, &self.account);
        page.heading("The sides");
        self.show_parts(page);
        page.note(&self.drawn());
        page.heading("On both sides");
        let mut table = Table::new(&[("", Side::Left), ("", Side::Right)]);
        table.row(["equal texts".to_string(), number(self.overlap.texts)]);
        table.row(["pairs of nearly equal texts".to_string(), number(self.overlap.near)]);
        for (name, values) in self.together.iter().zip(&self.overlap.shared) {
            table.row([format!("values of `{name}`"), number(*values)]);
        }
        table.put(page);
        page.note(&format!(
            "{} of rows were kept together: equal texts, {}, and what reviews.together names.",
            count(self.groups_kept_together, "group"),
            count(self.near_repeats, "nearly equal text"),
        ));
        if let Some(order) = self.order.filter(|order| *order < SORTED) {
            page.note(&format!(
                "The file is sorted: rows of one class stand together ({:.0} standard deviations from chance). \
                 Its first rows are no sample of it; sides are not drawn by place.",
                order.abs()
            ));
        }
    }
}

impl Divided {
    /// Both parts, or all three, the training part first.
    fn parts(&self) -> Vec<(&'static str, &Part)> {
        let mut parts = vec![("training", &self.training)];
        parts.extend(self.development.as_ref().map(|part| ("development", part)));
        parts.push(("holdout", &self.holdout));
        parts
    }

    fn show_parts(&self, page: &mut Page) {
        let classes: Vec<Polarity> =
            Polarity::ALL.into_iter().filter(|class| self.training.mix.contains_key(class.name())).collect();
        let mut header = vec![("", Side::Left), ("reviews", Side::Right), ("share", Side::Right)];
        header.extend(classes.iter().map(|class| (class.name(), Side::Right)));
        header.push(("file", Side::Left));
        let mut table = Table::new(&header);
        let all: usize = self.parts().iter().map(|(_, part)| part.rows()).sum();
        for (name, part) in self.parts() {
            let mut cells = vec![name.to_string(), number(part.rows()), percent(part.rows(), all)];
            cells.extend(classes.iter().map(|class| percent(part.of(*class), part.rows())));
            cells.push(part.file.clone());
            table.row(cells);
        }
        table.put(page);
    }

    fn drawn(&self) -> String {
        if self.by == "latest" {
            let day = |part: &Part| part.days.clone().unwrap_or_default();
            return format!(
                "By date: learnt from {} to {}, held out from {} to {}. On no side: {} without a date that can be read, {} tied to a later part.",
                day(&self.training).0,
                day(&self.training).1,
                day(&self.holdout).0,
                day(&self.holdout).1,
                count(self.no_date, "row"),
                count(self.tied, "row"),
            );
        }
        let holds = match self.sides {
            "exact" => "sizes and class mix are exact, and added rows may move others",
            _ => {
                "the side of a row depends on its group and the seed alone: added rows move no other, and sizes differ from the shares by chance"
            }
        };
        format!(
            "At random with seed {}: {holds}. {} is locked: `heddle assess` counts how often it is opened.",
            self.seed, self.holdout.file
        )
    }
}
