//! The figures that were noted, run by run.

use std::collections::BTreeSet;

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
    let mut data: Vec<&str> = Vec::new();
    for entry in &listed.entries {
        if !data.contains(&entry.data.as_str()) {
            data.push(&entry.data);
        }
    }
    for own in &data {
        let entries: Vec<&Entry> = listed.entries.iter().filter(|entry| entry.data == **own).collect();
        page.heading(&format!("On {} ({})", entries[0].files.join(", "), short(own)));
        show_entries(listed, &entries, page);
    }
    page.heading("What the settings change");
    let mut told: Vec<&str> = Vec::new();
    let differing = differing(&listed.entries);
    for entry in &listed.entries {
        if !told.contains(&entry.settings.as_str()) {
            told.push(&entry.settings);
            page.item(&short(&entry.settings), &changes(entry, &differing));
        }
    }
    page.note(
        "Equal letters under settings mean the same settings. Entries on other reviews stand apart: they are no contest.",
    );
}

fn show_entries(listed: &Listed, entries: &[&Entry], page: &mut Page) {
    let by = if listed.by == "time" { "balanced_accuracy" } else { &listed.by };
    let mut table = Table::new(&[
        (by, Side::Right),
        ("reviews", Side::Right),
        ("command", Side::Left),
        ("time (UTC)", Side::Left),
        ("settings", Side::Left),
    ]);
    for entry in entries {
        let figure = entry.figures.get(by).map_or("–".into(), |figure| {
            if SHARES.contains(&by) { share_with_interval(figure) } else { plain_with_interval(figure) }
        });
        table.row([
            figure,
            number(entry.mix.iter().sum()),
            entry.command.clone(),
            entry.time.replace('T', " ").chars().take(16).collect(),
            short(&entry.settings),
        ]);
    }
    table.put(page);
}

/// Enough of a fingerprint to tell it from others.
fn short(fingerprint: &str) -> String {
    fingerprint.chars().take(6).collect()
}

/// The settings that some entries change and others do not, or otherwise.
fn differing(entries: &[Entry]) -> BTreeSet<&str> {
    let all: BTreeSet<&str> =
        entries.iter().flat_map(|entry| entry.changed.keys()).map(String::as_str).collect();
    let differs =
        |path: &&str| entries.windows(2).any(|pair| pair[0].changed.get(*path) != pair[1].changed.get(*path));
    all.into_iter().filter(differs).collect()
}

/// The settings that are not the default; those of the columns where they differ between entries.
fn changes(entry: &Entry, differing: &BTreeSet<&str>) -> String {
    let told = |path: &str| !path.starts_with("reviews.") || differing.contains(path);
    let shown: Vec<String> = entry
        .changed
        .iter()
        .filter(|(path, _)| told(path))
        .map(|(path, value)| format!("{path}={}", value.to_string().trim_matches('"')))
        .collect();
    if shown.is_empty() { "all at their defaults".into() } else { shown.join(" ") }
}
