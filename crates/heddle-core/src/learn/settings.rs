//! What a study says of learning.

use super::layout::Arrangement;
use crate::choice::choice;
use crate::terms::rules::Emphasis;

choice! {
    /// How weights are learnt.
    #[derive(Default)]
    Method {
        /// Logistic regression.
        Logistic = "logistic",
        /// A linear support vector machine.
        #[default]
        Svm = "svm",
        /// Naive Bayes.
        Bayes = "naive-bayes",
        /// Logistic regression, one review after the other.
        Online = "online",
    }
}

choice! {
    /// The loss of a support vector machine.
    #[derive(Default)]
    Hinge {
        /// max(0, 1 - margin)^2.
        #[default]
        Squared = "squared",
        /// max(0, 1 - margin).
        Plain = "plain",
    }
}

choice! {
    /// What keeps weights small.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    Penalty {
        /// The sum of their squares, halved: all terms keep a weight.
        #[default]
        Ridge = "ridge",
        /// The sum of their sizes: most weights are exactly 0.
        Lasso = "lasso",
        /// A mixture of both.
        Elastic = "elastic",
    }
}

choice! {
    /// What naive Bayes takes for an event.
    #[derive(Default)]
    Events {
        /// Each unit of a term's value.
        #[default]
        Multinomial = "multinomial",
        /// Whether a term is there; terms that are not there speak too.
        Presence = "presence",
        /// As multinomial, each class learnt from the reviews of the others, its weights
        /// scaled to one length.
        Complement = "complement",
    }
}

choice! {
    /// How scores become log-odds that may be believed.
    #[derive(Default)]
    Calibrate {
        /// Scale; but nothing for logistic regression of a set strength, whose scores are log-odds
        /// already. Where the strength is open, it is chosen with care against noise, which leaves
        /// log-odds too timid, and the inner folds are there to mend it.
        #[default]
        Auto = "auto",
        /// Scores are taken for log-odds as they are.
        None = "none",
        /// Times one number, plus another (Platt).
        Scale = "scale",
        /// A rising curve of steps (isotonic regression).
        Isotonic = "isotonic",
    }
}

choice! {
    /// What becomes of the class ratios of terms beside their weights.
    #[derive(Default)]
    Ratios {
        /// They are added to the weights, by as much as held-out reviews ask for.
        #[default]
        Blend = "blend",
        /// Nothing.
        None = "none",
    }
}

/// The settings of the learner.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Learning {
    /// How weights are learnt. Default: svm.
    pub learner: Method,
    /// The strength of the penalty. Default: auto.
    pub strength: Strength,
    /// How three classes are told apart. Default: auto.
    pub classes: Arrangement,
    /// What all copies of a review count together, as a multiple of the review itself; together with it they count as one
    /// review. 0: they teach nothing. Default: 1.
    pub copies: f64,
    /// The penalty. Default: ridge.
    pub penalty: Penalty,
    /// The lasso's share of an elastic penalty, between 0 and 1. Default: 1/2.
    pub lasso_share: f64,
    /// The loss of a support vector machine. Default: squared.
    pub hinge: Hinge,
    /// What naive Bayes counts. Default: multinomial.
    pub events: Events,
    /// Naive Bayes: added to the count of every term in every class. Default: 1.
    pub smoothing: f64,
    /// Online: epochs over the reviews. Default: 3; more taught short reviews by heart, and brought long
    /// ones nothing that noise does not explain.
    pub epochs: u32,
    /// The relative duality gap at which the learner stops. Default: 0.001.
    pub tolerance: f64,
    /// How scores become log-odds. Default: auto.
    pub calibration: Calibrate,
    /// Class ratios beside the weights; of use under a ridge, where terms are emphasised and scores calibrated by
    /// scale. Default: blend.
    pub ratios: Ratios,
}

/// The strength of the penalty: lambda of mean loss + lambda x penalty.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Strength {
    /// Chosen by an inner cross-validation on the training rows.
    Auto,
    /// This lambda.
    Fixed(f64),
}

impl Default for Learning {
    fn default() -> Self {
        Self {
            learner: Method::default(),
            strength: Strength::Auto,
            classes: Arrangement::default(),
            copies: 1.0,
            penalty: Penalty::default(),
            lasso_share: 0.5,
            hinge: Hinge::default(),
            events: Events::default(),
            smoothing: 1.0,
            epochs: 3,
            tolerance: 1e-3,
            calibration: Calibrate::default(),
            ratios: Ratios::default(),
        }
    }
}

