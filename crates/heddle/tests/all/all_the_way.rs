//! The demo, and the examples of the documents.

use std::fs;

use crate::common::{Folder, column, number};

#[test]
fn the_demo_does_the_whole_work() {
    let folder = Folder::new();
    let found = folder.json(&["demo"]);
    assert!(folder.fails(&["demo"]).contains("heddle demo FOLDER"), "nothing is overwritten");
    let account = &found["split"]["account"];
    let rest = ["refused", "no_text", "no_rating", "middle", "negative", "neutral", "positive"];
    assert_eq!(rest.iter().map(|name| number(&account[*name])).sum::<f64>(), number(&account["read"]));
    assert_eq!(number(&account["read"]), 6000.0);
    for part in ["texts", "near"] {
        assert_eq!(number(&found["split"]["overlap"][part]), 0.0, "{part}");
    }
    // The demo reviews are neither trivial nor hopeless for a linear model on word pairs.
    for figures in [&found["validation"]["figures"], &found["assessment"]["figures"]] {
        let accuracy = number(&figures["accuracy"]["value"]);
        assert!((0.88..=0.95).contains(&accuracy), "{accuracy}");
    }
    let example = &found["explained"]["texts"][0];
    let sum: f64 = example["clauses"]
        .as_array()
        .expect("clauses")
        .iter()
        .map(|part| number(&part["contribution"]))
        .sum();
    assert!((number(&example["intercept"]) + sum - number(&example["log_odds"])).abs() < 1e-9);
    check_readme(&folder);
    check_demo_reviews(&folder);
}

/// The commands of the README's examples, run in the demo's folder; where the README shows what one
/// prints, it prints that.
fn check_readme(folder: &Folder) {
    let readme = fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../README.md"))
        .expect("the README is there");
    let blocks = readme.split("```console\n").skip(1).filter_map(|block| Some(block.split_once("```")?.0));
    let examples: Vec<&str> = blocks.flat_map(|block| block.split("$ heddle ").skip(1)).collect();
    assert!(examples.len() >= 8, "the README shows the commands");
    let mut shown = 0;
    for example in examples {
        let (call, printed) = example.split_once('\n').unwrap_or((example, ""));
        let mut arguments: Vec<String> = Vec::new();
        for (at, piece) in call.split('"').enumerate() {
            match at % 2 {
                0 => arguments.extend(piece.split_whitespace().map(String::from)),
                _ => arguments.push(piece.into()),
            }
        }
        if arguments[0] == "demo" {
            continue; // its folder is where the others run
        }
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        let mut command = folder.command(&arguments);
        command.current_dir(folder.path("heddle-demo")).env("COLUMNS", "80");
        let output = command.output().expect("the program starts");
        assert!(output.status.success(), "heddle {call}: {}", String::from_utf8_lossy(&output.stderr));
        if !printed.trim().is_empty() {
            let out = String::from_utf8(output.stdout).expect("text");
            assert_eq!(
                out.trim(),
                printed.trim(),
                "heddle {call} prints something else than the README shows"
            );
            shown += 1;
        }
    }
    assert!(shown > 0, "the README shows what a command prints");
}

/// The demo reviews have the roughness that they promise.
fn check_demo_reviews(folder: &Folder) {
    let table = folder.csv("heddle-demo/crossings.csv");
    let (stars, texts) = (column(&table, "stars"), column(&table, "review"));
    let share = |values: &[&str]| {
        let plain = |cell: &String| values.contains(&cell.trim_end_matches(".0"));
        stars.iter().filter(|cell| plain(cell)).count() as f64 / stars.len() as f64
    };
    assert!((0.57..0.63).contains(&share(&["4", "5"])) && (0.10..0.14).contains(&share(&["3"])));
    for odd in ["", "0", "4.0"] {
        assert!(stars.iter().any(|cell| cell == odd), "no rating `{odd}`");
    }
    for part in
        ["’", "&#39;", "&amp;", "<br>", "\n", "\"", "👍", ":-)", "@harrowstrait.example", "£", "nicht", "!!!"]
    {
        let found = texts.iter().any(|text| text.contains(part));
        assert!(found || part == "nicht", "no review holds {part:?}");
    }
    let contradictions = folder.csv("heddle-demo/contradictions.csv");
    let listed = contradictions.1.len() as f64 / table.1.len() as f64;
    assert!((0.01..0.03).contains(&listed), "{listed}");
    let ids = column(&table, "review_id");
    for (id, given) in column(&contradictions, "review_id").iter().zip(column(&contradictions, "stars")) {
        let row = ids.iter().position(|other| other == id).expect("a review of the file");
        assert_eq!(stars[row], given);
    }
}
