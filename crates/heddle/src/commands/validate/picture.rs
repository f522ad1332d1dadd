//! What cross-validation found, as a picture: recall against false alarms, recall against precision, what is found by
//! reading the most negative first, what was said against what was seen, what more reviews bring, and what is called what.

use heddle_core::Choice;
use heddle_core::labels::Polarity;
use heddle_core::measure::{Bin, CutPoint, Figure};
use heddle_core::validate::LearningCurve;

use crate::view::figures::{plain_with_interval, share, share_with_interval};
use crate::view::number;
use crate::view::picture::{
    Anchor, DARK, Frame, LIGHT, Lettering, MAIN, OFF, PALE, QUIET, Scene, from, text_width, tint, up_to,
};
use heddle_work::{Beside, Validated};

const WIDTH: f32 = 1180.0;
const HEIGHT: f32 = 1150.0;
const SIZE: f32 = 300.0;
/// Frames one under the other.
const ROWS: usize = 3;

/// Draws what was found.
pub fn scene(found: &Validated, beside: &Beside) -> Scene {
    let figures = &found.validation.figures;
    let title =
        format!("How {} reviews were judged by models that had not seen them", number(figures.accuracy.n));
    let mut scene = Scene::new(WIDTH as u32, HEIGHT as u32, title.clone());
    scene.text((36.0, 42.0), from(21.0, DARK), title);
    let line = format!(
        "accuracy {}, baseline {}; ROC area {}",
        share_with_interval(&figures.accuracy),
        share(&found.validation.baseline.accuracy),
        plain_with_interval(&figures.roc_area)
    );
    scene.text((36.0, 66.0), from(14.0, QUIET), line);
    let frame = |at: usize, title: &str| {
        let (column, row) = (at / ROWS, at % ROWS);
        let place = ([84.0, 680.0][column], 118.0 + 358.0 * row as f32);
        Frame::new(place, ([SIZE + 140.0, SIZE + 120.0][column], SIZE - 70.0), title)
    };
    let negative = found.account.names.of(Polarity::Negative);
    let positive = found.account.names.of(Polarity::Positive);
    let alarms = format!("{positive} reviews called {negative}");
    let title = format!("Reviews found that are {negative}, against false alarms");
    roc(&mut scene, &frame(0, &title), (&beside.cut_points, &alarms, negative));
    precision(
        &mut scene,
        &frame(1, &format!("Reviews found that are {negative}, against how many calls are right")),
        &beside.cut_points,
        found,
    );
    let title = format!("Reading the most {negative} first");
    read_first(&mut scene, &frame(2, &title), (&beside.cut_points, negative), found);
    believed(&mut scene, &frame(3, "Calibration: observed against predicted"), &beside.calibration);
    called(&mut scene, &frame(5, "What is called what"), found);
    let last = frame(4, "What it must beat: accuracy");
    match &beside.learning_curve {
        Some(learning_curve) => grown(
            &mut scene,
            &Frame { title: "Accuracy, by reviews learnt from".into(), ..last },
            learning_curve,
        ),
        None => baselines(&mut scene, &last, found, beside),
    }
    scene
}

fn roc(scene: &mut Scene, frame: &Frame, (points, alarms, negative): (&[CutPoint], &str, &str)) {
    frame.draw(scene, (alarms, &format!("{negative} found")));
    scene.path(&[frame.at((0.0, 0.0)), frame.at((1.0, 1.0))], 1.2, PALE);
    let curve: Vec<(f32, f32)> = points
        .iter()
        .filter_map(|point| Some(frame.at((point.false_alarms.value?, point.recall.value?))))
        .collect();
    scene.path(&curve, 2.4, MAIN);
    mark(scene, frame, points, Anchor::Start, |point| Some((point.false_alarms.value?, point.recall.value?)));
    let half = frame.at((0.62, 0.55));
    scene.text(half, from(12.0, QUIET), "by chance");
}

fn precision(scene: &mut Scene, frame: &Frame, points: &[CutPoint], found: &Validated) {
    let name = found.account.names.of(Polarity::Negative);
    frame.draw(scene, (&format!("{name} found"), "of those called, right"));
    let negative = negative_share(found);
    scene.path(&[frame.at((0.0, negative)), frame.at((1.0, negative))], 1.2, PALE);
    let below = frame.at((0.02, negative));
    scene.text((below.0, below.1 - 6.0), from(12.0, QUIET), "by chance");
    let curve: Vec<(f32, f32)> = points
        .iter()
        .filter_map(|point| Some(frame.at((point.recall.value?, point.precision.value?))))
        .collect();
    scene.path(&curve, 2.4, MAIN);
    mark(scene, frame, points, Anchor::End, |point| Some((point.recall.value?, point.precision.value?)));
}

