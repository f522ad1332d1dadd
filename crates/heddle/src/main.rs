//! Heddle: from starred reviews to explained predictions.

mod args;
mod commands;
mod desk;
mod intake;
mod labelling;
mod locked;
mod noted;
mod refusals;
mod signals;
mod view;

use std::io::Write;
use std::process::ExitCode;

use clap::Parser;

use crate::args::{Arguments, Command};
use crate::desk::{Desk, is_closed_pipe};

/// Some rows were refused; everything else was done.
const SOME_REFUSED: u8 = 3;

fn main() -> ExitCode {
    let arguments = Arguments::parse(); // wrong usage ends here, with code 2
    signals::listen();
    signals::tell_faults();
    match work(&arguments) {
        Ok(0) => ExitCode::SUCCESS,
        Ok(_) => ExitCode::from(SOME_REFUSED),
        Err(error) if is_closed_pipe(&error) => ExitCode::SUCCESS,
        Err(error) => {
            let told = format!("{error:#}");
            let told = view::shown::visible(&told);
            // Nobody is left to tell if this fails.
            let _ = writeln!(
                anstream::stderr(),
                "{}error:{} {told}",
                view::BAD.render(),
                view::BAD.render_reset()
            );
            ExitCode::FAILURE
        }
    }
}

/// Does what was asked; gives the number of refused rows.
fn work(arguments: &Arguments) -> anyhow::Result<usize> {
    let desk = Desk::new(&arguments.common)?;
    desk.plan(arguments)?;
    let refused = command(arguments, &desk)?;
    desk.commit()?;
    Ok(refused)
}

fn command(arguments: &Arguments, desk: &Desk) -> anyhow::Result<usize> {
    match &arguments.command {
        Command::Demo(args) => commands::demo::run(args, desk),
        Command::Survey(args) => commands::survey::run(args, desk),
        Command::Label(args) => commands::label::run(args, desk),
        Command::Sample(args) => commands::sample::run(args, desk),
        Command::Split(args) => commands::split::run(args, desk),
        Command::Balance(args) => commands::balance::run(args, desk),
        Command::Tokens(args) => commands::tokens::run(args, desk),
        Command::Terms(args) => commands::terms::run(args, desk),
        Command::Train(args) => commands::train::run(args, desk),
        Command::Validate(args) => commands::validate::run(args, desk),
        Command::Tune(args) => commands::tune::run(args, desk),
        Command::Compare(args) => commands::compare::run(args, desk),
        Command::Assess(args) => commands::assess::run(args, desk),
        Command::Score(args) => commands::score::run(args, desk),
        Command::Explain(args) => commands::explain::run(args, desk),
        Command::Run(args) => commands::run::run(args, desk),
        Command::Ledger(args) => commands::ledger::run(args, desk),
        Command::Study(args) => commands::study::run(args, desk),
    }
}
