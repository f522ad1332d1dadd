//! The figures that were noted, run by run.

use heddle_files::Entry;
use heddle_work::{ListOptions, Listed, Session, list};

use crate::args::LedgerArgs;
use crate::output::Output;
use crate::view::figures::{plain_with_interval, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// Figures that are shares.
const SHARES: [&str; 4] = ["accuracy", "balanced_accuracy", "recall_negative", "recall_positive"];

/// Lists the entries of a ledger.
pub fn run(args: &LedgerArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let LedgerArgs { file, by, top } = args;
    let listed = list(session, &ListOptions { ledger: file.clone(), by: by.clone(), top: *top })?;
    output.answer("ledger", &listed, show)?;
    Ok(listed.damaged.len())
}

fn show(listed: &Listed, page: &mut Page) {
    page.heading(&format!("{}: {} noted, by {}", listed.ledger, count(listed.noted, "run"), listed.by));
    let by = if listed.by == "time" { "balanced_accuracy" } else { &listed.by };
    let mut table = Table::new(&[
        (by, Side::Right),
        ("reviews", Side::Right),
        ("command", Side::Left),
        ("time (UTC)", Side::Left),
        ("data", Side::Left),
        ("settings", Side::Left),
    ]);
    for entry in &listed.entries {
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
    for entry in &listed.entries {
        if !told.contains(&entry.settings.as_str()) {
            told.push(&entry.settings);
            page.item(&short(&entry.settings), &changes(entry));
        }
    }
    page.note("Equal letters under data or settings mean the same data or the same settings. Entries on other data are no contest.");
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