fn negative_share(found: &Validated) -> f64 {
    found.validation.figures.confusion.share_of(Polarity::Negative)
}

/// The cuts of even probability, as knots on a curve.
fn mark(
    scene: &mut Scene,
    frame: &Frame,
    points: &[CutPoint],
    side: Anchor,
    place: impl Fn(&CutPoint) -> Option<(f64, f64)>,
) {
    for wanted in [0.25, 0.5, 0.75] {
        let off = |point: &&CutPoint| (point.probability.unwrap_or(f64::INFINITY) - wanted).abs();
        let nearest = points.iter().min_by(|a, b| off(a).total_cmp(&off(b)));
        let Some(at) = nearest.filter(|point| off(point) < 0.1).and_then(&place) else { continue };
        let (x, y) = frame.at(at);
        scene.rect((x - 4.0, y - 4.0), (8.0, 8.0), DARK);
        scene.text(
            (if side == Anchor::Start { x + 9.0 } else { x - 5.0 }, y + 17.0),
            Lettering { size: 12.0, anchor: side, ink: QUIET },
            format!("cut at {:.0} %", 100.0 * wanted),
        );
    }
}

fn believed(scene: &mut Scene, frame: &Frame, bins: &[Bin]) {
    frame.draw(scene, ("predicted", "observed"));
    scene.path(&[frame.at((0.0, 0.0)), frame.at((1.0, 1.0))], 1.2, PALE);
    for bin in bins {
        let Figure { value: Some(value), low: Some(low), high: Some(high), .. } = bin.observed else {
            continue;
        };
        let ink = if bin.off { OFF } else { MAIN };
        scene.path(&[frame.at((bin.predicted, low)), frame.at((bin.predicted, high))], 1.6, ink);
        let (x, y) = frame.at((bin.predicted, value));
        scene.rect((x - 4.0, y - 4.0), (8.0, 8.0), ink);
    }
    let off = bins.iter().filter(|bin| bin.off).count();
    let words = if off == 0 {
        "every group within noise of what was said".into()
    } else {
        format!("red: {off} of {} off by more than noise", bins.len())
    };
    let (x, y) = frame.at((0.36, 0.06));
    scene.text((x, y), from(12.0, QUIET), words);
}

/// What reading the most negative reviews first finds.
fn read_first(scene: &mut Scene, frame: &Frame, (points, negative): (&[CutPoint], &str), found: &Validated) {
    frame.draw(scene, ("reviews read", &format!("of the {negative}, found")));
    scene.path(&[frame.at((0.0, 0.0)), frame.at((1.0, 1.0))], 1.2, PALE);
    let base = negative_share(found);
    let read = |own: &CutPoint| {
        let (recall, alarms) = (own.recall.value?, own.false_alarms.value?);
        Some(frame.at((base * recall + (1.0 - base) * alarms, recall)))
    };
    let read = points.iter().filter_map(read);
    let ends = [frame.at((0.0, 0.0)), frame.at((1.0, 1.0))];
    let curve: Vec<(f32, f32)> = std::iter::once(ends[0]).chain(read).chain([ends[1]]).collect();
    scene.path(&curve, 2.4, MAIN);
    scene.text(frame.at((0.62, 0.55)), from(12.0, QUIET), "in any order");
}

