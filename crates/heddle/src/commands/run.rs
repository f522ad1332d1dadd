//! The whole work of a study.

use heddle_work::{RunOptions, Session, run as run_study};

use crate::args::RunArgs;
use crate::output::Output;
use crate::reporting::{page_of, place_in};
use crate::view::ran::show;
use crate::view::short::next_steps;

/// Runs a study and shows what it found.
pub fn run(args: &RunArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = RunOptions {
        files: args.files.files.clone(),
        folder: args.out.clone(),
        replace: args.replace,
        learning_curve: args.learning_curve,
        reporter: Some(page_of),
        remedy: "name another folder with --out, or say --replace to put this run in its place".into(),
    };
    let ran = run_study(session, &options)?;
    output.answer("run", &ran, |ran, page| {
        show(ran, page);
        page.line(format!("  To hand over: {}", place_in(&ran.folder)));
        next_steps(page, &ran.judgement.next);
    })?;
    Ok(ran.split.refused())
}
