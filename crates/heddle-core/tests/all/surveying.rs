//! Profiles of columns and texts.

use heddle_core::labels::{DateForm, DateOrder, read_date};
use heddle_core::settings::Study;
use heddle_core::survey::{
    ColumnKind, ColumnProfile, Oddity, Profiler, Reservoir, Script, TextFacts, TextProfile, TextProfiler,
    languages, looks, rating_words,
};

fn profile<S: AsRef<str>>(cells: &[S]) -> ColumnProfile {
    let mut profiler = Profiler::new(DateOrder::DayFirst, 7);
    cells.iter().for_each(|cell| profiler.add(cell.as_ref()));
    profiler.finish("column")
}

#[test]
fn a_column_is_what_its_cells_are() {
    let many = |cell: fn(usize) -> String| (0..60).map(cell).collect::<Vec<_>>();
    assert_eq!(profile(&["", " "]).kind, ColumnKind::Empty);
    assert_eq!(profile(&many(|n| (n % 5 + 1).to_string())).kind, ColumnKind::Number);
    assert_eq!(profile(&many(|n| format!("2025-01-{:02}", n % 31 + 1))).kind, ColumnKind::Date);
    assert_eq!(profile(&many(|n| format!("2025-01-{:02} 10:30", n % 31 + 1))).kind, ColumnKind::Date);
    assert_eq!(profile(&many(|n| format!("HS-{n}"))).kind, ColumnKind::Identifier);
    assert_eq!(profile(&many(|n| ["app", "web"][n % 2].to_string())).kind, ColumnKind::Category);
    assert_eq!(profile(&many(|n| format!("review {n} of a cabin"))).kind, ColumnKind::Text);
    assert_ne!(
        profile(&many(|n| format!("2025-02-{}", n + 30))).kind,
        ColumnKind::Date,
        "30 February is no date"
    );
}

#[test]
fn cells_are_counted_once_each() {
    let found = profile(&[
        "5", " 4 ", "", "4.5", "5", "n/a", "5", "1", "2", "3", "4", "5", "4", "4", "3", "2", "1", "5", "4",
        "3", "2",
    ]);
    assert_eq!((found.filled, found.missing, found.distinct), (20, 1, 7));
    assert_eq!(found.kind, ColumnKind::Number, "one odd cell in twenty does not change the kind");
    assert_eq!(found.misfits, 1);
    let numbers = found.numbers.expect("a spread of numbers");
    assert_eq!(numbers.quartiles, [1.0, 2.0, 4.0, 4.5, 5.0]);
    assert_eq!(numbers.bars.iter().map(|(_, count)| count).sum::<usize>(), 19);
    assert_eq!(found.values[..2], [("4".to_string(), 5), ("5".to_string(), 5)]);
}

#[test]
fn numbers_of_many_values_fall_into_bars() {
    let found = profile(&(0..1000).map(|n| (n as f64 / 7.0).to_string()).collect::<Vec<_>>());
    let bars = found.numbers.expect("a spread").bars;
    assert_eq!(bars.len(), 12);
    assert!(bars.iter().all(|(_, count)| (80..=86).contains(count)), "{bars:?}");
}

fn texts_of(reviews: &[(&str, &str)]) -> TextProfile {
    let mut profiler = TextProfiler::default();
    reviews.iter().for_each(|(text, rating)| profiler.add(TextFacts::of(text).as_ref(), rating));
    profiler.finish(0.8)
}

#[test]
fn texts_are_measured_and_compared() {
    let found = texts_of(&[
        ("Never again!", "1"),
        ("never AGAIN", "5"),
        ("", "3"),
        ("a b c d", "4"),
        ("A b, c d.", "4"),
        ("one", "2"),
        ("The night crossing was calm and the berth was warm and clean enough", "4"),
        ("The night crossing was calm and the berth was warm and clean enough, really", "4"),
    ]);
    assert_eq!((found.filled, found.empty, found.repeated, found.conflicting), (7, 1, 2, 1));
    assert_eq!(found.conflict_examples, [(0, 1)]);
    assert_eq!((found.near, found.near_examples), (1, vec![(6, 7)]));
    assert_eq!((found.words[0], found.words[2], found.words[4]), (1, 4, 14));
    assert_eq!(found.lengths, [(1, 1), (2, 2), (4, 2), (8, 2)]);
    assert_eq!(texts_of(&[]), TextProfile::default());
}

#[test]
fn dates_are_read_in_the_usual_forms() {
    for (cell, day, form) in [
        ("2025-03-09", "2025-03-09", DateForm::YearFirst),
        ("2025-03-09T18:20:00Z", "2025-03-09", DateForm::YearFirst),
        ("2025/03/09 18:20", "2025-03-09", DateForm::YearFirst),
        ("9.3.2025", "2025-03-09", DateForm::Dotted),
        ("09.03.25, 18:20", "2025-03-09", DateForm::Dotted),
        ("9/3/2025", "2025-03-09", DateForm::Slashed),
        ("31-12-99", "1999-12-31", DateForm::Slashed),
        ("9 March 2025", "2025-03-09", DateForm::Named),
        ("9-Mar-2025", "2025-03-09", DateForm::Named),
        ("March 9, 2025", "2025-03-09", DateForm::Named),
        ("Mar 9th 2025", "2025-03-09", DateForm::Named),
    ] {
        let found = read_date(cell, DateOrder::DayFirst).unwrap_or_else(|| panic!("{cell} is a date"));
        assert_eq!((found.day.to_string().as_str(), found.form, found.turned), (day, form, false), "{cell}");
    }
    for cell in [
        "",
        "2025-02-30",
        "30.2.2025",
        "13/13/2025",
        "12",
        "4.5",
        "1.2.3.4",
        "Mayor 3, 2025",
        "2025-3",
        "9/3/20255",
        "May",
        "3-4-",
        "-1",
    ] {
        assert_eq!(read_date(cell, DateOrder::DayFirst), None, "{cell}");
    }
}

