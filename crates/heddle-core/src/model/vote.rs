//! One verdict for several texts of a review: itself, and its copies.

use super::artefact::Model;
use super::scorer::Score;
use crate::choice::choice;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::measure::verdict::{Neutral, Place, Verdict};

choice! {
    /// How the texts of a review come to one verdict.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    VoteBy {
        /// The mean of their log-odds is judged as that of one text.
        Mean = "mean",
        /// The review is called as most of its texts are; where as many are called otherwise, as by the mean.
        Majority = "majority",
    }
}

/// What a model says of one text of a review.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ballot {
    /// Where it lies.
    pub place: Place,
    /// Whether the model knows a term of it: others have no voice, unless all are such.
    pub known: bool,
}

impl From<&Score> for Ballot {
    fn from(score: &Score) -> Self {
        Self { place: score.verdict.place(), known: score.terms > 0 }
    }
}

/// What the texts of a review came to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Voted {
    /// The verdict. Its place is the mean of those of the texts, whatever is called by.
    pub verdict: Verdict,
    /// The texts that had a voice.
    pub texts: usize,
    /// How many of them are called, each for itself, as the review is.
    pub agreeing: usize,
    /// The standard deviation of their log-odds; nothing for a single one.
    pub spread: Option<f64>,
}

impl Model {
    /// Lets the texts of a review vote.
    ///
    /// # Panics
    /// If there is no text.
    pub fn vote(&self, ballots: &[Ballot], by: VoteBy) -> Voted {
        assert!(!ballots.is_empty(), "a review without a text");
        let known = ballots.iter().any(|ballot| ballot.known);
        let places: Vec<Place> =
            ballots.iter().filter(|ballot| ballot.known == known).map(|ballot| ballot.place).collect();
        let decision = &self.card().cuts;
        let mean = mean(&places);
        let own: Vec<Verdict> = places.iter().map(|place| decision.verdict(*place)).collect();
        let votes = |class: Polarity| own.iter().filter(|verdict| verdict.called == class).count();
        let mut verdict = decision.verdict(mean);
        if by == VoteBy::Majority {
            let votes = PerClass::of(votes);
            let most = votes.iter().copied().max().unwrap_or(0);
            let mut leading = Polarity::ALL.into_iter().filter(|class| votes[*class] == most);
            if let (Some(class), None) = (leading.next(), leading.next()) {
                let sure = own.iter().filter(|verdict| verdict.called == class && verdict.sure).count();
                verdict = Verdict { called: class, sure: 2 * sure > own.len(), ..verdict };
            }
        }
        Voted {
            verdict: verdict.known(known),
            texts: places.len(),
            agreeing: votes(verdict.called),
            spread: spread(&places),
        }
    }
}

fn mean(places: &[Place]) -> Place {
    let of = |value: fn(&Place) -> f64| places.iter().map(value).sum::<f64>() / places.len() as f64;
    let log_odds = of(|place| place.log_odds);
    match places[0].neutral {
        Neutral::Between { half } => Place::between(log_odds, half),
        Neutral::Apart { .. } => Place::apart(
            log_odds,
            of(|place| match place.neutral {
                Neutral::Apart { neutrality } => neutrality,
                Neutral::Between { .. } => 0.0,
            }),
        ),
    }
}

fn spread(places: &[Place]) -> Option<f64> {
    let (n, mean) = (places.len() as f64, mean(places).log_odds);
    let squares: f64 = places.iter().map(|place| (place.log_odds - mean).powi(2)).sum();
    (places.len() > 1).then(|| (squares / (n - 1.0)).sqrt())
}
