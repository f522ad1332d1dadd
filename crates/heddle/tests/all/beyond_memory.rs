//! Training on rows that are read one after the other and never kept.

use std::fs;
use std::io::Write;
use std::process::Stdio;
use std::thread::sleep;
use std::time::Duration;

use crate::common::{Folder, holds, number};
use serde_json::json;

const STREAMED: [&str; 6] =
    ["--set", "model.learner=online", "--set", "terms.hashed=14", "--set", "model.epochs=2"];

fn train<'a>(more: &[&'a str]) -> Vec<&'a str> {
    [&["train", "many.csv", "--out", "m.heddle", "--force"][..], &STREAMED, more].concat()
}

#[test]
fn rows_that_are_never_kept_teach_a_model_that_scores_others() {
    let folder = Folder::with_many(4_000).and_others(1_500);
    let trained = folder.json(&train(&[]));
    let held_back = &trained["held_back"]["accuracy"];
    let rows = held_back["n"].as_u64().expect("rows");
    assert!((700..900).contains(&rows), "{rows}");
    let mix: u64 =
        ["negative", "positive"].iter().map(|class| trained["account"][class].as_u64().expect("rows")).sum();
    let taught: u64 =
        trained["card"]["mix"].as_array().expect("a mix").iter().map(|n| n.as_u64().expect("rows")).sum();
    assert_eq!(mix, taught + rows);
    let assessed = folder.json(&["assess", "m.heddle", "others.csv"]);
    let accuracy = assessed["figures"]["accuracy"]["value"].as_f64().expect("a figure");
    let [low, high] = ["low", "high"].map(|end| held_back[end].as_f64().expect("a figure"));
    assert!(low - 0.02 < accuracy && accuracy < high + 0.02, "{accuracy} for {held_back}");
    // Rows that had a part in counts are not judged before they teach; rows that had none are.
    assert!(trained.get("progressive").is_none());
    let plain = ["--set", "terms.weighting=lnc", "--set", "terms.emphasis=none"];
    let progressive = &folder.json(&train(&plain))["progressive"];
    let judged = progressive["judged"].as_u64().expect("rows");
    assert_eq!(judged.div_ceil(2), progressive["reviews"].as_u64().expect("rows"));
    let doublings = progressive["doublings"].as_array().expect("doublings");
    let all: u64 = doublings.iter().map(|own| own["accuracy"]["n"].as_u64().expect("rows")).sum();
    assert_eq!(all, judged);
    holds(
        &folder.done(&train(&plain)),
        &["held back", "judged", "each before it taught", "growth", "of the first 1,000"],
    );
}

#[test]
fn cross_validation_stands_beside_what_was_held_back() {
    let folder = Folder::with_many(1_500);
    let trained = folder.json(&train(&["--validate"]));
    let validated = &trained["card"]["validated"];
    let alone = folder.json(&[&["validate", "many.csv"][..], &STREAMED].concat());
    assert_eq!(validated["figures"], alone["figures"], "it is that of the same settings");
    assert!(validated.get("drawn_from").is_none() && trained["judgement"].is_object());
    assert_eq!(folder.json(&["inspect", "m.heddle"])["card"]["validated"], *validated);
    holds(
        &folder.done(&train(&["--validate"])),
        &["held back", "validated", "10 folds: accuracy", "In short"],
    );
    // Of many reviews a part is drawn.
    let folder = Folder::with_many(23_000);
    let few = ["--validate", "--set", "validation.folds=2", "--set", "model.epochs=1"];
    let trained = folder.json(&train(&few));
    let validated = &trained["card"]["validated"];
    let all = ["negative", "positive"].map(|class| number(&trained["account"][class])).iter().sum::<f64>();
    assert_eq!(number(&validated["drawn_from"]), all);
    let judged = number(&validated["figures"]["accuracy"]["n"]);
    assert!((19_500.0..20_500.0).contains(&judged), "{judged} of {all}");
}

#[test]
fn another_language_is_told() {
    let mut text = String::from("review,stars\n");
    for row in 0..80 {
        let (night, stars) = if row % 3 == 0 { ("schlecht und laut", 1) } else { ("ruhig und schön", 5) };
        text.push_str(&format!(
            "Die Nacht auf dem Schiff war {night} und das Personal freundlich {row},{stars}\n"
        ));
    }
    let folder = Folder::new().file("many.csv", text);
    let run = folder.run(&train(&[]));
    assert!(run.code == 0 && run.err.contains("warning: most texts are in German"), "{}", run.err);
    let seen = &folder.json(&["inspect", "m.heddle"])["card"]["seen"];
    assert_eq!(seen["languages"], json!({"German": 80}), "{seen}");
}

