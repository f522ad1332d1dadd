//! From ratings to classes.

use heddle_core::labels::Polarity;
use heddle_work::{Becomes, LabelOptions, Labelled, Sampled, Session, label};

use crate::args::LabelArgs;
use crate::output::Output;
use crate::view::account::{show_account, written};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// Labels reviews and shows what became of every value.
pub fn run(args: &LabelArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let LabelArgs { files, out, ratings, corrections, samples, .. } = args;
    let options = LabelOptions {
        files: files.files.clone(),
        out: out.clone(),
        ratings: ratings.clone(),
        corrections: corrections.clone(),
        samples: *samples,
    };
    let labelled = label(session, &options)?;
    output.answer("label", &labelled, show)?;
    Ok(labelled.account.refused)
}

fn show(labelled: &Labelled, page: &mut Page) {
    page.call(&labelled.account.names);
    page.heading(&format!("What the values of `{}` become", labelled.rated));
    let mut table = Table::new(&[("value", Side::Right), ("becomes", Side::Left), ("rows", Side::Right)]);
    for row in &labelled.values {
        let becomes = match row.becomes {
            Becomes::Class(polarity) => page.class(polarity),
            left_out => left_out.words().into(),
        };
        let value = if row.value.is_empty() { "(blank)" } else { &row.value };
        table.row([value.to_string(), becomes, number(row.rows)]);
    }
    table.put(page);
    page.note(&format!("Rule: {}.", labelled.rule));
    page.heading("What became of the rows");
    show_account(page, &labelled.account);
    if let Some(corrected) = labelled.corrected {
        page.note(&format!("{} taken.", count(corrected, "correction")));
    }
    for polarity in Polarity::ALL {
        let own: Vec<&Sampled> = labelled.samples.iter().filter(|sample| sample.class == polarity).collect();
        if own.is_empty() {
            continue;
        }
        page.heading(&format!("{} at random: {}", count(own.len(), "review"), page.class(polarity)));
        let mut table = Table::new(&[("row", Side::Right), ("line", Side::Right), ("", Side::Excerpt)]);
        for sample in own {
            let name = sample.id.clone().unwrap_or_else(|| sample.row.to_string());
            table.row([name, sample.line.to_string(), sample.text.clone()]);
        }
        table.put(page);
    }
    match &labelled.written {
        Some(path) => written(page, path, "the rule"),
        None => page.note("Nothing was written; --out FILE keeps the labelled rows."),
    }
}
