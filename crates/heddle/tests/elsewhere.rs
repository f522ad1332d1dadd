//! Files for work that is done elsewhere: texts as they are read, and the weighted rows.

mod common;

use std::collections::BTreeMap;

use common::{Folder, column, holds};

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
    for term in shown["review"]["terms"].as_array().expect("terms") {
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
