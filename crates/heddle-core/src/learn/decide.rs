//! From log-odds to verdicts: cuts by what mistakes cost, or by what rows that were held out
//! show.

use crate::labels::classes::Classes;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::measure::verdict::{ClassRule, Cuts, Decision, Neutral, Place, against_the_rest};

/// How verdicts are reached.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Deciding {
    /// What it costs to call a negative review another class. Default: 1.
    pub cost_missed_negative: f64,
    /// What it costs to call another review negative. Default: 1.
    pub cost_false_alarm: f64,
    /// The share of negative reviews that is to be called so. Default: none.
    pub recall_negative: Option<f64>,
    /// The share of those called negative that is to be so. Default: none.
    pub precision_negative: Option<f64>,
    /// The share of each class that must not be called another. Default: none.
    pub unsure: Option<f64>,
}

impl Default for Deciding {
    fn default() -> Self {
        Self {
            cost_missed_negative: 1.0,
            cost_false_alarm: 1.0,
            recall_negative: None,
            precision_negative: None,
            unsure: None,
        }
    }
}

impl Deciding {
    /// Whether held-out rows are needed.
    pub(crate) fn learns(&self) -> bool {
        self.recall_negative.is_some() || self.precision_negative.is_some() || self.unsure.is_some()
    }

    /// Whether the settings make sense together.
    pub(crate) fn check(&self) -> Result<(), String> {
        let costs = self.cost_missed_negative != 1.0 || self.cost_false_alarm != 1.0;
        let asked = [
            (costs, "costs of mistakes"),
            (self.recall_negative.is_some(), "decision.recall_negative"),
            (self.precision_negative.is_some(), "decision.precision_negative"),
        ];
        let asked: Vec<&str> = asked.iter().filter(|(asked, _)| *asked).map(|(_, name)| *name).collect();
        if let [one, other, ..] = asked[..] {
            return Err(format!("{one} and {other} both set where negative ends: keep one of them"));
        }
        Ok(())
    }
}

/// A precision that no cut reaches.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct OutOfReach {
    pub(crate) best: f64,
}

/// A row that was held out, as cuts see it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Shown {
    pub(crate) place: Place,
    pub(crate) label: Polarity,
    /// One over the rows of its group: tied reviews say no more than one.
    pub(crate) weight: f64,
}

/// How verdicts are reached, given held-out rows. Of three classes on one axis, `half` is the half width of the neutral
/// zone.
///
/// `natural` is the share of negative reviews that a precision speaks of, where it is not that
/// of the held-out rows.
pub(crate) fn decide(
    deciding: &Deciding,
    (classes, half): (Classes, Option<f64>),
    held: &[Shown],
    natural: Option<f64>,
) -> Result<Decision, OutOfReach> {
    match (classes, half) {
        (Classes::Two, _) => Ok(Decision::OnAxis(cuts(deciding, held, natural)?)),
        (Classes::Three, Some(half)) if *deciding == Deciding::default() && is_steady(held, half) => {
            Ok(Decision::OnAxis(Cuts::most_probable(half)))
        }
        (Classes::Three, _) => Ok(Decision::ByClass(class_rule(deciding, held, natural)?)),
    }
}

/// How verdicts are reached where costs alone decide, of two classes or three.
pub(crate) fn by_costs(deciding: &Deciding, classes: Classes) -> Decision {
    let costs = [deciding.cost_missed_negative, deciding.cost_false_alarm];
    match classes {
        Classes::Two => {
            let cut = (costs[0] / costs[1]).ln();
            Decision::OnAxis(Cuts { negative: cut, positive: cut, unsure: None })
        }
        Classes::Three => Decision::ByClass(ClassRule { costs, negative_from: None, possible_from: None }),
    }
}

/// Whether all rows have a neutral zone of this half width: under curves they do not.
fn is_steady(held: &[Shown], half: f64) -> bool {
    held.iter().all(|row| row.place.neutral == Neutral::Between { half })
}

/// A row as a sequence of values sees it.
#[derive(Debug, Clone, Copy)]
struct Valued {
    value: f64,
    /// As [`Shown::weight`].
    weight: f64,
}

/// The values of the rows that pass, rising.
fn sorted(held: &[Shown], passes: impl Fn(Polarity) -> bool, value: impl Fn(&Place) -> f64) -> Vec<Valued> {
    let own = held.iter().filter(|row| passes(row.label));
    let mut own: Vec<Valued> =
        own.map(|row| Valued { value: value(&row.place), weight: row.weight }).collect();
    own.sort_unstable_by(|a, b| a.value.total_cmp(&b.value));
    own
}

