//! How many reviews are enough: models of more and more reviews, judged on the same ones.

use serde::Serialize;

use crate::labels::polarity::Polarity;
use crate::measure::dependence::Dependence;
use crate::measure::figures::Figures;
use crate::measure::interval::Figure;
use crate::measure::verdict::Verdict;
use crate::model::error::FitError;
use crate::model::fit::fit;
use crate::resample::folds::Sample;
use crate::resample::random::rank;
use crate::settings::study::Study;
use crate::terms::count::Counted;
use crate::validate::compare::within;

/// What each size of a training part comes to.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Growth {
    /// From few reviews to many.
    pub sizes: Vec<GrowthSize>,
    /// The reviews that judge them all.
    pub judged: usize,
    /// The first size from which on no more reviews brought more than noise; nothing where the last step still did, or
    /// there was none to tell.
    pub enough: Option<usize>,
}

/// A size of the training part.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct GrowthSize {
    /// The reviews that teach.
    pub reviews: usize,
    /// Accuracy on the judged reviews.
    pub accuracy: Figure,
    /// Log loss on them.
    pub log_loss: Figure,
    /// The accuracy that came since the size before, paired by review; nothing for the first.
    pub gain: Option<Figure>,
    /// The log loss that went since then, likewise.
    pub log_loss_gain: Option<Figure>,
}

/// Parts of a sample: reviews to judge by, about as many as asked for, and nested ones to learn from, each twice the one
/// before, from `first` up to all that is left. Groups are never divided, and their order depends on their keys and the
/// seed alone.
pub fn growing_parts(sample: &Sample, judged: usize, first: usize, seed: u64) -> (Vec<u32>, Vec<Vec<u32>>) {
    let mut order: Vec<u32> = (0..sample.len() as u32).collect();
    let place = |row: &u32| {
        let group = sample.groups[*row as usize];
        (rank(group, seed ^ 0x9f0e), group, *row)
    };
    order.sort_unstable_by_key(place);
    // The end of the group in which a place lies.
    let whole = |mut end: usize| {
        while end > 0
            && end < order.len()
            && sample.groups[order[end - 1] as usize] == sample.groups[order[end] as usize]
        {
            end += 1;
        }
        end
    };
    let held = whole(judged.min(order.len()));
    let ascending = |rows: &[u32]| {
        let mut rows = rows.to_vec();
        rows.sort_unstable();
        rows
    };
    let rest = order.len() - held;
    let mut sizes: Vec<usize> = std::iter::successors(Some(first), |size| Some(2 * size))
        .take_while(|size| *size < rest)
        .map(|size| whole(held + size) - held)
        .collect();
    // A last step of less than half again is none.
    if sizes.last().is_some_and(|last| 2 * rest < 3 * last) {
        sizes.pop();
    }
    sizes.push(rest);
    sizes.dedup();
    let parts = sizes.iter().filter(|size| **size > 0).map(|size| ascending(&order[held..held + size]));
    (ascending(&order[..held]), parts.collect())
}

/// Learns from each of the parts and judges by the held rows. Intervals are those of the judged reviews: another draw of
/// training reviews of the same number would give figures a little different.
///
/// # Errors
/// As of a fit.
pub fn growth(
    counted: &Counted,
    sample: &Sample,
    study: &Study,
    (held, parts): (&[u32], &[Vec<u32>]),
    done: impl Fn(),
) -> Result<Growth, FitError> {
    let labels: Vec<Polarity> = held.iter().map(|row| sample.labels[*row as usize]).collect();
    let groups: Vec<u64> = held.iter().map(|row| sample.groups[*row as usize]).collect();
    let dependence = Dependence::of_groups(&groups);
    let mut sizes: Vec<GrowthSize> = Vec::with_capacity(parts.len());
    let mut before: Option<Vec<Verdict>> = None;
    for rows in parts {
        let verdicts = fit(counted, sample, rows, study)?.verdicts(counted, held);
        let Figures { accuracy, log_loss, .. } = Figures::under(&labels, &verdicts, &dependence);
        let paired = |of: fn(&Verdict, Polarity) -> f64| {
            let earlier = before.as_ref()?;
            let both = labels.iter().zip(earlier).zip(&verdicts);
            let gains: Vec<f64> = both.map(|((label, was), is)| of(is, *label) - of(was, *label)).collect();
            Some(dependence.mean(&gains))
        };
        let right = |verdict: &Verdict, label: Polarity| f64::from(u8::from(verdict.called == label));
        let spared = |verdict: &Verdict, label: Polarity| -verdict.log_loss(label);
        sizes.push(GrowthSize {
            reviews: rows.len(),
            accuracy,
            log_loss,
            gain: paired(right),
            log_loss_gain: paired(spared),
        });
        before = Some(verdicts);
        done();
    }
    Ok(Growth { enough: enough(&sizes), judged: held.len(), sizes })
}

/// The size before the steps that brought no more than noise, up to the last.
fn enough(sizes: &[GrowthSize]) -> Option<usize> {
    let is_noise = |size: &GrowthSize| {
        let worse = |figure: &Figure| figure.high.is_some_and(|high| high < 0.0);
        let idle = |figure: &Option<Figure>| figure.as_ref().is_some_and(|own| within(own) || worse(own));
        idle(&size.gain) && idle(&size.log_loss_gain)
    };
    let idle = sizes.iter().rev().take_while(|size| is_noise(size)).count();
    (idle > 0).then(|| sizes[sizes.len() - idle - 1].reviews)
}
