//! What the texts of a file are like.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;
use serde::Serialize;

use super::oddities::{Looks, Oddity, Script, looks};
use super::quartiles::quartiles;
use crate::resample::fingerprint::{Fingerprint, value_key};
use crate::resample::near_duplicates::Grouping;
use crate::resample::random::Random;
use crate::text::word_count;

/// What texts are like. `P` tells where one stands: its row from 0, or a place in a file.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct TextProfile<P = usize> {
    /// Texts that are not blank.
    pub filled: usize,
    /// Blank texts.
    pub empty: usize,
    /// Words: the least, the quartiles and the most.
    pub words: [usize; 5],
    /// Bars of lengths: the fewest words of each, and the texts in it. Each bar reaches to
    /// twice as many words as the one before.
    pub lengths: Vec<(usize, usize)>,
    /// Reviews whose text an earlier review has already, but for case and marks.
    pub repeated: usize,
    /// Reviews whose text is nearly that of an earlier one.
    pub near: usize,
    /// Up to three of these: where both stand.
    pub near_examples: Vec<(P, P)>,
    /// Distinct texts that stand with different ratings.
    pub conflicting: usize,
    /// Up to three of these: where the first stands, and the first with another rating.
    pub conflict_examples: Vec<(P, P)>,
    /// Texts by the script of most of their letters, the most frequent first.
    pub scripts: Vec<(Script, usize)>,
    /// Odd texts.
    pub oddities: Vec<OddTexts<P>>,
}

/// Texts that are odd in one way.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct OddTexts<P = usize> {
    /// In which way.
    pub what: Oddity,
    /// How many texts.
    pub texts: usize,
    /// Where the first one stands.
    pub first: P,
    /// Of a wrong decoding: a sign of it that stands there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sign: Option<String>,
}

impl TextProfile {
    /// The same, with places in the stead of rows.
    pub fn placed<P>(self, of: impl Fn(usize) -> P) -> TextProfile<P> {
        let pairs = |pairs: Vec<(usize, usize)>| pairs.into_iter().map(|(a, b)| (of(a), of(b))).collect();
        let odd = |odd: OddTexts| OddTexts {
            what: odd.what,
            texts: odd.texts,
            first: of(odd.first),
            sign: odd.sign,
        };
        TextProfile {
            filled: self.filled,
            empty: self.empty,
            words: self.words,
            lengths: self.lengths,
            repeated: self.repeated,
            near: self.near,
            near_examples: pairs(self.near_examples),
            conflicting: self.conflicting,
            conflict_examples: pairs(self.conflict_examples),
            scripts: self.scripts,
            oddities: self.oddities.into_iter().map(odd).collect(),
        }
    }
}

/// What is taken of one text; this can be done on all cores.
#[derive(Debug, Clone)]
pub struct TextFacts {
    words: usize,
    fingerprint: Fingerprint,
    looks: Looks,
}

impl TextFacts {
    /// Looks at a text; nothing if it is blank.
    pub fn of(text: &str) -> Option<Self> {
        if text.trim().is_empty() {
            return None;
        }
        Some(Self { words: word_count(text), fingerprint: Fingerprint::of(text), looks: looks(text) })
    }
}

/// Takes in the texts of a file, row by row.
#[derive(Debug)]
pub struct TextProfiler {
    rows: usize,
    empty: usize,
    /// By number of words: texts.
    lengths: BTreeMap<usize, usize>,
    /// By text: the first row, its rating, and the first row with another rating.
    seen: FxHashMap<u64, (u32, u64, Option<u32>)>,
    /// By text that is not blank: its row.
    filled: Vec<u32>,
    grouping: Grouping,
    scripts: BTreeMap<Script, usize>,
    oddities: BTreeMap<Oddity, OddTexts>,
}

impl Default for TextProfiler {
    fn default() -> Self {
        Self {
            rows: 0,
            empty: 0,
            lengths: BTreeMap::new(),
            seen: FxHashMap::default(),
            filled: Vec::new(),
            grouping: Grouping::new(0),
            scripts: BTreeMap::new(),
            oddities: BTreeMap::new(),
        }
    }
}

