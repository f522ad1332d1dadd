//! Some of the rows of a large file, drawn in one pass.

use anyhow::bail;
use heddle_work::{Drawn, SampleOptions, SampleSize, Session, sample};

use crate::args::SampleArgs;
use crate::output::Output;
use crate::view::account::written;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent};

/// Draws rows and shows how many of each rating.
pub fn run(args: &SampleArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = SampleOptions { files: args.files.files.clone(), size: size(args)?, out: args.out.clone() };
    let drawn = sample(session, &options)?;
    output.answer("sample", &drawn, show)?;
    Ok(drawn.refused)
}

fn size(args: &SampleArgs) -> anyhow::Result<SampleSize> {
    match (args.rows, args.each, &args.share) {
        (Some(rows), ..) if rows > 0 => Ok(SampleSize::Rows(rows)),
        (_, Some(each), _) if each > 0 => Ok(SampleSize::Each(each)),
        (_, _, Some(share)) => {
            let number = share.trim().strip_suffix('%').and_then(|share| share.trim().parse::<f64>().ok());
            match number.map(|share| share / 100.0).filter(|share| *share > 0.0 && *share <= 1.0) {
                Some(share) => Ok(SampleSize::Share(share)),
                None => bail!("--share {share} is not possible: expected a share such as 5%"),
            }
        }
        _ => bail!("how many rows? Say --rows 20000, --share 5% or --each 500"),
    }
}

fn show(drawn: &Drawn, page: &mut Page) {
    page.heading(&format!("{} drawn from {}", count(drawn.drawn, "row"), count(drawn.rows, "row")));
    match &drawn.by {
        Some(rating) => show_strata(drawn, rating, page),
        None => page.note("No column holds a rating: all rows were drawn from alike."),
    }
    let dropped = match drawn.not_kept {
        0 => String::new(),
        rows => format!(" {} dropped by reviews.keep,", count(rows, "row")),
    };
    page.note(&format!(
        "Seed {};{dropped} {} refused. The order of the file is kept.",
        drawn.seed,
        count(drawn.refused, "row")
    ));
    written(page, &drawn.written, "its source");
}

/// How many rows of each rating there were, and were drawn.
fn show_strata(drawn: &Drawn, rating: &str, page: &mut Page) {
    let mut table = Table::new(&[
        (rating, Side::Right),
        ("rows", Side::Right),
        ("share", Side::Right),
        ("drawn", Side::Right),
        ("share", Side::Right),
    ]);
    for stratum in &drawn.strata {
        let value = if stratum.value.is_empty() { "(blank)" } else { &stratum.value };
        table.row([
            value.to_string(),
            number(stratum.rows),
            percent(stratum.rows, drawn.rows),
            number(stratum.drawn),
            percent(stratum.drawn, drawn.drawn),
        ]);
    }
    table.put(page);
}
