//! Some of the rows of a large file, drawn in one pass.

use std::collections::{BTreeMap, BinaryHeap};

use heddle_core::labels::{Polarity, Reading, rating_order, shown_rating};
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_files::{About, Column, Holds, Origins, Record, Role, RowWriter};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::keep::{self, Keep, narrowed};
use crate::reviews::labelling::{join, text_columns};
use crate::reviews::refusals::Refusals;
use crate::session::Session;

/// A column with more values than this is no rating: rows are drawn from all alike.
const MOST_STRATA: usize = 50;

/// Which rows are drawn.
#[derive(Debug, Clone)]
pub struct SampleOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// How many rows.
    pub size: SampleSize,
    /// Where they go.
    pub out: String,
}

/// How many rows are drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum SampleSize {
    /// So many, each rating in its share.
    Rows(usize),
    /// This share, of each rating.
    Share(f64),
    /// So many of each rating.
    Each(usize),
}

/// What was drawn.
#[derive(Debug, Serialize)]
pub struct Drawn {
    /// The files.
    pub files: Vec<String>,
    /// Rows in the files: `rows` + `not_kept` + `refused`.
    pub read: usize,
    /// Rows that were drawn from.
    pub rows: usize,
    /// Rows that a condition of `reviews.keep` drops.
    pub not_kept: usize,
    /// Rows that could not be used.
    pub refused: usize,
    /// The seed of what is drawn at random.
    pub seed: u64,
    /// The column whose values are drawn in their shares, if there is one.
    pub by: Option<String>,
    /// By value of the rating: what was drawn.
    pub strata: Vec<Stratum>,
    /// Rows that were drawn.
    pub drawn: usize,
    /// Where it was written, if anywhere.
    pub written: String,
}

/// The rows of one rating.
#[derive(Debug, Serialize)]
pub struct Stratum {
    /// The value.
    pub value: String,
    /// Rows that were drawn from.
    pub rows: usize,
    /// Rows that were drawn.
    pub drawn: usize,
}

/// A row that may be drawn: those with the lowest places are. The place is random and depends
/// on the seed and the row's number alone.
#[derive(Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Candidate {
    place: u64,
    number: usize,
    cells: Vec<String>,
}

/// The rows of one rating, while the file goes by.
#[derive(Default)]
struct Layer {
    rows: usize,
    /// Rows that may be drawn, where a number of rows is wanted.
    kept: BinaryHeap<Candidate>,
    drawn: usize,
    /// Where a share is wanted: the present run of rows, and which of them is drawn.
    draw: Option<Random>,
    run: usize,
    chosen: usize,
}

/// Draws some of the rows of files, in one pass, and writes them in their order.
///
/// # Errors
/// Files that cannot be read or written, or no rating where rows of each are wanted.
pub fn sample(session: &Session, options: &SampleOptions) -> Result<Drawn> {
    let SampleOptions { files, size, out } = options;
    let size = *size;
    let each = matches!(size, SampleSize::Each(_));
    let input = session.input(files)?;
    let needs = Needs { text: keep::reads_text(&session.study().reviews.keep), rating: true };
    let session = &with_found(session, &input, needs)?;
    let study = session.study();
    let input = narrowed(input, study);
    let task = session.busy("drawing");
    let seed = study.validation.seed;
    let sources = input.origins()?;
    let mut reviews = input.rows()?;
    let columns: Vec<Column> = reviews.columns().to_vec();
    let rated = columns.iter().position(|column| column.name == study.reviews.rated());
    if rated.is_none() && each {
        fail!(
            Reviews,
            "--each needs the rating: there is no column `{}` (reviews.stars)",
            study.reviews.rated()
        );
    }
    let mut keep = Keep::new(reviews.file(), &columns, study)?;
    let text = match needs.text {
        true => text_columns(reviews.file(), &columns, study)?,
        false => Vec::new(),
    };
    let mut writer = session.row_writer(Role::Part, out, &columns)?;
    let mut refusals = Refusals::new(session)?;
    let mut drawing = Drawing { size, seed, layers: BTreeMap::new(), rows: 0 };
    let (mut record, mut not_kept) = (Record::new(), 0);
    while refusals.next(&mut reviews, &mut record)?.is_some() {
        if !keep.holds(|at| &record[at], || join(text.iter().map(|at| &record[*at]))) {
            not_kept += 1;
            continue;
        }
        let value = rated.map_or("".into(), |at| shown_rating(&record[at]));
        if drawing.takes(&value, &record) {
            writer.row(&record)?;
        }
    }
    session.tell_manners(&reviews.manners());
    let refused = refusals.finish()?;
    let Drawing { mut layers, rows, .. } = drawing;
    if !matches!(size, SampleSize::Share(_)) {
        write_kept(&mut layers, size, rows, &mut writer)?;
    }
    let mut strata: Vec<Stratum> = layers
        .into_iter()
        .map(|(value, layer)| Stratum { value, rows: layer.rows, drawn: layer.drawn })
        .collect();
    strata.sort_by(|a, b| rating_order(&a.value, &b.value));
    let written = writer.finish()?;
    about(&strata, size, study, sources, &written).put_beside(session.outputs(), out)?;
    task.end();
    Ok(Drawn {
        files: input.names().map(String::from).collect(),
        read: rows + not_kept + refused,
        rows,
        not_kept,
        refused,
        seed,
        by: rated.map(|at| columns[at].name.clone()),
        drawn: strata.iter().map(|stratum| stratum.drawn).sum(),
        strata,
        written: out.clone(),
    })
}

