//! The whole work on made-up reviews.

use std::path::Path;

use heddle_files::unpack_demo;
use serde::Serialize;

use crate::args::{DemoArgs, Files};
use crate::commands::run::{Place, Ran, work};
use crate::desk::{Answer, Desk};
use crate::view::{DIM, Page, paint};

#[derive(Serialize)]
struct Demo {
    folder: String,
    files: Vec<&'static str>,
    #[serde(flatten)]
    ran: Ran,
}

/// Unpacks the demo and runs it.
pub fn run(args: &DemoArgs, desk: &Desk) -> anyhow::Result<usize> {
    let folder = Path::new(&args.folder);
    desk.check_unnamed("the demo brings its own study")?;
    let files = unpack_demo(folder)?;
    let inside = |name: &str| folder.join(name).display().to_string();
    let desk = desk.with_study(&inside("study.toml"))?;
    let reviews = Files { files: vec![inside("crossings.csv")] };
    let remedy = "name another folder: heddle demo FOLDER";
    let ran = work(&reviews, Place { folder: &inside("run"), replace: false, remedy }, &desk)?;
    desk.answer("demo", &Demo { folder: args.folder.clone(), files, ran })?;
    Ok(0)
}

impl Answer for Demo {
    fn show(&self, page: &mut Page) {
        page.line(
            "Harrow Strait Ferries: night ferries, and the gear sold on board. Every review is made up.",
        );
        self.ran.show(page);
        page.heading("Try next");
        // As it was called here, so that a line can be copied and run from where one stands.
        let heddle = std::env::args().next().unwrap_or_else(|| "heddle".into());
        let inside = |name: &str| Path::new(&self.folder).join(name).display().to_string();
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
}
