//! Words as blanks part them, before any token is made.

/// The number of words of a text, parted by white space of Unicode. One pass over its bytes.
pub fn word_count(text: &str) -> usize {
    if !text.is_ascii() {
        return text.split_whitespace().count();
    }
    let blank = |byte: u8| matches!(byte, b' ' | b'\t'..=b'\r');
    let begins = |(before, byte): (&u8, &u8)| usize::from(blank(*before) & !blank(*byte));
    let bytes = text.as_bytes();
    let first = usize::from(bytes.first().is_some_and(|byte| !blank(*byte)));
    first + bytes.iter().zip(bytes.iter().skip(1)).map(begins).sum::<usize>()
}
