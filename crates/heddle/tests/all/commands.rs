//! Each command, run as its user runs it.

use std::collections::BTreeSet;
use std::io::{Read, Write};
use std::process::Stdio;

use crate::common::{self, Folder, column, holds, number};
use serde_json::{Value, json};

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
fn survey_shows_a_file() {
    shows!("survey", Folder::with_reviews(), "survey", "reviews.csv");
}

#[test]
fn survey_asks_what_only_the_analyst_can_tell() {
    let rows =
        "a,good one here,0\na,a bad one here,1\nb,so so it is,x\nc,well well well,5\nc,well and good,5\n";
    let folder = Folder::new().file("r.csv", format!("customer,review,rating\n{rows}"));
    let questions = folder.json(&["survey", "r.csv"])["questions"].to_string();
    for part in ["rating of 0 (1 row) mean", "rating of `x`", "`customer` stand in several rows"] {
        assert!(questions.contains(part), "{part}: {questions}");
    }
}

#[test]
fn a_rating_is_found_by_any_name() {
    let mut text = String::from("nr;kommentar;note\n");
    (0..40).for_each(|row| text.push_str(&format!("{row};Die Nacht war gut {row};{}\n", row % 6 + 1)));
    let folder = Folder::new().file("r.csv", text);
    let found = &folder.json(&["survey", "r.csv"])["found"];
    assert_eq!((&found["rating"], &found["text"][0]), (&"note".into(), &"kommentar".into()));
}

