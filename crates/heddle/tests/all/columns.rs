//! Columns beside the text, in a model and on their own.

use crate::common::{Draw, Folder, column, holds};

/// Reviews whose desk tells something of their class, and whose fee little; `leak` nearly is the class.
fn rows(count: usize) -> String {
    let mut draws = Draw(7);
    let mut draw = |of: u64| draws.below(of);
    let words = ["cabin", "lamp", "steward", "soup", "deck", "bosun", "rope", "berth", "tea", "night"];
    let mut text = String::from("id,review,stars,desk,fee,when,leak\n");
    for at in 0..count {
        let positive = draw(2) == 0;
        let said = match (positive, draw(10) < 7) {
            (true, true) | (false, false) => ["good", "lovely", "warm"][draw(3) as usize],
            _ => ["bad", "cold", "rude"][draw(3) as usize],
        };
        let others: Vec<&str> = (0..6).map(|_| words[draw(10) as usize]).collect();
        let desk = match (positive, draw(10) < 7) {
            _ if draw(30) == 0 => String::new(),
            _ if draw(100) == 0 => format!("booth {}", draw(9)),
            (true, true) | (false, false) => "day".into(),
            _ => "night".into(),
        };
        let stars = if positive { 5 } else { 1 };
        let (fee, hour, day) = (20 + draw(60), draw(24), 1 + draw(28));
        let leak = if draw(50) == 0 {
            "?"
        } else if positive {
            "kept"
        } else {
            "refunded"
        };
        let said = format!("{} {said} {} number {at}", others[..3].join(" "), others[3..].join(" "));
        text.push_str(&format!("r{at},{said},{stars},{desk},{fee},2026-02-{day:02} {hour:02}:10,{leak}\n"));
    }
    text
}

const PLAIN: [&str; 4] = ["--set", "reviews.id=id", "--set", "validation.alike=100%"];

fn asked<'a>(first: &[&'a str], columns: &'a str) -> Vec<&'a str> {
    [first, &PLAIN, &["--set", columns]].concat()
}

#[test]
fn a_model_with_columns_scores_a_file_that_has_them_and_explains_them() {
    let folder = Folder::new().file("r.csv", rows(1200));
    let page = folder.done(&asked(
        &["train", "r.csv", "--out", "m.heddle"],
        "features.columns=desk,fee,when:hour,text:words",
    ));
    holds(&page, &["columns", "beside the text, each with the nats", "when:hour"]);
    let trained = folder.json(&["inspect", "m.heddle"]);
    assert_eq!(trained["card"]["columns"]["coding"].as_array().map(Vec::len), Some(4));
    holds(
        &folder.done(&["inspect", "m.heddle"]),
        &["What the columns beside the text add", "night", "(blank)"],
    );

    let fresh = Folder::new()
        .file("m.heddle", folder.bytes("m.heddle"))
        .file("n.csv", "id,review,desk,fee,when\na,soup,day,30,2026-02-01 10:00\nb,soup,night,30,2026-02-01 10:00\nc,soup,kiosk,,soon\n");
    let scored = fresh.json(&["score", "m.heddle", "n.csv", "--out", "s.csv", "--log-odds"]);
    assert_eq!((scored["scored"].as_u64(), scored["unfamiliar"].as_u64()), (Some(3), Some(1)));
    let odds: Vec<f64> =
        column(&fresh.csv("s.csv"), "log_odds").iter().map(|own| own.parse().expect("a number")).collect();
    assert!(odds[0] > odds[1] + 0.5, "the day desk speaks for positive: {odds:?}");
    holds(
        &fresh.done(&["score", "m.heddle", "n.csv", "--out", "s.csv", "--force"]),
        &["1 review with a value that training saw rarely, or never"],
    );

    let explained = fresh.json(&["explain", "m.heddle", "n.csv", "--row", "3"]);
    let parts = explained["texts"][0]["columns"].as_array().expect("columns").clone();
    let values: Vec<&str> = parts.iter().filter_map(|own| own["value"].as_str()).collect();
    assert_eq!(values, ["kiosk (other)", "(blank)", "(blank)", "1 (as 9)"]);
    let page = fresh.done(&["explain", "m.heddle", "n.csv", "--row", "1"]);
    holds(&page, &["desk = day", "fee = 30", "when:hour = 10", "text:words = 1"]);
    let typed = fresh.done(&["explain", "m.heddle", "--text", "good soup"]);
    holds(&typed, &["desk = (not known)"]);

    // Written, each column is a part, and the parts add up.
    fresh.done(&["explain", "m.heddle", "n.csv", "--out", "parts.csv", "--level", "term"]);
    let written = fresh.csv("parts.csv");
    let [ids, levels, adds] = ["id", "level", "contribution"].map(|name| column(&written, name));
    for id in ["a", "b", "c"] {
        let of = |wanted: &dyn Fn(&str) -> bool| -> f64 {
            let own = (0..ids.len()).filter(|at| ids[*at] == id && wanted(&levels[*at]));
            own.map(|at| adds[at].parse::<f64>().expect("a number")).sum()
        };
        let (parts, sum) = (of(&|level| level != "sum"), of(&|level| level == "sum"));
        assert!((parts - sum).abs() < 1e-9, "{id}: {parts} and {sum} in {written:?}");
        assert_eq!(levels.iter().zip(&ids).filter(|own| *own.0 == "column" && *own.1 == id).count(), 4);
    }

    let message = Folder::new()
        .file("m.heddle", folder.bytes("m.heddle"))
        .file("n.csv", "id,review\na,soup\n")
        .fails(&["score", "m.heddle", "n.csv"]);
    holds(&message, &["there is no column `desk`", "`id`, `review`"]);
}

