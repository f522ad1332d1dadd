//! What can be asked of models.

use std::fmt;

use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use heddle_core::Choice;
use heddle_core::model::VoteBy;
use heddle_work::{Called, Level, USUAL_DECIMALS};

use super::columns::{ColumnArgs, Files, RowArgs};
use super::reviews::TextArgs;
use crate::complete;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle train reviews.csv --out m.heddle\n  heddle train labelled.csv --text review --label polarity --out m.heddle --validate"
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
    /// Learn from these counts of terms (heddle terms --counts-out) in place of reviews: naive Bayes; may be repeated
    #[arg(long, value_name = "FILE", num_args = 1..)]
    pub counts: Vec<String>,
    /// Keep here what is known on the way, and go on from it after a stop; for rows that are read one after the other
    /// (model.learner=online, terms.hashed)
    #[arg(long, value_name = "FILE")]
    pub checkpoint: Option<String>,
    /// Write the checkpoint anew whenever so many rows were read
    #[arg(long, value_name = "ROWS", default_value_t = 250_000, requires = "checkpoint", value_parser = clap::value_parser!(u64).range(1..))]
    pub checkpoint_rows: u64,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle validate training.csv\n  heddle validate training.csv --set validation.folds=5 --out held-out.csv --json\n  heddle validate training.csv --learning-curve --picture validation.png\n  heddle validate training.csv --set validation.order=rolling --date posted --set 'reviews.beside=[\"channel\"]'"
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
    /// Draw curves, calibration, baselines and what is called what; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// Draw what to expect, in counts and plain words; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub overview: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle drift m.heddle december.csv --date posted\n  heddle drift m.heddle december.csv --first 50 --out first.csv\n  heddle drift m.heddle december.csv --alarm --json      for a scheduler: exit code 4 where there is drift"
)]
pub struct DriftArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Name this many reviews to be read first
    #[arg(long, value_name = "N", default_value_t = 5)]
    pub first: usize,
    /// Write these reviews
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Draw what differs; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// End with exit code 4 where there is drift
    #[arg(long)]
    pub alarm: bool,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle drivers reviews.csv --date posted --set 'reviews.beside=[\"channel\"]'\n  heddle drivers reviews.csv --out themes.csv --picture themes.png --words words.png\n  heddle drivers reviews.csv --names names.csv        columns word and name"
)]
pub struct DriversArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// The most themes of each class
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub top: usize,
    /// So many quotes of each theme
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub quotes: usize,
    /// Names for themes: a file with the columns `word`, one of its words, and `name`
    #[arg(long, value_name = "FILE")]
    pub names: Option<String>,
    /// Write the themes with their figures
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// Draw the themes as bars with intervals; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// Draw the words of the themes, the larger the more telling; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub words: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle effects reviews.csv --columns channel,posted:weekday\n  heddle effects reviews.csv --columns price:bands,text:words --picture effects.svg\n\nA column is read as categories, or as a number where all its cells are numbers and many differ;\n:categories, :number, :bands, :hour, :weekday and :month say how. text:words, text:capitals,\ntext:exclamations, text:rating and text:language are facts of the text itself."
)]
pub struct EffectsArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// The columns, as features.columns names them [default: those of the study]
    #[arg(long = "columns", value_name = "NAMES", value_delimiter = ',')]
    pub beside: Vec<String>,
    /// Draw what is observed and predicted for each value; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle growth reviews.parquet\n  heddle growth reviews.csv --most 20000 --judged 4000 --first 500"
)]
pub struct GrowthArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// The most reviews that are learnt from, about
    #[arg(long, value_name = "N", default_value_t = 64_000, value_parser = some_reviews)]
    pub most: usize,
    /// The reviews that all sizes are judged by, about
    #[arg(long, value_name = "N", default_value_t = 5_000, value_parser = some_reviews)]
    pub judged: usize,
    /// The fewest reviews that are learnt from; each size is twice the one before
    #[arg(long, value_name = "N", default_value_t = 1_000, value_parser = some_reviews)]
    pub first: usize,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle clusters reviews.csv\n  heddle clusters reviews.csv --count 6 --nearest 3 --out clusters.csv"
)]
pub struct ClustersArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// So many clusters [default: the number on which two looks at different reviews agree best]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..=100))]
    pub count: Option<u64>,
    /// Try up to this many
    #[arg(long, value_name = "N", default_value_t = 10, value_parser = clap::value_parser!(u64).range(2..=40), conflicts_with = "count")]
    pub most: u64,
    /// Show this many words of each
    #[arg(long, value_name = "N", default_value_t = 8)]
    pub top: usize,
    /// Show this many reviews of each, the nearest to its middle
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub nearest: usize,
    /// Write the cluster of each review
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle doubts training.csv --out doubts.csv\n  heddle label training.csv --corrections doubts.csv --out corrected.csv\n  heddle doubts reviews.csv --known contradictions.csv --id review_id"
)]
pub struct DoubtsArgs {
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Show this many
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub top: usize,
    /// A file of rows whose labels are known to be wrong, named as these are: tell what the ranking is worth
    #[arg(long, value_name = "FILE")]
    pub known: Option<String>,
    /// Write the doubtful labels with text, probability and reason, and a blank column `correction`
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
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
#[command(
    after_help = "Examples:\n  heddle renew m.heddle training.csv december.csv               a fifth of the new reviews judges\n  heddle renew m.heddle training.csv december.csv --fresh january.csv --margin 1\n\nSettings are those of the model. Where the new model takes the place of the old one, that is kept beside it, under its name and\nthe first digits of its digest: mv brings it back."
)]
pub struct RenewArgs {
    /// The model in use
    #[arg(value_name = "MODEL")]
    pub model: String,
    #[command(flatten)]
    pub files: Files,
    #[command(flatten)]
    pub columns: ColumnArgs,
    #[command(flatten)]
    pub row: RowArgs,
    /// Judge both models by these labelled reviews [default: a share of the reviews that the model has not learnt from,
    /// as validation.holdout says]
    #[arg(long, value_name = "FILE")]
    pub fresh: Option<String>,
    /// Where the new model goes if it is no worse [default: the place of the old one]
    #[arg(short, long, value_name = "MODEL")]
    pub out: Option<String>,
    /// Where it goes if it is worse, to be looked at [default: nowhere]
    #[arg(long, value_name = "MODEL")]
    pub worse: Option<String>,
    /// Take the new model only where it is shown to lose less than this many points of accuracy
    #[arg(long, value_name = "POINTS", value_parser = margin)]
    pub margin: Option<f64>,
    /// Show this many reviews that changed sides
    #[arg(long, value_name = "N", default_value_t = 5)]
    pub top: usize,
    /// Write all reviews that changed sides; the ending names the format
    #[arg(long, value_name = "FILE")]
    pub changed: Option<String>,
}

