//! Figures of one class mix, told for another.

use super::confusion::Confusion;
use super::figures::Figures;
use super::interval::{Figure, normal_quantile};
use super::odds::sigmoid;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;

/// The precision of a class as it would be if negative reviews had another share, the
/// recalls staying what they are:
///
/// ```text
/// precision = share x recall / (share x recall + (1 - share) x (1 - recall of the other))
/// ```
///
/// On the scale of log-odds that is ln(share / (1 - share)) + ln(recall) - ln(1 - recall of the other), and the
/// intervals of the two recalls, whatever they take account of, make that of the sum: Zou and Donner (2008),
/// "Construction of confidence limits about effect measures", DOI 10.1002/sim.3095. Undefined where a recall is 0 or
/// cannot be told; where no review of the other class is called this one, the precision is 1 and only its lower end
/// can be told.
pub fn precision_at(figures: &Figures, class: Polarity, negative: f64) -> Figure {
    let other = if class == Polarity::Negative { Polarity::Positive } else { Polarity::Negative };
    let share = if class == Polarity::Negative { negative } else { 1.0 - negative };
    let recall = |class| figures.class(class).map(|own| own.recall);
    let n = figures.confusion.of(class) + figures.confusion.of(other);
    let ends = |figure: Figure| Some([figure.low?, figure.value?, figure.high?]);
    let both = || Some((ends(recall(class)?)?, ends(recall(other)?)?));
    let Some(([low, hits, high], other)) = both() else { return Figure::undefined(n) };
    let [fewest, alarms, most] = [other[2], other[1], other[0]].map(|recall| 1.0 - recall);
    if hits <= 0.0 || !(share > 0.0 && share < 1.0) {
        return Figure::undefined(n);
    }
    let at = (share / (1.0 - share)).ln();
    if alarms <= 0.0 {
        // The worst that both intervals leave open.
        return Figure::new(1.0, sigmoid(at + low.ln() - most.ln()), 1.0, n);
    }
    let odds = at + hits.ln() - alarms.ln();
    let below = (hits.ln() - low.ln()).hypot(most.ln() - alarms.ln());
    let above = (high.ln() - hits.ln()).hypot(alarms.ln() - fewest.ln());
    Figure::new(sigmoid(odds), sigmoid(odds - below), sigmoid(odds + above), n)
}

/// The class mix behind the mix of calls, for a caller whose confusion is known: with q the shares called each class, and M
/// the shares of each true class (rows) that are called each class (columns), the mix p solves M' p = q. Of two classes that
/// is the estimate of Rogan and Gladen (1978), "Estimating prevalence from the results of a screening test", American Journal
/// of Epidemiology 107, DOI 10.1093/oxfordjournals.aje.a112510; of more, that of misclassified multinomial data: Tenenbein
/// (1972), "A double sampling scheme for estimating from misclassified multinomial data with applications to sampling
/// inspection", Technometrics 14, DOI 10.1080/00401706.1972.10488895. Intervals are those of the delta method,
/// q and the rows of M being multinomial; rows count for as many reviews as the figures are worth
/// ([`Figures::effective`]). Shares are cut at 0 and brought back to the sum 1. Holds where the same mistakes are made in each
/// class as when the confusion was found. Nothing where calls hardly tell the classes apart, or a class was not judged.
pub fn mix_behind(called: &PerClass<usize>, figures: &Figures) -> Option<PerClass<Figure>> {
    let Confusion { classes, counts } = &figures.confusion;
    let reviews: usize = classes.iter().map(|class| called[*class]).sum();
    let judged = figures.confusion.total();
    if reviews == 0 || judged == 0 {
        return None;
    }
    let worth = if figures.effective > 0 { figures.effective as f64 / judged as f64 } else { 1.0 };
    let totals: Vec<f64> = counts.iter().map(|row| row.iter().sum::<usize>() as f64).collect();
    if totals.contains(&0.0) {
        return None;
    }
    let rows: Vec<Vec<f64>> = counts
        .iter()
        .zip(&totals)
        .map(|(row, total)| row.iter().map(|count| *count as f64 / total).collect())
        .collect();
    let columns = transposed(&rows);
    // A class must be called so more often than the others are.
    let informed = |(at, column): (usize, &Vec<f64>)| {
        (0..column.len()).all(|other| other == at || column[at] > column[other])
    };
    if !columns.iter().enumerate().all(informed) {
        return None;
    }
    let shares: Vec<f64> = classes.iter().map(|class| called[*class] as f64 / reviews as f64).collect();
    let back = inverse(&columns)?;
    let solved: Vec<f64> = back.iter().map(|row| dot(row, &shares)).collect();
    // The variance of M' p - q in the direction of each row of the inverse.
    let variance = |along: &[f64]| {
        let of_calls = multinomial(&shares, along) / reviews as f64;
        let of_rows = rows.iter().zip(&solved).zip(&totals);
        of_calls + of_rows.map(|((row, p), n)| p * p * multinomial(row, along) / (n * worth)).sum::<f64>()
    };
    let kept: Vec<f64> = solved.iter().map(|share| share.max(0.0)).collect();
    let sum: f64 = kept.iter().sum();
    let figure = |at: usize| {
        let (value, half) = (kept[at] / sum, normal_quantile() * variance(&back[at]).sqrt());
        Figure::new(value, value - half, value + half, reviews).within(0.0, 1.0)
    };
    let place = |class| classes.iter().position(|own| *own == class);
    Some(PerClass::of(|class| place(class).map_or_else(|| Figure::undefined(reviews), figure)))
}

/// The variance of a sum of multinomial shares, each times its part of `along`, for one trial.
fn multinomial(shares: &[f64], along: &[f64]) -> f64 {
    let squares: f64 = shares.iter().zip(along).map(|(share, part)| share * part * part).sum();
    (squares - dot(shares, along).powi(2)).max(0.0)
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

fn transposed(rows: &[Vec<f64>]) -> Vec<Vec<f64>> {
    (0..rows.len()).map(|at| rows.iter().map(|row| row[at]).collect()).collect()
}

/// The inverse of a small matrix, by elimination with the largest pivot; nothing where it hardly has one.
fn inverse(matrix: &[Vec<f64>]) -> Option<Vec<Vec<f64>>> {
    const LEAST: f64 = 1e-3;
    let size = matrix.len();
    let unit = |at: usize| (0..size).map(move |other| f64::from(u8::from(at == other)));
    let mut rows: Vec<Vec<f64>> =
        matrix.iter().enumerate().map(|(at, row)| row.iter().copied().chain(unit(at)).collect()).collect();
    for column in 0..size {
        let pivot =
            (column..size).max_by(|a, b| rows[*a][column].abs().total_cmp(&rows[*b][column].abs()))?;
        rows.swap(column, pivot);
        let by = rows[column][column];
        if by.is_nan() || by.abs() < LEAST {
            return None;
        }
        rows[column].iter_mut().for_each(|cell| *cell /= by);
        let own = rows[column].clone();
        for (_, row) in rows.iter_mut().enumerate().filter(|(at, _)| *at != column) {
            let by = row[column];
            row.iter_mut().zip(&own).for_each(|(cell, own)| *cell -= by * own);
        }
    }
    Some(rows.into_iter().map(|row| row[size..].to_vec()).collect())
}
