//! What can be asked of reviews.

use clap::Args;
use heddle_work::TextOptions;

use super::columns::{ColumnArgs, Files, RowArgs};

#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  heddle demo\n  cd heddle-demo && heddle explain run/model.heddle --text \"Not a bad cabin at all\""
)]
pub struct DemoArgs {
    /// The folder to unpack into; it must be new or empty
    #[arg(value_name = "FOLDER", default_value = "heddle-demo")]
    pub folder: String,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle survey reviews.csv\n  heddle survey reviews.csv --write-study study.toml"
)]
pub struct SurveyArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Write a commented study with the columns found; the file must not be there yet
    #[arg(long, value_name = "FILE")]
    pub write_study: Option<String>,
    /// Show this many of the first rows, with all their columns
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub rows: usize,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle label reviews.csv --out labelled.csv\n  heddle label reviews.csv --set polarity.middle=neutral\n  heddle label votes.jsonl --stars thumb --set polarity.positive=👍 --set polarity.negative=👎\n  heddle label texts.csv --ratings stars.csv --id review_id"
)]
pub struct LabelArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Write the labelled rows with all their columns and `polarity`; the ending names the
    /// format: .csv, .tsv, .jsonl, .json, .parquet, .xlsx, with .gz or .zst behind it
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Take the ratings from this file, joined by reviews.id
    #[arg(long, value_name = "FILE")]
    pub ratings: Option<String>,
    /// Take the corrections that are filled in in a file of `heddle doubts`: ratings, classes, or drop
    #[arg(long, value_name = "FILE")]
    pub corrections: Option<String>,
    /// Show this many random reviews of each class
    #[arg(long, value_name = "N", default_value_t = 3)]
    pub samples: usize,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle split reviews.csv --training training.csv --holdout holdout.csv --set validation.holdout=25%\n  heddle split reviews.csv --training t.csv --development d.csv --holdout h.csv --set validation.development=10%\n  heddle split reviews.csv --training t.csv --holdout h.csv --set validation.by=latest --date posted"
)]
pub struct SplitArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Where the training part goes
    #[arg(long, value_name = "FILE")]
    pub training: String,
    /// Where the holdout goes; a file beside it counts how often it is opened
    #[arg(long, value_name = "FILE")]
    pub holdout: String,
    /// Where a third part goes, to choose settings on (validation.development)
    #[arg(long, value_name = "FILE")]
    pub development: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    group(clap::ArgGroup::new("size").required(true).args(["rows", "share", "each"])),
    after_help = "Examples:\n  heddle sample reviews.parquet --rows 20000 --out part.csv\n  zcat reviews.csv.gz | heddle sample - --share 5% --out part.csv\n  heddle sample reviews.csv --each 500 --out even.csv"
)]
pub struct SampleArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    /// Draw this many rows, each rating in its share
    #[arg(long, value_name = "N")]
    pub rows: Option<usize>,
    /// Draw this share of the rows, such as 5%
    #[arg(long, value_name = "SHARE")]
    pub share: Option<String>,
    /// Draw this many rows of each rating
    #[arg(long, value_name = "N")]
    pub each: Option<usize>,
    /// Where the drawn rows go
    #[arg(short, long, value_name = "FILE")]
    pub out: String,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle balance training.csv\n  heddle balance training.csv --set balance.method=down --set balance.ratio=0.5 --out balanced.csv"
)]
pub struct BalanceArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    /// Write the balanced rows (balance.method down or up)
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle copies training.csv --id review_id --each 2 --out copied.csv\n  heddle copies training.csv --id review_id --by \"my-translator --to de | my-translator --to en\" --out copied.csv\n  heddle validate copied.csv --set reviews.id=review_id --set reviews.copy_of=copy_of"
)]
pub struct CopiesArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// A command that the shell runs once for each copy: a text a line in, a line out for each; a blank one where it stays as it is.
    /// HEDDLE_COPY tells it which copy, from 1 [default: words are replaced by others that the reviews use alike, and one
    /// that tells no class is left out]
    #[arg(long, value_name = "COMMAND")]
    pub by: Option<String>,
    /// Copies of each review
    #[arg(long, value_name = "N", default_value = "1")]
    pub each: std::num::NonZeroU8,
    /// Where all rows go, each review followed by its copies
    #[arg(short, long, value_name = "FILE")]
    pub out: String,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  heddle ledger\n  heddle ledger run --by log_loss --top 5")]