#[test]
fn validation_holds_the_text_and_the_columns_against_both() {
    let folder = Folder::new().file("r.csv", rows(1200));
    let columns = "features.columns=desk,fee";
    let found = folder.json(&asked(&["validate", "r.csv"], columns));
    let sources = found["sources"].as_array().expect("sources");
    let names: Vec<&str> = sources.iter().filter_map(|own| own["source"].as_str()).collect();
    assert_eq!(names, ["text_alone", "columns_alone"]);
    for own in sources {
        assert!(own["gain"]["log_loss"]["high"].as_f64() < Some(0.0), "each tells something: {own}");
    }
    // The text alone is the study without columns, to the last digit.
    let plain = folder.json(&[&["validate", "r.csv"][..], &PLAIN].concat());
    assert_eq!(sources[0]["figures"], plain["figures"]);
    assert!(plain.get("sources").is_none());
    let page = folder.done(&asked(&["validate", "r.csv"], columns));
    holds(&page, &["The text and the columns beside it", "columns alone", "tell something beyond the text"]);
    let of_none = folder.done(&asked(&["validate", "r.csv"], "features.columns=fee"));
    holds(&of_none, &["add nothing to the text beyond noise"]);

    let alone = folder.json(&asked(&["validate", "r.csv", "--set", "features.text=false"], columns));
    assert_eq!(alone["figures"], sources[1]["figures"]);
    let leaks = folder.done(&asked(&["validate", "r.csv"], "features.columns=leak,desk"));
    holds(&leaks, &["column `leak` alone makes", "does it", "hold the label"]);
}

#[test]
fn effects_are_told_at_the_same_text_and_drawn() {
    let folder = Folder::new().file("r.csv", rows(1500));
    let first = ["effects", "r.csv", "--columns", "desk,when:weekday,fee", "--picture", "e.svg"];
    let asked = [&first[..], &PLAIN].concat();
    let found = folder.json(&asked);
    let columns = found["columns"].as_array().expect("columns");
    let levels = columns[0]["levels"].as_array().expect("levels");
    let of = |name: &str| levels.iter().find(|own| own["level"] == name).expect("a level").clone();
    for (name, sign) in [("day", 1.0), ("night", -1.0)] {
        let own = of(name);
        assert!(sign * own["effect"]["value"].as_f64().expect("a value") > 0.4, "{own}");
        assert_eq!(own["beyond_noise"], true);
    }
    let noise = columns[1]["levels"].as_array().expect("levels");
    assert_eq!(noise.len(), 7);
    assert!(noise.iter().all(|own| own["beyond_noise"] == false));
    let reviews = |levels: &[serde_json::Value]| -> u64 {
        levels.iter().filter_map(|own| own["observed"]["n"].as_u64()).sum()
    };
    assert_eq!((reviews(levels), reviews(noise)), (1500, 1500), "every review has one value");
    let svg = folder.text("e.svg");
    holds(&svg, &["<svg", "desk", "Monday", "observed, with 95 % interval", "adds, nats"]);
    let page = folder.done(&[&asked[..], &["--force"]].concat());
    holds(&page, &["adds at the same text", "more than noise", "What the columns bring", "Drawn: e.svg"]);
    holds(&folder.fails(&[&["effects", "r.csv"][..], &PLAIN].concat()), &["--columns channel,posted:hour"]);
}

