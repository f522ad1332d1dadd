//! From weights that were learnt where not all rows are kept to a fit: a part of the rows did not teach, and what the
//! model says of them brings its scores to log-odds and tells how good it is.

use std::cell::LazyCell;
use std::sync::Arc;

use super::error::{FitError, check_kept};
use super::fit::{Fit, settled};
use super::settle::Settling;
use super::teach::{Learnt, Needs, Raw, blended};
use crate::labels::classes::Classes;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;
use crate::learn::blend::Blend;
use crate::learn::calibrate::rows_of;
use crate::learn::inner_validation::Held;
use crate::learn::layout::Layout;
use crate::learn::learner::Convergence;
use crate::learn::scale::{Scale, scale};
use crate::learn::settings::{Calibrate, Strength};
use crate::measure::dependence::Dependence;
use crate::measure::figures::Figures;
use crate::measure::verdict::{Decision, Place, Verdict};
use crate::resample::side::side;
use crate::settings::study::Study;
use crate::terms::count::Counted;
use crate::terms::select::Selection;

/// Keeps the draw of halves apart from others of the same seed.
const HALVES: u64 = 0x4a1f;
/// So many rows that do not teach are enough to bring scores to log-odds, and there are never more.
const ENOUGH: f64 = 20_000.0;
/// There are to be so many at least, as far as that leaves enough to learn from.
const FEWEST: f64 = 1_000.0;
/// The share of the rows that does not teach, of many rows and of few.
const SHARES: [f64; 2] = [0.05, 0.2];
/// Keeps the draw of these rows apart from that of other parts.
const HELD: u64 = 0x4e1d;

/// A row that does not teach, as the weights see it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct HeldScore {
    /// Its score without an intercept.
    pub score: f64,
    /// What the class ratios of its terms say; 0 where nothing is blended in.
    pub leaning: f64,
    /// Its class.
    pub class: Polarity,
    /// The same for rows that are tied.
    pub group: u64,
}

/// What was learnt where not all rows are kept.
#[derive(Debug, Clone)]
pub struct StreamFit {
    /// The columns.
    pub counted: Counted,
    /// What was learnt.
    pub fit: Fit,
    /// How good that is on the rows that were held back. Each half of them is brought to log-odds by the other, so that
    /// no row is judged by what it had a part in. Nothing under a calibration by a curve, or if there are too few.
    pub held_back: Option<Figures>,
}

impl Study {
    /// The share of so many labelled rows that does not teach.
    pub fn held_share(rows: usize) -> f64 {
        let rows = rows.max(1) as f64;
        (FEWEST / rows).clamp(SHARES[0], SHARES[1]).min(ENOUGH / rows)
    }

    /// Whether the rows of a group are held back, where this share is: it depends on the group and the seed alone.
    pub fn holds_back(&self, group: u64, share: f64) -> bool {
        share > 0.0 && side(group, self.validation.seed ^ HELD, &[share, 1.0 - share]) == 0
    }
}

/// The terms that rows in this mix keep.
pub(super) fn select(
    study: &Study,
    mix: ClassCounts,
    counts: PerClass<Vec<u32>>,
) -> Result<(Counted, Selection), FitError> {
    let counted = Counted::of_columns(&study.terms, mix.iter().sum());
    let selection = Selection::of_counts(&counted, mix, counts);
    check_kept(&selection, &counted)?;
    Ok((counted, selection))
}

/// What is known once the weights are.
pub(super) struct HeldBack<'s> {
    pub(super) study: &'s Study,
    pub(super) mix: ClassCounts,
    pub(super) strength: Option<f64>,
    pub(super) convergence: Convergence,
}

impl HeldBack<'_> {
    /// Settles weights by the rows that did not teach, which are in an order that does not depend on how they were read.
    pub(super) fn finish(
        self,
        (counted, selection): (Counted, Selection),
        (mut weights, intercepts): (Vec<f64>, [f64; 2]),
        rows: &[HeldScore],
    ) -> Result<StreamFit, FitError> {
        let Self { study, mix, strength, convergence } = self;
        let classes = Classes::of(mix);
        let layout = Layout::Ordered(classes);
        let needs = Needs { study, held: study.decision.learns() };
        let calibrated = needs.calibrated(layout, strength.map_or(Strength::Auto, Strength::Fixed));
        let judged = study.balance.judged(mix);
        let of_row = |(row, own): (usize, &HeldScore)| Held {
            row: row as u32,
            label: own.class,
            scores: intercepts.map(|intercept| intercept + own.score),
            leaning: own.leaning,
            cost: judged[own.class],
        };
        let mut held: Vec<Held> = rows.iter().enumerate().map(of_row).collect();
        let blend = match study.model.blends(study.terms.emphasis) {
            true => {
                let leanings = LazyCell::new(|| selection.leanings(&counted.rules));
                blended(&mut weights, &mut held, layout, &leanings)
            }
            false => Blend::default(),
        };
        let learnt = Learnt {
            layout,
            held: held.clone(),
            raw: Raw::Ordered { weights, intercepts },
            strength,
            choice: None,
            convergence,
            blend,
        };
        let groups: Vec<u64> = rows.iter().map(|row| row.group).collect();
        let settling = Settling { study, mix, calibrated, groups: &groups };
        let fit = settled(learnt, Arc::new(selection), &settling, None)?;
        let crossed = Crossed { study, classes, mix, calibrated };
        Ok(StreamFit { held_back: crossed.figures(&held, &groups, &fit.decision), counted, fit })
    }
}

/// Rows that are held back, judged each by what others say.
struct Crossed<'s> {
    study: &'s Study,
    classes: Classes,
    mix: ClassCounts,
    calibrated: Calibrate,
}

impl Crossed<'_> {
    fn figures(&self, held: &[Held], groups: &[u64], decision: &Decision) -> Option<Figures> {
        let half =
            |row: &Held| side(groups[row.row as usize], self.study.validation.seed ^ HALVES, &[1.0, 1.0]);
        let (one, other): (Vec<Held>, Vec<Held>) = held.iter().partition(|row| half(row) == 0);
        let places = [(&one, &other), (&other, &one)].map(|(judged, by)| self.places(judged, by));
        let [Some(first), Some(second)] = places else { return None };
        let rows: Vec<&Held> = one.iter().chain(&other).collect();
        let labels: Vec<Polarity> = rows.iter().map(|row| row.label).collect();
        let groups: Vec<u64> = rows.iter().map(|row| groups[row.row as usize]).collect();
        let verdicts: Vec<Verdict> =
            first.into_iter().chain(second).map(|place| decision.verdict(place)).collect();
        (!rows.is_empty()).then(|| Figures::under(&labels, &verdicts, &Dependence::of_groups(&groups)))
    }

    /// Where rows lie, as others bring scores to log-odds.
    fn places(&self, judged: &[Held], by: &[Held]) -> Option<Vec<Place>> {
        let correction = self.study.balance.correction(self.mix);
        let line = match self.calibrated {
            Calibrate::Isotonic => return None,
            Calibrate::Scale => Some(scale(&rows_of(by), self.classes)?),
            Calibrate::Auto | Calibrate::None => None,
        };
        let place = |row: &Held| {
            let scores = match line {
                Some(Scale { slope, intercepts }) => intercepts.map(|own| slope * row.centre() + own),
                None => row.scores,
            };
            let [low, high] = [0, 1].map(|border| scores[border] + correction[border]);
            Place::between((low + high) / 2.0, ((low - high) / 2.0).max(0.0))
        };
        Some(judged.iter().map(place).collect())
    }
}
