//! What the files of a call are to be: which columns tell rows of ours from those of others.

use heddle_files::Role;

/// Scored rows.
pub const SCORED: Role = Role::Rows(&["polarity", "p_", "verdict"]);
/// Labelled rows with what a model says of them.
pub const ASSESSED: Role = Role::Rows(&["truth", "log_odds", "p_"]);
/// Out-of-fold predictions.
pub const HELD_OUT: Role = Role::Rows(&["truth", "round", "fold", "log_odds"]);
/// Reviews that two ways call differently.
pub const CHANGED: Role = Role::Rows(&["way", "truth", "first_log_odds"]);
/// Terms.
pub const TERMS: Role = Role::Rows(&["term", "words", "reviews", "look_twice"]);
/// Counts of terms, to be added up.
pub const COUNTS: Role = Role::Rows(&["kind", "term", "times_negative", "inside", "capital"]);
/// Places of a phrase.
pub const PLACES: Role = Role::Rows(&["truth", "negated", "start", "found"]);
/// What scores are made of.
pub const EXPLAINED: Role = Role::Rows(&["level", "part", "contribution", "running"]);
/// Sentences that a model was tried on.
pub const PROBED: Role = Role::Rows(&["kind", "expected", "called", "passed"]);
/// Doubtful labels.
pub const DOUBTS: Role = Role::Rows(&["label", "probability", "wrong", "correction"]);
/// Themes.
pub const THEMES: Role = Role::Rows(&["theme", "class", "words", "difference"]);
/// Reviews to be read first.
pub const FIRST: Role = Role::Rows(&["called", "text"]);
/// Clusters of reviews.
pub const CLUSTERED: Role = Role::Rows(&["cluster", "likeness"]);
/// Rows with copies of reviews.
pub const COPIES: Role = Role::Rows(&["copy_of"]);
/// Weighted rows.
pub const WEIGHTS: Role = Role::Rows(&["term", "value"]);
/// Texts as they are read.
pub const READ: Role = Role::Rows(&["text", "cleaned", "tokens"]);
/// Refused rows.
pub const REFUSED: Role = Role::Rows(&["file", "line", "column", "expected", "found"]);
