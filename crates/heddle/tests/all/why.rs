//! Why reviews are called as they are: which are looked at, and what is told of them.

use std::collections::BTreeMap;
use std::io::Write;
use std::process::Stdio;

use crate::common::{Folder, column, holds};

fn folder() -> Folder {
    let folder = Folder::with_many(240).and_others(80);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    folder
}

const ID: [&str; 2] = ["--set", "reviews.id=id"];

#[test]
fn rows_are_looked_for_by_what_the_model_makes_of_them() {
    let folder = folder();
    let explain = |args: &[&str]| {
        folder.json(&[&["explain", "m.heddle", "others.csv", "--top", "0"][..], args, &ID].concat())
    };
    let texts = |found: &serde_json::Value| found["texts"].as_array().expect("texts").clone();
    let probability = |text: &serde_json::Value, class: &str| {
        text["probabilities"][usize::from(class == "positive")].as_f64().expect("a probability")
    };

    let mistakes = explain(&["--mistakes", "--most", "100"]);
    let found = texts(&mistakes);
    assert!(found.len() > 1 && mistakes["chosen_of"] == found.len(), "{}", found.len());
    let of_label: Vec<f64> = found
        .iter()
        .map(|text| {
            assert_ne!(text["label"]["class"], text["polarity"]);
            probability(text, text["label"]["class"].as_str().expect("a class"))
        })
        .collect();
    assert!(of_label.is_sorted(), "{of_label:?}");

    let near = texts(&explain(&["--nearest", "--most", "100"]));
    assert_eq!(near.len(), 80);
    let away: Vec<f64> = near.iter().map(|text| text["log_odds"].as_f64().expect("nats").abs()).collect();
    assert!(away.is_sorted(), "{away:?}");

    let negative = texts(&explain(&["--class", "Negative", "--most", "100"]));
    let sure: Vec<f64> = negative.iter().map(|text| -probability(text, "negative")).collect();
    assert!(sure.is_sorted() && negative.iter().all(|text| text["polarity"] == "negative"));

    let slice = explain(&["--slice", "stars = 5", "--slice", "words > 6", "--mistakes"]);
    for text in texts(&slice) {
        assert_eq!(text["label"]["value"], "5");
        assert!(text["text"].as_str().expect("text").split_whitespace().count() > 6);
    }
    assert_eq!(texts(&explain(&["--mistakes"])).len(), 3);
    // A page says how many there are, and what the row is labelled.
    let page =
        folder.done(&[&["explain", "m.heddle", "others.csv", "--mistakes", "--most", "1"][..], &ID].concat());
    holds(&page, &["1 of ", "labelled ", "to which the model gives a probability of"]);
}

#[test]
fn what_is_asked_for_and_is_not_there_is_told() {
    let folder = folder();
    let fails = |args: &[&str]| folder.fails(&[&["explain", "m.heddle"][..], args].concat());
    holds(
        &fails(&["others.csv", "--class", "late"]),
        &["`late` is no class of this model", "negative, positive"],
    );
    holds(&fails(&["others.csv", "--slice", "deck = 4"]), &["no column `deck`"]);
    holds(&fails(&["others.csv", "--slice", "deck"]), &["`deck` is no condition"]);
    holds(
        &fails(&["others.csv", "--mistakes", "--set", "reviews.stars=rating"]),
        &["--mistakes needs labels", "no column `rating`"],
    );
    holds(&fails(&[]), &["no text"]);
}

