//! How good the model is.

use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, Figures};

use super::super::content::{Block, Cell, Section, Table};
use super::{Builder, counted, figure_cell};
use crate::view::figures::{named, plain, plain_with_interval, share, share_with_interval};
use crate::view::{number, percent};

impl Builder<'_> {
    pub(super) fn figures(&self) -> Section {
        let found = self.found;
        let (then, now, base) =
            (&found.validation.figures, &found.assessment.figures, &found.validation.baseline);
        let mut rows: Vec<Vec<Cell>> = Vec::new();
        let mut row = |name: String,
                       of: &dyn Fn(&Figures) -> Figure,
                       written: fn(&Figure) -> String,
                       short: fn(&Figure) -> String| {
            let cell = |figure: Figure| Cell::number(written(&figure), figure.value.unwrap_or(f64::NAN));
            rows.push(vec![name.into(), cell(of(then)), cell(of(now)), short(&of(base)).into()]);
        };
        for own in &then.classes {
            let class = own.class;
            let of =
                move |figures: &Figures| figures.class(class).map_or(Figure::undefined(0), |own| own.recall);
            row(format!("recall of {}: of these, found", self.name(class)), &of, share_with_interval, share);
            let of = move |figures: &Figures| {
                figures.class(class).map_or(Figure::undefined(0), |own| own.precision)
            };
            row(
                format!("precision of {}: of those called so, right", self.name(class)),
                &of,
                share_with_interval,
                share,
            );
        }
        row("accuracy".into(), &|figures| figures.accuracy, share_with_interval, share);
        row(
            "balanced accuracy: mean of the recalls".into(),
            &|figures| figures.balanced_accuracy,
            share_with_interval,
            share,
        );
        row("ROC area".into(), &|figures| figures.roc_area, plain_with_interval, plain);
        row(
            "log loss, in nats; less is better".into(),
            &|figures| figures.log_loss,
            plain_with_interval,
            plain,
        );
        row("Brier score; less is better".into(), &|figures| figures.brier, plain_with_interval, plain);
        let folds = found.validation.folds.len() / found.validation.rounds.len().max(1);
        let opened = match found.assessment.opened {
            Some(1) | None => "for the first time".to_string(),
            Some(times) => format!("{times} times: what is chosen by it fits it better than reviews to come"),
        };
        let baselines = found.validation.baselines.iter().map(|own| {
            let accuracy = own.figures.accuracy;
            vec![
                own.about.as_str().into(),
                Cell::number(share_with_interval(&accuracy), accuracy.value.unwrap_or(f64::NAN)),
            ]
        });
        let mut blocks = vec![
            Block::Table(Table::new(&["figure", "cross-validated", "locked holdout", "baseline"], rows)),
            Block::Sentence(format!(
                "{folds} folds, everything refitted in each; the holdout was opened {opened}. 95 % intervals. The baseline calls \
                 every review the larger class."
            )),
        ];
        if !found.validation.baselines.is_empty() {
            blocks.push(Block::Table(Table::new(
                &["simpler ways, on the same folds", "accuracy"],
                baselines.collect(),
            )));
        }
        Section { id: "figures".into(), title: "How good it is on reviews it has not seen".into(), blocks }
    }

    pub(super) fn confusion(&self) -> Section {
        let table = |figures: &Figures| {
            let confusion = &figures.confusion;
            let head: Vec<String> =
                confusion.classes.iter().map(|class| format!("called {}", self.name(*class))).collect();
            let head: Vec<&str> = ["truly"].into_iter().chain(head.iter().map(String::as_str)).collect();
            let rows = confusion.classes.iter().zip(&confusion.counts).map(|(truth, counts)| {
                let all: usize = counts.iter().sum();
                let cells = counts.iter().map(|own| {
                    Cell::number(format!("{} ({})", number(*own), percent(*own, all)), *own as f64)
                });
                std::iter::once(self.class(*truth)).chain(cells).collect()
            });
            Block::Table(Table::new(&head, rows.collect()))
        };
        let blocks = vec![
            Block::Sentence("Cross-validated:".into()),
            table(&self.found.validation.figures),
            Block::Sentence("On the locked holdout:".into()),
            table(&self.found.assessment.figures),
        ];
        Section { id: "confusion".into(), title: "What is called what".into(), blocks }
    }

    pub(super) fn slices(&self) -> Section {
        let negative = self.name(Polarity::Negative);
        let rows = self.found.validation.slices.iter().map(|own| {
            vec![
                format!("{}: {}", own.aspect, own.level).into(),
                counted(own.accuracy.n),
                figure_cell(&own.accuracy),
                figure_cell(&own.majority),
                figure_cell(&own.recall_negative),
                figure_cell(&own.negative),
                named(&own.differs).into(),
            ]
        });
        let found = format!("{negative} found");
        let head = ["slice", "reviews", "accuracy", "larger class", &found, &negative, "differs in"];
        let blocks = vec![
            Block::Table(Table::new(&head, rows.collect())),
            Block::Sentence(
                "What differs from all other reviews does so by more than noise, all figures being looked at together.".into(),
            ),
        ];
        Section { id: "slices".into(), title: "Where it is better or worse".into(), blocks }
    }
}
