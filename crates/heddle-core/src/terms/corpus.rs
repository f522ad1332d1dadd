//! Reviews as lists of token ids.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::encode::{Encoded, Next, Scanned};
use super::fields::FieldNames;
use super::intern::Words;
use super::subwords::{SubwordRules, Subwords, is_subword};
use super::token_id::{TokenId, hashed_place};
use crate::beside::{Beside, Cell, ColumnUse};
use crate::labels::dates::DateOrder;
use crate::matrix::{Entry, Rows};
use crate::terms::vectors::{
    GAP, OWN_DIMS, Sequences, VectorBags, VectorCoding, VectorSource, WordPulls, WordVectors, column_of,
};
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::document::Document;
use crate::text::negation::Plainly;
use crate::text::recipe::Case;
use crate::text::tokens::{Break, Counts, Kind, Token};

/// The texts of a set of reviews.
pub trait Texts: Sync {
    /// The number of reviews.
    fn count(&self) -> usize;

    /// Puts the text of review `row` into `document`, which is empty.
    fn put(&self, row: usize, document: &mut Document);

    /// How many of them, the last, are copies of others: they are read, and no reviews of their own.
    fn copies(&self) -> usize {
        0
    }
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

/// How a word is written inside sentences.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Writing {
    /// How often it stands inside a sentence.
    inside: u32,
    /// How often it then begins with a capital letter and goes on with small ones.
    capital: u32,
}

/// How a word is written inside sentences, over any number of reviews.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct WordTally {
    /// How often it stands inside a sentence.
    pub inside: u64,
    /// How often it then begins with a capital letter.
    pub capital: u64,
}

/// How texts become token ids.
#[derive(Debug, Clone)]
pub struct CorpusRules {
    pub(crate) cleaner: Cleaner,
    pub(crate) fields: FieldNames,
    pub(crate) case: Case,
    pub(crate) plainly: Plainly,
    pub(crate) subwords: SubwordRules,
    /// Whether words are known by hashes of their letters.
    pub(crate) hashed: bool,
    /// The columns that count beside the text.
    pub(crate) columns: Vec<ColumnUse>,
    /// How their dates are read.
    pub(crate) dates: DateOrder,
}

impl CorpusRules {
    /// Whether a spelled word is a function word of its language.
    pub(crate) fn is_function_word(&self, spelled: &str) -> bool {
        let (head, word) = self.fields.cut(spelled);
        match head.and_then(|head| self.fields.tongue_of(head)) {
            Some(tongue) => self.cleaner.languages()[tongue].is_function_word(word),
            None => self.cleaner.is_function_word(word),
        }
    }

    /// Whether a spelled word speaks of something: no function word, mark, n-gram of letters, or what a set phrase says.
    pub(crate) fn is_content_word(&self, spelled: &str) -> bool {
        let word = self.fields.cut(spelled).1;
        let letters = word.chars().filter(|char| char.is_alphabetic()).count();
        letters > 1 && !is_subword(spelled) && !word.starts_with('‹') && !self.is_function_word(spelled)
    }
}

/// Reviews as token ids over one list of words. The text itself is no longer needed.
#[derive(Debug, Clone)]
pub struct Corpus {
    /// The distinct words, in the order in which the reviews first use them; none where terms
    /// are hashed.
    pub words: Words,
    pub(crate) ids: Vec<TokenId>,
    /// By id, how much of it counts; none where all count in full.
    pub(crate) counts: Vec<Counts>,
    pub(crate) starts: Vec<usize>,
    pub(crate) subwords: Subwords,
    pub(crate) rules: CorpusRules,
    /// What the reviews have in the columns that count beside the text.
    pub(crate) beside: Arc<Beside>,
    /// Which words with vectors each review has, where vectors count.
    pub(crate) vectors: Option<Arc<VectorBags>>,
    writing: Vec<Writing>,
    copies: usize,
}

/// Reviews read by one thread at a time: ids over a word list of their own.
struct Chunk {
    words: Words,
    writing: Vec<Writing>,
    ids: Vec<TokenId>,
    counts: Vec<Counts>,
    lengths: Vec<u32>,
    /// Review by review, the cells of the columns that count.
    cells: Vec<Cell>,
}

