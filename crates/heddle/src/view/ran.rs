//! What a run found.

use heddle_core::labels::{Classes, Polarity};
use heddle_core::measure::{Figure, Figures};
use heddle_work::{Ran, copies_in_words};

use super::explained::show_readings;
use super::figures::{plain, plain_with_interval, share, share_with_interval};
use super::short::in_short;
use super::table::{Side, Table};
use super::{Page, count, number, percent};

/// Copies of reviews behind the reviews; nothing where there are none.
fn copies_beside(copies: usize) -> String {
    if copies == 0 { String::new() } else { format!(" with {}", copies_in_words(copies)) }
}

/// Puts the findings of a run on a page.
pub fn show(ran: &Ran, page: &mut Page) {
    let account = &ran.split.account;
    page.call(&account.names);
    let left_out = account.left_out() + account.refused;
    let of = |polarity: &Polarity| format!("{} {}", number(account.of(*polarity)), page.name(*polarity));
    let classes: Vec<String> = Classes::of(account.counts()).list().iter().map(of).collect();
    page.heading("What came in");
    page.line(format!(
        "  {} read: {}{}, {} left out or refused",
        count(account.read, "row"),
        classes.join(", "),
        copies_beside(account.copies),
        number(left_out)
    ));
    page.line(format!(
        "  {} to learn from, {} locked away; {} on both sides",
        number(ran.split.training.rows()),
        number(ran.split.holdout.rows()),
        count(ran.split.overlap.texts, "text"),
    ));
    page.heading("How good it is on reviews it has not seen");
    show_figures(ran, page);
    let holdout = &ran.split.holdout;
    page.note(&format!(
        "{} folds, everything refitted in each; one look at the holdout ({} {}); 95 % intervals.",
        ran.validation.validation.folds.len() / ran.validation.validation.rounds.len(),
        percent(holdout.of(Polarity::Negative), holdout.rows()),
        page.name(Polarity::Negative),
    ));
    let middle = ran.middle.as_ref().map_or(String::new(), |middle| {
        let called = share_with_interval(&middle.called_positive);
        format!("; of these {}, {called} called {}", number(middle.reviews), page.name(Polarity::Positive))
    });
    page.note(&format!("Rule: {}{middle}.", ran.split.rule));
    page.heading("How it reads a review of the holdout");
    show_readings(&ran.explained, page);
    in_short(page, &ran.judgement.sentence);
    page.heading(&format!("Done in {:.1} s; everything is in {}", ran.seconds, ran.folder));
}

fn show_figures(ran: &Ran, page: &mut Page) {
    let mut table = Table::new(&[
        ("", Side::Left),
        ("cross-validated", Side::Right),
        ("locked holdout", Side::Right),
        ("baseline", Side::Right),
    ]);
    let (then, now) = (&ran.validation.validation.figures, &ran.assessment.figures);
    let base = &ran.assessment.baseline;
    let mut row = |name: String, a: String, b: String, base: String| table.row([name, a, b, base]);
    let recall =
        |figures: &Figures, class| figures.class(class).map_or(Figure::undefined(0), |own| own.recall);
    for own in &now.classes {
        row(
            format!("recall of {}", page.name(own.class)),
            share_with_interval(&recall(then, own.class)),
            share_with_interval(&own.recall),
            share(&recall(base, own.class)),
        );
    }
    row(
        "accuracy".into(),
        share_with_interval(&then.accuracy),
        share_with_interval(&now.accuracy),
        share(&base.accuracy),
    );
    let mut plainly = |name: &str, then, now, base| {
        row(name.into(), plain_with_interval(then), plain_with_interval(now), plain(base));
    };
    plainly("ROC area", &then.roc_area, &now.roc_area, &base.roc_area);
    plainly("log loss, in nats", &then.log_loss, &now.log_loss, &base.log_loss);
    table.put(page);
}
