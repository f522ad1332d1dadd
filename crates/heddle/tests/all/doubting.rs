//! Labels that are doubted, corrected and taken back.

use crate::common::{Folder, column, holds};

const FOLDS: [&str; 2] = ["--set", "validation.folds=5"];
const ID: [&str; 2] = ["--id", "id"];

/// Reviews of which some have the opposite rating, and the names of those.
fn folder() -> Folder {
    let folder = Folder::with_many(600);
    let (mut turned, mut rows) = (String::from("id\n"), Vec::new());
    for (at, line) in folder.text("many.csv").lines().enumerate() {
        let (row, stars) = line.rsplit_once(',').expect("three columns");
        // Reviews that say one thing throughout, so that the words are plain.
        let good = ["kind", "warm", "never late", "not a bad", "hot"].iter().any(|word| row.contains(word));
        let bad = ["rude", "cold", "late again", "not a good"].iter().any(|word| row.contains(word));
        if at % 20 == 7 && good != bad && (good == (stars == "5" || stars == "4")) {
            turned.push_str(&format!("{}\n", row.split(',').next().expect("an id")));
            rows.push(format!("{row},{}", if good { 1 } else { 5 }));
        } else {
            rows.push(line.to_string());
        }
    }
    folder.file("r.csv", rows.join("\n") + "\n").file("turned.csv", turned)
}

#[test]
fn wrong_labels_stand_first_and_the_ranking_says_what_it_is_worth() {
    let folder = folder();
    let asked = [&["doubts", "r.csv", "--known", "turned.csv"][..], &FOLDS, &ID].concat();
    let found = folder.json(&asked);
    let looks = found["known"]["looks"].as_array().expect("looks");
    assert!(looks[0]["precision"]["value"].as_f64() >= Some(0.7), "{}", looks[0]);
    assert!(looks.last().expect("all")["recall"]["value"].as_f64() > Some(0.9), "{looks:?}");
    let probability: Vec<f64> = found["labels"]
        .as_array()
        .expect("labels")
        .iter()
        .map(|own| {
            assert!(own["label"] != own["called"] || own["contradicted"] == true, "{own}");
            own["probability"].as_f64().expect("a probability")
        })
        .collect();
    assert!(probability.is_sorted());
    let page = folder.done(&asked);
    holds(
        &page,
        &["are doubtful", "may be wrong", "no model has seen", "most doubtful", "of the wrong, found"],
    );
}

#[test]
fn corrections_are_filled_in_and_taken_back() {
    let folder = folder();
    folder.done(&[&["doubts", "r.csv", "--out", "doubts.csv"][..], &FOLDS, &ID].concat());
    let (head, rows) = folder.csv("doubts.csv");
    let at = |name: &str| head.iter().position(|own| own == name).expect("a column");
    assert!(rows.iter().all(|row| row[at("correction")].is_empty() && !row[at("reason")].is_empty()));
    // The first is turned, the second gets a rating, the third is left out; the others stay blank.
    let mut corrected = String::from("id,correction\n");
    for (row, value) in rows.iter().zip([row_called(&rows[0], at("called")), "5".into(), "drop".into()]) {
        corrected.push_str(&format!("{},{value}\n", row[at("id")]));
    }
    corrected.push_str(&format!("{},\n", rows[3][at("id")]));
    let folder = folder.file("done.csv", &corrected);
    let label = ["label", "r.csv", "--corrections", "done.csv", "--out", "l.csv"];
    let found = folder.json(&[&label[..], &ID].concat());
    assert_eq!((&found["corrected"], &found["account"]["no_rating"]), (&3.into(), &1.into()));
    let labelled = folder.csv("l.csv");
    let class_of = |id: &str| {
        let at = column(&labelled, "id").iter().position(|own| own == id);
        at.map(|at| column(&labelled, "polarity")[at].clone())
    };
    assert_eq!(class_of(&rows[0][at("id")]), Some(row_called(&rows[0], at("called"))));
    assert_eq!(class_of(&rows[1][at("id")]).as_deref(), Some("positive"));
    assert_eq!(class_of(&rows[2][at("id")]), None);
    holds(&folder.done(&[&label[..], &ID, &["--force"]].concat()), &["3 corrections taken"]);
}

fn row_called(row: &[String], at: usize) -> String {
    row[at].clone()
}

#[test]
fn rows_without_ids_are_corrected_by_their_numbers() {
    let folder = folder().file("done.csv", "row,correction\n3,negative\n");
    folder.done(&["label", "r.csv", "--corrections", "done.csv", "--out", "l.csv"]);
    let labelled = folder.csv("l.csv");
    assert_eq!(column(&labelled, "polarity")[2], "negative");
}

#[test]
fn corrections_that_fit_nothing_are_told() {
    let folder = folder()
        .file("what.csv", "id,correction\nm1,splendid\n")
        .file("who.csv", "id,correction\nx1,5\nm1,5\n")
        .file("twice.csv", "id,correction\nm1,5\nm1,1\n")
        .file("none.csv", "id,note\nm1,5\n");
    let fails = |file: &str| folder.fails(&[&["label", "r.csv", "--corrections", file][..], &ID].concat());
    holds(
        &fails("what.csv"),
        &["what.csv, line 2, column `correction`", "`splendid` is no rating", "or drop"],
    );
    holds(&fails("who.csv"), &["1 of 2 corrections in who.csv name no row"]);
    holds(&fails("twice.csv"), &["line 3", "`m1` is corrected twice"]);
    holds(&fails("none.csv"), &["no column `correction`"]);
    holds(
        &folder.fails(&[&["doubts", "r.csv", "--known", "none.csv"][..], &FOLDS].concat()),
        &["no column `row`"],
    );
}

#[test]
fn equal_texts_with_other_labels_are_told() {
    let folder = folder();
    let text =
        "\"the ferry left the quay at nine and came to the other side of the strait at six in the morning\"";
    let rows = folder.text("r.csv") + &format!("a1,{text},5\na2,{text},1\n");
    let folder = folder.file("twins.csv", rows);
    let found = folder.json(&[&["doubts", "twins.csv", "--out", "d.csv"][..], &FOLDS, &ID].concat());
    assert!(found["contradicted"].as_u64() >= Some(2));
    let doubted = folder.csv("d.csv");
    let reasons = column(&doubted, "reason");
    let of_twins: Vec<&String> = column(&doubted, "id")
        .iter()
        .zip(&reasons)
        .filter(|(id, _)| id.starts_with('a'))
        .map(|(_, reason)| reason)
        .collect();
    assert!(
        of_twins.len() == 2
            && of_twins.iter().all(|reason| reason.contains("an equal text has another label"))
    );
}
