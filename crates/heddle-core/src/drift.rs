//! New reviews held against those that a model was learnt from.
//!
//! The model keeps what its training reviews were like ([`Seen`]); a [`Batch`] is what it makes of new ones. [`drift`]
//! compares them in a few respects, each by a test and the size of the difference, word by word, and finds what is said
//! together by reviews that use words in a new way.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use rayon::prelude::*;
use serde::Serialize;

use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;
use crate::measure::{
    Figure, Shares, Shift, at_once, chance_of_rise, found_among, mix_behind, rise, share, shift_of_counts,
    shift_of_shares,
};
use crate::model::seen::independent;
use crate::model::{LENGTHS, LOG_ODDS, Model, Said, Score, Scorer, Seen, parted};
use crate::resample::text_key;
use crate::terms::TermId;
use crate::text::Document;

/// A difference smaller than this is told, and is no drift: Cohen's small effect.
const SMALL: f64 = 0.1;
/// And no less sure.
const SURE: f64 = 0.05;
/// A word is looked at if so many reviews hold it, before and now together.
const FEWEST: u64 = 5;
/// A word has risen or fallen if its share has changed by this factor at least.
const FACTOR: f64 = 1.5;
/// A theme is new if its leading word has risen by this factor at least.
const NEW: f64 = 3.0;
/// Words that themes are made of.
const THEME_WORDS: usize = 80;
/// Two words belong together where so large a share of the reviews with either has both.
const TOGETHER: f64 = 0.15;
/// A theme that is new, and one of a single word, stands in so large a share of the reviews.
const ENOUGH: f64 = 0.02;

/// A word of a review.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Word {
    /// A term of the model.
    Known(u32),
    /// One that it does not know.
    New(String),
}

/// What a model makes of new reviews.
#[derive(Debug, Clone)]
pub struct Batch {
    /// By review: its score.
    pub scores: Vec<Score>,
    /// By review: the words it holds, each once.
    words: Vec<Vec<Word>>,
    /// By review: whether the model has learnt from this very text, and says it with more confidence than it would of another.
    learnt: Vec<bool>,
    /// What share of the reviews is independent of the others: see [`Seen::independent`].
    independent: f64,
}

impl Batch {
    /// Scores reviews and notes their words, on all threads.
    pub fn new(model: &Model, reviews: &[Document]) -> Self {
        let one = |scorer: &mut Scorer<'_>, review: &Document| {
            let score = scorer.score_document(review);
            let single = |column: u32| model.words(TermId::new(column)) == 1;
            let known = scorer.row().iter().map(|entry| entry.column).filter(|column| single(*column));
            let new = scorer.unknown().map(|token| Word::New(scorer.tokens().form(token).to_string()));
            let mut words: Vec<Word> = known.map(Word::Known).chain(new).collect();
            words.sort_unstable();
            words.dedup();
            (score, words)
        };
        let (scores, words) = reviews.par_iter().map_init(|| model.scorer(), one).unzip();
        let keys: Vec<u64> = reviews.par_iter().map(|review| text_key(review.text())).collect();
        let learnt = keys.iter().map(|key| model.learnt().hold(*key)).collect();
        Self { scores, words, learnt, independent: independent(keys) }
    }

    /// What these reviews are like, and the shares of words that the model does not know.
    fn seen(&self, languages: &BTreeMap<String, u64>) -> (Seen, Shares) {
        let unseen = self.scores.iter().zip(&self.learnt).filter(|(_, learnt)| !**learnt);
        let verdicts: Vec<_> = unseen.map(|(score, _)| score.verdict).collect();
        let of = |score: &Score| (score.tokens > 0).then(|| score.unknown as f64 / score.tokens as f64);
        let shares = Shares::of(self.scores.iter().filter_map(of), self.independent);
        let seen = Seen {
            lengths: parted(&LENGTHS, self.scores.iter().map(|score| score.tokens as u64)),
            independent: self.independent,
            unknown: Some([shares.mean, shares.variance]),
            languages: languages.clone(),
            said: Some(Said::of(&verdicts)),
        };
        (seen, shares)
    }
}

/// One respect in which reviews are compared.
#[derive(Debug, Clone, Serialize)]
pub struct Respect {
    /// `length`, `unknown_words`, `language`, `scores` or `verdicts`.
    pub name: &'static str,
    /// The difference; its chance holds for all respects at once (Holm). Missing where too little is there to compare.
    #[serde(flatten)]
    pub shift: Option<Shift>,
    /// Whether that is drift: beyond chance, and not small.
    pub drifted: bool,
    /// The shares of each category before and now, in order.
    pub shares: Vec<CategoryShare>,
}

