//! The table of settings as a schema and as a page.

use heddle_core::settings::{KEYS, Kind as SettingKind, Study, Value};
use heddle_files::{LoadedStudy, commented, schema, settings_page};
use regex::Regex;
use serde_json::{Value as Json, json};

/// Whether a value fits a schema: the words of JSON Schema that ours uses.
fn fits(schema: &Json, value: &Json) -> bool {
    let known = [
        "type",
        "enum",
        "minimum",
        "maximum",
        "exclusiveMinimum",
        "exclusiveMaximum",
        "pattern",
        "minLength",
        "anyOf",
        "items",
        "description",
        "default",
    ];
    let rules = schema.as_object().expect("an object");
    rules.iter().all(|(rule, wanted)| {
        let number = |test: fn(f64, f64) -> bool| match (value.as_f64(), wanted.as_f64()) {
            (Some(value), Some(wanted)) => test(value, wanted),
            _ => true,
        };
        match rule.as_str() {
            "type" => match wanted.as_str().expect("a type") {
                "boolean" => value.is_boolean(),
                "integer" => value.as_f64().is_some_and(|value| value.fract() == 0.0),
                "number" => value.is_number(),
                "string" => value.is_string(),
                "array" => value.is_array(),
                other => panic!("{other}"),
            },
            "enum" => wanted.as_array().expect("a list").contains(value),
            "minimum" => number(|value, least| value >= least),
            "maximum" => number(|value, most| value <= most),
            "exclusiveMinimum" => number(|value, least| value > least),
            "exclusiveMaximum" => number(|value, most| value < most),
            "pattern" => {
                let pattern = Regex::new(wanted.as_str().expect("a pattern")).expect("a sound pattern");
                value.as_str().is_none_or(|text| pattern.is_match(text))
            }
            "minLength" => value.as_str().is_none_or(|text| !text.is_empty()),
            "anyOf" => wanted.as_array().expect("a list").iter().any(|one| fits(one, value)),
            "items" => value.as_array().is_none_or(|items| items.iter().all(|item| fits(wanted, item))),
            other => {
                assert!(known.contains(&other), "{other}");
                true
            }
        }
    })
}

#[test]
fn the_schema_takes_what_the_reader_takes() {
    let schema = schema();
    let samples = [
        json!(true),
        json!(0),
        json!(1),
        json!(2),
        json!(-1),
        json!(0.5),
        json!(1.5),
        json!(1e13),
        json!(""),
        json!("none"),
        json!("auto"),
        json!("english"),
        json!("20%"),
        json!("ltc"),
        json!("xyz"),
        json!("1-2"),
        json!("clause"),
        json!("tab"),
        json!(["a", "b"]),
        json!([]),
        json!("logistic"),
        json!("weights"),
        json!("drop"),
        json!("keep"),
    ];
    for key in KEYS.iter() {
        let (section, name) = key.path.split_once('.').expect("a section");
        let own = &schema["properties"][section]["properties"][name];
        assert!(own["description"].as_str().is_some_and(|text| text.contains(key.about)), "{}", key.path);
        let usual = json!(key.get(&Study::default()));
        assert_eq!(own["default"], usual, "{}", key.path);
        assert!(fits(own, &usual), "{}: {own} does not take {usual}", key.path);
        for sample in &samples {
            let value: Value = serde_json::from_value(sample.clone()).expect("a value");
            let read = key.set(&mut Study::default(), &value).is_ok();
            assert!(!read || fits(own, sample), "{}: {own} does not take {sample}", key.path);
            let only_the_reader_can_judge = matches!(
                key.kind,
                SettingKind::Ratings
                    | SettingKind::Lines { .. }
                    | SettingKind::Lengths { .. }
                    | SettingKind::Share(_)
                    | SettingKind::Either(_)
            );
            assert!(
                read || only_the_reader_can_judge || !fits(own, sample),
                "{}: {own} takes {sample}",
                key.path
            );
        }
    }
}

#[test]
fn a_study_with_comments_is_read_as_it_was() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("study.toml").display().to_string();
    let mut study = Study::default();
    study.terms.at_least = Some(7);
    study.text.stop_also = vec!["ferry".into()];
    std::fs::write(&path, commented(&study)).expect("a file");
    let mut loaded = LoadedStudy::of(Study::default());
    loaded.read_file(&path).expect("a sound study");
    assert_eq!(loaded.study, study);
}

#[test]
fn the_page_of_settings_is_the_table() {
    let page = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/settings.md");
    if std::env::var_os("WRITE_DOCS").is_some() {
        std::fs::write(page, settings_page()).expect("docs/settings.md");
    }
    let written = std::fs::read_to_string(page).expect("docs/settings.md");
    assert!(
        written == settings_page(),
        "docs/settings.md is not what the table says: run the tests with WRITE_DOCS=1"
    );
}
