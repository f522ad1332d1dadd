//! What to expect of a model, in counts and plain words.

use heddle_core::labels::ClassNames;
use heddle_core::measure::{ClassFigures, Figure, Figures};

use super::{DARK, Ink, PALE, QUIET, Scene, from, ink_of};
use crate::view::number;

const WIDTH: f32 = 1180.0;
const TOP: f32 = 130.0;
/// The squares of a class, each a review of a hundred: how many stand in a line, and from one to the next.
const ACROSS: usize = 20;
const STEP: f32 = 19.0;
const SQUARE: f32 = 15.0;
/// From one class to the next.
const BLOCK: f32 = 166.0;
/// Where sentences begin.
const SAID: f32 = 460.0;

/// Of a hundred reviews of each class, how many are found; and how far a call can be believed.
pub fn scene(figures: &Figures, baseline: &Figure, names: &ClassNames, judged: &str) -> Scene {
    let right = of_hundred(&figures.accuracy);
    let title = format!("Of 100 reviews, about {right} are called as their customers rated them");
    let height = TOP + BLOCK * figures.classes.len() as f32 + 40.0;
    let mut scene = Scene::new(WIDTH as u32, height as u32, about(figures, names, &title));
    scene.text((36.0, 46.0), from(23.0, DARK), &title);
    let beside = format!(
        "{} with 95 % confidence. Calling all reviews the same would be right for {}. {judged}",
        between(&figures.accuracy),
        of_hundred(baseline)
    );
    scene.text((36.0, 76.0), from(14.0, QUIET), beside);
    let mut y = TOP;
    for own in &figures.classes {
        put_class(&mut scene, own, figures, names, y);
        y += BLOCK;
    }
    let foot =
        "A square is one review of a hundred: full where it is found, pale where it is called another class.";
    scene.text((36.0, height - 20.0), from(12.0, QUIET), foot);
    scene
}

fn put_class(scene: &mut Scene, own: &ClassFigures, figures: &Figures, names: &ClassNames, top: f32) {
    let name = names.of(own.class);
    let found = hundred(&own.recall);
    scene.text((36.0, top), from(17.0, DARK), format!("{} {name}", crate::view::sign_of(own.class)));
    for at in 0..100 {
        let (x, y) = ((at % ACROSS) as f32 * STEP, (at / ACROSS) as f32 * STEP);
        let ink = if at < found { ink_of(own.class) } else { PALE };
        scene.rect((36.0 + x, top + 16.0 + y), (SQUARE, SQUARE), ink);
    }
    let mut said = |line: usize, size: f32, ink: Ink, text: String| {
        scene.text((SAID, top + 32.0 + 27.0 * line as f32), from(size, ink), text);
    };
    let found = of_hundred(&own.recall);
    said(
        0,
        17.0,
        DARK,
        format!("Of 100 reviews that are {name}, {found} are found ({}).", between(&own.recall)),
    );
    let right = of_hundred(&own.precision);
    match own.precision.value {
        Some(_) => said(
            1,
            17.0,
            DARK,
            format!("Of 100 that are called {name}, {right} are ({}).", between(&own.precision)),
        ),
        None => said(1, 17.0, DARK, format!("No review is called {name}.")),
    }
    let (of, all) = (figures.confusion.of(own.class), figures.confusion.total());
    said(2, 14.0, QUIET, format!("Seen in {} of {} reviews.", number(of), number(all)));
}

/// What it shows, in words.
fn about(figures: &Figures, names: &ClassNames, title: &str) -> String {
    let one = |own: &ClassFigures| {
        format!("of 100 {} reviews, {} are found", names.of(own.class), of_hundred(&own.recall))
    };
    let classes: Vec<String> = figures.classes.iter().map(one).collect();
    format!("{title}; {}", classes.join("; "))
}

fn hundred(figure: &Figure) -> usize {
    figure.value.map_or(0, |value| (100.0 * value).round() as usize)
}

fn of_hundred(figure: &Figure) -> String {
    figure.value.map_or("none".into(), |_| hundred(figure).to_string())
}

/// The ends of an interval, of a hundred, the outer whole numbers.
fn between(figure: &Figure) -> String {
    match (figure.low, figure.high) {
        (Some(low), Some(high)) => {
            format!("{} to {}", (100.0 * low).floor().max(0.0), (100.0 * high).ceil().min(100.0))
        }
        _ => "no interval".into(),
    }
}