impl Corpus {
    /// Reads all texts once. Uses every thread of the current pool; the result is the same
    /// for any number of them, because chunks have a fixed size and are joined in order.
    pub fn read<T: Texts + ?Sized>(texts: &T, rules: CorpusRules) -> Self {
        const CHUNK: usize = 512;
        let chunks: Vec<Chunk> = (0..texts.count().div_ceil(CHUNK))
            .into_par_iter()
            .map(|chunk| {
                let rows = chunk * CHUNK..texts.count().min((chunk + 1) * CHUNK);
                Chunk::read(texts, rows, &rules)
            })
            .collect();
        let corpus = Self {
            words: Words::default(),
            ids: Vec::new(),
            counts: Vec::new(),
            starts: vec![0],
            subwords: Subwords::default(),
            beside: Arc::default(),
            vectors: None,
            writing: Vec::new(),
            copies: texts.copies(),
            rules,
        };
        corpus.join(chunks)
    }

    /// The words of reviews that are elsewhere, with how they are written.
    pub(crate) fn of_words(
        words: Words,
        writings: impl Iterator<Item = WordTally>,
        rules: CorpusRules,
    ) -> Self {
        let most = |count: u64| u32::try_from(count).unwrap_or(u32::MAX);
        let writing = |own: WordTally| Writing { inside: most(own.inside), capital: most(own.capital) };
        Self {
            words,
            ids: Vec::new(),
            counts: Vec::new(),
            starts: vec![0],
            subwords: Subwords::default(),
            beside: Arc::default(),
            vectors: None,
            writing: writings.map(writing).collect(),
            copies: 0,
            rules,
        }
    }

    /// By word: how it is written.
    pub(crate) fn writings(&self) -> impl Iterator<Item = WordTally> {
        let own = self.writing.iter().copied().chain(std::iter::repeat(Writing::default()));
        own.take(self.words.len())
            .map(|own| WordTally { inside: own.inside.into(), capital: own.capital.into() })
    }

    fn join(mut self, mut chunks: Vec<Chunk>) -> Self {
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
        if !self.rules.hashed {
            chunks.par_iter_mut().zip(&maps).for_each(|(chunk, map)| {
                for id in chunk.ids.iter_mut().filter(|id| !id.is_sentence_end()) {
                    *id = id.with_word(map[id.word() as usize]);
                }
            });
        }
        let cells: Vec<Cell> = chunks.iter_mut().flat_map(|chunk| std::mem::take(&mut chunk.cells)).collect();
        self.beside = Arc::new(Beside::new(&self.rules.columns, &cells));
        self.ids.reserve_exact(chunks.iter().map(|chunk| chunk.ids.len()).sum());
        self.counts.reserve_exact(chunks.iter().map(|chunk| chunk.counts.len()).sum());
        for chunk in chunks {
            for length in chunk.lengths {
                self.starts.push(self.starts[self.starts.len() - 1] + length as usize);
            }
            self.ids.extend(chunk.ids);
            self.counts.extend(chunk.counts);
        }
        // Copies are no reviews of their own.
        let of_reviews = &self.ids[..self.starts[self.len()]];
        self.rules.subwords = self.rules.subwords.settled(|| tokens_in(of_reviews));
        self.subwords = Subwords::of_words(&mut self.words, &self.rules.subwords);
        assert!(self.words.len() < TokenId::PLACES as usize, "more than 2^31 distinct words");
        self
    }

    /// The token ids of a review, with [`TokenId::SENTENCE_END`] between sentences.
    pub fn review(&self, row: usize) -> &[TokenId] {
        &self.ids[self.starts[row]..self.starts[row + 1]]
    }

