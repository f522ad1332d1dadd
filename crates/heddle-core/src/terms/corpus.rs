//! Reviews as lists of token ids.

use rayon::prelude::*;
use xxhash_rust::xxh3::xxh3_64;

use super::intern::Words;
use super::letters::Letters;
use crate::study::{Fields, Study};
use crate::text::cleaner::Cleaner;
use crate::text::document::Document;
use crate::text::negate::Style;
use crate::text::recipe::Case;
use crate::text::{Break, Kind, Token, Tokens};

/// The texts of a set of reviews.
pub trait Texts: Sync {
    /// The number of reviews.
    fn count(&self) -> usize;

    /// Puts the text of review `row` into `document`, which is empty.
    fn put(&self, row: usize, document: &mut Document);
}

impl<S: AsRef<str> + Sync> Texts for [S] {
    fn count(&self) -> usize {
        self.len()
    }

    fn put(&self, row: usize, document: &mut Document) {
        *document = Document::from(self[row].as_ref());
    }
}

impl Texts for [Document] {
    fn count(&self) -> usize {
        self.len()
    }

    fn put(&self, row: usize, document: &mut Document) {
        document.clone_from(&self[row]);
    }
}

/// A token as a number: twice the place of its word, plus one if it is negated.
pub type TokenId = u32;

/// Stands between sentences in a list of token ids.
pub const SENTENCE_END: TokenId = u32::MAX;
/// The id of a word that a vocabulary does not have, where it is not negated.
pub(crate) const UNKNOWN: TokenId = u32::MAX - 3;

/// Whether an id stands for a word that a vocabulary does not have.
pub(crate) fn is_unknown(id: TokenId) -> bool {
    plain(id) == UNKNOWN
}

/// The id of a token whose word has this place.
pub fn token_id(word: u32, negated: bool) -> TokenId {
    word << 1 | u32::from(negated)
}

/// The same word, not negated.
pub(crate) fn plain(id: TokenId) -> TokenId {
    id & !1
}

/// The place of a word where terms are hashed: a fixed hash of its letters, so that it is the
/// same on every machine.
pub(crate) fn hashed_place(word: &str) -> u32 {
    const PLACES: u64 = (1 << 31) - 2; // the last ones are sentence ends and unknown words
    (xxh3_64(word.as_bytes()) % PLACES) as u32
}

/// The names that forms get from their text columns, where these are kept apart.
#[derive(Debug, Clone, Default)]
pub(crate) struct FieldNames {
    /// By text column; none where columns are joined.
    names: Vec<String>,
}

impl FieldNames {
    pub(crate) fn of(study: &Study) -> Self {
        match study.reviews.fields {
            Fields::Joined => Self::default(),
            Fields::Separate => Self { names: study.reviews.text.clone() },
        }
    }

    /// The name of the column of a token; nothing where columns are joined.
    fn of_token(&self, document: &Document, token: &Token) -> Option<&str> {
        let last = self.names.len().checked_sub(1)?;
        let field = document.field_at(token.start).unwrap_or(last).min(last);
        Some(&self.names[field])
    }

    /// The name at the head of a spelled word, and the rest of it.
    pub(crate) fn cut<'a>(&self, word: &'a str) -> (Option<&str>, &'a str) {
        let found = self.names.iter().find_map(|name| {
            word.strip_prefix(name.as_str())?.strip_prefix(':').map(|rest| (Some(name.as_str()), rest))
        });
        found.unwrap_or((None, word))
    }

    /// Calls `with` with the word that a token stands for: its form, behind the name of its
    /// column where columns are kept apart.
    pub(crate) fn word<R>(
        &self,
        document: &Document,
        tokens: &Tokens,
        token: &Token,
        buffer: &mut String,
        with: impl FnOnce(&str) -> R,
    ) -> R {
        let form = tokens.form(token);
        let Some(name) = self.of_token(document, token) else { return with(form) };
        buffer.clear();
        ["", name, ":", form].iter().for_each(|part| buffer.push_str(part));
        with(buffer)
    }
}

