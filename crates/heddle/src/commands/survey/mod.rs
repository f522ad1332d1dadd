//! What is in a review file.

mod found;
mod page;

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::path::Path;

use anyhow::bail;
use heddle_core::{
    ColumnProfile, LanguageShare, Oddity, Polarity, Profiler, RatingWords, Reading, Reservoir, Script, Study,
    TextFacts, TextProfiler, Values, languages, rating_words, shown_value,
};
use heddle_files::{Column, Input, Manner, Record, Role, STREAM, commented, folder_of};
use rayon::prelude::*;
use serde::Serialize;

use crate::args::SurveyArgs;
use crate::desk::{Answer, Desk};
use crate::intake::input;
use crate::labelling::join;
use crate::refusals::Refusals;
use found::{Found, find, questions};

/// Rows that are looked at together, on all cores.
const BATCH: usize = 4096;
/// Words are counted in so many texts, drawn at random.
const TEXTS_FOR_WORDS: usize = 8_000;
/// Languages are told in so many of these.
const TEXTS_FOR_LANGUAGES: usize = 2_000;
/// A rating with more values than this has no words of its own.
const MOST_RATINGS: usize = 12;
const SHOWN_WORDS: usize = 8;
/// A rating that the rule does not name and that so few rows have is taken for a slip.
const RARE_RATING: f64 = 0.05;

#[derive(Serialize)]
struct Survey {
    files: Vec<String>,
    /// How each file was read.
    manners: Vec<Manner>,
    /// Rows in the files: `rows` + `refused`.
    read: usize,
    rows: usize,
    refused: usize,
    columns: Vec<ColumnProfile>,
    /// The columns that look like text, rating, id and date.
    found: Found,
    ratings: Vec<RatingRow>,
    texts: Texts,
    words: Vec<RatingWords>,
    languages: Vec<LanguageShare>,
    questions: Vec<String>,
}

/// One value of the rating.
#[derive(Serialize)]
struct RatingRow {
    value: String,
    rows: usize,
    /// The class under the rule in force; missing if there is none.
    class: Option<Polarity>,
    /// Whether the rule names the value at all.
    named: bool,
}

/// What the texts are like, with places instead of row numbers.
#[derive(Serialize, Default)]
struct Texts {
    filled: usize,
    empty: usize,
    words: [usize; 5],
    lengths: Vec<(usize, usize)>,
    repeated: usize,
    near: usize,
    near_examples: Vec<[String; 2]>,
    conflicting: usize,
    conflict_examples: Vec<[String; 2]>,
    scripts: Vec<(Script, usize)>,
    oddities: Vec<OddTexts>,
}

/// Texts that are odd in one way.
#[derive(Serialize)]
struct OddTexts {
    what: Oddity,
    texts: usize,
    /// Where the first one stands.
    first: String,
}

/// Surveys files; writes a study if asked. The files are read twice: once to learn what each
/// column is, once to look at the texts.
pub fn run(args: &SurveyArgs, desk: &Desk) -> anyhow::Result<usize> {
    if let Some(path) = args.write_study.as_ref().filter(|path| Path::new(path).exists()) {
        bail!("{path} is there already and is not overwritten; name another file");
    }
    let input = input(&args.files, desk)?;
    let sign = desk.busy("looking at the columns");
    let looked = Columns::read(&input, desk)?;
    sign.finish_and_clear();
    let found = find(&looked.profiles, desk.study());
    let mut study = desk.study().clone();
    study.reviews.files =
        if args.files.files.is_empty() { study.reviews.files } else { args.files.files.clone() };
    found.enter(&mut study, &looked.profiles);
    let sign = desk.busy("looking at the texts");
    let read = Contents::read(&input, &looked.columns, &found, desk)?;
    sign.finish_and_clear();
    let ratings = read.ratings(&study);
    desk.tell_manners(&looked.manners);
    let (words, languages) = read.words(&study);
    let questions = questions(&looked, &found, &ratings, &read.texts, &languages, desk.study());
    let survey = Survey {
        files: input.names().map(String::from).collect(),
        manners: looked.manners,
        read: looked.rows + looked.refused,
        rows: looked.rows,
        refused: looked.refused,
        columns: looked.profiles,
        texts: read.texts,
        words,
        languages,
        questions,
        ratings,
        found,
    };
    if let Some(path) = &args.write_study {
        write_study((desk, path), &study, &survey.ratings)?;
    }
    desk.answer("survey", &survey)?;
    if let Some(path) = &args.write_study {
        desk.remark(&format!("Written: {path}. Next: heddle label --study {path}"));
    }
    Ok(survey.refused)
}

