//! How far a word stands out in a class.

/// Pseudo-counts of the prior, spread over the words as these are spread over all classes: a
/// rare word must be much more frequent in a class to stand out.
const PRIOR: f64 = 1000.0;

/// The log-odds ratio of a word in a class against the other classes, in standard errors, with
/// an informative Dirichlet prior: Monroe, Colaresi and Quinn (2008), "Fightin' words",
/// Political Analysis 16(4), DOI 10.1093/pan/mpn018; reviews are counted rather than words.
///
/// `here` of the class's reviews hold the word, and `all` of all reviews; `held_here` and
/// `held_all` are the sums of these over all words. 0 where nothing can be said.
pub(crate) fn stands_out(here: f64, all: f64, held_here: f64, held_all: f64) -> f64 {
    let prior = PRIOR * all / held_all;
    let (here, there) = (here + prior, all - here + prior);
    let odds = |count: f64, total: f64| (count / (total + PRIOR - count)).ln();
    let ratio = odds(here, held_here) - odds(there, held_all - held_here);
    let score = ratio / (1.0 / here + 1.0 / there).sqrt();
    if score.is_finite() { score } else { 0.0 }
}
