//! Profiles of columns and texts.

use std::borrow::Cow;

use heddle_core::{ColumnKind, ColumnProfile, Profiler, TextProfile};

fn profile<S: AsRef<str>>(cells: &[S]) -> ColumnProfile {
    let mut profiler = Profiler::default();
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
    assert_eq!(found.range, Some(("1".into(), "5".into())));
    assert_eq!(found.values[..2], [("4".to_string(), 5), ("5".to_string(), 5)]);
}

#[test]
fn texts_are_measured_and_compared() {
    let reviews = [
        ("Never again!", "1"),
        ("never AGAIN", "5"),
        ("", "3"),
        ("a b c d", "4"),
        ("A b, c d.", "4"),
        ("one", "2"),
    ];
    let found = TextProfile::new(reviews.iter().map(|(text, rating)| (Cow::Borrowed(*text), *rating)));
    assert_eq!((found.filled, found.empty, found.repeated, found.conflicting), (5, 1, 2, 1));
    assert_eq!((found.words[0], found.words[2], found.words[4]), (1, 2, 4));
    assert_eq!(TextProfile::new(std::iter::empty()), TextProfile::default());
}
