//! A model on a holdout, beside its cross-validated figures.

use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, differ};
use heddle_core::model::VoteBy;
use heddle_work::{AssessOptions, Assessed, Session, assess, copies_in_words};

use crate::args::AssessArgs;
use crate::output::Output;
use crate::view::figures::{
    confusion, effective_note, figures, mix_note, natural_mix, order_note, plain, share, unsure,
};
use crate::view::picture::overview;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent, signed};

/// Tries a model on a holdout and shows the figures.
pub fn run(args: &AssessArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let AssessArgs { model, files, out, overview: picture, vote, .. } = args;
    let options =
        AssessOptions { model: model.clone(), files: files.files.clone(), out: out.clone(), vote: *vote };
    let mut assessed = assess(session, &options)?;
    if let Some(path) = picture {
        let Assessed { figures, baseline, account, .. } = &assessed;
        let judged = "On reviews that it has not learnt from.";
        overview::scene(figures, &baseline.accuracy, &account.names, judged)
            .write(session.outputs(), path)?;
        assessed.overview = Some(path.clone());
    }
    output.answer("assess", &assessed, show)?;
    Ok(assessed.account.refused)
}

fn show(assessed: &Assessed, page: &mut Page) {
    page.call(&assessed.account.names);
    let judged = assessed.account.labelled() - assessed.learnt_from;
    page.heading(&format!("{} on {}", assessed.model, count(judged, "labelled review")));
    if assessed.learnt_from > 0 {
        page.note(&format!(
            "{} more left out: the model has learnt from them.",
            count(assessed.learnt_from, "labelled review")
        ));
    }
    figures(page, &assessed.figures, &assessed.baseline);
    page.note(&format!(
        "Rule: {}. {} no term with the model.",
        assessed.rule,
        match assessed.unknown_only {
            1 => "1 review shares".into(),
            more => format!("{} reviews share", number(more)),
        }
    ));
    if let Some((by, copies)) = assessed.voted {
        page.note(&format!(
            "{} voted with the reviews that they are copies of, by {}.",
            copies_in_words(copies),
            match by {
                VoteBy::Mean => "the mean of the log-odds",
                VoteBy::Majority => "the majority of what each is called",
            }
        ));
    }
    effective_note(page, &assessed.figures, false);
    order_note(page, &assessed.figures);
    mix_note(page, assessed.balance, assessed.probabilities);
    if let Some(opened) = assessed.opened {
        page.note(&match opened {
            1 => "This holdout was opened for the first time.".to_string(),
            times => format!(
                "This holdout was opened {times} times: what is chosen by its figures fits it better than reviews to come."
            ),
        });
    }
    if let Some(restated) = &assessed.restated {
        natural_mix(page, restated);
    }
    if assessed.unsure_promised {
        unsure(page, &assessed.figures);
    }
    confusion(page, &assessed.figures);
    show_agreement(assessed, page);
    show_mistakes(assessed, page);
    if let Some(path) = &assessed.overview {
        page.heading(&format!("Drawn: {path}"));
    }
}

fn show_mistakes(assessed: &Assessed, page: &mut Page) {
    if assessed.mistakes.is_empty() {
        return;
    }
    page.heading("Confident mistakes");
    let mut table = Table::new(&[
        (&assessed.named_by, Side::Right),
        ("line", Side::Right),
        ("labelled", Side::Left),
        ("log-odds", Side::Right),
        ("", Side::Excerpt),
    ]);
    for mistake in &assessed.mistakes {
        let text = mistake.text.clone();
        let line = mistake.line.to_string();
        table.row([mistake.id.clone(), line, page.class(mistake.truth), signed(mistake.log_odds), text]);
    }
    table.put(page);
    page.note("The model is sure of another class than the label: one of the two is wrong. `heddle explain` shows why it is sure.");
}

/// The holdout beside the cross-validated estimate.
fn show_agreement(assessed: &Assessed, page: &mut Page) {
    let Some(validated) = &assessed.validated else { return };
    page.heading("Beside the cross-validated estimate");
    let mut table = Table::new(&[
        ("", Side::Left),
        ("cross-validated", Side::Right),
        ("here", Side::Right),
        ("", Side::Left),
    ]);
    let (then, now) = (&validated.figures, &assessed.figures);
    let at_once = now.classes.len() + 4;
    let mut row = |name: &str, then: &Figure, now: &Figure, written: fn(&Figure) -> String| {
        table.row([
            name.into(),
            written(then),
            written(now),
            agreement(then, now, name == "log loss", at_once).to_string(),
        ]);
    };
    for own in &now.classes {
        if let Some(before) = then.class(own.class) {
            row(&format!("recall of {}", page.name(own.class)), &before.recall, &own.recall, share);
        }
    }
    row("accuracy", &then.accuracy, &now.accuracy, share);
    row("balanced accuracy", &then.balanced_accuracy, &now.balanced_accuracy, share);
    row("ROC area", &then.roc_area, &now.roc_area, plain);
    row("log loss", &then.log_loss, &now.log_loss, plain);
    table.put(page);
    let confusion = &assessed.figures.confusion;
    let negative = percent(confusion.of(Polarity::Negative), confusion.total());
    page.note(&format!(
        "Here {negative} of the reviews are {}. They are judged together: a difference beyond noise in any of these figures comes by chance in one of twenty times.",
        page.name(Polarity::Negative)
    ));
}

/// Whether two figures differ by more than their intervals explain, of as many as are looked at.
fn agreement(then: &Figure, now: &Figure, falls: bool, at_once: usize) -> &'static str {
    match (differ(then, now, at_once), now.value < then.value) {
        (Some(false), _) => "within noise",
        (Some(true), less) if less != falls => "worse here, by more than noise",
        (Some(true), _) => "better here, by more than noise",
        (None, _) => "",
    }
}