/// The share of a category of reviews.
#[derive(Debug, Clone, Serialize)]
pub struct CategoryShare {
    /// The category; of lengths and scores, where it begins.
    pub category: String,
    /// Among the training reviews.
    pub before: f64,
    /// Among the new ones.
    pub now: f64,
}

/// A word that more or fewer reviews hold than before.
#[derive(Debug, Clone, Serialize)]
pub struct WordShift {
    /// The word; a negated one has a mark.
    pub word: String,
    /// Whether the model knows it.
    pub known: bool,
    /// The share of the training reviews that hold it; of a word that the model does not know, at most so many do.
    pub before: f64,
    /// The share of the new reviews.
    pub now: Figure,
    /// The difference in standard errors.
    pub rise: f64,
}

/// What new reviews say together.
#[derive(Debug, Clone, Serialize)]
pub struct NewTheme {
    /// Its words, those that rose most first.
    pub words: Vec<String>,
    /// How many of these the model does not know.
    pub unknown: usize,
    /// Whether training saw next to nothing of it; else it is only said more often.
    pub new: bool,
    /// The share of the new reviews that say it.
    pub share: Figure,
    /// The share of these that is called negative.
    pub called_negative: Figure,
    /// The reviews, those that say most of it first.
    #[serde(skip)]
    pub reviews: Vec<u32>,
}

/// How new reviews differ from the training reviews.
#[derive(Debug, Clone, Serialize)]
pub struct Drift {
    /// New reviews.
    pub reviews: usize,
    /// Of these, the ones whose very text the model was learnt from: scores and verdicts are compared without them.
    pub learnt_from: usize,
    /// Training reviews.
    pub trained: usize,
    /// Respect by respect.
    pub respects: Vec<Respect>,
    /// Words that were compared.
    pub words: usize,
    /// Those that rose beyond chance, the most first. About one in twenty of them is named by chance.
    pub rose: Vec<WordShift>,
    /// Those that fell.
    pub fell: Vec<WordShift>,
    /// What is said together by reviews with words that rose: what is new first, then by how many say it.
    pub themes: Vec<NewTheme>,
    /// The share of new reviews that are negative, corrected for the mistakes of the model as cross-validation found
    /// them; by a model that was validated.
    pub negative: Option<Figure>,
    /// The share of the training reviews that are.
    pub negative_before: f64,
    /// The same of neutral, where the model has such a class.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub neutral: Option<Figure>,
    /// The share of the training reviews that are neutral.
    pub neutral_before: f64,
    /// Reviews that should be read first: those with the most of what rose.
    #[serde(skip)]
    pub first: Vec<u32>,
}

impl Drift {
    /// Whether anything is drift: a respect, or a new theme.
    pub fn is_found(&self) -> bool {
        self.themes.iter().any(|theme| theme.new) || self.respects.iter().any(|respect| respect.drifted)
    }
}

/// Compares new reviews, whose languages are counted, with those that a model was learnt from. `first` of them are named to
/// be read.
pub fn drift(model: &Model, batch: &Batch, languages: &BTreeMap<String, u64>, first: usize) -> Drift {
    let card = model.card();
    let trained: usize = card.mix.iter().sum();
    let (now, shares) = batch.seen(languages);
    let (words, found) = shifts(model, batch, trained as u64);
    let (mut rose, fell): (Vec<_>, Vec<_>) = found.into_iter().partition(|(_, shift)| shift.rise > 0.0);
    let mut fell: Vec<WordShift> = fell.into_iter().map(|(_, shift)| shift).collect();
    rose.sort_by(|a, b| b.1.rise.total_cmp(&a.1.rise).then_with(|| a.1.word.cmp(&b.1.word)));
    fell.sort_by(|a, b| a.rise.total_cmp(&b.rise).then_with(|| a.word.cmp(&b.word)));
    let themes = themes(batch, &rose);
    let first = to_read(batch, &rose, first);
    let (mix, before) = (corrected(model, batch), |class| card.mix[class] as f64 / trained as f64);
    Drift {
        reviews: batch.scores.len(),
        learnt_from: batch.learnt.iter().filter(|learnt| **learnt).count(),
        trained,
        respects: card.seen.as_ref().map_or(Vec::new(), |before| respects(before, &now, shares)),
        words,
        themes,
        first,
        negative: mix.map(|mix| mix[Polarity::Negative]),
        negative_before: before(Polarity::Negative),
        neutral: mix.filter(|_| card.mix[Polarity::Neutral] > 0).map(|mix| mix[Polarity::Neutral]),
        neutral_before: before(Polarity::Neutral),
        rose: rose.into_iter().map(|(_, shift)| shift).collect(),
        fell,
    }
}

