//! Figures with their doubt.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, Normal, StudentsT};

/// The confidence of every interval.
pub const CONFIDENCE: f64 = 0.95;

/// A figure, its 95 % interval, and the number of reviews behind it. `value` is missing
/// where the figure is undefined, such as a precision when nothing was called positive.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Figure {
    /// The figure.
    pub value: Option<f64>,
    /// The lower end of the interval.
    pub low: Option<f64>,
    /// The upper end of the interval.
    pub high: Option<f64>,
    /// The number of reviews behind it.
    pub n: usize,
}

impl Figure {
    /// A figure that is not defined on these reviews.
    pub fn undefined(n: usize) -> Self {
        Self { value: None, low: None, high: None, n }
    }

    /// A figure with an interval; where an end is not finite, it is missing.
    pub fn new(value: f64, low: f64, high: f64, n: usize) -> Self {
        let finite = |number: f64| Some(number).filter(|number| number.is_finite());
        Self { value: finite(value), low: finite(low), high: finite(high), n }
    }

    /// A figure that nobody has worked out.
    pub(crate) fn none() -> Self {
        Self::undefined(0)
    }

    /// The same, with the interval cut off where the figure cannot be.
    pub(crate) fn within(self, least: f64, most: f64) -> Self {
        Self { low: self.low.map(|low| low.max(least)), high: self.high.map(|high| high.min(most)), ..self }
    }

    /// The mean of figures of the same reviews, end by end; undefined if one of them is.
    pub(crate) fn mean(figures: impl Iterator<Item = Self>) -> Self {
        let figures: Vec<Self> = figures.collect();
        let of = |part: fn(&Self) -> Option<f64>| -> Option<f64> {
            let parts: Option<Vec<f64>> = figures.iter().map(part).collect();
            parts.map(|parts| parts.iter().sum::<f64>() / parts.len() as f64)
        };
        let n = figures.first().map_or(0, |figure| figure.n);
        Self { value: of(|one| one.value), low: of(|one| one.low), high: of(|one| one.high), n }
    }

    /// The same figure on another scale; `map` must rise.
    pub(crate) fn mapped(self, map: impl Fn(f64) -> f64) -> Self {
        Self { value: self.value.map(&map), low: self.low.map(&map), high: self.high.map(&map), n: self.n }
    }
}

/// The standard normal quantile of the two-sided confidence.
pub(crate) fn normal_quantile() -> f64 {
    Normal::standard().inverse_cdf(0.5 + CONFIDENCE / 2.0)
}

/// A share with the interval of Wilson (1927), "Probable inference, the law of succession,
/// and statistical inference", DOI 10.1080/01621459.1927.10502953.
pub fn share(hits: usize, n: usize) -> Figure {
    share_at(hits, n, CONFIDENCE)
}

/// As [`share`], at another confidence.
pub(crate) fn share_at(hits: usize, n: usize, confidence: f64) -> Figure {
    share_as_of((hits, n), n as f64, Normal::standard().inverse_cdf(0.5 + confidence / 2.0))
}

/// As [`share`], as sure as if there were `count` independent ones, with `z` standard errors on both sides.
pub(crate) fn share_as_of((hits, n): (usize, usize), count: f64, z: f64) -> Figure {
    if n == 0 {
        return Figure::undefined(0);
    }
    let p = hits as f64 / n as f64;
    let spread = z * (p * (1.0 - p) / count + z * z / (4.0 * count * count)).sqrt();
    let (middle, scale) = (p + z * z / (2.0 * count), 1.0 + z * z / count);
    // At 0 and n the ends are exactly 0 and 1; rounding must not move them.
    let low = if hits == 0 { 0.0 } else { (middle - spread) / scale };
    let high = if hits == n { 1.0 } else { (middle + spread) / scale };
    Figure::new(p, low, high, n)
}

