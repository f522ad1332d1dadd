//! Rows that must stay together.

use rustc_hash::FxHashMap;

/// For each row, the smallest key among all rows that it is tied to.
///
/// `keys` holds for each row its keys: that of its text, and one for each value that it
/// shares with others (a customer, an order). Rows with a key in common are tied, and so
/// are rows tied to the same row: the groups are the connected components. Near-linear
/// in the number of keys (union by smallest, with path halving).
pub fn groups(keys: &[Vec<u64>]) -> Vec<u64> {
    let mut parents: Vec<usize> = (0..keys.len()).collect();
    let mut seen: FxHashMap<u64, usize> = FxHashMap::default();
    for (row, own) in keys.iter().enumerate() {
        for key in own {
            let other = *seen.entry(*key).or_insert(row);
            let (a, b) = (root(&mut parents, row), root(&mut parents, other));
            parents[a.max(b)] = a.min(b);
        }
    }
    let mut least = vec![u64::MAX; keys.len()];
    for (row, own) in keys.iter().enumerate() {
        let root = root(&mut parents, row);
        least[root] = own.iter().copied().fold(least[root], u64::min);
    }
    (0..keys.len()).map(|row| least[root(&mut parents, row)]).collect()
}

fn root(parents: &mut [usize], mut row: usize) -> usize {
    while parents[row] != row {
        parents[row] = parents[parents[row]];
        row = parents[row];
    }
    row
}
