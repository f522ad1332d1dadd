//! The whole work on made-up reviews.

use std::path::Path;

use heddle_work::{Demo, Session, demo};

use crate::args::DemoArgs;
use crate::output::Output;
use crate::reporting::{page_of, place_in};
use crate::view::{DIM, Page, paint, ran};

/// Unpacks the demo, runs it, and says what to try next.
pub fn run(args: &DemoArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let demo = demo(session, &args.folder, Some(page_of))?;
    output.answer("demo", &demo, show)?;
    Ok(0)
}

fn show(demo: &Demo, page: &mut Page) {
    page.line("Harrow Strait Ferries: night ferries, and the gear sold on board. Every review is made up.");
    ran::show(&demo.ran, page);
    page.line(format!("  To hand over: {}", place_in(&demo.ran.folder)));
    page.heading("Try next");
    // As it was called here, so that a line can be copied and run from where one stands.
    let heddle = std::env::args().next().unwrap_or_else(|| "heddle".into());
    let inside = |name: &str| Path::new(&demo.folder).join(name).display().to_string();
    let (model, training, study) =
        (inside("run/model.heddle"), inside("run/training.csv"), inside("study.toml"));
    for (about, command) in [
        ("a sentence of your own", format!("explain {model} --text \"Not a bad cabin at all\"")),
        ("new reviews", format!("score {model} {} --out scored.csv", inside("new-reviews.csv"))),
        (
            "the same without negation",
            format!("validate {training} --study {study} --set negation.scope=off"),
        ),
        ("what is in the file", format!("survey {}", inside("crossings.csv"))),
    ] {
        page.line(format!("  {}", paint(DIM, format!("# {about}"))));
        page.line(format!("  {heddle} {command}"));
    }
}
