//! Terms as people write them.

use super::fields::FieldNames;
use super::subwords::is_subword;
use super::token_id::TokenId;
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::tokens::{Kind, Token};

/// The path of a term that is given as terms are spelled, if every word of it is known.
pub(crate) fn path_spelled(term: &str, place: impl Fn(&str) -> Option<u32>) -> Option<Vec<TokenId>> {
    let token = |word: &str| {
        let plain = word.strip_prefix('¬');
        Some(TokenId::new(place(plain.unwrap_or(word))?, plain.is_some()))
    };
    // Blanks inside of marks, as in "‹10 of 10›", belong to one token.
    let mut inside = false;
    let apart = |char: char| {
        inside = char == '‹' || inside && char != '›';
        char == ' ' && !inside
    };
    term.split(apart).filter(|word| !word.is_empty()).map(token).collect()
}

/// The path of a term that is given by name, if every word of it is known. A name is read as
/// a text is: "not good" is "not ¬good" where negation is marked. A name with "¬" in it, or
/// a part of a word such as "/ood_/" or "enjoy-", is taken as it stands; so is the column at its head,
/// where columns are kept apart.
pub(crate) fn path_of(
    name: &str,
    cleaner: &Cleaner,
    fields: &FieldNames,
    place: impl Fn(&str) -> Option<u32>,
) -> Option<Vec<TokenId>> {
    if name.contains(['¬', '/', '‹']) || is_subword(name) {
        let token = |word: &str| {
            let word = word.to_lowercase();
            let plain = word.replace('¬', "");
            Some(TokenId::new(place(&plain)?, plain != word))
        };
        return name.split_whitespace().map(token).collect();
    }
    let (field, rest) = fields.cut(name.trim());
    let mut buffer = ScanBuffer::default();
    let mut read = |tongue: usize, head: Option<&str>| -> Option<Vec<TokenId>> {
        let tokens = cleaner.scan_in(tongue, rest, &mut buffer);
        let token = |token: &Token| {
            let form = tokens.form(token);
            let word = match head.filter(|_| token.kind == Kind::Word || field.is_some()) {
                Some(head) => place(&format!("{head}:{form}")),
                None => place(form),
            };
            Some(TokenId::new(word?, token.negated))
        };
        let path: Vec<TokenId> = tokens.items().iter().map(token).collect::<Option<_>>()?;
        (!path.is_empty()).then_some(path)
    };
    match field {
        Some(head) => read(fields.tongue_of(head).unwrap_or(0), Some(head)),
        // The first language that has all of its words.
        None => (0..cleaner.languages().len()).find_map(|tongue| read(tongue, fields.of_tongue(tongue))),
    }
}
