//! What can be asked.

use clap::{Args, Parser, Subcommand};
use clap_complete::engine::ArgValueCompleter;
use heddle_work::{Called, LedgerPlace, SessionOptions, TextOptions};

use crate::complete;
use crate::progress::Telling;

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
    after_help = "Begin here:\n  heddle demo                       the whole work on made-up reviews\n  heddle survey reviews.csv         what is in a file of yours\n  heddle train reviews.csv --set reviews.text=comment --out m.heddle\n\nExit codes: 0 done, 1 failed, 2 wrong usage, 3 done but some rows were refused."
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
    pub fn session(&self, set: Vec<String>) -> SessionOptions {
        SessionOptions {
            study: self.study.clone(),
            study_if_there: true,
            set,
            refused: self.refused.clone(),
            ledger: match self.ledger.as_deref() {
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
    /// Show how a text is read: tokens, negation scopes, terms
    Tokens(TokensArgs),
    /// Show the terms of reviews or of a model: which are kept, which tell most, where they stand
    Terms(TermsArgs),
    /// Learn a model from labelled reviews
    Train(TrainArgs),
    /// Tell how good a model would be on reviews it has not seen
    Validate(ValidateArgs),
    /// Try many settings on the same folds and rank them
    Tune(TuneArgs),
    /// Hold settings, studies or models against each other, on the same reviews
    Compare(CompareArgs),
    /// Try a model on a holdout, beside its cross-validated figures
    Assess(AssessArgs),
    /// Give new reviews a class and probabilities, row by row
    Score(ScoreArgs),
    /// Show why a review gets its verdict, clause by clause
    Explain(ExplainArgs),
    /// Do the whole work of a study: label, split, validate, train, assess, explain
    Run(RunArgs),
    /// List the figures that were noted, the best first
    Ledger(LedgerArgs),
    /// Show the settings in force, or their schema
    Study(StudyArgs),
    /// Print what a shell needs: completions, pages of the manual
    Shell(ShellArgs),
}

/// Review files.
#[derive(Debug, Args)]
pub struct Files {
    /// Review files: delimited text, JSON Lines, JSON, Parquet, marked lines, or a folder with
    /// a folder for each class; packed with gzip or zstd or not. Patterns such as "2025-*.csv"
    /// and "-" for standard input are understood. Default: reviews.files of the study
    #[arg(value_name = "FILE")]
    pub files: Vec<String>,
}

/// Columns of review files, named shortly: each stands for `--set reviews.…`.
#[derive(Debug, Clone, Default, Args)]
pub struct ColumnArgs {
    /// The column of the text; may be repeated (reviews.text)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns")]
    pub text: Vec<String>,
    /// The column of the rating (reviews.stars)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", conflicts_with = "label")]
    pub stars: Option<String>,
    /// A column of classes, in place of the rating (reviews.label)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns")]
    pub label: Option<String>,
}

/// Columns that stand beside text and rating, named shortly.
#[derive(Debug, Clone, Default, Args)]
pub struct RowArgs {
    /// The column that names a row (reviews.id)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns")]
    pub id: Option<String>,
    /// The column of the date (reviews.date)
    #[arg(long, value_name = "COLUMN", help_heading = "Columns")]
    pub date: Option<String>,
}

impl ColumnArgs {
    fn settings(&self) -> Vec<String> {
        let text: Vec<String> = self.text.iter().map(|name| quoted(name)).collect();
        let text = (!text.is_empty()).then(|| format!("reviews.text=[{}]", text.join(", ")));
        text.into_iter().chain(named("stars", &self.stars)).chain(named("label", &self.label)).collect()
    }
}

impl RowArgs {
    fn settings(&self) -> Vec<String> {
        named("id", &self.id).chain(named("date", &self.date)).collect()
    }
}

fn named<'a>(key: &'a str, column: &'a Option<String>) -> impl Iterator<Item = String> + 'a {
    column.iter().map(move |name| format!("reviews.{key}={}", quoted(name)))
}

/// How many decimals are written; all where nothing is said.
#[derive(Debug, Clone, Copy)]
pub struct Decimals(pub Option<usize>);

fn called(text: &str) -> Result<Called, String> {
    match text {
        "name" => Ok(Called::Name),
        "sign" => Ok(Called::Sign),
        "number" => Ok(Called::Number),
        _ => Err("expected name, sign or number".into()),
    }
}

fn decimals(text: &str) -> Result<Decimals, String> {
    match text.parse() {
        _ if text == "all" => Ok(Decimals(None)),
        Ok(number) if (1..=17).contains(&number) => Ok(Decimals(Some(number))),
        _ => Err("expected a number from 1 to 17, or all".into()),
    }
}

/// A name as a text of a study file, so that none is taken for a number or a list.
fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('\\', "\\\\").replace('"', "\\\""))
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
            Command::Terms(args) => (Some(&args.columns), None),
            Command::Train(args) => (Some(&args.columns), Some(&args.row)),
            Command::Validate(args) => (Some(&args.columns), Some(&args.row)),
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
    after_help = "Examples:\n  heddle label reviews.csv --out labelled.csv\n  heddle label reviews.csv --set polarity.middle=neutral\n  heddle label votes.jsonl --set reviews.stars=thumb --set polarity.positive=👍 --set polarity.negative=👎\n  heddle label texts.csv --ratings stars.csv --set reviews.id=review_id"
)]
pub struct LabelArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Write the labelled rows with all their columns and `polarity`; the ending names the
    /// format: .csv, .tsv, .jsonl, .json, .parquet, with .gz or .zst behind it
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Take the ratings from this file, joined by reviews.id
    #[arg(long, value_name = "FILE")]
    pub ratings: Option<String>,
    /// Show this many random reviews of each class
    #[arg(long, value_name = "N", default_value_t = 3)]
    pub samples: usize,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle split reviews.csv --training training.csv --holdout holdout.csv --set validation.holdout=25%\n  heddle split reviews.csv --training t.csv --development d.csv --holdout h.csv --set validation.development=10%\n  heddle split reviews.csv --training t.csv --holdout h.csv --set validation.by=latest --set reviews.date=posted"
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
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle terms reviews.csv --picture terms.png\n  heddle terms reviews.csv --set terms.best=10% --out terms.parquet\n  heddle terms reviews.csv --find \"not bad\" --top 20\n  heddle terms reviews.csv --row 12\n  heddle terms reviews.csv --like lovely\n  heddle terms --model m.heddle --out terms.csv"
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
    /// Show the terms of one review: its row in the file, from 1
    #[arg(long, value_name = "N", conflicts_with = "id")]
    pub row: Option<usize>,
    /// Show the terms of one review: its id (reviews.id)
    #[arg(long, value_name = "ID")]
    pub id: Option<String>,
    /// Show the terms of one review: the line that it begins on
    #[arg(long, value_name = "N", conflicts_with_all = ["row", "id"])]
    pub line: Option<u64>,
    /// Show where a word or phrase stands; with --row or --id, in that review
    #[arg(long, value_name = "PHRASE")]
    pub find: Option<String>,
    /// Show words that are used like this one
    #[arg(long, value_name = "WORD")]
    pub like: Option<String>,
    /// Write every counted term, with its reviews by class, its association and why it is left
    /// out; the ending names the format
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Draw how many terms stand in how many reviews; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle train reviews.csv --out m.heddle\n  heddle train labelled.csv --set reviews.text=review --set reviews.label=polarity --out m.heddle --validate"
)]
pub struct TrainArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Where the model goes
    #[arg(short, long, value_name = "MODEL")]
    pub out: String,
    /// Cross-validate first and keep the figures in the model
    #[arg(long)]
    pub validate: bool,
    /// Show this many of the strongest terms of each class
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub top: usize,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle validate training.csv\n  heddle validate training.csv --set validation.folds=5 --out held-out.csv --json\n  heddle validate training.csv --learning_curve --picture validation.png\n  heddle validate training.csv --set validation.order=rolling --set reviews.date=posted --set 'reviews.beside=[\"channel\"]'"
)]
pub struct ValidateArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Write each row with its out-of-fold probabilities and its fold
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Show a learning curve: learn from an eighth, a quarter and a half of the reviews too
    #[arg(long)]
    pub learning_curve: bool,
    /// Tell also what reading this many reviews, the most negative first, would find
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub budget: Option<u64>,
    /// Draw curves, calibration and baselines; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
}

