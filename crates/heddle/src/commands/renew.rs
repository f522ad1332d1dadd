//! A model learnt anew, and whether it takes over.

use heddle_core::explain::KindPassed;
use heddle_work::{RenewOptions, Renewed, Session, renew};

use crate::args::RenewArgs;
use crate::output::Output;
use crate::view::account::show_account;
use crate::view::figures::share_with_interval;
use crate::view::paired::{show_changed, show_difference, show_figures};
use crate::view::short::in_short;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// Sentences that are shown of those that are no longer read as expected.
const SHOWN: usize = 5;

/// The new model did not take over. Why was told already.
#[derive(Debug)]
pub struct NotTaken;

impl std::fmt::Display for NotTaken {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str("the new model did not take over")
    }
}

impl std::error::Error for NotTaken {}

/// Learns anew and says which model is in use now.
pub fn run(args: &RenewArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = RenewOptions {
        model: args.model.clone(),
        files: args.files.files.clone(),
        fresh: args.fresh.clone(),
        out: args.out.clone(),
        worse: args.worse.clone(),
        margin: args.margin,
        changed: args.changed.clone(),
    };
    let renewed = renew(session, &options)?;
    output.answer("renew", &renewed, |renewed, page| show(renewed, args.top, page))?;
    if !renewed.taken {
        return Err(NotTaken.into());
    }
    Ok(renewed.account.refused)
}

fn show(renewed: &Renewed, top: usize, page: &mut Page) {
    let Renewed { account, compared, .. } = renewed;
    page.call(&account.names);
    in_short(page, &renewed.why);
    page.heading(&format!(
        "Learnt from {}, {} of them new to the old model",
        count(account.labelled(), "review"),
        number(renewed.new_reviews)
    ));
    show_account(page, account);
    page.heading(&match &renewed.fresh {
        Some(file) => format!("Both on {} of {file}", count(renewed.judged_by, "fresh review")),
        None => format!("Both on {}", count(renewed.judged_by, "fresh review")),
    });
    show_figures(compared, page);
    if renewed.fresh.is_none() {
        page.note("Drawn from the reviews that are tied to nothing that the old model had learnt from.");
    }
    if let Some(opened) = compared.opened {
        page.note(&format!(
            "This holdout was opened {}: what is chosen by its figures fits it better than reviews to come.",
            count(opened, "time")
        ));
    }
    show_difference(compared, page, &compared.ways[1]);
    show_changed(compared, top, page);
    show_probes(renewed, page);
    match (&renewed.written, &renewed.kept) {
        (Some(path), Some(kept)) => {
            page.written(path, &format!(", the new model; the old one is {kept} (back: mv {kept} {path})"));
        }
        (Some(path), None) if renewed.taken => {
            page.written(path, ", the new model; the old one is where it was")
        }
        (Some(path), None) => {
            page.written(path, ", the new model, to be looked at; the old one stays in use")
        }
        (None, _) => page.note(&format!(
            "{} stays as it was; --worse FILE keeps the new model to be looked at.",
            renewed.model
        )),
    }
}

/// What both make of sentences of known meaning, by kind where that differs.
fn show_probes(renewed: &Renewed, page: &mut Page) {
    let probes = &renewed.probes;
    page.heading("Sentences of known meaning, read as expected");
    let mut table = Table::new(&[("", Side::Left), ("before", Side::Right), ("now", Side::Right)]);
    table.row(["all".into(), share_with_interval(&probes.before), share_with_interval(&probes.after)]);
    let both = probes.kinds_before.iter().zip(&probes.kinds_after);
    let differs = |(before, after): &(&KindPassed, &KindPassed)| before.passed.value != after.passed.value;
    for (before, after) in both.filter(differs) {
        table.row([
            before.kind.clone(),
            share_with_interval(&before.passed),
            share_with_interval(&after.passed),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "{} read as expected by the new model alone, {} by the old one alone{}",
        number(probes.mended.len()),
        number(probes.broken.len()),
        if probes.broken.is_empty() { "." } else { ", such as:" }
    ));
    for sentence in probes.broken.iter().take(SHOWN) {
        page.note(&format!("“{sentence}”"));
    }
}