fn margin(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(points) if points > 0.0 && points <= 100.0 => Ok(points),
        _ => Err("expected points above 0, up to 100".into()),
    }
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
    /// Draw what to expect, in counts and plain words; .svg or .png
    #[arg(long, value_name = "FILE")]
    pub overview: Option<String>,
    /// Let each review and its copies (reviews.copy_of) vote, as in `score`: by the mean of their log-odds, or the majority
    #[arg(long, value_name = "HOW", value_parser = vote)]
    pub vote: Option<VoteBy>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle score m.heddle new.csv --out scored.csv\n  zcat new.csv.gz | heddle score m.heddle - > scored.csv\n  tail -f reviews.jsonl | heddle score m.heddle - --flags --reasons 3 --out -.jsonl\n  heddle score m.heddle copied.csv --vote mean --set reviews.id=id --set reviews.copy_of=copy_of --out scored.csv"
)]
pub struct ScoreArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    /// The reviews to score; "-" is standard input
    #[arg(value_name = "FILE")]
    pub file: String,
    /// The column of the text; may be repeated (reviews.text) [default: that of the model]
    #[arg(long, value_name = "COLUMN", help_heading = "Columns", add = ArgValueCompleter::new(complete::columns))]
    pub text: Vec<String>,
    /// Keep these columns of the file only; may be repeated, or a list with commas
    #[arg(long, value_name = "COLUMN", value_delimiter = ',', help_heading = "Columns")]
    pub columns: Vec<String>,
    /// How classes are written: name (negative), sign (-), number (-1), or codes of your own for negative and
    /// positive, with neutral between them where the model has it, as in "J,W"
    #[arg(long, value_name = "HOW", default_value = "name", value_parser = called)]
    pub called: Called,
    /// The decimals of probabilities; "all" for as many as they have
    #[arg(long, value_name = "N", default_value_t = Decimals(Some(USUAL_DECIMALS)), value_parser = decimals)]
    pub decimals: Decimals,
    /// Write the log-odds of positive too, with all digits
    #[arg(long)]
    pub log_odds: bool,
    /// Write what to mind in a row: no known term, mostly unknown words, learnt from, unfamiliar value
    #[arg(long, conflicts_with = "vote")]
    pub flags: bool,
    /// Write this many words that speak most for the verdict, each with what it adds to that side, in nats
    #[arg(long, value_name = "N", default_value_t = 0, hide_default_value = true, conflicts_with = "vote")]
    pub reasons: usize,
    /// One row for each review: it and its copies (reviews.copy_of) vote on it, by the mean of their log-odds or by the
    /// majority of what each is called
    #[arg(long, value_name = "HOW", value_parser = vote)]
    pub vote: Option<VoteBy>,
    /// Where the scored rows go, in the format of the ending; "-.jsonl" and the like for standard output [default: standard
    /// output, with commas]
    #[arg(short, long, value_name = "FILE", allow_hyphen_values = true)]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle explain m.heddle --text \"Not a bad cabin at all, but never again\"\n  heddle explain m.heddle reviews.csv --id HS-000123\n  heddle explain m.heddle holdout.csv --mistakes --most 5\n  heddle explain m.heddle reviews.csv --nearest --slice \"channel = web\"\n  heddle explain m.heddle reviews.csv --out parts.parquet\n  heddle explain m.heddle --text \"A warm cabin\" --factors --picture reading.png\n  heddle explain m.heddle        asks for sentences, one after the other"
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
    /// Rows that are called otherwise than they are labelled, the surest mistakes first
    #[arg(long, requires = "file", help_heading = "Rows")]
    pub mistakes: bool,
    /// Rows that lie nearest to where the verdict changes
    #[arg(long, requires = "file", help_heading = "Rows")]
    pub nearest: bool,
    /// Rows that are called by this class, the most probable first
    #[arg(long, value_name = "CLASS", requires = "file", help_heading = "Rows")]
    pub class: Option<String>,
    /// Rows of which this holds, as in "channel = web" or "words >= 50"; may be repeated
    #[arg(long, value_name = "CONDITION", requires = "file", help_heading = "Rows")]
    pub slice: Vec<String>,
    /// How many of those rows [default: 3; all with --out]
    #[arg(long, value_name = "N", requires = "file", help_heading = "Rows")]
    pub most: Option<usize>,
    /// Measure on the rows of the file whether probabilities fall without the words that explanations put first
    #[arg(long, requires = "file")]
    pub faithfulness: bool,
    /// A file in which reviews are looked for that read like the explained ones, such as the training part
    #[arg(long, value_name = "FILE")]
    pub alike: Option<String>,
    /// Write these parts of the scores only: term, word or clause; may be repeated
    #[arg(long, value_name = "LEVEL", requires = "out", value_parser = level)]
    pub level: Vec<Level>,
    /// Draw the reading lines: .svg or .png
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// Write what the scores of the rows are made of: intercept, terms, words and clauses, a row each; or, under a name
    /// that ends in .html or .md, the reading lines as a page
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "A suite is a file of rows with the columns kind, text, expected and, where two sentences are held against each other, than; expected is negative, neutral, positive, neither (it says nothing), same, better or worse.\n\nExamples:\n  heddle probe m.heddle\n  heddle probe m.heddle --kind \"negated praise\" --misses 20\n  heddle probe m.heddle --against old.heddle --out sentences.csv\n  heddle probe m.heddle --suite sayings.csv"
)]
pub struct ProbeArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    /// Sentences of your own [default: those that come along for text.languages, in English about 600 in 18 kinds]
    #[arg(long, value_name = "FILE")]
    pub suite: Option<String>,
    /// An earlier model: tell what changed
    #[arg(long, value_name = "MODEL")]
    pub against: Option<String>,
    /// Sentences of this kind alone; may be repeated
    #[arg(long, value_name = "KIND")]
    pub kind: Vec<String>,
    /// Show this many misses
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub misses: usize,
    /// Write every sentence with what was expected and what came
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  heddle inspect m.heddle\n  heddle inspect m.heddle --out card.md")]
pub struct InspectArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    /// Show this many of the heaviest terms of each class
    #[arg(long, value_name = "N", default_value_t = 8)]
    pub top: usize,
    /// Write the card: .md or .html
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle report run\n  heddle report run --redact --out report.html\n  heddle report run --out report.md --pictures pictures"
)]
pub struct ReportArgs {
    /// The folder of a run
    #[arg(value_name = "FOLDER", default_value = "run")]
    pub folder: String,
    /// Where the report goes: .html or .md [default: report.html in the folder]
    #[arg(short, long, value_name = "FILE")]
    pub out: Option<String>,
    /// A folder for its pictures, each as .svg and .png
    #[arg(long, value_name = "FOLDER")]
    pub pictures: Option<String>,
    /// Leave out the texts of customers
    #[arg(long)]
    pub redact: bool,
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
    /// Learn from an eighth, a quarter and a half of the reviews too, and tell what more would bring
    #[arg(long)]
    pub learning_curve: bool,
}

