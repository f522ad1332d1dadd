//! What mistakes cost, whatever they cost.

use serde::Serialize;

/// The cost of mistakes at the cut that is best for it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct CostPoint {
    /// How much of all that mistakes can cost missed negative reviews can make, from 0 to 1: their number x what one
    /// costs, divided by that and the number of the others x what a false alarm costs.
    pub missed: f64,
    /// The cost, as a share of the most that it can be.
    pub cost: f64,
}

/// The curve of the lowest cost over cuts that have these recalls of negative reviews and these shares of false alarms
/// (Drummond and Holte (2006), "Cost curves: an improved method for visualizing classifier performance", DOI
/// 10.1007/s10994-006-8199-5). Each cut is a straight line, from its false alarms at 0 to what it misses at 1, and so are
/// the two cuts that call all reviews alike; the curve is the lower envelope of these lines, by its corners.
pub fn cost_curve(rates: &[(f64, f64)]) -> Vec<CostPoint> {
    // A line by its cost at both ends: false alarms and missed reviews.
    let mut lines: Vec<(f64, f64)> = rates.iter().map(|(recall, alarms)| (*alarms, 1.0 - recall)).collect();
    lines.extend([(0.0, 1.0), (1.0, 0.0)]);
    let cost = |(alarms, missed): (f64, f64), at: f64| (1.0 - at) * alarms + at * missed;
    // From the left, always on to the line that is the first to cross the present one from above.
    let lowest = |a: &&(f64, f64), b: &&(f64, f64)| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1));
    let mut line = *lines.iter().min_by(lowest).expect("two lines are always there");
    let mut points = vec![CostPoint { missed: 0.0, cost: line.0 }];
    loop {
        let crossing = |other: &(f64, f64)| {
            let (above, below) = (other.0 - line.0, line.1 - other.1);
            (below > 0.0).then(|| above / (above + below))
        };
        let next = lines
            .iter()
            .filter_map(|other| Some((crossing(other)?, *other)))
            .min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.1.total_cmp(&b.1.1)));
        let Some((at, next)) = next else { break };
        points.push(CostPoint { missed: at, cost: cost(line, at) });
        line = next;
    }
    points.push(CostPoint { missed: 1.0, cost: line.1 });
    points
}
