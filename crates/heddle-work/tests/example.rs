//! The example does what it says.

#[path = "../examples/whole_way.rs"]
#[allow(dead_code)] // its main
mod example;

#[test]
fn the_whole_way_goes_through_the_library() {
    let folder = tempfile::tempdir().expect("a folder");
    let mut out = Vec::new();
    example::whole_way(&folder.path().join("new"), &mut out).expect("every step is done");
    let said = String::from_utf8(out).expect("text");
    let line = |begin: &str| {
        said.lines().find(|line| line.starts_with(begin)).unwrap_or_else(|| panic!("{begin}: {said}"))
    };
    let number = |line: &str| -> f64 {
        line.split(['(', ')']).nth(1).and_then(|number| number.parse().ok()).expect("a number")
    };
    let (unseen, holdout) = (number(line("accuracy on unseen")), number(line("accuracy on the holdout")));
    assert!(unseen > 0.7 && (unseen - holdout).abs() < 0.1, "{unseen} {holdout}");
    let score: f64 = line("“Not a bad cabin")
        .split_whitespace()
        .last()
        .and_then(|score| score.parse().ok())
        .expect("a score");
    let terms: Vec<f64> = said
        .lines()
        .filter_map(|line| line.strip_prefix("  ")?.split_whitespace().next()?.parse().ok())
        .collect();
    assert!(!terms.is_empty() && terms.len() < 20 && score.is_finite(), "{said}");
    for name in ["training.csv", "holdout.csv", "held-out.csv", "model.heddle"] {
        assert!(folder.path().join("new").join(name).is_file(), "{name}");
    }
}