#[test]
fn written_parts_add_up_to_what_score_prints() {
    let folder = folder();
    folder.done(&[&["explain", "m.heddle", "others.csv", "--out", "parts.csv"][..], &ID].concat());
    folder.done(&["score", "m.heddle", "others.csv", "--log-odds", "--decimals", "all", "--out", "s.csv"]);
    let (parts, scored) = (folder.csv("parts.csv"), folder.csv("s.csv"));
    let [ids, levels, added] = ["id", "level", "contribution"].map(|name| column(&parts, name));
    let mut sums: BTreeMap<(&str, &str), f64> = BTreeMap::new();
    for ((id, level), added) in ids.iter().zip(&levels).zip(&added) {
        *sums.entry((id, level)).or_default() += added.parse::<f64>().expect("a number");
    }
    let odds = column(&scored, "log_odds");
    for (id, odds) in column(&scored, "id").iter().zip(&odds) {
        let odds: f64 = odds.parse().expect("a number");
        let of = |level: &str| sums.get(&(id.as_str(), level)).copied().unwrap_or(0.0);
        assert!((of("sum") - odds).abs() < 1e-9, "{id}");
        for level in ["term", "word", "clause"] {
            assert!((of("intercept") + of(level) - odds).abs() < 1e-9, "{id}: {level}");
        }
    }
    assert_eq!(odds.len(), 80);
    // Levels alone; and what is written need not be shown too.
    let clauses =
        ["explain", "m.heddle", "others.csv", "--out", "c.csv", "--level", "clause", "--most", "40"];
    let page = folder.done(&clauses);
    assert!(page.matches("before the first word").count() == 3 && page.contains("40 texts"), "{page}");
    let written = folder.csv("c.csv");
    let levels: Vec<String> = column(&written, "level");
    assert!(levels.iter().all(|level| ["intercept", "clause", "sum"].contains(&level.as_str())));
    assert_eq!(levels.iter().filter(|level| *level == "sum").count(), 40);
    let wrong = folder.run(&["explain", "m.heddle", "others.csv", "--out", "d.csv", "--level", "line"]);
    holds(&wrong.err, &["expected term, word or clause"]);
    // Some rows alone, and never on top of the reviews.
    folder.done(&["explain", "m.heddle", "others.csv", "--row", "2", "--out", "two.csv"]);
    assert!(column(&folder.csv("two.csv"), "row").iter().all(|row| row == "2"));
    holds(&folder.fails(&["explain", "m.heddle", "others.csv", "--out", "others.csv"]), &["others.csv"]);
}

#[test]
fn a_page_tells_what_turns_the_verdict_and_what_reads_alike() {
    let folder = folder();
    let text = "the crew were kind, but the cabin was cold, never again";
    let page = folder.done(&["explain", "m.heddle", "--text", text, "--alike", "many.csv"]);
    holds(&page, &["it would be called", "without   clause", "reads alike", "Likeness: the cosine"]);
    let found = &folder.json(&["explain", "m.heddle", "--text", text, "--alike", "many.csv"])["texts"][0];
    let mut rest = text.to_string();
    for word in found["flip"]["words"].as_array().expect("words").iter().rev() {
        let [start, end] = ["start", "end"].map(|at| word[at].as_u64().expect("a place") as usize);
        rest.replace_range(start..end, " ");
    }
    let without = &folder.json(&["explain", "m.heddle", "--text", &rest])["texts"][0];
    assert_ne!(without["polarity"], found["polarity"]);
    assert_eq!(without["polarity"], found["flip"]["called"]);
    let alike = found["alike"].as_array().expect("reviews");
    assert!(alike.len() == 5 && alike.is_sorted_by_key(|own| -own["likeness"].as_f64().expect("a cosine")));
    assert_eq!(alike[0]["label"]["class"].as_str().map(str::len), Some("positive".len()));
}

#[test]
fn explanations_are_measured_on_many_rows() {
    let folder = folder();
    let asked = ["explain", "m.heddle", "others.csv", "--faithfulness"];
    let found = folder.json(&asked)["faithfulness"].clone();
    assert_eq!(found["points"][0]["words"], 1);
    assert!(found["points"][1]["more"]["low"].as_f64() > Some(0.0), "{found}");
    holds(
        &folder.done(&asked),
        &["Whether verdicts rest on the words", "falls more by", "read again each time"],
    );
}

