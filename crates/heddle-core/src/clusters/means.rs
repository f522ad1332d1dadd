//! Clusters around centres.

use rayon::prelude::*;

use super::vectors::Vectors;
use crate::resample::random::Random;

/// So many times reviews are dealt to centres at most; they rarely move after twenty.
const ROUNDS: usize = 40;
/// Rows that a core takes at a time.
const AT_ONCE: usize = 256;

/// Reviews dealt to centres.
#[derive(Debug, Clone, PartialEq)]
pub struct Clustering {
    /// By row that was asked for: its cluster.
    pub of: Vec<u32>,
    /// By row that was asked for: the cosine with its centre.
    pub cosines: Vec<f32>,
    /// The centres, of length 1.
    pub centres: Vec<Vec<f32>>,
}

impl Clustering {
    /// The sum of all cosines: what is made as large as can be.
    pub fn sum(&self) -> f64 {
        self.cosines.iter().map(|cosine| f64::from(*cosine)).sum()
    }
}

/// Deals rows to `count` centres so that the sum of their cosines is large: spherical k-means (Dhillon and Modha (2001),
/// "Concept decompositions for large sparse text data using clustering", DOI 10.1023/A:1007612920971), begun by centres
/// that are drawn far from each other (Arthur and Vassilvitskii (2007), "k-means++: the advantages of careful seeding",
/// SODA). The best of `draws` beginnings is taken; the same seed gives the same clusters, whatever the number of threads.
///
/// # Panics
/// If there are fewer rows than centres, no centre, or no draw.
pub fn cluster(vectors: &Vectors, rows: &[u32], count: usize, (draws, seed): (usize, u64)) -> Clustering {
    assert!(count >= 1 && rows.len() >= count && draws >= 1, "{} rows, {count} centres", rows.len());
    let one = |draw: usize| from_one_beginning(vectors, rows, count, seed.wrapping_add(draw as u64));
    let found: Vec<Clustering> = (0..draws).into_par_iter().map(one).collect();
    let best = found.into_iter().reduce(|best, own| if own.sum() > best.sum() { own } else { best });
    best.expect("there is a draw")
}

fn from_one_beginning(vectors: &Vectors, rows: &[u32], count: usize, seed: u64) -> Clustering {
    let mut centres = first_centres(vectors, rows, count, seed);
    let (mut of, mut cosines) = nearest(vectors, rows, &centres);
    for _ in 0..ROUNDS {
        centres = middles(vectors, rows, &of, count);
        fill_empty(vectors, rows, (&mut of, &mut cosines), &mut centres);
        let (now, likeness) = nearest(vectors, rows, &centres);
        let settled = now == of;
        (of, cosines) = (now, likeness);
        if settled {
            break;
        }
    }
    Clustering { of, cosines, centres }
}

/// Rows as centres: the first at random, each of the others with a chance in proportion to how far it lies from those
/// before it.
fn first_centres(vectors: &Vectors, rows: &[u32], count: usize, seed: u64) -> Vec<Vec<f32>> {
    let mut random = Random::new(seed);
    let dense = |row: u32| {
        let mut centre = vec![0.0; vectors.dimensions()];
        vectors.add(row, &mut centre);
        centre
    };
    let mut centres = vec![dense(rows[random.below(rows.len())])];
    let mut away: Vec<f64> = vec![f64::INFINITY; rows.len()];
    while centres.len() < count {
        let last = &centres[centres.len() - 1];
        for (away, row) in away.iter_mut().zip(rows) {
            *away = away.min(f64::from(1.0 - vectors.cosine(*row, last)).max(0.0));
        }
        let mut drawn = random.unit() * away.iter().sum::<f64>();
        let place = away.iter().position(|own| {
            drawn -= own;
            drawn < 0.0
        });
        centres.push(dense(rows[place.unwrap_or_else(|| random.below(rows.len()))]));
    }
    centres
}

/// By row: the centre with the largest cosine, the first of equals, and that cosine.
fn nearest(vectors: &Vectors, rows: &[u32], centres: &[Vec<f32>]) -> (Vec<u32>, Vec<f32>) {
    let one = |row: &u32| {
        let cosines = (0u32..).zip(centres).map(|(at, centre)| (at, vectors.cosine(*row, centre)));
        cosines.reduce(|best, own| if own.1 > best.1 { own } else { best }).expect("there is a centre")
    };
    rows.par_iter().with_min_len(AT_ONCE).map(one).unzip()
}

/// The mean directions of the rows of each centre, summed in the order of the rows.
fn middles(vectors: &Vectors, rows: &[u32], of: &[u32], count: usize) -> Vec<Vec<f32>> {
    let mut sums = vec![vec![0.0f32; vectors.dimensions()]; count];
    for (row, own) in rows.iter().zip(of) {
        vectors.add(*row, &mut sums[*own as usize]);
    }
    for sum in &mut sums {
        let length = sum.iter().map(|value| f64::from(*value).powi(2)).sum::<f64>().sqrt();
        if length > 0.0 {
            sum.iter_mut().for_each(|value| *value = (f64::from(*value) / length) as f32);
        }
    }
    sums
}

/// Gives a centre that lost all its rows the row that lies furthest from its own.
fn fill_empty(
    vectors: &Vectors,
    rows: &[u32],
    (of, cosines): (&mut [u32], &mut [f32]),
    centres: &mut [Vec<f32>],
) {
    for at in 0..centres.len() as u32 {
        if of.contains(&at) {
            continue;
        }
        let far = (0..rows.len()).min_by(|a, b| cosines[*a].total_cmp(&cosines[*b])).expect("there are rows");
        let centre = &mut centres[at as usize];
        centre.fill(0.0);
        vectors.add(rows[far], centre);
        (of[far], cosines[far]) = (at, 1.0);
    }
}
