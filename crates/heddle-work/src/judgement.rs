//! What figures come to, in a sentence.

use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, Figures, differ};
use serde::Serialize;

use crate::words::{count, percent};

/// Intervals as wide as this to one side leave much open.
const WIDE: f64 = 0.1;

/// What figures come to, and what to do next.
#[derive(Debug, Clone, Serialize)]
pub struct Judgement {
    /// Whether probabilities say more than the class mix alone: log loss below that of the mix, by more than noise.
    pub beats_mix: bool,
    /// Whether calls are right more often than calling every review the larger class, by more than noise.
    pub beats_majority: bool,
    /// Whether a holdout agrees with the cross-validated figures; missing where there is none.
    pub holdout_agrees: Option<bool>,
    /// The same in words.
    pub sentence: String,
    /// What to do next.
    pub next: Vec<NextStep>,
}

/// A step, and the line to type.
#[derive(Debug, Clone, Serialize)]
pub struct NextStep {
    /// What it is good for.
    pub about: String,
    /// The line.
    pub line: String,
}

impl NextStep {
    pub(crate) fn new(about: &str, line: String) -> Self {
        Self { about: about.into(), line }
    }
}

/// The files that next steps speak of.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Places<'a> {
    /// The reviews that were learnt from.
    pub training: &'a str,
    /// The model, if there is one.
    pub model: Option<&'a str>,
    /// The locked holdout, if there is one.
    pub holdout: Option<&'a str>,
}

impl Judgement {
    /// Judges cross-validated figures, beside those of a holdout if there is one.
    pub(crate) fn new(validated: &Figures, holdout: Option<&Figures>, places: Places<'_>) -> Self {
        let confusion = &validated.confusion;
        let reviews = confusion.total();
        let counts = Polarity::ALL.map(|class| confusion.of(class));
        let largest = counts.into_iter().max().unwrap_or(0);
        let shares = counts.map(|own| own as f64 / reviews.max(1) as f64);
        let mix_loss: f64 =
            shares.into_iter().filter(|share| *share > 0.0).map(|share| -share * share.ln()).sum();
        let majority = largest as f64 / reviews.max(1) as f64;
        let beats_mix = validated.log_loss.high.is_some_and(|high| high < mix_loss);
        let beats_majority = validated.accuracy.low.is_some_and(|low| low > majority);
        let holdout_agrees = holdout.map(|holdout| agrees(validated, holdout));
        let own = interval(&validated.accuracy);
        let larger = format!("{} of calling every review the larger class", percent(Some(majority)));
        let first = match (beats_mix, beats_majority) {
            (_, true) => format!(
                "It tells the classes apart: accuracy {own} on reviews it has not seen, against {larger}."
            ),
            (true, false) => format!(
                "It puts reviews in a useful order (ROC area {}), but its calls are right no more often than those of the \
                 class mix, beyond noise: accuracy {own}, against {larger}.",
                validated.roc_area.value.map_or("–".into(), |area| format!("{area:.3}"))
            ),
            (false, false) => format!(
                "It knows no more than the class mix, beyond noise: accuracy {own} on reviews it has not seen, against \
                 {larger}. Do not use it yet."
            ),
        };
        let second = holdout.map(|holdout| {
            let there = format!("accuracy {} on its {}", interval(&holdout.accuracy), count(holdout.confusion.total(), "review"));
            match holdout_agrees {
                Some(true) => format!(" The holdout agrees within noise: {there}."),
                _ => format!(
                    " The holdout does NOT agree: {there}, which noise does not explain; find out what differs between the \
                     two before you rely on either."
                ),
            }
        });
        let wide = half(&validated.accuracy).is_some_and(|half| half > WIDE);
        let third = if wide { " The intervals are wide: more reviews would tell more." } else { "" };
        Self {
            beats_mix,
            beats_majority,
            holdout_agrees,
            sentence: format!("{first}{}{third}", second.unwrap_or_default()),
            next: next(beats_mix, beats_majority, holdout_agrees, places),
        }
    }
}

/// Whether accuracy, ROC area and log loss are the same on both sides but for noise, looked at together.
fn agrees(validated: &Figures, holdout: &Figures) -> bool {
    let pairs = [
        (&validated.accuracy, &holdout.accuracy),
        (&validated.roc_area, &holdout.roc_area),
        (&validated.log_loss, &holdout.log_loss),
    ];
    !pairs.into_iter().any(|(then, now)| differ(then, now, 3) == Some(true))
}

fn next(beats_mix: bool, beats_majority: bool, agrees: Option<bool>, places: Places<'_>) -> Vec<NextStep> {
    let Places { training, model, holdout } = places;
    let step = NextStep::new;
    if !beats_mix {
        return vec![
            step("would more reviews help?", format!("heddle validate {training} --learning_curve")),
            step("do the labels mean what the rule says?", format!("heddle label {training}")),
            step(
                "other settings, for five minutes",
                format!("heddle tune {training} --minutes 5 --write-study best.toml"),
            ),
        ];
    }
    if let (Some(false), Some(model), Some(holdout)) = (agrees, model, holdout) {
        return vec![
            step("where the holdout differs, and its mistakes", format!("heddle assess {model} {holdout}")),
            step("which kinds of reviews differ", format!("heddle validate {training}")),
            step("are the two from one time?", format!("heddle survey {holdout}")),
        ];
    }
    let mut steps = Vec::new();
    if !beats_majority {
        steps.push(step(
            "find more of the smaller class, at the cost of false alarms",
            format!("heddle validate {training} --set decision.cost_missed_negative=3"),
        ));
    }
    match model {
        Some(model) => steps.extend([
            step("new reviews", format!("heddle score {model} new.csv --out scored.csv")),
            step(
                "why a review is called as it is",
                format!("heddle explain {model} --text \"Not a bad cabin at all\""),
            ),
        ]),
        None => steps.push(step(
            "a model of all of these reviews",
            format!("heddle train {training} --out model.heddle"),
        )),
    }
    steps
}

fn half(figure: &Figure) -> Option<f64> {
    Some((figure.high? - figure.low?) / 2.0)
}

/// "88.9 % (85.6 – 91.5)"
fn interval(share: &Figure) -> String {
    match (share.low, share.high) {
        (Some(low), Some(high)) => {
            format!("{} ({:.1} – {:.1})", percent(share.value), 100.0 * low, 100.0 * high)
        }
        _ => percent(share.value),
    }
}
