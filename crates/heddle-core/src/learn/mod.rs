//! From weighted rows and labels to weights.
//!
//! A [`Problem`] is a weighted matrix with labels and the rows to learn from. A [`Learner`] finds m weights
//! and the intercepts of the borders between classes, for one lambda after the other.

pub(crate) mod bayes;
pub(crate) mod blend;
pub(crate) mod calibrate;
mod cholesky;
pub(crate) mod classwise;
pub(crate) mod columns;
pub(crate) mod curve;
pub(crate) mod decide;
mod dense;
pub(crate) mod dual;
mod factory;
pub(crate) mod free;
pub(crate) mod inner_validation;
pub(crate) mod lambda;
pub(crate) mod layout;
pub(crate) mod learner;
pub(crate) mod least;
pub(crate) mod loss;
pub(crate) mod multinomial;
mod newton;
pub(crate) mod objective;
pub(crate) mod online;
pub(crate) mod question;
pub(crate) mod scale;
pub(crate) mod settings;

pub use calibrate::Calibration;
pub use classwise::ClassCurves;
pub use curve::Curve;
pub use decide::Deciding;
pub use lambda::{LambdaChoice, TriedLambda};
pub use layout::{Arrangement, LayoutChoice};
pub use learner::{Convergence, ExamplePull, Learner, Stop, Stopping};
pub use loss::{LogLoss, Loss, PlainHinge, SquaredHinge};
pub use objective::Problem;
pub use online::OnlineWeight;
pub use question::Question;
pub use settings::{Calibrate, Events, Hinge, Learning, Method, Penalty, Ratios, Strength};
