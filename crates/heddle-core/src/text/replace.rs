//! Phrases that are read as others.

use aho_corasick::{AhoCorasick, MatchKind};

use super::language::Language;
use super::recipe::Recipe;
use super::scan::{self, Hit, Replaced, Stand};
use super::tokens::Tokens;

/// Phrases and the tokens that are read in their place. All are sought at once, small and
/// capital ASCII letters alike, the longest at each place.
#[derive(Debug, Clone)]
pub(super) struct Replacements {
    finder: AhoCorasick,
    stands: Vec<Vec<Stand>>,
}

/// The two halves of each line "from,to". What is read in place of a phrase is not
/// replaced again.
///
/// # Errors
/// A sentence about the first line that is none such, stands there twice, or would have to
/// be replaced again.
pub(crate) fn pairs(lines: &[String]) -> Result<Vec<(String, String)>, String> {
    let mut pairs: Vec<(String, String)> = Vec::with_capacity(lines.len());
    for line in lines {
        let Some((from, to)) = line.split_once(',').map(|(from, to)| (from.trim(), to.trim())) else {
            return Err(format!(
                "text.replace: `{line}` has no comma: expected a line such as \"w/o,without\""
            ));
        };
        if from.is_empty() {
            return Err(format!("text.replace: `{line}` has nothing before its comma"));
        }
        let from = from.to_lowercase();
        if let Some((_, other)) = pairs.iter().find(|(own, _)| *own == from) {
            return Err(format!("text.replace: `{from}` is replaced twice, by `{other}` and by `{to}`"));
        }
        pairs.push((from, to.into()));
    }
    for (from, to) in &pairs {
        if let Some((_, last)) = pairs.iter().find(|(own, _)| *own == to.to_lowercase() && own != from) {
            return Err(format!(
                "text.replace: `{from}` becomes `{to}`, which becomes `{last}`: each is made once; write \"{from},{last}\""
            ));
        }
    }
    Ok(pairs)
}

impl Replacements {
    /// Nothing, if there is nothing to replace.
    ///
    /// # Errors
    /// As [`pairs`], or if there are too many to be sought at once.
    pub(super) fn new(recipe: &Recipe) -> Result<Option<Self>, String> {
        let pairs = pairs(&recipe.replace)?;
        if pairs.is_empty() {
            return Ok(None);
        }
        let finder = AhoCorasick::builder()
            .ascii_case_insensitive(true)
            .match_kind(MatchKind::LeftmostLongest)
            .build(pairs.iter().map(|(from, _)| from))
            .map_err(|error| format!("text.replace: {error}"))?;
        let mut tokens = Tokens::default();
        let stand = |(_, to): &(String, String)| {
            scan::read(to, (recipe, Language::Other), Replaced::default(), &mut tokens, &mut ());
            let own = tokens.items().iter();
            own.map(|token| Stand { form: tokens.form(token).into(), kind: token.kind, before: token.before })
                .collect()
        };
        Ok(Some(Self { finder, stands: pairs.iter().map(stand).collect() }))
    }

    /// Finds every phrase that stands apart from the letters and digits around it.
    pub(super) fn find(&self, raw: &str, hits: &mut Vec<Hit>) {
        let mut from = 0;
        while let Some(found) = self.finder.find(aho_corasick::Input::new(raw).range(from..)) {
            if apart(raw, found.start(), found.end()) {
                hits.push(Hit { start: found.start(), end: found.end(), phrase: found.pattern().as_usize() });
                from = found.end();
            } else {
                from = found.start() + raw[found.start()..].chars().next().map_or(1, char::len_utf8);
            }
        }
    }

    /// By phrase: the tokens in its place.
    pub(super) fn stands(&self) -> &[Vec<Stand>] {
        &self.stands
    }
}

/// Whether neither end of a span cuts a word.
fn apart(raw: &str, start: usize, end: usize) -> bool {
    let cuts = |before: Option<char>, after: Option<char>| {
        before.is_some_and(char::is_alphanumeric) && after.is_some_and(char::is_alphanumeric)
    };
    let span = &raw[start..end];
    !cuts(raw[..start].chars().next_back(), span.chars().next())
        && !cuts(span.chars().next_back(), raw[end..].chars().next())
}
