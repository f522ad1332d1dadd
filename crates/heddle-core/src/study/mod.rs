//! Every setting of a piece of work, as one value.

pub(crate) mod key;
pub(crate) mod keys;
pub(crate) mod near;

use crate::choice::choice;
use crate::polarity::Rule;
use crate::terms::rules::TermRules;
use crate::text::negate::Negation;
use crate::text::recipe::Recipe;

/// Which columns of a review file mean what.
#[derive(Debug, Clone, PartialEq)]
pub struct Columns {
    /// Files to read where the command line names none. Default: none.
    pub files: Vec<String>,
    /// The columns that hold the text; several are read one after the other. Default: review.
    pub text: Vec<String>,
    /// The column of the rating. Default: stars.
    pub stars: String,
    /// A column of classes that takes the place of the rating. Default: none.
    pub label: Option<String>,
    /// The column that names a row. Default: none, the row number.
    pub id: Option<String>,
    /// Rows that share a value here never stand on both sides of a split. Default: none.
    pub together: Vec<String>,
}

impl Columns {
    /// The column that the rule is applied to.
    pub fn rated(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.stars)
    }
}

impl Default for Columns {
    fn default() -> Self {
        Self {
            files: Vec::new(),
            text: vec!["review".into()],
            stars: "stars".into(),
            label: None,
            id: None,
            together: Vec::new(),
        }
    }
}

choice! {
    /// What is done about classes of unequal size, in training rows only.
    #[derive(Default)]
    Balance {
        /// Mistakes in the smaller class cost more, so that both classes weigh the same.
        #[default]
        Weights = "weights",
        /// Nothing.
        None = "none",
    }
}

impl Balance {
    /// Whether probabilities speak of an even mix of classes rather than that of the reviews.
    pub fn is_even(self) -> bool {
        self == Self::Weights
    }

    /// The cost of a mistake in each class, given the training reviews of each.
    ///
    /// Under weights the costs are n / (2 n_class): they sum to n, and both classes count
    /// the same. Probabilities then speak of an even mix.
    pub fn costs(self, mix: [usize; 2]) -> [f64; 2] {
        let total = (mix[0] + mix[1]) as f64;
        match self {
            Self::None => [1.0; 2],
            Self::Weights => mix.map(|count| total / (2.0 * count.max(1) as f64)),
        }
    }
}

/// The strength of the penalty: lambda of mean loss + lambda x penalty.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Strength {
    /// Chosen by an inner cross-validation on the training rows.
    Auto,
    /// This lambda.
    Fixed(f64),
}

/// The settings of the learner.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Learning {
    /// The strength of the ridge penalty. Default: auto.
    pub strength: Strength,
    /// The relative duality gap at which the learner stops. Default: 0.001.
    pub tolerance: f64,
}

impl Default for Learning {
    fn default() -> Self {
        Self { strength: Strength::Auto, tolerance: 1e-3 }
    }
}

/// The settings of splits and folds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Validating {
    /// The share of labelled rows that is locked away for the last test. Default: 20 %.
    pub holdout: f64,
    /// The number of folds. Default: 10.
    pub folds: usize,
    /// The seed of every draw. Default: 7.
    pub seed: u64,
}

impl Default for Validating {
    fn default() -> Self {
        Self { holdout: 0.2, folds: 10, seed: 7 }
    }
}

/// Every setting of a piece of work.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Study {
    /// Which columns mean what.
    pub reviews: Columns,
    /// From stars to classes.
    pub polarity: Rule,
    /// Cleaning.
    pub text: Recipe,
    /// Negation scopes.
    pub negation: Negation,
    /// Which n-grams become terms, and what they weigh.
    pub terms: TermRules,
    /// Classes of unequal size.
    pub balance: Balance,
    /// The learner.
    pub model: Learning,
    /// Splits and folds.
    pub validation: Validating,
}
