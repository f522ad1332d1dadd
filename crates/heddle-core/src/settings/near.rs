//! Names that were meant.

/// The name in `names` that is closest to `name`, if any is close: at most a third of its
/// letters differ. Ties go to the earlier one.
pub fn nearest<'a>(name: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let distance = |other: &str| strsim::levenshtein(&name.to_lowercase(), &other.to_lowercase());
    let (best, found) = names.into_iter().map(|other| (distance(other), other)).min_by_key(|(d, _)| *d)?;
    (best * 3 <= found.chars().count().max(name.chars().count()) + 2).then_some(found)
}
