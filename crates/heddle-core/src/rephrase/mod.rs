//! Reviews said again in other words, to learn from beside them: a small way of our own, that needs nothing but reviews.
//!
//! Words are replaced by words that are used alike and that the classes use alike, and a word that tells no class is
//! left out: a departure from Wei and Zou (2019), "EDA: easy data augmentation techniques", arXiv:1901.11196, in that
//! synonyms are learnt from the reviews, and that nothing is touched which negates or tells classes apart.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::resample::random::Random;
use crate::terms::corpus::Corpus;
use crate::terms::similar::descriptions;
use crate::terms::subwords::is_subword;
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::language::Language;
use crate::text::plain::plain_sign;
use crate::text::tokens::{Break, Kind, Token, Tokens};

/// Words that may be replaced: the most frequent that tell something of a text.
const WORDS: usize = 1500;
/// A word in fewer reviews is left alone.
const FEWEST: usize = 10;
/// Words are used alike from this cosine on of what stands around them.
const ALIKE: f64 = 0.3;
/// Each is then among so many of the other's nearest.
const NEAREST: usize = 5;
/// By so much the log ratios of their use in both classes may differ.
const APART: f64 = 0.4;
/// A word of a smaller log ratio tells no class.
const EVEN: f64 = 0.2;
/// Of so many words that have synonyms one is replaced.
const ONE_OF: usize = 4;

/// What is known of words to say reviews again with.
#[derive(Debug, Clone)]
pub struct Rephraser {
    cleaner: Cleaner,
    /// By word: those that may stand in its place.
    synonyms: FxHashMap<String, Vec<String>>,
    /// Words that tell no class.
    even: FxHashSet<String>,
}

/// A word as the reviews use it.
struct Used {
    word: u32,
    reviews: usize,
    /// The log ratio of its shares of positive and negative reviews.
    leaning: f64,
}

impl Rephraser {
    /// Learns from reviews of these classes which words may stand for each other.
    ///
    /// # Panics
    /// If there is not one label for each review.
    pub fn learn(corpus: &Corpus, labels: &[Polarity], cleaner: Cleaner) -> Self {
        assert_eq!(labels.len(), corpus.len(), "{} labels, {} reviews", labels.len(), corpus.len());
        let used = used(corpus, labels);
        let text = |own: &Used| corpus.words.word(own.word);
        let even =
            used.iter().filter(|own| own.leaning.abs() < EVEN).map(|own| text(own).to_string()).collect();
        Self { cleaner, synonyms: synonyms(corpus, &used), even }
    }

    /// As [`learn`](Self::learn), where nobody has rated reviews: no word is known to stand for another, and function
    /// words alone are left out.
    pub fn of_unrated(cleaner: Cleaner) -> Self {
        Self { cleaner, synonyms: FxHashMap::default(), even: FxHashSet::default() }
    }

    /// Each word that may be replaced, and what it may be replaced by, in alphabetical order.
    pub fn synonyms(&self) -> Vec<(&str, &[String])> {
        let mut all: Vec<(&str, &[String])> =
            self.synonyms.iter().map(|(word, others)| (word.as_str(), others.as_slice())).collect();
        all.sort_unstable();
        all
    }

    /// The text in other words; nothing where nothing of it can be said otherwise.
    pub fn rephrase(&self, text: &str, random: &mut Random, scan: &mut ScanBuffer) -> Option<String> {
        let tokens = self.cleaner.scan(text, scan);
        let plain = |token: &&Token| is_plain(text, tokens, token);
        let replaceable: Vec<&Token> = tokens
            .items()
            .iter()
            .filter(plain)
            .filter(|token| self.synonyms.contains_key(tokens.form(token)))
            .collect();
        let droppable: Vec<&Token> =
            tokens.items().iter().filter(plain).filter(|token| self.may_go(tokens, token)).collect();
        let mut edits: Vec<(usize, usize, String)> = Vec::new();
        if !replaceable.is_empty() {
            let chosen = random.below(replaceable.len());
            for (at, token) in replaceable.iter().enumerate() {
                if at == chosen || random.below(ONE_OF) == 0 {
                    let others = &self.synonyms[tokens.form(token)];
                    let other = &others[random.below(others.len())];
                    let (start, end) = (token.start as usize, token.end as usize);
                    // "Force six" does not become "force force".
                    let beside =
                        |word: Option<&str>| word.is_some_and(|word| word.eq_ignore_ascii_case(other));
                    let (before, behind) =
                        (text[..start].split_whitespace().next_back(), text[end..].split_whitespace().next());
                    if !beside(before) && !beside(behind) {
                        edits.push((start, end, as_written(other, &text[start..end])));
                    }
                }
            }
        }
        if !droppable.is_empty() {
            let token = droppable[random.below(droppable.len())];
            let start = token.start as usize;
            if !edits.iter().any(|edit| edit.0 == start) {
                let behind = text[token.end as usize..].len()
                    - text[token.end as usize..].trim_start_matches(' ').len();
                edits.push((start, token.end as usize + behind, String::new()));
            }
        }
        if edits.is_empty() {
            return None;
        }
        edits.sort_unstable();
        let (mut said, mut at) = (String::with_capacity(text.len()), 0);
        for (start, end, other) in edits {
            said.push_str(&text[at..start]);
            said.push_str(&other);
            at = end;
        }
        said.push_str(&text[at..]);
        Some(said)
    }

