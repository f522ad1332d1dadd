//! The languages of texts.

use std::collections::BTreeMap;

use rayon::prelude::*;
use serde::Serialize;

use crate::measure::interval::{Figure, share};
use crate::text::language::language;

/// The share of one language.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LanguageShare {
    /// The language, in English.
    pub language: &'static str,
    /// Its share of the texts whose language can be told.
    pub share: Figure,
}

/// The languages of a sample of texts, the most frequent first. Texts that are too short to
/// tell are left out of the shares.
pub fn languages<T: AsRef<str> + Sync>(texts: &[T]) -> Vec<LanguageShare> {
    let told: Vec<&'static str> = texts.par_iter().filter_map(|text| language(text.as_ref())).collect();
    let mut counts: BTreeMap<&'static str, usize> = BTreeMap::new();
    told.iter().for_each(|language| *counts.entry(language).or_insert(0) += 1);
    let mut shares: Vec<(&'static str, usize)> = counts.into_iter().collect();
    shares.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    shares
        .into_iter()
        .map(|(language, count)| LanguageShare { language, share: share(count, told.len()) })
        .collect()
}
