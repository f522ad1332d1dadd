//! What the reviews of a cluster have in common.

use serde::Serialize;

use super::means::Clustering;
use super::vectors::Vectors;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::measure::dependence::Dependence;
use crate::measure::interval::Figure;
use crate::resample::folds::Sample;
use crate::terms::report::TermReport;
use crate::themes::difference;

/// A cluster.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Cluster {
    /// Its reviews.
    pub reviews: usize,
    /// By class.
    pub counts: ClassCounts,
    /// The share of negative reviews among them.
    pub negative: Figure,
    /// That less the share among all others; the interval holds for all clusters together.
    pub difference: Figure,
    /// The mean cosine of its reviews with its centre.
    pub cohesion: f64,
    /// The words that tell it from the others, and how much further they point in its direction than in that of all.
    pub words: Vec<(String, f64)>,
    /// The reviews nearest to its centre.
    #[serde(skip)]
    pub nearest: Vec<u32>,
}

/// Describes clusters, the largest first, and renumbers them so. So many words and nearest reviews of each are told.
///
/// # Panics
/// If the clusters are of other rows.
pub fn describe(
    (clustering, rows): (Clustering, &[u32]),
    (vectors, report, sample): (&Vectors, &TermReport<'_>, &Sample),
    (words, nearest): (usize, usize),
) -> (Clustering, Vec<Cluster>) {
    let clustering = by_size(clustering);
    let count = clustering.centres.len();
    let labels: Vec<Polarity> = rows.iter().map(|row| sample.labels[*row as usize]).collect();
    let groups: Vec<u64> = rows.iter().map(|row| sample.groups[*row as usize]).collect();
    let negative: Vec<bool> = labels.iter().map(|label| *label == Polarity::Negative).collect();
    let dependence = Dependence::of_groups(&groups);
    let mut whole = vec![0.0f64; vectors.dimensions()];
    for centre in &clustering.centres {
        whole.iter_mut().zip(centre).for_each(|(all, own)| *all += f64::from(*own) / count as f64);
    }
    let one = |at: usize| {
        let inside: Vec<bool> = clustering.of.iter().map(|own| *own as usize == at).collect();
        let own: Vec<u32> = (0..rows.len() as u32).filter(|place| inside[*place as usize]).collect();
        let mut counts = ClassCounts::default();
        own.iter().for_each(|place| counts[labels[*place as usize]] += 1);
        let cosine = |place: &u32| clustering.cosines[*place as usize];
        let mut order = own.clone();
        order.sort_by(|a, b| cosine(b).total_cmp(&cosine(a)).then(a.cmp(b)));
        Cluster {
            reviews: own.len(),
            counts,
            negative: dependence.share(&own, |place| negative[place]).0,
            difference: difference(&negative, &inside, &groups, count),
            cohesion: own.iter().map(|place| f64::from(cosine(place))).sum::<f64>() / own.len().max(1) as f64,
            words: telling(&clustering.centres[at], &whole, vectors, report, words),
            nearest: order.iter().take(nearest).map(|place| rows[*place as usize]).collect(),
        }
    };
    let described = (0..count).map(one).collect();
    (clustering, described)
}

/// The clusters numbered by falling size.
fn by_size(clustering: Clustering) -> Clustering {
    let Clustering { of, cosines, centres } = clustering;
    let mut sizes = vec![0usize; centres.len()];
    of.iter().for_each(|own| sizes[*own as usize] += 1);
    let mut order: Vec<usize> = (0..centres.len()).collect();
    order.sort_by_key(|at| (std::cmp::Reverse(sizes[*at]), *at));
    let mut number = vec![0u32; centres.len()];
    (0..).zip(&order).for_each(|(now, before)| number[*before] = now);
    let of = of.into_iter().map(|own| number[own as usize]).collect();
    let centres = order.iter().map(|before| centres[*before].clone()).collect();
    Clustering { of, cosines, centres }
}

/// The words in which a centre goes furthest beyond the mean of all.
fn telling(
    centre: &[f32],
    whole: &[f64],
    vectors: &Vectors,
    report: &TermReport<'_>,
    most: usize,
) -> Vec<(String, f64)> {
    let beyond = centre.iter().zip(whole).map(|(own, all)| f64::from(*own) - all);
    let mut order: Vec<(usize, f64)> = beyond.enumerate().filter(|(_, beyond)| *beyond > 0.0).collect();
    order.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    let word = |(dimension, beyond): &(usize, f64)| (report.spell(vectors.term(*dimension)), *beyond);
    order.iter().take(most).map(word).collect()
}
