//! Files for work that is done elsewhere: texts as they are read, and the weighted rows.

use std::collections::BTreeMap;

use crate::common::{Folder, column, holds};

const ID: [&str; 2] = ["--set", "reviews.id=id"];

#[test]
fn texts_are_written_as_they_are_and_as_they_are_read() {
    let folder =
        Folder::new().file("r.csv", "id,review,stars\na1,\"It isn’t BAD, really!\",4\na2,<b>Hot</b> tea,5\n");
    holds(
        &folder.done(&[&["tokens", "r.csv", "--out", "t.jsonl"][..], &ID].concat()),
        &["Written: t.jsonl", "2 texts as they are written and as they are read"],
    );
    folder.done(&[&["tokens", "r.csv", "--out", "t.csv"][..], &ID].concat());
    let written = folder.csv("t.csv");
    assert_eq!(column(&written, "id"), ["a1", "a2"]);
    assert_eq!(column(&written, "text"), ["It isn’t BAD, really!", "<b>Hot</b> tea"]);
    let [cleaned, tokens] = ["cleaned", "tokens"].map(|name| column(&written, name));
    holds(&cleaned[0], &["it is not bad"]);
    holds(&tokens[0], &["not ¬bad"]);
    assert_eq!(cleaned[1], "hot tea");
    // One row alone, and what is shown is what is written.
    folder.done(&[&["tokens", "r.csv", "--row", "2", "--out", "one.csv"][..], &ID].concat());
    assert_eq!(column(&folder.csv("one.csv"), "id"), ["a2"]);
}

#[test]
fn weighted_rows_are_the_same_in_both_forms_and_those_of_one_review() {
    let folder = Folder::with_many(120);
    folder.done(&[&["terms", "many.csv", "--matrix", "w.csv"][..], &ID].concat());
    folder.done(&[&["terms", "many.csv", "--matrix", "w.mtx"][..], &ID].concat());
    let rows = folder.csv("w.csv");
    let [ids, terms, values] = ["id", "term", "value"].map(|name| column(&rows, name));
    let mut by_name: BTreeMap<(String, String), f64> = BTreeMap::new();
    for ((id, term), value) in ids.iter().zip(&terms).zip(&values) {
        by_name.insert((id.clone(), term.clone()), value.parse().expect("a number"));
    }
    assert_eq!(by_name.len(), values.len());

    let text = folder.text("w.mtx");
    let mut lines = text.lines();
    assert_eq!(lines.next(), Some("%%MatrixMarket matrix coordinate real general"));
    let (mut rows, mut columns, mut entries) = (Vec::new(), Vec::new(), Vec::new());
    let mut size = None;
    for line in lines {
        let mut parts = line.splitn(4, ' ');
        match (parts.next(), parts.next()) {
            (Some("%"), Some("row")) => rows.push(parts.nth(1).expect("a name").to_string()),
            (Some("%"), Some("column")) => columns.push(parts.nth(1).expect("a term").to_string()),
            (Some(row), Some(column)) => {
                let numbers = [row, column].map(|own| own.parse::<usize>().expect("a number"));
                match size {
                    None => {
                        size = Some((
                            numbers,
                            parts.next().expect("a count").parse::<usize>().expect("a number"),
                        ))
                    }
                    Some(_) => entries
                        .push((numbers, parts.next().expect("a value").parse::<f64>().expect("a number"))),
                }
            }
            _ => panic!("{line}"),
        }
    }
    assert_eq!(size, Some(([rows.len(), columns.len()], entries.len())));
    assert_eq!(entries.len(), by_name.len());
    for ([row, column], value) in entries {
        assert_eq!(by_name[&(rows[row - 1].clone(), columns[column - 1].clone())], value);
    }
    // Rows have unit length (ltc), and are those that --row shows.
    let of_one: Vec<f64> =
        by_name.iter().filter(|((id, _), _)| id == "m5").map(|(_, value)| value * value).collect();
    assert!((of_one.iter().sum::<f64>() - 1.0).abs() < 1e-6);
    let shown = folder.json(&["terms", "many.csv", "--row", "6"]);
    for term in shown["review"][0]["terms"].as_array().expect("terms") {
        let name = ("m5".to_string(), term["term"].as_str().expect("a term").to_string());
        if let Some(value) = by_name.get(&name) {
            assert!((value - term["value"].as_f64().expect("a number")).abs() < 1e-6, "{name:?}");
        }
    }
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    holds(
        &folder.fails(&["terms", "--model", "m.heddle", "--matrix", "x.csv"]),
        &["--matrix", "leave --model out"],
    );
}

