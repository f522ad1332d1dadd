//! Heddle: from starred reviews to explained predictions.

mod args;
mod commands;
mod complete;
mod habits;
mod output;
mod progress;
mod reporting;
mod signals;
mod touched;
mod view;

use std::io::Write;
use std::process::ExitCode;
use std::sync::Arc;

use clap::{CommandFactory, Parser};
use clap_complete::CompleteEnv;
use heddle_work::Session;

use crate::args::{Arguments, Command};
use crate::commands::drift::Alarm;
use crate::commands::renew::NotTaken;
use crate::habits::Habits;
use crate::output::{Output, is_closed_pipe};
use crate::progress::Progress;

/// Some rows were refused; everything else was done.
const SOME_REFUSED: u8 = 3;
/// Drift was found, and an alarm was asked for; all was told.
const DRIFT_FOUND: u8 = 4;
/// A model was learnt anew and did not take the place of the old one; why was told.
const NOT_TAKEN: u8 = 5;

fn main() -> ExitCode {
    CompleteEnv::with_factory(Arguments::command).complete(); // a shell that asks what may come ends here
    let arguments = Arguments::parse(); // wrong usage ends here, with code 2
    if !matches!(arguments.command, Command::Serve(_)) {
        signals::listen(); // a server ends in good order, and listens itself
    }
    signals::tell_faults();
    match work(&arguments) {
        Ok(0) => ExitCode::SUCCESS,
        Ok(_) => ExitCode::from(SOME_REFUSED),
        Err(error) if is_closed_pipe(&error) => ExitCode::SUCCESS,
        Err(error) if error.is::<Alarm>() => ExitCode::from(DRIFT_FOUND),
        Err(error) if error.is::<NotTaken>() => ExitCode::from(NOT_TAKEN),
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
    let common = &arguments.common;
    let habits = Habits::read()?;
    habits.colour.apply();
    if let Some(threads) = common.threads.or(habits.threads) {
        rayon::ThreadPoolBuilder::new().num_threads(threads.into()).build_global()?;
    }
    let progress = Arc::new(Progress::new(common.telling()));
    let session = Session::new(common.session(arguments.settings(), &habits), Arc::clone(&progress) as _)?;
    touched::plan(&session, arguments)?;
    let output = Output::new((common.json, common.quiet), &session);
    let done = command(arguments, &session, &output).and_then(|refused| {
        session.commit()?;
        Ok(refused)
    });
    // An alarm is an end like others, and a failure may come after hours.
    progress.tell_stages();
    done
}

fn command(arguments: &Arguments, session: &Session, output: &Output) -> anyhow::Result<usize> {
    match &arguments.command {
        Command::Demo(args) => commands::demo::run(args, session, output),
        Command::Survey(args) => commands::survey::run(args, session, output),
        Command::Label(args) => commands::label::run(args, session, output),
        Command::Sample(args) => commands::sample::run(args, session, output),
        Command::Split(args) => commands::split::run(args, session, output),
        Command::Balance(args) => commands::balance::run(args, session, output),
        Command::Copies(args) => commands::copies::run(args, session, output),
        Command::Tokens(args) => commands::tokens::run(args, session, output),
        Command::Terms(args) => commands::terms::run(args, session, output),
        Command::Train(args) => commands::train::run(args, session, output),
        Command::Rounds(args) => commands::rounds::run(args, session, output),
        Command::Validate(args) => commands::validate::run(args, session, output),
        Command::Tune(args) => commands::tune::run(args, session, output),
        Command::Compare(args) => commands::compare::run(args, session, output),
        Command::Assess(args) => commands::assess::run(args, session, output),
        Command::Score(args) => commands::score::run(args, session, output),
        Command::Doubts(args) => commands::doubts::run(args, session, output),
        Command::Serve(args) => commands::serve::run(args, session, output),
        Command::Drift(args) => commands::drift::run(args, session, output),
        Command::Effects(args) => commands::effects::run(args, session, output),
        Command::Growth(args) => commands::growth::run(args, session, output),
        Command::Clusters(args) => commands::clusters::run(args, session, output),
        Command::Renew(args) => commands::renew::run(args, session, output),
        Command::Drivers(args) => commands::drivers::run(args, session, output),
        Command::Explain(args) => commands::explain::run(args, session, output),
        Command::Probe(args) => commands::probe::run(args, session, output),
        Command::Inspect(args) => commands::inspect::run(args, session, output),
        Command::Report(args) => commands::report::run(args, session, output),
        Command::Run(args) => commands::run::run(args, session, output),
        Command::Ledger(args) => commands::ledger::run(args, session, output),
        Command::Study(args) => commands::study::run(args, session, output),
        Command::System(args) => commands::system::run(args, session, output),
        Command::Shell(args) => commands::shell::run(args, session),
    }
}
