//! A training part and a locked holdout, and a third part if asked.

use heddle_core::labels::Polarity;
use heddle_core::resample::{By, Sides};
use heddle_work::{Part, Session, Split, SplitOptions, split};

use crate::args::SplitArgs;
use crate::output::Output;
use crate::view::account::show_account;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent};

/// Rows are called sorted when equal classes stand together by so many standard deviations.
const SORTED: f64 = -8.0;

/// Splits reviews and shows the parts.
pub fn run(args: &SplitArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = SplitOptions {
        files: args.files.files.clone(),
        training: args.training.clone(),
        development: args.development.clone(),
        holdout: args.holdout.clone(),
    };
    let split = split(session, &options)?;
    output.answer("split", &split, show)?;
    Ok(split.refused())
}

fn show(split: &Split, page: &mut Page) {
    page.call(&split.account.names);
    page.heading("What became of the rows");
    show_account(page, &split.account);
    page.heading("The sides");
    show_parts(split, page);
    page.note(&drawn(split));
    page.heading("On both sides");
    let mut table = Table::new(&[("", Side::Left), ("", Side::Right)]);
    table.row(["equal texts".to_string(), number(split.overlap.texts)]);
    table.row(["pairs of nearly equal texts".to_string(), number(split.overlap.near)]);
    for (name, values) in split.together.iter().zip(&split.overlap.shared) {
        table.row([format!("values of `{name}`"), number(*values)]);
    }
    table.put(page);
    page.note(&format!(
        "{} of rows were kept together: equal texts, {}, and what reviews.together names.",
        count(split.groups_kept_together, "group"),
        count(split.near_repeats, "nearly equal text"),
    ));
    if let Some(order) = split.order.filter(|order| *order < SORTED) {
        page.note(&format!(
            "The file is sorted: rows of one class stand together ({:.0} standard deviations from chance). \
             Its first rows are no sample of it; sides are not drawn by place.",
            order.abs()
        ));
    }
}

/// Both parts, or all three, the training part first.
fn parts(split: &Split) -> Vec<(&'static str, &Part)> {
    let mut parts = vec![("training", &split.training)];
    parts.extend(split.development.as_ref().map(|part| ("development", part)));
    parts.push(("holdout", &split.holdout));
    parts
}

fn show_parts(split: &Split, page: &mut Page) {
    let classes: Vec<Polarity> =
        Polarity::ALL.into_iter().filter(|class| split.training.mix.contains_key(class.name())).collect();
    let mut header = vec![("", Side::Left), ("reviews", Side::Right), ("share", Side::Right)];
    let names: Vec<String> = classes.iter().map(|class| page.name(*class)).collect();
    header.extend(names.iter().map(|name| (name.as_str(), Side::Right)));
    header.push(("file", Side::Left));
    let mut table = Table::new(&header);
    let all: usize = parts(split).iter().map(|(_, part)| part.rows()).sum();
    for (name, part) in parts(split) {
        let mut cells = vec![name.to_string(), number(part.rows()), percent(part.rows(), all)];
        cells.extend(classes.iter().map(|class| percent(part.of(*class), part.rows())));
        cells.push(part.file.clone());
        table.row(cells);
    }
    table.put(page);
}

fn drawn(split: &Split) -> String {
    let tied = format!("{} tied to a later part", count(split.tied, "row"));
    match &split.by {
        By::FromRow(row) => {
            return format!("By place: held out from row {} on. On no side: {tied}.", number(*row as usize));
        }
        By::Column(name) => {
            return format!(
                "As column `{name}` says. On no side: {} where it is blank, {tied}.",
                count(split.unnamed, "row")
            );
        }
        By::Random | By::Latest | By::From(_) => {}
    }
    if split.by.is_dated() {
        let day = |part: &Part| part.days.clone().unwrap_or_default();
        return format!(
            "By date: learnt from {} to {}, held out from {} to {}. On no side: {} refused for want of a date, {tied}.",
            day(&split.training).0,
            day(&split.training).1,
            day(&split.holdout).0,
            day(&split.holdout).1,
            count(split.no_date, "row"),
        );
    }
    let holds = match split.sides {
        Sides::Exact => "sizes and class mix are exact, and added rows may move others",
        Sides::Stable => {
            "the side of a row depends on its group and the seed alone: added rows move no other, and sizes differ from the shares by chance"
        }
    };
    format!(
        "At random with seed {}: {holds}. {} is locked: `heddle assess` counts how often it is opened.",
        split.seed, split.holdout.file
    )
}