/// Writes the ids of a review's tokens, with [`SENTENCE_END`] between sentences.
pub(crate) fn put_ids(tokens: &Tokens, ids: &mut Vec<TokenId>, mut id_of: impl FnMut(&Token) -> TokenId) {
    for (at, token) in tokens.items().iter().enumerate() {
        if at > 0 && token.before == Break::Sentence {
            ids.push(SENTENCE_END);
        }
        ids.push(id_of(token));
    }
}

/// How a word is written inside sentences.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Writing {
    /// How often it stands inside a sentence.
    inside: u32,
    /// How often it then begins with a capital letter and goes on with small ones.
    capital: u32,
}

/// Reviews as token ids over one list of words. The text itself is no longer needed.
#[derive(Debug, Clone)]
pub struct Corpus {
    /// The distinct words, in the order in which the reviews first use them; none where terms
    /// are hashed.
    pub words: Words,
    pub(crate) ids: Vec<TokenId>,
    pub(crate) starts: Vec<usize>,
    pub(crate) style: Style,
    pub(crate) letters: Letters,
    pub(crate) fields: FieldNames,
    pub(crate) cleaner: Cleaner,
    writing: Vec<Writing>,
    case: Case,
}

/// Reviews read by one thread at a time: ids over a word list of their own.
struct Chunk {
    words: Words,
    writing: Vec<Writing>,
    ids: Vec<TokenId>,
    lengths: Vec<u32>,
}

impl Corpus {
    /// Reads all texts once. Uses every thread of the current pool; the result is the same
    /// for any number of them, because chunks have a fixed size and are joined in order.
    ///
    /// # Panics
    /// If the study makes no sense: [`Study::check`] tells.
    pub fn read<T: Texts + ?Sized>(texts: &T, study: &Study) -> Self {
        const CHUNK: usize = 512;
        let (cleaner, fields) = (study.cleaner(), FieldNames::of(study));
        let hashed = study.terms.hashed > 0;
        let chunks: Vec<Chunk> = (0..texts.count().div_ceil(CHUNK))
            .into_par_iter()
            .map(|chunk| {
                let rows = chunk * CHUNK..texts.count().min((chunk + 1) * CHUNK);
                Chunk::read(texts, rows, &cleaner, &fields, hashed)
            })
            .collect();
        let corpus = Self {
            words: Words::default(),
            ids: Vec::new(),
            starts: vec![0],
            style: study.negation.style,
            letters: Letters::new(study.terms.letters),
            fields,
            cleaner,
            writing: Vec::new(),
            case: study.text.case,
        };
        corpus.join(chunks, hashed)
    }

    fn join(mut self, mut chunks: Vec<Chunk>, hashed: bool) -> Self {
        let words = &mut self.words;
        let maps: Vec<Vec<u32>> =
            chunks.iter().map(|chunk| chunk.words.iter().map(|word| words.intern(word)).collect()).collect();
        self.writing = vec![Writing::default(); words.len()];
        for (chunk, map) in chunks.iter().zip(&maps) {
            for (own, &word) in chunk.writing.iter().zip(map) {
                let all = &mut self.writing[word as usize];
                all.inside += own.inside;
                all.capital += own.capital;
            }
        }
        if !hashed {
            self.letters.read_words(&mut self.words, &self.fields);
            assert!(self.words.len() < (1 << 31) - 2, "more than 2^31 distinct words");
            chunks.par_iter_mut().zip(&maps).for_each(|(chunk, map)| {
                for id in chunk.ids.iter_mut().filter(|id| **id != SENTENCE_END) {
                    *id = token_id(map[(*id >> 1) as usize], *id & 1 == 1);
                }
            });
        }
        self.ids.reserve_exact(chunks.iter().map(|chunk| chunk.ids.len()).sum());
        for chunk in chunks {
            for length in chunk.lengths {
                self.starts.push(self.starts[self.starts.len() - 1] + length as usize);
            }
            self.ids.extend(chunk.ids);
        }
        self
    }

