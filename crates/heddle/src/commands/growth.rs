//! How many reviews of large files are enough.

use heddle_core::validate::GrowthSize;
use heddle_work::{Grown, GrowthOptions, Session, growth};

use crate::args::GrowthArgs;
use crate::output::Output;
use crate::view::figures::{plain, plain_difference, points, share_with_interval};
use crate::view::short::next_steps;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// Learns from more and more reviews and shows what they brought.
pub fn run(args: &GrowthArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let GrowthArgs { files, most, judged, first, .. } = args;
    let options = GrowthOptions { files: files.files.clone(), most: *most, judged: *judged, first: *first };
    let grown = growth(session, &options)?;
    output.answer("growth", &grown, show)?;
    Ok(grown.account.refused)
}

fn show(grown: &Grown, page: &mut Page) {
    let found = &grown.growth;
    page.call(&grown.account.names);
    page.heading(&format!(
        "{} drawn from {}: all sizes judged by the same {}",
        count(grown.account.read, "row"),
        number(grown.rows),
        count(found.judged, "review")
    ));
    let mut table = Table::new(&[
        ("learnt from", Side::Right),
        ("accuracy", Side::Right),
        ("log loss", Side::Right),
        ("brought: more right", Side::Right),
        ("took: log loss", Side::Right),
    ]);
    for GrowthSize { reviews, accuracy, log_loss, gain, log_loss_gain } in &found.sizes {
        table.row([
            number(*reviews),
            share_with_interval(accuracy),
            plain(log_loss),
            gain.as_ref().map_or(String::new(), points),
            log_loss_gain.as_ref().map_or(String::new(), plain_difference),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "Each size holds the one before. What a step brought is paired by review, with 95 % intervals. Rule: {}.",
        grown.rule
    ));
    let last = found.sizes.last().map_or(0, |size| size.reviews);
    page.note(&match found.enough {
        Some(enough) => format!(
            "{} are enough here: up to {} no step from there brought more than noise. What noise is depends on how many judge: a larger --judged tells smaller steps.",
            count(enough, "review"),
            number(last)
        ),
        None => format!(
            "The last step, up to {}, still brought more than noise: more reviews would help, as far as the file has them (--most).",
            count(last, "review")
        ),
    });
    if !grown.next.is_empty() {
        next_steps(page, &grown.next);
    }
}