#[test]
fn the_order_of_day_and_month_is_told_and_doubt_is_kept() {
    let found = read_date("3/4/2025", DateOrder::DayFirst).expect("a date");
    assert!(found.ambiguous && found.day.to_string() == "2025-04-03");
    let found = read_date("3/4/2025", DateOrder::MonthFirst).expect("a date");
    assert!(found.ambiguous && found.day.to_string() == "2025-03-04");
    let found = read_date("3/14/2025", DateOrder::DayFirst).expect("a date");
    assert!(found.turned && !found.ambiguous && found.day.to_string() == "2025-03-14");
    assert!(!read_date("3/3/2025", DateOrder::DayFirst).expect("a date").ambiguous, "both ways are one day");
}

#[test]
fn dates_of_three_kinds_in_one_column_are_counted_by_kind() {
    let cells = ["2025-01-31", "31/1/2025", "1/31/2025", "March 3, 2025", "2025-03-01"];
    let found = profile(&cells);
    assert_eq!(found.kind, ColumnKind::Date);
    let dates = found.dates.expect("dates");
    assert_eq!(dates.forms, [(DateForm::YearFirst, 2), (DateForm::Slashed, 2), (DateForm::Named, 1)]);
    assert_eq!((dates.turned, dates.range), (1, ("2025-01-31".into(), "2025-03-03".into())));
    assert_eq!(dates.months, [("2025-01".into(), 3), ("2025-02".into(), 0), ("2025-03".into(), 2)]);
}

#[test]
fn odd_texts_are_told_apart_from_plain_ones() {
    for (text, oddity) in [
        ("asdfghjkl asdf", Oddity::KeyboardNoise),
        ("aaaaaaaaaaaa", Oddity::KeyboardNoise),
        ("xkcdqrt bnmpl", Oddity::KeyboardNoise),
        ("5/5 !!!", Oddity::NoLetters),
        ("a cafÃ© on deck", Oddity::WronglyDecoded),
        ("it wasnâ€™t warm", Oddity::WronglyDecoded),
        ("calm \u{96} and warm", Oddity::WronglyDecoded),
        ("a caf\u{fffd} on deck", Oddity::LostCharacters),
        ("bell \u{7} here", Oddity::ControlCharacters),
        ("zero\u{200b}width", Oddity::InvisibleCharacters),
        ("logo \u{e000}", Oddity::PrivateCharacters),
    ] {
        assert_eq!(looks(text).oddities, [oddity], "{text:?}");
    }
    for text in [
        "The property was sooooo good",
        "Grrr! Cold tea.",
        "Schöne Überfahrt",
        "Café, naïve, 👨‍👩‍👧",
        "ok",
        "liberty and poverty",
    ] {
        assert!(looks(text).oddities.is_empty(), "{text:?}: {:?}", looks(text).oddities);
    }
    assert_eq!(looks("Очень тёплая каюта").script, Some(Script::Cyrillic));
    assert_eq!(looks("a καμπίνα ζεστή").script, Some(Script::Greek));
    assert_eq!(looks("12").script, None);
}

#[test]
fn languages_are_told_of_texts_that_are_long_enough() {
    let english =
        "The night crossing was calm and the berth was warm and clean, we slept well until the morning";
    let german =
        "Die Überfahrt war ruhig und die Kabine war warm und sauber, wir haben gut geschlafen bis zum Morgen";
    let found = languages(&[english, german, english, "ok", ""]);
    assert_eq!(found.iter().map(|own| own.language).collect::<Vec<_>>(), ["English", "German"]);
    assert_eq!((found[0].share.value, found[0].share.n), (Some(2.0 / 3.0), 3));
}

#[test]
fn telling_words_are_those_that_stand_under_one_rating() {
    let mut texts: Vec<(&str, usize)> = Vec::new();
    for _ in 0..30 {
        texts.extend([
            ("a cold cabin", 0),
            ("the cabin was not warm", 0),
            ("a warm cabin", 1),
            ("the cabin was lovely", 1),
        ]);
    }
    let found = rating_words(&texts, &["1".into(), "5".into()], &Study::default().cleaner(), 3);
    let words = |at: usize| found[at].telling.iter().map(|share| share.word.as_str()).collect::<Vec<_>>();
    assert!(words(0).contains(&"cold") && words(0).contains(&"¬warm"), "{:?}", words(0));
    assert!(words(1).contains(&"lovely") && words(1).contains(&"warm"), "{:?}", words(1));
    assert_eq!((found[0].frequent[0].word.as_str(), found[0].frequent[0].reviews), ("cabin", 60));
    assert_eq!(found[1].reviews, 60);
}

#[test]
fn a_reservoir_draws_each_item_alike() {
    let mut hits = [0usize; 50];
    for seed in 0..2000 {
        let mut reservoir = Reservoir::new(10, seed);
        (0..50usize).for_each(|item| reservoir.offer(|| item));
        reservoir.into_kept().into_iter().for_each(|item| hits[item] += 1);
    }
    // 400 expected, with a standard deviation of 18.
    assert!(hits.iter().all(|hits| (310..490).contains(hits)), "{hits:?}");
}

#[test]
fn the_sign_of_a_wrong_decoding_is_the_one_that_stands_there() {
    for (text, sign) in [
        ("a cafÃ© on deck", Some("Ã©")),
        ("it wasnâ€™t warm", Some("â€™")),
        ("calm \u{96} and warm", Some("U+0096")),
        ("a château, Ânes", None),
    ] {
        assert_eq!(looks(text).sign.as_deref(), sign, "{text}");
    }
}
