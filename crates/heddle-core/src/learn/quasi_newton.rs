//! Minimising a smooth, strictly convex function that is known by its value and gradient at one point at a time.
//!
//! Liu and Nocedal (1989), "On the limited memory BFGS method for large scale optimization", Mathematical Programming
//! 45, DOI 10.1007/BF01589116: the last few moves, and what they changed in the gradient, stand for the second
//! derivatives; the diagonal of these at the first point is where that begins. A move is taken if the value falls by
//! enough (Armijo (1966), DOI 10.2140/pjm.1966.16.1), and else shortened to where a parabola through what is known has
//! its lowest point.
//!
//! Whoever asks holds the function: it may lie on many machines, and take minutes. So the minimiser is a value that can
//! be written down between two questions. Memory: four numbers of 64 bits a variable, and two of 32 for each of the
//! [`KEPT`] moves. Cost of a move: as many passes over these.

/// Moves that are remembered. More bring little where they were tried (4, 8, 16), and all are written down.
const KEPT: usize = 8;
/// A move must lower the value by this share of what its slope promises.
const ENOUGH: f64 = 1e-4;
/// The shortest and the longest that a move may become, as a share of what it was.
const SHORTER: [f64; 2] = [0.02, 0.5];
/// A move that is shorter than this, as a share of what it was at first, is lost in the rounding of values.
const SHORTEST: f64 = 1e-8;

/// A move that was taken.
#[derive(Debug, Clone, PartialEq)]
pub struct Move {
    /// By variable: by how much it changed.
    pub by: Vec<f32>,
    /// By variable: by how much the gradient changed.
    pub bent: Vec<f32>,
}

/// How far a minimiser has come.
#[derive(Debug, Clone, PartialEq)]
pub struct QuasiNewton {
    /// The best point so far, its value and its gradient; no gradient before the first answer.
    pub point: Vec<f64>,
    /// The value there.
    pub value: f64,
    /// The gradient there.
    pub gradient: Vec<f64>,
    /// The second derivatives at the first point, by variable: all above 0.
    pub curvature: Vec<f32>,
    /// Where value and gradient are asked for.
    pub trial: Vec<f64>,
    /// The share of the move that is tried.
    pub share: f64,
    /// The moves that are remembered, the last one last.
    pub moves: Vec<Move>,
}

/// What became of an answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Taken {
    /// The value fell: the point is where it was asked for.
    Moved,
    /// It did not fall by enough: a shorter move is tried.
    Shortened,
    /// No move is short enough.
    Stuck,
}

impl QuasiNewton {
    /// Begins at zero, with this many variables.
    pub fn new(variables: usize) -> Self {
        Self {
            point: vec![0.0; variables],
            value: f64::INFINITY,
            gradient: Vec::new(),
            curvature: Vec::new(),
            trial: vec![0.0; variables],
            share: 1.0,
            moves: Vec::new(),
        }
    }

    /// Takes the value and the gradient at the first point, with the second derivative by each variable.
    ///
    /// # Panics
    /// If lengths differ, or a second derivative is not above 0.
    pub fn begin(&mut self, value: f64, gradient: Vec<f64>, curvature: Vec<f32>) {
        let variables = self.point.len();
        assert_eq!([gradient.len(), curvature.len()], [variables; 2], "one number for each variable");
        assert!(curvature.iter().all(|own| *own > 0.0), "second derivatives are above 0");
        (self.value, self.gradient, self.curvature) = (value, gradient, curvature);
        self.set_out();
    }

    /// Takes the value and the gradient where they were asked for.
    ///
    /// # Panics
    /// If lengths differ, or nothing was begun.
    pub fn take(&mut self, value: f64, gradient: Vec<f64>) -> Taken {
        let variables = self.point.len();
        assert_eq!([gradient.len(), self.gradient.len()], [variables; 2], "one slope for each variable");
        let slope: f64 = self.moved().zip(&self.gradient).map(|(by, slope)| by * slope).sum();
        // A value that is no number falls through to a shorter move.
        if value <= self.value + ENOUGH * slope {
            let by: Vec<f32> = self.moved().map(|by| by as f32).collect();
            let bent: Vec<f32> =
                gradient.iter().zip(&self.gradient).map(|(new, old)| (new - old) as f32).collect();
            if dot(&by, &bent) > 0.0 {
                if self.moves.len() == KEPT {
                    self.moves.remove(0);
                }
                self.moves.push(Move { by, bent });
            }
            (self.value, self.gradient) = (value, gradient);
            self.point.clone_from(&self.trial);
            self.set_out();
            return Taken::Moved;
        }
        let lowest = -slope / (2.0 * (value - self.value - slope));
        let shorter = if lowest.is_finite() { lowest } else { 0.0 }.clamp(SHORTER[0], SHORTER[1]);
        self.share *= shorter;
        for (trial, point) in self.trial.iter_mut().zip(&self.point) {
            *trial = point + shorter * (*trial - point);
        }
        if self.share < SHORTEST { Taken::Stuck } else { Taken::Shortened }
    }

