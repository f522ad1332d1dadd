//! What customers complain about, and what they praise.

mod page;

use heddle_work::{Driven, Driver, DriversOptions, Session, drivers};

use crate::args::DriversArgs;
use crate::output::Output;
use crate::view::picture::themes::{Theme, Themes};
use crate::view::picture::{themes, words};

/// Finds themes and shows what they do.
pub fn run(args: &DriversArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let DriversArgs { files, top, quotes, names, out, picture, words: words_picture, .. } = args;
    let options = DriversOptions {
        files: files.files.clone(),
        most: *top,
        quotes: *quotes,
        names: names.clone(),
        out: out.clone(),
    };
    let mut driven: Driven = drivers(session, &options)?;
    if let Some(path) = picture {
        themes::scene(&drawn(&driven)).write(session.outputs(), path)?;
        driven.picture = Some(path.clone());
    }
    if let Some(path) = words_picture {
        words::scene(&drawn(&driven)).write(session.outputs(), path)?;
        driven.picture_of_words = Some(path.clone());
    }
    output.answer("drivers", &driven, page::show)?;
    Ok(driven.account.refused)
}

/// The themes as they are drawn.
fn drawn(driven: &Driven) -> Themes {
    let theme = |own: &Driver| Theme {
        name: own.theme.name.clone(),
        class: own.theme.class,
        with: own.theme.with,
        words: own.theme.words.iter().map(|own| (own.word.clone(), own.score)).collect(),
    };
    Themes {
        names: driven.account.names.clone(),
        labelled: driven.account.labelled(),
        negative: driven.negative,
        themes: driven.themes.iter().map(theme).collect(),
    }
}
