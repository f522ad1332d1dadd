//! What is in a review file.

mod columns;

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::path::Path;

use crate::error::{Error, Result, fail};
use heddle_core::{
    ColumnProfile, LanguageShare, Oddity, Polarity, Profiler, RatingWords, Reading, Reservoir, Script, Study,
    TextFacts, TextProfiler, Values, languages, rating_words, shown_value,
};
use heddle_files::{Column, Input, Manner, Record, Role, STREAM, commented, folder_of};
use rayon::prelude::*;
use serde::Serialize;

use crate::reviews::labelling::join;
use crate::reviews::refusals::Refusals;
use crate::session::Session;
pub use columns::FoundColumns;
use columns::{find, questions};

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

/// What is surveyed.
#[derive(Debug, Clone, Default)]
pub struct SurveyOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where a study with the columns that were found goes, if anywhere; it must not be there yet.
    pub write_study: Option<String>,
}

/// What is in review files.
#[derive(Debug, Serialize)]
pub struct Survey {
    /// The files.
    pub files: Vec<String>,
    /// How each file was read.
    pub manners: Vec<Manner>,
    /// Rows in the files: `rows` + `refused`.
    pub read: usize,
    /// Rows that were read whole.
    pub rows: usize,
    /// Rows that could not be used.
    pub refused: usize,
    /// The columns.
    pub columns: Vec<ColumnProfile>,
    /// The columns that look like text, rating, id and date.
    pub found: FoundColumns,
    /// By value of the rating: rows.
    pub ratings: Vec<RatingRow>,
    /// What the texts are like.
    pub texts: Texts,
    /// The number of words of a text: least, a tenth, half, nine tenths, most.
    pub words: Vec<RatingWords>,
    /// Languages, by share of a sample of the texts.
    pub languages: Vec<LanguageShare>,
    /// What only the analyst can say.
    pub questions: Vec<String>,
}

/// One value of the rating.
#[derive(Debug, Serialize)]
pub struct RatingRow {
    /// The value.
    pub value: String,
    /// Rows that were read whole.
    pub rows: usize,
    /// The class under the rule in force; missing if there is none.
    pub class: Option<Polarity>,
    /// Whether the rule names the value at all.
    pub named: bool,
}

/// What the texts are like, with places instead of row numbers.
#[derive(Debug, Default, Serialize)]
pub struct Texts {
    /// Texts.
    pub filled: usize,
    /// Rows without text.
    pub empty: usize,
    /// The number of words of a text: least, a tenth, half, nine tenths, most.
    pub words: [usize; 5],
    /// How many texts have up to so many words.
    pub lengths: Vec<(usize, usize)>,
    /// Texts that stand in the files before.
    pub repeated: usize,
    /// Texts that nearly equal one before.
    pub near: usize,
    /// Where some of these stand, with what they repeat.
    pub near_examples: Vec<[String; 2]>,
    /// Texts that stand in the files with another rating.
    pub conflicting: usize,
    /// Where some of these stand.
    pub conflict_examples: Vec<[String; 2]>,
    /// Writing systems, by texts.
    pub scripts: Vec<(Script, usize)>,
    /// Texts that are odd in one way.
    pub oddities: Vec<OddTexts>,
}

/// Texts that are odd in one way.
#[derive(Debug, Serialize)]
pub struct OddTexts {
    /// In which way.
    pub what: Oddity,
    /// What the texts are like.
    pub texts: usize,
    /// Where the first one stands.
    pub first: String,
}

/// Tells what is in review files; writes a study if asked. The files are read twice: once to
/// learn what each column is, once to look at the texts.
///
/// # Errors
/// Files that cannot be read, or a study that is there already.
pub fn survey(session: &Session, options: &SurveyOptions) -> Result<Survey> {
    let SurveyOptions { files, write_study: target } = options;
    if let Some(path) = target.as_ref().filter(|path| Path::new(path).exists()) {
        fail!(Options, "{path} is there already and is not overwritten; name another file");
    }
    let input = session.input(files)?;
    let task = session.busy("looking at the columns");
    let looked = Columns::read(&input, session)?;
    task.end();
    let found = find(&looked.profiles, session.study());
    let mut study = session.study().clone();
    if !files.is_empty() {
        study.reviews.files = files.clone();
    }
    found.enter(&mut study, &looked.profiles);
    let task = session.busy("looking at the texts");
    let read = Contents::read(&input, &looked.columns, &found, session)?;
    task.end();
    let ratings = read.ratings(&study);
    session.tell_manners(&looked.manners);
    let (words, languages) = read.words(&study);
    let questions = questions(&looked, &found, &ratings, &read.texts, &languages, session.study());
    if let Some(path) = target {
        write_study((session, path), &study, &ratings)?;
    }
    Ok(Survey {
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
    })
}

/// Writes a study. Rare ratings that the rule does not name are set to "missing", where the
/// analyst sees them; others are no slips, and are left to be named.
fn write_study((session, path): (&Session, &str), study: &Study, ratings: &[RatingRow]) -> Result<()> {
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
        study.polarity.missing = Values::parse(&with).map_err(Error::Settings)?;
    }
    session.outputs().write(Role::Study, path, commented(&study).as_bytes())?;
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
    fn read(input: &Input, session: &Session) -> Result<Self> {
        let (order, seed) = (session.study().reviews.dates, session.study().validation.seed);
        let mut refusals = Refusals::new(session)?;
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
fn batches(mut next: impl FnMut(&mut Record) -> Result<bool>, mut take: impl FnMut(&[Record])) -> Result<()> {
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
    fn read(input: &Input, columns: &[Column], found: &FoundColumns, session: &Session) -> Result<Self> {
        let place = |name: &String| columns.iter().position(|column| column.name == *name);
        let text: Vec<usize> = found.text.iter().filter_map(place).collect();
        let rated = found.rating.as_ref().and_then(place);
        let seed = session.study().validation.seed;
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
        let profile = profiler.finish(session.study().validation.alike);
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
