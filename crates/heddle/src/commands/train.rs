//! Learning a model.

use heddle_work::{Checkpoints, Session, TrainOptions, train};

use crate::args::TrainArgs;
use crate::output::Output;
use crate::view::learnt::show;

/// Learns a model and shows what was learnt.
pub fn run(args: &TrainArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = TrainOptions {
        files: args.files.files.clone(),
        out: args.out.clone(),
        validate: args.validate,
        top: args.top,
        counts: args.counts.clone(),
        checkpoints: args
            .checkpoint
            .clone()
            .map(|path| Checkpoints { path, every: args.checkpoint_rows as usize }),
    };
    let trained = train(session, &options)?;
    output.answer("train", &trained, show)?;
    Ok(trained.account.refused)
}
