//! Curves of a report, as SVG whose colours follow those of the page.

use maud::{Markup, PreEscaped, html};

const SIZE: f64 = 300.0;
const LEFT: f64 = 56.0;
const TOP: f64 = 10.0;
const BELOW: f64 = 44.0;

/// A chart on the unit square.
pub struct Chart {
    pub title: String,
    /// What the scales are: across and upwards.
    pub scales: [String; 2],
    /// The curve.
    pub curve: Vec<(f64, f64)>,
    /// Points with the ends of their intervals.
    pub points: Vec<(f64, f64, f64, f64)>,
    /// What chance gives.
    pub by_chance: Vec<(f64, f64)>,
    /// What it shows, to those who cannot see it.
    pub about: String,
}

fn at((x, y): (f64, f64)) -> (f64, f64) {
    (LEFT + SIZE * x, TOP + SIZE * (1.0 - y))
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
                figcaption { (self.title) }
                svg viewBox=(format!("0 0 {width} {height}")) role="img" aria-label=(self.about) {
                    rect.field x=(LEFT) y=(TOP) width=(SIZE) height=(SIZE) {}
                    @for step in 0..=4 {
                        @let share = f64::from(step) / 4.0;
                        @let (x, y) = at((share, share));
                        line.grid x1=(LEFT) y1=(y) x2=(LEFT + SIZE) y2=(y) {}
                        text.tick x=(LEFT - 8.0) y=(y + 4.0) text-anchor="end" { (format!("{:.0} %", 100.0 * share)) }
                        text.tick x=(x) y=(TOP + SIZE + 18.0) text-anchor="middle" { (format!("{:.0} %", 100.0 * share)) }
                    }
                    text.scale x=(LEFT + SIZE / 2.0) y=(TOP + SIZE + 38.0) text-anchor="middle" { (self.scales[0]) }
                    text.scale text-anchor="middle" transform=(format!("translate(14 {}) rotate(-90)", TOP + SIZE / 2.0)) {
                        (self.scales[1])
                    }
                    polyline.chance points=(path(&self.by_chance)) {}
                    polyline.curve points=(path(&self.curve)) {}
                    @for (x, y, low, high) in &self.points {
                        @let ((px, py), (_, from), (_, to)) = (at((*x, *y)), at((*x, *low)), at((*x, *high)));
                        line.whisker x1=(px) y1=(from) x2=(px) y2=(to) {}
                        circle.point cx=(px) cy=(py) r="4" {}
                    }
                    (PreEscaped(""))
                }
            }
        }
    }
}
