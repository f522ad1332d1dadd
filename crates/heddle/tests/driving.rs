//! What customers complain about and what they praise, as files and pages.

mod common;

use common::{Folder, column, holds};

/// Reviews with a channel and a day; the queue is complained of at the desk, and more so in the second year.
fn folder() -> Folder {
    let row = |at: usize| {
        let (bad, desk, late) = (at.is_multiple_of(3), at % 4 < 2, at % 10 > 4);
        let text = match (bad, at % 7) {
            (true, 0..=3) if desk && late => "the queue was slow",
            (true, 4 | 5) => "a rude crew",
            (true, _) => "a poor bed",
            (false, 0 | 1) => "a lovely cabin",
            (false, 2 | 3) => "the crew was kind",
            (false, _) => "a lovely bed",
        };
        let stars = if bad { 1 } else { 5 };
        let (year, month) = (if late { 2025 } else { 2024 }, 1 + at % 12);
        format!(
            "{text} on crossing {at},{stars},{},{year}-{month:02}-1{}\n",
            ["app", "desk"][usize::from(desk)],
            at % 9
        )
    };
    let rows: String = (0..900).map(row).collect();
    Folder::new().file("r.csv", format!("review,stars,channel,posted\n{rows}"))
}

const BESIDE: [&str; 6] =
    ["--date", "posted", "--set", "reviews.beside=[\"channel\"]", "--set", "validation.alike=100%"];

#[test]
fn themes_are_told_with_what_they_do_where_and_in_whose_words() {
    let folder = folder();
    let asked = [&["drivers", "r.csv"][..], &BESIDE].concat();
    let page = folder.done(&asked);
    holds(&page, &["What makes reviews − negative", "What makes reviews + positive", "queue", "lovely"]);
    holds(
        &page,
        &[
            "Where they differ",
            "channel desk",
            "over time",
            "In their words, − negative",
            "the queue was slow",
        ],
    );
    let found = folder.json(&asked);
    let themes = found["themes"].as_array().expect("themes");
    let of = |word: &str| {
        themes
            .iter()
            .find(|own| own["words"].as_array().expect("words").iter().any(|own| own["word"] == word))
            .unwrap_or_else(|| panic!("no theme holds {word}"))
    };
    let queue = of("queue");
    assert!(queue["adds"]["high"].as_f64() < Some(0.0) && queue["class"] == "negative");
    assert!(queue["trend"]["low"].as_f64() > Some(0.0), "{}", queue["trend"]);
    let desk =
        queue["columns"][0]["values"].as_array().expect("values").iter().find(|own| own["part"] == "desk");
    assert_eq!(desk.expect("a value")["differs"], true);
    let quote = queue["quotes"][0]["clause"].as_str().expect("a quote");
    let row = queue["quotes"][0]["id"].as_str().expect("a row").parse::<usize>().expect("a number");
    assert!(
        folder.text("r.csv").lines().nth(row).expect("a row").contains(quote.trim_end_matches('.')),
        "{quote}"
    );
    assert!(themes.iter().all(|own| {
        let ends =
            [&own["difference"]["low"], &own["difference"]["high"]].map(|end| end.as_f64().expect("an end"));
        ends[0] > 0.0 || ends[1] < 0.0
    }));
}

#[test]
fn themes_are_written_drawn_and_given_names() {
    let folder = folder().file("names.csv", "word,name\nqueue,Waiting at the desk\nboat,The boat\n");
    let run = folder.run(
        &[
            &["drivers", "r.csv", "--names", "names.csv", "--out", "themes.csv", "--picture", "t.svg"][..],
            &BESIDE,
        ]
        .concat(),
    );
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["no theme holds the word `boat`"]);
    holds(&run.out, &["Waiting at the desk", "Written: themes.csv", "Drawn: t.svg"]);
    let themes = folder.csv("themes.csv");
    assert!(column(&themes, "theme").contains(&"Waiting at the desk".to_string()));
    let [negative, positive, all] =
        ["reviews_negative", "reviews_positive", "reviews"].map(|name| column(&themes, name));
    let number = |cell: &String| cell.parse::<usize>().expect("a number");
    assert!((0..all.len()).all(|at| number(&negative[at]) + number(&positive[at]) == number(&all[at])));
    holds(&folder.text("t.svg"), &["Waiting at the desk", "all reviews, 33.3 %", "95 % intervals"]);
    let blank = folder.file("blank.csv", "word,name\nqueue, \n");
    holds(
        &blank.fails(&["drivers", "r.csv", "--names", "blank.csv"]),
        &["blank.csv, line 2, column `name`: it is blank"],
    );
}

#[test]
fn labels_that_are_chance_drive_nothing() {
    let row = |at: usize| format!("a bed and a crew and tea number {at},{}\n", [1, 5][(at / 2 + at / 7) % 2]);
    let rows: String = (0..300).map(row).collect();
    let folder = Folder::new().file("r.csv", format!("review,stars\n{rows}"));
    let found = folder.json(&["drivers", "r.csv", "--set", "validation.alike=100%"]);
    assert_eq!(found["themes"].as_array().map(Vec::len), Some(0), "{}", found["themes"]);
}
