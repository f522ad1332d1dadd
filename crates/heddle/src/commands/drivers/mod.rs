//! What customers complain about, and what they praise.

mod page;
mod picture;

use heddle_work::{Driven, DriversOptions, Session, drivers};

use crate::args::DriversArgs;
use crate::output::Output;

/// Finds themes and shows what they do.
pub fn run(args: &DriversArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let DriversArgs { files, top, quotes, names, out, picture, .. } = args;
    let options = DriversOptions {
        files: files.files.clone(),
        most: *top,
        quotes: *quotes,
        names: names.clone(),
        out: out.clone(),
    };
    let mut driven: Driven = drivers(session, &options)?;
    if let Some(path) = picture {
        picture::scene(&driven).write(session.outputs(), path)?;
        driven.picture = Some(path.clone());
    }
    output.answer("drivers", &driven, page::show)?;
    Ok(driven.account.refused)
}