fn respects(before: &Seen, now: &Seen, shares: Shares) -> Vec<Respect> {
    let counted = |name, labels: Vec<String>, old: &[u64], new: &[u64]| {
        let of = |counts: &[u64], at: usize| counts[at] as f64 / counts.iter().sum::<u64>().max(1) as f64;
        let share = |(at, category): (usize, String)| CategoryShare {
            before: of(old, at),
            now: of(new, at),
            category,
        };
        let all = old.len() == new.len() && !old.is_empty();
        let shares = if all { labels.into_iter().enumerate().map(share).collect() } else { Vec::new() };
        let shift = if all { shift_of_counts(old, new, [before.independent, now.independent]) } else { None };
        Respect { name, shift, drifted: false, shares }
    };
    let begins = |edges: Vec<String>| std::iter::once("below".to_string()).chain(edges).collect::<Vec<_>>();
    let mut all = vec![counted(
        "length",
        begins(LENGTHS.iter().map(ToString::to_string).collect()),
        &before.lengths,
        &now.lengths,
    )];
    if let Some(known) = before.unknown_shares() {
        let share = |of: fn(f64) -> f64, category: &str| CategoryShare {
            category: category.into(),
            before: of(known.mean),
            now: of(shares.mean),
        };
        let shift = shift_of_shares(known, shares);
        let shares = vec![share(|own| own, "unknown"), share(|own| 1.0 - own, "known")];
        all.push(Respect { name: "unknown_words", shift, drifted: false, shares });
    }
    let names: BTreeSet<&String> = before.languages.keys().chain(now.languages.keys()).collect();
    let by_name = |own: &BTreeMap<String, u64>| -> Vec<u64> {
        names.iter().map(|name| own.get(*name).copied().unwrap_or(0)).collect()
    };
    if !before.languages.is_empty() {
        let labels = names.iter().map(ToString::to_string).collect();
        all.push(counted("language", labels, &by_name(&before.languages), &by_name(&now.languages)));
    }
    if let (Some(old), Some(new)) = (&before.said, &now.said) {
        let edges = begins(LOG_ODDS.iter().map(ToString::to_string).collect());
        all.push(counted("scores", edges, &old.log_odds, &new.log_odds));
        let called = ["negative", "neutral", "positive", "unsure"].map(String::from).to_vec();
        all.push(counted("verdicts", called, &old.called, &new.called));
    }
    let chances: Vec<f64> = all.iter().map(|own| own.shift.map_or(1.0, |shift| shift.p)).collect();
    for (respect, p) in all.iter_mut().zip(at_once(&chances)) {
        if let Some(shift) = &mut respect.shift {
            shift.p = p;
            respect.drifted = p < SURE && shift.effect >= SMALL;
        }
    }
    all
}

/// The words that rose or fell beyond chance and by enough, of so many that were compared.
fn shifts(model: &Model, batch: &Batch, trained: u64) -> (usize, Vec<(Word, WordShift)>) {
    let reviews = batch.words.len() as u64;
    if reviews == 0 || model.is_hashed() {
        return (0, Vec::new());
    }
    let mut held: HashMap<&Word, u64> = HashMap::new();
    batch.words.iter().flatten().for_each(|word| *held.entry(word).or_default() += 1);
    // A word that the model does not know may have stood in as many training reviews as do not suffice.
    let below = u64::from(model.study().terms.floor(trained as usize).saturating_sub(1));
    let singles = (0..model.arrays().kept.len() as u32)
        .filter(|term| model.arrays().kept[*term as usize] && model.words(TermId::new(*term)) == 1);
    let known = singles.map(Word::Known);
    let new = held.keys().filter(|word| matches!(word, Word::New(_))).map(|word| (*word).clone());
    let of = |word: Word| {
        let before = match &word {
            Word::Known(term) => {
                model.arrays().counts_of(*term as usize).iter().map(|count| u64::from(*count)).sum()
            }
            Word::New(_) => below,
        };
        let now = held.get(&word).copied().unwrap_or(0);
        (before + now >= FEWEST).then_some((word, before, now))
    };
    let mut compared: Vec<(Word, u64, u64)> = known.chain(new).filter_map(of).collect();
    compared.sort_unstable();
    let rises: Vec<f64> =
        compared.iter().map(|(_, before, now)| rise((*before, trained), (*now, reviews))).collect();
    let chances: Vec<f64> = rises.iter().map(|rise| chance_of_rise(*rise)).collect();
    let beyond = found_among(&chances);
    let shifted =
        compared.iter().zip(rises).zip(beyond).filter_map(|(((word, before, now), rise), beyond)| {
            let shares = [(*before as f64 + 0.5) / trained as f64, (*now as f64 + 0.5) / reviews as f64];
            let factor = (shares[1] / shares[0]).max(shares[0] / shares[1]);
            if !beyond || factor < FACTOR {
                return None;
            }
            let shift = WordShift {
                word: match word {
                    Word::Known(term) => model.spell(TermId::new(*term)),
                    Word::New(word) => word.clone(),
                },
                known: matches!(word, Word::Known(_)),
                before: *before as f64 / trained as f64,
                now: share(*now as usize, reviews as usize),
                rise,
            };
            Some((word.clone(), shift))
        });
    let shifted = shifted.collect();
    (compared.len(), shifted)
}

