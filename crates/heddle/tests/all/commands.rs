//! Each command, run as its user runs it.

use std::collections::BTreeSet;
use std::io::{Read, Write};
use std::process::Stdio;

use crate::common::{self, Folder, column, holds, number};
use serde_json::Value;

/// A snapshot of an answer.
macro_rules! shows {
    ($name:literal, $folder:expr, $($argument:expr),+) => {
        insta::assert_snapshot!($name, $folder.done(&[$($argument),+]))
    };
}

/// A folder with a model of many reviews.
fn with_model() -> Folder {
    let folder = Folder::with_many(300).and_others(300);
    folder.done(&["train", "others.csv", "--out", "m.heddle", "--set", "model.strength=0.001"]);
    folder
}

#[test]
fn label_shows_what_every_value_becomes() {
    shows!("label", Folder::with_reviews(), "label", "reviews.csv", "--samples", "1");
}

#[test]
fn labelled_rows_keep_their_columns_and_add_up() {
    let folder = Folder::with_reviews();
    let found = folder.json(&["label", "reviews.csv", "--out", "l.csv"]);
    let account = &found["account"];
    let rest = ["refused", "no_text", "no_rating", "middle", "negative", "neutral", "positive"];
    assert_eq!(rest.iter().map(|name| number(&account[*name])).sum::<f64>(), number(&account["read"]));
    let table = folder.csv("l.csv");
    assert_eq!(table.0, ["id", "customer", "review", "stars", "polarity"]);
    assert_eq!(column(&table, "id"), ["r1", "r2", "r3", "r7", "r8"]);
    assert_eq!(column(&table, "polarity"), ["positive", "negative", "positive", "negative", "positive"]);
    assert_eq!(column(&table, "review")[2], "Not a bad cabin, I’d say");
}

#[test]
fn a_labelled_file_is_labelled_again_as_it_is() {
    let folder = Folder::with_reviews();
    folder.done(&["label", "reviews.csv", "--out", "l.csv"]);
    folder.done(&["label", "l.csv", "--set", "reviews.label=polarity", "--out", "again.csv"]);
    assert_eq!(folder.text("again.csv"), folder.text("l.csv"));
}

#[test]
fn the_middle_goes_where_the_study_says() {
    let folder = Folder::with_reviews();
    for (middle, negative, positive) in [("drop", 2.0, 3.0), ("negative", 3.0, 3.0), ("positive", 2.0, 4.0)] {
        let set = format!("polarity.middle={middle}");
        let account = &folder.json(&["label", "reviews.csv", "--set", &set])["account"];
        assert_eq!(
            (number(&account["negative"]), number(&account["positive"])),
            (negative, positive),
            "{middle}"
        );
    }
}

#[test]
fn tokens_shows_scopes() {
    shows!(
        "tokens",
        Folder::new(),
        "tokens",
        "--text",
        "I can’t say the food was good, but the crew wasn't unkind :-("
    );
}

#[test]
fn tokens_shows_a_word_with_its_parts_and_answers_with_each() {
    let folder = Folder::with_many(400);
    folder.done(&["train", "many.csv", "--out", "m.heddle", "--set", "terms.stems=beside"]);
    let call = ["tokens", "--model", "m.heddle", "--text", "the cabin was warm"];
    let page = folder.done(&call);
    holds(&page, &["plain words +", "+ with parts of the word"]);
    assert!(!page.contains("warm-"), "{page}");
    let texts = folder.json(&call);
    let terms = texts["texts"][0]["terms"].as_array().expect("terms");
    let kind = |term: &str| terms.iter().find(|own| own["term"] == term).map(|own| &own["kind"]);
    assert_eq!(kind("warm-"), Some(&"stem".into()), "{texts}");
}

#[test]
fn tokens_reads_with_the_settings_in_force() {
    let folder = Folder::new();
    let found = folder.json(&["tokens", "--text", "Isn’t it", "--set", "text.contractions=false"]);
    assert_eq!(found["texts"][0]["clauses"][0][0]["form"], "isn't");
    assert_eq!(found["texts"][0]["clauses"][0][0]["end"], 7);
}

#[test]
fn training_tells_what_was_learnt() {
    let folder = Folder::with_many(300);
    let found = folder.json(&["train", "many.csv", "--out", "m.heddle"]);
    assert_eq!(found["card"]["convergence"]["stop"], "converged");
    assert!(number(&found["card"]["convergence"]["gap"]) <= 1e-3);
    assert!(found["card"]["choice"]["trials"].as_array().is_some_and(|trials| trials.len() > 2));
    assert!(found["card"]["validated"].is_null());
    let pulls: Vec<&str> = found["strongest"][0]
        .as_array()
        .expect("terms")
        .iter()
        .filter_map(|row| row["term"].as_str())
        .collect();
    assert!(pulls.contains(&"cold") && pulls.contains(&"rude"), "{pulls:?}");
}

