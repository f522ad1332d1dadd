//! Mistakes of judging and deciding, numbered as in the list of what goes wrong in this work.

use crate::common::{self, Folder, column, holds, number};
use serde_json::Value;

/// A strength that is set, and few folds: quick, and the same for every command.
const QUICK: [&str; 4] = ["--set", "model.strength=0.003", "--set", "validation.folds=5"];

fn with<'a>(first: &[&'a str], more: &[&'a str]) -> Vec<&'a str> {
    [first, more].concat()
}

/// Reviews of which one in ten is negative.
fn skewed() -> Folder {
    let many = Folder::with_many(1500);
    let mut negative = 0;
    let kept = |line: &&str| {
        let is_negative = line.ends_with(",1") || line.ends_with(",2");
        negative += usize::from(is_negative);
        !is_negative || negative % 6 == 0
    };
    let text: Vec<String> = many.text("many.csv").lines().filter(kept).map(String::from).collect();
    many.file("many.csv", text.join("\n") + "\n")
}

#[test]
fn trap_26_accuracy_never_stands_without_baseline_and_recall_of_each_class() {
    let folder = skewed();
    let page = folder.done(&with(&["validate", "many.csv"], &QUICK));
    let place = |what: &str| page.find(what).unwrap_or_else(|| panic!("{what}: {page}"));
    assert!(place("recall of negative") < place("balanced accuracy"));
    assert!(place("balanced accuracy") < place("\n  accuracy"), "what skew hides stands first");
    let found = folder.json(&with(&["validate", "many.csv"], &QUICK));
    let negative = number(&found["account"]["negative"]);
    let share = 1.0 - negative / (negative + number(&found["account"]["positive"]));
    assert!((number(&found["baseline"]["accuracy"]["value"]) - share).abs() < 1e-12);
    assert_eq!(found["baseline"]["classes"][0]["recall"]["value"], 0.0);
    assert!(page.contains("baseline") && page.contains("majority"));
}

#[test]
fn trap_27_a_roc_area_is_named_and_is_no_accuracy() {
    let folder = skewed();
    let page = folder.done(&with(&["validate", "many.csv"], &QUICK));
    // Under skew the order is good and the calls are not: that is said in words.
    assert!(
        page.contains("is no share of right calls") && page.contains("positive above negative"),
        "{page}"
    );
    let found = folder.json(&with(&["validate", "many.csv"], &QUICK));
    let (area, accuracy) = (&found["figures"]["roc_area"], &found["figures"]["balanced_accuracy"]);
    assert!(number(&area["value"]) > number(&accuracy["value"]) + 0.08);
}

#[test]
fn trap_28_one_lucky_deal_is_shown_among_others() {
    let folder = Folder::with_many(300);
    let rounds = with(&QUICK, &["--set", "validation.rounds=4"]);
    let found = folder.json(&with(&["validate", "many.csv"], &rounds));
    let of = |round: &Value| number(&round["accuracy"]["value"]);
    let rounds_found: Vec<f64> = found["rounds"].as_array().expect("rounds").iter().map(of).collect();
    assert_eq!(rounds_found.len(), 4);
    assert!(rounds_found.iter().any(|one| one != &rounds_found[0]), "the deal alone changes figures");
    let mean = rounds_found.iter().sum::<f64>() / 4.0;
    assert!((of(&found["figures"]) - mean).abs() < 1e-12);
    let page = folder.done(&with(&["validate", "many.csv"], &rounds));
    assert!(page.contains("By repetition") && page.contains("least") && page.contains("most"));
}

#[test]
fn trap_29_a_drop_within_noise_is_called_so() {
    let folder = Folder::with_many(400);
    let page = folder.done(&with(&["compare", "many.csv", "--vary", "terms.words=1-2,1-3"], &QUICK));
    let line = page.lines().find(|line| line.starts_with("  accuracy  ") && line.contains("points"));
    assert!(line.is_some_and(|line| line.ends_with("within noise")), "{page}");
    assert!(page.contains("which chance explains") || page.contains("which chance\n"), "{page}");
    // A difference that is real is called one.
    let vary = ["compare", "many.csv", "--vary", "model.strength=0.003,100"];
    let logistic = ["--set", "validation.folds=5", "--set", "model.learner=logistic"];
    let page = folder.done(&with(&vary, &logistic));
    assert!(page.contains("worse, by more than noise"), "{page}");
}

#[test]
fn trap_31_a_tiny_gain_is_no_win() {
    let folder = Folder::with_many(400);
    let found = folder.json(&[
        "tune",
        "many.csv",
        "--vary",
        "terms.words=1-1,1-2,1-3",
        "--vary",
        "model.strength=0.003,0.01",
        "--set",
        "validation.folds=5",
        "--margin",
        "2",
    ]);
    let runs = found["runs"].as_array().expect("runs");
    assert_eq!(runs.len(), 6);
    let named = |name: &Value| runs.iter().find(|run| run["name"] == *name).expect("a run of this name");
    let (best, simplest) = (named(&found["best"]), named(&found["simplest"]));
    assert!(number(&simplest["terms"]) <= number(&best["terms"]));
    assert!(simplest["behind"]["low"].as_f64().is_none_or(|low| low <= 0.0), "within noise of the best");
    // A gain within noise is told as such, and without a margin nothing simpler is called as good.
    let vary = ["tune", "many.csv", "--vary", "terms.words=1-1,1-2", "--set", "validation.folds=5"];
    let page = folder.done(&vary);
    assert!(page.contains("cannot be told from it"), "{page}");
    assert!(folder.json(&vary)["simplest"].is_null());
    holds(&folder.fails(&with(&vary, &["--margin", "0"])), &["points above 0"]);
}

#[test]
fn trap_32_nearly_perfect_figures_are_questioned() {
    // Each review ends with a word that its class alone uses: the source shows through.
    let many = Folder::with_many(400);
    let marked = |line: &str| match line.rsplit_once("\",") {
        Some((text, stars)) => {
            let mark = if stars > "3" { "posted via app" } else { "posted via desk" };
            format!("{text}. {mark}\",{stars}")
        }
        None => line.to_string(),
    };
    let text: Vec<String> = many.text("many.csv").lines().map(marked).collect();
    let folder = many.file("many.csv", text.join("\n") + "\n");
    let weak = ["--set", "model.strength=0.0001", "--set", "validation.folds=5"];
    let found = folder.json(&with(&["validate", "many.csv"], &weak));
    assert_eq!(found["audit"]["too_good"], true);
    let findings = found["audit"]["findings"].as_array().expect("findings");
    let of = |kind: &str| findings.iter().find(|one| one["finding"] == kind);
    let dominant = of("dominant_term").expect("one word tells all")["term"].to_string();
    assert!(dominant.contains("app") || dominant.contains("desk"), "{dominant}");
    assert!(of("markers").is_some());
    let run = folder.run(&with(&["validate", "many.csv"], &weak));
    holds(&run.err, &["nearly perfect"]);
    assert!(
        run.out.contains("Too good to be true?") && run.out.contains("stand for the label"),
        "{}",
        run.out
    );
    // Usual figures are not questioned.
    let usual = Folder::with_many(400).json(&with(&["validate", "many.csv"], &QUICK));
    assert_eq!(usual["audit"]["too_good"], false);
}

#[test]
fn trap_33_the_gap_to_the_training_rows_is_information_and_no_ground_to_choose_by() {
    let folder = Folder::with_many(400);
    let logistic = ["--set", "validation.folds=5", "--set", "model.learner=logistic"];
    let tune = with(&["tune", "many.csv", "--vary", "model.strength=0.0001,0.003,10"], &logistic);
    let found = folder.json(&tune);
    let runs = found["runs"].as_array().expect("runs");
    let losses: Vec<f64> = runs.iter().map(|run| number(&run["figures"]["log_loss"]["value"])).collect();
    assert!(losses.is_sorted(), "ranked by the held-out figure");
    let gap = |run: &Value| number(&run["training_accuracy"]) - number(&run["figures"]["accuracy"]["value"]);
    let smallest = runs.iter().min_by(|a, b| gap(a).total_cmp(&gap(b))).expect("runs");
    assert_ne!(smallest["name"], found["best"], "the smallest gap belongs to a run that learnt too little");
    let page = folder.done(&tune);
    assert!(page.contains("Train: accuracy on the training rows, for"), "{page}");
    assert!(folder.done(&with(&["validate", "many.csv"], &QUICK)).contains("it is no ground to choose by"));
}

#[test]
fn trap_34_every_figure_says_what_it_is_and_a_model_never_validated_is_marked() {
    let folder = Folder::with_many(300).and_others(60);
    let page = folder.done(&with(&["validate", "many.csv"], &QUICK));
    let defined = [
        ("recall of negative", "of the negative ones, found"),
        ("balanced accuracy", "mean of the recalls"),
        ("ROC area", "positive above negative"),
        ("log loss", "nats; less is better"),
    ];
    for (name, meaning) in defined {
        let line = page.lines().find(|line| line.contains(name)).unwrap_or_else(|| panic!("{name}: {page}"));
        assert!(line.contains(meaning), "{line}");
    }
    folder.done(&with(&["train", "many.csv", "--out", "m.heddle"], &QUICK));
    for arguments in [
        &["assess", "m.heddle", "others.csv"][..],
        &["score", "m.heddle", "many.csv", "--out", "s.csv"],
        &["explain", "m.heddle", "--text", "a warm cabin"],
    ] {
        let run = folder.run(arguments);
        assert!((run.err + &run.out).contains("never validated"), "{arguments:?}");
    }
}

#[test]
fn trap_35_each_class_has_its_own_probability() {
    let folder = Folder::with_many(300);
    folder.done(&with(&["train", "many.csv", "--out", "m.heddle"], &QUICK));
    folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    let rows = folder.csv("s.csv");
    let column = |name: &str| common::column(&rows, name);
    let (negative, positive, called) = (column("p_negative"), column("p_positive"), column("polarity"));
    for at in 0..called.len() {
        let p = |text: &String| text.parse::<f64>().expect("a number");
        let (negative, positive) = (p(&negative[at]), p(&positive[at]));
        assert!((negative + positive - 1.0).abs() < 1e-12);
        assert_eq!(called[at] == "negative", negative > 0.5, "row {at}");
    }
    // In words, the probability is that of the class that is named.
    let page = folder.done(&["explain", "m.heddle", "--text", "the crew were rude, a cold cabin"]);
    let line = page.lines().find(|line| line.contains("probability")).expect("a verdict");
    let share = line.split("probability ").nth(1).and_then(|rest| rest.split(' ').next()).expect("a share");
    assert!(line.contains("− negative") && share.parse::<f64>().expect("a number") > 50.0, "{line}");
}

#[test]
fn trap_36_a_sign_that_is_reversed_is_noticed_after_training() {
    let mut text = String::from("review,stars\n");
    for row in 0..120 {
        let review =
            ["a lovely, clean and friendly crossing", "a dreadful, dirty and rude crossing"][row % 2];
        text.push_str(&format!("\"{review}, {row}\",{}\n", [1, 5][row % 2]));
    }
    let folder = Folder::new().file("r.csv", text);
    let run = folder.run(&["train", "r.csv", "--out", "m.heddle", "--set", "model.strength=0.01"]);
    holds(&run.err, &["plain words pull the wrong way", "lovely"]);
    let found = folder.json(&["train", "r.csv", "--out", "m.heddle", "--set", "model.strength=0.01"]);
    assert!(number(&found["plain_words"]["known"]) >= 4.0);
}

#[test]
fn trap_37_verdicts_cover_every_probability() {
    let folder = Folder::with_many(500);
    let band = ["--set", "decision.unsure=95%", "--set", "model.strength=0.003"];
    let page = folder.done(&with(&["train", "many.csv", "--out", "m.heddle"], &band));
    let words = page.split_whitespace().collect::<Vec<_>>().join(" ");
    holds(&words, &["negative below a probability", "unsure up to", "positive from there on"]);
    folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    let rows = folder.csv("s.csv");
    let (p, verdict) = (common::column(&rows, "p_positive"), common::column(&rows, "verdict"));
    let mut pairs: Vec<(f64, &str)> =
        p.iter().zip(&verdict).map(|(p, verdict)| (p.parse().expect("a number"), verdict.as_str())).collect();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    // Along the probability verdicts come in one order, and each review has one.
    let mut order: Vec<&str> = pairs.iter().map(|pair| pair.1).collect();
    order.dedup();
    assert_eq!(order, ["negative", "unsure", "positive"]);
    let found = folder.json(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    let of = |name: &str| number(&found[name]);
    assert_eq!(of("scored"), of("negative") + of("positive") + of("unsure"));
    // What the band promises is checked on held-out reviews.
    let checked = folder.json(&with(&["validate", "many.csv", "--set", "validation.folds=5"], &band));
    for kept in checked["figures"]["unsure"]["kept"].as_array().expect("two classes") {
        assert!(number(&kept["high"]) >= 0.95, "{kept}");
    }
}

/// Two text columns: `own` is another in each row, `shared` stands in ten rows each, whose class is drawn once.
fn repeated_in_one_column() -> String {
    let mut file = String::from("own,shared,stars\n");
    let mut state = 7u64;
    for text in 0..24 {
        state = state.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        let stars = if text % 2 == 0 { 1 } else { 5 };
        let word = state >> 40;
        for copy in 0..10 {
            let row = text * 10 + copy;
            file.push_str(&format!(
                "cabin number {row} on deck {} was seen by guest {},the word {word} and also {} stand here for long,{stars}\n",
                row % 7,
                row * 31 % 97,
                word ^ 0x5a5a,
            ));
        }
    }
    file
}

#[test]
fn texts_that_any_way_reads_stand_on_one_side_for_all_ways() {
    let folder = Folder::new().file("two.csv", repeated_in_one_column());
    let folds = ["--set", "validation.folds=5", "--set", "model.strength=0.01"];
    let alone = folder.json(&[&["validate", "two.csv", "--set", "reviews.text=shared"][..], &folds].concat());
    let alone = number(&alone["figures"]["accuracy"]["value"]);
    assert!(alone < 0.75, "what stands in ten rows is not learnt from the nine others: {alone}");
    for command in ["compare", "tune"] {
        let call = [command, "two.csv", "--set", "reviews.text=own", "--vary", "reviews.text=own,shared"];
        let found = folder.json(&[&call[..], &folds].concat());
        let ways = found[if command == "compare" { "ways" } else { "runs" }].as_array().expect("ways");
        let named = |way: &&Value| way["name"].as_str().is_some_and(|name| name.ends_with("shared"));
        let shared = ways.iter().find(named).expect("a way");
        let accuracy = number(&shared["figures"]["accuracy"]["value"]);
        assert!(accuracy < 0.75, "{command}: {accuracy}");
    }
}

#[test]
fn rows_without_a_text_in_another_way_are_told_and_not_tied() {
    let row = |row: usize| {
        let other =
            if row.is_multiple_of(4) { String::new() } else { format!("cabin {row} kept {} warm", row * 7) };
        let stars = if row.is_multiple_of(2) { 1 } else { 5 };
        format!("deck {row} was quiet for {} nights,{other},{stars}\n", row * 13)
    };
    let file = String::from("own,other,stars\n") + &(0..80).map(row).collect::<String>();
    let folder = Folder::new().file("two.csv", &file);
    let call =
        ["compare", "two.csv", "--set", "reviews.text=own", "--vary", "reviews.text=own,other", "--json"];
    let run = folder.run(&with(&call, &QUICK));
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["20 reviews without text in other"]);
    // One group of all rows without a text would be a fold of its own, and no slice of a fold holds 20 of 80.
    let found: Value = serde_json::from_str(&run.out).expect("JSON");
    assert_eq!(found["ways"].as_array().map(Vec::len), Some(2));
}

#[test]
fn reviews_that_a_model_has_learnt_from_never_judge_it() {
    let folder = Folder::with_many(240).and_others(120);
    folder.done(&with(&["train", "many.csv", "--out", "m.heddle"], &QUICK));
    folder.done(&with(&["train", "others.csv", "--out", "o.heddle"], &QUICK));
    // Its own reviews, as they are or with other marks and capitals, say nothing of it.
    let shouted = folder.text("many.csv").to_uppercase().replace("ID,REVIEW,STARS", "id,review,stars");
    let folder = folder.file("shouted.csv", shouted.replace(", ", " - "));
    for arguments in [
        &["assess", "m.heddle", "many.csv"][..],
        &["assess", "m.heddle", "shouted.csv"],
        &["compare", "many.csv", "--with", "o.heddle", "--with", "m.heddle"],
    ] {
        let told = folder.fails(arguments);
        holds(&told, &["learnt from 240 of the 240 labelled reviews", "heddle validate"]);
    }
    assert!(!folder.names().contains(&"ledger.jsonl".to_string()), "no such figure is ranked");
    // Some of them among new ones are left out, and said.
    let some: Vec<String> = folder.text("many.csv").lines().skip(1).take(30).map(String::from).collect();
    let mixed = format!("{}{}\n", folder.text("others.csv"), some.join("\n"));
    let folder = folder.file("mixed.csv", mixed);
    let run = folder.run(&["assess", "m.heddle", "mixed.csv", "--json"]);
    let found: Value = serde_json::from_str(&run.out).expect("JSON");
    let alone = folder.json(&["assess", "m.heddle", "others.csv"]);
    assert_eq!((&found["learnt_from"], &alone["learnt_from"]), (&30.into(), &0.into()));
    assert_eq!(found["figures"], alone["figures"], "figures are those of the new ones");
    holds(&run.err, &["30 reviews left out", "the other 120 reviews"]);
    let scored = folder.json(&["score", "m.heddle", "mixed.csv", "--out", "s.csv"]);
    assert_eq!((&scored["learnt_from"], &scored["scored"]), (&30.into(), &150.into()));
}

#[test]
fn a_model_is_tried_on_the_holdout_beside_it_where_no_file_is_named() {
    let folder = Folder::with_many(240);
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    folder.done(&with(&["train", "t.csv", "--out", "m.heddle"], &QUICK));
    let run = folder.run(&["assess", "m.heddle"]);
    assert!(run.code == 0 && run.err.contains("h.csv, the holdout beside the model"), "{}", run.err);
    // With none there, the files of the study are asked, and they are its own.
    let folder = Folder::with_many(240).file("study.toml", "[reviews]\nfiles = [\"many.csv\"]\n");
    folder.done(&with(&["train", "--out", "m.heddle"], &QUICK));
    holds(&folder.fails(&["assess", "m.heddle"]), &["learnt from 240 of the 240", "holdout"]);
}

#[test]
fn baselines_decide_as_the_study_does() {
    let folder = Folder::with_many(400);
    let recalls = |decision: &str| -> Vec<(String, f64)> {
        let found = folder.json(&with(&["validate", "many.csv", "--set", decision], &QUICK));
        let own = |of: &Value| number(&of["figures"]["classes"][0]["recall"]["value"]);
        let baselines = found["baselines"].as_array().expect("baselines");
        let named = |of: &Value| (of["name"].as_str().expect("a name").to_string(), own(of));
        baselines.iter().map(named).collect()
    };
    let (plain, wanted) = (recalls("decision.recall_negative=none"), recalls("decision.recall_negative=97%"));
    assert!(plain.len() >= 2, "{plain:?}");
    for ((name, before), (_, now)) in plain.iter().zip(&wanted) {
        assert!(*now >= 0.93 && now > before, "{name}: {before} {now}");
    }
    // A precision that a simple way cannot reach is no error of the study.
    let found =
        folder.json(&with(&["validate", "many.csv", "--set", "decision.precision_negative=90%"], &QUICK));
    assert_eq!(found["baselines"].as_array().map(Vec::len), Some(plain.len()));
}

#[test]
fn trap_38_a_review_has_one_probability_everywhere() {
    let folder = Folder::with_many(200).and_others(40);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    folder.done(&["score", "m.heddle", "others.csv", "--decimals", "all", "--out", "s.csv"]);
    folder.done(&["assess", "m.heddle", "others.csv", "--ledger", "none", "--out", "a.csv"]);
    let [scored, assessed] = ["s.csv", "a.csv"].map(|name| column(&folder.csv(name), "p_positive"));
    assert_eq!(scored, assessed);
    let rows: Vec<String> = (1..=40).map(|row| row.to_string()).collect();
    let asked = rows.iter().flat_map(|row| ["--row", row.as_str()]);
    let arguments: Vec<&str> = ["explain", "m.heddle", "others.csv"].into_iter().chain(asked).collect();
    let explained = folder.json(&arguments);
    for (text, scored) in explained["texts"].as_array().expect("texts").iter().zip(&scored) {
        assert_eq!(text["probabilities"][1].to_string(), *scored);
        let parts = text["terms"].as_array().expect("terms").iter();
        let parts: f64 = parts.map(|term| term["contribution"].as_f64().expect("nats")).sum();
        let sum = text["intercept"].as_f64().expect("nats") + parts;
        let probability: f64 = 1.0 / (1.0 + f64::exp(-sum));
        assert!((probability - scored.parse::<f64>().expect("a number")).abs() < 1e-9);
    }
}

#[test]
fn trap_39_a_typed_sentence_is_no_figure() {
    let folder = Folder::with_many(200);
    folder.done(&["train", "many.csv", "--out", "m.heddle", "--validate", "--ledger", "none"]);
    let explained = folder.done(&["explain", "m.heddle", "--text", "a warm cabin"]);
    holds(&explained, &["One review proves nothing: on unseen reviews this model is right in"]);
    holds(&folder.done(&["probe", "m.heddle"]), &["and not how often it is"]);
    folder.done(&["train", "many.csv", "--out", "new.heddle"]);
    let explained = folder.done(&["explain", "new.heddle", "--text", "a warm cabin"]);
    holds(&explained, &["One review proves nothing, and this model was never validated."]);
}

#[test]
fn trap_43_an_explanation_is_exact_and_the_same_each_time() {
    let folder = Folder::with_many(200).and_others(40);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let told = |threads: &str| {
        folder.done(&["explain", "m.heddle", "others.csv", "--mistakes", "--json", "--threads", threads])
    };
    assert_eq!(told("1"), told("2"));
    assert_eq!(told("2"), told("2"));
    // Of the very file that is shipped: the copy explains as the original does.
    let copy = folder.bytes("m.heddle");
    let elsewhere = Folder::with_many(200).and_others(40).file("m.heddle", copy);
    assert_eq!(
        elsewhere.done(&["explain", "m.heddle", "others.csv", "--mistakes", "--json", "--threads", "2"]),
        told("2")
    );
}
