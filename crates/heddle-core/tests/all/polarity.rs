//! From stars to classes.

use heddle_core::Choice;
use heddle_core::labels::{
    Middle, Polarity, Reading, Rule, Scale, Values, rating_order, read_rating, shown_rating,
};

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
    for cell in ["0", "6", "-1", "six", "NaN", "inf", "1e400", "4/10", "80%", "6/5", "1,500", "4 5"] {
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

#[test]
fn ranges_match_ratings_however_they_are_written() {
    let usual = Rule::default();
    let ways = [
        "4",
        "4.0",
        "4,0",
        " 4 ",
        "4 stars",
        "4 Stars",
        "4-stars",
        "four",
        "Four stars",
        "4*",
        "4 points",
        "4/5",
        "4 / 5",
        "4/5 stars",
        "4.0/5.0",
        "4 out of 5",
        "four out of five stars",
        "Rated 4 out of 5",
        "★★★★☆",
        "⭐⭐⭐⭐",
        "⭐️⭐️⭐️⭐️",
        "****",
        "4 - satisfied",
        "4: good",
        "4 (good)",
        "4.",
        "★★★★½",
    ];
    for cell in ways {
        assert_eq!(usual.read(cell), POSITIVE, "{cell}");
        let shown = shown_rating(cell);
        assert_eq!(shown_rating(&shown), shown, "what is shown reads as itself: {cell}");
    }
    let hundred = rule("0-40", "60-100", Middle::Drop, "");
    for cell in ["20%", "20 %", "20 percent", "20/100", "20", "39,5%"] {
        assert_eq!(hundred.read(cell), NEGATIVE, "{cell}");
    }
    assert_eq!(hundred.read("2/5"), Reading::Unknown, "two of five are not two of a hundred");
}

#[test]
fn what_is_no_rating_is_not_read_as_one() {
    for cell in [
        "",
        "deck 4",
        "4-6",
        "3-Apr-2025",
        "4 stars 2 moons",
        "☆☆☆☆☆",
        "10:30",
        "5/",
        "-",
        "4x4",
        "/5",
        "n/a",
        "5/0",
    ] {
        assert_eq!(read_rating(cell), None, "{cell}");
    }
}

#[test]
fn values_stand_in_the_order_of_their_numbers() {
    let mut values = vec!["10", "n/a", "2", "1/10", "bad", "9.5"];
    values.sort_by(|a, b| rating_order(a, b));
    assert_eq!(values, ["1/10", "2", "9.5", "10", "bad", "n/a"]);
}

/// The scale of values that come equally often: its name and rule, and whether somebody must say that it is so.
fn scale(values: &[&str]) -> Option<(String, String, bool)> {
    let scale = Scale::of(values.iter().map(|value| (*value, 10)))?;
    Some((scale.name, scale.rule.to_string(), scale.question.is_some()))
}

#[test]
fn scales_are_told_by_their_values() {
    let told = |values: &[&str]| scale(values).unwrap_or_else(|| panic!("a scale: {values:?}"));
    let numbers = |low: i32, high: i32| (low..=high).map(|number| number.to_string()).collect::<Vec<_>>();
    let of = |low, high| told(&numbers(low, high).iter().map(String::as_str).collect::<Vec<_>>());
    let rule = |rule: &str| format!("{rule}, between them: left out");
    assert_eq!(of(1, 5), ("ratings of 1 to 5".into(), rule("1-2 negative, 4-5 positive"), false));
    assert_eq!(of(0, 5), of(1, 5), "a zero below five stars is somebody's to explain");
    assert_eq!(of(1, 10), ("ratings of 1 to 10".into(), rule("1-4 negative, 7-10 positive"), true));
    assert_eq!(of(0, 10), ("ratings of 0 to 10".into(), rule("0-6 negative, 9-10 positive"), true));
    assert_eq!(of(1, 7), ("ratings of 1 to 7".into(), rule("1-3 negative, 5-7 positive"), true));
    assert_eq!(of(0, 100).1, rule("0-40 negative, 60-100 positive"));
    assert_eq!(told(&["10%", "50 %", "100%"]).1, rule("0-40 negative, 60-100 positive"));
    assert_eq!(of(-1, 1), ("ratings of -1 to 1".into(), rule("-1 negative, 1 positive"), false));
    assert_eq!(told(&["👍", "👎"]).1, "👎 negative, 👍 positive");
    assert_eq!(told(&["Bad", "okay", "Very good"]).1, "bad negative, very good positive, okay: left out");
    assert!(
        told(&["yes", "no"]).2 && told(&["TRUE", "FALSE"]).2 && told(&["0", "1"]).2,
        "it depends on what was asked"
    );
    assert_eq!(scale(&["food", "cabin", "crew", "noise"]), None);
    assert_eq!(scale(&["1", "2", "10000"]), None);
}

#[test]
fn names_of_the_analyst_mean_their_class_and_say_which_end_they_are() {
    let mut named = rule("1-2", "4-5", Middle::Neutral, "");
    named.names.set(Polarity::Negative, " Late ");
    named.names.set(Polarity::Neutral, "so-so");
    assert_eq!((named.read("late"), named.read("LATE "), named.read("1")), (NEGATIVE, NEGATIVE, NEGATIVE));
    assert_eq!((named.read("So-so"), named.read("positive")), (Reading::Class(Polarity::Neutral), POSITIVE));
    assert_eq!(named.to_string(), "1-2 Late (negative), 4-5 positive, between them: so-so (neutral)");
    assert!(named.check().is_ok() && !named.is_usual());
    named.names.set(Polarity::Negative, "");
    named.names.set(Polarity::Positive, "so-so");
    assert!(named.check().is_err_and(|why| why.contains("is the name of")));
}
