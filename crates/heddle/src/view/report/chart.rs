//! Curves of a report: as SVG whose colours follow those of the page, or as a picture of their own.

use maud::{Markup, html};

use crate::view::picture::{Anchor, DARK, Lettering, MAIN, PALE, QUIET, Scene, from, up_to};

const SIZE: f64 = 300.0;
const LEFT: f64 = 56.0;
const TOP: f64 = 10.0;
const BELOW: f64 = 44.0;

/// A chart on the unit square.
pub struct Chart {
    /// What it is called as a file.
    pub name: &'static str,
    pub title: String,
    pub across: Scale,
    pub upwards: Scale,
    /// The curve.
    pub curve: Vec<(f64, f64)>,
    /// Points with the ends of their intervals.
    pub points: Vec<(f64, f64, f64, f64)>,
    /// What chance gives.
    pub by_chance: Vec<(f64, f64)>,
    /// What it shows, to those who cannot see it.
    pub about: String,
}

/// A scale of a chart.
pub struct Scale {
    pub name: String,
    /// Where ticks stand from 0 to 1, and what they say.
    pub ticks: Vec<(f64, String)>,
}

impl Scale {
    /// From 0 to 100 %.
    pub fn share(name: impl Into<String>) -> Self {
        Self::between(name, (0.0, 1.0))
    }

    /// Shares between two of them, of which the lower stands at 0 and the higher at 1.
    pub fn between(name: impl Into<String>, (low, high): (f64, f64)) -> Self {
        let tick = |step: u32| {
            let place = f64::from(step) / 4.0;
            let label = format!("{:.1}", 100.0 * (low + place * (high - low)));
            (place, format!("{} %", label.trim_end_matches(".0")))
        };
        Self { name: name.into(), ticks: (0..=4).map(tick).collect() }
    }
}

fn at((x, y): (f64, f64)) -> (f64, f64) {
    (LEFT + SIZE * x, TOP + SIZE * (1.0 - y))
}

/// A text that begins with a capital letter.
fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
}

fn path(points: &[(f64, f64)]) -> String {
    let steps: Vec<String> = points
        .iter()
        .map(|point| {
            let (x, y) = at(*point);
            format!("{x:.1},{y:.1}")
        })
        .collect();
    steps.join(" ")
}

impl Chart {
    /// The chart as a figure with its title.
    pub fn to_html(&self) -> Markup {
        let (width, height) = (LEFT + SIZE + 26.0, TOP + SIZE + BELOW);
        html! {
            figure.chart {
                figcaption { (capitalised(&self.title)) }
                svg viewBox=(format!("0 0 {width} {height}")) role="img" aria-label=(self.about) {
                    rect.field x=(LEFT) y=(TOP) width=(SIZE) height=(SIZE) {}
                    @for (place, label) in &self.upwards.ticks {
                        @let (_, y) = at((0.0, *place));
                        line.grid x1=(LEFT) y1=(y) x2=(LEFT + SIZE) y2=(y) {}
                        text.tick x=(LEFT - 8.0) y=(y + 4.0) text-anchor="end" { (label) }
                    }
                    @for (place, label) in &self.across.ticks {
                        text.tick x=(at((*place, 0.0)).0) y=(TOP + SIZE + 18.0) text-anchor="middle" { (label) }
                    }
                    text.scale x=(LEFT + SIZE / 2.0) y=(TOP + SIZE + 38.0) text-anchor="middle" { (self.across.name) }
                    text.scale text-anchor="middle" transform=(format!("translate(14 {}) rotate(-90)", TOP + SIZE / 2.0)) {
                        (self.upwards.name)
                    }
                    polyline.chance points=(path(&self.by_chance)) {}
                    polyline.curve points=(path(&self.curve)) {}
                    @for (x, y, low, high) in &self.points {
                        @let ((px, py), (_, from), (_, to)) = (at((*x, *y)), at((*x, *low)), at((*x, *high)));
                        line.whisker x1=(px) y1=(from) x2=(px) y2=(to) {}
                        circle.point cx=(px) cy=(py) r="4" {}
                    }
                }
            }
        }
    }

    /// The chart as a picture of its own.
    pub fn to_scene(&self) -> Scene {
        const SIDE: f32 = 480.0;
        const CORNER: (f32, f32) = (92.0, 84.0);
        let at = |(x, y): (f64, f64)| (CORNER.0 + SIDE * x as f32, CORNER.1 + SIDE * (1.0 - y as f32));
        let all = |points: &[(f64, f64)]| points.iter().map(|point| at(*point)).collect::<Vec<_>>();
        let mut scene = Scene::new(640, 660, self.about.clone());
        scene.text((36.0, 40.0), from(19.0, DARK), capitalised(&self.title));
        scene.field(CORNER, (SIDE, SIDE));
        for (place, label) in &self.upwards.ticks {
            let (_, y) = at((0.0, *place));
            scene.grid(&[(CORNER.0, y), (CORNER.0 + SIDE, y)]);
            scene.text((CORNER.0 - 10.0, y + 5.0), up_to(13.0, QUIET), label);
        }
        let centred = Lettering { size: 13.0, anchor: Anchor::Middle, ink: QUIET };
        for (place, label) in &self.across.ticks {
            scene.text((at((*place, 0.0)).0, CORNER.1 + SIDE + 22.0), centred, label);
        }
        scene.text((CORNER.0, CORNER.1 - 14.0), from(13.0, QUIET), format!("↑ {}", self.upwards.name));
        let below = (CORNER.0 + SIDE, CORNER.1 + SIDE + 48.0);
        scene.text(below, up_to(13.0, QUIET), format!("{} →", self.across.name));
        scene.path(&all(&self.by_chance), 1.4, PALE);
        scene.path(&all(&self.curve), 2.8, MAIN);
        for (x, y, low, high) in &self.points {
            scene.path(&[at((*x, *low)), at((*x, *high))], 1.8, MAIN);
            let (x, y) = at((*x, *y));
            scene.rect((x - 4.5, y - 4.5), (9.0, 9.0), MAIN);
        }
        scene
    }
}
