//! Counts of terms of parts, which are added up.

use crate::common::{Folder, column, holds};

/// `many.csv` and three parts of it.
fn parts() -> Folder {
    Folder::with_parts([("a.csv", 100), ("b.csv", 449), ("c.csv", 351)])
}

const PARTS: [&str; 3] = ["a", "b", "c"];

fn counted(folder: &Folder, ending: &str, more: &[&str]) -> Vec<String> {
    let of = |part: &str| {
        let (from, to) = (format!("{part}.csv"), format!("{part}-counts{ending}"));
        folder.done(&[&["terms", &from, "--counts-out", &to, "--force"][..], more].concat());
        to
    };
    PARTS.map(of).into()
}

#[test]
fn merged_counts_are_those_of_one_pass_byte_for_byte_in_every_format() {
    let folder = parts();
    for more in [&[][..], &["--set", "terms.words=2-3", "--set", "terms.at_most=30%"]] {
        let one =
            [&["terms", "many.csv", "--out", "one.csv", "--counts-out", "one-counts.csv", "--force"], more];
        let page = folder.done(&one.concat());
        for ending in [".csv", ".parquet", ".jsonl.zst"] {
            let mut counts = counted(&folder, ending, more);
            counts.reverse();
            let names: Vec<&str> = counts.iter().map(String::as_str).collect();
            let outs = ["--out", "sum.csv", "--counts-out", "sum-counts.csv", "--force"];
            let sum = folder.done(&[&["terms", "--merge"], &names[..], &outs, more].concat());
            assert_eq!(folder.text("sum.csv"), folder.text("one.csv"), "{ending}");
            assert_eq!(folder.text("sum-counts.csv"), folder.text("one-counts.csv"), "{ending}");
            // The tables of the page are the same too.
            let tables = |page: &str| {
                page[page.find("terms  ").expect("terms")..page.find("reviews  ").expect("reviews")]
                    .to_string()
            };
            assert_eq!(tables(&sum), tables(&page));
            holds(&sum, &["added up from counts"]);
        }
    }
    // Sums of sums are sums.
    folder.done(&[
        "terms",
        "--merge",
        "a-counts.csv",
        "b-counts.csv",
        "--counts-out",
        "ab.parquet",
        "--set",
        "terms.words=2-3",
    ]);
    folder.done(&[
        "terms",
        "--merge",
        "ab.parquet",
        "c-counts.csv",
        "--out",
        "again.csv",
        "--set",
        "terms.words=2-3",
        "--set",
        "terms.at_most=30%",
    ]);
    assert_eq!(folder.text("again.csv"), folder.text("one.csv"));
}

#[test]
fn naive_bayes_and_the_choice_of_terms_are_learnt_from_merged_counts() {
    let folder = parts().and_others(400);
    const BAYES: [&str; 8] = [
        "--set",
        "model.learner=naive-bayes",
        "--set",
        "terms.weighting=ntn",
        "--set",
        "negation.style=mark",
        "--set",
        "terms.emphasis=class-ratio",
    ];
    let names = counted(&folder, ".parquet", &["--set", "negation.style=mark"]);
    let names: Vec<&str> = names.iter().map(String::as_str).collect();
    let of_counts = [&["train", "--out", "m.heddle", "--counts"], &names[..], &BAYES].concat();
    let run = folder.run(&of_counts);
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["counts hold no review to bring scores to log-odds by"]);
    let of_reviews = ["train", "many.csv", "--out", "n.heddle", "--set", "model.calibration=none"];
    folder.done(&[&of_reviews[..], &BAYES].concat());
    folder.done(&["score", "m.heddle", "others.csv", "--out", "m.csv"]);
    folder.done(&["score", "n.heddle", "others.csv", "--out", "n.csv"]);
    let probabilities = |name: &str| {
        let cells = column(&folder.csv(name), "p_positive");
        cells.iter().map(|cell| cell.parse().expect("a number")).collect::<Vec<f64>>()
    };
    let pairs = probabilities("m.csv").into_iter().zip(probabilities("n.csv"));
    assert!(pairs.clone().count() == 400 && pairs.into_iter().all(|(one, other)| (one - other).abs() < 1e-4));
    // The terms that counts keep are those that a training is held to.
    let keep = ["--out", "kept.csv", "--set", "terms.best=20%", "--set", "negation.style=mark"];
    folder.done(&[&["terms", "--merge"], &names[..], &keep].concat());
    let held = ["--set", "terms.only=kept.csv", "--set", "negation.style=mark"];
    let trained = folder.json(&[&["train", "many.csv", "--out", "k.heddle"], &held[..]].concat());
    let statuses = column(&folder.csv("kept.csv"), "status");
    let kept = statuses.iter().filter(|status| *status == "kept").count();
    assert_eq!(trained["card"]["terms"], kept);
}

