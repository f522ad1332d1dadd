//! Rising curves from scores to probabilities.

use serde::{Deserialize, Serialize};

use crate::measure::odds::{logit, sigmoid};

/// A rising curve from scores to probabilities of positive: straight between its points, level
/// beyond them.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Curve {
    /// Scores, rising.
    pub scores: Vec<f64>,
    /// Probabilities above 0 and below 1, rising.
    pub probabilities: Vec<f64>,
}

impl Curve {
    /// The log-odds of the probability at a score.
    pub fn log_odds(&self, score: f64) -> f64 {
        let Self { scores, probabilities } = self;
        let next = scores.partition_point(|&other| other <= score);
        let p = match (next.checked_sub(1), scores.get(next)) {
            (None, _) => probabilities[0],
            (Some(last), None) => probabilities[last],
            (Some(before), Some(after)) => {
                let along = (score - scores[before]) / (after - scores[before]);
                probabilities[before] + along * (probabilities[next] - probabilities[before])
            }
        };
        logit(p)
    }

    /// The same curve where scores are all moved by as much, and so are the log-odds they stand for.
    pub(crate) fn moved(mut self, scores: f64, log_odds: f64) -> Self {
        self.scores.iter_mut().for_each(|score| *score += scores);
        self.probabilities.iter_mut().for_each(|p| *p = sigmoid(logit(*p) + log_odds));
        self
    }

    /// Whether it can be used: equally many points, all finite, in order.
    pub fn is_sound(&self) -> bool {
        let Self { scores, probabilities } = self;
        !scores.is_empty()
            && scores.len() == probabilities.len()
            && scores.iter().all(|score| score.is_finite())
            && scores.is_sorted_by(|a, b| a < b)
            && probabilities.is_sorted()
            && probabilities.iter().all(|p| *p > 0.0 && *p < 1.0)
    }
}

/// Isotonic regression: the rising curve nearest to the labels. Ayer, Brunk, Ewing, Reid and
/// Silverman (1955), DOI 10.1214/aoms/1177728423 (pooling of neighbours that fall); for scores
/// Zadrozny and Elkan (2002), DOI 10.1145/775047.775151. Departures: half a review of each
/// class stands at both ends, so that no probability is 0 or 1; and the curve runs straight
/// between the means of its steps, so that scores keep their order.
///
/// `rows` are (score, whether it is so, cost).
pub(crate) fn isotonic(rows: &[(f64, bool, f64)]) -> Curve {
    struct Block {
        scores: f64,
        positive: f64,
        cost: f64,
        own: f64,
    }
    let mut sorted: Vec<&(f64, bool, f64)> = rows.iter().collect();
    sorted.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let end = || Block { scores: 0.0, positive: 0.5, cost: 1.0, own: 0.0 };
    let one = |row: &&(f64, bool, f64)| Block {
        scores: row.0 * row.2,
        positive: if row.1 { row.2 } else { 0.0 },
        cost: row.2,
        own: row.2,
    };
    let mut blocks: Vec<Block> = Vec::new();
    for block in [end()].into_iter().chain(sorted.iter().map(one)).chain([end()]) {
        blocks.push(block);
        while let [.., before, after] = &blocks[..] {
            let equal =
                before.own > 0.0 && after.own > 0.0 && before.scores / before.own >= after.scores / after.own;
            if before.positive / before.cost < after.positive / after.cost && !equal {
                break;
            }
            let Block { scores, positive, cost, own } = blocks.pop().expect("two blocks were just seen");
            let last = blocks.last_mut().expect("two blocks were just seen");
            last.scores += scores;
            last.positive += positive;
            last.cost += cost;
            last.own += own;
        }
    }
    let mut curve = Curve { scores: Vec::new(), probabilities: Vec::new() };
    for block in blocks.iter().filter(|block| block.own > 0.0) {
        curve.scores.push(block.scores / block.own);
        curve.probabilities.push(block.positive / block.cost);
    }
    curve
}
