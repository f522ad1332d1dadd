//! Contractions and what they stand for.

use super::tables::BARE_CONTRACTIONS;

/// The first half of a contraction.
pub(super) enum Head {
    /// This many bytes of the word as it is.
    Keep(usize),
    /// Another word: "wo" is "will".
    Be(&'static str),
}

/// What a contracted word is made of.
pub(super) enum Contraction {
    /// A verb and "n't".
    Negated { head: Head },
    /// A verb and "not" without an apostrophe: "cannot", "dont". The second half begins
    /// `cut` bytes into the word.
    Bare { head: Head, cut: usize },
    /// This many bytes of a word and a short verb: "it's", "we're".
    Clitic { head: usize, tail: &'static str },
    /// This many bytes of a word and a possessive "'s", which says nothing.
    Possessive(usize),
}

/// Verbs that are shortened to their last letters.
const CLITICS: [(&str, &str); 5] =
    [("re", "are"), ("ve", "have"), ("ll", "will"), ("m", "am"), ("d", "would")];

/// Words after which "'s" is a verb rather than a possessive.
const VERB_HOSTS: [&str; 13] = [
    "it",
    "that",
    "there",
    "what",
    "he",
    "she",
    "here",
    "who",
    "where",
    "how",
    "let",
    "everything",
    "nothing",
];

/// Takes a word apart whose apostrophes are all written "'".
pub(super) fn take_apart(word: &str) -> Option<Contraction> {
    let Some((host, short)) = word.rsplit_once('\'') else { return bare(word) };
    let is = |text: &str| short.eq_ignore_ascii_case(text);
    if is("t") {
        let verb = host.strip_suffix(['n', 'N']).filter(|verb| !verb.is_empty())?;
        return Some(Contraction::Negated { head: negated_verb(verb) });
    }
    if is("s") {
        let of_verb = VERB_HOSTS.iter().any(|verb| host.eq_ignore_ascii_case(verb));
        let tail = if host.eq_ignore_ascii_case("let") { "us" } else { "is" };
        return Some(if of_verb {
            Contraction::Clitic { head: host.len(), tail }
        } else {
            Contraction::Possessive(host.len())
        });
    }
    let (_, tail) = CLITICS.iter().find(|(clitic, _)| is(clitic))?;
    Some(Contraction::Clitic { head: host.len(), tail })
}

/// Whether a word may be a contraction without an apostrophe: "dont", "cannot". Nearly every
/// word is turned away here.
pub(super) fn may_be_bare(word: &[u8]) -> bool {
    let [.., before, last] = word else { return false };
    last | 0x20 == b't' && (before | 0x20 == b'n' || word.len() == 6 && before | 0x20 == b'o')
}

fn bare(word: &str) -> Option<Contraction> {
    let is = |text: &&str| word.eq_ignore_ascii_case(text);
    if is(&"cannot") {
        return Some(Contraction::Bare { head: Head::Keep(3), cut: 3 });
    }
    let cut = word.len().checked_sub(2).filter(|_| BARE_CONTRACTIONS.iter().any(is))?;
    Some(Contraction::Bare { head: negated_verb(&word[..cut]), cut })
}

/// The verb before "n't", given without it.
fn negated_verb(stem: &str) -> Head {
    match stem.to_ascii_lowercase().as_str() {
        "ca" => Head::Be("can"),
        "wo" => Head::Be("will"),
        "sha" => Head::Be("shall"),
        "ai" => Head::Be("is"),
        _ => Head::Keep(stem.len()),
    }
}
