//! How many reviews are enough.

use crate::common::{Folder, holds};
use serde_json::Value;

fn reviews(found: &Value) -> Vec<u64> {
    found["sizes"].as_array().expect("sizes").iter().filter_map(|size| size["reviews"].as_u64()).collect()
}

const ASKED: [&str; 6] = ["--judged", "400", "--first", "100", "--set", "validation.alike=100%"];

#[test]
fn each_size_is_twice_the_one_before_and_all_are_judged_by_the_same() {
    let folder = Folder::with_many(3000);
    let found = folder.json(&[&["growth", "many.csv", "--most", "1600"][..], &ASKED].concat());
    let read = found["account"]["read"].as_u64().expect("rows");
    assert_eq!(found["rows"], 3000);
    assert!((1850..=2150).contains(&read), "about 2,000 of 3,000 rows are drawn: {read}");
    let judged = found["judged"].as_u64().expect("a number");
    assert!((400..=480).contains(&judged), "{judged}");
    let sizes = reviews(&found);
    assert!(sizes.len() >= 4 && (100..=130).contains(&sizes[0]), "{sizes:?}");
    assert_eq!(sizes[sizes.len() - 1] + judged, read);
    for size in found["sizes"].as_array().expect("sizes") {
        assert_eq!(size["accuracy"]["n"].as_u64(), Some(judged));
        assert_eq!(size["gain"].is_null(), size["reviews"] == sizes[0]);
    }
    let again = [&["growth", "many.csv", "--most", "1600", "--threads", "1"][..], &ASKED].concat();
    assert_eq!(folder.json(&again), found);
    // A tenth of the labels is noise: a handful of words is soon learnt, and more reviews bring nothing.
    let enough = found["enough"].as_u64().expect("enough is known");
    assert!(enough < sizes[sizes.len() - 1] && sizes.contains(&enough), "{enough} of {sizes:?}");
    let line = found["next"][0]["line"].as_str().expect("a line");
    assert!(line.starts_with("heddle sample many.csv --rows "), "{line}");
    let call: Vec<&str> = line.split(' ').skip(1).collect();
    folder.done(&call);
    let page = folder.done(&[&["growth", "many.csv", "--most", "1600"][..], &ASKED].concat());
    holds(&page, &["drawn from 3,000", "are enough here", "heddle sample many.csv --rows"]);
}

#[test]
fn all_rows_are_taken_where_there_are_no_more() {
    let folder = Folder::with_many(700);
    let found = folder.json(&[&["growth", "many.csv"][..], &ASKED].concat());
    assert_eq!(found["account"]["read"], 700);
    assert_eq!(
        reviews(&found).iter().max().copied().map(|last| last + found["judged"].as_u64().unwrap_or(0)),
        Some(700)
    );
    holds(
        &folder.fails(&["growth", "many.csv"]),
        &["700 labelled reviews are too few", "--judged", "--first"],
    );
    let wrong = folder.run(&["growth", "many.csv", "--first", "3"]);
    assert_eq!(wrong.code, 2);
    holds(&wrong.err, &["10 or more"]);
}
