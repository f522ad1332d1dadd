//! Words that are plainly good or bad in reviews of nearly anything.

/// Words that speak for satisfaction in reviews of nearly anything.
const GOOD: [&str; 16] = [
    "clean",
    "comfortable",
    "delicious",
    "excellent",
    "fantastic",
    "friendly",
    "good",
    "great",
    "happy",
    "helpful",
    "kind",
    "lovely",
    "perfect",
    "pleasant",
    "superb",
    "wonderful",
];
/// Words that speak for displeasure.
const BAD: [&str; 16] = [
    "awful",
    "bad",
    "broken",
    "dirty",
    "disappointed",
    "disappointing",
    "disgusting",
    "dreadful",
    "filthy",
    "horrible",
    "poor",
    "rude",
    "terrible",
    "unpleasant",
    "useless",
    "worst",
];

/// +1 for a plainly good word in small letters, -1 for a plainly bad one.
pub(crate) fn plain_sign(word: &str) -> Option<f64> {
    if GOOD.contains(&word) {
        Some(1.0)
    } else if BAD.contains(&word) {
        Some(-1.0)
    } else {
        None
    }
}
