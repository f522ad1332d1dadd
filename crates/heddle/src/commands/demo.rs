//! The whole work on made-up reviews.

use std::path::Path;

use heddle_files::unpack_demo;
use serde::Serialize;

use crate::args::{DemoArgs, Files};
use crate::commands::run::{Ran, work};
use crate::desk::{Answer, Desk};
use crate::view::Page;

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
    let files = unpack_demo(folder)?;
    let inside = |name: &str| folder.join(name).display().to_string();
    let desk = desk.with_study(&inside("study.toml"))?;
    let reviews = Files { files: vec![inside("crossings.csv")] };
    let ran = work(&reviews, &inside("run"), &desk)?;
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
        page.line(format!("  cd {}", self.folder));
        for (command, about) in [
            ("heddle explain run/model.heddle --text \"Not a bad cabin at all\"", "a sentence of your own"),
            ("heddle score run/model.heddle new-reviews.csv --out scored.csv", "new reviews"),
            ("heddle validate --set negation.scope=off", "the same without negation"),
            ("heddle survey crossings.csv", "what is in the file"),
        ] {
            page.line(format!("  {command:<66} {about}"));
        }
    }
}