    /// The token ids of a review, with [`SENTENCE_END`] between sentences.
    pub fn review(&self, row: usize) -> &[TokenId] {
        &self.ids[self.starts[row]..self.starts[row + 1]]
    }

    /// The number of reviews.
    pub fn len(&self) -> usize {
        self.starts.len() - 1
    }

    /// Whether there are no reviews.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The number of tokens of all reviews.
    pub fn tokens(&self) -> usize {
        self.ids.iter().filter(|id| **id != SENTENCE_END).count()
    }

    /// The reviews without any token.
    pub fn without_tokens(&self) -> usize {
        (0..self.len()).filter(|&row| self.review(row).is_empty()).count()
    }

    /// The same reviews with no token negated.
    pub(crate) fn without_marks(&self) -> Self {
        let plainly = |&id: &TokenId| if id == SENTENCE_END { id } else { plain(id) };
        Self { ids: self.ids.iter().map(plainly).collect(), style: Style::Mark, ..self.clone() }
    }

    /// A token as people read it: a negated one has "¬" before it.
    pub fn spell_token(&self, token: TokenId) -> String {
        format!("{}{}", if token & 1 == 1 { "¬" } else { "" }, self.words.word(token >> 1))
    }

    /// Whether a word is nearly always written with a capital letter inside sentences: the
    /// name of somebody or something.
    pub fn is_name(&self, word: u32) -> bool {
        const FEWEST: u32 = 3;
        let writing = |word: u32| self.writing.get(word as usize).copied().unwrap_or_default();
        let Writing { mut inside, capital } = writing(word);
        if self.case == Case::Keep {
            let lower = self.words.word(word).to_lowercase();
            inside +=
                self.words.place(&lower).filter(|other| *other != word).map_or(0, |w| writing(w).inside);
        }
        capital >= FEWEST && capital * 10 >= inside * 9
    }
}

impl Chunk {
    fn read<T: Texts + ?Sized>(
        texts: &T,
        rows: std::ops::Range<usize>,
        cleaner: &Cleaner,
        fields: &FieldNames,
        hashed: bool,
    ) -> Self {
        let mut chunk = Self {
            words: Words::default(),
            writing: Vec::new(),
            ids: Vec::new(),
            lengths: Vec::with_capacity(rows.len()),
        };
        let (mut document, mut tokens, mut name) = (Document::default(), Tokens::default(), String::new());
        for row in rows {
            document.clear();
            texts.put(row, &mut document);
            cleaner.scan(document.text(), &mut tokens);
            let before = chunk.ids.len();
            let Self { words, writing, ids, .. } = &mut chunk;
            let raw = document.text().as_bytes();
            put_ids(&tokens, ids, |token| {
                if hashed {
                    let place = fields.word(&document, &tokens, token, &mut name, hashed_place);
                    return token_id(place, token.negated);
                }
                let word = fields.word(&document, &tokens, token, &mut name, |word| words.intern(word));
                note_writing(writing, word, raw, token);
                token_id(word, token.negated)
            });
            chunk.lengths.push((chunk.ids.len() - before) as u32);
        }
        chunk
    }
}

fn note_writing(writing: &mut Vec<Writing>, word: u32, raw: &[u8], token: &Token) {
    if word as usize == writing.len() {
        writing.push(Writing::default());
    }
    if token.kind != Kind::Word || token.before == Break::Sentence || token.start == 0 {
        return;
    }
    let own = &mut writing[word as usize];
    own.inside += 1;
    let start = token.start as usize;
    let goes_on = raw.get(start + 1).is_some_and(|byte| !byte.is_ascii_uppercase());
    own.capital += u32::from(raw[start].is_ascii_uppercase() && goes_on && token.end as usize > start + 1);
}
