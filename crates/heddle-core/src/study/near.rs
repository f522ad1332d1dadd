//! Names that were meant.

/// The name in `names` that is closest to `name`, if any is close: at most a third of its
/// letters differ. Ties go to the earlier one.
pub fn nearest<'a>(name: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let distance = |other: &str| edit_distance(&name.to_lowercase(), &other.to_lowercase());
    let (best, found) = names.into_iter().map(|other| (distance(other), other)).min_by_key(|(d, _)| *d)?;
    (best * 3 <= found.chars().count().max(name.chars().count()) + 2).then_some(found)
}

/// Levenshtein's distance, in characters.
pub(crate) fn edit_distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, from) in a.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        for (j, to) in b.iter().enumerate() {
            let change = diagonal + usize::from(from != *to);
            diagonal = row[j + 1];
            row[j + 1] = change.min(row[j] + 1).min(diagonal + 1);
        }
    }
    row[b.len()]
}