pub struct LedgerArgs {
    /// A ledger, or the folder it stands in
    #[arg(value_name = "FILE", default_value = "ledger.jsonl")]
    pub file: String,
    /// The figure to sort by, or "time"
    #[arg(long, value_name = "FIGURE", default_value = "balanced_accuracy")]
    pub by: String,
    /// Show this many
    #[arg(long, value_name = "N", default_value_t = 20)]
    pub top: usize,
}

/// Texts to look at: typed, or rows of a file.
#[derive(Debug, Clone, Args)]
pub struct TextArgs {
    /// A review file to take rows from; "-" is standard input
    #[arg(value_name = "FILE")]
    pub file: Option<String>,
    /// A text; may be repeated. Where columns are kept apart it counts as the last of them
    #[arg(long, value_name = "TEXT", conflicts_with = "file")]
    pub text: Vec<String>,
    /// A row of the file by number, from 1; may be repeated [default: the first row]
    #[arg(long, value_name = "N", requires = "file")]
    pub row: Vec<usize>,
    /// A row of the file by the line that it begins on; may be repeated
    #[arg(long, value_name = "N", requires = "file")]
    pub line: Vec<u64>,
    /// A row of the file by its id (reviews.id); may be repeated
    #[arg(long, value_name = "ID", requires = "file")]
    pub id: Vec<String>,
}

impl TextArgs {
    /// The texts to look at.
    pub fn options(&self) -> TextOptions {
        let Self { file, text, row, line, id } = self.clone();
        TextOptions { file, texts: text, rows: row, lines: line, ids: id }
    }
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle tokens --text \"I can't say the food was good, but the crew wasn't unkind\"\n  heddle tokens reviews.csv --row 12 --model m.heddle"
)]
pub struct TokensArgs {
    #[command(flatten)]
    pub texts: TextArgs,
    /// Show what each term contributes in this model, and read as it does
    #[arg(long, value_name = "MODEL")]
    pub model: Option<String>,
    /// Write the texts of the rows as they are written, cleaned, and as tokens: "¬" before what is negated, "½" before
    /// what counts half, "∅" before what does not count; and the parts of words that are terms, a word a line
    #[arg(short, long, value_name = "FILE", requires = "file")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle terms reviews.csv --picture terms.png\n  heddle terms reviews.csv --set terms.best=10% --out terms.parquet\n  heddle terms reviews.csv --find \"not bad\" --top 20\n  heddle terms reviews.csv --row 12 --row 15 --alike\n  heddle terms reviews.csv --grid \"cold,not bad,warm\" --row 12 --row 15\n  heddle terms reviews.csv --like lovely\n  heddle terms --model m.heddle --out terms.csv"
)]
pub struct TermsArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    /// Show the terms of this model; files that are named are only held against it
    #[arg(long, value_name = "MODEL")]
    pub model: Option<String>,
    /// Show this many terms of each class and length, places, or words
    #[arg(long, value_name = "N", default_value_t = 6)]
    pub top: usize,
    /// Show the terms of a review: its row in the file, from 1; may be repeated
    #[arg(long, value_name = "N")]
    pub row: Vec<usize>,
    /// Show the terms of a review: its id (reviews.id); may be repeated
    #[arg(long, value_name = "ID")]
    pub id: Vec<String>,
    /// Show the terms of a review: the line that it begins on; may be repeated
    #[arg(long, value_name = "N")]
    pub line: Vec<u64>,
    /// Show where a word or phrase stands; with --row or --id, in those reviews; may be repeated
    #[arg(long, value_name = "PHRASE")]
    pub find: Vec<String>,
    /// Show what these terms weigh in the reviews of --row and --id, or in the first that hold one; may be repeated
    #[arg(long, value_name = "TERMS", value_delimiter = ',', conflicts_with = "find")]
    pub grid: Vec<String>,
    /// Show with each of those reviews the ones that read most like it, and by which terms
    #[arg(long, conflicts_with = "grid")]
    pub alike: bool,
    /// Show words that are used like this one
    #[arg(long, value_name = "WORD")]
    pub like: Option<String>,
    /// Write every counted term, with its reviews by class, its association and why it is left
    /// out; the ending names the format
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Write the weight of each kept term in each review: rows of review, term and value, or .mtx, the exchange format of
    /// sparse matrices
    #[arg(long, value_name = "FILE")]
    pub matrix: Option<String>,
    /// Draw how many terms stand in how many reviews; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// Write the counts of all terms, however rare, to be added to those of other reviews with --merge
    #[arg(long, value_name = "FILE", conflicts_with = "model")]
    pub counts_out: Option<String>,
    /// Add up counts that --counts-out wrote, in place of reading reviews: the terms are those of one pass over all of
    /// them
    #[arg(long, value_name = "FILE", num_args = 1.., conflicts_with = "model")]
    pub merge: Vec<String>,
}
