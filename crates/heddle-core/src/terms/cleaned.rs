//! What cleaning does to many reviews.

use rayon::prelude::*;
use serde::Serialize;

use super::corpus::Texts;
use crate::choice::Choice;
use crate::text::cleaner::{Cleaner, ScanBuffer};
use crate::text::document::Document;
use crate::text::steps::{Change, Step};
use crate::text::tokens::Tokens;

/// What one step did.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct StepCount {
    /// The step.
    pub step: Step,
    /// How often something was changed.
    pub times: usize,
    /// In how many reviews.
    pub reviews: usize,
    /// The first change: as it was written, and the tokens that are read there.
    pub written: String,
    /// The tokens that are read there; empty if it is left out.
    pub read: String,
}

/// What cleaning did to a set of reviews.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Cleaned {
    /// The reviews.
    pub reviews: usize,
    /// Reviews with a text of which no token is left.
    pub emptied: usize,
    /// What each step did, for those that did something.
    pub steps: Vec<StepCount>,
}

/// Counts what each step changes in all texts, on all threads of the current pool.
pub fn cleaned<T: Texts + ?Sized>(texts: &T, cleaner: &Cleaner) -> Cleaned {
    const CHUNK: usize = 512;
    let parts: Vec<Cleaned> = (0..texts.count().div_ceil(CHUNK))
        .into_par_iter()
        .map(|chunk| {
            let mut own = Cleaned::default();
            let (mut document, mut buffer) = (Document::default(), ScanBuffer::default());
            for row in chunk * CHUNK..texts.count().min((chunk + 1) * CHUNK) {
                document.clear();
                texts.put(row, &mut document);
                let changes = cleaner.scan_and_tell(document.text(), &mut buffer);
                own.add(document.text(), buffer.tokens(), &changes);
            }
            own
        })
        .collect();
    parts.into_iter().fold(Cleaned::default(), Cleaned::and)
}

impl Cleaned {
    fn add(&mut self, raw: &str, tokens: &Tokens, changes: &[Change]) {
        self.reviews += 1;
        self.emptied += usize::from(tokens.items().is_empty());
        for &step in Step::ALL {
            let mut own = changes.iter().filter(|change| change.step == step);
            let Some(first) = own.next() else { continue };
            let times = 1 + own.count();
            match self.steps.iter_mut().find(|count| count.step == step) {
                Some(count) => {
                    count.times += times;
                    count.reviews += 1;
                }
                None => {
                    let (written, read) = shown(raw, tokens, first);
                    self.steps.push(StepCount { step, times, reviews: 1, written, read });
                }
            }
        }
    }

    fn and(mut self, more: Self) -> Self {
        self.reviews += more.reviews;
        self.emptied += more.emptied;
        for count in more.steps {
            match self.steps.iter_mut().find(|own| own.step == count.step) {
                Some(own) => {
                    own.times += count.times;
                    own.reviews += count.reviews;
                }
                None => self.steps.push(count),
            }
        }
        self.steps.sort_by_key(|count| count.step);
        self
    }
}

/// A change as it was written, and the tokens that are read there.
pub fn shown(raw: &str, tokens: &Tokens, change: &Change) -> (String, String) {
    let mut written = &raw[change.start as usize..change.end as usize];
    // Tokens stand in reading order, so that each change finds its own without looking at all.
    let items = tokens.items();
    let first = items.partition_point(|token| token.end <= change.start);
    let mut own: Vec<_> = items[first..].iter().take_while(|token| token.start < change.end).collect();
    if change.step == Step::Joined {
        // The sign alone says little: the words on both sides of it are shown.
        let before = first.checked_sub(1).map(|before| &items[before]);
        let after = items.get(items.partition_point(|token| token.start < change.end));
        own = before.into_iter().chain(after).collect();
        if let (Some(before), Some(after)) = (before, after) {
            written = &raw[before.start as usize..after.end as usize];
        }
    }
    let read: Vec<&str> = own.into_iter().map(|token| tokens.form(token)).collect();
    (written.to_string(), read.join(" "))
}
