//! How good a model would be on reviews it has not seen.

mod page;
mod picture;

use heddle_work::{Session, ValidateOptions, Validated, validate};

use crate::args::ValidateArgs;
use crate::output::Output;
use crate::view::picture::overview;

/// Cross-validates, shows the figures, and draws them if asked.
pub fn run(args: &ValidateArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = ValidateOptions {
        files: args.files.files.clone(),
        out: args.out.clone(),
        learning_curve: args.learning_curve,
        budget: args.budget.map(|budget| budget as usize),
    };
    let mut validated = validate(session, &options)?;
    if let (Some(path), Some(beside)) = (&args.picture, &validated.beside) {
        picture::scene(&validated, beside).write(session.outputs(), path)?;
        validated.picture = Some(path.clone());
    }
    if let Some(path) = &args.overview {
        let judged = "By models that had not seen them.";
        let Validated { validation, account, .. } = &validated;
        overview::scene(&validation.figures, &validation.baseline.accuracy, &account.names, judged)
            .write(session.outputs(), path)?;
        validated.overview = Some(path.clone());
    }
    output.answer("validate", &validated, page::show)?;
    Ok(validated.account.refused)
}
