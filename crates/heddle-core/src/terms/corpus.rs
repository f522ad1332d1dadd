//! Reviews as lists of token ids.

use rayon::prelude::*;

use super::intern::Words;
use crate::text::negate::{Negation, Style};
use crate::text::recipe::Recipe;
use crate::text::scan::scan;
use crate::text::{Break, Token, Tokens};

/// The texts of a set of reviews. A text may be put together from several fields.
pub trait Texts: Sync {
    /// The number of reviews.
    fn count(&self) -> usize;

    /// Appends the text of review `row` to `text`.
    fn put(&self, row: usize, text: &mut String);
}

impl<S: AsRef<str> + Sync> Texts for [S] {
    fn count(&self) -> usize {
        self.len()
    }

    fn put(&self, row: usize, text: &mut String) {
        text.push_str(self[row].as_ref());
    }
}

/// A token as a number: twice the place of its word, plus one if it is negated.
pub type TokenId = u32;

/// Stands between sentences in a list of token ids.
pub const SENTENCE_END: TokenId = u32::MAX;
/// Stands for a word that a vocabulary does not have.
pub const UNKNOWN: TokenId = u32::MAX - 1;

/// The id of a token whose word has this place.
pub fn token_id(word: u32, negated: bool) -> TokenId {
    word << 1 | u32::from(negated)
}

/// The same word, not negated.
pub(crate) fn plain(id: TokenId) -> TokenId {
    id & !1
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

/// Reviews as token ids over one list of words. The text itself is no longer needed.
#[derive(Debug, Clone)]
pub struct Corpus {
    /// The distinct words, in the order in which the reviews first use them.
    pub words: Words,
    ids: Vec<TokenId>,
    starts: Vec<usize>,
    style: Style,
}

/// Reviews read by one thread at a time: ids over a word list of their own.
struct Chunk {
    words: Words,
    ids: Vec<TokenId>,
    lengths: Vec<usize>,
}

impl Corpus {
    /// Reads all texts once. Uses every thread of the current pool; the result is the same
    /// for any number of them, because chunks have a fixed size and are joined in order.
    pub fn read<T: Texts + ?Sized>(texts: &T, recipe: &Recipe, negation: &Negation) -> Self {
        const CHUNK: usize = 512;
        let chunks: Vec<Chunk> = (0..texts.count().div_ceil(CHUNK))
            .into_par_iter()
            .map(|chunk| {
                let rows = chunk * CHUNK..texts.count().min((chunk + 1) * CHUNK);
                Chunk::read(texts, rows, recipe, negation)
            })
            .collect();
        Self::join(chunks, negation.style)
    }

    fn join(mut chunks: Vec<Chunk>, style: Style) -> Self {
        let mut words = Words::default();
        let maps: Vec<Vec<u32>> =
            chunks.iter().map(|chunk| chunk.words.iter().map(|word| words.intern(word)).collect()).collect();
        assert!(words.len() < (1 << 31) - 1, "more than 2^31 distinct words");
        chunks.par_iter_mut().zip(&maps).for_each(|(chunk, map)| {
            for id in chunk.ids.iter_mut().filter(|id| **id != SENTENCE_END) {
                *id = token_id(map[(*id >> 1) as usize], *id & 1 == 1);
            }
        });
        let mut corpus = Self { words, ids: Vec::new(), starts: vec![0], style };
        corpus.ids.reserve_exact(chunks.iter().map(|chunk| chunk.ids.len()).sum());
        for chunk in chunks {
            for length in chunk.lengths {
                corpus.starts.push(corpus.starts[corpus.starts.len() - 1] + length);
            }
            corpus.ids.extend(chunk.ids);
        }
        corpus
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

    /// What a negated word counts as.
    pub fn style(&self) -> Style {
        self.style
    }
}

impl Chunk {
    fn read<T: Texts + ?Sized>(
        texts: &T,
        rows: std::ops::Range<usize>,
        recipe: &Recipe,
        negation: &Negation,
    ) -> Self {
        let mut chunk =
            Self { words: Words::default(), ids: Vec::new(), lengths: Vec::with_capacity(rows.len()) };
        let (mut text, mut tokens) = (String::new(), Tokens::default());
        for row in rows {
            text.clear();
            texts.put(row, &mut text);
            scan(&text, recipe, negation, &mut tokens);
            let before = chunk.ids.len();
            let words = &mut chunk.words;
            put_ids(&tokens, &mut chunk.ids, |token| {
                token_id(words.intern(tokens.form(token)), token.negated)
            });
            chunk.lengths.push(chunk.ids.len() - before);
        }
        chunk
    }
}