#[test]
fn columns_that_cannot_count_are_refused_with_what_to_do() {
    let folder = Folder::new().file("r.csv", rows(200));
    let refused = |columns: &str, parts: &[&str]| {
        let message = folder.fails(&asked(&["train", "r.csv", "--out", "m.heddle"], columns));
        holds(&message, parts);
    };
    refused("features.columns=stars", &["`stars`, which is the rating", "leave it out"]);
    refused("features.columns=review", &["`review`, which is the text"]);
    refused("features.columns=id", &["`id`, which is what names a row"]);
    refused("features.columns=when", &["`when`, which has", "names rows"]);
    refused("features.columns=dusk", &["there is no column `dusk`", "desk"]);
    refused("features.columns=desk:number", &["no cell of it can be read so"]);
    refused("features.columns=desk,desk", &["names `desk` twice"]);
    refused("features.penalties=desk=2", &["`desk`, which features.columns does not"]);
    refused("features.text=false", &["leaves nothing to learn from"]);
    let bayes = asked(
        &["train", "r.csv", "--out", "m.heddle", "--set", "model.learner=naive-bayes"],
        "features.columns=desk",
    );
    holds(&folder.fails(&bayes), &["naive Bayes counts words"]);
}

#[test]
fn columns_that_tell_little_or_too_late_are_told() {
    let text = rows(200).replace("id,review,stars,desk", "id,review,stars,helpful_votes");
    let one = rows(200).lines().map(|line| format!("{line},{}\n", "x")).collect::<String>();
    let one = one.replacen("leak,x", "leak,ship", 1);
    let folder = Folder::new().file("votes.csv", text).file("one.csv", one);
    let run = |file: &str, columns: &str| {
        let run = folder.run(&asked(&["train", file, "--out", "m.heddle", "--force"], columns));
        assert_eq!(run.code, 0, "{}", run.err);
        run.err
    };
    holds(&run("votes.csv", "features.columns=helpful_votes"), &["known only some time after a review"]);
    holds(&run("one.csv", "features.columns=ship"), &["column `ship` has one value in all reviews"]);
    holds(&run("one.csv", "features.columns=when:hour,desk:categories"), &[]);
}

#[test]
fn columns_can_be_varied_like_any_setting() {
    let folder = Folder::new().file("r.csv", rows(600));
    let found = folder.json(
        &[&["compare", "r.csv", "--vary", "features.columns=[\"desk\"],[\"desk\",\"fee\"]"][..], &PLAIN]
            .concat(),
    );
    assert_eq!(found["ways"].as_array().map(Vec::len), Some(2), "{found}");
}

#[test]
fn survey_tells_the_share_of_a_class_by_value_of_columns_that_have_few() {
    let folder = Folder::new().file("r.csv", rows(1200));
    let found = folder.json(&["survey", "r.csv"]);
    let columns = found["negative_by"].as_array().expect("columns");
    let names: Vec<&str> = columns.iter().filter_map(|own| own["column"].as_str()).collect();
    assert_eq!(names, ["desk", "leak"], "not the rating, the id, the text, or what has many values");
    let desk = columns[0]["values"].as_array().expect("values");
    let of = |name: &str| desk.iter().find(|own| own["value"] == name).expect("a value").clone();
    let rows = rows(1200);
    for value in ["day", "night"] {
        let own: Vec<&str> = rows.lines().filter(|line| line.contains(&format!(",{value},"))).collect();
        let negative = own.iter().filter(|line| line.contains(&format!(",1,{value},"))).count();
        let told = of(value);
        assert_eq!(told["negative"]["n"].as_u64(), Some(own.len() as u64));
        assert_eq!(told["negative"]["value"].as_f64(), Some(negative as f64 / own.len() as f64));
        assert_eq!(told["differs"], true);
    }
    assert!(desk.iter().all(|own| !own["value"].as_str().unwrap_or("").starts_with("booth")), "too few rows");
    let page = folder.done(&["survey", "r.csv"]);
    holds(&page, &["Share of negative by column", "night", "more than noise"]);
}
