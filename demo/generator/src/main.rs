//! Writes the made-up reviews of Harrow Strait Ferries.
//!
//! The same seed and options give the same bytes. The demo is written by
//! `cargo run --release -p demo-generator -- demo`, a large file for measurements by
//! `... -- /tmp/large --rows 25000 --prose`.

mod bank;
mod compose;
mod export;
mod prose;
mod rough;

use std::path::PathBuf;

use clap::Parser;

/// Writes made-up reviews into a folder: crossings.csv, contradictions.csv and
/// new-reviews.csv.
#[derive(Debug, Parser)]
pub struct Options {
    /// The folder
    folder: PathBuf,
    /// Rows of crossings.csv
    #[arg(long, default_value_t = 6000)]
    rows: usize,
    /// Reviews are this many times as long
    #[arg(long, default_value_t = 1.0)]
    length: f64,
    /// Write prose.csv instead: text with the statistics of what people write, which means nothing
    #[arg(long)]
    prose: bool,
    /// The seed
    #[arg(long, default_value_t = 1847)]
    seed: u64,
}

fn main() -> anyhow::Result<()> {
    let options = Options::parse();
    std::fs::create_dir_all(&options.folder)?;
    if options.prose {
        return prose::prose(&options);
    }
    let bank = bank::Bank::load()?;
    export::crossings(&options, &bank)?;
    export::new_reviews(&options, &bank)
}
