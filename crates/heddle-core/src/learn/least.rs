//! The least loss of a few parameters.

/// Newton's method takes about ten steps.
const STEPS: usize = 200;
/// A step is halved so far, and no further.
const SHORTEST: f64 = 1e-10;
/// A loss that falls by less than this share of it has come to its end.
const ENOUGH: f64 = 1e-13;

/// Goes Newton steps from a start, each halved until the loss does not rise. `step` is what is to be taken off at a place;
/// there is an end where it gives nothing.
pub(crate) fn least<const N: usize>(
    start: [f64; N],
    loss: impl Fn(&[f64; N]) -> f64,
    step: impl Fn(&[f64; N]) -> Option<[f64; N]>,
) -> [f64; N] {
    let (mut at, mut here) = (start, loss(&start));
    for _ in 0..STEPS {
        let Some(step) = step(&at) else { break };
        let shortened = |size: &f64| {
            let next = std::array::from_fn(|place| at[place] - size * step[place]);
            Some((next, loss(&next))).filter(|(_, there)| *there <= here)
        };
        let sizes = std::iter::successors(Some(1.0), |size| Some(size / 2.0));
        let found = sizes.take_while(|size| *size >= SHORTEST).find_map(|size| shortened(&size));
        let Some((next, there)) = found else { break };
        let fell = here - there;
        (at, here) = (next, there);
        if fell <= ENOUGH * here.abs() {
            break;
        }
    }
    at
}