/// Writes a study. Rare ratings that the rule does not name are set to "missing", where the
/// analyst sees them; others are no slips, and are left to be named.
fn write_study((desk, path): (&Desk, &str), study: &Study, ratings: &[RatingRow]) -> anyhow::Result<()> {
    let mut study = study.clone();
    let here = std::env::current_dir()?;
    let folder = here.join(folder_of(Path::new(path)));
    for file in study.reviews.files.iter_mut().filter(|file| *file != STREAM) {
        // The files of a study are seen from its folder, so that both can move together.
        let seen = pathdiff::diff_paths(here.join(&*file), &folder);
        *file = seen.map_or(file.clone(), |seen| seen.display().to_string());
    }
    let rows: usize = ratings.iter().map(|row| row.rows).sum();
    let rare = |row: &&RatingRow| !row.named && row.rows as f64 <= RARE_RATING * rows as f64;
    let unnamed: Vec<&str> = ratings.iter().filter(rare).map(|row| row.value.as_str()).collect();
    if !unnamed.is_empty() {
        let with = format!("{}, {}", study.polarity.missing, unnamed.join(", "));
        study.polarity.missing = Values::parse(&with).map_err(anyhow::Error::msg)?;
    }
    desk.outputs().write(Role::Study, path, commented(&study).as_bytes())?;
    Ok(())
}

/// What the first look tells.
struct Columns {
    columns: Vec<Column>,
    profiles: Vec<ColumnProfile>,
    rows: usize,
    refused: usize,
    manners: Vec<Manner>,
}

impl Columns {
    fn read(input: &Input, desk: &Desk) -> anyhow::Result<Self> {
        let (order, seed) = (desk.study().reviews.dates, desk.study().validation.seed);
        let mut refusals = Refusals::new(desk)?;
        let mut profilers: Vec<Profiler> = Vec::new();
        let mut reviews = input.rows()?;
        let columns = reviews.columns().to_vec();
        profilers.resize_with(columns.len(), || Profiler::new(order, seed));
        let mut rows = 0;
        batches(
            |record| Ok(refusals.next(&mut reviews, record)?.is_some()),
            |batch| {
                rows += batch.len();
                profilers.par_iter_mut().enumerate().for_each(|(at, profiler)| {
                    batch.iter().for_each(|record| profiler.add(&record[at]));
                });
            },
        )?;
        let named = profilers.into_iter().zip(&columns);
        let profiles = named.map(|(profiler, column)| profiler.finish(&column.name)).collect();
        Ok(Self { profiles, rows, refused: refusals.finish()?, manners: reviews.manners(), columns })
    }
}

/// Where rows stand: the line of each, and the file of each run of rows.
#[derive(Default)]
struct Places {
    lines: Vec<u64>,
    files: Vec<(String, usize)>,
}

impl Places {
    fn push(&mut self, file: &str, line: u64) {
        self.lines.push(line);
        match self.files.last_mut() {
            Some((last, end)) if last == file => *end = self.lines.len(),
            _ => self.files.push((file.into(), self.lines.len())),
        }
    }

    fn of(&self, row: usize) -> String {
        let at = self.files.partition_point(|(_, end)| *end <= row);
        format!("{}, line {}", self.files[at].0, self.lines[row])
    }
}

/// Gives the rows of a file in batches.
fn batches(
    mut next: impl FnMut(&mut Record) -> anyhow::Result<bool>,
    mut take: impl FnMut(&[Record]),
) -> anyhow::Result<()> {
    let mut batch: Vec<Record> = vec![Record::new(); BATCH];
    loop {
        let mut used = 0;
        while used < BATCH && next(&mut batch[used])? {
            used += 1;
        }
        take(&batch[..used]);
        if used < BATCH {
            return Ok(());
        }
    }
}

/// What the second look tells.
struct Contents {
    texts: Texts,
    /// By value of the rating: rows.
    values: BTreeMap<String, usize>,
    /// Texts drawn at random, each with its rating.
    drawn: Vec<(String, String)>,
}

