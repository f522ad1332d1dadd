//! What balancing does to the classes, and a balanced training file.

use heddle_core::Choice;
use heddle_core::labels::Polarity;
use heddle_core::measure::sigmoid;
use heddle_work::{BalanceMethod, BalanceOptions, Balanced, Session, balance};

use crate::args::BalanceArgs;
use crate::output::Output;
use crate::view::account::{show_account, written};
use crate::view::table::{Side, Table};
use crate::view::{Page, number, percent, sign_of, with_sign};

/// Shows what each method makes of the classes.
pub fn run(args: &BalanceArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = BalanceOptions { files: args.files.files.clone(), out: args.out.clone() };
    let balanced = balance(session, &options)?;
    output.answer("balance", &balanced, show)?;
    Ok(balanced.account.refused)
}

fn show(balanced: &Balanced, page: &mut Page) {
    page.call(&balanced.account.names);
    page.heading("What became of the rows");
    show_account(page, &balanced.account);
    page.heading(&format!("What each method makes of them, at a ratio of {}", balanced.ratio));
    show_methods(balanced, page);
    page.note(
        "← is in force. A mistake on a review counts as shown. Only training rows are balanced, inside folds \
         too; rows that are held out keep their mix.",
    );
    if let Some((method, correction)) = correction(balanced) {
        let share = |log_odds: f64| format!("{:.1} %", 100.0 * sigmoid(log_odds));
        let [_, positive] = page.poles();
        page.heading("What it does to probabilities");
        page.note(&format!(
            "Learnt as balanced by `{}`, probabilities would speak of that mix: a review at 50.0 % {positive} there \
             is at {} among reviews as they come. Training then adds {} to the intercept, so that its \
             probabilities speak of the natural mix; --set balance.probabilities=balanced leaves them as learnt.",
            method,
            share(correction),
            with_sign(correction, 2),
        ));
    }
    match &balanced.written {
        Some(path) => written(page, path, "its natural mix"),
        None => page.note("Nothing was written; training balances by itself where balance.method says so. --out FILE with down or up writes the rows."),
    }
}

/// The correction of the method in force, or of the first one where none is.
fn correction(balanced: &Balanced) -> Option<(&'static str, f64)> {
    let corrected = |method: &BalanceMethod| {
        let correction = method.correction.filter(|correction| *correction != 0.0)?;
        Some((method.method.name(), correction))
    };
    let own = balanced.methods.iter().find(|method| method.method == balanced.method).and_then(corrected);
    own.or_else(|| balanced.methods.iter().find_map(corrected))
}

fn show_methods(balanced: &Balanced, page: &mut Page) {
    let counts: Vec<String> =
        balanced.classes.iter().map(|class| format!("{} counts", sign_of(*class))).collect();
    let mut header = vec![("", Side::Left)];
    let names: Vec<String> = balanced.classes.iter().map(|class| page.name(*class)).collect();
    names.iter().for_each(|name| header.push((name, Side::Right)));
    counts.iter().for_each(|name| header.push((name, Side::Right)));
    let mut table = Table::new(&header);
    for method in &balanced.methods {
        let rows: usize = method.rows.values().sum();
        let mark = if method.method == balanced.method { " ←" } else { "" };
        let mut cells = vec![format!("{}{mark}", method.method.name())];
        let own = |class: &Polarity| method.rows.get(class.name()).copied().unwrap_or(0);
        let shown = |class: &Polarity| format!("{} ({})", number(own(class)), percent(own(class), rows));
        cells.extend(balanced.classes.iter().map(shown));
        let cost = |class: &Polarity| method.costs.get(class.name()).copied().unwrap_or(0.0);
        cells.extend(balanced.classes.iter().map(|class| format!("{:.2}", cost(class))));
        table.row(cells);
    }
    table.put(page);
}
