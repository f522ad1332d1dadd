//! What can be asked where a model is learnt in rounds.

use clap::{Args, Subcommand};

use super::columns::{ColumnArgs, Files, RowArgs};

#[derive(Debug, Args)]
#[command(
    after_help = "Where the reviews of a place lie, once, and then for each question:\n  heddle rounds rows part-0.csv --out 0.rows\n  heddle rounds answer 0.rows --question question --out 0.answer --pulls 0.pulls.6 --pulls-out 0.pulls.7\n\nIn one place, first to begin, and then with the answers of all places, until it says that the model is learnt:\n  heddle rounds next --state state --question question --out m.heddle\n  heddle rounds next 0.answer 1.answer --state state --question question --out m.heddle\n\nEvery call names the same settings: --study, --set."
)]
pub struct RoundsArgs {
    #[command(subcommand)]
    pub step: RoundsStep,
}

#[derive(Debug, Subcommand)]
pub enum RoundsStep {
    /// Write the labelled reviews of a place as rows of hashed terms
    Rows {
        #[command(flatten)]
        files: Files,
        #[command(flatten)]
        columns: ColumnArgs,
        #[command(flatten)]
        row: RowArgs,
        /// Where the rows go
        #[arg(short, long, value_name = "FILE")]
        out: String,
    },
    /// Answer a question about the rows of a place
    Answer {
        #[command(flatten)]
        columns: ColumnArgs,
        /// The rows
        #[arg(value_name = "ROWS")]
        rows: String,
        /// The question that is open
        #[arg(long, value_name = "FILE")]
        question: String,
        /// The pulls that the answer before left (its --pulls-out), from the second lesson on
        #[arg(long, value_name = "FILE")]
        pulls: Option<String>,
        /// Where the answer goes
        #[arg(short, long, value_name = "FILE")]
        out: String,
        /// Where the pulls go that a lesson leaves to the next
        #[arg(long, value_name = "FILE")]
        pulls_out: Option<String>,
    },
    /// Add up the answers of all places, and ask the next question or write the model
    Next {
        #[command(flatten)]
        columns: ColumnArgs,
        /// The answers to the question that is open; none to begin, or to have it written again
        #[arg(value_name = "ANSWERS")]
        answers: Vec<String>,
        /// What is known between two rounds; made at the first call, and changed at each
        #[arg(long, value_name = "FILE")]
        state: String,
        /// Where the next question goes
        #[arg(long, value_name = "FILE")]
        question: String,
        /// Where the model goes, once it is learnt
        #[arg(short, long, value_name = "MODEL")]
        out: String,
        /// Show this many of the strongest terms of each class
        #[arg(long, value_name = "N", default_value_t = 10)]
        top: usize,
    },
}
