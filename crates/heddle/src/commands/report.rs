//! A run as a report to hand over.

use heddle_files::Role;
use heddle_work::Session;
use serde::Serialize;

use crate::args::ReportArgs;
use crate::output::Output;
use crate::reporting::{of_folder, place_in};
use crate::view::Page;
use crate::view::report::Form;

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
}

/// Writes the report of a run.
pub fn run(args: &ReportArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let target = args.out.clone().unwrap_or_else(|| place_in(&args.folder));
    let form = if target.ends_with(".md") { Form::Markdown } else { Form::Html };
    let text = of_folder(&args.folder, form, args.redact)?;
    session.outputs().plan_once(Role::Report, &target)?;
    session.outputs().write(&target, text.as_bytes())?;
    let found =
        Reported { folder: args.folder.clone(), written: target, bytes: text.len(), redacted: args.redact };
    output.answer("report", &found, show)?;
    Ok(0)
}

fn show(reported: &Reported, page: &mut Page) {
    let what = if reported.redacted { ", without texts of customers" } else { "" };
    page.written(&reported.written, &format!(" ({} KB){what}", reported.bytes.div_ceil(1024)));
}
