//! Mistakes with texts, terms and their figures that the program makes impossible, or says when
//! they happen.

use std::collections::BTreeSet;

use crate::common::{Folder, column, number};
use serde_json::Value;

/// The terms that a model keeps, by name, each with its training reviews.
fn terms_of(folder: &Folder, model: &str) -> Vec<(String, String)> {
    folder.done(&["terms", "--model", model, "--out", "terms.csv"]);
    let table = folder.csv("terms.csv");
    column(&table, "term").into_iter().zip(column(&table, "reviews")).collect()
}

/// Two classes that one word tells apart; `extra` is appended to each review of the first class.
fn told_apart(rows: usize, extra: impl Fn(usize) -> String) -> String {
    let mut text = String::from("id,review,stars\n");
    for row in 0..rows {
        let (word, stars) = if row % 2 == 0 { ("warm", 5) } else { ("cold", 1) };
        let more = if row % 2 == 0 { extra(row) } else { String::new() };
        text.push_str(&format!(
            "r{row},a {word} night number {row} aboard for {} of {}{more},{stars}\n",
            7 * row,
            13 * row
        ));
    }
    text
}

#[test]
fn trap_9_vocabulary_and_document_counts_are_of_the_training_rows_alone() {
    // "holdoutword" stands in later rows only; the model of the earlier ones has no trace of it.
    let rows = told_apart(80, |row| if row >= 40 { " holdoutword".into() } else { String::new() });
    let lines: Vec<&str> = rows.lines().collect();
    let part = |range: std::ops::Range<usize>| [&lines[..1], &lines[range]].concat().join("\n");
    let folder = Folder::new().file("t.csv", part(1..41)).file("h.csv", part(41..81)).file("all.csv", &rows);
    folder.done(&["train", "t.csv", "--out", "m.heddle"]);
    let own = terms_of(&folder, "m.heddle");
    assert!(own.iter().all(|(term, _)| !term.contains("holdoutword")));
    assert!(own.contains(&("night".into(), "40".into())), "40 training reviews say it");
    folder.done(&["train", "all.csv", "--out", "all.heddle"]);
    assert!(terms_of(&folder, "all.heddle").iter().any(|(term, _)| term.contains("holdoutword")));
}

#[test]
fn trap_10_no_command_fits_anything_on_a_holdout() {
    let folder = Folder::with_many(200);
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    folder.done(&["train", "t.csv", "--out", "m.heddle"]);
    let before = folder.bytes("m.heddle");
    folder.done(&["assess", "m.heddle", "h.csv"]);
    folder.done(&["score", "m.heddle", "h.csv", "--out", "s.csv"]);
    assert_eq!(folder.bytes("m.heddle"), before);
    for command in [&["train", "h.csv", "--out", "n.heddle"][..], &["validate", "h.csv"], &["terms", "h.csv"]]
    {
        assert!(folder.fails(command).contains("locked holdout"), "{command:?}");
    }
}

#[test]
fn trap_11_each_fold_has_a_vocabulary_of_its_own() {
    let folder = Folder::with_many(150);
    let whole = folder.json(&["terms", "many.csv"]);
    let folds = folder.json(&["validate", "many.csv", "--set", "validation.folds=5"]);
    let sizes: Vec<f64> =
        folds["folds"].as_array().expect("folds").iter().map(|fold| number(&fold["terms"])).collect();
    assert!(sizes.iter().all(|size| *size < number(&whole["kept"])), "{sizes:?} of {}", whole["kept"]);
    assert!(sizes.iter().any(|size| *size != sizes[0]), "folds know different terms: {sizes:?}");
}