#[test]
fn the_same_input_gives_the_same_bytes_with_any_number_of_threads() {
    let folder = Folder::with_many(300);
    for threads in ["1", "2", "5"] {
        folder.done(&["train", "many.csv", "--out", &format!("{threads}.heddle"), "--threads", threads]);
        folder.done(&[
            "score",
            "1.heddle",
            "many.csv",
            "--out",
            &format!("{threads}.csv"),
            "--threads",
            threads,
        ]);
        folder.done(&["validate", "many.csv", "--out", &format!("{threads}-held.csv"), "--threads", threads]);
    }
    for threads in ["2", "5"] {
        for name in [".heddle", ".csv", "-held.csv"] {
            assert!(
                folder.bytes(&format!("{threads}{name}")) == folder.bytes(&format!("1{name}")),
                "{threads}{name}"
            );
        }
    }
}

#[test]
fn validation_figures_are_those_of_the_rows_it_writes() {
    let folder = Folder::with_many(300);
    let found = folder.json(&["validate", "many.csv", "--set", "reviews.id=id", "--out", "held.csv"]);
    let held = folder.csv("held.csv");
    assert_eq!(held.1.len(), 300);
    assert_eq!(column(&held, "id")[0], "m0");
    let right = column(&held, "truth")
        .iter()
        .zip(column(&held, "polarity"))
        .filter(|(truth, called)| *truth == called)
        .count();
    let accuracy = &found["figures"]["accuracy"];
    assert!((number(&accuracy["value"]) - right as f64 / 300.0).abs() < 1e-12);
    assert_eq!(number(&accuracy["n"]), 300.0);
    assert!(
        number(&accuracy["low"]) < number(&accuracy["value"])
            && number(&accuracy["value"]) < number(&accuracy["high"])
    );
    assert!(
        number(&accuracy["low"]) > number(&found["baseline"]["accuracy"]["high"]),
        "better than the majority"
    );
    assert_eq!(number(&found["baseline"]["roc_area"]["value"]), 0.5);
    let folds: BTreeSet<String> = column(&held, "fold").into_iter().collect();
    assert_eq!(folds.len(), 10);
}

#[test]
fn validation_shows_baseline_and_recalls_first() {
    let page = Folder::with_many(100).done(&["validate", "many.csv", "--set", "validation.folds=4"]);
    let place = |text: &str| page.find(text).unwrap_or_else(|| panic!("no `{text}` in {page}"));
    assert!(
        place("baseline") < place("recall of negative") && place("recall of negative") < place("accuracy")
    );
    let page = page.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(page.contains("Rule: 1-2 negative, 4-5 positive"), "the rule stands with the figures: {page}");
}

#[test]
fn assessing_agrees_with_scoring() {
    let folder = with_model();
    let found = folder.json(&["assess", "m.heddle", "many.csv"]);
    folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    let scored = folder.csv("s.csv");
    let stars = column(&scored, "stars");
    let right = column(&scored, "polarity")
        .iter()
        .zip(stars)
        .filter(|(class, stars)| (*class == "positive") == (stars.as_str() > "3"))
        .count();
    assert!((number(&found["figures"]["accuracy"]["value"]) - right as f64 / 300.0).abs() < 1e-12);
}

#[test]
fn scored_rows_keep_order_columns_and_meaning() {
    let folder = with_model().file(
        "new.csv",
        "polarity,review,note\nold,\"A cold cabin, late again\",\"x, y\"\n,never late and hot tea,z\n,,\n,zzz qqq,\n",
    );
    folder.done(&["score", "m.heddle", "new.csv", "--out", "s.csv"]);
    let scored = folder.csv("s.csv");
    assert_eq!(
        scored.0,
        ["polarity", "review", "note", "polarity_heddle", "p_negative", "p_positive", "verdict"]
    );
    assert_eq!(column(&scored, "note"), ["x, y", "z", "", ""]);
    assert_eq!(column(&scored, "verdict"), ["negative", "positive", "unsure", "unsure"]);
    for (negative, positive) in column(&scored, "p_negative").iter().zip(column(&scored, "p_positive")) {
        let sum = negative.parse::<f64>().expect("a number") + positive.parse::<f64>().expect("a number");
        assert!((sum - 1.0).abs() < 1e-12);
    }
}

