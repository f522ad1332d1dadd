//! Settings by their keys.

use std::collections::HashSet;

use heddle_core::learn::Strength;
use heddle_core::settings::{KEYS, Kind as SettingKind, SettingError, Study, Value, nearest};
use heddle_core::terms::Bound;

fn set(path: &str, value: Value) -> Result<Study, SettingError> {
    let mut study = Study::default();
    Study::key(path)?.set(&mut study, &value)?;
    Ok(study)
}

fn text(text: &str) -> Value {
    Value::Text(text.into())
}

#[test]
fn every_key_takes_back_what_it_gives() {
    let study = Study::default();
    for key in KEYS.iter() {
        let mut other = study.clone();
        key.set(&mut other, &key.get(&study)).unwrap_or_else(|error| panic!("{error}"));
        assert_eq!(other, study, "{}", key.path);
        assert!(!key.about.is_empty() && !key.kind.expects().is_empty());
        assert_eq!(key.path.split('.').count(), 2, "{}", key.path);
    }
    assert_eq!(KEYS.iter().map(|key| key.path).collect::<HashSet<_>>().len(), KEYS.len(), "paths are unique");
    assert_eq!(Study::from_settings(&study.settings()), Ok(study));
}

#[test]
fn every_key_changes_something() {
    // A setting that is accepted and ignored would be a lie: each key has another value
    // that makes another study.
    let others = [
        text("sentence"),
        text("keep"),
        text("drop"),
        text("negative"),
        text("both"),
        text("none"),
        text("lnn"),
        text("3"),
        text("33%"),
        text("lean"),
        text("other"),
        text("month-first"),
        text("parquet"),
        text("tab"),
        text("no"),
        text("literal"),
        text("latin-1"),
        text("balanced"),
        text("weights"),
        text("separate"),
        text("apart"),
        text("mark"),
        text("read"),
        text("english"),
        text("class-ratio"),
        text("log-odds"),
        text("any"),
        Value::List(vec!["a,negates".into()]),
        text("latest"),
        text("channel = web"),
        text("channel=3"),
        text("2=3"),
        text("exact"),
        text("logistic"),
        text("lasso"),
        text("plain"),
        text("presence"),
        text("isotonic"),
        text("free"),
        text("rolling"),
        text("1"),
        text("9"),
        Value::Number(9.0),
        Value::Number(0.5),
        Value::Flag(false),
    ];
    for key in KEYS.iter() {
        let changes = |value: &Value| {
            let mut study = Study::default();
            key.set(&mut study, value).is_ok() && study != Study::default()
        };
        assert!(others.iter().any(changes), "{} never changes the study", key.path);
    }
}

#[test]
fn an_impossible_value_is_told_with_the_possible_ones() {
    let error = |path: &str, value: Value| set(path, value).expect_err("the value is impossible");
    assert_eq!(
        error("negation.scope", text("everywhere")).to_string(),
        "negation.scope = \"everywhere\" is not possible: expected \"clause\", \"sentence\", \"window\" or \"off\""
    );
    for (path, value) in [
        ("negation.reach", Value::Number(0.0)),
        ("negation.reach", Value::Number(2.5)),
        ("negation.reach", text("six")),
        ("terms.words", text("3-1")),
        ("terms.words", text("0-2")),
        ("terms.words", text("1-10")),
        ("terms.letters", text("0-3")),
        ("terms.hashed", Value::Number(3.0)),
        ("text.stem", text("klingon")),
        ("text.stoplist", Value::Flag(true)),
        ("text.shortest", Value::Number(0.0)),
        ("terms.at_least", Value::Number(0.0)),
        ("terms.at_most", text("120%")),
        ("terms.at_most", text("half")),
        ("model.strength", Value::Number(0.0)),
        ("model.strength", Value::Number(f64::NAN)),
        ("model.strength", Value::Number(-1.0)),
        ("model.tolerance", Value::Number(1.0)),
        ("validation.holdout", text("100%")),
        ("validation.folds", Value::Number(1.0)),
        ("text.contractions", text("yes")),
        ("polarity.negative", text("5-1")),
        ("reviews.stars", text("")),
    ] {
        let message = error(path, value.clone()).to_string();
        assert!(message.starts_with(path) && message.contains("expected"), "{message}");
    }
}