/// F1 from the share J = tp / (tp + fp + fn) of true positives among them and the errors: F1 = 2 J / (1 + J). The
/// interval of J, mapped, is that of F1; `n` counts the reviews in that denominator.
pub(crate) fn f1(share: Figure) -> Figure {
    share.mapped(|j| 2.0 * j / (1.0 + j))
}

/// The mean of independent shares, with the interval of Zou and Donner (2008), "Construction of
/// confidence limits about effect measures", DOI 10.1002/sim.3095.
pub(crate) fn mean_of_shares(shares: &[Figure]) -> Figure {
    let n = shares.iter().map(|figure| figure.n).sum();
    let parts = |figure: &Figure| Some((figure.value?, figure.low?, figure.high?));
    let Some(parts) = shares.iter().map(parts).collect::<Option<Vec<_>>>() else {
        return Figure::undefined(n);
    };
    let count = parts.len() as f64;
    let length = |part: fn(&(f64, f64, f64)) -> f64| {
        parts.iter().map(part).map(|side| side * side).sum::<f64>().sqrt() / count
    };
    let value = parts.iter().map(|part| part.0).sum::<f64>() / count;
    Figure::new(value, value - length(|part| part.0 - part.1), value + length(|part| part.2 - part.0), n)
}

/// Whether two independent figures differ by more than their intervals explain, where `at_once` such pairs are looked
/// at: so large a difference of any of them comes by chance in one of twenty times (Bonferroni). Nothing where an
/// interval is missing.
pub fn differ(a: &Figure, b: &Figure, at_once: usize) -> Option<bool> {
    let half = |figure: &Figure| Some((figure.high? - figure.low?) / 2.0);
    let noise = half(a)?.hypot(half(b)?);
    let shared = Normal::standard().inverse_cdf(1.0 - (1.0 - CONFIDENCE) / (2 * at_once.max(1)) as f64);
    Some((a.value? - b.value?).abs() > noise * shared / normal_quantile())
}

/// A mean with its t interval.
pub fn mean(values: &[f64]) -> Figure {
    let n = values.len();
    if n == 0 {
        return Figure::undefined(0);
    }
    let (mean, error) = mean_and_error(values);
    let quantile = t_quantile((n.max(2) - 1) as f64);
    Figure::new(mean, mean - quantile * error, mean + quantile * error, n)
}

/// How much each value moves the mean.
pub(crate) fn moves(values: &[f64]) -> Vec<(u32, f64)> {
    let n = values.len() as f64;
    let mean = values.iter().sum::<f64>() / n;
    (0..).zip(values.iter().map(|one| (one - mean) / n)).collect()
}

/// The chance of a value as far from 0 or farther, if 0 is the truth: by Student's t, from both sides.
pub(crate) fn chance(value: f64, variance: f64, freedom: f64) -> f64 {
    if value == 0.0 {
        return 1.0;
    }
    StudentsT::new(0.0, 1.0, freedom).map_or(f64::NAN, |t| 2.0 * t.cdf(-value.abs() / variance.sqrt()))
}

/// The two-sided quantile of Student's t at [`CONFIDENCE`].
pub(crate) fn t_quantile(freedom: f64) -> f64 {
    t_quantile_of(freedom, 1)
}

/// As [`t_quantile`], where `at_once` intervals are to hold together.
pub(crate) fn t_quantile_of(freedom: f64, at_once: usize) -> f64 {
    let outside = (1.0 - CONFIDENCE) / (2 * at_once.max(1)) as f64;
    StudentsT::new(0.0, 1.0, freedom).map_or(f64::NAN, |t| t.inverse_cdf(1.0 - outside))
}

/// The mean and its standard error; NaN where undefined.
pub(crate) fn mean_and_error(values: &[f64]) -> (f64, f64) {
    let n = values.len() as f64;
    let mean = values.iter().sum::<f64>() / n;
    let square = values.iter().map(|value| (value - mean).powi(2)).sum::<f64>();
    (mean, (square / (n - 1.0) / n).sqrt())
}
