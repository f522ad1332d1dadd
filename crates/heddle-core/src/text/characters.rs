//! Characters, character references and addresses.

/// A character of a review: what it stands for and how many raw bytes it takes.
#[derive(Clone, Copy)]
pub(super) struct Letter {
    pub(super) char: char,
    pub(super) length: usize,
}

/// Whether bytes begin so, in small or capital letters.
pub(super) fn starts_with(bytes: &[u8], prefix: &[u8]) -> bool {
    bytes.len() >= prefix.len() && bytes[..prefix.len()].eq_ignore_ascii_case(prefix)
}

/// Whether the bytes up to the next blank are a mail address.
pub(super) fn is_mail(bytes: &[u8]) -> bool {
    const LONGEST_ADDRESS: usize = 254; // RFC 5321, 4.5.3.1.3
    let local = |byte: &u8| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'_' | b'-' | b'+');
    let name = bytes.iter().take(LONGEST_ADDRESS).take_while(|byte| local(byte)).count();
    bytes.get(name) == Some(&b'@')
        && bytes[name + 1..]
            .iter()
            .take(LONGEST_ADDRESS)
            .take_while(|byte| local(byte))
            .any(|&byte| byte == b'.')
}

/// The character that a reference such as `&amp;`, `&#39;` or `&#x2019;` names.
pub(super) fn reference(bytes: &[u8]) -> Option<Letter> {
    const LONGEST_NAME: usize = 12;
    let end = bytes.iter().take(LONGEST_NAME).position(|&byte| byte == b';')?;
    let name = &bytes[1..end];
    let char = match name {
        [b'#', b'x' | b'X', digits @ ..] => number_reference(digits, 16)?,
        [b'#', digits @ ..] => number_reference(digits, 10)?,
        b"nbsp" => ' ',
        _ => {
            let names = &html_escape::NAMED_ENTITIES;
            let found = names.binary_search_by(|(entry, _)| (*entry).cmp(name)).ok()?;
            names[found].1.chars().next()?
        }
    };
    Some(Letter { char, length: end + 1 })
}

fn number_reference(digits: &[u8], radix: u32) -> Option<char> {
    let digits = std::str::from_utf8(digits).ok()?;
    char::from_u32(u32::from_str_radix(digits, radix).ok()?)
}

/// Whether a character is an accent on the one before it.
pub(super) fn is_combining(char: char) -> bool {
    matches!(char, '\u{300}'..='\u{36f}')
}

/// Whether a character is an emoji, or a part of one.
pub(super) fn is_pictograph(char: char) -> bool {
    matches!(char,
        '\u{1f000}'..='\u{1faff}' | '\u{2600}'..='\u{27bf}' | '\u{2b50}' | '\u{2b55}' | '\u{231a}' | '\u{231b}'
        | '\u{23e9}'..='\u{23fa}' | '\u{2b05}'..='\u{2b07}' | '\u{203c}' | '\u{2049}')
}
