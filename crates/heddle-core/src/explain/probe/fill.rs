//! Sentences in the words of a model: what its training reviews speak of stands in the places of templates.

use rustc_hash::FxHashMap;

use crate::model::artefact::Model;

/// What is praised and blamed of products and services: words that fit "the … was good".
const THINGS: [&str; 64] = [
    "acting",
    "app",
    "apartment",
    "bar",
    "battery",
    "beach",
    "bed",
    "beer",
    "boat",
    "book",
    "breakfast",
    "cabin",
    "camera",
    "case",
    "coffee",
    "course",
    "crew",
    "delivery",
    "design",
    "dinner",
    "driver",
    "ferry",
    "film",
    "flat",
    "flight",
    "food",
    "game",
    "hotel",
    "jacket",
    "journey",
    "kitchen",
    "location",
    "lounge",
    "lunch",
    "machine",
    "meal",
    "menu",
    "movie",
    "music",
    "museum",
    "phone",
    "place",
    "plot",
    "pool",
    "product",
    "quality",
    "restaurant",
    "room",
    "screen",
    "seat",
    "service",
    "shop",
    "show",
    "shower",
    "sound",
    "staff",
    "story",
    "tea",
    "ticket",
    "tour",
    "train",
    "trip",
    "view",
    "website",
];
/// Where the model knows none of them.
const ANYTHING: [&str; 2] = ["service", "product"];
/// Plain praise that fits all of them.
const GOOD: [&str; 12] = [
    "good",
    "great",
    "excellent",
    "lovely",
    "wonderful",
    "perfect",
    "fantastic",
    "superb",
    "pleasant",
    "amazing",
    "brilliant",
    "nice",
];
/// Plain blame that fits all of them.
const BAD: [&str; 12] = [
    "bad",
    "terrible",
    "awful",
    "horrible",
    "poor",
    "dreadful",
    "disappointing",
    "useless",
    "unpleasant",
    "dull",
    "shoddy",
    "lousy",
];
/// So many words of a kind are used.
const USED: usize = 4;
/// A word that fewer training reviews hold is as good as unknown.
const FEWEST: u64 = 3;

/// What stands in the places of templates: the candidates that the most training reviews hold.
pub(super) struct Words {
    things: Vec<&'static str>,
    good: Vec<&'static str>,
    bad: Vec<&'static str>,
}

impl Words {
    /// The words of a model.
    pub fn of(model: &Model) -> Self {
        let candidates = THINGS.iter().chain(&GOOD).chain(&BAD);
        let mut known: FxHashMap<&str, u64> = candidates.map(|word| (*word, 0)).collect();
        for (term, word) in model.single_words() {
            let term = model.term(term);
            if let Some(reviews) = known.get_mut(&*word.to_lowercase()).filter(|_| term.kept) {
                *reviews = (*reviews).max(term.reviews());
            }
        }
        let most = |candidates: &[&'static str], otherwise: &[&'static str]| {
            let reviews = |word: &&'static str| known[*word];
            let mut found: Vec<&'static str> =
                candidates.iter().copied().filter(|word| reviews(word) >= FEWEST).collect();
            found.sort_by_key(|word| std::cmp::Reverse(reviews(word)));
            found.truncate(USED);
            if found.len() < 2 { otherwise.to_vec() } else { found }
        };
        Self { things: most(&THINGS, &ANYTHING), good: most(&GOOD, &GOOD[..2]), bad: most(&BAD, &BAD[..2]) }
    }

    /// How often a template can be filled.
    pub fn times(template: &str) -> usize {
        if template.contains('{') { USED } else { 1 }
    }

    /// A template filled for the n-th time; templates begin with different words.
    pub fn fill(&self, template: &str, nth: usize, of: usize) -> String {
        let mut text = String::with_capacity(template.len() + 16);
        let mut rest = template;
        while let Some((before, after)) = rest.split_once('{') {
            let (slot, after) = after.split_once('}').unwrap_or((after, ""));
            text.push_str(before);
            let word = self.word(slot, nth, of);
            if text.ends_with(' ') && word.starts_with(['a', 'e', 'i', 'o', 'u']) && is_article(&text) {
                text.insert(text.len() - 1, 'n');
            }
            text.push_str(&word);
            rest = after;
        }
        text + rest
    }

    fn word(&self, slot: &str, nth: usize, of: usize) -> String {
        let at = |words: &[&'static str], place: usize| words[place % words.len()];
        let word = match slot.to_lowercase().as_str() {
            "thing" => at(&self.things, nth + of),
            "good" => at(&self.good, nth),
            "good2" => at(&self.good, nth + 1),
            "bad" => at(&self.bad, nth),
            "bad2" => at(&self.bad, nth + 1),
            _ => "",
        };
        if slot.starts_with(char::is_uppercase) { word.to_uppercase() } else { word.into() }
    }
}

/// Whether a text ends with the article "a".
fn is_article(text: &str) -> bool {
    let mut words = text.trim_end().rsplit(' ');
    words.next().is_some_and(|last| last.eq_ignore_ascii_case("a"))
}