#[test]
fn reading_lines_are_written_as_a_page() {
    let folder = folder();
    let text = "the crew were kind <b>, but the cabin was cold";
    holds(
        &folder.done(&["explain", "m.heddle", "--text", text, "--out", "page.html"]),
        &["Written: page.html, what the scores of 1 text"],
    );
    let page = folder.text("page.html");
    holds(
        &page,
        &["Why reviews are called as they are", "was never validated", "before the first word", "&lt;b&gt;"],
    );
    folder.done(&["explain", "m.heddle", "others.csv", "--mistakes", "--most", "2", "--out", "mistakes.md"]);
    let text = folder.text("mistakes.md");
    assert_eq!(text.matches("\n## others.csv, row ").count(), 2);
    holds(&text, &["| clause | contribution | running total |", "Labelled "]);
    holds(
        &folder.fails(&["explain", "m.heddle", "--text", "warm", "--out", "rows.csv"]),
        &["are for the rows of a file"],
    );
}

#[test]
fn rows_of_standard_input_are_read_once() {
    let folder = folder();
    let file = std::fs::File::open(folder.path("others.csv")).expect("a file");
    let out = folder.command(&["explain", "m.heddle", "-", "--row", "2", "--json"]).stdin(file).output();
    let out = out.expect("the program starts");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let found: serde_json::Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let of_file = folder.json(&["explain", "m.heddle", "others.csv", "--row", "2"]);
    assert_eq!(found["texts"][0]["score"], of_file["texts"][0]["score"]);
}

#[test]
fn lines_of_standard_input_are_sentences() {
    let folder = folder();
    let mut child = folder
        .command(&["explain", "m.heddle", "--json"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .expect("it starts");
    let sent = "a warm cabin\n\nthe crew were rude\n";
    child.stdin.take().expect("a pipe").write_all(sent.as_bytes()).expect("it reads");
    let out = child.wait_with_output().expect("it ends").stdout;
    let found: serde_json::Value = serde_json::from_slice(&out).expect("JSON");
    let called: Vec<&str> = found["texts"]
        .as_array()
        .expect("texts")
        .iter()
        .map(|text| text["polarity"].as_str().expect("a class"))
        .collect();
    assert_eq!(called, ["positive", "negative"]);
}

#[test]
fn reading_lines_are_drawn() {
    let folder = folder();
    let text = "the <b>crew</b> were kind & quick,\u{1b}[31m but never\u{202e} again";
    let page = folder.done(&["explain", "m.heddle", "--text", text, "--picture", "why.svg"]);
    holds(&page, &["Drawn: why.svg"]);
    let picture = folder.text("why.svg");
    holds(
        &picture,
        &["&lt;b&gt;", ">kind<", "before the first word", "called ", ", probability ", "<title>Typed: "],
    );
    assert!(!picture.contains("<b>") && !picture.contains('\u{1b}') && !picture.contains('\u{202e}'));
    // What the picture says is what JSON says.
    let found = &folder.json(&["explain", "m.heddle", "--text", text])["texts"][0];
    let odds = found["log_odds"].as_f64().expect("nats");
    let sign = if odds < 0.0 { "−" } else { "+" };
    holds(&picture, &[&format!("log-odds {sign}{:.2}", odds.abs())]);
    // Long words and many rows stay inside.
    let long = format!("{} cold", "n".repeat(400));
    folder.done(&["explain", "m.heddle", "--text", &long, "--picture", "long.svg"]);
    let edges = folder.text("long.svg");
    let lines = edges.lines().filter(|line| line.contains(">nnn"));
    let widths: Vec<usize> = lines.map(|line| line.matches('n').count()).collect();
    assert!(widths.len() > 3 && widths.iter().all(|width| *width < 120), "{widths:?}");
    folder.done(&["explain", "m.heddle", "others.csv", "--nearest", "--picture", "near.png"]);
    assert!(folder.bytes("near.png").starts_with(b"\x89PNG"));
    holds(
        &folder.fails(&["explain", "m.heddle", "--text", "x", "--picture", "a.gif"]),
        &["a.gif", ".svg or .png"],
    );
}
