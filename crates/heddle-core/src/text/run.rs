//! Runs of letters.

use super::recipe::Elongation;

/// The length of the run of ASCII letters and digits at the head of `bytes`, and whether
/// one of them may stand three times in a row.
pub(super) fn plain_run(bytes: &[u8]) -> (usize, bool) {
    if let Some(eight) = bytes.first_chunk::<8>() {
        let (length, stretched) = plain_run_of_eight(u64::from_le_bytes(*eight));
        if length < 8 {
            return (length, stretched);
        }
    }
    let (mut last, mut repeats, mut stretched) = (0, 0, false);
    for (at, &byte) in bytes.iter().enumerate() {
        if !byte.is_ascii_alphanumeric() {
            return (at, stretched);
        }
        // Without its case bit a letter keeps its place; digits are told apart later.
        repeats = if byte | 0x20 == last { repeats + 1 } else { 0 };
        stretched |= repeats == 2;
        last = byte | 0x20;
    }
    (bytes.len(), stretched)
}

/// As [`plain_run`], for eight bytes at once, the first the lowest: most words end among them.
fn plain_run_of_eight(eight: u64) -> (usize, bool) {
    const EACH: u64 = 0x0101_0101_0101_0101;
    const HIGH: u64 = 0x80 * EACH;
    // The high bit of each byte below 128 that is `low` or more: no sum passes into the next byte.
    let at_least = |bytes: u64, low: u8| (bytes & !HIGH) + u64::from(0x80 - low) * EACH;
    let within = |bytes: u64, low: u8, high: u8| at_least(bytes, low) & !at_least(bytes, high + 1);
    let small = eight | (0x20 * EACH);
    let plain = (within(small, b'a', b'z') | within(eight, b'0', b'9')) & !eight & HIGH;
    let length = ((!plain & HIGH).trailing_zeros() / 8) as usize;
    // Bytes that equal the next one: those whose difference to it is 0.
    let differs = small ^ (small >> 8);
    let same = !(at_least(differs, 1) | differs) & HIGH;
    let twice = same & (same >> 8);
    let inside = (1u64 << (8 * length.saturating_sub(2))) - 1;
    (length, twice & inside != 0)
}

/// Appends a character unless it would be the third of its kind in a row; tells whether it
/// was left out.
pub(super) fn push_unstretched(forms: &mut String, char: char, form: usize, elongation: Elongation) -> bool {
    if elongation == Elongation::Shorten {
        let stretched = if char.is_ascii() {
            let (letters, byte) = (&forms.as_bytes()[form..], char as u8);
            letters.len() >= 2 && letters[letters.len() - 2..] == [byte, byte]
        } else {
            forms[form..].chars().rev().take_while(|last| *last == char).count() >= 2
        };
        if stretched {
            return true;
        }
    }
    forms.push(char);
    false
}
