//! New reviews held against those that a model was learnt from.

use crate::common::{Folder, column, holds};

/// A model of `training.csv`, `same.csv` of the same kind, and `december.csv`: the same in two months, half of the second
/// replaced by complaints about something that training never saw.
fn world() -> Folder {
    let folder = Folder::with_parts([("training.csv", 1_200), ("same.csv", 400)]);
    // These reviews nearly repeat each other, before and now: what is held out does too.
    folder.done(&[
        "train",
        "training.csv",
        "--out",
        "m.heddle",
        "--validate",
        "--set",
        "validation.alike=100%",
    ]);
    let (names, rows) = folder.csv("same.csv");
    let at = |name: &str| names.iter().position(|own| own == name).expect("a column");
    let (id, review) = (at("id"), at("review"));
    let row = |(nth, row): (usize, &Vec<String>)| {
        let text = match nth {
            nth if nth > 200 && nth % 2 == 1 => {
                format!("the wifi voucher {nth} expired and the login portal hung")
            }
            _ => row[review].clone(),
        };
        format!("{},2025-{:02}-07,\"{text}\"\n", row[id], 11 + nth / 200)
    };
    let december: String = rows.iter().enumerate().map(row).collect();
    folder.file("december.csv", format!("id,posted,review\n{december}"))
}

#[test]
fn complaints_about_something_new_are_found_named_and_dated() {
    let folder = world();
    let call = ["drift", "m.heddle", "december.csv", "--date", "posted", "--id", "id"];
    let page = folder.done(&call);
    holds(&page, &["Drift: ", "wifi", "voucher", "new: ", "2025-12", "Read first"]);
    let found = folder.json(&call);
    assert_eq!(found["found"], true);
    let theme = &found["themes"][0];
    assert!(
        theme["new"] == true
            && theme["share"]["value"].as_f64().is_some_and(|share| (0.2..0.3).contains(&share))
    );
    let months = found["months"].as_array().expect("months");
    let said = |month: usize| months[month]["themes"][0]["value"].as_f64().expect("a share");
    assert!(months.len() == 2 && said(0) < 0.02 && (said(1) - 0.5).abs() < 0.02);
    assert!(found["negative"]["value"].is_number() && found["reviews"] == 400);
    let respect = |name: &str| {
        let all = found["respects"].as_array().expect("respects");
        all.iter().find(|own| own["name"] == name).expect("a respect").clone()
    };
    assert_eq!(respect("unknown_words")["drifted"], true);
    folder.done(&[&call[..], &["--picture", "drift.svg"]].concat());
    let picture = folder.text("drift.svg");
    holds(&picture, &["<title>Drift: ", "unknown words", "wifi", "called negative", "2025-11", "2025-12"]);
    folder.done(&[&call[..], &["--picture", "drift.png"]].concat());
    assert!(folder.bytes("drift.png").starts_with(b"\x89PNG"));
    // What is to be read is written, and each text once.
    folder.done(&[&call[..], &["--first", "20", "--out", "first.csv"]].concat());
    let texts = column(&folder.csv("first.csv"), "text");
    assert!(texts[0].contains("wifi") && texts.len() <= 20, "{texts:?}");
}

#[test]
fn reviews_of_the_same_kind_raise_no_alarm_and_others_end_with_a_code_of_their_own() {
    let folder = world();
    let run = folder.run(&["drift", "m.heddle", "same.csv", "--alarm"]);
    assert_eq!(run.code, 0, "{}", run.out);
    holds(&run.out, &["No drift: nothing of 400 reviews"]);
    let run = folder.run(&["drift", "m.heddle", "december.csv", "--alarm", "--out", "first.csv", "-v"]);
    assert_eq!(run.code, 4, "{}", run.err);
    holds(&run.err, &["the whole command"]);
    holds(&run.out, &["Drift: "]);
    assert!(folder.path("first.csv").exists() && !run.err.contains("error"));
    // Rows that are refused are told as ever.
    let folder = folder.file("odd.csv", "id,review\n1,warm cabin\n2,cold,soup,twice\n3,kind crew\n");
    assert_eq!(folder.run(&["drift", "m.heddle", "odd.csv"]).code, 3);
    holds(&folder.fails(&["drift", "m.heddle", "none.csv"]), &["none.csv"]);
    let folder = folder.file("blank.csv", "id,review\n1,\n");
    holds(&folder.fails(&["drift", "m.heddle", "blank.csv"]), &["no review to hold against"]);
}

#[test]
fn what_a_model_does_not_keep_is_not_compared() {
    let folder = world();
    folder.done(&["train", "training.csv", "--out", "h.heddle", "--set", "terms.hashed=12"]);
    let found = folder.json(&["drift", "h.heddle", "december.csv"]);
    assert_eq!((&found["words"], found["themes"].as_array().map(Vec::len)), (&0.into(), Some(0)));
    let names: Vec<&str> = found["respects"]
        .as_array()
        .expect("respects")
        .iter()
        .filter_map(|own| own["name"].as_str())
        .collect();
    assert_eq!(names, ["length", "language", "scores", "verdicts"]);
    // Of rows that were read one after the other only what is said of those that were held back is known.
    let online = ["--set", "terms.hashed=12", "--set", "model.learner=online"];
    folder.done(&[&["train", "training.csv", "--out", "o.heddle"][..], &online].concat());
    let found = folder.json(&["drift", "o.heddle", "same.csv"]);
    let compared = |own: &serde_json::Value| own["p"].is_number().then(|| own["name"].clone());
    let compared: Vec<_> =
        found["respects"].as_array().expect("respects").iter().filter_map(compared).collect();
    assert_eq!(compared, ["scores", "verdicts"]);
    assert_eq!(found["found"], false, "{found}");
}

#[test]
fn the_mix_of_three_classes_is_corrected_too() {
    let rows = |count: usize, mix: [usize; 3]| {
        let mut text = String::from("id,review,stars\n");
        for row in 0..count {
            // One in nine of each kind says what another kind says.
            let kind = mix.iter().position(|end| row % 10 < *end).expect("the last is 10");
            let says = if row % 9 == 8 { (kind + 1) % 3 } else { kind };
            let said =
                ["cold tea and a rude crew", "a plain bed, nothing more", "a warm cabin and a kind crew"]
                    [says];
            text.push_str(&format!(
                "r{row},\"{said}, night {} deck {}\",{}\n",
                row % 97,
                row % 31,
                [1, 3, 5][kind]
            ));
        }
        text
    };
    let folder =
        Folder::new().file("before.csv", rows(900, [3, 5, 10])).file("now.csv", rows(600, [6, 7, 10]));
    let middle =
        ["--set", "polarity.middle=neutral", "--set", "validation.alike=100%", "--set", "validation.folds=4"];
    folder.done(&[&["train", "before.csv", "--out", "m.heddle", "--validate"], &middle[..]].concat());
    let call = ["drift", "m.heddle", "now.csv"];
    let found = folder.json(&call);
    for (class, truth) in [("negative", 0.6), ("neutral", 0.1)] {
        let (low, high) = (&found[class]["low"], &found[class]["high"]);
        let held =
            low.as_f64().is_some_and(|low| low <= truth) && high.as_f64().is_some_and(|high| truth <= high);
        assert!(held, "{class}: {}", found[class]);
    }
    assert_eq!(found["neutral_before"], 0.2);
    holds(&folder.done(&call), &["Neutral: ", "of the training reviews 20.0 %"]);
}