#[test]
fn files_pipes_formats_and_threads_teach_the_same() {
    let folder = Folder::with_many(3_000);
    folder.done(&train(&["--threads", "1"]));
    let model = folder.bytes("m.heddle");
    folder.done(&train(&["--threads", "3"]));
    assert!(folder.bytes("m.heddle") == model);
    // Two files are read one after the other.
    let text = folder.text("many.csv");
    let rows: Vec<&str> = text.lines().collect();
    let part = |rows: &[&str]| format!("{}\n{}\n", "id,review,stars", rows.join("\n"));
    let folder = folder.file("a.csv", part(&rows[1..1_200])).file("b.csv", part(&rows[1_200..]));
    folder.done(&[&["train", "a.csv", "b.csv", "--out", "m.heddle", "--force"][..], &STREAMED].concat());
    assert!(folder.bytes("m.heddle") == model);
    // A pipe is copied, because it is read more than once.
    let arguments = [&["train", "-", "--out", "m.heddle", "--force"][..], &STREAMED].concat();
    let mut command = folder.command(&arguments);
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::null()).spawn().expect("the program");
    child.stdin.take().expect("a pipe").write_all(text.as_bytes()).expect("it reads");
    assert!(child.wait().expect("a child").success());
    assert!(folder.bytes("m.heddle") == model);
}

/// Trains with checkpoints, and kills that as soon as there is one.
fn killed(folder: &Folder) {
    let arguments = train(&["--checkpoint", "way", "--checkpoint-rows", "8192"]);
    let mut child =
        folder.command(&arguments).stdout(Stdio::null()).stderr(Stdio::null()).spawn().expect("the program");
    while !folder.path("way").exists() {
        assert!(child.try_wait().expect("a child").is_none(), "it ended before there was a checkpoint");
        sleep(Duration::from_millis(1));
    }
    child.kill().expect("a child");
    child.wait().expect("a child");
    assert!(folder.path("way").exists(), "it ended before it was killed: more rows are needed here");
}

#[test]
fn a_call_that_was_killed_goes_on_from_its_checkpoint_to_the_same_bytes() {
    let folder = Folder::with_many(60_000);
    folder.done(&train(&[]));
    let model = folder.bytes("m.heddle");
    fs::remove_file(folder.path("m.heddle")).expect("a model");
    killed(&folder);
    // Other settings and other reviews do not go on from it.
    let with = |more: &[&'static str]| train(&[&["--checkpoint", "way"], more].concat());
    holds(
        &folder.fails(&with(&["--set", "model.epochs=3"])),
        &["way is a checkpoint of other settings", "remove it"],
    );
    let text = folder.text("many.csv");
    let folder = folder.file("many.csv", text.replacen("cabin", "bunk", 1));
    holds(&folder.fails(&with(&[])), &["way is a checkpoint of other reviews"]);
    let folder = folder.file("many.csv", text);
    let again = folder.run(&with(&[]));
    assert_eq!(again.code, 0, "{}", again.err);
    holds(&again.err, &["going on from way", "rows of it done"]);
    assert!(folder.bytes("m.heddle") == model);
    assert!(!folder.path("way").exists(), "a checkpoint is of no use once the model is there");
    // A damaged one is told, and what is none is not written over.
    killed(&folder);
    let mut bytes = folder.bytes("way");
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    let folder = folder.file("way", bytes);
    // Before rows are looked through, which may take long: there are none here.
    let folder = folder.file("many.csv", "id,review,stars\n");
    holds(&folder.fails(&with(&[])), &["way: expected a checkpoint", "damaged"]);
    let folder = folder.file("notes.txt", "mine");
    let told = folder.fails(&train(&["--checkpoint", "notes.txt"]));
    holds(&told, &["notes.txt is there and no checkpoint"]);
    assert_eq!(folder.text("notes.txt"), "mine");
}

#[test]
fn what_keeps_all_rows_is_refused_with_a_reason() {
    let folder = Folder::with_many(600);
    let told = folder.fails(&train(&["--set", "features.columns=[\"id\"]"]));
    holds(&told, &["features.columns asks for all rows at once", "terms.hashed"]);
    let told = folder.fails(&train(&["--checkpoint", "./m.heddle"]));
    holds(&told, &["./m.heddle is where the model goes"]);
    let in_memory = ["train", "many.csv", "--out", "m.heddle", "--checkpoint", "way"];
    holds(&folder.fails(&in_memory), &["--checkpoint is for rows that are read one after the other"]);
}

#[test]
fn rows_that_are_refused_or_sorted_by_class_are_told() {
    let folder = Folder::with_many(3_000);
    let text = folder.text("many.csv");
    let (header, rows) = text.split_once('\n').expect("rows");
    let mut sorted: Vec<&str> = rows.lines().collect();
    sorted.sort_by_key(|row| row.chars().last());
    sorted.insert(700, "x,one,two,three,4");
    let folder = folder.file("many.csv", format!("{header}\n{}\n", sorted.join("\n")));
    let run = folder.run(&train(&["--validate"]));
    assert_eq!(run.code, 3, "{}", run.err);
    assert_eq!(run.err.matches("line 702").count(), 1, "told once, however often rows are read: {}", run.err);
    holds(&run.err, &["warning: reviews of one class stand together", "random order"]);
    holds(&run.out, &["3,001 read, 1 left out or refused"]);
}