/// What is varied.
#[derive(Debug, Args)]
pub struct Varied {
    /// Values to try for one setting, as in terms.words=1-1,1-2,1-3, or a range in even ratios, as
    /// in model.strength=1e-5..1e-1/9; may be repeated, and every combination is tried
    #[arg(long, value_name = "SECTION.KEY=VALUES", add = ArgValueCompleter::new(complete::settings))]
    pub vary: Vec<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle tune training.csv --minutes 5 --write-study best.toml\n  heddle tune training.csv --vary model.strength=1e-5..1e-1/20\n  heddle tune training.csv --vary terms.words=1-1,1-2,1-3 --vary negation.scope=off,clause --picture tune.png\n  heddle tune training.csv --vary model.learner=logistic,svm,naive-bayes --vary terms.at_least=1,2,5 --draws 6 --nested"
)]
pub struct TuneArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    #[command(flatten)]
    pub varied: Varied,
    /// Let the program choose what to try, for so many minutes: recipes, floors, endings, negation,
    /// learners, one after the other from the study in force; what the study sets stays
    #[arg(long, value_name = "N", conflicts_with_all = ["vary", "draws", "halving"])]
    pub minutes: Option<f64>,
    /// Write a commented study with the settings of the best run; the file must not be there yet
    #[arg(long, value_name = "FILE")]
    pub write_study: Option<String>,
    /// Draw this many of the combinations at random; ranges without a number of steps are drawn
    /// from anywhere between their ends
    #[arg(long, value_name = "N")]
    pub draws: Option<usize>,
    /// Begin with few training reviews and go on with the better third, three times as many
    /// reviews each time
    #[arg(long)]
    pub halving: bool,
    /// Tell also what choosing is worth: choose anew inside each fold (as long again as folds)
    #[arg(long)]
    pub nested: bool,
    /// What to rank by: log_loss, accuracy, balanced_accuracy or roc_area
    #[arg(long, value_name = "FIGURE", default_value = "log_loss")]
    pub by: String,
    /// Name also the simplest run, if it is shown to cost at most so many points of accuracy
    #[arg(long, value_name = "POINTS")]
    pub margin: Option<f64>,
    /// Where each run is noted as soon as it is done; runs that stand there already are not
    /// repeated
    #[arg(short, long, value_name = "FILE", default_value = "tune.jsonl")]
    pub out: String,
    /// Show this many
    #[arg(long, value_name = "N", default_value_t = 20)]
    pub top: usize,
    /// Draw the runs in order; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle compare training.csv --vary text.punctuation=keep,drop\n  heddle compare training.csv --with other.toml\n  heddle compare holdout.csv --with old.heddle --with new.heddle --changed changed.csv"
)]
pub struct CompareArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    #[command(flatten)]
    pub varied: Varied,
    /// A study to hold against the one in force, or a model to hold against the first model; may
    /// be repeated
    #[arg(long, value_name = "FILE", conflicts_with = "vary")]
    pub with: Vec<String>,
    /// Show this many reviews that changed sides
    #[arg(long, value_name = "N", default_value_t = 5)]
    pub top: usize,
    /// Write all reviews that changed sides; the ending names the format
    #[arg(long, value_name = "FILE")]
    pub changed: Option<String>,
}

