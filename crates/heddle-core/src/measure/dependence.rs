//! How the reviews behind a figure hang together, and so how sure it is.

use rustc_hash::FxHashMap;

use super::interval::{Figure, mean, moves, share, share_as_of, t_quantile, t_quantile_of};

/// What makes verdicts say less than as many independent ones: reviews of a group repeat each other, and the
/// models of a cross-validation share most of their training reviews.
///
/// The variance of a figure is, with m the amount by which a review moves it,
///
/// ```text
/// one model:  V = G / (G - 1)  x  sum over G groups (sum of m)^2
/// K folds:    (1 + K x held out / training)  x  (V + W) / 2,
///             W = K / (K - 1)  x  sum over folds (sum of m)^2
/// ```
///
/// V is the variance of a mean of clusters (Cochran (1977), "Sampling techniques", section 9A.2). The factor of folds is
/// that of Nadeau and Bengio (2003), "Inference for the generalization error", Machine Learning 52, DOI
/// 10.1023/A:1024068626366. V is steady but does not see how the models of folds differ, as where their cuts wander; W
/// sees it with K - 1 degrees of freedom alone: their mean is used, with the degrees of freedom of Satterthwaite (1946),
/// DOI 10.2307/3002019.
#[derive(Debug, Clone, Default)]
pub struct Dependence {
    /// By review: its group; nothing where each review stands for itself.
    groups: Option<Parts>,
    /// By review: its fold; nothing where one model judged all.
    folds: Option<Parts>,
    /// What the variance is multiplied by; 1 for one model.
    shared: f64,
}

/// By review: its part, from 0.
#[derive(Debug, Clone)]
struct Parts {
    of: Vec<u32>,
    count: usize,
}

/// How far a figure may be off.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Spread {
    pub(crate) variance: f64,
    pub(crate) freedom: f64,
}

impl Spread {
    /// Half the width of the interval.
    pub(crate) fn half(self) -> f64 {
        t_quantile(self.freedom) * self.variance.sqrt()
    }
}

impl Parts {
    fn new<K: std::hash::Hash + Eq>(keys: impl IntoIterator<Item = K>) -> Self {
        let mut places: FxHashMap<K, u32> = FxHashMap::default();
        let mut place = |key: K| {
            let next = places.len() as u32;
            *places.entry(key).or_insert(next)
        };
        let of = keys.into_iter().map(&mut place).collect();
        Self { of, count: places.len() }
    }

    /// The variance of a figure by the sums of its parts, and how many parts there are.
    fn variance(&self, moves: &[(u32, f64)]) -> (f64, f64) {
        let mut sums = vec![None; self.count];
        moves.iter().for_each(|(row, own)| *sums[self.of[*row as usize] as usize].get_or_insert(0.0) += own);
        let parts = sums.iter().flatten().count() as f64;
        (parts / (parts - 1.0) * sums.iter().flatten().map(|sum| sum * sum).sum::<f64>(), parts)
    }

    /// The square of the reviews over the sum of squares of parts: as many as stand for themselves (Kish (1965),
    /// "Survey sampling", section 5.4).
    fn effective(&self, rows: &[u32]) -> f64 {
        let mut sizes = vec![0.0f64; self.count];
        rows.iter().for_each(|row| sizes[self.of[*row as usize] as usize] += 1.0);
        (rows.len() as f64).powi(2) / sizes.iter().map(|size| size * size).sum::<f64>()
    }
}

impl Dependence {
    /// For reviews that one model judges: the key of the group of each.
    pub fn of_groups(groups: &[u64]) -> Self {
        let parts = Parts::new(groups);
        Self { groups: (parts.count < groups.len()).then_some(parts), folds: None, shared: 1.0 }
    }

    /// For reviews that the models of folds judge: the keys of their groups, their folds, and the held-out
    /// reviews of a fold for each training review.
    ///
    /// # Panics
    /// If there is not one fold for each group.
    pub fn of_folds(groups: &[u64], folds: &[usize], held_out: f64) -> Self {
        assert_eq!(groups.len(), folds.len(), "{} groups, {} folds", groups.len(), folds.len());
        let folds = Parts::new(folds);
        let shared = 1.0 + folds.count as f64 * held_out;
        Self { groups: Some(Parts::new(groups)), folds: Some(folds), shared }
    }