    /// By variable: the move that is tried.
    fn moved(&self) -> impl Iterator<Item = f64> + '_ {
        self.trial.iter().zip(&self.point).map(|(trial, point)| trial - point)
    }

    /// Sets the next point to ask for.
    fn set_out(&mut self) {
        self.share = 1.0;
        let way = self.downhill();
        self.trial = self.point.iter().zip(way).map(|(point, by)| point + by).collect();
    }

    /// The gradient times the inverse of the second derivatives, as the moves know them, turned round.
    fn downhill(&self) -> Vec<f64> {
        let mut way: Vec<f64> = self.gradient.iter().map(|slope| -slope).collect();
        let shares: Vec<f64> = self.moves.iter().map(|own| 1.0 / dot(&own.by, &own.bent)).collect();
        let mut firsts = vec![0.0; self.moves.len()];
        for (at, own) in self.moves.iter().enumerate().rev() {
            firsts[at] = shares[at] * with(&own.by, &way);
            add(&mut way, -firsts[at], &own.bent);
        }
        let scale = self.moves.last().map_or(1.0, |own| {
            let bent = own.bent.iter().zip(&self.curvature);
            let square: f64 = bent.map(|(bent, own)| f64::from(*bent).powi(2) / f64::from(*own)).sum();
            dot(&own.by, &own.bent) / square
        });
        way.iter_mut().zip(&self.curvature).for_each(|(way, own)| *way *= scale / f64::from(*own));
        for (at, own) in self.moves.iter().enumerate() {
            let second = shares[at] * with(&own.bent, &way);
            add(&mut way, firsts[at] - second, &own.by);
        }
        way
    }
}

fn dot(one: &[f32], other: &[f32]) -> f64 {
    one.iter().zip(other).map(|(one, other)| f64::from(*one) * f64::from(*other)).sum()
}

fn with(one: &[f32], other: &[f64]) -> f64 {
    one.iter().zip(other).map(|(one, other)| f64::from(*one) * other).sum()
}

fn add(to: &mut [f64], times: f64, what: &[f32]) {
    to.iter_mut().zip(what).for_each(|(to, what)| *to += times * f64::from(*what));
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A function of two variables, one a thousand times as steep as the other, which is no parabola.
    fn value(at: &[f64]) -> (f64, Vec<f64>, Vec<f32>) {
        let (x, y) = (at[0] - 3.0, at[1] + 0.5);
        let value = 500.0 * x * x + 0.5 * y * y + y.powi(4) + 0.3 * x * y;
        let gradient = vec![1000.0 * x + 0.3 * y, y + 4.0 * y.powi(3) + 0.3 * x];
        (value, gradient, vec![1000.0, 1.0 + 12.0 * y as f32 * y as f32])
    }

    #[test]
    fn the_lowest_point_is_found() {
        let mut minimiser = QuasiNewton::new(2);
        let (first, gradient, curvature) = value(&minimiser.trial);
        minimiser.begin(first, gradient, curvature);
        let mut last = f64::INFINITY;
        for _ in 0..60 {
            let (value, gradient, _) = value(&minimiser.trial);
            if minimiser.take(value, gradient) == Taken::Stuck {
                break;
            }
            assert!(minimiser.value <= last);
            last = minimiser.value;
        }
        assert!(
            (minimiser.point[0] - 3.0).abs() < 1e-6 && (minimiser.point[1] + 0.5).abs() < 1e-3,
            "{:?}",
            minimiser.point
        );
    }

    #[test]
    fn what_is_no_number_is_no_way_down() {
        let mut minimiser = QuasiNewton::new(1);
        minimiser.begin(1.0, vec![1.0], vec![1.0]);
        let far = minimiser.trial[0];
        assert_eq!(minimiser.take(f64::NAN, vec![f64::NAN]), Taken::Shortened);
        assert!(minimiser.trial[0].abs() < far.abs() && minimiser.value == 1.0);
        assert!((0..20).any(|_| minimiser.take(f64::INFINITY, vec![0.0]) == Taken::Stuck));
    }
}
