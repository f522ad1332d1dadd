//! New reviews, scored row by row.

use anyhow::bail;
use heddle_core::labels::Polarity;
use heddle_work::{ScoreOptions, Scored, Session, score};

use crate::args::ScoreArgs;
use crate::output::{self, Output};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent};

/// Scores a file; says how many were called what.
pub fn run(args: &ScoreArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let ScoreArgs { model, file, out, .. } = args;
    if output.is_json() && out.is_none() {
        bail!(
            "--json and the scored rows both go to standard output; say where the rows go: --out scored.csv"
        );
    }
    let options = ScoreOptions {
        model: model.clone(),
        file: file.clone(),
        out: out.clone(),
        columns: args.columns.clone(),
        called: args.called.clone(),
        decimals: args.decimals.0,
        log_odds: args.log_odds,
        flags: args.flags,
        reasons: args.reasons,
        vote: args.vote,
    };
    let scored = score(session, &options)?;
    match out {
        Some(_) => output.answer("score", &scored, show)?,
        None => output::remark(&summary(&scored)),
    }
    Ok(scored.refused)
}

fn show(scored: &Scored, page: &mut Page) {
    page.call(&scored.names);
    page.heading(&format!(
        "{} read, {} scored by {}",
        count(scored.read, "row"),
        match scored.copies {
            Some(_) => count(scored.scored, "review"),
            None => number(scored.scored),
        },
        scored.model
    ));
    let mut table = Table::new(&[("verdict", Side::Left), ("reviews", Side::Right), ("share", Side::Right)]);
    let mut row = |name: String, rows: usize| table.row([name, number(rows), percent(rows, scored.scored)]);
    row(page.class(Polarity::Negative), scored.negative);
    row(page.class(Polarity::Positive), scored.positive);
    if scored.neutral > 0 {
        row(page.class(Polarity::Neutral), scored.neutral);
    }
    row("? unsure".into(), scored.unsure);
    table.put(page);
    page.note(&format!(
        "{} of the unsure without any known term; {} of mostly unknown words: the model judges well only what resembles its training reviews. {} refused.",
        number(scored.no_known_term),
        count(scored.mostly_unknown, "review"),
        count(scored.refused, "row")
    ));
    if let Some(copies) = scored.copies {
        page.note(&format!(
            "{} voted with the review that they are copies of: one row for each review. texts: those that had a voice; agreeing: those called as the review is; spread: the standard deviation of their log-odds.",
            heddle_work::copies_in_words(copies)
        ));
    }
    if scored.unfamiliar > 0 {
        page.note(&format!(
            "{} with a value that training saw rarely, or never, in a column that the model uses: it counts as all others do there.",
            count(scored.unfamiliar, "review")
        ));
    }
    if scored.learnt_from > 0 {
        page.note(&format!(
            "{} the very ones that it was learnt from: what it says of them is no sign of how good it is.",
            match scored.learnt_from {
                1 => "1 review is one of".to_string(),
                more => format!("{} reviews are", number(more)),
            }
        ));
    }
    if let Some(path) = &scored.written {
        page.written(path, ", in the order of the file");
    }
}

/// The same in one line.
fn summary(scored: &Scored) -> String {
    format!(
        "{} scored{}: {} negative, {}{} positive, {} unsure ({} without known term); {} refused; {} with mostly unknown words",
        count(scored.scored, "review"),
        scored
            .copies
            .map_or(String::new(), |copies| format!(" with {}", heddle_work::copies_in_words(copies))),
        number(scored.negative),
        if scored.neutral > 0 { format!("{} neutral, ", number(scored.neutral)) } else { String::new() },
        number(scored.positive),
        number(scored.unsure),
        number(scored.no_known_term),
        number(scored.refused),
        number(scored.mostly_unknown)
    )
}