impl Contents {
    fn read(input: &Input, columns: &[Column], found: &Found, desk: &Desk) -> anyhow::Result<Self> {
        let place = |name: &String| columns.iter().position(|column| column.name == *name);
        let text: Vec<usize> = found.text.iter().filter_map(place).collect();
        let rated = found.rating.as_ref().and_then(place);
        let seed = desk.study().validation.seed;
        let mut values: BTreeMap<String, usize> = BTreeMap::new();
        let mut drawn = Reservoir::new(TEXTS_FOR_WORDS, seed);
        let mut profiler = TextProfiler::default();
        let mut places = Places::default();
        let mut reviews = input.rows()?;
        let next = |record: &mut Record| {
            let line = reviews.next_sound(record)?;
            line.iter().for_each(|line| places.push(reviews.file(), *line));
            Ok(line.is_some())
        };
        batches(next, |batch| {
            let look = |record: &Record| {
                let joined = join(text.iter().map(|&at| &record[at]));
                (TextFacts::of(&joined), joined.into_owned())
            };
            let looked: Vec<(Option<TextFacts>, String)> = batch.par_iter().map(look).collect();
            for (record, (facts, joined)) in batch.iter().zip(looked) {
                let rating = rated.map_or(Cow::Borrowed(""), |at| shown_value(&record[at]));
                if !rating.is_empty() {
                    match values.get_mut(rating.as_ref()) {
                        Some(rows) => *rows += 1,
                        None => drop(values.insert(rating.to_string(), 1)),
                    }
                }
                profiler.add(facts.as_ref(), &rating);
                if facts.is_some() {
                    drawn.offer(|| (joined, rating.into_owned()));
                }
            }
        })?;
        let profile = profiler.finish(desk.study().validation.alike);
        let pair = |&(a, b): &(usize, usize)| [places.of(a), places.of(b)];
        let texts = Texts {
            filled: profile.filled,
            empty: profile.empty,
            words: profile.words,
            lengths: profile.lengths,
            repeated: profile.repeated,
            near: profile.near,
            near_examples: profile.near_examples.iter().map(pair).collect(),
            conflicting: profile.conflicting,
            conflict_examples: profile.conflict_examples.iter().map(pair).collect(),
            scripts: profile.scripts,
            oddities: profile
                .oddities
                .into_iter()
                .map(|(what, texts, first)| OddTexts { what, texts, first: places.of(first) })
                .collect(),
        };
        Ok(Self { texts, values, drawn: drawn.into_kept() })
    }

    fn ratings(&self, study: &Study) -> Vec<RatingRow> {
        let row = |(value, rows): (&String, &usize)| {
            let reading = study.polarity.read(value);
            let class = match reading {
                Reading::Class(class) => Some(class),
                _ => None,
            };
            RatingRow { value: value.clone(), rows: *rows, class, named: reading != Reading::Unknown }
        };
        let mut rows: Vec<RatingRow> = self.values.iter().map(row).collect();
        let number = |row: &RatingRow| row.value.parse::<f64>().ok();
        rows.sort_by(|a, b| match (number(a), number(b)) {
            (Some(a), Some(b)) => a.total_cmp(&b),
            (a, b) => b.is_some().cmp(&a.is_some()),
        });
        rows
    }

    /// The words of each rating and the languages, from the texts that were drawn.
    fn words(&self, study: &Study) -> (Vec<RatingWords>, Vec<LanguageShare>) {
        let values: Vec<String> = match self.values.len() {
            1..=MOST_RATINGS => self.ratings(study).into_iter().map(|row| row.value).collect(),
            _ => Vec::new(),
        };
        let rating = |value: &String| values.iter().position(|own| own == value);
        let texts: Vec<(&String, usize)> =
            self.drawn.iter().filter_map(|(text, value)| Some((text, rating(value)?))).collect();
        let words = rating_words(&texts, &values, &study.cleaner(), SHOWN_WORDS);
        let some: Vec<&String> = self.drawn.iter().take(TEXTS_FOR_LANGUAGES).map(|(text, _)| text).collect();
        (words, languages(&some))
    }
}

impl Answer for Survey {
    fn show(&self, page: &mut crate::view::Page) {
        page::show(self, page);
    }
}
