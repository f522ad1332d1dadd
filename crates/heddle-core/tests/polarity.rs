//! From stars to classes.

use heddle_core::Choice;
use heddle_core::labels::{Middle, Polarity, Reading, Rule, Values};

fn rule(negative: &str, positive: &str, middle: Middle, missing: &str) -> Rule {
    let values = |text| Values::parse(text).expect("the test writes values that are values");
    Rule {
        negative: values(negative),
        positive: values(positive),
        middle,
        missing: values(missing),
        ..Rule::default()
    }
}

const NEGATIVE: Reading = Reading::Class(Polarity::Negative);
const POSITIVE: Reading = Reading::Class(Polarity::Positive);

#[test]
fn the_usual_rule_reads_five_stars() {
    let usual = Rule::default();
    let read: Vec<Reading> = ["1", "2", "3", "4", "5"].map(|cell| usual.read(cell)).to_vec();
    assert_eq!(read, [NEGATIVE, NEGATIVE, Reading::Middle, POSITIVE, POSITIVE]);
    assert_eq!(usual.read(" 4.0 "), POSITIVE);
    assert_eq!(usual.read(""), Reading::Missing);
    assert_eq!(usual.read("  "), Reading::Missing);
}

#[test]
fn a_value_that_is_not_named_has_no_class() {
    for cell in ["0", "6", "-1", "five", "NaN", "inf", "1e400", "4 stars"] {
        assert_eq!(Rule::default().read(cell), Reading::Unknown, "{cell}");
    }
}

#[test]
fn words_ranges_and_negative_numbers_are_values() {
    let words = rule("bad, Poor", "good", Middle::Drop, "n/a");
    assert_eq!(
        [words.read("POOR"), words.read("good"), words.read("N/A")],
        [NEGATIVE, POSITIVE, Reading::Missing]
    );
    let signs = rule("-1", "1", Middle::Drop, "");
    assert_eq!([signs.read("-1"), signs.read("0"), signs.read("1")], [NEGATIVE, Reading::Middle, POSITIVE]);
    let wide = rule("-5--1", "1-5", Middle::Negative, "");
    assert_eq!([wide.read("-3.5"), wide.read("0"), wide.read("2")], [NEGATIVE, NEGATIVE, POSITIVE]);
}

#[test]
fn a_scale_may_run_the_other_way() {
    let school = rule("5-6", "1-2", Middle::Positive, "");
    assert_eq!([school.read("1"), school.read("3"), school.read("6")], [POSITIVE, POSITIVE, NEGATIVE]);
}

#[test]
fn class_names_mean_themselves() {
    assert_eq!(Rule::default().read("Negative"), NEGATIVE);
    assert_eq!(rule("1", "2", Middle::Drop, "").read(" positive "), POSITIVE);
}

#[test]
fn a_value_cannot_mean_two_things() {
    let shared = rule("1-3", "3-5", Middle::Drop, "").check();
    assert!(shared.is_err_and(|message| message.contains("1-3") && message.contains("3-5")));
    assert!(rule("1", "2", Middle::Drop, "2").check().is_err());
    assert!(rule("", "2", Middle::Drop, "").check().is_err());
    assert!(Values::parse("5-1").is_err_and(|message| message.contains("5-1")));
}

#[test]
fn values_are_written_as_they_are_read() {
    for text in ["1-2", "4, 5", "bad, poor", "-1", "-5--1, 7"] {
        assert_eq!(Values::parse(text).expect("values").to_string(), text);
    }
    assert_eq!(Middle::from_name("drop"), Some(Middle::Drop));
    assert_eq!(Middle::from_name("Drop"), None);
}

const NEUTRAL: Reading = Reading::Class(Polarity::Neutral);

#[test]
fn a_third_class_comes_from_the_middle_or_from_values_of_its_own() {
    let middle = rule("1-4", "7-10", Middle::Neutral, "0");
    assert_eq!(
        ["4", "5", "6.5", "7", "0"].map(|cell| middle.read(cell)),
        [NEGATIVE, NEUTRAL, NEUTRAL, POSITIVE, Reading::Missing]
    );
    let named = Rule { neutral: Values::parse("so-so, 3").expect("values"), ..Rule::default() };
    assert_eq!(
        ["SO-SO", "3", "2.5", "neutral"].map(|cell| named.read(cell)),
        [NEUTRAL, NEUTRAL, Reading::Middle, NEUTRAL]
    );
    assert_eq!(named.classes().collect::<Vec<_>>(), Polarity::ALL);
    assert_eq!(Rule::default().classes().collect::<Vec<_>>(), Polarity::POLES);
    assert_eq!(Rule::default().read("neutral"), Reading::Middle, "without a third class it is the middle");
    assert!(Rule { neutral: Values::parse("2").expect("values"), ..Rule::default() }.check().is_err());
}

#[test]
fn codes_and_signs_of_every_kind_are_values() {
    for (negative, positive, cells) in [
        ("0", "1", ["0", "1"]),
        ("-1", "1", ["-1", "1.0"]),
        ("1", "2", ["1", "2"]),
        ("1-4", "7-10", ["2", "9"]),
        ("👎", "👍", ["👎", " 👍 "]),
        ("no, false", "yes, true", ["FALSE", "yes"]),
    ] {
        let rule = rule(negative, positive, Middle::Drop, "");
        assert_eq!(cells.map(|cell| rule.read(cell)), [NEGATIVE, POSITIVE], "{negative} / {positive}");
    }
}