/// The rule for three classes. What holds of the log-odds of two holds here of those of a class against the rest.
fn class_rule(deciding: &Deciding, held: &[Shown], natural: Option<f64>) -> Result<ClassRule, OutOfReach> {
    // The further down, the more a review speaks for the class.
    let against = |class: Polarity| move |place: &Place| -against_the_rest(&place.probabilities(), class);
    let negative = sorted(held, |label| label == Polarity::Negative, against(Polarity::Negative));
    let others = sorted(held, |label| label != Polarity::Negative, against(Polarity::Negative));
    let negative_from = match (deciding.recall_negative, deciding.precision_negative) {
        (Some(wanted), _) => Some(-upper_quantile(&negative, wanted)),
        (_, Some(wanted)) => Some(-precise(&values(&negative), &values(&others), wanted, natural)?),
        _ => None,
    };
    let possible = |kept: f64| {
        PerClass::of(|class| -upper_quantile(&sorted(held, |label| label == class, against(class)), kept))
    };
    Ok(ClassRule {
        costs: [deciding.cost_missed_negative, deciding.cost_false_alarm],
        negative_from,
        possible_from: deciding.unsure.map(possible),
    })
}

/// The cuts for two classes.
fn cuts(deciding: &Deciding, held: &[Shown], natural: Option<f64>) -> Result<Cuts, OutOfReach> {
    let [negative, positive] =
        Polarity::POLES.map(|class| sorted(held, |label| label == class, |place| place.log_odds));
    let mut cut = match (deciding.recall_negative, deciding.precision_negative) {
        (Some(wanted), _) => just_above(upper_quantile(&negative, wanted)),
        (_, Some(wanted)) => precise(&values(&negative), &values(&positive), wanted, natural)?,
        // A review is called negative where that costs less to expect: Elkan (2001), "The
        // foundations of cost-sensitive learning", IJCAI.
        _ => (deciding.cost_missed_negative / deciding.cost_false_alarm).ln(),
    };
    let mut unsure = None;
    if let Some(kept) = deciding.unsure {
        // All but a share of the negative reviews lie below `high`, all but a share of the
        // positive ones above `low`.
        let (low, high) = (lower_quantile(&positive, kept), just_above(upper_quantile(&negative, kept)));
        unsure = (low < high).then_some([low, high]);
        // A cut within the band, or where there is none between the two quantiles, keeps the
        // promise to both classes.
        cut = cut.clamp(low.min(high), low.max(high));
    }
    Ok(Cuts { negative: cut, positive: cut, unsure })
}

/// The least of the values such that at least a share `kept` of further ones is expected not to
/// exceed it: the ceil((n + 1) kept)-th, which holds for whatever distribution where rows may
/// be exchanged. Vovk, Gammerman and Shafer (2005), "Algorithmic learning in a random world",
/// DOI 10.1007/b106715; by class as in their section 4.5, and with inner folds in place of one
/// calibration part as in Vovk (2015), "Cross-conformal predictors", DOI
/// 10.1007/s10472-013-9368-4, for which the promise holds but for little. Of tied rows only their groups may be
/// exchanged: n counts groups. Where so few cannot promise so much, no value is enough.
fn upper_quantile(sorted: &[Valued], kept: f64) -> f64 {
    quantile(sorted.iter(), kept).unwrap_or(f64::MAX)
}

fn lower_quantile(sorted: &[Valued], kept: f64) -> f64 {
    quantile(sorted.iter().rev(), kept).unwrap_or(f64::MIN)
}

fn quantile<'a>(rows: impl Iterator<Item = &'a Valued> + Clone, kept: f64) -> Option<f64> {
    let groups: f64 = rows.clone().map(|row| row.weight).sum();
    let wanted = (groups + 1.0) * kept - 1e-9;
    let mut passed = 0.0;
    let mut reached = |row: &&Valued| {
        passed += row.weight;
        passed >= wanted
    };
    rows.into_iter().find(|row| reached(row)).map(|row| row.value)
}

fn values(rows: &[Valued]) -> Vec<f64> {
    rows.iter().map(|row| row.value).collect()
}

/// A review exactly at the value is still below the cut.
fn just_above(value: f64) -> f64 {
    value.next_up().min(f64::MAX)
}

/// The highest cut below which the share of negative reviews is the wanted one; at another share of negative reviews,
/// the `natural` one, each of them counts more or less than a positive one.
fn precise(negative: &[f64], positive: &[f64], wanted: f64, natural: Option<f64>) -> Result<f64, OutOfReach> {
    /// With fewer called reviews a share says next to nothing.
    const FEWEST: usize = 20;
    let odds =
        natural.map_or(1.0, |share| share / (1.0 - share) * positive.len() as f64 / negative.len() as f64);
    let (mut best, mut found) = (0.0f64, None);
    for (at, value) in negative.iter().enumerate() {
        let below = positive.partition_point(|other| other <= value);
        let hits = odds * (at + 1) as f64;
        let share = hits / (hits + below as f64);
        if at + 1 + below >= FEWEST.min(negative.len()) {
            best = best.max(share);
            if share >= wanted {
                found = Some(just_above(*value));
            }
        }
    }
    found.ok_or(OutOfReach { best })
}
