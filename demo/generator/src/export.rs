//! Rows as an export program would write them.

use heddle_core::resample::Random;
use jiff::ToSpan;
use jiff::civil::{Date, date};

use crate::Options;
use crate::bank::Bank;
use crate::compose::{Written, review};

/// By stars, 1 to 5: how many reviews in a thousand.
const STARS: [usize; 5] = [135, 145, 120, 250, 350];
const DAYS: usize = 731; // 2024 and 2025
const CHANNELS: [&str; 4] = ["app", "web", "mail", "kiosk"];

/// One row of crossings.csv.
#[derive(Clone)]
struct Row {
    posted: Date,
    written: Written,
    channel: &'static str,
    customer: String,
    /// As in the file.
    stars: String,
    /// What the words mean, where the stars contradict them.
    meant: Option<usize>,
    helpful: usize,
}

impl Clone for Written {
    fn clone(&self) -> Self {
        Self { bought: self.bought.clone(), headline: self.headline.clone(), review: self.review.clone() }
    }
}

/// Writes crossings.csv, and contradictions.csv with the rows whose stars contradict their
/// words.
pub fn crossings(options: &Options, bank: &Bank) -> anyhow::Result<()> {
    let mut draw = Random::new(options.seed);
    let mut rows: Vec<Row> = Vec::with_capacity(options.rows);
    while rows.len() < options.rows {
        let row = match draw.unit() {
            share if rows.len() > 20 && share < 0.03 => again(&rows, &mut draw),
            _ => new_row(bank, options.length, &mut draw),
        };
        rows.push(row);
    }
    rows.sort_by_key(|row| row.posted);
    let mut out = csv::Writer::from_path(options.folder.join("crossings.csv"))?;
    let mut truth = csv::Writer::from_path(options.folder.join("contradictions.csv"))?;
    out.write_record([
        "review_id",
        "posted",
        "bought",
        "channel",
        "customer",
        "headline",
        "review",
        "stars",
        "helpful",
    ])?;
    truth.write_record(["review_id", "stars", "words_mean"])?;
    for (at, row) in rows.iter().enumerate() {
        let id = format!("HS-{:06}", 10_000 + at);
        let Written { bought, headline, review } = &row.written;
        let (posted, helpful) = (row.posted.to_string(), row.helpful.to_string());
        let cells: [&str; 9] =
            [&id, &posted, bought, row.channel, &row.customer, headline, review, &row.stars, &helpful];
        out.write_record(cells)?;
        if let Some(meant) = row.meant {
            truth.write_record([&id, &row.stars, &meant.to_string()])?;
        }
    }
    out.flush()?;
    Ok(truth.flush()?)
}

/// Writes reviews without stars, a month younger than the others.
pub fn new_reviews(options: &Options, bank: &Bank) -> anyhow::Result<()> {
    let mut draw = Random::new(options.seed ^ 0xface);
    let mut out = csv::Writer::from_path(options.folder.join("new-reviews.csv"))?;
    out.write_record(["review_id", "posted", "bought", "channel", "headline", "review"])?;
    for at in 0..240 {
        let stars = stars(&mut draw);
        let Written { bought, headline, review } = review(bank, stars, 1.0, options.length, &mut draw);
        let posted = day(DAYS + at / 8).to_string();
        let channel = CHANNELS[draw.below(CHANNELS.len())];
        out.write_record([&format!("HS-{:06}", 90_000 + at), &posted, &bought, channel, &headline, &review])?;
    }
    Ok(out.flush()?)
}

fn day(at: usize) -> Date {
    date(2024, 1, 1).saturating_add((at as i64).days())
}

fn stars(draw: &mut Random) -> usize {
    let mut place = draw.below(STARS.iter().sum());
    for (at, share) in STARS.iter().enumerate() {
        if place < *share {
            return at + 1;
        }
        place -= share;
    }
    STARS.len()
}

fn new_row(bank: &Bank, length: f64, draw: &mut Random) -> Row {
    let at = draw.below(DAYS);
    let meant = stars(draw);
    let mut written = review(bank, meant, at as f64 / DAYS as f64, length, draw);
    let contradicts = draw.unit() < 0.022 && meant != 3;
    let given = if contradicts { 6 - meant } else { meant };
    let stars = match draw.unit() {
        share if share < 0.008 => String::new(),
        share if share < 0.0105 => "0".into(),
        share if share < 0.03 => format!("{given}.0"),
        _ => given.to_string(),
    };
    if draw.unit() < 0.006 {
        (written.headline, written.review) = (String::new(), String::new());
    }
    let kept = contradicts && !matches!(stars.as_str(), "" | "0") && !written.review.is_empty();
    Row {
        posted: day(at),
        written,
        channel: CHANNELS[draw.below(CHANNELS.len())],
        customer: format!("c{:05}", draw.below(5200)),
        stars,
        meant: kept.then_some(meant),
        helpful: (0..).take_while(|_| draw.unit() < 0.55).count(),
    }
}

/// The same text again, on another day: exactly, or with a word more.
fn again(rows: &[Row], draw: &mut Random) -> Row {
    let mut row = rows[draw.below(rows.len())].clone();
    row.posted = day(draw.below(DAYS));
    row.customer = format!("c{:05}", draw.below(5200));
    if draw.unit() < 0.5 && !row.written.review.is_empty() {
        let more = ["Really.", "Again.", "As I said.", "Just so you know."];
        row.written.review = format!("{} {}", row.written.review, more[draw.below(more.len())]);
    }
    row
}
