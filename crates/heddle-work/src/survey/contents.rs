//! The second look: what the texts and ratings are like.

use std::borrow::Cow;
use std::collections::BTreeMap;

use heddle_core::labels::{Polarity, Reading, Scale, rating_order, shown_rating};
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::survey::{
    LanguageShare, RatingWords, Reservoir, TextFacts, TextProfile, TextProfiler, languages, rating_words,
};
use heddle_files::{Input, Record};
use rayon::prelude::*;
use serde::Serialize;

use super::by_column::Crossed;
use super::columns::FoundColumns;
use super::profile::Columns;
use crate::batches::{BATCH, Done, batches};
use crate::error::Result;
use crate::reviews::labelling::join;
use crate::reviews::unnamed::scale_of;
use crate::session::Session;

/// What the texts are like, each named by its file and line.
pub type Texts = TextProfile<String>;

/// So many texts are drawn at random.
const DRAWN: usize = 8_000;
/// Words are counted in as many of these as have so many bytes, about a million words.
const BYTES_FOR_WORDS: usize = 6_000_000;
/// Languages are told in so many of them.
const TEXTS_FOR_LANGUAGES: usize = 500;
/// A rating with more values than this has no words of its own.
const MOST_RATINGS: usize = 12;
const SHOWN_WORDS: usize = 8;

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

/// What the second look tells.
pub(super) struct Contents {
    pub texts: Texts,
    /// By value of the rating: rows.
    values: BTreeMap<String, usize>,
    /// Texts drawn at random, in random order, each with its rating.
    drawn: Vec<(String, String)>,
    /// Ratings by value of other columns.
    pub crossed: Crossed,
}

impl Contents {
    pub fn read(input: &Input, looked: &Columns, found: &FoundColumns, session: &Session) -> Result<Self> {
        let columns = &looked.columns;
        let mut crossed = Crossed::new(&looked.profiles, found);
        let place = |name: &String| columns.iter().position(|column| column.name == *name);
        let text: Vec<usize> = found.text.iter().filter_map(place).collect();
        let rated = found.rating.as_ref().and_then(place);
        let seed = session.study().validation.seed;
        let mut values: BTreeMap<String, usize> = BTreeMap::new();
        let mut drawn = Reservoir::new(DRAWN, seed);
        let mut profiler = TextProfiler::default();
        let mut places = Places::default();
        let mut reviews = input.rows()?;
        let next = |record: &mut Record| {
            let line = reviews.next_sound(record)?;
            line.iter().for_each(|line| places.push(reviews.file(), *line));
            Ok(line.is_some())
        };
        let look = |record: &Record| {
            let joined = join(text.iter().map(|&at| &record[at]));
            (TextFacts::of(&joined), joined.into_owned())
        };
        let looked = |batch: &[Record]| -> Vec<_> { batch.par_iter().map(look).collect() };
        batches(BATCH, next, looked, |made| {
            let Done::Batch(batch, looked) = made else { return Ok(()) };
            for (record, (facts, joined)) in batch.iter().zip(looked) {
                let rating = rated.map_or(Cow::Borrowed(""), |at| shown_rating(&record[at]));
                if !rating.is_empty() {
                    match values.get_mut(rating.as_ref()) {
                        Some(rows) => *rows += 1,
                        None => drop(values.insert(rating.to_string(), 1)),
                    }
                }
                crossed.add(record, &rating);
                profiler.add(facts.as_ref(), &rating);
                if facts.is_some() {
                    drawn.offer(|| (joined, rating.into_owned()));
                }
            }
            Ok(())
        })?;
        let profile = profiler.finish(session.study().validation.alike);
        let texts = profile.placed(|row| places.of(row));
        // Where all were drawn, they are in the order of the file, and the first say nothing of the others.
        let mut drawn = drawn.into_kept();
        Random::new(seed).shuffle(&mut drawn);
        Ok(Self { texts, values, drawn, crossed })
    }

    /// The scale that the ratings are of, where the study has no rule of its own.
    pub fn scale(&self, study: &Study) -> Option<Scale> {
        scale_of(self.values.iter().map(|(value, rows)| (value.as_str(), *rows)), study)
    }

    /// By value of the rating: rows, and the class under the rule of a study.
    pub fn ratings(&self, study: &Study) -> Vec<RatingRow> {
        let row = |(value, rows): (&String, &usize)| {
            let reading = study.polarity.read(value);
            let class = match reading {
                Reading::Class(class) => Some(class),
                _ => None,
            };
            RatingRow { value: value.clone(), rows: *rows, class, named: reading != Reading::Unknown }
        };
        let mut rows: Vec<RatingRow> = self.values.iter().map(row).collect();
        rows.sort_by(|a, b| rating_order(&a.value, &b.value));
        rows
    }

    /// The words of each rating and the languages, from the texts that were drawn.
    pub fn words(&self, study: &Study) -> (Vec<RatingWords>, Vec<LanguageShare>) {
        let values: Vec<String> = match self.values.len() {
            1..=MOST_RATINGS => self.ratings(study).into_iter().map(|row| row.value).collect(),
            _ => Vec::new(),
        };
        let rating = |value: &String| values.iter().position(|own| own == value);
        let mut left = BYTES_FOR_WORDS;
        let enough = |(text, _): &&(String, String)| {
            let goes_on = left > 0;
            left = left.saturating_sub(text.len());
            goes_on
        };
        let texts: Vec<(&String, usize)> = self
            .drawn
            .iter()
            .take_while(enough)
            .filter_map(|(text, value)| Some((text, rating(value)?)))
            .collect();
        let words = rating_words(&texts, &values, &study.cleaner(), SHOWN_WORDS);
        let some: Vec<&String> = self.drawn.iter().take(TEXTS_FOR_LANGUAGES).map(|(text, _)| text).collect();
        (words, languages(&some))
    }
}
