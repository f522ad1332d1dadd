//! What a shell needs: completions and manual pages.

use std::io::{self, Write};
use std::path::Path;

use anyhow::Context;
use clap::CommandFactory;
use clap_complete::env::Shells;
use heddle_work::Session;

use crate::args::{Arguments, ShellArgs, ShellView};
use crate::output::remark;

/// Prints a completion script or the manual, or writes all pages of it.
pub fn run(args: &ShellArgs, session: &Session) -> anyhow::Result<usize> {
    match &args.view {
        ShellView::Completions { shell } => completions(shell)?,
        ShellView::Manual { out: None } => {
            let mut page = Vec::new();
            clap_mangen::Man::new(command()).render(&mut page)?;
            io::stdout().lock().write_all(&page)?;
        }
        ShellView::Manual { out: Some(folder) } => pages(Path::new(folder), session)?,
    }
    Ok(0)
}

/// The script that makes a shell ask this program what may come.
fn completions(shell: &str) -> anyhow::Result<()> {
    let shells = Shells::builtins();
    let Some(completer) = shells.completer(shell) else {
        let known: Vec<&str> = shells.names().collect();
        anyhow::bail!("there are no completions for {shell}; name one of {}", known.join(", "));
    };
    let mut script = Vec::new();
    completer.write_registration("COMPLETE", "heddle", "heddle", "heddle", &mut script)?;
    Ok(io::stdout().lock().write_all(&script)?)
}

fn command() -> clap::Command {
    Arguments::command()
}

/// A page for the program and one for each command.
fn pages(folder: &Path, session: &Session) -> anyhow::Result<()> {
    std::fs::create_dir_all(folder).with_context(|| format!("{} cannot be made", folder.display()))?;
    let mut whole = command();
    whole.build();
    let commands = whole.get_subcommands().filter(|one| one.get_name() != "help").cloned();
    let mut written = 0;
    for command in [whole.clone()].into_iter().chain(commands) {
        let name = command.get_display_name().unwrap_or(command.get_name()).to_string();
        let mut page = Vec::new();
        clap_mangen::Man::new(command).render(&mut page)?;
        let path = folder.join(format!("{name}.1")).display().to_string();
        session.outputs().plan(heddle_files::Role::Page, &path)?;
        session.outputs().write(&path, &page)?;
        written += 1;
    }
    session.commit()?;
    remark(&format!(
        "Written: {written} pages in {}; read one with: man {}/heddle.1",
        folder.display(),
        folder.display()
    ));
    Ok(())
}
