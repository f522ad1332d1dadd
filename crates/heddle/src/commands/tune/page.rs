//! What tuning found, as a page.

use heddle_core::{Choice, Figure, Measure};

use super::runs::Run;
use super::{NestedChoice, Tuned};
use crate::commands::variants::BETWEEN;
use crate::desk::Answer;
use crate::view::figures::{plain, plain_with_interval, share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, STRONG, count, number, paint};

/// A run in one line, as it comes.
pub fn told_run(run: &Run) -> String {
    let figures = &run.trial.figures;
    let part = if run.share < 1.0 {
        format!(" on {:.1} % of the reviews", 100.0 * run.share)
    } else {
        String::new()
    };
    format!(
        "{}{part}: accuracy {}, log loss {}, {:.1} s",
        run.name,
        share(&figures.accuracy),
        plain(&figures.log_loss),
        run.seconds
    )
}

/// The settings of a run's name.
fn settings(name: &str) -> impl Iterator<Item = (&str, &str)> {
    name.split(BETWEEN).filter_map(|setting| setting.split_once('='))
}

/// A difference to the best, in the unit of the measure.
pub fn behind(measure: Measure, figure: &Figure) -> String {
    let points = matches!(measure, Measure::Accuracy | Measure::BalancedAccuracy);
    let written = |value: Option<f64>| match value {
        None => "–".into(),
        Some(value) if points => format!("{:+.1}", 100.0 * value),
        Some(value) => format!("{value:+.4}"),
    };
    match figure.value {
        Some(0.0) => "–".into(),
        _ => {
            let half = figure.high.zip(figure.low).map(|(high, low)| (high - low) / 2.0);
            format!("{} ± {}", written(figure.value), written(half).trim_start_matches('+'))
        }
    }
}

impl Answer for Tuned {
    fn show(&self, page: &mut Page) {
        let rounds = if self.rounds > 1 { format!(", {} rounds", self.rounds) } else { String::new() };
        page.heading(&format!(
            "{} on the same {} folds{rounds} of {}",
            count(self.runs.len(), "run"),
            self.folds,
            count(self.account.labelled(), "review")
        ));
        self.show_runs(page);
        self.show_choice(page);
        if let Some(nested) = &self.nested {
            nested.show(page);
        }
        if !self.stopped.is_empty() {
            page.note(&format!(
                "{} stopped on fewer reviews: {}.",
                count(self.stopped.len(), "combination"),
                self.stopped.join("; ")
            ));
        }
        let resumed = if self.resumed > 0 {
            format!("; {} stood there already", count(self.resumed, "run"))
        } else {
            String::new()
        };
        page.heading(&format!("Noted: {}{resumed}", self.noted));
        if let Some(path) = &self.picture {
            page.heading(&format!("Drawn: {path}"));
        }
    }
}

impl Tuned {
    fn show_runs(&self, page: &mut Page) {
        let by = self.by.name().replace('_', " ");
        let keys: Vec<&str> = settings(&self.best).map(|(key, _)| key).collect();
        let mut table = Table::new(&[
            ("", Side::Right),
            (&by, Side::Right),
            ("behind", Side::Right),
            ("accuracy / own", Side::Right),
            ("terms", Side::Right),
            ("time", Side::Right),
            ("settings", Side::Left),
        ]);
        for (at, run) in self.runs.iter().enumerate().take(self.top) {
            let figures = &run.trial.figures;
            let mark = if run.name == self.simplest { "→ " } else { "" };
            let figure = self.by.of(figures);
            let value = match self.by {
                Measure::LogLoss | Measure::RocArea => plain(&figure),
                Measure::Accuracy | Measure::BalancedAccuracy => share(&figure),
            };
            let own =
                run.trial.training_accuracy.map_or("–".into(), |value| format!("{:.1}", 100.0 * value));
            let accuracy =
                figures.accuracy.value.map_or("–".into(), |value| format!("{:.1}", 100.0 * value));
            let values: Vec<&str> = settings(&run.name).map(|(_, value)| value).collect();
            table.row([
                format!("{mark}{}", at + 1),
                value,
                behind(self.by, &run.behind),
                format!("{accuracy} / {own}"),
                number(run.trial.terms.round() as usize),
                format!("{:.1} s", self.costs[at].0),
                values.join(", "),
            ]);
        }
        table.put(page);
        if self.runs.len() > self.top {
            page.note(&format!(
                "{} more: --top {}.",
                count(self.runs.len() - self.top, "run"),
                self.runs.len()
            ));
        }
        let most = self.costs.iter().map(|cost| cost.1).max().unwrap_or(0);
        page.note(&format!(
            "Ranked by the held-out {by}{}; behind: the difference to the best, with its 95 % interval. Own: accuracy on the reviews learnt from, for information. → is the simplest within noise. Settings: {}. The largest matrix took {} MB.",
            if self.by.falls() { ", less being better" } else { "" },
            keys.join(", "),
            number(most.div_ceil(1 << 20))
        ));
    }

    fn show_choice(&self, page: &mut Page) {
        let near = self.runs.iter().filter(|run| run.behind.low.is_none_or(|low| low <= 0.0)).count();
        page.heading("What to take");
        let words = if self.simplest == self.best {
            format!(
                "The best is also the simplest within noise; {} of {} are within noise of it.",
                near,
                count(self.runs.len(), "run")
            )
        } else {
            format!(
                "{} of {} are within noise of the best. The simplest of them has the fewest terms that pull, then the strongest penalty.",
                near,
                count(self.runs.len(), "run")
            )
        };
        let set: Vec<String> =
            settings(&self.simplest).map(|(key, value)| format!("--set {key}={value}")).collect();
        page.line(format!("  {}", paint(STRONG, set.join(" "))));
        page.note(&words);
        if self.nested.is_none() && self.runs.len() > 1 {
            page.note("The best of many looks better than it is; --nested tells by how much.");
        }
    }
}

impl NestedChoice {
    fn show(&self, page: &mut Page) {
        page.heading("What choosing is worth");
        let figures = &self.figures;
        let mut table = Table::new(&[("", Side::Left), ("figure", Side::Right)]);
        table.row(["accuracy".to_string(), share_with_interval(&figures.accuracy)]);
        table.row(["balanced accuracy".to_string(), share_with_interval(&figures.balanced_accuracy)]);
        table.row(["ROC area".to_string(), plain_with_interval(&figures.roc_area)]);
        table.row(["log loss".to_string(), plain_with_interval(&figures.log_loss)]);
        table.put(page);
        let mut chosen: Vec<&String> = self.chosen.iter().collect();
        chosen.sort();
        let counted: Vec<String> =
            chosen.chunk_by(|a, b| a == b).map(|same| format!("{} ({})", same[0], same.len())).collect();
        page.note(&format!(
            "Settings were chosen anew on the training part of each fold, by inner folds, and judged on reviews that played no role in the choice. Chosen: {}.",
            counted.join("; ")
        ));
    }
}
