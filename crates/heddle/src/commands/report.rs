//! A run as a report to hand over.

use std::path::Path;

use anyhow::Context;
use heddle_files::Role;
use heddle_work::Session;
use serde::Serialize;

use crate::args::ReportArgs;
use crate::output::Output;
use crate::reporting::{FoundRun, place_in};
use crate::view::report::Form;
use crate::view::{Page, count};

/// What was written.
#[derive(Serialize)]
struct Reported {
    /// The run.
    folder: String,
    /// The report.
    written: String,
    /// Its size.
    bytes: usize,
    /// Whether texts of customers are left out.
    redacted: bool,
    /// The pictures.
    pictures: Vec<String>,
}

/// Writes the report of a run.
pub fn run(args: &ReportArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let target = args.out.clone().unwrap_or_else(|| place_in(&args.folder));
    let form = if target.ends_with(".md") { Form::Markdown } else { Form::Html };
    let run = FoundRun::open(&args.folder)?;
    let text = run.report(form, args.redact)?;
    session.outputs().plan_once(Role::Report, &target)?;
    session.outputs().write(&target, text.as_bytes())?;
    let mut drawn = Vec::new();
    if let Some(pictures) = &args.pictures {
        std::fs::create_dir_all(pictures).with_context(|| format!("{pictures} cannot be made"))?;
        for (name, scene) in run.pictures()? {
            for ending in ["svg", "png"] {
                let path = Path::new(pictures).join(format!("{name}.{ending}")).display().to_string();
                scene.write(session.outputs(), &path)?;
                drawn.push(path);
            }
        }
    }
    let (folder, redacted) = (args.folder.clone(), args.redact);
    let found = Reported { folder, written: target, bytes: text.len(), redacted, pictures: drawn };
    output.answer("report", &found, show)?;
    Ok(0)
}

fn show(reported: &Reported, page: &mut Page) {
    let what = if reported.redacted { ", without texts of customers" } else { "" };
    page.written(&reported.written, &format!(" ({} KB){what}", reported.bytes.div_ceil(1024)));
    if let (Some(first), Some(last)) = (reported.pictures.first(), reported.pictures.last()) {
        page.heading(&format!("Drawn: {first} to {last}, {}", count(reported.pictures.len(), "picture")));
    }
}