#[test]
fn values_may_be_written_in_more_than_one_way() {
    let words = |value| set("terms.words", value).expect("possible").terms.words;
    assert_eq!(
        [words(text("1-3")), words(text("2")), words(Value::Number(2.0))],
        [(1, 3), (2, 2), (2, 2)].map(Some)
    );
    assert_eq!(
        set("terms.at_most", Value::Number(50.0)).expect("possible").terms.at_most,
        Bound::Reviews(50)
    );
    assert_eq!(set("terms.at_most", text("50%")).expect("possible").terms.at_most, Bound::Share(0.5));
    assert_eq!(Bound::Share(0.5).of(7), 3);
    assert_eq!(set("model.strength", text("auto")).expect("possible").model.strength, Strength::Auto);
    assert_eq!(set("reviews.text", text("a, b")).expect("possible").reviews.text, ["a", "b"]);
    assert_eq!(
        set("polarity.negative", Value::Number(1.0)).expect("possible").polarity.negative.to_string(),
        "1"
    );
    assert_eq!(set("validation.holdout", Value::Number(0.25)).expect("possible").validation.holdout, 0.25);
}

#[test]
fn an_unknown_key_is_told_with_the_nearest() {
    for (wrong, near) in [
        ("text.cases", "text.case"),
        ("negation.scpoe", "negation.scope"),
        ("terms.weigthing", "terms.weighting"),
        ("weighting", "terms.weighting"),
        ("model.folds", "validation.folds"),
    ] {
        let error = set(wrong, text("x")).expect_err("there is no such key");
        assert!(matches!(error, SettingError::Unknown { nearest: Some(own), .. } if own == near), "{error}");
        assert!(error.to_string().contains(&format!("`{near}`")), "{error}");
    }
    let error = set("quite.something", text("x")).expect_err("no key");
    assert_eq!(error, SettingError::Unknown { path: "quite.something".into(), nearest: None });
}

#[test]
fn the_nearest_name_is_near() {
    let names = ["review", "stars", "review_id"];
    assert_eq!(nearest("reveiw", names), Some("review"));
    assert_eq!(nearest("Stars", names), Some("stars"));
    assert_eq!(nearest("zebra crossing", names), None);
    assert_eq!(nearest("x", []), None);
}

#[test]
fn settings_that_contradict_each_other_are_refused() {
    let settings =
        [("polarity.negative".to_string(), text("1-3")), ("polarity.positive".to_string(), text("3-5"))];
    assert!(
        Study::from_settings(&settings)
            .expect_err("3 means two things")
            .to_string()
            .contains("share a value")
    );
}

#[test]
fn settings_of_terms_must_leave_something_to_learn_from() {
    let check = |settings: &[(&str, Value)]| {
        let owned: Vec<_> = settings.iter().map(|(path, value)| (path.to_string(), value.clone())).collect();
        Study::from_settings(&owned)
    };
    let list = |term: &str| Value::List(vec![term.into()]);
    for (settings, told) in [
        (vec![("terms.words", text("none"))], "nothing is left"),
        (vec![("terms.hashed", Value::Number(10.0)), ("terms.letters", text("3"))], "needs a list"),
        (vec![("terms.stems", text("none")), ("terms.stems_scale", Value::Number(2.0))], "weighs stems"),
        (vec![("terms.hashed", Value::Number(10.0)), ("terms.include", list("tea"))], "have no names"),
        (vec![("terms.include", list("tea")), ("terms.exclude", list("tea"))], "stands in"),
        (vec![("terms.hashed", Value::Number(10.0)), ("terms.only", list("tea"))], "have no names"),
        (vec![("terms.include", list("tea")), ("terms.only", list("sea"))], "names all terms that are kept"),
        (vec![("terms.at_least_of", list("3=4"))], "no such terms are made"),
        (vec![("terms.at_least_of", list("letters=4"))], "no such terms are made"),
        (vec![("terms.at_least_of", text("2=4,2=5"))], "speaks of \"2\" twice"),
        (vec![("terms.at_least_of", list("pairs=4"))], "write a kind of terms"),
        (vec![("terms.at_least_of", list("2=0"))], "write a kind of terms"),
        (vec![("terms.at_least_of", list("2=4")), ("terms.hashed", Value::Number(10.0))], "have no kinds"),
        (vec![("text.replace", list("a,b")), ("negation.also", list("x,y"))], "negation.also"),
    ] {
        let error = check(&settings).expect_err(told);
        assert!(error.to_string().contains(told), "{error}");
    }
    assert!(check(&[("terms.words", text("none")), ("terms.letters", text("3-5"))]).is_ok());
    // Stems stand beside a list of words that have their endings.
    for (path, value, stems) in [
        ("terms.at_least", Value::Number(2.0), true),
        ("terms.stems", text("none"), false),
        ("terms.hashed", Value::Number(10.0), false),
        ("text.stem", text("english"), false),
    ] {
        assert_eq!(check(&[(path, value)]).expect("settings").has_stems(), stems, "{path}");
    }
}