    /// The reviews of each fold; nothing where one model judged all.
    pub(crate) fn by_fold(&self) -> Option<Vec<Vec<u32>>> {
        let folds = self.folds.as_ref()?;
        let mut rows = vec![Vec::new(); folds.count];
        (0..).zip(&folds.of).for_each(|(row, fold)| rows[*fold as usize].push(row));
        Some(rows)
    }

    /// How far a figure may be off, given by how much each review moves it; nothing where reviews are
    /// independent and judged by one model: then there are formulas for each figure.
    pub(crate) fn spread(&self, moves: &[(u32, f64)]) -> Option<Spread> {
        let (within, groups) = self.groups.as_ref()?.variance(moves);
        let (variance, freedom) = match &self.folds {
            None => (within, groups - 1.0),
            Some(folds) => {
                let (between, folds) = folds.variance(moves);
                match folds > 1.0 {
                    true => together((within, groups - 1.0), (between, folds - 1.0)),
                    false => (within, groups - 1.0),
                }
            }
        };
        Some(Spread { variance: self.shared * variance, freedom: freedom.max(1.0) })
    }

    /// The share of hits among these reviews, and how many independent reviews would make it as sure.
    pub(crate) fn share(&self, rows: &[u32], hit: impl Fn(usize) -> bool) -> (Figure, f64) {
        let hits = rows.iter().filter(|row| hit(**row as usize)).count();
        let n = rows.len() as f64;
        let p = hits as f64 / n;
        let one = |row: &u32| (*row, (f64::from(u8::from(hit(*row as usize))) - p) / n);
        let moves: Vec<(u32, f64)> = rows.iter().map(one).collect();
        match self.effective(rows, p, &moves) {
            None => (share(hits, rows.len()), n),
            Some((count, spread)) => {
                (share_as_of((hits, rows.len()), count, t_quantile(spread.freedom)), count)
            }
        }
    }

    /// A mean with its t interval.
    pub(crate) fn mean(&self, values: &[f64]) -> Figure {
        let own = mean(values);
        let Some(value) = own.value else { return own };
        let Some(spread) = self.spread(&moves(values)) else { return own };
        let half = spread.half();
        Figure::new(value, value - half, value + half, values.len())
    }

    /// A figure, given by how much each review moves it, with an interval that holds for `at_once` such figures
    /// together; of independent reviews their moves are independent.
    pub(crate) fn figure(&self, value: f64, n: usize, moves: &[(u32, f64)], at_once: usize) -> Figure {
        self.figure_beyond(value, n, (moves, 0.0), at_once)
    }

    /// As [`figure`](Self::figure), with a variance beyond what moves show.
    pub(crate) fn figure_beyond(
        &self,
        value: f64,
        n: usize,
        (moves, beyond): (&[(u32, f64)], f64),
        at_once: usize,
    ) -> Figure {
        let spread = self.spread(moves).unwrap_or_else(|| {
            let count = moves.len() as f64;
            let square: f64 = moves.iter().map(|(_, own)| own * own).sum();
            Spread { variance: count / (count - 1.0) * square, freedom: (count - 1.0).max(1.0) }
        });
        let half = t_quantile_of(spread.freedom, at_once) * (spread.variance + beyond).sqrt();
        Figure::new(value, value - half, value + half, n)
    }

    /// How many independent reviews, judged by one model, would make a share of these reviews as sure; nothing as
    /// in [`spread`](Self::spread).
    fn effective(&self, rows: &[u32], share: f64, moves: &[(u32, f64)]) -> Option<(f64, Spread)> {
        let spread = self.spread(moves)?;
        let effective = if spread.variance > 0.0 {
            share * (1.0 - share) / spread.variance
        } else {
            self.groups.as_ref()?.effective(rows) / self.shared // all or none: nothing is seen to spread
        };
        Some((effective.min(rows.len() as f64), spread))
    }
}

/// The mean of two variances, and its degrees of freedom.
fn together((a, freedom_a): (f64, f64), (b, freedom_b): (f64, f64)) -> (f64, f64) {
    let square = |part: f64, freedom: f64| (part / 2.0).powi(2) / freedom;
    let mean = (a + b) / 2.0;
    let freedom = mean * mean / (square(a, freedom_a) + square(b, freedom_b));
    (mean, if freedom.is_finite() { freedom } else { freedom_a })
}
