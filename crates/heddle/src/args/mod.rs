//! What can be asked.

mod columns;
mod models;
mod reviews;
mod rounds;
mod serve;
mod shell;

use clap::{Args, Parser, Subcommand};
use clap_complete::engine::ArgValueCompleter;
use heddle_work::{LedgerPlace, SessionOptions, USUAL_STUDY};

use crate::complete;
use crate::habits::Habits;
use crate::progress::Telling;
use columns::{ColumnArgs, RowArgs};
pub use models::{
    AssessArgs, ClustersArgs, CompareArgs, DoubtsArgs, DriftArgs, DriversArgs, EffectsArgs, ExplainArgs,
    GrowthArgs, InspectArgs, ProbeArgs, RenewArgs, ReportArgs, RunArgs, ScoreArgs, TrainArgs, TuneArgs,
    ValidateArgs,
};
pub use reviews::{
    BalanceArgs, CopiesArgs, DemoArgs, LabelArgs, LedgerArgs, SampleArgs, SplitArgs, SurveyArgs, TermsArgs,
    TokensArgs,
};
pub use rounds::{RoundsArgs, RoundsStep};
pub use serve::ServeArgs;
pub use shell::{ShellArgs, ShellView, StudyArgs, StudyView, SystemArgs};

/// From starred reviews to explained predictions.
///
/// Heddle turns star ratings into polarity labels, learns which words speak for each, tells
/// how far its figures can be trusted, and explains every verdict to the last digit.
/// Offline, in seconds.
#[derive(Debug, Parser)]
#[command(
    name = "heddle",
    version,
    max_term_width = 100,
    after_help = "Begin here:\n  heddle demo                       the whole work on made-up reviews\n  heddle survey reviews.csv         what is in a file of yours\n  heddle train reviews.csv --text comment --out m.heddle\n\nExit codes: 0 done, 1 failed, 2 wrong usage, 3 done but some rows were refused, 4 drift was found (drift --alarm), 5 a new model did not take over (renew)."
)]
pub struct Arguments {
    #[command(flatten)]
    pub common: Common,
    #[command(subcommand)]
    pub command: Command,
}

/// Options of every command.
#[derive(Debug, Args)]
pub struct Common {
    /// The study: settings in TOML [default: study.toml, where there is one]
    #[arg(long, global = true, value_name = "FILE", help_heading = "Settings")]
    pub study: Option<String>,
    /// Override one setting, as in --set model.strength=0.001; may be repeated
    #[arg(long, global = true, value_name = "SECTION.KEY=VALUE", help_heading = "Settings", add = ArgValueCompleter::new(complete::settings))]
    pub set: Vec<String>,
    /// Use this many threads; results do not depend on it [default: all cores]
    #[arg(long, global = true, value_name = "N", help_heading = "Settings", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub threads: Option<u16>,
    /// Keep every refused row in this file, with its place and reason
    #[arg(long, global = true, value_name = "FILE", help_heading = "Settings")]
    pub refused: Option<String>,
    /// Note figures in this file, a line a time [default: ledger.jsonl beside the model or in
    /// the run folder; "none" for nowhere]
    #[arg(long, global = true, value_name = "FILE", help_heading = "Settings")]
    pub ledger: Option<String>,
    /// Replace files even if Heddle did not write them
    #[arg(long, global = true, help_heading = "Settings")]
    pub force: bool,
    /// Put an apostrophe before cells of .csv and .tsv that a spreadsheet would take as formulas
    #[arg(long, global = true, help_heading = "Settings")]
    pub safe_cells: bool,
    /// Say nothing beside the answer but warnings and refused rows
    #[arg(short, long, global = true, help_heading = "Settings", conflicts_with = "verbose")]
    pub quiet: bool,
    /// Say what is being done, and at the end how long each stage took
    #[arg(short, long, global = true, help_heading = "Settings")]
    pub verbose: bool,
    /// Print one JSON object instead of tables (docs/json.md)
    #[arg(long, global = true, help_heading = "Settings")]
    pub json: bool,
}

impl Common {
    /// How much is told beside the answer.
    pub fn telling(&self) -> Telling {
        match (self.quiet, self.verbose) {
            (true, _) => Telling::Warnings,
            (_, true) => Telling::Stages,
            _ => Telling::Usual,
        }
    }

