//! Sketches in a file give what sketches in memory give.

use heddle_core::resample::{Fingerprint, Grouping, Random};
use heddle_files::SketchFile;

#[test]
fn groups_do_not_depend_on_where_sketches_are_kept() {
    const WORDS: [&str; 12] = [
        "cabin", "berth", "deck", "night", "crew", "tea", "harbour", "ticket", "queue", "lamp", "blanket",
        "flask",
    ];
    let mut draw = Random::new(5);
    let mut texts: Vec<String> = Vec::new();
    // Enough for the file to be written in several pieces: 64 bytes each, a megabyte a piece.
    for at in 0..36_000 {
        let text = match draw.unit() {
            share if share < 0.2 && at > 0 => format!("{} really", texts[draw.below(texts.len())]),
            share if share < 0.3 => "short".into(),
            _ => (0..16).map(|_| format!("{}{} ", WORDS[draw.below(12)], draw.below(90))).collect(),
        };
        texts.push(text);
    }
    let mut memory = Grouping::new(1);
    let mut file = Grouping::kept_in(SketchFile::new().expect("a temporary file"), 1);
    for (at, text) in texts.iter().enumerate() {
        let (fingerprint, value) = (Fingerprint::of(text), [(at % 7 == 0).then_some(at as u64 / 21)]);
        let Ok(()) = memory.push(&fingerprint, &value);
        file.push(&fingerprint, &value).expect("room");
    }
    let Ok(expected) = memory.groups(0.8);
    assert!(expected.near.len() > 3000, "{}", expected.near.len());
    assert_eq!(file.groups(0.8).expect("the file can be read"), expected);
}
