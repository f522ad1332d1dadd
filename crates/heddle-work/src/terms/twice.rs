//! Terms that should be checked before they are believed.

use heddle_core::terms::Doubt;

/// What should make one look twice, in words.
pub fn look_twice(doubts: &[Doubt]) -> String {
    doubts.iter().map(|doubt| doubt.words()).collect::<Vec<_>>().join(", ")
}
