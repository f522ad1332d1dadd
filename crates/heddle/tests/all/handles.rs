//! One handle for a row everywhere, and files that go on to be used.

use crate::common::{Folder, column, holds};

/// Reviews of two columns beside the text, with a row that is refused before most of them.
fn reviews(rows: usize) -> String {
    let row = |at: usize| {
        let good = !at.is_multiple_of(3);
        let text = ["a cold cabin and a rude crew", "a warm cabin and a kind crew"][usize::from(good)];
        let broken = if at == 2 { "torn off\n" } else { "" };
        format!(
            "{broken}H{at:03},{text} on crossing {at} of {},{},{}\n",
            at * 31 % 57,
            if good { 5 } else { 1 },
            at % 4
        )
    };
    format!("id,review,stars,deck\n{}", (0..rows).map(row).collect::<String>())
}

fn folder() -> Folder {
    Folder::new()
        .file("r.csv", reviews(200))
        .file("others.csv", reviews(200).replace("crossing", "passage").replace('H', "J"))
}

const APART: [&str; 2] = ["--set", "validation.alike=100%"];

#[test]
fn a_row_has_one_handle_everywhere() {
    let folder = folder();
    folder.run(&[&["train", "others.csv", "--out", "m.heddle"][..], &APART].concat());
    let run = folder.run(&["terms", "r.csv", "--find", "crossing 117", "--json"]);
    let found: serde_json::Value = serde_json::from_str(&run.out).expect("an answer");
    // The torn row is the third of the file: those behind it have the number that a spreadsheet shows.
    assert_eq!(found["found"][0]["shown"][0]["origin"], "r.csv, row 119, line 120");
    for way in [["--row", "119"], ["--line", "120"]] {
        let text = folder.run(&[&["explain", "m.heddle", "r.csv"][..], &way].concat()).out;
        holds(&text, &["r.csv, row 119, line 120", "on crossing 117"]);
    }
    let by_id = ["explain", "m.heddle", "r.csv", "--id", "H117", "--set", "reviews.id=id"];
    holds(&folder.run(&by_id).out, &["r.csv, H117, line 120", "on crossing 117"]);
    holds(&folder.fails(&["explain", "m.heddle", "r.csv", "--row", "3"]), &["row 3 could not be used"]);
    holds(&folder.fails(&["explain", "m.heddle", "r.csv", "--row", "300"]), &["rows 1 to 201"]);
    holds(&folder.fails(&["tokens", "r.csv", "--line", "4"]), &["no row begins on line 4"]);
}

#[test]
fn listings_name_rows_as_explain_takes_them() {
    let folder = folder();
    folder.run(&[&["train", "others.csv", "--out", "m.heddle"][..], &APART].concat());
    // Two labels are turned: the model is sure of another class.
    let turned = folder
        .text("r.csv")
        .replace("H050,a warm cabin and a kind crew", "H050,a cold cabin and a rude crew");
    let folder = folder.file("t.csv", turned);
    let run = folder.run(&["assess", "m.heddle", "t.csv", "--json"]);
    let mistake =
        serde_json::from_str::<serde_json::Value>(&run.out).expect("an answer")["mistakes"][0].clone();
    let (row, line) = (mistake["id"].as_str().expect("a name"), mistake["line"].to_string());
    assert_eq!((row, line.as_str()), ("52", "53"));
    let explained = folder.run(&["explain", "m.heddle", "t.csv", "--row", row]).out;
    holds(&explained, &["row 52, line 53", "a cold cabin and a rude crew on crossing 50"]);
    let labelled = folder.run(&["label", "t.csv", "--samples", "200", "--json"]);
    let found: serde_json::Value = serde_json::from_str(&labelled.out).expect("an answer");
    let samples = found["samples"].as_array().expect("a list");
    let own = samples.iter().find(|sample| sample["line"] == 53).expect("the row");
    assert_eq!((&own["row"], &own["id"]), (&52.into(), &serde_json::Value::Null));
}

#[test]
fn rows_of_several_files_and_of_folders_are_told_apart() {
    let folder = folder();
    let fast = ["--set", "validation.folds=2", "--ledger", "none", "--out", "v.csv"];
    folder.run(&[&["validate", "r.csv", "others.csv"][..], &fast, &APART].concat());
    let rows = column(&folder.csv("v.csv"), "row");
    assert_eq!((rows[0].as_str(), rows[399].as_str()), ("r.csv:1", "others.csv:201"));
    for (class, text) in [("negative", "a cold cabin"), ("positive", "a warm cabin")] {
        std::fs::create_dir_all(folder.path(&format!("texts/{class}"))).expect("a folder");
        for at in 0..20 {
            std::fs::write(folder.path(&format!("texts/{class}/{at:02}.txt")), format!("{text} {at}"))
                .expect("a file");
        }
    }
    folder.run(&[&["validate", "texts"][..], &fast, &["--force"], &APART].concat());
    let names = column(&folder.csv("v.csv"), "file");
    assert!(names[0].ends_with("negative/00.txt") && names[39].ends_with("positive/19.txt"), "{names:?}");
}

