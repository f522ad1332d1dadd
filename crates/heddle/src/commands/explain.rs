//! Why a review gets its verdict.

use heddle_work::{ExplainOptions, Session, explain};

use crate::args::ExplainArgs;
use crate::output::Output;
use crate::view::explained::{Shown, show};

/// Explains texts, clause by clause and term by term.
pub fn run(args: &ExplainArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = ExplainOptions { model: args.model.clone(), texts: args.texts.options(), words: args.top };
    let explained = explain(session, &options)?;
    output.answer("explain", &explained, |explained, page| {
        show(explained, Shown { top: args.top, factors: args.factors }, page);
    })?;
    Ok(0)
}