    /// Whether a word may be left out: it stands inside a clause, and says nothing of the class.
    fn may_go(&self, tokens: &Tokens, token: &Token) -> bool {
        let form = tokens.form(token);
        let plain = plain_sign(self.cleaner.languages(), form);
        let tells_little = self.cleaner.is_function_word(form) || self.even.contains(form) && plain.is_none();
        token.before == Break::None && token.start > 0 && tells_little
    }
}

/// Whether a token is a word as it is written, that negates nothing.
fn is_plain(text: &str, tokens: &Tokens, token: &Token) -> bool {
    let written = &text[token.start as usize..token.end as usize];
    token.kind == Kind::Word && !token.cue && written.to_lowercase() == tokens.form(token)
}

/// A word with a capital where the one in whose place it stands has one.
fn as_written(word: &str, written: &str) -> String {
    match word.chars().next().filter(|_| written.starts_with(char::is_uppercase)) {
        Some(first) => first.to_uppercase().chain(word.chars().skip(1)).collect(),
        None => word.into(),
    }
}

/// The words that are often enough in reviews of both poles, the most frequent first, but for function words and names.
fn used(corpus: &Corpus, labels: &[Polarity]) -> Vec<Used> {
    let mut counts = vec![(ClassCounts::default(), u32::MAX); corpus.words.len()];
    let mut mix = ClassCounts::default();
    for (row, label) in labels.iter().enumerate() {
        mix[*label] += 1;
        for id in corpus.review(row).iter().filter(|id| !id.is_sentence_end()) {
            let (own, last) = &mut counts[id.word() as usize];
            if *last != row as u32 {
                (own[*label], *last) = (own[*label] + 1, row as u32);
            }
        }
    }
    let share = |own: &ClassCounts, class: Polarity| (own[class] as f64 + 0.5) / (mix[class] as f64 + 1.0);
    let mut used: Vec<Used> = Vec::new();
    for (word, (own, _)) in counts.iter().enumerate() {
        let (word, reviews) = (word as u32, own.iter().sum::<usize>());
        let text = corpus.words.word(word);
        let letters = text.chars().all(char::is_alphabetic) && text.chars().count() > 2;
        if reviews >= FEWEST
            && letters
            && !is_subword(text)
            && !corpus.rules.is_function_word(text)
            && !corpus.is_name(word)
        {
            let leaning = (share(own, Polarity::Positive) / share(own, Polarity::Negative)).ln();
            used.push(Used { word, reviews, leaning });
        }
    }
    used.sort_by_key(|own| (std::cmp::Reverse(own.reviews), own.word));
    used.truncate(WORDS);
    used
}

fn synonyms(corpus: &Corpus, used: &[Used]) -> FxHashMap<String, Vec<String>> {
    let words: Vec<u32> = used.iter().map(|own| own.word).collect();
    let described = descriptions(corpus, &words);
    let languages = corpus.rules.cleaner.languages();
    let text = |own: &Used| corpus.words.word(own.word);
    let nearest_of = |own: &Used| -> Vec<u32> {
        let of = &described[&own.word];
        let likeness = |other: &Used| (of.likeness(&described[&other.word]), other.word);
        let others =
            used.iter().filter(|other| other.word != own.word && agree(languages, (own, other), text));
        let mut near: Vec<(f64, u32)> =
            others.map(likeness).filter(|(likeness, _)| *likeness >= ALIKE).collect();
        near.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        near.into_iter().take(NEAREST).map(|(_, word)| word).collect()
    };
    let nearest: FxHashMap<u32, Vec<u32>> = used.par_iter().map(|own| (own.word, nearest_of(own))).collect();
    let mut synonyms = FxHashMap::default();
    for own in used {
        let both = |other: &&u32| nearest[other].contains(&own.word);
        let others: Vec<String> =
            nearest[&own.word].iter().filter(both).map(|other| corpus.words.word(*other).into()).collect();
        if !others.is_empty() {
            synonyms.insert(text(own).to_string(), others);
        }
    }
    synonyms
}

/// Whether nothing speaks against one word in the place of the other: classes use both alike.
fn agree<'c>(languages: &[Language], (own, other): (&Used, &Used), text: impl Fn(&Used) -> &'c str) -> bool {
    let sign = |own: &Used| plain_sign(languages, text(own));
    let signs = (sign(own), sign(other));
    let opposed = matches!(signs, (Some(a), Some(b)) if a != b);
    (own.leaning - other.leaning).abs() < APART && !opposed
}