#[test]
fn validation_and_assessment_write_what_is_needed_next() {
    let folder = folder();
    let set = [
        "--set",
        "validation.folds=2",
        "--set",
        "reviews.beside=[\"deck\"]",
        "--id",
        "id",
        "--ledger",
        "none",
    ];
    folder.run(&[&["validate", "r.csv", "--out", "v.csv"][..], &set, &APART].concat());
    let table = folder.csv("v.csv");
    let expected = "id review deck truth round fold log_odds p_negative p_positive polarity verdict";
    assert_eq!(table.0.join(" "), expected);
    assert_eq!((column(&table, "id")[3].as_str(), column(&table, "deck")[3].as_str()), ("H003", "3"));
    folder.run(&[&["train", "others.csv", "--out", "m.heddle"][..], &APART].concat());
    folder.run(&["assess", "m.heddle", "r.csv", "--out", "a.csv"]);
    let assessed = folder.csv("a.csv");
    assert_eq!(
        assessed.0.join(" "),
        "id review stars deck truth log_odds p_negative p_positive called verdict"
    );
    assert_eq!(column(&assessed, "called")[..3], ["negative", "positive", "positive"]);
}

#[test]
fn scores_are_written_as_they_are_asked_for() {
    let folder = folder();
    folder.run(&[&["train", "others.csv", "--out", "m.heddle"][..], &APART].concat());
    let score = |more: &[&str]| {
        folder.run(&[&["score", "m.heddle", "r.csv", "--out", "s.csv"][..], more].concat());
        folder.csv("s.csv")
    };
    let usual = score(&[]);
    assert_eq!(usual.0.join(" "), "id review stars deck polarity p_negative p_positive verdict");
    assert!(column(&usual, "p_negative").iter().all(|p| p.len() == 8), "six decimals");
    let chosen = score(&["--columns", "id,deck", "--log-odds", "--called", "number", "--decimals", "all"]);
    assert_eq!(chosen.0.join(" "), "id deck polarity log_odds p_negative p_positive verdict");
    assert_eq!(
        (column(&chosen, "polarity")[0].as_str(), column(&chosen, "verdict")[1].as_str()),
        ("-1", "1")
    );
    let number = |name: &str| column(&chosen, name)[0].parse::<f64>().expect("a number");
    assert!((1.0 / (1.0 + (-number("log_odds")).exp()) - number("p_positive")).abs() < 1e-12);
    assert_eq!(column(&score(&["--called", "sign"]), "polarity")[..2], ["-", "+"]);
    holds(&folder.run(&["score", "m.heddle", "r.csv", "--columns", "dek"]).err, &["no column `dek`", "deck"]);
}

#[test]
fn terms_are_written_with_rates_and_phrases_with_their_places() {
    let folder = folder();
    folder.run(&["terms", "r.csv", "--out", "t.csv"]);
    let table = folder.csv("t.csv");
    let at = column(&table, "term").iter().position(|term| term == "cold").expect("a term");
    let of = |name: &str| column(&table, name)[at].parse::<f64>().expect("a number");
    assert_eq!(
        (of("negative"), of("times_negative"), of("share_negative"), of("share_positive")),
        (67.0, 67.0, 1.0, 0.0)
    );
    let ratio = ((67.0 + 0.5) / (67.0 + 1.0)) / (0.5 / (133.0 + 1.0));
    assert!((of("rate_ratio") - ratio).abs() < 1e-9, "{}", of("rate_ratio"));
    let run = folder.run(&["terms", "r.csv", "--find", "rude crew", "--out", "p.csv"]);
    holds(&run.out, &["[rude crew]"]);
    let places = folder.csv("p.csv");
    assert_eq!(
        (places.1.len(), column(&places, "found")[0].as_str(), column(&places, "truth")[0].as_str()),
        (67, "rude crew", "negative")
    );
}