#[test]
fn values_are_shown_as_a_study_writes_them() {
    let shown: Vec<String> = [
        Value::Flag(true),
        Value::Number(2.0),
        Value::Number(0.001),
        text("a \"b\" \\"),
        Value::List(vec!["a".into(), "b".into()]),
    ]
    .iter()
    .map(Value::to_string)
    .collect();
    assert_eq!(shown, ["true", "2", "0.001", "\"a \\\"b\\\" \\\\\"", "[\"a\", \"b\"]"]);
}

#[test]
fn a_setting_that_has_another_name_now_is_read_from_old_files_and_told_to_people() {
    let old = {
        let settings = [("model.learner", text("online")), ("model.passes", Value::Number(4.0))];
        Study::from_settings(&settings.map(|(path, value)| (path.to_string(), value))).expect("an old model")
    };
    assert_eq!(old.model.epochs, 4);
    // What a learner has no use for may be the default of its time.
    let idle = [("model.passes".to_string(), Value::Number(5.0))];
    assert_eq!(Study::from_settings(&idle).expect("an old model"), Study::default());
    let error = set("model.passes", Value::Number(3.0)).expect_err("it has another name now");
    assert!(error.to_string().contains("did you mean `model.epochs`"), "{error}");
}

#[test]
fn the_ends_of_a_range_are_those_that_are_told() {
    for key in KEYS.iter() {
        let takes = |number: f64| key.set(&mut Study::default(), &Value::Number(number)).is_ok();
        match key.kind {
            SettingKind::Whole { least, most } => {
                assert!(takes(least as f64) && takes(most as f64), "{}", key.path);
                assert!(!takes(least as f64 - 1.0) && !takes(least as f64 + 0.5), "{}", key.path);
                assert!(most >= 1 << 53 || !takes(most as f64 + 1.0), "{}", key.path);
            }
            SettingKind::Number(range) | SettingKind::Share(range) => {
                assert_eq!(takes(range.least), !range.above, "{}", key.path);
                assert_eq!(takes(range.most), !range.below, "{}", key.path);
                assert!(
                    !takes(range.least - 0.1) && !takes(f64::NAN) && !takes(f64::INFINITY),
                    "{}",
                    key.path
                );
            }
            SettingKind::Choice(ref words) => {
                let takes = |word: &str| key.set(&mut Study::default(), &text(word)).is_ok();
                assert!(words.iter().all(|word| takes(word)) && !takes("no such word"), "{}", key.path);
            }
            _ => {}
        }
    }
}

#[test]
fn an_error_of_a_value_keeps_the_reason() {
    let error = set("polarity.negative", text("5-1")).expect_err("a range that runs downwards");
    let SettingError::Value { key, value, expected, reason } = error else { panic!("{error}") };
    assert_eq!((key, value), ("polarity.negative", text("5-1")));
    assert!(expected.contains("ranges") && reason.is_some_and(|reason| reason.contains("down")));
}
