//! What a file holds, before anything is decided.

use crate::common::{Folder, number};

#[test]
fn survey_shows_a_file() {
    insta::assert_snapshot!("survey", Folder::with_reviews().done(&["survey", "reviews.csv"]));
}

#[test]
fn survey_asks_what_only_the_analyst_can_tell() {
    let rows =
        "a,good one here,0\na,a bad one here,1\nb,so so it is,x\nc,well well well,5\nc,well and good,5\n";
    let folder = Folder::new().file("r.csv", format!("customer,review,rating\n{rows}"));
    let questions = folder.json(&["survey", "r.csv"])["questions"].to_string();
    for part in ["rating of 0 (1 row) mean", "rating of `x`", "`customer` stand in several rows"] {
        assert!(questions.contains(part), "{part}: {questions}");
    }
}

#[test]
fn a_rating_is_found_by_any_name() {
    let mut text = String::from("nr;kommentar;note\n");
    (0..40).for_each(|row| text.push_str(&format!("{row};Die Nacht war gut {row};{}\n", row % 6 + 1)));
    let folder = Folder::new().file("r.csv", text);
    let found = &folder.json(&["survey", "r.csv"])["found"];
    assert_eq!((&found["rating"], &found["text"][0]), (&"note".into(), &"kommentar".into()));
}

#[test]
fn a_study_written_by_survey_works_at_once() {
    let mut text = String::from("kundnr,comment text,score\n0,well well well,0\n");
    (1..31).for_each(|row| text.push_str(&format!("{row},it was all of it {row},{}\n", [1, 5][row % 2])));
    let thumbs = "comment,thumb\nit was all good,👍\nit was all bad,👎\nit was all so so,👎\n";
    let folder = Folder::new().file("r.csv", text).file("thumbs.csv", thumbs);
    folder.done(&["survey", "thumbs.csv", "--write-study", "thumbs.toml"]);
    assert!(folder.text("thumbs.toml").contains("positive = \"👍\""), "thumbs say themselves what they mean");
    folder.done(&["survey", "r.csv", "--write-study", "study.toml"]);
    let study = folder.text("study.toml");
    assert!(study.contains("text = [\"comment text\"]") && study.contains("stars = \"score\""), "{study}");
    assert!(study.contains("missing = \"\"") && study.contains("open = [\"Does a rating of 0"), "{study}");
    let settled = ["--set", "polarity.missing=0", "--set", "polarity.open="];
    let account = &folder.json(&[&["label"][..], &settled].concat())["account"];
    assert_eq!(
        (number(&account["negative"]), number(&account["positive"]), number(&account["no_rating"])),
        (15.0, 15.0, 1.0)
    );
    assert!(folder.fails(&["survey", "r.csv", "--write-study", "study.toml"]).contains("there already"));
}

#[test]
fn survey_tells_of_languages_oddities_and_repeats() {
    let night =
        "The night crossing was calm and the berth was warm and clean, we slept well until the morning";
    let mut text = String::from("when;headline;comment;grade\n");
    for row in 0..60 {
        let comment = match row {
            7 => "asdfghjkl qwertyuiop".into(),
            8 => "Очень тёплая и чистая каюта, спасибо большое всем".into(),
            9 => {
                "Die Überfahrt war ruhig und die Kabine war warm und sauber, wir haben gut geschlafen".into()
            }
            10 => "It wasnâ€™t warm at all".into(),
            50..55 => {
                format!("{night}.")
            }
            55..59 => format!(
                "The night crossing was calm and the berth was warm and we slept until the morning {row}"
            ),
            _ => format!(
                "Cabin {row} was {} and the crew said number {}",
                ["warm", "cold", "fine"][row % 3],
                row * 37
            ),
        };
        text.push_str(&format!(
            "2025-{:02}-03;Some words {};{comment};{}\n",
            1 + row % 12,
            row % 40,
            1 + row % 5
        ));
    }
    let folder = Folder::new().file("r.csv", text);
    let found = folder.json(&["survey", "r.csv"]);
    assert_eq!((&found["found"]["rating"], &found["found"]["date"]), (&"grade".into(), &"when".into()));
    let texts = &found["texts"];
    let odd: Vec<&str> = texts["oddities"]
        .as_array()
        .expect("oddities")
        .iter()
        .filter_map(|own| own["what"].as_str())
        .collect();
    assert_eq!(odd, ["keyboard_noise", "wrongly_decoded"]);
    assert!(texts["scripts"].to_string().contains("Cyrillic"));
    let languages = found["languages"].to_string();
    assert!(
        languages.contains("English") && languages.contains("German") && languages.contains("Russian"),
        "{languages}"
    );
    assert!(number(&texts["near"]) >= 3.0 && number(&texts["conflicting"]) == 0.0, "{texts}");
    assert_eq!(found["columns"][0]["dates"]["months"].as_array().map(Vec::len), Some(12));
    let warm = |rating: usize| found["words"][rating]["frequent"].to_string().contains("cabin");
    assert!(warm(0) && number(&found["words"][0]["reviews"]) > 0.0);
    for part in ["not in English", "decoded wrongly before"] {
        assert!(found["questions"].to_string().contains(part), "{part}: {}", found["questions"]);
    }
}