#[test]
fn a_scored_file_can_be_scored_and_assessed_again() {
    let folder = with_model();
    folder.done(&["score", "m.heddle", "many.csv", "--out", "1.csv"]);
    folder.done(&["score", "m.heddle", "1.csv", "--out", "2.csv"]);
    folder.done(&["score", "m.heddle", "2.csv", "--out", "3.csv"]);
    assert!(folder.csv("3.csv").0.ends_with(&["verdict_heddle_heddle".to_string()]));
    folder.done(&["assess", "m.heddle", "3.csv", "--out", "4.csv"]);
    folder.done(&["assess", "m.heddle", "4.csv", "--out", "5.csv"]);
    assert_eq!(folder.csv("5.csv").1.len(), 300);
}

#[test]
fn rows_may_come_and_go_through_pipes() {
    let folder = with_model();
    let mut child = folder
        .command(&["score", "m.heddle", "-"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program starts");
    child.stdin.take().expect("a pipe").write_all(b"review\nhot tea\n").expect("the program reads");
    let output = child.wait_with_output().expect("the program ends");
    let out = String::from_utf8(output.stdout).expect("text");
    assert!(out.starts_with("review,polarity,p_negative,p_positive,verdict\nhot tea,positive,"), "{out}");
    assert!(
        String::from_utf8_lossy(&output.stderr).contains("1 review scored"),
        "the summary goes beside the rows"
    );
}

#[test]
fn a_closed_pipe_is_quiet() {
    let folder = Folder::with_many(3000);
    folder.done(&["train", "many.csv", "--out", "m.heddle", "--set", "model.strength=0.001"]);
    let mut child = folder
        .command(&["score", "m.heddle", "many.csv"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program starts");
    let mut first = [0; 10];
    child.stdout.take().expect("a pipe").read_exact(&mut first).expect("rows come"); // and the pipe closes here
    let output = child.wait_with_output().expect("the program ends");
    assert_eq!(output.status.code(), Some(0));
    assert!(!String::from_utf8_lossy(&output.stderr).contains("error"), "{output:?}");
}

#[test]
fn explanations_add_up_to_the_score() {
    let folder = with_model();
    let text = "Never late, a cold cabin. Xyz!";
    let found = folder.json(&["explain", "m.heddle", "--text", text]);
    let one = &found["texts"][0];
    let sum = |name: &str| {
        one[name].as_array().expect("parts").iter().map(|part| number(&part["contribution"])).sum::<f64>()
    };
    for name in ["terms", "tokens", "clauses"] {
        assert!((number(&one["intercept"]) + sum(name) - number(&one["log_odds"])).abs() < 1e-9, "{name}");
    }
    assert_eq!(one["unknown"], serde_json::json!(["xyz"]));
    let csv = format!("review\n\"{text}\"\n");
    let folder = folder.file("one.csv", csv);
    folder.done(&["score", "m.heddle", "one.csv", "--out", "s.csv", "--decimals", "all"]);
    let scored: f64 = column(&folder.csv("s.csv"), "p_negative")[0].parse().expect("a number");
    assert_eq!(scored, number(&one["probabilities"][0]), "one number, from one path");
}

#[test]
fn the_reading_line_shows_clause_by_clause() {
    let folder = with_model();
    shows!(
        "explain",
        folder,
        "explain",
        "m.heddle",
        "--text",
        "Never late,\nbut a cold cabin. Not a bad bed!",
        "--top",
        "3"
    );
}

#[test]
fn rows_are_explained_by_number_and_by_id() {
    let folder = with_model();
    let by_row = folder.json(&["explain", "m.heddle", "many.csv", "--row", "3"]);
    let by_id = folder.json(&["explain", "m.heddle", "many.csv", "--id", "m2", "--set", "reviews.id=id"]);
    let by_line = folder.json(&["explain", "m.heddle", "many.csv", "--line", "4"]);
    assert_eq!(
        (&by_row["texts"], &by_row["texts"][0]["score"]),
        (&by_line["texts"], &by_id["texts"][0]["score"])
    );
    assert_eq!(by_row["texts"][0]["origin"], "many.csv, row 3, line 4");
    assert_eq!(by_id["texts"][0]["origin"], "many.csv, m2, line 4");
}

#[test]
fn a_model_that_was_never_validated_says_so() {
    let folder = with_model();
    for arguments in
        [&["assess", "m.heddle", "many.csv"][..], &["score", "m.heddle", "many.csv", "--out", "s.csv"]]
    {
        assert!(folder.run(arguments).err.contains("never validated"), "{arguments:?}");
    }
    folder.done(&["train", "others.csv", "--out", "v.heddle", "--validate"]);
    assert!(!folder.run(&["assess", "v.heddle", "many.csv"]).err.contains("never validated"));
    assert!(folder.done(&["assess", "v.heddle", "many.csv"]).contains("Beside the cross-validated estimate"));
}

#[test]
fn a_run_leaves_everything_in_one_folder_and_overwrites_nothing() {
    let folder = Folder::with_many(300);
    let found = folder.json(&["run", "many.csv", "--out", "first"]);
    for name in ["training.csv", "holdout.csv", "cross-validated.csv", "model.heddle", "findings.json"] {
        assert!(folder.path("first").join(name).exists(), "{name}");
    }
    let kept: Value = serde_json::from_str(&folder.text("first/findings.json")).expect("JSON");
    assert_eq!(kept["assessment"], found["assessment"]);
    assert!(folder.fails(&["run", "many.csv", "--out", "first"]).contains("name another folder"));
    // Its parts are what the single commands give.
    let validated = folder.json(&["validate", "first/training.csv"]);
    assert_eq!(validated["figures"], found["validation"]["figures"]);
    let assessed = folder.json(&["assess", "first/model.heddle", "first/holdout.csv"]);
    assert_eq!(assessed["figures"], found["assessment"]["figures"]);
}

#[test]
fn two_runs_on_the_same_reviews_leave_the_same_bytes() {
    let (one, other) = (Folder::with_many(300), Folder::with_many(300));
    one.done(&["run", "many.csv", "--threads", "1"]);
    other.done(&["run", "many.csv", "--threads", "4"]);
    for name in ["training.csv", "holdout.csv", "cross-validated.csv", "model.heddle", "findings.json"] {
        let name = format!("run/{name}");
        assert!(one.bytes(&name) == other.bytes(&name), "{name}");
    }
}

#[test]
fn settings_are_shown_with_their_origin() {
    let folder = Folder::new().file("study.toml", "[negation]\nreach = 4\n");
    let found = folder.json(&["study", "show", "--set", "terms.words=1-3"]);
    let setting = |path: &str| {
        let settings = found["settings"].as_array().expect("settings");
        settings.iter().find(|setting| setting["path"] == path).unwrap_or_else(|| panic!("no {path}")).clone()
    };
    assert_eq!(
        (&setting("negation.reach")["value"], &setting("negation.reach")["origin"]["file"]),
        (&4.into(), &2.into())
    );
    assert_eq!(
        (&setting("terms.words")["value"], &setting("terms.words")["origin"]),
        (&"1-3".into(), &"override".into())
    );
    assert_eq!(setting("text.case")["origin"], "default");
}

#[test]
fn the_schema_names_every_setting() {
    let folder = Folder::new();
    let schema: Value = serde_json::from_str(&folder.done(&["study", "schema"])).expect("JSON");
    let settings = folder.json(&["study", "show"]);
    for setting in settings["settings"].as_array().expect("settings") {
        let (section, name) = setting["path"].as_str().and_then(|path| path.split_once('.')).expect("a path");
        assert_eq!(
            schema["properties"][section]["properties"][name]["default"], setting["value"],
            "{section}.{name}"
        );
    }
}

#[test]
fn every_command_answers_in_json_and_has_help_with_an_example() {
    let folder = with_model();
    let commands: [&[&str]; 19] = [
        &["sample", "many.csv", "--rows", "50", "--out", "part.csv"],
        &["balance", "many.csv"],
        &["survey", "many.csv"],
        &["label", "many.csv"],
        &["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"],
        &["tokens", "--text", "warm"],
        &["terms", "many.csv", "--find", "tea", "--row", "1", "--like", "tea"],
        &["terms", "--model", "m.heddle"],
        &["train", "many.csv", "--out", "n.heddle"],
        &["validate", "many.csv", "--learning-curve"],
        &["tune", "many.csv", "--vary", "model.strength=0.001,0.01", "--set", "validation.folds=3"],
        &["compare", "many.csv", "--vary", "model.strength=0.001,1", "--set", "validation.folds=3"],
        &["compare", "many.csv", "--with", "m.heddle", "--with", "m.heddle"],
        &["effects", "many.csv", "--columns", "text:words", "--set", "validation.folds=3"],
        &["assess", "m.heddle", "many.csv"],
        &["score", "m.heddle", "many.csv", "--out", "s.csv"],
        &["explain", "m.heddle", "--text", "warm"],
        &["run", "many.csv", "--out", "r"],
        &["ledger", "r"],
    ];
    let specification = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/json.md"))
        .expect("docs/json.md");
    for arguments in commands {
        let found = folder.json(arguments);
        assert_eq!((&found["heddle"], &found["version"]), (&arguments[0].into(), &5.into()));
        let row = specification.lines().find(|line| line.starts_with(&format!("| `{}` |", arguments[0])));
        let row = row.unwrap_or_else(|| panic!("docs/json.md does not tell of {}", arguments[0]));
        for key in found
            .as_object()
            .expect("an object")
            .keys()
            .filter(|key| !["heddle", "version"].contains(&key.as_str()))
        {
            assert!(
                row.contains(&format!("`{key}`")),
                "docs/json.md does not tell of `{key}` of {}",
                arguments[0]
            );
        }
        let help = folder.done(&[arguments[0], "--help"]);
        assert!(help.contains(&format!("heddle {}", arguments[0])) && help.contains("Example"), "{help}");
    }
    assert!(folder.done(&["--help"]).contains("Exit codes"));
}

#[test]
fn pages_keep_to_eighty_columns() {
    let folder = with_model().file("reviews.csv", common::REVIEWS);
    folder.done(&["validate", "many.csv", "--ledger", "m.jsonl", "--set", "negation.scope=off"]);
    let commands: [&[&str]; 14] = [
        &["survey", "reviews.csv"],
        &["survey", "many.csv"],
        &["balance", "many.csv"],
        &["sample", "many.csv", "--share", "10%", "--out", "part.csv"],
        &["ledger", "m.jsonl"],
        &["label", "many.csv"],
        &["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"],
        &[
            "tokens",
            "--text",
            "I can't say that the food was good, or that the crew were anything but unkind to us all",
        ],
        &["train", "many.csv", "--out", "n.heddle"],
        &["validate", "many.csv", "--learning-curve", "--set", "decision.unsure=90%"],
        &["tune", "many.csv", "--vary", "model.strength=0.001..1/3", "--vary", "terms.words=1-1,1-2"],
        &["compare", "many.csv", "--vary", "model.strength=0.001,1,10"],
        &["assess", "m.heddle", "many.csv"],
        &[
            "explain",
            "m.heddle",
            "--text",
            "A cold cabin and late again and the crew were rude and not a good bed, but hot tea",
        ],
    ];
    for arguments in commands {
        let output = folder.command(arguments).env("COLUMNS", "80").output().expect("it runs");
        let page = String::from_utf8(output.stdout).expect("text");
        for line in page.lines() {
            assert!(line.chars().count() <= 80, "{}: {line}", arguments[0]);
        }
    }
}

#[test]
fn output_that_goes_to_no_terminal_has_no_colours() {
    let folder = with_model();
    assert!(!folder.done(&["explain", "m.heddle", "--text", "a cold cabin"]).contains('\u{1b}'));
    let forced = folder
        .command(&["explain", "m.heddle", "--text", "a cold cabin"])
        .env("CLICOLOR_FORCE", "1")
        .output();
    assert!(String::from_utf8_lossy(&forced.expect("it runs").stdout).contains('\u{1b}'));
}

#[test]
fn figures_are_noted_where_their_model_is_and_can_be_listed() {
    let folder = Folder::with_many(300);
    let quick = ["--set", "model.strength=0.01", "--set", "validation.folds=3"];
    folder.done(&[&["run", "many.csv", "--out", "r"][..], &quick].concat());
    folder.done(&[&["validate", "r/training.csv"][..], &quick].concat());
    folder.done(&[&["validate", "r/training.csv", "--set", "negation.scope=off"][..], &quick].concat());
    folder.done(&["assess", "r/model.heddle", "r/holdout.csv"]);
    let own = folder.json(&["ledger", "r"]);
    let commands: Vec<&Value> =
        own["entries"].as_array().expect("entries").iter().map(|entry| &entry["command"]).collect();
    assert_eq!(
        (number(&own["noted"]), commands.len()),
        (3.0, 3),
        "validate and assess of the run, and the later look"
    );
    let found = folder.json(&["ledger", "--by", "log_loss"]);
    let entries = found["entries"].as_array().expect("entries");
    let value = |entry: &Value| number(&entry["figures"]["log_loss"]["value"]);
    assert!(entries.len() == 2 && value(&entries[0]) <= value(&entries[1]), "less is better");
    assert_eq!(entries[0]["data"], entries[1]["data"]);
    assert_ne!(entries[0]["settings"], entries[1]["settings"]);
    assert!(entries.iter().any(|entry| entry["changed"]["negation.scope"] == "off"));
    folder.done(&[&["validate", "many.csv", "--ledger", "none"][..], &quick].concat());
    assert_eq!(number(&folder.json(&["ledger"])["noted"]), 2.0);
}
