//! What a figure means, and how sure it is.
//!
//! ```
//! use heddle_core::measure::share;
//!
//! let accuracy = share(90, 100);
//! assert_eq!((accuracy.value, accuracy.n), (Some(0.9), 100));
//! assert!(accuracy.low < Some(0.9) && accuracy.high > Some(0.9)); // Wilson's interval
//! ```

pub(crate) mod confusion;
pub(crate) mod cost;
pub(crate) mod curves;
pub(crate) mod dependence;
pub(crate) mod figures;
pub(crate) mod interval;
pub(crate) mod log_odds_ratio;
pub(crate) mod odds;
pub(crate) mod prevalence;
pub(crate) mod ranking;
pub(crate) mod shift;
pub(crate) mod slice_figure;
pub(crate) mod verdict;

pub use confusion::{ClassFigures, Confusion};
pub use cost::{CostPoint, cost_curve};
pub use curves::{Bin, CutPoint, Gain, Trust, cut_points, gains, reliability};
pub use dependence::Dependence;
pub use figures::{Figures, Reached, Unsure, baseline};
pub use interval::{CONFIDENCE, Figure, differ, mean, share};
pub use odds::{logit, loss, sigmoid};
pub use prevalence::{mix_behind, precision_at};
pub use ranking::roc_area;
pub use shift::{
    Shares, Shift, at_once, chance_of_rise, found_among, rise, shift_of_counts, shift_of_shares,
};
pub use slice_figure::SliceFigure;
pub use verdict::{ClassRule, Cuts, Decision, Neutral, Place, Verdict, class_scores, probabilities, softmax};
