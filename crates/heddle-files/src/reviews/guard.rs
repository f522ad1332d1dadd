//! Packages that decode binary formats may panic on damaged files: each call to them stands behind a guard, and a
//! panic becomes an error about the file.

use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};

thread_local! {
    static GUARDED: Cell<bool> = const { Cell::new(false) };
}

/// What is wrong with a file whose decoder panics.
pub(crate) const CONTRADICTS: &str = "its data contradict themselves";

/// Whether this thread is in a part whose panics are caught and told as errors, so that nobody
/// else need tell of them.
pub fn is_guarded() -> bool {
    GUARDED.get()
}

/// Calls into a decoder; of a panic nothing comes.
pub(crate) fn guarded<T>(work: impl FnOnce() -> T) -> Option<T> {
    let before = GUARDED.replace(true);
    let done = catch_unwind(AssertUnwindSafe(work));
    GUARDED.set(before);
    done.ok()
}
