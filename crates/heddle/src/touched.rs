//! What a call reads and writes.

use heddle_files::{Role, RoundFile, STREAM, is_standard};
use heddle_work::Session;
use heddle_work::roles::{
    ASSESSED, CHANGED, CLUSTERED, COPIES, COUNTS, DOUBTS, EXPLAINED, FIRST, HELD_OUT, PLACES, PROBED, READ,
    REFUSED, SCORED, TERMS, THEMES, WEIGHTS,
};

use crate::args::{Arguments, Command, RoundsStep};
use crate::commands::explain::is_page;

/// The files that a call names.
#[derive(Default)]
struct Touched<'a> {
    /// Files other than reviews that are read; reviews are noted where they are gathered.
    reads: Vec<&'a str>,
    /// Files that are written, and what they are to be.
    writes: Vec<(Role, &'a str)>,
    /// Files that grow by lines.
    appends: Vec<(Role, &'a str)>,
}

/// Holds everything that a call will write against everything that it reads, and against what is
/// there, before any work is done.
pub fn plan(session: &Session, arguments: &Arguments) -> anyhow::Result<()> {
    let Touched { reads, writes, appends } = arguments.touched();
    let outputs = session.outputs();
    if arguments.common.json && writes.iter().any(|(_, path)| is_standard(path)) {
        anyhow::bail!(
            "--json and the data both go to standard output; say where the data go, as in --out scored.csv"
        );
    }
    writes.into_iter().try_for_each(|(role, path)| outputs.plan(role, path))?;
    appends.into_iter().try_for_each(|(role, path)| outputs.appends(role, path))?;
    // Study and lists were read to get here; reviews are noted where they are gathered.
    Ok(reads.into_iter().chain(session.study_and_lists()).try_for_each(|path| outputs.reads(path))?)
}

impl Arguments {
    /// The files of this call.
    fn touched(&self) -> Touched<'_> {
        let mut touched = Touched::default();
        let Touched { reads, writes, appends } = &mut touched;
        writes.extend(of(REFUSED, &self.common.refused));
        appends.extend(of(Role::Ledger, &self.common.ledger).filter(|(_, path)| *path != "none"));
        match &self.command {
            Command::Survey(args) => writes.extend(of(Role::Study, &args.write_study)),
            Command::Label(args) => {
                reads.extend(args.ratings.as_deref().into_iter().chain(args.corrections.as_deref()));
                writes.extend(of(Role::Part, &args.out));
            }
            Command::Sample(args) => writes.push((Role::Part, &args.out)),
            Command::Split(args) => {
                writes.extend([(Role::Part, args.training.as_str()), (Role::Part, &args.holdout)]);
                writes.extend(of(Role::Part, &args.development));
            }
            Command::Balance(args) => writes.extend(of(Role::Part, &args.out)),
            Command::Copies(args) => writes.push((COPIES, &args.out)),
            Command::Tokens(args) => {
                reads.extend(args.model.as_deref());
                writes.extend(of(READ, &args.out));
            }
            Command::Terms(args) => {
                reads.extend(args.model.as_deref());
                reads.extend(args.merge.iter().map(String::as_str));
                writes.extend(of(if !args.find.is_empty() { PLACES } else { TERMS }, &args.out));
                let matrix = args.matrix.as_ref().is_some_and(|path| path.ends_with(".mtx"));
                writes.extend(of(if matrix { Role::Matrix } else { WEIGHTS }, &args.matrix));
                writes.extend(of(COUNTS, &args.counts_out));
                writes.extend(of(Role::Picture, &args.picture));
            }
            Command::Train(args) => {
                reads.extend(args.counts.iter().map(String::as_str));
                writes.push((Role::Model, &args.out));
            }
            Command::Rounds(args) => match &args.step {
                RoundsStep::Rows { out, .. } => writes.push((Role::Round(RoundFile::Rows), out)),
                RoundsStep::Answer { rows, question, pulls, out, pulls_out, .. } => {
                    reads.extend([rows.as_str(), question].into_iter().chain(pulls.as_deref()));
                    writes.push((Role::Round(RoundFile::Answer), out));
                    writes.extend(of(Role::Round(RoundFile::Pulls), pulls_out));
                }
                RoundsStep::Next { answers, state, question, out, .. } => {
                    reads.extend(answers.iter().map(String::as_str));
                    appends.push((Role::Round(RoundFile::Known), state));
                    writes
                        .extend([(Role::Round(RoundFile::Question), question.as_str()), (Role::Model, out)]);
                }
            },
            Command::Validate(args) => {
                writes.extend(of(HELD_OUT, &args.out));
                writes.extend(of(Role::Picture, &args.picture));
                writes.extend(of(Role::Picture, &args.overview));
            }
            Command::Tune(args) => {
                appends.push((Role::Runs, &args.out));
                writes.extend(of(Role::Picture, &args.picture));
                writes.extend(of(Role::Study, &args.write_study));
            }
            Command::Compare(args) => {
                reads.extend(args.with.iter().map(String::as_str));
                writes.extend(of(CHANGED, &args.changed));
            }
            Command::Assess(args) => {
                reads.push(&args.model);
                writes.extend(of(ASSESSED, &args.out));
                writes.extend(of(Role::Picture, &args.overview));
            }
            Command::Score(args) => {
                reads.push(&args.model);
                writes.push((SCORED, args.out.as_deref().unwrap_or(STREAM)));
            }
            Command::Doubts(args) => {
                reads.extend(args.known.as_deref());
                writes.extend(of(DOUBTS, &args.out));
            }
            Command::Serve(args) => {
                reads.push(&args.model);
                reads.extend(args.token_file.as_deref());
            }
            Command::Drift(args) => {
                reads.push(&args.model);
                writes.extend(of(FIRST, &args.out));
                writes.extend(of(Role::Picture, &args.picture));
            }
            // The model is read, and may be replaced: its place is planned where that is decided.
            Command::Renew(args) => writes.extend(of(CHANGED, &args.changed)),
            Command::Clusters(args) => writes.extend(of(CLUSTERED, &args.out)),
            Command::Effects(args) => writes.extend(of(Role::Picture, &args.picture)),
            Command::Drivers(args) => {
                reads.extend(args.names.as_deref());
                writes.extend(of(THEMES, &args.out));
                writes.extend(of(Role::Picture, &args.picture));
                writes.extend(of(Role::Picture, &args.words));
            }
            Command::Explain(args) => {
                reads.push(&args.model);
                reads.extend(args.alike.as_deref());
                let page = args.out.as_ref().is_some_and(|path| is_page(path));
                writes.extend(of(if page { Role::Report } else { EXPLAINED }, &args.out));
                writes.extend(of(Role::Picture, &args.picture));
            }
            Command::Probe(args) => {
                reads.push(&args.model);
                reads.extend(args.suite.as_deref().into_iter().chain(args.against.as_deref()));
                writes.extend(of(PROBED, &args.out));
            }
            Command::Inspect(args) => {
                reads.push(&args.model);
                writes.extend(of(Role::Report, &args.out));
            }
            // Where it goes is planned where it is written: beside what it is read from.
            Command::Report(_) => {}
            // Their folders are staged whole.
            Command::Demo(_) | Command::Run(_) => {}
            Command::Growth(_) | Command::Ledger(_) | Command::Study(_) | Command::Shell(_) => {}
            Command::System(_) => {}
        }
        touched
    }
}

fn of(role: Role, path: &Option<String>) -> impl Iterator<Item = (Role, &str)> {
    path.iter().map(move |path| (role, path.as_str()))
}
