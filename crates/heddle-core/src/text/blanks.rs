//! What bytes tell of a text before any token is made: words as blanks part them, and bytes of a kind.

/// Bytes that are looked at together: so many at most are counted among them, and a byte counts them.
const BLOCK: usize = u8::MAX as usize;

/// The number of bytes that are of a kind. One pass over them, many at a time where `is` has no branches.
pub fn bytes_that(bytes: &[u8], is: impl Fn(u8) -> bool) -> usize {
    let of_block =
        |block: &[u8]| usize::from(block.iter().map(|byte| u8::from(is(*byte))).fold(0u8, u8::wrapping_add));
    bytes.chunks(BLOCK).map(of_block).sum()
}

/// The number of words of a text, parted by white space of Unicode. One pass over its bytes, many at a time.
pub fn word_count(text: &str) -> usize {
    if !text.is_ascii() && text.chars().any(|char| !char.is_ascii() && char.is_whitespace()) {
        return text.split_whitespace().count();
    }
    let blank = |byte: u8| (byte == b' ') | (byte.wrapping_sub(b'\t') <= b'\r' - b'\t');
    let bytes = text.as_bytes();
    let Some((first, behind)) = bytes.split_first() else { return 0 };
    // A word begins where a letter stands behind a blank.
    let of_block = |(before, here): (&[u8], &[u8])| {
        let begins = before.iter().zip(here).map(|(before, here)| u8::from(blank(*before) & !blank(*here)));
        usize::from(begins.fold(0u8, u8::wrapping_add))
    };
    let blocks = bytes.chunks(BLOCK).zip(behind.chunks(BLOCK));
    usize::from(!blank(*first)) + blocks.map(of_block).sum::<usize>()
}
