//! Curves.

use heddle_core::labels::Polarity;
use heddle_core::measure::{CostPoint, Figure, cost_curve};

use super::super::chart::{Chart, Scale};
use super::super::content::{Block, Cell, Section, Table};
use super::super::findings::{Bin, CutPoint, Point};
use super::{Builder, figure_cell};
use crate::view::figures::{plain_with_interval, points, share_with_interval};
use crate::view::number;

impl Builder<'_> {
    pub(super) fn curves(&self) -> Section {
        let negative = self.name(Polarity::Negative);
        let mut blocks = vec![
            Block::Charts(self.charts()),
            Block::More(
                format!("Reading the most {negative} first, in figures"),
                self.gains_table(&negative),
            ),
        ];
        if let Some(curve) = &self.found.validation.learning_curve {
            blocks.push(Block::Sentence(format!(
                "The last doubling of the reviews that are learnt from brought {} of accuracy; the next may bring {}.",
                points(&curve.last_doubling),
                points(&curve.next_doubling)
            )));
        }
        Section { id: "curves".into(), title: "Where to cut, and what to believe".into(), blocks }
    }

    /// The curves, which are also written as pictures.
    pub(super) fn charts(&self) -> Vec<Chart> {
        let [negative, positive] = Polarity::POLES.map(|class| self.name(class));
        let mut charts = vec![
            self.roc(&negative, &positive),
            self.precision(&negative),
            self.calibration(&positive),
            self.gains(&negative),
            self.costs(&negative),
        ];
        charts.extend(self.learning());
        charts
    }

    fn roc(&self, negative: &str, positive: &str) -> Chart {
        let area = &self.found.validation.figures.roc_area;
        Chart {
            name: "roc",
            title: format!("{negative} found, against false alarms"),
            across: Scale::share(format!("{positive} reviews called {negative}")),
            upwards: Scale::share(format!("{negative} found")),
            curve: self.by_cut(|own| (&own.false_alarms, &own.recall)),
            points: Vec::new(),
            by_chance: vec![(0.0, 0.0), (1.0, 1.0)],
            about: format!("ROC curve: its area is {}; 0.5 is chance.", plain_with_interval(area)),
        }
    }

    fn precision(&self, negative: &str) -> Chart {
        let (figures, base) = (&self.found.validation.figures, self.negative_share());
        Chart {
            name: "precision-recall",
            title: format!("{negative} found, against how many calls are right"),
            across: Scale::share(format!("{negative} found")),
            upwards: Scale::share("of those called, right"),
            curve: self.by_cut(|own| (&own.recall, &own.precision)),
            points: Vec::new(),
            by_chance: vec![(0.0, base), (1.0, base)],
            about: format!(
                "Precision-recall curve: average precision {}; {:.1} % is chance.",
                plain_with_interval(&figures.average_precision),
                100.0 * base
            ),
        }
    }

    fn calibration(&self, positive: &str) -> Chart {
        let point =
            |bin: &Bin| Some((bin.predicted, bin.observed.value?, bin.observed.low?, bin.observed.high?));
        Chart {
            name: "calibration",
            title: "whether probabilities can be believed".into(),
            across: Scale::share(format!("predicted share of {positive}")),
            upwards: Scale::share("observed"),
            curve: Vec::new(),
            points: self.found.validation.calibration.iter().filter_map(point).collect(),
            by_chance: vec![(0.0, 0.0), (1.0, 1.0)],
            about: "Calibration: where points lie on the line, probabilities are what is observed.".into(),
        }
    }

    fn gains(&self, negative: &str) -> Chart {
        // At each cut: of the negative reviews, those found, and of the others, the false alarms.
        let base = self.negative_share();
        let read = |(recall, alarms): (f64, f64)| (base * recall + (1.0 - base) * alarms, recall);
        let found = self.by_cut(|own| (&own.recall, &own.false_alarms)).into_iter().map(read);
        Chart {
            name: "gains",
            title: format!("reading the most {negative} first"),
            across: Scale::share("share of the reviews read"),
            upwards: Scale::share(format!("of the {negative}, found")),
            curve: [(0.0, 0.0)].into_iter().chain(found).chain([(1.0, 1.0)]).collect(),
            points: Vec::new(),
            by_chance: vec![(0.0, 0.0), (1.0, 1.0)],
            about: format!("What reading part of the reviews finds, the most {negative} first."),
        }
    }

    /// What mistakes cost at the best cut, whatever a missed negative review costs.
    fn costs(&self, negative: &str) -> Chart {
        let rates = self.by_cut(|own| (&own.recall, &own.false_alarms));
        let curve = cost_curve(&rates);
        Chart {
            name: "cost",
            title: "what mistakes cost at the best cut".into(),
            across: Scale::share(format!("of all that mistakes can cost: by missed {negative}")),
            upwards: Scale::share("cost, of the most that it can be"),
            curve: curve.iter().map(|CostPoint { missed, cost }| (*missed, *cost)).collect(),
            points: Vec::new(),
            by_chance: vec![(0.0, 0.0), (0.5, 0.5), (1.0, 0.0)],
            about: format!(
                "Cost curve: whatever the share of the cost that missed {negative} reviews can make, the cost at the cut that is                  best for it; the line above is that of calling all reviews the same."
            ),
        }
    }

    fn learning(&self) -> Option<Chart> {
        let curve = self.found.validation.learning_curve.as_ref()?;
        let ends = curve.points.iter().flat_map(|own| [own.accuracy.low, own.accuracy.high]).flatten();
        let (low, high) = ends.fold((1.0f64, 0.0f64), |(low, high), end| (low.min(end), high.max(end)));
        // From a twentieth over a multiple of four points, so that all ticks are whole percents.
        let low = (low * 20.0).floor() / 20.0;
        let span = ((high - low) * 25.0).ceil().max(1.0) / 25.0;
        let low = low.min(1.0 - span);
        let high = low + span;
        let last = curve.points.len().saturating_sub(1).max(1) as f64;
        let across = |at: usize| 0.06 + 0.88 * at as f64 / last;
        let upwards = |share: f64| (share - low) / (high - low).max(f64::MIN_POSITIVE);
        let point = |(at, own): (usize, &Point)| {
            let Figure { value: Some(value), low: Some(low), high: Some(high), .. } = own.accuracy else {
                return None;
            };
            Some((across(at), upwards(value), upwards(low), upwards(high)))
        };
        let points: Vec<_> = curve.points.iter().enumerate().filter_map(point).collect();
        let told: Vec<String> = curve
            .points
            .iter()
            .map(|own| format!("{} from {} reviews", share_with_interval(&own.accuracy), number(own.reviews)))
            .collect();
        Some(Chart {
            name: "learning",
            title: "what more reviews bring".into(),
            across: Scale {
                name: "reviews learnt from, doubled each time".into(),
                ticks: curve
                    .points
                    .iter()
                    .enumerate()
                    .map(|(at, own)| (across(at), number(own.reviews)))
                    .collect(),
            },
            upwards: Scale::between("accuracy", (low, high)),
            curve: points.iter().map(|(x, y, ..)| (*x, *y)).collect(),
            points,
            by_chance: Vec::new(),
            about: format!("Learning curve: accuracy {}.", told.join("; ")),
        })
    }

    fn negative_share(&self) -> f64 {
        self.found.validation.figures.confusion.share_of(Polarity::Negative)
    }

    /// Two figures at each cut where both are defined.
    fn by_cut(&self, of: impl Fn(&CutPoint) -> (&Figure, &Figure)) -> Vec<(f64, f64)> {
        let both = |cut: &CutPoint| {
            let (x, y) = of(cut);
            Some((x.value?, y.value?))
        };
        self.found.validation.cut_points.iter().filter_map(both).collect()
    }

    fn gains_table(&self, negative: &str) -> Table {
        let rows = self.found.validation.gains.iter().map(|own| {
            vec![
                Cell::number(number(own.read), own.read as f64),
                Cell::number(format!("{:.1} %", 100.0 * own.share), own.share),
                figure_cell(&own.precision),
                figure_cell(&own.recall),
            ]
        });
        let head = ["read", "share", &format!("of these {negative}"), &format!("of the {negative}, found")];
        Table::new(&head, rows.collect())
    }
}