impl TextProfiler {
    /// Takes the text of the next row with its rating.
    pub fn add(&mut self, facts: Option<&TextFacts>, rating: &str) {
        let row = self.rows as u32;
        self.rows += 1;
        let Some(facts) = facts else {
            self.empty += 1;
            return;
        };
        *self.lengths.entry(facts.words).or_insert(0) += 1;
        let rating = value_key(0, rating);
        let known = self.seen.entry(facts.fingerprint.key).or_insert((row, rating, None));
        if known.1 != rating {
            known.2.get_or_insert(row);
        }
        self.filled.push(row);
        let Ok(()) = self.grouping.push(&facts.fingerprint, &[]);
        if let Some(script) = facts.looks.script {
            *self.scripts.entry(script).or_insert(0) += 1;
        }
        for oddity in &facts.looks.oddities {
            let seen = self.oddities.entry(*oddity).or_insert_with(|| OddTexts {
                what: *oddity,
                texts: 0,
                first: row as usize,
                sign: facts.looks.sign.clone().filter(|_| *oddity == Oddity::WronglyDecoded),
            });
            seen.texts += 1;
        }
    }

    /// The profile; texts that are `alike` or more are nearly equal.
    pub fn finish(self, alike: f64) -> TextProfile {
        const EXAMPLES: usize = 3;
        let filled = self.filled.len();
        let Ok(groups) = self.grouping.groups(alike);
        let near = groups.near;
        let row = |at: u32| self.filled[at as usize] as usize;
        let mut conflicts: Vec<(usize, usize)> = self
            .seen
            .values()
            .filter_map(|(first, _, other)| Some((*first as usize, (*other)? as usize)))
            .collect();
        conflicts.sort_unstable();
        let mut scripts: Vec<(Script, usize)> = self.scripts.into_iter().collect();
        scripts.sort_by_key(|(script, count)| (std::cmp::Reverse(*count), *script));
        let order = |oddity: &Oddity| Oddity::ALL.iter().position(|other| other == oddity);
        let mut oddities: Vec<OddTexts> = self.oddities.into_values().collect();
        oddities.sort_by_key(|odd| order(&odd.what));
        TextProfile {
            filled,
            empty: self.empty,
            words: quartiles(self.lengths.iter().map(|(words, texts)| (*words, *texts)), filled),
            lengths: bars(&self.lengths),
            repeated: filled - self.seen.len(),
            near: near.len(),
            near_examples: near.iter().take(EXAMPLES).map(|&(a, b)| (row(a), row(b))).collect(),
            conflicting: conflicts.len(),
            conflict_examples: conflicts.into_iter().take(EXAMPLES).collect(),
            scripts,
            oddities,
        }
    }
}

/// 1, 2-3, 4-7, 8-15 words and so on.
fn bars(lengths: &BTreeMap<usize, usize>) -> Vec<(usize, usize)> {
    let mut bars: Vec<(usize, usize)> = Vec::new();
    for (&words, &count) in lengths {
        let begins = 1 << words.max(1).ilog2();
        while bars.last().is_none_or(|(last, _)| *last < begins) {
            let next = bars.last().map_or(begins, |(last, _)| last * 2);
            bars.push((next, 0));
        }
        if let Some(bar) = bars.last_mut() {
            bar.1 += count;
        }
    }
    bars
}

/// Random items drawn while they go by, each as likely as any other (Vitter (1985), "Random
/// sampling with a reservoir", DOI 10.1145/3147.3165, algorithm R).
#[derive(Debug, Clone)]
pub struct Reservoir<T> {
    most: usize,
    seen: usize,
    draw: Random,
    kept: Vec<T>,
}

impl<T> Reservoir<T> {
    /// Keeps at most this many.
    pub fn new(most: usize, seed: u64) -> Self {
        Self { most, seen: 0, draw: Random::new(seed), kept: Vec::new() }
    }

    /// Offers the next item; it is made only if it is kept.
    pub fn offer(&mut self, item: impl FnOnce() -> T) {
        self.seen += 1;
        if self.kept.len() < self.most {
            self.kept.push(item());
            return;
        }
        let place = self.draw.below(self.seen);
        if place < self.most {
            self.kept[place] = item();
        }
    }

    /// The items that are kept, and no more.
    pub fn into_kept(self) -> Vec<T> {
        self.kept
    }
}
