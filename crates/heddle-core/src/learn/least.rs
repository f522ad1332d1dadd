//! The least loss of a few parameters.

/// Newton's method takes about ten steps.
const STEPS: usize = 200;
/// A step is halved so far, and no further.
const SHORTEST: f64 = 1e-10;
/// A loss that falls by less than this share of it has come to its end.
const ENOUGH: f64 = 1e-13;

/// Goes Newton steps from a start, each halved until the loss does not rise. `look` tells the loss at a place, and what
/// is to be taken off there; there is an end where that is nothing.
pub(crate) fn least<const N: usize>(
    start: [f64; N],
    look: impl Fn(&[f64; N]) -> (f64, Option<[f64; N]>),
) -> [f64; N] {
    let (mut at, (mut here, mut step)) = (start, look(&start));
    for _ in 0..STEPS {
        let Some(whole) = step else { break };
        let shortened = |size: f64| {
            let next = std::array::from_fn(|place| at[place] - size * whole[place]);
            let (there, onward) = look(&next);
            (there <= here).then_some((next, there, onward))
        };
        let sizes = std::iter::successors(Some(1.0), |size| Some(size / 2.0));
        let found = sizes.take_while(|size| *size >= SHORTEST).find_map(shortened);
        let Some((next, there, onward)) = found else { break };
        let fell = here - there;
        (at, here, step) = (next, there, onward);
        if fell <= ENOUGH * here.abs() {
            break;
        }
    }
    at
}