#[test]
fn reviews_that_nobody_rated_are_surveyed_and_counted() {
    let folder = Folder::new().file(
        "r.csv",
        reviews(60).replace("stars", "cabin").replace("deck", "bed").replace("torn off\n", ""),
    );
    let text: String = folder
        .text("r.csv")
        .lines()
        .map(|line| line.split(',').take(2).collect::<Vec<_>>().join(",") + "\n")
        .collect();
    let folder = folder.file("plain.csv", text);
    holds(
        &folder.done(&["survey", "plain.csv", "--rows", "2"]),
        &["The first rows", "H001", "Which column holds the rating?"],
    );
    let run = folder.run(&["terms", "plain.csv"]);
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["no column holds a rating"]);
    holds(&run.out, &["Most frequent terms, one word", "crew", "60"]);
    assert!(!run.out.contains("in the class"), "{}", run.out);
}

#[test]
fn a_ledger_keeps_data_apart_and_says_what_differs() {
    let folder = folder();
    let fast = ["--set", "validation.folds=2"];
    for more in [
        &["r.csv"][..],
        &["r.csv", "--set", "terms.words=1-1"],
        &["r.csv", "--set", "reviews.together=deck"],
        &["others.csv"],
    ] {
        folder.run(&[&["validate"][..], more, &fast, &APART].concat());
    }
    let out = folder.done(&["ledger"]);
    holds(&out, &["On r.csv (", "On others.csv (", "terms.words=1", "reviews.together=[\"deck\"]", "20"]);
    assert!(!out.contains("nothing"), "{out}");
    let year = out.lines().find(|line| line.contains("validate")).expect("an entry");
    assert!(year.contains(" 20"), "the whole year: {year}");
}

#[test]
fn less_or_more_is_told_on_request() {
    let folder = folder();
    let command = ["train", "r.csv", "--out", "m.heddle"];
    let quiet = folder.run(&[&command[..], &["--quiet"]].concat());
    assert!(
        quiet.err.lines().all(|line| line.starts_with("warning") || line.starts_with("refused")),
        "{}",
        quiet.err
    );
    holds(&quiet.err, &["refused: r.csv, line 4"]);
    let verbose = folder.run(&["train", "r.csv", "-v", "-o", "m.heddle"]);
    holds(&verbose.err, &["learning ...", "seconds  processor", "the whole command"]);
}

#[test]
fn a_shell_gets_completions_and_a_manual_from_the_program() {
    let folder = Folder::new();
    for shell in ["bash", "zsh", "fish"] {
        holds(&folder.done(&["shell", "completions", shell]), &["heddle", "COMPLETE"]);
    }
    // What a shell asks while a call is typed, and what it is offered: settings, their values, and columns of the file.
    let folder = folder.file("r.csv", "id,review,stars,channel\na,b,5,web\n").file("m.heddle", "HEDDLE\r\n");
    let offered = |words: &[&str]| {
        let mut command = folder.command(&[&["--", "heddle"], words].concat());
        command.env("COMPLETE", "bash").env("_CLAP_COMPLETE_INDEX", words.len().to_string());
        command
            .env("_CLAP_IFS", "\n")
            .env("_CLAP_COMPLETE_COMP_TYPE", "9")
            .env("_CLAP_COMPLETE_SPACE", "false");
        String::from_utf8(command.output().expect("it answers").stdout).expect("text")
    };
    assert_eq!(offered(&["train", "r.csv", "--text", "re"]).trim(), "review");
    assert_eq!(offered(&["score", "m.heddle", "r.csv", "--text", ""]).split_whitespace().count(), 4);
    assert_eq!(
        offered(&["train", "r.csv", "--set", "features.columns=ch"]).trim(),
        "features.columns=channel"
    );
    assert_eq!(offered(&["train", "none.csv", "--text", ""]).trim(), "");
    holds(&offered(&["train", "--set", "negation.sc"]), &["negation.scope="]);
    holds(&offered(&["train", "--set", "negation.scope=cl"]), &["negation.scope=clause"]);
    let folder = folder.file("study.toml", "[reviews]\nfiles = [\"r.csv\"]\n");
    let mut command = folder.command(&["--", "heddle", "train", "--stars", "s"]);
    command.env("COMPLETE", "fish").env("_CLAP_COMPLETE_INDEX", "3");
    holds(&String::from_utf8_lossy(&command.output().expect("it answers").stdout), &["stars"]);
    holds(&folder.fails(&["shell", "completions", "tcsh"]), &["bash", "zsh", "fish"]);
    holds(&folder.done(&["shell", "manual"]), &[".TH heddle", "survey"]);
    folder.done(&["shell", "manual", "--out", "man"]);
    holds(&folder.text("man/heddle-train.1"), &[".TH heddle-train", "validate"]);
    folder.done(&["shell", "manual", "--out", "man"]);
    let folder = folder.file("man/heddle.1", "notes of mine");
    holds(&folder.fails(&["shell", "manual", "--out", "man"]), &["--force"]);
}
