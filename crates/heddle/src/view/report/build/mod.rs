//! From the findings of a run to what stands in its report.

mod curves;
mod customers;
mod judged;
mod labels;
mod pictures;
mod sentences;
mod source;

use heddle_core::labels::{ClassNames, Polarity};
use heddle_core::measure::Figure;
use heddle_files::About;

use super::content::{Cell, Report};
use super::findings::Findings;
use crate::view::figures::{share, share_with_interval};
use crate::view::number;

/// So many misses of the probes are shown.
const MISSES: usize = 40;

/// Puts a report together; without texts of customers where `redacted`.
pub struct Builder<'f> {
    pub found: &'f Findings,
    /// What stands beside the training part: settings and sources.
    pub about: Option<&'f About>,
    pub redacted: bool,
}

impl Builder<'_> {
    /// The report.
    pub fn report(&self) -> Report {
        let found = self.found;
        let (validated, holdout) = (&found.validation.figures, &found.assessment.figures);
        let card = |what: &str, figure: &Figure, beside: String| [what.into(), share(figure), beside];
        let interval = |figure: &Figure| match (figure.low, figure.high) {
            (Some(low), Some(high)) => format!("95 % interval {:.1} – {:.1} %", 100.0 * low, 100.0 * high),
            _ => String::new(),
        };
        Report {
            title: "How customers' reviews are told apart, and how far that can be trusted".into(),
            verdict: found.judgement.sentence.clone(),
            headline: vec![
                card("right on unseen reviews", &validated.accuracy, interval(&validated.accuracy)),
                card("right on the locked holdout", &holdout.accuracy, interval(&holdout.accuracy)),
                card(
                    "right by calling all the larger class",
                    &found.validation.baseline.accuracy,
                    "the least to beat".into(),
                ),
                [
                    "reviews".into(),
                    number(found.split.account.read),
                    format!("{} are {}", share(&found.drivers.negative), self.name(Polarity::Negative)),
                ],
            ],
            sections: vec![
                self.data(),
                self.figures(),
                self.confusion(),
                self.curves(),
                self.slices(),
                self.drivers(),
                self.reading(),
                self.probes(),
                self.doubts(),
                self.mistakes(),
                self.card(),
                self.settings(),
            ],
        }
    }

    fn names(&self) -> ClassNames {
        let mut names = ClassNames::default();
        self.found.split.account.class_names.iter().for_each(|(class, name)| names.set(*class, name));
        names
    }

    fn name(&self, class: Polarity) -> String {
        self.names().of(class).into()
    }

    fn class(&self, class: Polarity) -> Cell {
        let sign = crate::view::sign_of(class);
        Cell::class(format!("{sign} {}", self.names().of(class)), class)
    }
}

/// A share with its interval, sorted by its value.
fn figure_cell(figure: &Figure) -> Cell {
    Cell::number(share_with_interval(figure), figure.value.unwrap_or(f64::NAN))
}

fn counted(rows: usize) -> Cell {
    Cell::number(number(rows), rows as f64)
}
