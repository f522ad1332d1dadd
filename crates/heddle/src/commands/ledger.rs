//! The figures that were noted, run by run.

use std::path::Path;

use anyhow::bail;
use heddle_core::nearest;
use heddle_files::{Entry, Ledger};
use serde::Serialize;

use crate::args::LedgerArgs;
use crate::desk::{Answer, Desk};
use crate::view::figures::{plain_with_interval, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// Figures of which less is better.
const LESS_IS_BETTER: [&str; 2] = ["log_loss", "brier"];
/// Figures that are shares.
const SHARES: [&str; 4] = ["accuracy", "balanced_accuracy", "recall_negative", "recall_positive"];

#[derive(Serialize)]
struct Listed {
    ledger: String,
    by: String,
    /// All entries of the ledger; those shown are in `entries`.
    noted: usize,
    entries: Vec<Entry>,
    /// Lines that are no entry, with the reason.
    damaged: Vec<(usize, String)>,
}

/// Lists the entries.
pub fn run(args: &LedgerArgs, desk: &Desk) -> anyhow::Result<usize> {
    let path = match Path::new(&args.file) {
        folder if folder.is_dir() => folder.join("ledger.jsonl").display().to_string(),
        _ => args.file.clone(),
    };
    let Ledger { mut entries, damaged } = Ledger::read(&path)?;
    let noted = entries.len();
    sort(&mut entries, &args.by)?;
    entries.truncate(args.top);
    for (line, why) in &damaged {
        desk.remark(&format!("refused: {path}, line {line}: expected an entry, found something else: {why}"));
    }
    let refused = damaged.len();
    desk.answer("ledger", &Listed { ledger: path, by: args.by.clone(), noted, entries, damaged })?;
    Ok(refused)
}

/// The best first; by time, the latest first.
fn sort(entries: &mut [Entry], by: &str) -> anyhow::Result<()> {
    if by == "time" {
        entries.sort_by(|a, b| b.time.cmp(&a.time));
        return Ok(());
    }
    let names: Vec<&str> =
        entries.iter().flat_map(|entry| entry.figures.keys().map(String::as_str)).collect();
    if !entries.is_empty() && !names.contains(&by) {
        let mut names = names;
        names.sort_unstable();
        names.dedup();
        let near = nearest(by, names.iter().copied())
            .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
        bail!("no figure is called `{by}`{near}; there are time, {}", names.join(", "));
    }
    let sign = if LESS_IS_BETTER.contains(&by) { -1.0 } else { 1.0 };
    // An entry without the figure comes last.
    let worth = |entry: &Entry| {
        entry.figures.get(by).and_then(|figure| figure.value).map_or(f64::NEG_INFINITY, |value| sign * value)
    };
    entries.sort_by(|a, b| worth(b).total_cmp(&worth(a)));
    Ok(())
}

impl Answer for Listed {
    fn show(&self, page: &mut Page) {
        page.heading(&format!("{}: {} noted, by {}", self.ledger, count(self.noted, "run"), self.by));
        let by = if self.by == "time" { "balanced_accuracy" } else { &self.by };
        let mut table = Table::new(&[
            (by, Side::Right),
            ("reviews", Side::Right),
            ("command", Side::Left),
            ("time (UTC)", Side::Left),
            ("data", Side::Left),
            ("settings", Side::Left),
        ]);
        for entry in &self.entries {
            let figure = entry.figures.get(by).map_or("–".into(), |figure| {
                if SHARES.contains(&by) { share_with_interval(figure) } else { plain_with_interval(figure) }
            });
            table.row([
                figure,
                number(entry.mix.iter().sum()),
                entry.command.clone(),
                entry.time.replace('T', " ").chars().skip(2).take(14).collect(),
                short(&entry.data),
                short(&entry.settings),
            ]);
        }
        table.put(page);
        page.heading("What the settings change");
        let mut told: Vec<&str> = Vec::new();
        for entry in &self.entries {
            if !told.contains(&entry.settings.as_str()) {
                told.push(&entry.settings);
                page.item(&short(&entry.settings), &changes(entry));
            }
        }
        page.note("Equal letters under data or settings mean the same data or the same settings. Entries on other data are no contest.");
    }
}

/// Enough of a fingerprint to tell it from others.
fn short(fingerprint: &str) -> String {
    fingerprint.chars().take(6).collect()
}

/// The settings that are not the default; those of the columns belong to the data.
fn changes(entry: &Entry) -> String {
    let of_work = entry.changed.iter().filter(|(path, _)| !path.starts_with("reviews."));
    let shown: Vec<String> =
        of_work.map(|(path, value)| format!("{path}={}", value.to_string().trim_matches('"'))).collect();
    if shown.is_empty() { "nothing".into() } else { shown.join(" ") }
}
