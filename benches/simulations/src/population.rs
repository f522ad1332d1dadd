//! Made-up populations of reviews, of which as many can be drawn as a simulation needs.

use heddle_core::labels::Polarity;
use heddle_core::resample::{Random, text_key};

/// Words of the vocabulary.
const WORDS: usize = 4_000;
/// The share of words that lean to a class.
const LEANING: f64 = 0.2;

/// What reviews are like.
#[derive(Debug, Clone, Copy)]
pub struct Traits {
    /// How much words lean: the standard deviation of the log ratio of their shares in the classes. At 0 labels
    /// have nothing to do with texts.
    pub lean: f64,
    /// The share of negative reviews.
    pub negative: f64,
    /// The mean number of words of a review.
    pub length: usize,
    /// How often each text stands in the reviews.
    pub repeats: usize,
}

impl Default for Traits {
    fn default() -> Self {
        Self { lean: 1.6, negative: 0.5, length: 20, repeats: 1 }
    }
}

/// Reviews of one kind, endless.
pub struct Population {
    traits: Traits,
    /// By pole, negative first: the running sum of the weights of words.
    sums: [Vec<f64>; 2],
}

/// Texts and labels, and the key of each text.
#[derive(Debug, Clone, Default)]
pub struct Drawn {
    /// The reviews.
    pub texts: Vec<String>,
    /// The class of each.
    pub labels: Vec<Polarity>,
    /// By review: what ties equal texts.
    pub groups: Vec<u64>,
}

impl Population {
    /// A population; those of the same traits and seed are the same.
    pub fn new(traits: Traits, seed: u64) -> Self {
        let mut draw = Random::new(seed);
        let leans: Vec<f64> = (0..WORDS)
            .map(|_| if draw.unit() < LEANING { traits.lean * normal(&mut draw) } else { 0.0 })
            .collect();
        let sums = [-0.5, 0.5].map(|side| {
            let mut sum = 0.0;
            let weight = |(at, lean): (usize, &f64)| (side * lean).exp() / (at as f64 + 8.0);
            leans
                .iter()
                .enumerate()
                .map(weight)
                .map(|own| {
                    sum += own;
                    sum
                })
                .collect()
        });
        Self { traits, sums }
    }

    /// The same population, each text of which stands once.
    pub fn once(&self) -> Self {
        Self { traits: Traits { repeats: 1, ..self.traits }, sums: self.sums.clone() }
    }

    /// Draws reviews.
    pub fn draw(&self, count: usize, draw: &mut Random) -> Drawn {
        let mut drawn = Drawn::default();
        while drawn.texts.len() < count {
            let class =
                if draw.unit() < self.traits.negative { Polarity::Negative } else { Polarity::Positive };
            let text = self.text(class, draw);
            let again = self.traits.repeats.min(count - drawn.texts.len());
            drawn.groups.extend(std::iter::repeat_n(text_key(&text), again));
            drawn.labels.extend(std::iter::repeat_n(class, again));
            drawn.texts.extend(std::iter::repeat_n(text, again));
        }
        drawn
    }

    /// Other texts of the same classes, as often repeated.
    pub fn again(&self, drawn: &Drawn, draw: &mut Random) -> Vec<String> {
        let text = |labels: &[Polarity]| vec![self.text(labels[0], draw); labels.len()];
        drawn.labels.chunks(self.traits.repeats).flat_map(text).collect()
    }

    fn text(&self, class: Polarity, draw: &mut Random) -> String {
        let sums = &self.sums[usize::from(class == Polarity::Positive)];
        let half = self.traits.length / 2;
        let words = half + draw.below(2 * (self.traits.length - half) + 1);
        let word = |_| {
            let at = draw.unit() * sums[WORDS - 1];
            spelling(sums.partition_point(|sum| *sum <= at).min(WORDS - 1))
        };
        (0..words).map(word).collect::<Vec<_>>().join(" ")
    }
}

/// A word of letters for a place in the vocabulary.
fn spelling(mut place: usize) -> String {
    const SYLLABLES: [&str; 16] =
        ["ba", "ko", "li", "mu", "ne", "po", "ra", "su", "ti", "vo", "da", "fe", "gu", "hi", "jo", "ze"];
    let mut word = String::new();
    for _ in 0..3 {
        word.push_str(SYLLABLES[place % 16]);
        place /= 16;
    }
    word
}

/// A draw of the standard normal: the sum of twelve even ones, less its mean.
fn normal(draw: &mut Random) -> f64 {
    (0..12).map(|_| draw.unit()).sum::<f64>() - 6.0
}