#[derive(Debug, Args)]
#[command(after_help = "Example:\n  heddle assess m.heddle holdout.csv --json")]
pub struct AssessArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Write each row with the probabilities that the model gives it
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle score m.heddle new.csv --out scored.csv\n  zcat new.csv.gz | heddle score m.heddle - > scored.csv"
)]
pub struct ScoreArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    /// The reviews to score; "-" is standard input
    #[arg(value_name = "FILE")]
    pub file: String,
    /// The column of the text; may be repeated (reviews.text) [default: that of the model]
    #[arg(long, value_name = "COLUMN", help_heading = "Columns")]
    pub text: Vec<String>,
    /// Keep these columns of the file only; may be repeated, or a list with commas
    #[arg(long, value_name = "COLUMN", value_delimiter = ',', help_heading = "Columns")]
    pub columns: Vec<String>,
    /// How classes are written: name (negative), sign (-) or number (-1)
    #[arg(long, value_name = "HOW", default_value = "name", value_parser = called)]
    pub called: Called,
    /// The decimals of probabilities; "all" for as many as they have
    #[arg(long, value_name = "N", default_value = "6", value_parser = decimals)]
    pub decimals: Decimals,
    /// Write the log-odds of positive too, with all digits
    #[arg(long)]
    pub log_odds: bool,
    /// Where the scored rows go; .tsv for tabs [default: standard output]
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle explain m.heddle --text \"Not a bad cabin at all, but never again\"\n  heddle explain m.heddle reviews.csv --id HS-000123\n  heddle explain m.heddle --text \"A warm cabin\" --factors"
)]
pub struct ExplainArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    #[command(flatten)]
    pub texts: TextArgs,
    /// Show this many terms, and this many words with what the text would be without them
    #[arg(long, value_name = "N", default_value_t = 8)]
    pub top: usize,
    /// Show what each contribution is made of: weight, term factor, document factor, normalisation
    #[arg(long)]
    pub factors: bool,
}

