//! What is told beside the findings, while work goes on.

use std::sync::Arc;

use crate::tune::run::Run;

/// Listens to work: remarks about what was found on the way, and how far it is. Every method
/// may be called from any thread; those that are not written do nothing.
pub trait Observer: Send + Sync {
    /// Something to know beside the findings: a warning, a refused row, how a file was read.
    fn remark(&self, remark: &str) {
        let _ = remark;
    }

    /// A piece of work begins; `parts` says how many parts it has, where that is known.
    fn begin(&self, what: &'static str, parts: Option<usize>) {
        let _ = (what, parts);
    }

    /// So many more parts of it are done.
    fn advance(&self, parts: usize) {
        let _ = parts;
    }

    /// The piece of work that began last has ended, done or not.
    fn end(&self) {}

    /// A run of tuning is done and noted.
    fn tried(&self, run: &Run) {
        let _ = run;
    }
}

/// Listens to nothing.
#[derive(Debug, Default, Clone, Copy)]
pub struct Silent;

impl Observer for Silent {}

/// Passes on how far work is, and no remark.
pub(crate) struct Unremarked(pub(crate) Arc<dyn Observer>);

impl Observer for Unremarked {
    fn begin(&self, what: &'static str, parts: Option<usize>) {
        self.0.begin(what, parts);
    }

    fn advance(&self, parts: usize) {
        self.0.advance(parts);
    }

    fn end(&self) {
        self.0.end();
    }
}

/// A piece of work that is going on; it ends when this is dropped.
pub(crate) struct Task<'o>(&'o dyn Observer);

impl<'o> Task<'o> {
    pub fn begin(observer: &'o dyn Observer, what: &'static str, parts: Option<usize>) -> Self {
        observer.begin(what, parts);
        Self(observer)
    }

    pub fn advance(&self, parts: usize) {
        self.0.advance(parts);
    }

    pub fn end(self) {}
}

impl Drop for Task<'_> {
    fn drop(&mut self) {
        self.0.end();
    }
}