/// How many decimals are written; all where nothing is said.
#[derive(Debug, Clone, Copy)]
pub struct Decimals(pub Option<usize>);

impl fmt::Display for Decimals {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            Some(decimals) => decimals.fmt(out),
            None => out.write_str("all"),
        }
    }
}

fn called(text: &str) -> Result<Called, String> {
    match text {
        "name" => Ok(Called::Name),
        "sign" => Ok(Called::Sign),
        "number" => Ok(Called::Number),
        codes if codes.contains(',') => {
            Ok(Called::Codes(codes.split(',').map(|code| code.trim().to_string()).collect()))
        }
        _ => Err("expected name, sign, number, or a code for each class with commas between".into()),
    }
}

fn level(text: &str) -> Result<Level, String> {
    Level::from_name(text).ok_or_else(|| "expected term, word or clause".into())
}

fn some_reviews(text: &str) -> Result<usize, String> {
    match text.parse() {
        Ok(number @ 10..=100_000_000) => Ok(number),
        _ => Err("expected a number of reviews, 10 or more".into()),
    }
}

fn vote(text: &str) -> Result<VoteBy, String> {
    VoteBy::from_name(text).ok_or_else(|| "expected mean or majority".into())
}

fn decimals(text: &str) -> Result<Decimals, String> {
    match text.parse() {
        _ if text == "all" => Ok(Decimals(None)),
        Ok(number) if (1..=17).contains(&number) => Ok(Decimals(Some(number))),
        _ => Err("expected a number from 1 to 17, or all".into()),
    }
}
