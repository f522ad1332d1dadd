//! Why a review gets its verdict.

mod picture;

use std::io::{self, BufRead, IsTerminal};

use anyhow::bail;
use heddle_files::Role;
use heddle_work::{ExplainOptions, Filter, Session, explain};
use rustyline::DefaultEditor;
use rustyline::error::ReadlineError;

use crate::args::ExplainArgs;
use crate::output::Output;
use crate::view::explained::{Shown, show};
use crate::view::report::{Form, explained as explained_page, written};

/// Explains texts, clause by clause and term by term. Where none is named, lines of standard input are texts; a
/// terminal is asked for them one by one.
pub fn run(args: &ExplainArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let mut options = options(args);
    if args.texts.file.is_none() && args.texts.text.is_empty() {
        if io::stdin().is_terminal() {
            return ask(args, options, session, output);
        }
        let lines = io::stdin().lock().lines().collect::<io::Result<Vec<_>>>()?;
        options.texts.texts = lines.into_iter().filter(|line| !line.trim().is_empty()).collect();
    }
    answer(args, &options, session, output)?;
    Ok(0)
}

/// Whether an output is a page to be read, and no rows.
pub fn is_page(path: &str) -> bool {
    path.ends_with(".html") || path.ends_with(".md")
}

fn options(args: &ExplainArgs) -> ExplainOptions {
    let ExplainArgs { mistakes, nearest, class, slice, .. } = args;
    let (class, slice) = (class.clone(), slice.clone());
    ExplainOptions {
        model: args.model.clone(),
        texts: args.texts.options(),
        filter: Filter { mistakes: *mistakes, nearest: *nearest, class, slice },
        most: args.most,
        words: args.top,
        faithfulness: args.faithfulness,
        alike: args.alike.clone(),
        out: args.out.clone(),
        levels: args.level.clone(),
    }
}

fn answer(
    args: &ExplainArgs,
    options: &ExplainOptions,
    session: &Session,
    output: &Output,
) -> anyhow::Result<()> {
    let page = options.out.clone().filter(|path| is_page(path));
    let options =
        ExplainOptions { out: options.out.clone().filter(|path| !is_page(path)), ..options.clone() };
    let mut explained = explain(session, &options)?;
    if let Some(path) = page {
        let form = if path.ends_with(".md") { Form::Markdown } else { Form::Html };
        session.outputs().plan_once(Role::Report, &path)?;
        session.outputs().write(&path, written(&explained_page(&explained, args.top), form).as_bytes())?;
        explained.written = Some((path, explained.texts.len()));
    }
    if let Some(path) = &args.picture {
        picture::scene(&explained).write(session.outputs(), path)?;
        explained.picture = Some(path.clone());
    }
    output.answer("explain", &explained, |explained, page| {
        show(explained, Shown { top: args.top, factors: args.factors }, page);
    })
}

/// Asks for one sentence after the other, until an empty line or the end of the input.
fn ask(
    args: &ExplainArgs,
    mut options: ExplainOptions,
    session: &Session,
    output: &Output,
) -> anyhow::Result<usize> {
    if args.out.is_some() || args.picture.is_some() {
        bail!(
            "--out and --picture are for texts that are named: with --text, as rows of a file, or through a pipe"
        );
    }
    let mut editor = DefaultEditor::new()?;
    loop {
        let line = match editor.readline("a sentence, or nothing to end: ") {
            Ok(line) => line,
            Err(ReadlineError::Eof | ReadlineError::Interrupted) => break,
            Err(error) => return Err(error.into()),
        };
        if line.trim().is_empty() {
            break;
        }
        editor.add_history_entry(&line)?;
        options.texts.texts = vec![line];
        answer(args, &options, session, output)?;
    }
    Ok(0)
}