/// The classes by what they are called: how many, and of each class how large a share.
fn called(scene: &mut Scene, frame: &Frame, found: &Validated) {
    const ROW: f32 = 34.0;
    let (confusion, names) = (&found.validation.figures.confusion, &found.account.names);
    let classes = &confusion.classes;
    let (left, top) = frame.origin;
    scene.text((left, top - 12.0), from(15.0, DARK), &frame.title);
    // Names stand left of the cells, which share the rest.
    let beside = classes.iter().map(|class| text_width(names.of(*class), 13.0)).fold(60.0, f32::max) + 14.0;
    let cell = (frame.size.0 - beside - 40.0) / classes.len() as f32;
    let height = (frame.size.1 - ROW) / classes.len() as f32;
    let centre = |at: usize| left + beside + cell * (at as f32 + 0.5);
    for (at, class) in classes.iter().enumerate() {
        let middle = Lettering { size: 13.0, anchor: Anchor::Middle, ink: QUIET };
        scene.text((centre(at), top + 16.0), middle, format!("called {}", names.of(*class)));
    }
    for (row, (class, counts)) in classes.iter().zip(&confusion.counts).enumerate() {
        let y = top + ROW + height * row as f32;
        let all = counts.iter().sum::<usize>().max(1);
        let name = names.of(*class);
        scene.text((left + beside - 12.0, y + height / 2.0 + 5.0), up_to(13.0, DARK), name);
        for (at, count) in counts.iter().enumerate() {
            let share = *count as f64 / all as f64;
            let place = (left + beside + cell * at as f32 + 2.0, y + 2.0);
            scene.rect(place, (cell - 4.0, height - 4.0), tint(if at == row { MAIN } else { OFF }, share));
            let ink = if share > 0.55 { LIGHT } else { DARK };
            let middle = |size| Lettering { size, anchor: Anchor::Middle, ink };
            scene.text((centre(at), y + height / 2.0 - 2.0), middle(16.0), number(*count));
            let told = format!("{:.1} %", 100.0 * share);
            scene.text((centre(at), y + height / 2.0 + 16.0), middle(12.0), told);
        }
    }
    let foot = (left + frame.size.0 - 40.0, top + frame.size.1 + 18.0);
    scene.text(foot, up_to(12.0, QUIET), "a row: the reviews of a class, and what they are called");
}

fn grown(scene: &mut Scene, frame: &Frame, learning_curve: &LearningCurve) {
    let ends =
        learning_curve.points.iter().flat_map(|point| [point.accuracy.low, point.accuracy.high]).flatten();
    let low = ends.clone().fold(1.0, f64::min).min(0.99);
    let high = ends.fold(0.0, f64::max);
    let (low, high) = ((low * 20.0).floor() / 20.0, (high * 20.0).ceil() / 20.0);
    let place = |at: usize, value: f64| {
        (0.08 + 0.84 * at as f64 / (learning_curve.points.len() - 1) as f64, (value - low) / (high - low))
    };
    frame.draw_scaled(scene, ("reviews learnt from", "accuracy"), (low, high));
    let mut way = Vec::new();
    for (at, point) in learning_curve.points.iter().enumerate() {
        let Figure { value: Some(value), low: Some(least), high: Some(most), .. } = point.accuracy else {
            continue;
        };
        scene.path(&[frame.at(place(at, least)), frame.at(place(at, most))], 1.6, MAIN);
        let (x, y) = frame.at(place(at, value));
        scene.rect((x - 4.0, y - 4.0), (8.0, 8.0), MAIN);
        let foot = frame.at((place(at, low).0, 0.0));
        scene.text((foot.0 + 12.0, foot.1 + 16.0), up_to(12.0, QUIET), number(point.reviews));
        way.push((x, y));
    }
    scene.path(&way, 2.0, MAIN);
}

fn baselines(scene: &mut Scene, frame: &Frame, found: &Validated, beside: &Beside) {
    let ours = ("this study", &found.validation.figures);
    let others = beside.baselines.iter().rev().map(|baseline| (baseline.kind.name(), &baseline.figures));
    let all: Vec<_> =
        [ours].into_iter().chain(others).chain([("majority", &found.validation.baseline)]).collect();
    scene.text((frame.origin.0, frame.origin.1 - 12.0), from(15.0, DARK), frame.title.clone());
    let step = frame.size.1 / all.len() as f32;
    let (left, room) = (frame.origin.0 + 120.0, frame.size.0 - 190.0);
    for (at, (name, figures)) in all.into_iter().enumerate() {
        let y = frame.origin.1 + step * at as f32 + 6.0;
        let Some(value) = figures.accuracy.value else { continue };
        scene.text((left - 10.0, y + 18.0), up_to(13.0, DARK), name);
        scene.rect((left, y), (room * value as f32, 26.0), if at == 0 { MAIN } else { PALE });
        let label = format!("{:.1} %", 100.0 * value);
        scene.text((left + room * value as f32 + 8.0, y + 18.0), from(13.0, QUIET), label);
    }
}
