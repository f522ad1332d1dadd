//! A report as Markdown.

use std::fmt::Write;

use super::content::{Block, Report, Table};
use crate::view::shown::visible;
use crate::view::with_sign;

/// The text.
pub fn text(report: &Report) -> String {
    let mut text = format!("# {}\n\n{}\n\n", plain(&report.title), plain(&report.verdict));
    for [what, figure, beside] in &report.headline {
        line(&mut text, &format!("- {}: **{}** ({})", plain(what), plain(figure), plain(beside)));
    }
    for section in &report.sections {
        line(&mut text, &format!("\n## {}\n", plain(&section.title)));
        section.blocks.iter().for_each(|block| put(&mut text, block));
    }
    text
}

fn put(text: &mut String, block: &Block) {
    match block {
        Block::Sentence(sentence) => line(text, &format!("{}\n", plain(sentence))),
        Block::Table(table) => put_table(text, table),
        Block::More(title, table) => {
            line(text, &format!("### {}\n", plain(title)));
            put_table(text, table);
        }
        Block::Charts(charts) => {
            charts.iter().for_each(|chart| line(text, &format!("{}\n", plain(&chart.about))))
        }
        Block::Reading(reading) => {
            if !reading.origin.is_empty() {
                line(text, &format!("{}\n", plain(&reading.origin)));
            }
            line(text, "| clause | contribution | running total |\n|---|---:|---:|");
            line(text, &format!("| before the first word | | {} |", with_sign(reading.begins, 2)));
            for clause in &reading.clauses {
                let said: String = clause.pieces.iter().map(|piece| piece.text.as_str()).collect();
                line(
                    text,
                    &format!(
                        "| {} | {} | {} |",
                        plain(&said),
                        with_sign(clause.adds, 2),
                        with_sign(clause.running, 2)
                    ),
                );
            }
            line(text, &format!("\n{}\n", plain(&reading.verdict)));
        }
        Block::Quotes(quotes) => {
            for quoted in quotes.iter().filter(|quoted| !quoted.said.is_empty()) {
                line(text, &format!("**{}**\n", plain(&quoted.theme)));
                for (clause, id) in &quoted.said {
                    line(text, &format!("> {} ({})\n", plain(clause), plain(id)));
                }
            }
        }
    }
}

fn put_table(text: &mut String, table: &Table) {
    let row = |cells: Vec<String>| format!("| {} |", cells.join(" | "));
    line(text, &row(table.head.iter().map(|name| plain(name)).collect()));
    line(text, &row(table.head.iter().map(|_| "---".into()).collect()));
    table
        .rows
        .iter()
        .for_each(|cells| line(text, &row(cells.iter().map(|cell| plain(&cell.text)).collect())));
    line(text, "");
}

fn line(text: &mut String, line: &str) {
    // Writing to a string cannot fail.
    let _ = writeln!(text, "{line}");
}

/// A text on one line that means nothing to Markdown or HTML.
fn plain(text: &str) -> String {
    let flat = visible(text).split_whitespace().collect::<Vec<_>>().join(" ");
    let mut plain = String::with_capacity(flat.len());
    for char in flat.chars() {
        match char {
            '<' => plain.push_str("&lt;"),
            '>' => plain.push_str("&gt;"),
            '&' => plain.push_str("&amp;"),
            '\\' | '|' | '*' | '_' | '`' | '[' | ']' | '#' => plain.extend(['\\', char]),
            _ => plain.push(char),
        }
    }
    plain
}
