//! What was written.

/// What was written to a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Written {
    /// Its size.
    pub bytes: u64,
    /// The XXH3-64 of its bytes.
    pub xxh3: u64,
}
