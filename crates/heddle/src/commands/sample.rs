//! Some of the rows of a large file, drawn in one pass.

use std::collections::{BTreeMap, BinaryHeap};

use anyhow::bail;
use heddle_core::{Draw, Polarity, Reading, Study, shown_value};
use heddle_files::{About, Column, Holds, Input, Origins, Record, RowWriter};
use serde::Serialize;

use crate::args::SampleArgs;
use crate::commands::label::written;
use crate::desk::{Answer, Desk};
use crate::intake::input;
use crate::refusals::Refusals;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent};

/// A column with more values than this is no rating: rows are drawn from all alike.
const MOST_STRATA: usize = 50;

/// How many rows are drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Size {
    /// So many, each rating in its share.
    Rows(usize),
    /// This share, of each rating.
    Share(f64),
    /// So many of each rating.
    Each(usize),
}

#[derive(Serialize)]
struct Drawn {
    files: Vec<String>,
    /// Rows in the files: `rows` + `refused`.
    read: usize,
    rows: usize,
    refused: usize,
    seed: u64,
    /// The column whose values are drawn in their shares, if there is one.
    by: Option<String>,
    strata: Vec<Stratum>,
    drawn: usize,
    written: String,
}

/// The rows of one rating.
#[derive(Serialize)]
struct Stratum {
    value: String,
    rows: usize,
    drawn: usize,
}

/// Draws and writes.
pub fn run(args: &SampleArgs, desk: &Desk) -> anyhow::Result<usize> {
    let size = size(args)?;
    let input = input(&args.files, desk)?;
    let sign = desk.busy("drawing");
    let drawn = draw(&input, size, &args.out, desk)?;
    sign.finish_and_clear();
    desk.answer("sample", &drawn)?;
    Ok(drawn.refused)
}

fn size(args: &SampleArgs) -> anyhow::Result<Size> {
    match (args.rows, args.each, &args.share) {
        (Some(rows), ..) if rows > 0 => Ok(Size::Rows(rows)),
        (_, Some(each), _) if each > 0 => Ok(Size::Each(each)),
        (_, _, Some(share)) => {
            let number = share.trim().strip_suffix('%').and_then(|share| share.trim().parse::<f64>().ok());
            match number.map(|share| share / 100.0).filter(|share| *share > 0.0 && *share <= 1.0) {
                Some(share) => Ok(Size::Share(share)),
                None => bail!("--share {share} is not possible: expected a share such as 5%"),
            }
        }
        _ => bail!("how many rows? Say --rows 20000, --share 5% or --each 500"),
    }
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
    draw: Option<Draw>,
    run: usize,
    chosen: usize,
}

fn draw(input: &Input, size: Size, out: &str, desk: &Desk) -> anyhow::Result<Drawn> {
    let study = desk.study();
    let seed = study.validation.seed;
    let sources = input.origins()?;
    let mut reviews = input.rows()?;
    let columns: Vec<Column> = reviews.columns().to_vec();
    let rated = columns.iter().position(|column| column.name == study.reviews.rated());
    if rated.is_none() && matches!(size, Size::Each(_)) {
        bail!("--each needs the rating: there is no column `{}` (reviews.stars)", study.reviews.rated());
    }
    let mut writer = RowWriter::create(desk.outputs(), out, &columns)?;
    let mut refusals = Refusals::new(desk)?;
    let mut layers: BTreeMap<String, Layer> = BTreeMap::new();
    let mut record = Record::new();
    let mut rows = 0;
    while refusals.next(&mut reviews, &mut record)?.is_some() {
        let value = rated.map_or("".into(), |at| shown_value(&record[at]));
        let known = layers.contains_key(value.as_ref());
        let value = if known || layers.len() < MOST_STRATA { value.into_owned() } else { "(others)".into() };
        let stratum = layers.len() as u64;
        let layer = layers.entry(value).or_default();
        match size {
            Size::Share(share) => {
                if layer.takes(share, seed ^ stratum << 32) {
                    writer.row(&record)?;
                }
            }
            Size::Rows(most) | Size::Each(most) => {
                let place = Draw::new(seed ^ (rows as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15)).bits();
                layer.keep(place, rows, &record, most);
            }
        }
        layer.rows += 1;
        rows += 1;
    }
    desk.tell_manners(&reviews.manners());
    let refused = refusals.finish()?;
    if !matches!(size, Size::Share(_)) {
        write_kept(&mut layers, size, rows, &mut writer)?;
    }
    let strata: Vec<Stratum> = layers
        .into_iter()
        .map(|(value, layer)| Stratum { value, rows: layer.rows, drawn: layer.drawn })
        .collect();
    let written = writer.finish()?;
    about(&strata, size, study, sources, &written).put_beside(desk.outputs(), out)?;
    Ok(Drawn {
        files: input.names().map(String::from).collect(),
        read: rows + refused,
        rows,
        refused,
        seed,
        by: rated.map(|at| columns[at].name.clone()),
        drawn: strata.iter().map(|stratum| stratum.drawn).sum(),
        strata,
        written: out.into(),
    })
}

impl Layer {
    /// Whether the next row of this rating is drawn: of each run of 1/share rows one, at a
    /// random place, so that the share is kept from the first row on.
    fn takes(&mut self, share: f64, seed: u64) -> bool {
        let draw = self.draw.get_or_insert_with(|| Draw::new(seed));
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
    size: Size,
    rows: usize,
    writer: &mut RowWriter<'_>,
) -> anyhow::Result<()> {
    match size {
        Size::Rows(most) => {
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
    size: Size,
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
        Some(mix(|stratum| stratum.rows)).filter(|mix| matches!(size, Size::Each(_)) && both(mix));
    about
}

impl Answer for Drawn {
    fn show(&self, page: &mut Page) {
        page.heading(&format!("{} drawn from {}", count(self.drawn, "row"), count(self.rows, "row")));
        let name = self.by.clone().unwrap_or_default();
        let mut table = Table::new(&[
            (name.as_str(), Side::Right),
            ("rows", Side::Right),
            ("share", Side::Right),
            ("drawn", Side::Right),
            ("share", Side::Right),
        ]);
        for stratum in &self.strata {
            let value = if stratum.value.is_empty() { "(blank)" } else { &stratum.value };
            table.row([
                value.to_string(),
                number(stratum.rows),
                percent(stratum.rows, self.rows),
                number(stratum.drawn),
                percent(stratum.drawn, self.drawn),
            ]);
        }
        table.put(page);
        page.note(&format!(
            "Seed {}; {} refused. The order of the file is kept.",
            self.seed,
            count(self.refused, "row")
        ));
        written(page, &self.written, "its source");
    }
}