    /// The token ids of a review, with how much each counts.
    pub(crate) fn encoded(&self, row: usize) -> Encoded<'_> {
        let counts = self.counts.get(self.starts[row]..self.starts[row + 1]).unwrap_or_default();
        Encoded { ids: self.review(row), counts }
    }

    /// The number of reviews. Those of any copies stand behind them, from this number on.
    pub fn len(&self) -> usize {
        self.rows() - self.copies
    }

    /// The number of texts: reviews and their copies.
    pub(crate) fn rows(&self) -> usize {
        self.starts.len() - 1
    }

    /// Whether there are no reviews.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The same with vectors of its words; words without one count for nothing there. `source` tells where they come
    /// from; the share of tokens that have one is filled in.
    #[must_use]
    pub fn with_vectors(self, vectors: WordVectors, source: VectorSource) -> Self {
        self.with_bags(vectors, source, false)
    }

    /// The same with vectors of its words that are made anew from the reviews that teach, whenever some do. `source` is
    /// what a model tells of them.
    #[must_use]
    pub fn with_own_vectors(self, source: &str) -> Self {
        let mut vectors = WordVectors::new(OWN_DIMS);
        let mut count = 0;
        for word in self.plain_words() {
            vectors.add(word, &[0.0; OWN_DIMS]);
            count += 1;
        }
        let source = VectorSource {
            file: source.into(),
            dims: OWN_DIMS,
            words: count,
            as_written: vectors.len(),
            other_case: 0,
            tokens: 0.0,
        };
        self.with_bags(vectors, source, true)
    }

    fn with_bags(mut self, vectors: WordVectors, mut source: VectorSource, own: bool) -> Self {
        let place = |word: &str| vectors.words().place(self.rules.fields.cut(word).1);
        let places: Vec<Option<u32>> = self.words.iter().map(place).collect();
        let of_review = |row: usize| {
            let (mut entries, mut at) = (Vec::<Entry>::new(), FxHashMap::default());
            for id in self.review(row).iter().filter(|id| !id.is_sentence_end()) {
                let Some(word) = places[id.word() as usize] else { continue };
                let column = column_of(word, id.is_negated());
                let own = *at.entry(column).or_insert_with(|| {
                    entries.push(Entry { column, value: 0.0 });
                    entries.len() - 1
                });
                entries[own].value += 1.0;
            }
            entries
        };
        let rows: Vec<Vec<Entry>> = (0..self.rows()).into_par_iter().map(of_review).collect();
        let lengths: Vec<usize> = rows.iter().map(Vec::len).collect();
        let rows = Rows::new(lengths, rows.concat(), 2 * vectors.len());
        let entries = (0..rows.len()).flat_map(|row| rows.row(row)).map(|entry| f64::from(entry.value));
        source.tokens = entries.sum::<f64>() / (self.tokens() as f64).max(1.0);
        let sequences = own.then(|| {
            let place = |id: &TokenId| match id.is_sentence_end() {
                true => GAP,
                false => places[id.word() as usize].unwrap_or(GAP),
            };
            Sequences { ids: self.ids.iter().map(place).collect(), starts: self.starts.clone() }
        });
        self.vectors = Some(Arc::new(VectorBags { vectors: Arc::new(vectors), rows, sequences, source }));
        self
    }

    /// Where vectors come from, with the words and tokens that have one after training.
    pub(crate) fn vector_source_of(&self, kept: &WordPulls) -> Option<VectorSource> {
        let bags = self.vectors.as_ref()?;
        let tokens =
            (0..self.rows()).flat_map(|row| kept.known(bags, row)).map(|entry| f64::from(entry.value));
        let mut source = bags.source.clone();
        source.tokens = tokens.sum::<f64>() / (self.tokens() as f64).max(1.0);
        if bags.sequences.is_some() {
            source.as_written = kept.words.len();
        }
        Some(source)
    }

    /// Where vectors of its words come from, where they have some.
    pub fn vector_source(&self) -> Option<&VectorSource> {
        self.vectors.as_ref().map(|bags| &bags.source)
    }

    /// The words of the reviews whose vectors are most like that of a word, with the cosine; none where there are no
    /// vectors, or it has none.
    pub fn words_by_vector(&self, word: &str, most: usize) -> Vec<(String, f64)> {
        let Some(bags) = &self.vectors else { return Vec::new() };
        match &bags.sequences {
            None => bags.vectors.nearest(word, most),
            Some(_) => {
                let all: Vec<u32> = (0..self.len() as u32).collect();
                VectorCoding::learn(bags, &all).table(bags).nearest(word, most)
            }
        }
    }

    /// The words that reviews use, without the names of columns and without their parts.
    pub fn plain_words(&self) -> impl Iterator<Item = &str> {
        self.words.iter().filter(|word| !is_subword(word)).map(|word| self.rules.fields.cut(word).1)
    }

    /// What the reviews have in the columns that count beside the text.
    pub fn beside(&self) -> &Beside {
        &self.beside
    }

    /// The number of tokens of all reviews.
    pub fn tokens(&self) -> usize {
        tokens_in(&self.ids)
    }

    /// By review: whether an earlier one has the very same tokens. Reviews without tokens repeat nothing.
    pub fn repeats(&self) -> Vec<bool> {
        let mut seen = FxHashSet::default();
        let again = |row: usize| {
            let tokens = self.review(row);
            !tokens.is_empty() && !seen.insert(tokens)
        };
        (0..self.len()).map(again).collect()
    }

    /// The reviews without any token.
    pub fn without_tokens(&self) -> usize {
        (0..self.len()).filter(|&row| self.review(row).is_empty()).count()
    }

    /// The same reviews as whole words, none negated, and all counted in full.
    pub(crate) fn without_marks(&self) -> Self {
        let plainly = |&id: &TokenId| if id.is_sentence_end() { id } else { id.plain() };
        let rules = CorpusRules { plainly: Plainly::default(), ..self.rules.clone() };
        Self {
            ids: self.ids.iter().map(plainly).collect(),
            counts: Vec::new(),
            subwords: Subwords::default(),
            rules,
            ..self.clone()
        }
    }

    /// A token as people read it: a negated one has "¬" before it.
    pub fn spell_token(&self, token: TokenId) -> String {
        format!("{}{}", if token.is_negated() { "¬" } else { "" }, self.words.word(token.word()))
    }

    /// Whether a word is nearly always written with a capital letter inside sentences: the
    /// name of somebody or something.
    pub fn is_name(&self, word: u32) -> bool {
        const FEWEST: u32 = 3;
        let writing = |word: u32| self.writing.get(word as usize).copied().unwrap_or_default();
        let Writing { mut inside, capital } = writing(word);
        if self.rules.case == Case::Keep {
            let lower = self.words.word(word).to_lowercase();
            inside +=
                self.words.place(&lower).filter(|other| *other != word).map_or(0, |w| writing(w).inside);
        }
        capital >= FEWEST && capital * 10 >= inside * 9
    }
}

