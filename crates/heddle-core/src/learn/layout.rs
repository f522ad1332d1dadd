//! How three classes are told apart.

use serde::{Deserialize, Serialize};

use crate::choice::choice;
use crate::labels::classes::Classes;
use crate::terms::select::Contrast;

choice! {
    /// How three classes are told apart; two have one border, whatever is asked.
    #[derive(Default)]
    Arrangement {
        /// The one that inner folds find the better.
        #[default]
        Auto = "auto",
        /// On one axis, neutral between the poles.
        Ordered = "ordered",
        /// Each by weights of its own.
        Free = "free",
    }
}

/// How the classes of a problem are told apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Layout {
    /// On one axis, by borders.
    Ordered(Classes),
    /// Three classes, each by weights of its own.
    Free,
}

impl Layout {
    /// What the emphasis of a term is to tell apart.
    pub(crate) fn contrast(self) -> Contrast {
        match self {
            Self::Ordered(_) => Contrast::Poles,
            Self::Free => Contrast::Classes,
        }
    }
}

/// Why three classes are told apart as they are.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct LayoutChoice {
    /// Whether each class has weights of its own.
    pub free: bool,
    /// Held-out log loss on one axis less that with free classes, in nats per review, paired by review.
    pub gain: f64,
    /// The standard error of the gain.
    pub error: f64,
}

impl Arrangement {
    /// The layouts to choose from, for these classes.
    pub(crate) fn layouts(self, classes: Classes) -> &'static [Layout] {
        const ORDERED: Layout = Layout::Ordered(Classes::Three);
        match (classes, self) {
            (Classes::Two, _) => &[Layout::Ordered(Classes::Two)],
            (Classes::Three, Self::Ordered) => &[ORDERED],
            (Classes::Three, Self::Free) => &[Layout::Free],
            (Classes::Three, Self::Auto) => &[ORDERED, Layout::Free],
        }
    }
}