#[test]
fn several_rows_and_phrases_are_looked_up_at_once_and_terms_stand_beside_rows() {
    let folder = Folder::with_many(120);
    let ask = |more: &[&str]| folder.json(&[&["terms", "many.csv"][..], more, &ID].concat());
    let [one, other] = [ask(&["--row", "2"]), ask(&["--row", "7"])].map(|found| found["review"][0].clone());
    let both = ask(&["--row", "2", "--row", "7"]);
    assert_eq!(both["review"], serde_json::json!([one, other]));
    let found = ask(&["--find", "cabin", "--find", "crew"]);
    assert_eq!([&found["found"][0]["phrase"], &found["found"][1]["phrase"]], ["cabin", "crew"]);
    folder.done(
        &[&["terms", "many.csv", "--find", "cabin", "--find", "crew", "--out", "p.csv"][..], &ID].concat(),
    );
    let phrases = column(&folder.csv("p.csv"), "phrase");
    let places = |at: usize| found["found"][at]["places"].as_u64().expect("a number") as usize;
    assert_eq!(phrases.iter().filter(|own| *own == "crew").count(), places(1));
    assert_eq!(phrases.len(), places(0) + places(1));

    let word = one["terms"][1]["term"].as_str().expect("a term").to_string();
    let grid = ask(&["--grid", &format!("{word}, no-such-word"), "--row", "2", "--row", "7"])["grid"].clone();
    assert_eq!(grid["terms"], serde_json::json!([word]));
    for (row, review) in grid["rows"].as_array().expect("rows").iter().zip([&one, &other]) {
        let own = review["terms"].as_array().expect("terms").iter().find(|own| own["term"] == word.as_str());
        let cell = own.map_or(serde_json::Value::Null, |own| {
            serde_json::json!({"count": own["count"], "value": own["value"], "kept": own["status"] == "kept"})
        });
        assert_eq!(row["cells"][0], cell);
    }
    let run = folder.run(&["terms", "many.csv", "--grid", "cabin,no-such-word"]);
    holds(&run.err, &["`no-such-word` is no counted term"]);
    holds(&run.out, &["review", "cabin", "the review does not hold it"]);
}

#[test]
fn terms_that_were_written_are_taken_back() {
    let folder = Folder::with_many(240);
    folder.done(&["terms", "many.csv", "--set", "terms.best=30%", "--out", "terms.csv"]);
    let table = folder.csv("terms.csv");
    let [terms, statuses] = ["term", "status"].map(|name| column(&table, name));
    let kept: Vec<&String> =
        terms.iter().zip(&statuses).filter(|(_, status)| *status == "kept").map(|(term, _)| term).collect();
    assert!(kept.iter().any(|term| term.contains('¬')) && kept.iter().any(|term| term.contains(' ')));
    let again = |list: &str| {
        let set = format!("terms.only={list}");
        folder.done(&["terms", "many.csv", "--set", &set, "--set", "terms.at_least=4", "--out", "again.csv"]);
        let table = folder.csv("again.csv");
        let [terms, statuses] = ["term", "status"].map(|name| column(&table, name));
        let listed = terms.into_iter().zip(statuses).filter(|(_, status)| status == "listed");
        listed.map(|(term, _)| term).collect::<Vec<String>>()
    };
    let sorted = |mut terms: Vec<String>| {
        terms.sort();
        terms
    };
    let expected = sorted(kept.iter().map(|term| (*term).clone()).collect());
    assert_eq!(sorted(again("terms.csv")), expected);
    // So is a plain list, and a table of another form.
    let lines: String = kept.iter().map(|term| format!("{term}\n")).collect();
    std::fs::write(folder.path("list.txt"), format!("term\n{lines}")).expect("a file");
    assert_eq!(sorted(again("list.txt")), expected);
    folder.done(&["terms", "many.csv", "--set", "terms.best=30%", "--out", "terms.parquet"]);
    assert_eq!(sorted(again("terms.parquet")), expected);
    // A model learns from nothing else.
    folder.done(&["train", "many.csv", "--set", "terms.only=[\"cabin\", \"crew\"]", "--out", "m.heddle"]);
    folder.done(&["terms", "--model", "m.heddle", "--out", "of-model.csv"]);
    assert_eq!(sorted(column(&folder.csv("of-model.csv"), "term")), ["cabin", "crew"]);
    // So are terms with blanks inside of them, and a list that these reviews chose is told of.
    let rated: String =
        (0..40).map(|at| format!("a {}/10 cabin number {at},{}\n", 2 + at % 8, 1 + at % 5)).collect();
    let folder = Folder::new().file("r.csv", format!("review,stars\n{rated}"));
    folder.done(&["terms", "r.csv", "--out", "terms.csv"]);
    assert!(column(&folder.csv("terms.csv"), "term").iter().any(|term| term.contains(" of 10›")));
    let run = folder.run(&["train", "r.csv", "--set", "terms.only=terms.csv", "--out", "m.heddle"]);
    assert!(run.code == 0 && !run.err.contains("no review holds"), "{}", run.err);
    holds(&run.err, &["terms.only names", "figures are too good where"]);
    // A long list is shown by its beginning.
    let list: Vec<String> = (0..40).map(|at| format!("\"word{at}\"")).collect();
    let page = folder.done(&["study", "show", "--set", &format!("terms.only=[{}]", list.join(","))]);
    assert!(page.contains("\"word0\"") && !page.contains("\"word20\"") && page.contains("all]"), "{page}");
    let folder = Folder::with_many(20).file("none.csv", "term,status\ncabin,rare\n");
    holds(
        &folder.fails(&["terms", "many.csv", "--set", "terms.only=none.csv"]),
        &["no row of `none.csv` names a term that is kept"],
    );
}
