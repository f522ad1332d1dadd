//! What customers complain about and what they praise, as files and pages.

use crate::common::{Folder, column, holds};

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
fn classes_are_told_by_column_with_what_is_more_than_noise() {
    // Of the desk's reviews half are negative, of the others a tenth; the deck says nothing.
    let row = |at: usize| {
        let desk = at.is_multiple_of(2);
        let negative = if desk { at.is_multiple_of(4) } else { at % 20 == 1 };
        let (place, deck) = (["web", "desk"][usize::from(desk)], ["upper", "lower", ""][at / 4 % 3]);
        format!("crossing {at} and a bed,{},{place},{deck}\n", if negative { 1 } else { 5 })
    };
    let rows: String = (0..600).map(row).collect();
    let folder = Folder::new().file("r.csv", format!("review,stars,channel,deck\n{rows}"));
    let asked = [
        "drivers",
        "r.csv",
        "--set",
        "reviews.beside=[\"channel\", \"deck\"]",
        "--set",
        "validation.alike=100%",
    ];
    let found = folder.json(&asked);
    let classes = found["classes"].as_array().expect("classes");
    assert!(classes.len() == 1 && classes[0]["class"] == "negative");
    let of = |column: usize, value: &str| {
        let own = &classes[0]["columns"][column];
        let values = own["values"].as_array().expect("values");
        values
            .iter()
            .find(|own| own["part"] == value)
            .unwrap_or_else(|| panic!("no {value} in {own}"))
            .clone()
    };
    let desk = of(0, "desk");
    assert_eq!(
        (&desk["share"]["value"], &desk["share"]["n"], &desk["differs"]),
        (&0.5.into(), &300.into(), &true.into())
    );
    let web = of(0, "web");
    assert!(web["share"]["value"] == 0.1 && web["difference"]["high"].as_f64() < Some(0.0), "{web}");
    // Blank cells play no part, and what is within noise is not called a difference.
    let (upper, lower) = (of(1, "upper"), of(1, "lower"));
    assert_eq!((&upper["differs"], &lower["differs"]), (&false.into(), &false.into()));
    let n = |own: &serde_json::Value| own["share"]["n"].as_u64().expect("a number");
    assert_eq!(n(&upper) + n(&lower), 400);
    let [one, other] = [&upper, &lower].map(|own| own["difference"]["value"].as_f64().expect("points"));
    assert!((one + other).abs() < 1e-12);
    holds(&folder.done(&asked), &["How often reviews are − negative, by column", "channel desk", " *"]);
}

#[test]
fn themes_are_written_drawn_and_given_names() {
    let folder = folder().file("names.csv", "word,name\nqueue,Waiting at the desk\nboat,The boat\n");
    let run = folder.run(
        &[
            &["drivers", "r.csv", "--names", "names.csv", "--out", "themes.csv", "--picture", "t.svg"][..],
            &["--words", "w.svg"],
            &BESIDE,
        ]
        .concat(),
    );
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["no theme holds the word `boat`"]);
    holds(&run.out, &["Waiting at the desk", "Written: themes.csv", "Drawn: t.svg", "Drawn: w.svg"]);
    let themes = folder.csv("themes.csv");
    assert!(column(&themes, "theme").contains(&"Waiting at the desk".to_string()));
    let [negative, positive, all] =
        ["reviews_negative", "reviews_positive", "reviews"].map(|name| column(&themes, name));
    let number = |cell: &String| cell.parse::<usize>().expect("a number");
    assert!((0..all.len()).all(|at| number(&negative[at]) + number(&positive[at]) == number(&all[at])));
    holds(&folder.text("t.svg"), &["Waiting at the desk", "all reviews, 33.3 %", "95 % intervals"]);
    // Words stand under their class, the most telling largest, in no other's place.
    let words = folder.text("w.svg");
    holds(&words, &[">queue<", ">lovely<", "− negative", "+ positive"]);
    let number = |line: &str, name: &str| -> f64 {
        let begins = line.find(&format!("{name}=\"")).expect("an attribute") + name.len() + 2;
        line[begins..].split('"').next().and_then(|number| number.parse().ok()).expect("a number")
    };
    let of_class = |ink: &str| -> Vec<(f64, f64, f64)> {
        let lines = words.lines().filter(|line| line.starts_with("<text") && line.contains(ink));
        lines.map(|line| (number(line, "x"), number(line, "y"), number(line, "font-size"))).collect()
    };
    for (ink, edges) in [("#7a4cba", 36.0..578.0), ("#b07a12", 602.0..1144.0)] {
        let own = of_class(ink);
        assert!(own.len() > 1 && own.is_sorted_by(|a, b| a.2 >= b.2), "{own:?}");
        assert!(own.iter().all(|(x, ..)| edges.contains(x)));
        // In reading order each stands right of the one before, or below all of its line.
        assert!(own.windows(2).all(|two| two[1].0 > two[0].0 && two[1].1 == two[0].1 || two[1].1 > two[0].1));
    }
    let blank = folder.file("blank.csv", "word,name\nqueue, \n");
    holds(
        &blank.fails(&["drivers", "r.csv", "--names", "blank.csv"]),
        &["blank.csv, line 2, column `name`: it is blank"],
    );
}

#[test]
fn themes_of_columns_that_are_kept_apart_tell_what_they_add() {
    let row = |at: usize| {
        let (title, text) =
            if at.is_multiple_of(3) { ("bad", "a poor bed") } else { ("good", "a lovely bed") };
        format!("{title} number {at},{text} on crossing {at},{}\n", if at.is_multiple_of(3) { 1 } else { 5 })
    };
    let rows: String = (0..300).map(row).collect();
    let folder = Folder::new().file("r.csv", format!("title,review,stars\n{rows}"));
    let found = folder.json(&[
        "drivers",
        "r.csv",
        "--set",
        "reviews.text=[\"title\", \"review\"]",
        "--set",
        "reviews.fields=separate",
        "--set",
        "validation.alike=100%",
    ]);
    let themes = found["themes"].as_array().expect("themes");
    assert!(themes.iter().any(|own| own["name"] == "title:bad") && themes.len() >= 4, "{themes:?}");
    for own in themes {
        let adds = own["adds"]["value"].as_f64().expect("what it adds");
        assert_eq!(adds < 0.0, own["class"] == "negative", "{own}");
        assert!(!own["quotes"].as_array().expect("quotes").is_empty(), "{own}");
    }
}

#[test]
fn labels_that_are_chance_drive_nothing() {
    let row = |at: usize| format!("a bed and a crew and tea number {at},{}\n", [1, 5][(at / 2 + at / 7) % 2]);
    let rows: String = (0..300).map(row).collect();
    let folder = Folder::new().file("r.csv", format!("review,stars\n{rows}"));
    let found = folder.json(&["drivers", "r.csv", "--set", "validation.alike=100%"]);
    assert_eq!(found["themes"].as_array().map(Vec::len), Some(0), "{}", found["themes"]);
}
