//! What columns beside the text add at the same text.

use heddle_core::labels::Polarity;
use heddle_core::measure::Figure;
use heddle_work::{Effects, EffectsOptions, Session, effects};

use crate::args::EffectsArgs;
use crate::output::Output;
use crate::view::figures::{plain_difference, points, share_with_interval};
use crate::view::picture::effects as drawn;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, signed};

/// Looks for effects and shows them.
pub fn run(args: &EffectsArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let EffectsArgs { files, beside, picture, .. } = args;
    let options = EffectsOptions { files: files.files.clone(), columns: beside.clone() };
    let mut found = effects(session, &options)?;
    if let Some(path) = picture {
        drawn::scene(&found).write(session.outputs(), path)?;
        found.picture = Some(path.clone());
    }
    output.answer("effects", &found, show)?;
    Ok(found.account.refused)
}

fn show(found: &Effects, page: &mut Page) {
    page.call(&found.account.names);
    let positive = page.name(Polarity::Positive);
    for column in &found.columns {
        page.heading(&column.column);
        let mut table = Table::new(&[
            ("", Side::Left),
            ("reviews", Side::Right),
            (&positive, Side::Right),
            ("text alone", Side::Right),
            ("with columns", Side::Right),
            ("adds at the same text", Side::Right),
            ("", Side::Left),
        ]);
        for level in &column.levels {
            table.row([
                level.level.clone(),
                number(level.observed.n),
                share_with_interval(&level.observed),
                format!("{:.1} %", 100.0 * level.by_text),
                format!("{:.1} %", 100.0 * level.by_both),
                nats(&level.effect),
                if level.beyond_noise { "*".into() } else { String::new() },
            ]);
        }
        table.put(page);
        if column.straight {
            page.note("A number, whose effect is a straight line, shown at five parts of the reviews; :bands lets each part have its own.");
        }
    }
    page.note(&format!(
        "{positive}: observed share; text alone, with columns: the mean probability that models gave which had not seen \
         these reviews. Adds: to the log-odds of {positive}, in nats, beside the text and the other columns, less the mean \
         of all reviews; intervals by resampling groups of reviews, wide enough to hold for all effects together; *: more \
         than noise."
    ));
    page.heading("What the columns bring");
    let gain = &found.text_alone.gain;
    page.note(&format!(
        "{} folds over {}: accuracy {} with the text alone.",
        found.folds,
        count(found.account.labelled(), "review"),
        share_with_interval(&found.text_alone.figures.accuracy)
    ));
    page.note(&format!(
        "With the columns: accuracy {}, log loss {}.",
        points(&gain.accuracy),
        plain_difference(&gain.log_loss)
    ));
    page.note(match (gain.log_loss.low, gain.log_loss.high) {
        (_, high) if high < Some(0.0) => {
            "Log loss falls by more than noise: --set features.columns=... lets a model use them."
        }
        (low, _) if low > Some(0.0) => "Log loss rises by more than noise: a model is better without them.",
        _ => "That is within noise: a model without them is simpler, and as good.",
    });
    if let Some(path) = &found.picture {
        page.heading(&format!("Drawn: {path}"));
    }
}

/// An effect with its interval.
fn nats(effect: &Figure) -> String {
    match (effect.value, effect.low, effect.high) {
        (Some(value), Some(low), Some(high)) => {
            format!("{} ({} – {})", signed(value), signed(low), signed(high))
        }
        _ => "–".into(),
    }
}
