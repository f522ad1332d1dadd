//! What became of rows, and what was written.

use std::path::Path;

use heddle_core::labels::Polarity;
use heddle_files::About;
use heddle_work::Account;

use super::table::{Side, Table};
use super::{Page, number, percent};

/// Says what was written, and what of it stands in the about-file; a stream has none.
pub fn written(page: &mut Page, path: &str, what: &str) {
    let beside = About::name_beside(path);
    match Path::new(&beside).is_file() {
        true => page.written(path, &format!("; {what} stands beside it, in {beside}")),
        false => page.written(path, ""),
    }
}

/// Puts the account of all rows on a page.
pub fn show_account(page: &mut Page, account: &Account) {
    let Account { read, refused, no_text, no_rating, middle, not_kept, .. } = *account;
    let mut table = Table::new(&[("", Side::Left), ("rows", Side::Right), ("share", Side::Right)]);
    let mut row = |name: String, rows: usize| table.row([name, number(rows), percent(rows, read)]);
    for polarity in Polarity::ALL {
        if polarity != Polarity::Neutral || account.neutral > 0 {
            row(page.class(polarity), account.of(polarity));
        }
    }
    if account.copies > 0 {
        row("copies of these".into(), account.copies);
    }
    if account.set_aside > 0 {
        row("set aside, to be judged by".into(), account.set_aside);
    }
    row("left out: between the classes".into(), middle);
    row("left out: no rating".into(), no_rating);
    row("left out: no text".into(), no_text);
    if account.copies_left_out > 0 {
        row("left out: copies of no labelled row".into(), account.copies_left_out);
    }
    if not_kept > 0 {
        row("left out: reviews.keep".into(), not_kept);
    }
    row("refused".into(), refused);
    row("all rows read".into(), read);
    table.put(page);
    if let Ok(sum) = account.sum() {
        page.note(&format!("{sum}."));
    }
}
