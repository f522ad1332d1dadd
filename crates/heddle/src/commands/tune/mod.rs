//! Many settings on the same folds, ranked.

mod page;
mod picture;

use heddle_work::{Session, TuneOptions, measure, tune};

use crate::args::TuneArgs;
use crate::output::Output;

/// Tries settings, shows them in order, and draws them if asked.
pub fn run(args: &TuneArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = TuneOptions {
        files: args.files.files.clone(),
        vary: args.varied.vary.clone(),
        draws: args.draws,
        halving: args.halving,
        nested: args.nested,
        by: measure(&args.by)?,
        margin: args.margin,
        out: args.out.clone(),
        minutes: args.minutes,
        write_study: args.write_study.clone(),
    };
    let mut tuned = tune(session, &options)?;
    if let Some(path) = &args.picture {
        picture::scene(&tuned).write(session.outputs(), path)?;
        tuned.picture = Some(path.clone());
    }
    output.answer("tune", &tuned, |tuned, page| page::show(tuned, args.top, page))?;
    Ok(tuned.account.refused)
}
