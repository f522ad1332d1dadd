//! Quartiles of counted values.

/// The least, the quartiles and the greatest of `total` values, which come in rising order,
/// each with how often it stands there.
pub(super) fn quartiles<T: Copy + Default>(
    counted: impl Iterator<Item = (T, usize)> + Clone,
    total: usize,
) -> [T; 5] {
    let quantile = |quarter: usize| {
        let mut rank = (total.max(1) - 1) * quarter / 4;
        let at = counted.clone().find(|(_, count)| {
            let here = rank < *count;
            rank = rank.saturating_sub(*count);
            here
        });
        at.map_or(T::default(), |(value, _)| value)
    };
    [0, 1, 2, 3, 4].map(quantile)
}
