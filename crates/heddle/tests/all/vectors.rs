//! Word vectors from files.

use std::io::Write;

use crate::common::{Folder, column, holds};

const GOOD: [&str; 4] = ["good", "lovely", "warm", "kind"];
const BAD: [&str; 4] = ["bad", "cold", "rude", "dirty"];

fn rows(count: usize) -> String {
    let mut text = String::from("id,review,stars\n");
    for at in 0..count {
        let positive = at * 7 % 5 < 3;
        let word = if positive { GOOD[at % 4] } else { BAD[at / 3 % 4] };
        let other = ["cabin", "deck", "soup", "tea", "lamp"][at % 5];
        text.push_str(&format!(
            "r{at},the {other} was {word} number {at},{}\n",
            if positive { 5 } else { 1 }
        ));
    }
    text
}

/// A file of vectors: good words point one way, bad ones the other, and so do words that no review has.
fn vectors() -> String {
    let mut words: Vec<(String, [f64; 3])> = Vec::new();
    for (sign, list) in [(1.0, GOOD), (-1.0, BAD)] {
        for (at, word) in list.iter().enumerate() {
            words.push((word.to_string(), [sign, 0.1 * at as f64, 0.2]));
        }
    }
    words.push(("Cabin".into(), [0.0, 1.0, 0.0]));
    words.push(("deck".into(), [0.0, 0.9, 0.1]));
    words.push(("zebra".into(), [0.5, 0.5, 0.5]));
    let lines = words.iter().map(|(word, [a, b, c])| format!("{word} {a} {b} {c}\n"));
    format!("{} 3\n{}", words.len(), lines.collect::<String>())
}

fn asked<'a>(first: &[&'a str]) -> Vec<&'a str> {
    let plain =
        ["--set", "reviews.id=id", "--set", "validation.alike=100%", "--set", "features.vectors=v.vec"];
    [first, &plain].concat()
}

#[test]
fn a_model_takes_vectors_from_a_file_and_no_longer_needs_it() {
    let folder = Folder::new().file("r.csv", rows(300)).file("v.vec", vectors());
    let run = folder.run(&asked(&["train", "r.csv", "--out", "m.heddle"]));
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["note: v.vec has vectors of", "9 as written, 1 in other capital letters alone"]);
    holds(&run.out, &["vectors", "v.vec"]);
    let card = folder.json(&["inspect", "m.heddle"]);
    let told = &card["card"]["vectors"];
    assert_eq!((&told["file"], &told["dims"], &told["as_written"]), (&"v.vec".into(), &3.into(), &9.into()));

    // The model alone, where the file is not.
    let fresh = Folder::new()
        .file("m.heddle", folder.bytes("m.heddle"))
        .file("n.csv", "id,review\na,lovely\nb,rude\nc,not lovely\n");
    fresh.done(&["score", "m.heddle", "n.csv", "--out", "s.csv", "--log-odds"]);
    let odds: Vec<f64> =
        column(&fresh.csv("s.csv"), "log_odds").iter().map(|own| own.parse().expect("a number")).collect();
    assert!(odds[0] > odds[1] && odds[0] > odds[2], "{odds:?}");
    let page = fresh.done(&["explain", "m.heddle", "--text", "A lovely cabin", "--factors"]);
    holds(&page, &["word vector", "lovely"]);
    let explained = fresh.json(&["explain", "m.heddle", "--text", "A lovely cabin"]);
    let parts = explained["texts"][0]["terms"].as_array().expect("terms");
    let kinds = parts.iter().filter(|own| own["kind"] == "vector").count();
    assert_eq!(kinds, 2, "lovely, and Cabin in small letters");
}

#[test]
fn words_of_like_vectors_are_told_beside_those_used_alike() {
    let folder = Folder::new().file("r.csv", rows(300)).file("v.vec", vectors());
    let asked = asked(&["terms", "r.csv", "--like", "Good", "--top", "20"]);
    let found = folder.json(&asked);
    let near = found["similar"]["by_vector"].as_array().expect("words");
    assert_eq!((&near[0][0], near.len()), (&"lovely".into(), 9), "zebra is a word of no review");
    assert!(near[0][1].as_f64() > near[8][1].as_f64());
    holds(&folder.done(&asked), &["whose vectors are like that of “Good”", "cosine", "lovely"]);
}

