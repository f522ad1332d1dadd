//! What a model learns from: the words of a review, columns beside them, or both.

use super::coding::Coding;
use super::used::ColumnUse;
use super::values::Beside;

/// The name of word vectors among the penalties.
pub const VECTORS: &str = "vectors";

/// What a model learns from beside terms.
#[derive(Debug, Clone, PartialEq)]
pub struct Features {
    /// Whether the words of a review count. Default: yes.
    pub text: bool,
    /// The columns and facts of the text that count. Default: none.
    pub columns: Vec<ColumnUse>,
    /// The file of word vectors whose means count beside the terms, or "reviews", where they are made from the training
    /// reviews. Default: none.
    pub vectors: Option<String>,
    /// A category of fewer training reviews stands for nothing alone. Default: 10.
    pub at_least: u32,
    /// What the penalty on the effects of a column is multiplied by, by its name as it stands in `columns`; 1 for those
    /// that are not named. Default: none.
    pub penalties: Vec<(String, f64)>,
}

impl Default for Features {
    fn default() -> Self {
        Self { text: true, columns: Vec::new(), vectors: None, at_least: 10, penalties: Vec::new() }
    }
}

impl Features {
    /// Whether the settings make sense.
    ///
    /// # Errors
    /// A sentence that says why not.
    pub fn check(&self) -> Result<(), String> {
        let names: Vec<String> = self.columns.iter().map(ToString::to_string).collect();
        if !self.text && names.is_empty() && self.vectors.is_none() {
            return Err(
                "features.text = false leaves nothing to learn from: name columns in features.columns".into(),
            );
        }
        if let Some(twice) = (1..names.len()).find(|at| names[..*at].contains(&names[*at])) {
            return Err(format!("features.columns names `{}` twice: leave one out", names[twice]));
        }
        let known = |name: &String| names.contains(name) || self.vectors.is_some() && name == VECTORS;
        match self.penalties.iter().find(|(name, _)| !known(name)) {
            Some((name, _)) => Err(format!(
                "features.penalties names `{name}`, which features.columns does not: write it as it stands there"
            )),
            None => Ok(()),
        }
    }

    /// What the penalty on a column, or on [`VECTORS`], is multiplied by.
    pub(crate) fn penalty(&self, name: &str) -> f64 {
        self.penalties.iter().find(|(own, _)| own == name).map_or(1.0, |(_, penalty)| *penalty)
    }

    /// Learns of the columns from the `training` rows of all reviews; nothing where no column counts.
    pub fn learn(&self, beside: &Beside, training: &[u32]) -> Option<Coding> {
        let penalty = |used: &ColumnUse| self.penalty(&used.to_string());
        let learn = || Coding::learn(&self.columns, beside, training, (self.at_least, penalty));
        (!self.columns.is_empty() && !beside.is_empty()).then(learn)
    }
}