#[derive(Debug, Args)]
#[command(after_help = "Example:\n  heddle run --study study.toml --out run")]
pub struct RunArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// The folder for everything that is found; it must be new or empty
    #[arg(short, long, value_name = "FOLDER", default_value = "run")]
    pub out: String,
    /// Take the place of an earlier run in that folder, if nothing else is in it
    #[arg(long)]
    pub replace: bool,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle study show --set terms.words=1-3\n  heddle study schema > study.schema.json\n  heddle study stoplist --set text.stoplist=english > stop.txt\n  heddle study negation"
)]
pub struct StudyArgs {
    #[command(subcommand)]
    pub view: StudyView,
}

#[derive(Debug, Subcommand)]
pub enum StudyView {
    /// The settings in force and where each comes from
    Show,
    /// The JSON Schema of study files
    Schema,
    /// The words that are left out, and the negators among them that stay
    Stoplist,
    /// The expressions that negate, and those that only look like it
    Negation,
    /// Emoticons and emoji with their meanings (text.emoticons = "meaning")
    Emoticons,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle shell completions bash > ~/.local/share/bash-completion/completions/heddle\n  heddle shell completions zsh > ~/.zfunc/_heddle\n  heddle shell completions fish > ~/.config/fish/completions/heddle.fish\n  heddle shell manual --out ~/.local/share/man/man1"
)]
pub struct ShellArgs {
    #[command(subcommand)]
    pub view: ShellView,
}

#[derive(Debug, Subcommand)]
pub enum ShellView {
    /// The script for bash, zsh, fish, elvish or powershell; it asks this program what may come
    Completions {
        /// The shell
        #[arg(value_name = "SHELL")]
        shell: String,
    },
    /// The manual, for `man -l -`, or all of its pages in a folder
    Manual {
        /// Write a page for each command into this folder
        #[arg(short, long, value_name = "FOLDER")]
        out: Option<String>,
    },
}