impl Chunk {
    fn read<T: Texts + ?Sized>(texts: &T, rows: std::ops::Range<usize>, rules: &CorpusRules) -> Self {
        let mut chunk = Self {
            words: Words::default(),
            writing: Vec::new(),
            ids: Vec::new(),
            counts: Vec::new(),
            lengths: Vec::with_capacity(rows.len()),
            cells: Vec::with_capacity(rows.len() * rules.columns.len()),
        };
        let (mut document, mut scan, mut buffer) =
            (Document::default(), ScanBuffer::default(), String::new());
        for row in rows {
            document.clear();
            texts.put(row, &mut document);
            let tokens = rules.cleaner.scan(document.text(), &mut scan);
            let scanned = Scanned { document: &document, tokens, fields: &rules.fields };
            let before = chunk.ids.len();
            let Self { words, writing, ids, counts, .. } = &mut chunk;
            let raw = document.text().as_bytes();
            scanned.encode(&mut buffer, (ids, counts), |next| match next {
                Next::SentenceEnd => TokenId::SENTENCE_END,
                Next::Token(word, token) if rules.hashed => TokenId::new(hashed_place(word), token.negated),
                Next::Token(word, token) => {
                    let word = words.intern(word);
                    note_writing(writing, word, raw, token);
                    TokenId::new(word, token.negated)
                }
            });
            if !rules.cleaner.weighs() {
                chunk.counts.clear();
            }
            chunk.lengths.push((chunk.ids.len() - before) as u32);
            let told = rules.cleaner.told(tokens);
            let cell = |(at, used): (usize, &ColumnUse)| {
                let read =
                    || used.read(document.beside(at).unwrap_or_default(), document.text(), rules.dates);
                used.of_language(told).unwrap_or_else(read)
            };
            chunk.cells.extend(rules.columns.iter().enumerate().map(cell));
        }
        chunk
    }
}

/// The tokens among some ids.
pub(crate) fn tokens_in(ids: &[TokenId]) -> usize {
    ids.iter().filter(|id| !id.is_sentence_end()).count()
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
