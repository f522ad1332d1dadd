//! How good it is on reviews it has not seen, beside what, and whether something else is better.
//!
//! [`cross_validate`] refits everything in each fold. [`baselines`], [`slices`], [`audit`] and a
//! [`learning_curve`] stand beside its figures, and [`effects`] tell what columns add at the same text; [`try_out`] and [`rank`] hold settings against each other.

pub(crate) mod audit;
pub(crate) mod baselines;
pub(crate) mod compare;
pub(crate) mod cross;
pub(crate) mod effects;
pub(crate) mod growth;
pub(crate) mod learning_curve;
pub(crate) mod result;
pub(crate) mod slices;
pub(crate) mod splitting;

pub use audit::{Audit, Finding, audit};
pub use baselines::{Baseline, BaselineKind, baselines};
pub use compare::{Difference, compare, compare_verdicts, within};
pub use cross::{Fold, HeldOut, Judged, Path, Validation, cross_validate, cross_validate_path};
pub use effects::{ColumnEffect, LevelEffect, effects};
pub use growth::{Growth, GrowthSize, growing_parts, growth};
pub use learning_curve::{LearningCurve, Point, SHARES, learning_curve};
pub use result::{
    CrossValidationResult, FoldResult, Measure, Nested, Ranking, chosen_elsewhere, nested, rank, try_out,
};
pub use slices::{Aspect, Slice, slices};
pub use splitting::{FoldSplit, ValidateError, fold_splits};