/// Words that rose and stand in the same reviews, as groups.
fn themes(batch: &Batch, rose: &[(Word, WordShift)]) -> Vec<NewTheme> {
    let rose = &rose[..rose.len().min(THEME_WORDS)];
    let number: HashMap<&Word, usize> = rose.iter().enumerate().map(|(at, (word, _))| (word, at)).collect();
    let mut held: Vec<Vec<u32>> = vec![Vec::new(); rose.len()];
    for (row, words) in batch.words.iter().enumerate() {
        words.iter().filter_map(|word| number.get(word)).for_each(|at| held[*at].push(row as u32));
    }
    let both = |a: &[u32], b: &[u32]| a.iter().filter(|row| b.binary_search(row).is_ok()).count();
    let near = |a: usize, b: usize| {
        let shared = both(&held[a], &held[b]);
        shared as f64 >= TOGETHER * (held[a].len() + held[b].len() - shared) as f64
    };
    // Each word joins the first theme whose leading word it stands with.
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for word in 0..rose.len() {
        match groups.iter_mut().find(|group| near(group[0], word)) {
            Some(group) => group.push(word),
            None => groups.push(vec![word]),
        }
    }
    let theme = |group: Vec<usize>| {
        let mut says: HashMap<u32, usize> = HashMap::new();
        group.iter().flat_map(|word| &held[*word]).for_each(|row| *says.entry(*row).or_default() += 1);
        let least = group.len().min(2);
        let mut reviews: Vec<(u32, usize)> = says.into_iter().filter(|(_, words)| *words >= least).collect();
        reviews.sort_by_key(|(row, words)| (std::cmp::Reverse(*words), *row));
        let reviews: Vec<u32> = reviews.into_iter().map(|(row, _)| row).collect();
        let negative = reviews.iter().filter(|row| {
            batch.scores[**row as usize].is_sure()
                && batch.scores[**row as usize].polarity() == Polarity::Negative
        });
        let leads = &rose[group[0]].1;
        let said = share(reviews.len(), batch.words.len());
        let often = said.value.is_some_and(|share| share >= ENOUGH);
        NewTheme {
            new: often && leads.now.value.is_some_and(|now| now >= NEW * leads.before),
            unknown: group.iter().filter(|word| !rose[**word].1.known).count(),
            share: said,
            called_negative: share(negative.count(), reviews.len()),
            words: group.iter().map(|word| rose[*word].1.word.clone()).collect(),
            reviews,
        }
    };
    let mut themes: Vec<NewTheme> = groups.into_iter().map(theme).collect();
    themes.retain(|theme| {
        let often = theme.share.value.is_some_and(|share| share >= ENOUGH);
        !theme.reviews.is_empty() && (theme.words.len() > 1 || often)
    });
    themes.sort_by_key(|theme| std::cmp::Reverse((theme.new, theme.reviews.len())));
    themes
}

/// The reviews with the most of what rose: each word counts by how rare it was.
fn to_read(batch: &Batch, rose: &[(Word, WordShift)], most: usize) -> Vec<u32> {
    let weight: HashMap<&Word, f64> =
        rose.iter().map(|(word, shift)| (word, -(shift.before + 1e-4).ln())).collect();
    let of = |words: &Vec<Word>| words.iter().filter_map(|word| weight.get(word)).sum::<f64>();
    let mut rows: Vec<(u32, f64)> = (0..).zip(batch.words.iter().map(of)).filter(|row| row.1 > 0.0).collect();
    rows.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    // What is said in the same words is read once.
    let mut read = HashSet::new();
    rows.retain(|(row, _)| read.len() < most && read.insert(&batch.words[*row as usize]));
    rows.into_iter().map(|(row, _)| row).collect()
}

/// The class mix behind the verdicts of a model that was validated.
fn corrected(model: &Model, batch: &Batch) -> Option<PerClass<Figure>> {
    let mut called = ClassCounts::default();
    batch.scores.iter().for_each(|own| called[own.polarity()] += 1);
    mix_behind(&called, &model.card().validated.as_ref()?.figures)
}
