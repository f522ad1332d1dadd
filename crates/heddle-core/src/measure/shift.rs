//! Whether new reviews are like those before, beyond chance and by enough to matter.

use serde::Serialize;
use statrs::distribution::{ChiSquared, ContinuousCDF, Normal};

use super::interval::{CONFIDENCE, chance};

/// A category that is expected so seldom is put together with its neighbour: Cochran (1954), "Some methods for
/// strengthening the common chi-squared tests", Biometrics 10, DOI 10.2307/3001616.
const EXPECTED: f64 = 5.0;

/// How far two sets of reviews lie apart in one respect.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Shift {
    /// The chance of as large a difference, if there were none.
    pub p: f64,
    /// Its size: Cohen's w, the root of the sum of (new share - old share)^2 / old share over the categories; 0.1 is a
    /// small one, 0.3 a medium and 0.5 a large one. Cohen (1988), "Statistical power analysis for the behavioral
    /// sciences", chapter 7.
    pub effect: f64,
}

/// Compares reviews by category: Pearson's chi-squared test of homogeneity. Categories are in an order in which neighbours
/// are alike; rare ones are put together. Nothing where fewer than two categories are left. `independent` are the shares of
/// the reviews before and now that are independent of each other: the others repeat them, and add nothing to what is known
/// (Rao and Scott (1981), DOI 10.1080/01621459.1981.10477633).
///
/// # Panics
/// If there are not as many categories on both sides.
pub fn shift_of_counts(before: &[u64], now: &[u64], independent: [f64; 2]) -> Option<Shift> {
    assert_eq!(before.len(), now.len(), "{} categories before and {} now", before.len(), now.len());
    let sum = |own: &[u64], share: f64| own.iter().sum::<u64>() as f64 * share;
    let [old, new] = [sum(before, independent[0]), sum(now, independent[1])];
    let expected = |[a, b]: [f64; 2]| (a + b) * old.min(new) / (old + new);
    let mut kept: Vec<[f64; 2]> = Vec::new();
    let mut open = [0.0; 2];
    for (before, now) in before.iter().zip(now) {
        open = [open[0] + *before as f64 * independent[0], open[1] + *now as f64 * independent[1]];
        if expected(open) >= EXPECTED {
            kept.push(std::mem::take(&mut open));
        }
    }
    let last = kept.last_mut()?;
    *last = [last[0] + open[0], last[1] + open[1]];
    if kept.len() < 2 {
        return None;
    }
    let mut square = 0.0;
    let mut effect = 0.0;
    for [before, now] in &kept {
        let share = (before + now) / (old + new);
        square +=
            (before - old * share).powi(2) / (old * share) + (now - new * share).powi(2) / (new * share);
        // Half a review more, so that what was never there has a share too.
        let known = (before + 0.5) / (old + 0.5 * kept.len() as f64);
        effect += (now / new - known).powi(2) / known;
    }
    let chi_squared = ChiSquared::new((kept.len() - 1) as f64).ok()?;
    Some(Shift { p: chi_squared.sf(square), effect: effect.sqrt() })
}

/// A mean of shares and how they vary: of so many reviews.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shares {
    /// The mean.
    pub mean: f64,
    /// The variance between reviews.
    pub variance: f64,
    /// How many there are.
    pub reviews: u64,
    /// What share of them is independent of the others.
    pub independent: f64,
}

impl Shares {
    /// As many independent ones.
    fn count(self) -> f64 {
        self.reviews as f64 * self.independent
    }
}

/// Compares mean shares by Welch's test: Welch (1947), DOI 10.1093/biomet/34.1-2.28. Nothing of fewer than two reviews.
pub fn shift_of_shares(before: Shares, now: Shares) -> Option<Shift> {
    let parts = [before, now].map(|own| own.variance / own.count());
    let freedom = |part: f64, own: Shares| part * part / (own.count() - 1.0);
    if before.count() < 2.0 || now.count() < 2.0 {
        return None;
    }
    let variance: f64 = parts.iter().sum();
    let by = now.mean - before.mean;
    let freedom = variance * variance / (freedom(parts[0], before) + freedom(parts[1], now));
    let p = if variance > 0.0 { chance(by, variance, freedom) } else { f64::from(u8::from(by == 0.0)) };
    let known = before.mean.clamp(0.5 / before.reviews as f64, 1.0 - 0.5 / before.reviews as f64);
    Some(Shift { p, effect: by.abs() / (known * (1.0 - known)).sqrt() })
}

/// The difference of two shares in standard errors, under the share of both together; above 0 if it rose. `hits` of `n`
/// before, and now.
pub fn rise(before: (u64, u64), now: (u64, u64)) -> f64 {
    let [(hits, n), (more, m)] = [before, now].map(|(hits, n)| (hits as f64, n as f64));
    let share = (hits + more) / (n + m);
    let error = (share * (1.0 - share) * (1.0 / n + 1.0 / m)).sqrt();
    // By half a review less: shares of few reviews move in steps (Yates (1934), DOI 10.2307/2983604).
    let step = 0.5 * (1.0 / n + 1.0 / m);
    let by = more / m - hits / n;
    let rise = by.signum() * (by.abs() - step).max(0.0) / error;
    if rise.is_finite() { rise } else { 0.0 }
}

/// The chance of so many standard errors from 0, or more, to either side.
pub fn chance_of_rise(rise: f64) -> f64 {
    2.0 * Normal::standard().sf(rise.abs())
}

/// Chances that hold together, whichever of them is looked at: Holm (1979), "A simple sequentially rejective multiple test
/// procedure", <https://www.jstor.org/stable/4615733>.
pub fn at_once(chances: &[f64]) -> Vec<f64> {
    let mut order: Vec<usize> = (0..chances.len()).collect();
    order.sort_by(|a, b| chances[*a].total_cmp(&chances[*b]));
    let (mut adjusted, mut least) = (vec![1.0; chances.len()], 0.0f64);
    for (nth, at) in order.into_iter().enumerate() {
        least = least.max(chances[at] * (chances.len() - nth) as f64).min(1.0);
        adjusted[at] = least;
    }
    adjusted
}

/// Which of many chances are small enough that about one in twenty of those that are named is by chance: Benjamini and
/// Hochberg (1995), "Controlling the false discovery rate", DOI 10.1111/j.2517-6161.1995.tb02031.x.
pub fn found_among(chances: &[f64]) -> Vec<bool> {
    let mut sorted = chances.to_vec();
    sorted.sort_by(f64::total_cmp);
    let all = sorted.len() as f64;
    let small = |(nth, p): (usize, &f64)| *p <= (1.0 - CONFIDENCE) * (nth + 1) as f64 / all;
    let limit = sorted.iter().enumerate().rev().find(|own| small((own.0, own.1))).map(|(_, p)| *p);
    chances.iter().map(|p| limit.is_some_and(|limit| *p <= limit)).collect()
}