#[test]
fn packed_files_and_studies_in_other_folders_are_read_alike() {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packed.write_all(vectors().as_bytes()).expect("packed");
    let study =
        "[reviews]\nid = \"id\"\n[validation]\nalike = \"100%\"\n[features]\nvectors = \"v.vec.gz\"\n";
    let folder = Folder::new().file("r.csv", rows(300)).file("v.vec", vectors());
    folder.done(&asked(&["train", "r.csv", "--out", "m.heddle"]));
    let inner = folder.path("inner");
    std::fs::create_dir(&inner).expect("a folder");
    std::fs::write(inner.join("study.toml"), study).expect("a study");
    std::fs::write(inner.join("v.vec.gz"), packed.finish().expect("packed")).expect("a file");
    folder.done(&["train", "r.csv", "--study", "inner/study.toml", "--out", "n.heddle"]);
    let [one, other] = ["m.heddle", "n.heddle"].map(|model| folder.json(&["inspect", model]));
    assert_eq!(one["intercept"], other["intercept"]);
    assert_eq!(other["card"]["vectors"]["file"], "v.vec.gz", "a name, and no path");
}

#[test]
fn validation_and_comparison_refit_vectors_in_each_fold() {
    let folder = Folder::new().file("r.csv", rows(300)).file("v.vec", vectors());
    let found = folder.json(&asked(&["validate", "r.csv", "--set", "validation.folds=4"]));
    assert_eq!(found["folds"].as_array().map(Vec::len), Some(4));
    let compared = folder.json(&[
        "compare",
        "r.csv",
        "--vary",
        "features.vectors=\"\",v.vec",
        "--set",
        "validation.folds=4",
        "--set",
        "reviews.id=id",
        "--set",
        "validation.alike=100%",
    ]);
    let ways = compared["ways"].as_array().expect("ways");
    assert_eq!(
        ways[1]["figures"]["log_loss"], found["figures"]["log_loss"],
        "the same way, the same figures"
    );
    assert_ne!(ways[0]["figures"]["log_loss"], ways[1]["figures"]["log_loss"]);
}

#[test]
fn files_that_hold_no_vectors_are_told_with_their_line() {
    let fails = |text: String, parts: &[&str]| {
        let folder = Folder::new().file("r.csv", rows(300)).file("v.vec", text);
        holds(&folder.fails(&asked(&["train", "r.csv", "--out", "m.heddle"])), parts);
    };
    let whole = vectors();
    fails(String::new(), &["v.vec, line 1", "two whole numbers"]);
    fails("good 1 2 3\n".into(), &["v.vec, line 1", "two whole numbers", "good 1 2 3"]);
    fails(
        whole.replace("lovely 1 0.1 0.2", "lovely 1 0.1"),
        &["line 3", "`lovely` has 2 numbers", "tells of 3"],
    );
    fails(whole.replace("lovely 1 0.1 0.2", "lovely 1 0.1 0.2 9"), &["line 3", "more than the 3 numbers"]);
    fails(whole.replace("lovely 1 0.1", "lovely NaN 0.1"), &["line 3", "`NaN` is no number", "`lovely`"]);
    fails(whole.replacen("11 3", "12 3", 1), &["ends after 11 of the 12 words", "cut short"]);
    fails(whole.replacen("11 3", "10 3", 1), &["line 12", "the header tells of 10 words"]);
    fails("1 3\nzebra 1 2 3\n".into(), &["vector of none of the", "another language"]);
    // Numbers of words that no review has are not read.
    let odd = whole.replace("zebra 0.5 0.5 0.5", "zebra what is this");
    let folder = Folder::new()
        .file("r.csv", rows(300))
        .file("v.vec", odd.replacen("11 3", "12 3", 1) + "good 9 9 9\n");
    let run = folder.run(&asked(&["train", "r.csv", "--out", "m.heddle"]));
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["1 word stands in the file more than once"]);
    let hashed = asked(&["train", "r.csv", "--out", "h.heddle", "--set", "terms.hashed=12"]);
    holds(&folder.fails(&hashed), &["features.vectors looks words up", "terms.hashed=0"]);
    let gone = ["train", "r.csv", "--out", "h.heddle", "--set", "features.vectors=gone.vec"];
    holds(&folder.fails(&gone), &["gone.vec"]);
}

#[test]
fn vectors_may_be_made_from_the_reviews_themselves() {
    let folder = Folder::new().file("r.csv", rows(300));
    let plain =
        ["--set", "reviews.id=id", "--set", "validation.alike=100%", "--set", "features.vectors=reviews"];
    let page = folder.done(&[&["train", "r.csv", "--out", "m.heddle"][..], &plain].concat());
    holds(&page, &["vectors", "of 50 numbers each from reviews"]);
    let explained = folder.json(&["explain", "m.heddle", "--text", "a warm cabin"]);
    let parts = explained["texts"][0]["terms"].as_array().expect("terms");
    assert!(parts.iter().any(|own| own["kind"] == "vector"));
    let alike = folder.json(&[&["terms", "r.csv", "--like", "good"][..], &plain].concat());
    assert!(alike["similar"]["by_vector"].as_array().is_some_and(|own| !own.is_empty()));
}