    /// How the session begins.
    pub fn session(&self, set: Vec<String>, habits: &Habits) -> SessionOptions {
        let usual = [Some(USUAL_STUDY.to_string()), habits.study.clone()];
        SessionOptions {
            study: self.study.clone(),
            usual_studies: usual.into_iter().flatten().collect(),
            set,
            refused: self.refused.clone(),
            ledger: match self.ledger.as_deref().or(habits.ledger.as_deref()) {
                None => LedgerPlace::Usual,
                Some("none") => LedgerPlace::Nowhere,
                Some(path) => LedgerPlace::File(path.into()),
            },
            force: self.force,
            safe_cells: self.safe_cells,
        }
    }
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Unpack made-up reviews into a folder and do the whole work on them
    Demo(DemoArgs),
    /// Show what is in a review file: columns, ratings, texts, repeats
    Survey(SurveyArgs),
    /// Turn ratings into classes and show what became of every value
    Label(LabelArgs),
    /// Draw some of the rows of a large file, each rating in its share
    Sample(SampleArgs),
    /// Divide reviews into a training part and a locked holdout
    Split(SplitArgs),
    /// Show what balancing would do to the classes; write a balanced training file
    Balance(BalanceArgs),
    /// Say reviews again in other words, to learn from beside them: by a command of your own, or a small way of ours
    Copies(CopiesArgs),
    /// Show how a text is read: tokens, negation scopes, terms
    Tokens(TokensArgs),
    /// Show the terms of reviews or of a model: which are kept, which tell most, where they stand
    Terms(TermsArgs),
    /// Learn a model from labelled reviews
    Train(TrainArgs),
    /// Learn a model in rounds, from labelled reviews that lie in many places
    Rounds(RoundsArgs),
    /// Tell how good a model would be on reviews it has not seen
    Validate(ValidateArgs),
    /// Tell how many reviews of large files are enough: learn from more and more of them
    Growth(GrowthArgs),
    /// Try many settings on the same folds and rank them
    Tune(TuneArgs),
    /// Hold settings, studies or models against each other, on the same reviews
    Compare(CompareArgs),
    /// Try a model on a holdout, beside its cross-validated figures
    Assess(AssessArgs),
    /// Give new reviews a class and probabilities, row by row
    Score(ScoreArgs),
    /// Answer over HTTP: score and explain reviews for other programs, and a page for people
    Serve(ServeArgs),
    /// Tell whether new reviews are still like those that a model was learnt from: words, lengths, scores, themes
    Drift(DriftArgs),
    /// Learn a model anew with reviews that came since; it takes the place of the old one where it is no worse
    Renew(RenewArgs),
    /// Show what customers complain about and what they praise: themes, where and when, in their words
    Drivers(DriversArgs),
    /// Show which reviews say like things: clusters, their words and their mix of classes
    Clusters(ClustersArgs),
    /// Show what columns beside the text add at the same text: channel, time of day, price
    Effects(EffectsArgs),
    /// Show labels that the words contradict, to be corrected
    Doubts(DoubtsArgs),
    /// Show why a review gets its verdict, clause by clause
    Explain(ExplainArgs),
    /// Try a model on sentences whose meaning is known: negation, contrast, hedges
    Probe(ProbeArgs),
    /// Do the whole work of a study: label, split, validate, train, assess, explain
    Run(RunArgs),
    /// Show the card of a model: what it was learnt from, how good it is, what it does not do well
    Inspect(InspectArgs),
    /// Write the report of a run, to be handed over: one page of HTML, or Markdown
    Report(ReportArgs),
    /// List the figures that were noted, the best first
    Ledger(LedgerArgs),
    /// Show the settings in force, or their schema
    Study(StudyArgs),
    /// Show what the program finds around it, for a report of a fault: machine, threads, terminal, files
    System(SystemArgs),
    /// Print what a shell needs: completions, pages of the manual
    Shell(ShellArgs),
}

impl Arguments {
    /// The settings that this call changes: those of columns first, so that `--set` has the last word.
    pub fn settings(&self) -> Vec<String> {
        let (columns, rows) = match &self.command {
            Command::Survey(args) => (Some(&args.columns), Some(&args.row)),
            Command::Label(args) => (Some(&args.columns), Some(&args.row)),
            Command::Sample(args) => (Some(&args.columns), None),
            Command::Split(args) => (Some(&args.columns), Some(&args.row)),
            Command::Balance(args) => (Some(&args.columns), None),
            Command::Copies(args) => (Some(&args.columns), Some(&args.row)),
            Command::Terms(args) => (Some(&args.columns), None),
            Command::Train(args) => (Some(&args.columns), Some(&args.row)),
            Command::Rounds(args) => match &args.step {
                RoundsStep::Rows { columns, row, .. } => (Some(columns), Some(row)),
                RoundsStep::Answer { columns, .. } | RoundsStep::Next { columns, .. } => {
                    (Some(columns), None)
                }
            },
            Command::Drivers(args) => (Some(&args.columns), Some(&args.row)),
            Command::Drift(args) => (Some(&args.columns), Some(&args.row)),
            Command::Renew(args) => (Some(&args.columns), Some(&args.row)),
            Command::Clusters(args) => (Some(&args.columns), Some(&args.row)),
            Command::Effects(args) => (Some(&args.columns), Some(&args.row)),
            Command::Doubts(args) => (Some(&args.columns), Some(&args.row)),
            Command::Validate(args) => (Some(&args.columns), Some(&args.row)),
            Command::Growth(args) => (Some(&args.columns), Some(&args.row)),
            Command::Tune(args) => (Some(&args.columns), Some(&args.row)),
            Command::Compare(args) => (Some(&args.columns), Some(&args.row)),
            Command::Assess(args) => (Some(&args.columns), Some(&args.row)),
            Command::Run(args) => (Some(&args.columns), Some(&args.row)),
            Command::Score(args) => {
                let text = ColumnArgs { text: args.text.clone(), ..ColumnArgs::default() };
                return text.settings().into_iter().chain(self.common.set.clone()).collect();
            }
            _ => (None, None),
        };
        let columns = columns.map_or(Vec::new(), ColumnArgs::settings);
        let rows = rows.map_or(Vec::new(), RowArgs::settings);
        columns.into_iter().chain(rows).chain(self.common.set.clone()).collect()
    }
}