impl Learning {
    /// Whether there is a penalty, and so a strength to choose.
    pub fn has_strength(&self) -> bool {
        matches!(self.learner, Method::Logistic | Method::Svm)
    }

    /// The lasso's share of the penalty.
    pub(crate) fn share(&self) -> f64 {
        match self.penalty {
            Penalty::Ridge => 0.0,
            Penalty::Lasso => 1.0,
            Penalty::Elastic => self.lasso_share,
        }
    }

    /// The calibration in force: what `auto` stands for.
    pub fn calibrated(&self) -> Calibrate {
        match (self.calibration, self.learner, self.strength) {
            (Calibrate::Auto, Method::Logistic, Strength::Fixed(_)) => Calibrate::None,
            (Calibrate::Auto, ..) => Calibrate::Scale,
            (other, ..) => other,
        }
    }

    /// Whether class ratios are blended in, for terms of this emphasis. A lasso leaves them out: its weights of
    /// zero are what it is for.
    pub(crate) fn blends(&self, emphasis: Emphasis) -> bool {
        self.ratios == Ratios::Blend
            && self.has_strength()
            && self.penalty == Penalty::Ridge
            && self.calibrated() == Calibrate::Scale
            && emphasis == Emphasis::ClassRatio
    }

    /// These settings with those at their defaults that the learner has no use for: files of earlier
    /// versions hold the defaults of their time.
    pub(crate) fn without_idle(self) -> Self {
        let mut own = self;
        let usual = Self::default();
        if !self.has_strength() {
            (own.strength, own.penalty, own.tolerance) = (usual.strength, usual.penalty, usual.tolerance);
            own.ratios = usual.ratios;
        }
        if self.learner != Method::Svm {
            own.hinge = usual.hinge;
        }
        if self.learner != Method::Bayes {
            (own.events, own.smoothing) = (usual.events, usual.smoothing);
        }
        if self.learner != Method::Online {
            own.epochs = usual.epochs;
        }
        if own.penalty != Penalty::Elastic {
            own.lasso_share = usual.lasso_share;
        }
        own
    }

    /// Whether the settings make sense together. One that the learner has no use for is an
    /// error: it would be accepted and change nothing.
    pub(crate) fn check(&self) -> Result<(), String> {
        let usual = Self::default();
        let name = crate::choice::Choice::name(self.learner);
        let idle = |used: bool, changed: bool, key: &str, whose: &str| match (used, changed) {
            (false, true) => Err(format!(
                "model.{key} belongs to {whose}, and model.learner is \"{name}\": leave it out, or change the learner"
            )),
            _ => Ok(()),
        };
        let (penalised, bayes) = (self.has_strength(), self.learner == Method::Bayes);
        let (by_penalty, by_bayes) =
            ("learners with a penalty (logistic, svm)", "model.learner = \"naive-bayes\"");
        idle(penalised, self.strength != usual.strength, "strength", by_penalty)?;
        idle(penalised, self.penalty != usual.penalty, "penalty", by_penalty)?;
        idle(penalised, self.tolerance != usual.tolerance, "tolerance", by_penalty)?;
        idle(penalised, self.ratios != usual.ratios, "ratios", by_penalty)?;
        idle(self.learner == Method::Svm, self.hinge != usual.hinge, "hinge", "model.learner = \"svm\"")?;
        idle(bayes, self.events != usual.events, "events", by_bayes)?;
        idle(bayes, self.smoothing != usual.smoothing, "smoothing", by_bayes)?;
        let online = self.learner == Method::Online;
        idle(online, self.epochs != usual.epochs, "epochs", "model.learner = \"online\"")?;
        if self.penalty != Penalty::Elastic && self.lasso_share != usual.lasso_share {
            return Err("model.lasso_share belongs to model.penalty = \"elastic\"".into());
        }
        if self.learner == Method::Svm && self.hinge == Hinge::Plain && self.penalty != Penalty::Ridge {
            return Err("model.hinge = \"plain\" has no slope at its corner, which the lasso needs: \
                        set model.hinge=squared, or model.penalty=ridge"
                .into());
        }
        Ok(())
    }
}
