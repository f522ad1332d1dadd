//! Memory that is asked for before it is needed.
//!
//! What is known of a million columns does not fit the caches, and a sum that waits for one column keeps the core from
//! asking for the next. So each is asked for some steps before its turn.

pub(crate) use prefetch_index::prefetch_index as ask;

/// So many items ahead: enough that what is farthest away has come by then, and not so many that it is gone again.
pub(crate) const STEPS: usize = 32;
/// The bytes that come at once.
const LINE: usize = 64;

/// Folds over items; `ask` asks for what `add` will need of an item.
#[inline]
pub(crate) fn fold_ahead<'a, T, S>(
    items: &'a [T],
    ask: impl Fn(&S, &'a T),
    start: S,
    mut add: impl FnMut(S, &'a T) -> S,
) -> S {
    let (soon, later) = items.split_at(STEPS.min(items.len()));
    soon.iter().for_each(|item| ask(&start, item));
    let (now, last) = items.split_at(later.len());
    let sum = now.iter().zip(later).fold(start, |sum, (item, later)| {
        ask(&sum, later);
        add(sum, item)
    });
    last.iter().fold(sum, add)
}

/// Asks for all of these items.
#[inline]
pub(crate) fn ask_for_all<T>(items: &[T]) {
    (0..items.len()).step_by((LINE / size_of::<T>()).max(1)).for_each(|at| ask(items, at));
}
