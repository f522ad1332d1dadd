//! Settings, studies or models against each other, on the same reviews.

use heddle_work::{CompareOptions, Compared, Session, Way, compare};

use crate::args::CompareArgs;
use crate::output::Output;
use crate::view::figures::points;
use crate::view::paired::{show_changed, show_difference, show_figures, words};
use crate::view::short::in_short;
use crate::view::{Page, count};

/// Compares and shows the differences.
pub fn run(args: &CompareArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = CompareOptions {
        files: args.files.files.clone(),
        vary: args.varied.vary.clone(),
        with: args.with.clone(),
        changed: args.changed.clone(),
    };
    let compared = compare(session, &options)?;
    output.answer("compare", &compared, |compared, page| show(compared, args.top, page))?;
    Ok(compared.account.refused)
}

fn show(compared: &Compared, top: usize, page: &mut Page) {
    page.call(&compared.account.names);
    let reviews = count(compared.account.labelled(), "review");
    page.heading(&match compared.folds {
        Some(folds) => {
            format!("{} on the same {folds} folds of {reviews}", count(compared.ways.len(), "way"))
        }
        None => format!("{} on the same {reviews}", count(compared.ways.len(), "model")),
    });
    show_figures(compared, page);
    if let Some(opened) = compared.opened {
        page.note(&format!(
            "This holdout was opened {}: what is chosen by its figures fits it better than reviews to come.",
            count(opened, "time")
        ));
    }
    for way in &compared.ways[1..] {
        show_difference(compared, page, way);
    }
    page.note(if compared.folds.is_some() {
        "Differences are paired: the same reviews, the same folds; intervals by the corrected resampled t test, for folds share training reviews."
    } else {
        "Differences are paired by review."
    });
    show_changed(compared, top, page);
    in_short(page, &in_words(compared));
    if let Some(path) = &compared.written {
        page.written(path, ", all reviews that changed sides");
    }
}

/// What the differences come to, one way after the other.
fn in_words(compared: &Compared) -> String {
    let first = &compared.ways[0].name;
    let against = |way: &Way| {
        let difference = way.difference.as_ref()?;
        let (accuracy, loss) = (&difference.accuracy, &difference.log_loss);
        Some(format!(
            "{} against {first}: accuracy {}, {}; log loss {}.",
            way.name,
            points(accuracy),
            words(accuracy, false),
            words(loss, true)
        ))
    };
    compared.ways.iter().filter_map(against).collect::<Vec<_>>().join(" ")
}