#[test]
fn a_study_written_by_survey_works_at_once() {
    let mut text = String::from("kundnr,comment text,score\n0,well well well,0\n");
    (1..31).for_each(|row| text.push_str(&format!("{row},it was all of it {row},{}\n", [1, 5][row % 2])));
    let thumbs = "comment,thumb\nit was all good,👍\nit was all bad,👎\nit was all so so,👎\n";
    let folder = Folder::new().file("r.csv", text).file("thumbs.csv", thumbs);
    folder.done(&["survey", "thumbs.csv", "--write-study", "thumbs.toml"]);
    assert!(folder.text("thumbs.toml").contains("positive = \"👍\""), "thumbs say themselves what they mean");
    folder.done(&["survey", "r.csv", "--write-study", "study.toml"]);
    let study = folder.text("study.toml");
    assert!(study.contains("text = [\"comment text\"]") && study.contains("stars = \"score\""), "{study}");
    assert!(study.contains("missing = \"\"") && study.contains("open = [\"Does a rating of 0"), "{study}");
    let settled = ["--set", "polarity.missing=0", "--set", "polarity.open="];
    let account = &folder.json(&[&["label"][..], &settled].concat())["account"];
    assert_eq!(
        (number(&account["negative"]), number(&account["positive"]), number(&account["no_rating"])),
        (15.0, 15.0, 1.0)
    );
    assert!(folder.fails(&["survey", "r.csv", "--write-study", "study.toml"]).contains("there already"));
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
fn split_divides_without_overlap() {
    let folder = Folder::with_many(200);
    let found = folder.json(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    assert_eq!((number(&found["overlap"]["texts"]), number(&found["overlap"]["near"])), (0.0, 0.0));
    let (training, holdout) = (folder.csv("t.csv"), folder.csv("h.csv"));
    let ids = |table: &_| column(table, "id").into_iter().collect::<BTreeSet<_>>();
    assert!(ids(&training).is_disjoint(&ids(&holdout)));
    assert_eq!(ids(&training).len() + ids(&holdout).len(), 200);
    let texts = |table: &_| column(table, "review").into_iter().collect::<BTreeSet<_>>();
    assert!(texts(&training).is_disjoint(&texts(&holdout)), "equal texts stand on both sides");
    let share = |table: &_| {
        let classes = column(table, "polarity");
        classes.iter().filter(|class| *class == "negative").count() as f64 / classes.len() as f64
    };
    let exact = ["--set", "validation.sides=exact"];
    folder
        .done(&[&["split", "many.csv", "--training", "t3.csv", "--holdout", "h3.csv"][..], &exact].concat());
    assert!((share(&folder.csv("t3.csv")) - share(&folder.csv("h3.csv"))).abs() < 0.02);
    folder.done(&["split", "many.csv", "--training", "t2.csv", "--holdout", "h2.csv"]);
    assert_eq!(folder.bytes("h.csv"), folder.bytes("h2.csv"));
}

#[test]
fn rows_that_share_a_value_stay_together() {
    let mut text = String::from("customer,review,stars\n");
    (0..80).for_each(|row| text.push_str(&format!("c{},review number {row},{}\n", row / 4, [1, 5][row % 2])));
    let folder = Folder::new().file("r.csv", text);
    folder.done(&[
        "split",
        "r.csv",
        "--training",
        "t.csv",
        "--holdout",
        "h.csv",
        "--set",
        "reviews.together=customer",
    ]);
    let customers = |name: &str| column(&folder.csv(name), "customer").into_iter().collect::<BTreeSet<_>>();
    assert!(customers("t.csv").is_disjoint(&customers("h.csv")));
    assert!(!customers("h.csv").is_empty() && customers("h.csv").len() < 10);
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
fn a_split_keeps_every_labelled_row_on_one_of_three_sides() {
    let folder = Folder::with_many(600);
    let found = folder.json(&[
        "split",
        "many.csv",
        "--training",
        "t.csv",
        "--development",
        "d.csv",
        "--holdout",
        "h.csv",
        "--set",
        "validation.development=25%",
    ]);
    let ids = |name: &str| column(&folder.csv(name), "id").into_iter().collect::<BTreeSet<_>>();
    let sides = [ids("t.csv"), ids("d.csv"), ids("h.csv")];
    assert_eq!(sides.iter().map(BTreeSet::len).sum::<usize>(), 600);
    assert_eq!(sides.iter().flatten().collect::<BTreeSet<_>>().len(), 600);
    assert!((100..200).contains(&sides[1].len()), "about a quarter: {}", sides[1].len());
    assert_eq!(found["overlap"], serde_json::json!({"texts": 0, "near": 0, "shared": []}));
    // The holdout is the same without a third part.
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h2.csv"]);
    assert_eq!(ids("h2.csv"), sides[2]);
    assert_eq!(folder.text("h.csv.about.json").matches("\"holdout\"").count(), 1);
}

#[test]
fn a_balanced_file_has_the_ratio_and_says_where_it_comes_from() {
    let folder = Folder::with_many(400);
    let before = folder.json(&["balance", "many.csv"]);
    let rows = |found: &Value, method: &str, class: &str| -> f64 {
        let methods = found["methods"].as_array().expect("methods").clone();
        let own = methods.iter().find(|own| own["method"] == method).expect("the method").clone();
        number(&own["rows"][class])
    };
    let (negative, positive) = (rows(&before, "none", "negative"), rows(&before, "none", "positive"));
    assert!(negative < positive);
    for (method, ratio, wanted) in [
        ("down", "1", [negative, negative]),
        ("down", "0.8", [negative, (negative / 0.8).round()]),
        ("up", "1", [positive, positive]),
    ] {
        let (set, ratio) = (format!("balance.method={method}"), format!("balance.ratio={ratio}"));
        let found = folder.json(&["balance", "many.csv", "--set", &set, "--set", &ratio, "--out", "b.csv"]);
        let classes = column(&folder.csv("b.csv"), "polarity");
        let count = |class: &str| classes.iter().filter(|own| *own == class).count() as f64;
        assert_eq!([count("negative"), count("positive")], wanted, "{method}");
        assert_eq!([rows(&found, method, "negative"), rows(&found, method, "positive")], wanted);
    }
    let about: Value = serde_json::from_str(&folder.text("b.csv.about.json")).expect("JSON");
    assert_eq!((number(&about["natural"]["negative"]), &about["holds"]), (negative, &"balanced".into()));
    assert!(folder.fails(&["balance", "many.csv", "--out", "b.csv"]).contains("there is no file to write"));
    let split = ["split", "b.csv", "--training", "t.csv", "--holdout", "h.csv"];
    assert!(folder.fails(&split).contains("Split first, then balance the training part"));
    let page = folder.done(&["balance", "many.csv"]);
    assert!(page.contains("Training then adds +0.") && page.contains("none ←"), "{page}");
}

#[test]
fn samples_keep_shares_order_and_number() {
    let folder = Folder::with_many(1000);
    let stars = |name: &str| column(&folder.csv(name), "stars");
    let share =
        |cells: &[String]| cells.iter().filter(|cell| *cell == "5").count() as f64 / cells.len() as f64;
    let whole = share(&stars("many.csv"));
    let place = |id: &String| id[1..].parse::<usize>().expect("a number");
    for (size, number_of, wanted) in
        [("--rows", "100", 100), ("--share", "10%", 100), ("--rows", "5000", 1000)]
    {
        folder.done(&["sample", "many.csv", size, number_of, "--out", "s.csv"]);
        let drawn = stars("s.csv");
        assert!(drawn.len().abs_diff(wanted) <= 3, "{size}: {}", drawn.len());
        assert!((share(&drawn) - whole).abs() < 0.015, "{size}");
        assert!(
            column(&folder.csv("s.csv"), "id").iter().map(place).is_sorted(),
            "the order of the file is kept"
        );
        let first = folder.bytes("s.csv");
        folder.done(&["sample", "many.csv", size, number_of, "--out", "s.csv", "--threads", "1"]);
        assert_eq!(folder.bytes("s.csv"), first);
    }
    let found = folder.json(&["sample", "many.csv", "--each", "30", "--out", "s.csv"]);
    assert!(found["strata"].as_array().expect("strata").iter().all(|own| number(&own["drawn"]) == 30.0));
    let about: Value = serde_json::from_str(&folder.text("s.csv.about.json")).expect("JSON");
    assert_eq!(number(&about["natural"]["negative"]) + number(&about["natural"]["positive"]), 1000.0);
    // What the study drops is not drawn from, and counted.
    let kept = ["--set", "reviews.keep=[\"stars >= 4\", \"words >= 3\"]"];
    let found = folder.json(&[&["sample", "many.csv", "--rows", "50", "--out", "s.csv"][..], &kept].concat());
    assert!(stars("s.csv").len() == 50 && stars("s.csv").iter().all(|cell| cell.as_str() >= "4"));
    let [read, rows, not_kept] = ["read", "rows", "not_kept"].map(|name| number(&found[name]));
    assert!(read == 1000.0 && rows + not_kept == read && not_kept > 0.0, "{found}");
    assert_eq!(folder.run(&["sample", "many.csv", "--rows", "3", "--each", "3", "--out", "s.csv"]).code, 2);
    assert!(folder.fails(&["sample", "many.csv", "--share", "5", "--out", "s.csv"]).contains("such as 5%"));
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

#[test]
fn survey_tells_of_languages_oddities_and_repeats() {
    let night =
        "The night crossing was calm and the berth was warm and clean, we slept well until the morning";
    let mut text = String::from("when;headline;comment;grade\n");
    for row in 0..60 {
        let comment = match row {
            7 => "asdfghjkl qwertyuiop".into(),
            8 => "Очень тёплая и чистая каюта, спасибо большое всем".into(),
            9 => {
                "Die Überfahrt war ruhig und die Kabine war warm und sauber, wir haben gut geschlafen".into()
            }
            10 => "It wasnâ€™t warm at all".into(),
            50..55 => {
                format!("{night}.")
            }
            55..59 => format!(
                "The night crossing was calm and the berth was warm and we slept until the morning {row}"
            ),
            _ => format!(
                "Cabin {row} was {} and the crew said number {}",
                ["warm", "cold", "fine"][row % 3],
                row * 37
            ),
        };
        text.push_str(&format!(
            "2025-{:02}-03;Some words {};{comment};{}\n",
            1 + row % 12,
            row % 40,
            1 + row % 5
        ));
    }
    let folder = Folder::new().file("r.csv", text);
    let found = folder.json(&["survey", "r.csv"]);
    assert_eq!((&found["found"]["rating"], &found["found"]["date"]), (&"grade".into(), &"when".into()));
    let texts = &found["texts"];
    let odd: Vec<&str> = texts["oddities"]
        .as_array()
        .expect("oddities")
        .iter()
        .filter_map(|own| own["what"].as_str())
        .collect();
    assert_eq!(odd, ["keyboard_noise", "wrongly_decoded"]);
    assert!(texts["scripts"].to_string().contains("Cyrillic"));
    let languages = found["languages"].to_string();
    assert!(
        languages.contains("English") && languages.contains("German") && languages.contains("Russian"),
        "{languages}"
    );
    assert!(number(&texts["near"]) >= 3.0 && number(&texts["conflicting"]) == 0.0, "{texts}");
    assert_eq!(found["columns"][0]["dates"]["months"].as_array().map(Vec::len), Some(12));
    let warm = |rating: usize| found["words"][rating]["frequent"].to_string().contains("cabin");
    assert!(warm(0) && number(&found["words"][0]["reviews"]) > 0.0);
    for part in ["not in English", "decoded wrongly before"] {
        assert!(found["questions"].to_string().contains(part), "{part}: {}", found["questions"]);
    }
}

#[test]
fn a_recipe_sets_the_lengths_that_nobody_set() {
    let folder = Folder::with_many(80).file("study.toml", "[terms]\nletters = \"2\"\nrecipe = \"rich\"\n");
    let setting = |arguments: &[&str], path: &str| {
        let found = folder.json(&[&["study", "show"][..], arguments].concat());
        let settings = found["settings"].as_array().expect("settings");
        let own = settings.iter().find(|setting| setting["path"] == path).expect("a setting");
        (own["value"].as_str().expect("a text").to_string(), own["origin"].clone())
    };
    // What the study file sets stays, before the recipe or behind it.
    assert_eq!(setting(&[], "terms.words"), ("1-3".into(), "recipe".into()));
    assert_eq!(setting(&[], "terms.letters"), ("2".into(), serde_json::json!({"file": 2})));
    assert_eq!(setting(&[], "text.punctuation"), ("all".into(), "recipe".into()));
    // A recipe on the command line takes the place of the other.
    let lean = ["--set", "terms.recipe=lean"];
    assert_eq!(setting(&lean, "terms.words"), ("1".into(), "recipe".into()));
    for order in [["terms.words=2-3", "terms.recipe=rich"], ["terms.recipe=rich", "terms.words=2-3"]] {
        let sets = ["--set", order[0], "--set", order[1]];
        assert_eq!(setting(&sets, "terms.words"), ("2-3".into(), "override".into()), "{order:?}");
    }
    let sets = ["--set", "terms.letters=none", "--set", "validation.folds=3"];
    let tune = ["tune", "many.csv", "--vary", "terms.recipe=lean,usual,rich"];
    let found = folder.json(&[&tune[..], &sets].concat());
    let runs = found["runs"].as_array().expect("runs");
    let of = |recipe: &str| {
        let run = runs.iter().find(|run| run["name"].as_str().is_some_and(|name| name.ends_with(recipe)));
        run.expect("a run")["terms"].as_f64().expect("a number")
    };
    let terms = [of("lean"), of("usual"), of("rich")];
    assert!(terms.is_sorted_by(|a, b| a < b), "{terms:?}");
}

/// Settings that a search would try, settled so that few are left.
const SETTLED: [&str; 12] = [
    "--set",
    "terms.recipe=lean",
    "--set",
    "text.stem=none",
    "--set",
    "terms.letters=none",
    "--set",
    "terms.words=1-1",
    "--set",
    "terms.weighting=ltc",
    "--set",
    "terms.emphasis_least=0.6",
];

#[test]
fn a_search_takes_what_is_best_and_writes_the_study_that_does_it_again() {
    let folder = Folder::with_many(300);
    let search =
        ["tune", "many.csv", "--minutes", "9", "--write-study", "best.toml", "--set", "validation.folds=3"];
    let found = folder.json(&[&search[..], &SETTLED].concat());
    let searched = &found["searched"];
    assert_eq!((&searched["finished"], &searched["no_time"]), (&json!(true), &json!([])));
    let settled = searched["settled"].as_array().expect("settings");
    assert!(
        settled.contains(&json!("text.stem")) && !settled.contains(&json!("negation.style")),
        "{settled:?}"
    );
    let runs = found["runs"].as_array().expect("runs");
    assert!(runs.iter().any(|run| run["name"] == "the study as it is"));
    // From the study, every other value of what is open: three floors, a style and a learner.
    assert!(runs.len() >= 6, "{} runs", runs.len());
    let loss = |run: &Value| run["figures"]["log_loss"]["value"].as_f64().expect("a figure");
    assert!(runs.iter().map(loss).is_sorted() && runs[0]["name"] == found["best"]);
    // What the best of many promises is more than it keeps.
    assert!(found["chosen_elsewhere"]["value"].as_f64() >= Some(loss(&runs[0]) - 1e-3));
    let again = folder.json(&["validate", "--study", "best.toml", "--ledger", "none"]);
    let own = again["figures"]["log_loss"]["value"].as_f64().expect("a figure");
    assert!((own - loss(&runs[0])).abs() < 1e-9, "{own}");
    let told = folder.fails(&search);
    assert!(told.contains("best.toml is there already"), "{told}");
}

#[test]
fn a_search_begins_nothing_that_it_has_no_time_for() {
    let folder = Folder::with_many(120);
    let search = ["tune", "many.csv", "--minutes", "0.00001", "--set", "validation.folds=3"];
    let found = folder.json(&search);
    assert_eq!(found["runs"].as_array().map(Vec::len), Some(1), "the study as it is, is run in any case");
    assert_eq!(found["searched"]["finished"], false);
    assert!(found["searched"]["no_time"].as_array().is_some_and(|names| names.len() > 5));
    let told = folder.fails(&["tune", "many.csv", "--minutes", "0"]);
    assert!(told.contains("--minutes 0") && told.contains("above 0"), "{told}");
    let both = folder.run(&["tune", "many.csv", "--minutes", "1", "--vary", "terms.words=1-1,1-2"]);
    assert!(both.code == 2 && both.err.contains("cannot be used with"), "{}", both.err);
}
