//! Which texts something was learnt from.

/// The texts that a model was learnt from, as half of their keys: enough to know them again, and no text. Of a million
/// texts, one new one in four thousand is taken for one of them.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct LearntTexts(Vec<u32>);

impl LearntTexts {
    /// Of texts with these keys ([`text_key`](super::text_key)).
    pub fn new(keys: impl IntoIterator<Item = u64>) -> Self {
        let mut own: Vec<u32> = keys.into_iter().map(half).collect();
        own.sort_unstable();
        own.dedup();
        Self(own)
    }

    /// As a file keeps them; nothing unless they rise.
    pub fn from_halves(halves: Vec<u32>) -> Option<Self> {
        halves.is_sorted_by(|a, b| a < b).then_some(Self(halves))
    }

    /// Half of each key, rising.
    pub fn halves(&self) -> &[u32] {
        &self.0
    }

    /// Whether a text with this key was learnt from.
    pub fn hold(&self, key: u64) -> bool {
        self.0.binary_search(&half(key)).is_ok()
    }

    /// Whether nothing is known: models of earlier versions kept none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

fn half(key: u64) -> u32 {
    (key >> 32) as u32
}