/// The ratings so far, each with what may be drawn of it.
struct Drawing {
    size: SampleSize,
    seed: u64,
    layers: BTreeMap<String, Layer>,
    rows: usize,
}

impl Drawing {
    /// Takes the next row; whether it is drawn at once, where a share is wanted. Others are kept.
    fn takes(&mut self, value: &str, record: &Record) -> bool {
        let known = self.layers.contains_key(value) || self.layers.len() < MOST_STRATA;
        let stratum = self.layers.len() as u64;
        let layer = self.layers.entry(if known { value } else { "(others)" }.into()).or_default();
        let taken = match self.size {
            SampleSize::Share(share) => layer.takes(share, self.seed ^ stratum << 32),
            SampleSize::Rows(most) | SampleSize::Each(most) => {
                let row = (self.rows as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15);
                layer.keep(Random::new(self.seed ^ row).bits(), self.rows, record, most);
                false
            }
        };
        layer.rows += 1;
        self.rows += 1;
        taken
    }
}

impl Layer {
    /// Whether the next row of this rating is drawn: of each run of 1/share rows one, at a
    /// random place, so that the share is kept from the first row on.
    fn takes(&mut self, share: f64, seed: u64) -> bool {
        let draw = self.draw.get_or_insert_with(|| Random::new(seed));
        let begins = |run: usize| (run as f64 / share).ceil() as usize;
        let (first, end) = (begins(self.run), begins(self.run + 1));
        if self.rows == first {
            self.chosen = first + draw.below(end - first);
        }
        self.run += usize::from(self.rows + 1 == end);
        let taken = self.rows == self.chosen;
        self.drawn += usize::from(taken);
        taken
    }

    /// Keeps a row if it is among the `most` lowest places.
    fn keep(&mut self, place: u64, number: usize, record: &Record, most: usize) {
        if self.kept.len() == most && self.kept.peek().is_some_and(|highest| highest.place < place) {
            return;
        }
        let cells = record.iter().map(String::from).collect();
        self.kept.push(Candidate { place, number, cells });
        if self.kept.len() > most {
            self.kept.pop();
        }
    }
}

/// Writes the drawn rows in the order of the file. Each rating gets its share of the rows,
/// rounded so that they add up: whole parts first, then the largest remainders.
fn write_kept(
    layers: &mut BTreeMap<String, Layer>,
    size: SampleSize,
    rows: usize,
    writer: &mut RowWriter<'_>,
) -> Result<()> {
    match size {
        SampleSize::Rows(most) => {
            let most = most.min(rows);
            let due = |layer: &Layer| most as f64 * layer.rows as f64 / rows.max(1) as f64;
            layers.values_mut().for_each(|layer| layer.drawn = due(layer) as usize);
            let missing = most - layers.values().map(|layer| layer.drawn).sum::<usize>();
            let mut order: Vec<&mut Layer> = layers.values_mut().collect();
            order.sort_by(|a, b| due(b).fract().total_cmp(&due(a).fract()));
            order.into_iter().take(missing).for_each(|layer| layer.drawn += 1);
        }
        _ => layers.values_mut().for_each(|layer| layer.drawn = layer.kept.len()),
    }
    let mut chosen: Vec<Candidate> = Vec::new();
    for layer in layers.values_mut() {
        let kept = std::mem::take(&mut layer.kept).into_sorted_vec();
        chosen.extend(kept.into_iter().take(layer.drawn));
    }
    chosen.sort_by_key(|candidate| candidate.number);
    Ok(chosen.iter().try_for_each(|candidate| writer.row(candidate.cells.iter().map(String::as_str)))?)
}

/// What stands beside the sample; drawn evenly, it says which mix is natural.
fn about(
    strata: &[Stratum],
    size: SampleSize,
    study: &Study,
    sources: Vec<Origins>,
    written: &heddle_files::Written,
) -> About {
    let mix = |rows: fn(&Stratum) -> usize| {
        let mut mix: BTreeMap<String, usize> = BTreeMap::new();
        for stratum in strata {
            if let Reading::Class(class) = study.polarity.read(&stratum.value) {
                *mix.entry(class.name().into()).or_insert(0) += rows(stratum);
            }
        }
        mix
    };
    let mut about = About::new(Holds::Sample, study, sources, written, mix(|stratum| stratum.drawn));
    about.rows = strata.iter().map(|stratum| stratum.drawn).sum();
    let both =
        |mix: &BTreeMap<String, usize>| Polarity::POLES.iter().all(|class| mix.contains_key(class.name()));
    about.natural =
        Some(mix(|stratum| stratum.rows)).filter(|mix| matches!(size, SampleSize::Each(_)) && both(mix));
    about
}
