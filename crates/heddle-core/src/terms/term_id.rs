//! Terms as numbers.

/// A term as its place in a [`Vocabulary`](super::vocabulary::Vocabulary), which is its column in
/// the matrix of that vocabulary.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TermId(u32);

impl TermId {
    /// Stands where there is no term.
    pub const NONE: Self = Self(u32::MAX);

    /// The term of this column.
    pub const fn new(column: u32) -> Self {
        Self(column)
    }

    /// The terms of a vocabulary of `count` terms, in order.
    pub fn all(count: usize) -> impl DoubleEndedIterator<Item = Self> {
        (0..count as u32).map(Self)
    }

    /// Its column.
    pub const fn column(self) -> u32 {
        self.0
    }

    /// Its place in lists by term.
    pub const fn place(self) -> usize {
        self.0 as usize
    }

    /// Itself, unless it stands where there is no term.
    pub fn some(self) -> Option<Self> {
        (self != Self::NONE).then_some(self)
    }
}