#[test]
fn trap_17_a_stop_list_spares_negators_unless_they_are_named() {
    let folder = Folder::new().file("stop.txt", "# ours\nthe\nnot\nisn't\nwas\n");
    let forms = |sets: &[&str]| {
        let text = ["tokens", "--text", "The tea isn't warm, it was not"];
        let found = folder.json(&[&text[..], sets].concat());
        let clauses = found["texts"][0]["clauses"].as_array().expect("clauses").clone();
        let tokens = clauses.iter().flat_map(|clause| clause.as_array().expect("tokens"));
        tokens.map(|token| token["form"].as_str().expect("a form").to_string()).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(forms(&["--set", "text.stoplist=stop.txt"]), "tea is not warm it not");
    assert_eq!(forms(&["--set", "text.stoplist=english"]), "tea not warm not");
    let run = folder.run(&["tokens", "--text", "not warm", "--set", "text.stop_also=[\"not\"]"]);
    assert!(run.err.contains("warning: text.stop_also leaves out not"), "{}", run.err);
    let shown = folder.json(&["study", "stoplist", "--set", "text.stoplist=stop.txt"]);
    assert_eq!(shown["spared"], serde_json::json!(["not"]));
    assert!(
        folder.done(&["study", "stoplist", "--set", "text.stoplist=english"]).lines().any(|w| w == "the")
    );
}

#[test]
fn trap_18_a_scope_reaches_words_that_pairs_do_not() {
    // The negator stands four words before what it negates; all other words are shared.
    let mut rows = String::from("review,stars\n");
    for row in 0..200 {
        let word = ["kind", "clean", "quick", "warm"][row / 4 % 4];
        let (text, stars) = match row % 4 {
            0 | 1 => (format!("they were all {word} on that ship"), 5),
            _ => (format!("they were not on that ship at all {word}"), 1),
        };
        rows.push_str(&format!("{text} {row},{stars}\n"));
    }
    rows.push_str(
        "they were not on that ship at all cheerful 1,1\nthey were all cheerful on that ship 2,5\n",
    );
    let folder = Folder::new().file("r.csv", &rows);
    let weight = |scope: &str| {
        let set = format!("negation.scope={scope}");
        folder.done(&["train", "r.csv", "--out", "m.heddle", "--set", &set]);
        folder.done(&["terms", "--model", "m.heddle", "--out", "terms.csv"]);
        let table = folder.csv("terms.csv");
        let names = column(&table, "term").into_iter().zip(column(&table, "weight"));
        names.filter(|(term, _)| term == "kind" || term == "¬kind").collect::<Vec<_>>()
    };
    let scoped = weight("clause");
    let negated = scoped.iter().find(|(term, _)| term == "¬kind").expect("the negated word is a term");
    assert!(negated.1.starts_with('-') && scoped.len() == 2, "{scoped:?}");
    assert_eq!(weight("off").len(), 1, "without scopes there is one word for both");
}

#[test]
fn trap_19_what_a_cleaning_step_is_worth_is_measured_in_one_line() {
    let folder = Folder::with_many(200);
    let marks = |value: &str| {
        let set = format!("text.punctuation={value}");
        let found = folder.json(&["validate", "many.csv", "--set", &set, "--set", "validation.folds=4"]);
        found["figures"]["accuracy"].clone()
    };
    for accuracy in [marks("keep"), marks("drop")] {
        assert!(number(&accuracy["low"]) < number(&accuracy["high"]));
    }
    let ledger = folder.json(&["ledger", "."]);
    assert_eq!(ledger["entries"].as_array().expect("entries").len(), 2, "both are noted side by side");
}

#[test]
fn trap_20_a_list_in_other_capital_letters_is_told() {
    let folder = Folder::new()
        .file("r.csv", told_apart(40, |_| " with Olga".into()))
        .file("list.txt", "term\nOlga\nWARM\nzebra\n");
    let lower = folder.run(&["terms", "r.csv", "--set", "terms.include=list.txt"]);
    assert!(lower.err.contains("no review holds `zebra`, which"), "{}", lower.err);
    let keep = ["terms", "r.csv", "--set", "terms.include=list.txt", "--set", "text.case=keep"];
    let run = folder.run(&keep);
    assert!(run.err.contains("`WARM`, `zebra`") || run.err.contains("`warm`"), "{}", run.err);
    assert!(run.err.contains("1 of them in other capital letters"), "{}", run.err);
}

#[test]
fn trap_21_what_is_shown_is_what_is_used_and_the_text_stays_as_it_was() {
    let text = "SOOO good &amp; WARM, isn’t it? :-)";
    let folder = Folder::with_many(100).file("one.csv", format!("review\n\"{text}\"\n"));
    let before = folder.bytes("one.csv");
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let shown = folder.json(&["tokens", "one.csv", "--row", "1", "--model", "m.heddle"]);
    let used = folder.json(&["explain", "m.heddle", "one.csv"]);
    assert_eq!((&shown["texts"][0]["raw"], &used["texts"][0]["text"]), (&text.into(), &text.into()));
    let of = |tokens: &Value| (tokens["start"].clone(), tokens["end"].clone(), tokens["form"].clone());
    let clauses = shown["texts"][0]["clauses"].as_array().expect("clauses");
    let seen: Vec<_> = clauses.iter().flat_map(|clause| clause.as_array().expect("tokens")).map(of).collect();
    let read: Vec<_> = used["texts"][0]["tokens"].as_array().expect("tokens").iter().map(of).collect();
    assert_eq!(seen, read);
    let changes = shown["texts"][0]["changes"].as_array().expect("changes");
    assert!(changes.iter().any(|change| change["written"] == "SOOO" && change["step"] == "elongation"));
    folder.done(&["score", "m.heddle", "one.csv", "--out", "s.csv"]);
    assert_eq!(column(&folder.csv("s.csv"), "review"), [text]);
    assert_eq!(folder.bytes("one.csv"), before);
}

#[test]
fn trap_22_vocabulary_and_matrix_have_the_same_size() {
    let folder = Folder::with_many(120);
    let found = folder.json(&["terms", "many.csv", "--out", "v.csv", "--set", "terms.limit=30"]);
    let statuses = column(&folder.csv("v.csv"), "status");
    let kept = statuses.iter().filter(|status| *status == "kept").count();
    assert_eq!((statuses.len() as f64, kept), (number(&found["counted"]), 30));
    folder.done(&["train", "many.csv", "--out", "m.heddle", "--set", "terms.limit=30"]);
    assert_eq!(terms_of(&folder, "m.heddle").len(), 30);
    // A model of which some terms have no weight is no model.
    let bytes = folder.bytes("m.heddle");
    let folder = folder.file("cut.heddle", &bytes[..bytes.len() - 16]);
    assert!(folder.fails(&["terms", "--model", "cut.heddle"]).contains("damaged"));
}

#[test]
fn trap_23_dropped_terms_and_emptied_reviews_are_two_counts() {
    let mut rows = told_apart(40, |_| String::new());
    rows.push_str("x,Zanzibar,5\n");
    let folder = Folder::new().file("r.csv", rows);
    let found = folder.json(&["terms", "r.csv", "--set", "terms.best=50%"]);
    let statuses = found["statuses"].as_array().expect("statuses");
    let weak = statuses.iter().find(|status| status[0] == "weak").expect("half is left out");
    assert!(number(&weak[1]) > 1.0);
    // One review holds no kept term, and is still there.
    assert_eq!((number(&found["coverage"]["uncovered_reviews"]), number(&found["reviews"])), (1.0, 41.0));
    let page = folder.done(&["terms", "r.csv", "--set", "terms.best=50%"]);
    assert!(page.contains("not among terms.best") && page.contains("1 without any kept term"), "{page}");
}

#[test]
fn trap_24_the_formulas_of_the_documents_are_those_of_the_program() {
    let document = include_str!("../../../../docs/weighting.md");
    let row = |line: &&str| line.starts_with("| ") && line.matches('|').count() == 5;
    let cells = |line: &str| -> Vec<String> {
        line.trim_matches('|').split('|').map(|cell| cell.trim().trim_matches('`').to_string()).collect()
    };
    let (mut reviews, mut figures) = (String::from("review,stars\n"), 0);
    let mut folder = Folder::new();
    for line in document.lines() {
        let own = cells(line);
        if own.len() == 3 && own[0].parse::<usize>().is_ok() {
            reviews.push_str(&format!("{},{}\n", own[2], if own[1] == "positive" { 5 } else { 1 }));
            folder = folder.file("r.csv", &reviews);
        }
        if row(&line) && own[0].len() == 3 && own[0].chars().all(char::is_alphabetic) {
            let set = format!("terms.weighting={}", own[0]);
            let rules = [
                "--set",
                "terms.words=1",
                "--set",
                "terms.at_least=1",
                "--set",
                "terms.emphasis=none",
                "--set",
                "terms.stems=none",
                "--set",
                &set,
            ];
            let found = folder.json(&[&["terms", "r.csv", "--row", "4"][..], &rules].concat());
            for (word, expected) in ["cold", "sea", "cabin"].iter().zip(&own[1..]) {
                let terms = found["review"][0]["terms"].as_array().expect("terms");
                let term = terms.iter().find(|term| term["term"] == *word).expect("the word is there");
                assert_eq!(format!("{:.3}", number(&term["value"])), *expected, "{} of {word}", own[0]);
                figures += 1;
            }
        }
    }
    assert_eq!(figures, 30, "every figure of the example was computed again");
}

#[test]
fn trap_25_a_count_of_zero_is_smoothed() {
    // "warm" and "cold" stand in one class each: without smoothing their ratios are infinite.
    let folder = Folder::new().file("r.csv", told_apart(40, |_| String::new()));
    let emphasis = ["--set", "terms.emphasis=class-ratio"];
    folder.done(&[&["train", "r.csv", "--out", "m.heddle"][..], &emphasis].concat());
    folder.done(&["terms", "--model", "m.heddle", "--out", "terms.csv"]);
    let table = folder.csv("terms.csv");
    for (term, factor) in column(&table, "term").iter().zip(column(&table, "document_factor")) {
        assert!(factor.parse::<f64>().is_ok_and(f64::is_finite), "{term}: {factor}");
    }
    let score = folder.json(&["explain", "m.heddle", "--text", "warm night"]);
    assert_eq!(score["texts"][0]["polarity"], "positive");
}

#[test]
fn trap_40_the_reviews_that_a_term_rests_on_stand_beside_it() {
    let folder = Folder::new()
        .file("r.csv", told_apart(60, |row| if row < 4 { " hooray".into() } else { String::new() }));
    let found = folder.json(&["train", "r.csv", "--out", "m.heddle"]);
    let doubtful = found["doubtful"].as_array().expect("a list");
    let rare = doubtful.iter().find(|term| term["term"] == "hooray").expect("it rests on two reviews");
    assert_eq!((&rare["reviews"], &rare["doubts"]), (&2.into(), &serde_json::json!(["few"])));
    // The penalty keeps it below a word as clear that rests on thirty.
    let strongest = found["strongest"][1].as_array().expect("terms");
    let weight =
        |name: &str| strongest.iter().find(|term| term["term"] == name).map(|t| number(&t["weight"]));
    let warm = weight("warm").expect("the telling word is among the strongest");
    assert!(number(&rare["weight"]) < warm, "{rare} against {warm}");
    let page = folder.done(&["terms", "--model", "m.heddle"]);
    assert!(page.contains("reviews") && page.contains("few reviews"), "{page}");
}

#[test]
fn trap_41_function_words_with_large_weights_are_flagged() {
    let folder = Folder::new().file("r.csv", told_apart(60, |_| " via these".into()));
    let run = folder.run(&["train", "r.csv", "--out", "m.heddle"]);
    assert!(run.out.contains("Check:") && run.out.contains("(function word"), "{}", run.out);
    let found = folder.json(&["terms", "r.csv"]);
    let flagged = |why: &str| -> BTreeSet<String> {
        let all = found["doubtful"].as_array().expect("a list").iter();
        let own = all.filter(|term| term["doubts"].as_array().is_some_and(|list| list.contains(&why.into())));
        own.map(|term| term["term"].as_str().expect("a name").to_string()).collect()
    };
    assert!(flagged("function_word").is_superset(&["via".into(), "via these".into()].into()));
    assert!(flagged("one_class").contains("warm") && !flagged("function_word").contains("warm"));
}

#[test]
fn trap_42_names_are_flagged() {
    let folder = Folder::new().file("r.csv", told_apart(60, |_| " said Olga Berg to us".into()));
    for found in [
        folder.json(&["terms", "r.csv"])["doubtful"].clone(),
        folder.json(&["train", "r.csv", "--out", "m.heddle"])["doubtful"].clone(),
        folder.json(&["terms", "--model", "m.heddle"])["doubtful"].clone(),
    ] {
        let olga = found.as_array().expect("a list").iter().find(|term| term["term"] == "olga");
        let doubts = &olga.expect("the name is flagged")["doubts"];
        assert!(doubts.as_array().is_some_and(|list| list.contains(&"name".into())), "{doubts}");
    }
}
