//! The terms of reviews, or of a model.

mod model;
mod page;
mod picture;

use anyhow::bail;
use heddle_work::{ModelTermsOptions, Session, TermsOptions, model_terms, terms};

use crate::args::TermsArgs;
use crate::output::Output;

/// Shows the terms, and draws how many there are if asked.
pub fn run(args: &TermsArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    if let Some(path) = &args.model {
        return of_model(path, args, session, output);
    }
    let TermsArgs {
        files, top, row, id, line, find, grid, alike, like, out, matrix, counts_out, merge, ..
    } = args;
    if *alike && row.is_empty() && id.is_empty() && line.is_empty() {
        bail!("--alike looks for reviews like one: name it with --row, --id or --line");
    }
    let options = TermsOptions {
        files: files.files.clone(),
        top: *top,
        rows: row.clone(),
        alike: *alike,
        lines: line.clone(),
        ids: id.clone(),
        grid: grid.iter().map(|term| term.trim().to_string()).collect(),
        find: find.clone(),
        like: like.clone(),
        out: out.clone(),
        matrix: matrix.clone(),
        counts_out: counts_out.clone(),
        merge: merge.clone(),
    };
    let mut terms = terms(session, &options)?;
    if let Some(path) = &args.picture {
        picture::scene(&terms.bands, terms.reviews, session.study()).write(session.outputs(), path)?;
        terms.picture = Some(path.clone());
    }
    output.answer("terms", &terms, page::show)?;
    Ok(terms.account.refused)
}

fn of_model(path: &str, args: &TermsArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let one = !(args.row.is_empty() && args.id.is_empty() && args.line.is_empty());
    let phrase = !(args.find.is_empty() && args.grid.is_empty());
    let of_reviews = one || phrase || args.like.is_some() || args.picture.is_some() || args.matrix.is_some();
    if of_reviews {
        bail!(
            "--row, --id, --line, --find, --grid, --like, --matrix and --picture look at reviews: leave --model out (`heddle explain` shows a review's terms in a model)"
        );
    }
    let options = ModelTermsOptions {
        model: path.into(),
        files: args.files.files.clone(),
        top: args.top,
        out: args.out.clone(),
    };
    let terms = model_terms(session, &options)?;
    output.answer("terms", &terms, model::show)?;
    Ok(terms.coverage.map_or(0, |known| known.refused))
}
