//! Clusters: planted ones are found, chance gives none, and the index is what it is defined to be.

use heddle_core::clusters::{Vectors, adjusted_rand, cluster, most_stable, stabilities};
use heddle_core::resample::Random;

/// Reviews of `topics`, each of which has words of its own beside words that all share.
fn planted(reviews: usize, topics: usize, own: usize, seed: u64) -> (Vectors, Vec<u32>) {
    const WORDS: usize = 12;
    let mut random = Random::new(seed);
    let mut truth = Vec::new();
    let rows: Vec<Vec<(u32, f32)>> = (0..reviews)
        .map(|_| {
            let topic = random.below(topics);
            truth.push(topic as u32);
            let mut row: Vec<(u32, f32)> = Vec::new();
            for at in 0..8 {
                let word = if at < own {
                    topic * WORDS + random.below(WORDS)
                } else {
                    topics * WORDS + random.below(60)
                };
                match row.iter_mut().find(|(dimension, _)| *dimension == word as u32) {
                    Some((_, value)) => *value += 1.0,
                    None => row.push((word as u32, 1.0)),
                }
            }
            row
        })
        .collect();
    (Vectors::of(&rows, (topics * WORDS + 60) as u32), truth)
}

#[test]
fn planted_clusters_are_found_whatever_the_number_of_threads() {
    let (vectors, truth) = planted(900, 4, 6, 1);
    let rows = vectors.rows();
    let found = cluster(&vectors, &rows, 4, (8, 3));
    assert!(adjusted_rand(&found.of, &truth) > 0.97, "{}", adjusted_rand(&found.of, &truth));
    let one = rayon::ThreadPoolBuilder::new().num_threads(1).build().expect("a pool");
    assert_eq!(one.install(|| cluster(&vectors, &rows, 4, (8, 3))), found);
    // Every review is with the centre that is nearest to it, and centres have length 1.
    for (row, own) in rows.iter().zip(&found.of) {
        let cosine = |at: u32| vectors.cosine(*row, &found.centres[at as usize]);
        assert!((0..4).all(|other| cosine(other) <= cosine(*own)), "review {row}");
    }
    for centre in &found.centres {
        assert!((centre.iter().map(|value| value * value).sum::<f32>() - 1.0).abs() < 1e-4);
    }
}

#[test]
fn as_many_clusters_as_there_are_words_apart_keep_their_rows() {
    // One review a cluster, and more centres than different reviews: none stays empty for want of a row.
    let rows: Vec<Vec<(u32, f32)>> = (0..6).map(|at| vec![(at % 3, 1.0)]).collect();
    let vectors = Vectors::of(&rows, 3);
    let found = cluster(&vectors, &vectors.rows(), 3, (8, 1));
    assert!((found.sum() - 6.0).abs() < 1e-6);
    assert_eq!(adjusted_rand(&found.of, &[0, 1, 2, 0, 1, 2]), 1.0);
    let single = cluster(&vectors, &vectors.rows(), 1, (1, 1));
    assert!(single.of.iter().all(|own| *own == 0));
    // A review without words is in no cluster.
    assert_eq!(Vectors::of(&[vec![(0, 2.0)], vec![], vec![(1, 1.0)]], 2).rows(), [0, 2]);
}

#[test]
fn the_number_that_is_there_is_the_most_stable_and_chance_has_none() {
    let (vectors, _) = planted(600, 3, 6, 5);
    let tried = stabilities(&vectors, 6, 7);
    assert_eq!((most_stable(&tried), tried.len()), (Some(3), 5), "{tried:?}");
    assert!(tried[1].agreement.low > Some(0.9), "{tried:?}");
    assert_eq!(stabilities(&vectors, 6, 7), tried, "the same seed gives the same");
    let (noise, _) = planted(600, 3, 0, 5);
    let tried = stabilities(&noise, 6, 7);
    assert!(tried.iter().all(|own| own.agreement.high < Some(0.5)), "{tried:?}");
}

#[test]
fn the_index_counts_pairs_beyond_chance() {
    let mut random = Random::new(9);
    for _ in 0..20 {
        let mut draw = |kinds: usize| -> Vec<u32> { (0..40).map(|_| random.below(kinds) as u32).collect() };
        let (one, other) = (draw(3), draw(4));
        // By pairs: together in both, in one, in the other.
        let (mut both, mut left, mut right, mut all) = (0.0, 0.0, 0.0, 0.0);
        for a in 0..40 {
            for b in 0..a {
                let (same, alike) = (one[a] == one[b], other[a] == other[b]);
                both += f64::from(u8::from(same && alike));
                left += f64::from(u8::from(same));
                right += f64::from(u8::from(alike));
                all += 1.0;
            }
        }
        let chance = left * right / all;
        let slow = (both - chance) / ((left + right) / 2.0 - chance);
        assert!((adjusted_rand(&one, &other) - slow).abs() < 1e-12);
        assert_eq!(adjusted_rand(&one, &one), 1.0);
    }
    assert_eq!(adjusted_rand(&[0, 0, 1], &[5, 5, 2]), 1.0, "names do not matter");
}
