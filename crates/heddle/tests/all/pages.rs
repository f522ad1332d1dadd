//! What every command prints, at three widths: standard output, standard error and exit code.
//!
//! After a change that is meant, `INSTA_UPDATE=always cargo test -p heddle --test pages` takes the new
//! pages, which are then read.

use std::sync::LazyLock;

use crate::common::Folder;
use regex::Regex;

/// Widths of a narrow, a usual and a wide terminal.
const WIDTHS: [usize; 3] = [60, 80, 120];

/// What is another in every run: times, sizes of memory, digests, and the name of the program.
static VOLATILE: LazyLock<Vec<(Regex, &str)>> = LazyLock::new(|| {
    let volatile = [
        (r"\d+\.\d s\b", "#.# s"),
        (r"\d\d-\d\d-\d\d \d\d:\d\d", "##-##-## ##:##"),
        (r"matrix took \d+ MB", "matrix took # MB"),
        (r"\S*/heddle ", "heddle "),
    ];
    volatile.map(|(pattern, shown)| (Regex::new(pattern).expect("a sound pattern"), shown)).into()
});

/// Runs a call in its folder at each width. Calls that write are given a new name each time.
fn pages(folder: &Folder, arguments: &[&str]) -> String {
    let mut all = String::new();
    for width in WIDTHS {
        let own: Vec<String> = arguments.iter().map(|part| part.replace('#', &width.to_string())).collect();
        let own: Vec<&str> = own.iter().map(String::as_str).collect();
        let output =
            folder.command(&own).env("COLUMNS", width.to_string()).output().expect("the program starts");
        let shown = |bytes: &[u8]| {
            let text = String::from_utf8(bytes.to_vec()).expect("text");
            let text = VOLATILE
                .iter()
                .fold(text, |text, (pattern, shown)| pattern.replace_all(&text, *shown).into());
            text.replace(&format!("-{width}"), "-#")
        };
        let (out, err, code) = (shown(&output.stdout), shown(&output.stderr), output.status.code());
        let wide = out.lines().find(|line| line.chars().count() > width.max(80));
        assert_eq!(wide, None, "{own:?} at {width}");
        all += &format!("=== {width} columns, exit code {}\n{out}", code.unwrap_or(-1));
        if !err.is_empty() {
            all += &format!("--- standard error\n{err}");
        }
    }
    all
}

/// The pages of a call, held against those that were taken before.
macro_rules! page {
    ($name:ident, $folder:expr, $($argument:expr),+ $(,)?) => {
        #[test]
        fn $name() {
            insta::assert_snapshot!(stringify!($name), pages(&$folder, &[$($argument),+]));
        }
    };
}

/// Reviews, a model of them, and the parts of a split.
fn worked() -> Folder {
    let folder = Folder::with_many(300);
    folder.done(&["split", "many.csv", "--training", "training.csv", "--holdout", "holdout.csv"]);
    folder.done(&["train", "training.csv", "--out", "m.heddle", "--validate", "--set", "validation.folds=4"]);
    folder
}

const FOLDS: &str = "validation.folds=4";

page!(survey, Folder::with_reviews(), "survey", "reviews.csv");
page!(label, Folder::with_reviews(), "label", "reviews.csv", "--out", "l-#.csv");
page!(sample, worked(), "sample", "many.csv", "--rows", "50", "--out", "s-#.csv");
page!(split, worked(), "split", "many.csv", "--training", "t-#.csv", "--holdout", "h-#.csv");
page!(balance, worked(), "balance", "training.csv", "--set", "balance.method=down", "--out", "b-#.csv");
page!(tokens, worked(), "tokens", "--text", "I can't say the food was good :-)", "--model", "m.heddle");
page!(terms, worked(), "terms", "training.csv");
page!(terms_of_a_model, worked(), "terms", "--model", "m.heddle", "holdout.csv");
page!(terms_found, worked(), "terms", "training.csv", "--find", "not a", "--like", "cabin", "--top", "3");
page!(train, worked(), "train", "training.csv", "--out", "n-#.heddle");
page!(
    validate,
    worked(),
    "validate",
    "training.csv",
    "--set",
    FOLDS,
    "--set",
    "validation.rounds=2",
    "--learning-curve"
);
page!(
    tune,
    worked(),
    "tune",
    "training.csv",
    "--vary",
    "terms.words=1-1,1-2",
    "--set",
    FOLDS,
    "--out",
    "r-#.jsonl",
    "--nested"
);
page!(compare, worked(), "compare", "training.csv", "--vary", "negation.scope=clause,off", "--set", FOLDS);
page!(assess, worked(), "assess", "m.heddle", "holdout.csv", "--ledger", "none");
page!(score, worked(), "score", "m.heddle", "many.csv", "--out", "scored-#.csv");
page!(explain, worked(), "explain", "m.heddle", "--text", "Not a bad cabin, but cold tea. Never late!");
page!(
    explain_mistakes,
    worked(),
    "explain",
    "m.heddle",
    "holdout.csv",
    "--mistakes",
    "--most",
    "1",
    "--alike",
    "training.csv",
    "--faithfulness",
    "--top",
    "3",
    "--out",
    "e-#.csv"
);
page!(probe, worked(), "probe", "m.heddle", "--misses", "4", "--against", "m.heddle", "--out", "p-#.csv");
page!(inspect, worked(), "inspect", "m.heddle", "--top", "3");
page!(drivers, worked(), "drivers", "training.csv", "--top", "3", "--out", "t-#.csv");
page!(clusters, worked(), "clusters", "training.csv", "--count", "3", "--out", "c-#.csv");
page!(
    growth,
    Folder::with_many(900),
    "growth",
    "many.csv",
    "--judged",
    "200",
    "--first",
    "100",
    "--set",
    "validation.alike=100%"
);
page!(copies, worked(), "copies", "training.csv", "--id", "id", "--out", "c-#.csv");
page!(effects, worked(), "effects", "training.csv", "--columns", "text:words", "--set", FOLDS);
page!(doubts, worked(), "doubts", "training.csv", "--top", "4", "--set", FOLDS, "--out", "d-#.csv");
page!(explain_factors, worked(), "explain", "m.heddle", "--text", "a warm cabin", "--factors");
page!(run, worked(), "run", "many.csv", "--out", "run-#", "--set", FOLDS);
page!(ledger, worked(), "ledger");
page!(study, worked(), "study", "show", "--set", "terms.words=1-3");
page!(an_error, worked(), "train", "holdout.csv", "--out", "x.heddle");