#[test]
fn counts_of_other_settings_and_files_that_are_none_are_refused() {
    let folder = parts();
    counted(&folder, ".csv", &[]);
    folder.done(&["terms", "b.csv", "--counts-out", "b3.csv", "--set", "terms.words=1-3"]);
    let told = folder.fails(&["terms", "--merge", "a-counts.csv", "b3.csv"]);
    holds(
        &told,
        &["b3.csv was counted under `terms.words = \"1-3\"`", "a-counts.csv has `terms.words = \"1-2\"`"],
    );
    let told = folder.fails(&["terms", "--merge", "b3.csv"]);
    holds(&told, &["the study has `terms.words = \"1-2\"`", "--set"]);
    holds(&folder.fails(&["terms", "--merge", "a.csv"]), &["--counts-out", "kind"]);
    let text = folder.text("a-counts.csv");
    let cut = text.lines().filter(|line| !line.starts_with("reviews,")).collect::<Vec<_>>().join("\n");
    let folder = folder.file("cut.csv", cut + "\n").file("odd.csv", text.replacen("\nterm,", "\ntrem,", 1));
    holds(&folder.fails(&["terms", "--merge", "cut.csv"]), &["cut.csv: no row of the kind `reviews`"]);
    holds(&folder.fails(&["terms", "--merge", "odd.csv"]), &["odd.csv", "line", "`kind`", "trem"]);
    holds(&folder.fails(&["terms", "a.csv", "--merge", "a-counts.csv"]), &["knows no review"]);
    holds(
        &folder.fails(&["terms", "a.csv", "--counts-out", "h.csv", "--set", "terms.hashed=12"]),
        &["terms.hashed"],
    );
    let learn = ["train", "--out", "m.heddle", "--counts", "a-counts.csv"];
    holds(&folder.fails(&learn), &["only naive-bayes", "docs/large-files.md"]);
    let bayes = [
        "--set",
        "model.learner=naive-bayes",
        "--set",
        "terms.weighting=ntn",
        "--set",
        "negation.style=mark",
    ];
    folder.done(&["terms", "a.csv", "--counts-out", "marked.csv", "--set", "negation.style=mark"]);
    let hashed = ["train", "--out", "m.heddle", "--counts", "marked.csv", "--set", "terms.hashed=12"];
    holds(&folder.fails(&[&hashed[..], &bayes].concat()), &["terms.hashed: hashed terms have no names"]);
}

/// Reviews are whole, and so are words; how often a term stands in them may end in a half, or be below 0.
#[test]
fn a_cell_that_is_no_count_is_told_by_its_line_and_column() {
    const HEAD: &str =
        "kind,term,negative,positive,neutral,times_negative,times_positive,times_neutral,inside,capital";
    let told = |row: &str| {
        let folder = Folder::new().file("counts.csv", format!("{HEAD}\nreviews,,1,1,0,3,3,0,0,0\n{row}\n"));
        folder.fails(&["terms", "--merge", "counts.csv"])
    };
    let whole = "expected a whole number from 0, found";
    holds(&told("term,cabin,0.5,1,0,3,3,0,0,0"), &["counts.csv, line 3, column `negative`", whole, "`0.5`"]);
    holds(&told("word,cabin,0,0,0,0,0,0,2,1x"), &["line 3, column `capital`", whole, "`1x`"]);
    holds(&told("empty,,0,-1,0,0,0,0,0,0"), &["line 3, column `positive`", whole, "`-1`"]);
    let half = "expected a whole number or a half, found";
    holds(&told("term,cabin,1,1,0,0.25,3,0,0,0"), &["line 3, column `times_negative`", half, "`0.25`"]);
    // A half is one, and so is less than nothing: what is missing is something else.
    holds(&told("term,cabin,1,1,0,1.5,-3,,0,0"), &["the term `cabin` was not counted"]);
}
