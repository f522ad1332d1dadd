//! Pictures: one scene, drawn as SVG or as PNG.

pub mod effects;
pub mod overview;
pub mod themes;
pub mod words;

use std::fmt::Write;
use std::sync::LazyLock;

use ab_glyph::{Font, FontRef, OutlineCurve};
use anyhow::{Context, bail};
use heddle_core::labels::Polarity;
use heddle_files::{Outputs, Role};
use tiny_skia::{Color, FillRule, LineJoin, Paint, PathBuilder, Pixmap, Rect, Stroke, Transform};

use super::shown::visible;

/// The letters of every picture; `font/LICENSE` tells where they come from.
const FONT: &[u8] = include_bytes!("../font/DejaVuSans-Latin.ttf");
static LETTERS: LazyLock<FontRef<'static>> =
    LazyLock::new(|| FontRef::try_from_slice(FONT).expect("the font that comes along is sound"));

/// A colour: red, green, blue.
pub type Ink = [u8; 3];
/// Text.
pub const DARK: Ink = [38, 38, 44];
/// Text beside the matter.
pub const QUIET: Ink = [110, 110, 120];
/// What is kept or counts.
pub const MAIN: Ink = [33, 110, 122];
/// What speaks for displeasure.
pub const NEGATIVE: Ink = [122, 76, 186];
/// What speaks for satisfaction.
pub const POSITIVE: Ink = [176, 122, 18];
/// What is off by more than noise.
pub const OFF: Ink = [176, 48, 42];
/// What is left out.
pub const PALE: Ink = [204, 208, 212];
/// Text on a dark ground.
pub const LIGHT: Ink = PAPER;
const PAPER: Ink = [253, 252, 250];
/// The ground of a curve.
const FIELD: Ink = [241, 241, 238];

/// Where a text stands to its point.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Anchor {
    Start,
    Middle,
    End,
}

#[derive(Debug, Clone)]
enum Shape {
    Box { x: f32, y: f32, width: f32, height: f32, ink: Ink },
    Path { points: Vec<(f32, f32)>, width: f32, ink: Ink },
    Text { x: f32, y: f32, lettering: Lettering, text: String },
}

/// How a text is written.
#[derive(Debug, Clone, Copy)]
pub struct Lettering {
    /// The em, in pixels.
    pub size: f32,
    /// Which end stands at the point.
    pub anchor: Anchor,
    /// The colour.
    pub ink: Ink,
}

/// Lettering of a size that begins at its point.
pub const fn from(size: f32, ink: Ink) -> Lettering {
    Lettering { size, anchor: Anchor::Start, ink }
}

/// Lettering of a size that ends at its point.
pub const fn up_to(size: f32, ink: Ink) -> Lettering {
    Lettering { size, anchor: Anchor::End, ink }
}

/// A picture of boxes, lines and texts, in pixels from the upper left corner.
#[derive(Debug, Clone)]
pub struct Scene {
    width: u32,
    height: u32,
    about: String,
    shapes: Vec<Shape>,
}

impl Scene {
    /// An empty picture; `about` says what it shows to those who cannot see it.
    pub fn new(width: u32, height: u32, about: impl Into<String>) -> Self {
        Self { width, height, about: visible(&about.into()).replace('\n', " "), shapes: Vec::new() }
    }

    /// A filled box.
    pub fn rect(&mut self, (x, y): (f32, f32), (width, height): (f32, f32), ink: Ink) {
        self.shapes.push(Shape::Box { x, y, width, height, ink });
    }

    /// The ground of curves.
    pub fn field(&mut self, place: (f32, f32), size: (f32, f32)) {
        self.rect(place, size, FIELD);
    }

    /// A line across the ground of curves.
    pub fn grid(&mut self, points: &[(f32, f32)]) {
        self.path(points, 1.0, PAPER);
    }

    /// A line through points.
    pub fn path(&mut self, points: &[(f32, f32)], width: f32, ink: Ink) {
        self.shapes.push(Shape::Path { points: points.to_vec(), width, ink });
    }

    /// A line of text; `y` is where the letters stand. Signs that cannot be seen are shown as escapes.
    pub fn text(&mut self, (x, y): (f32, f32), lettering: Lettering, text: impl AsRef<str>) {
        self.shapes.push(Shape::Text { x, y, lettering, text: visible(text.as_ref()).replace('\n', " ") });
    }

    /// Writes the picture in the format that the ending names.
    ///
    /// # Errors
    /// If the ending is neither .svg nor .png, or the file cannot be written.
    pub fn write(&self, outputs: &Outputs, path: &str) -> anyhow::Result<()> {
        let bytes = match path.rsplit_once('.') {
            Some((_, "svg")) => self.to_svg().into_bytes(),
            Some((_, "png")) => self.to_png()?,
            _ => bail!("{path}: expected a picture that ends in .svg or .png"),
        };
        outputs.plan_once(Role::Picture, path)?;
        outputs.write(path, &bytes)?;
        Ok(())
    }

    /// The picture as SVG.
    pub fn to_svg(&self) -> String {
        let Self { width, height, .. } = self;
        let mut svg = format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" \
             viewBox=\"0 0 {width} {height}\" role=\"img\" font-family=\"DejaVu Sans, Verdana, sans-serif\">\n\
             <title>{}</title>\n<rect width=\"100%\" height=\"100%\" fill=\"{}\"/>\n",
            escaped(&self.about),
            hex(PAPER)
        );
        for shape in &self.shapes {
            // Writing to a string cannot fail.
            let _ = match shape {
                Shape::Box { x, y, width, height, ink } => writeln!(
                    svg,
                    "<rect x=\"{x:.1}\" y=\"{y:.1}\" width=\"{width:.1}\" height=\"{height:.1}\" fill=\"{}\"/>",
                    hex(*ink)
                ),
                Shape::Path { points, width, ink } => {
                    let points: Vec<String> = points.iter().map(|(x, y)| format!("{x:.1},{y:.1}")).collect();
                    writeln!(
                        svg,
                        "<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"{width}\" stroke-linejoin=\"round\"/>",
                        points.join(" "),
                        hex(*ink)
                    )
                }
                Shape::Text { x, y, lettering: Lettering { size, anchor, ink }, text } => writeln!(
                    svg,
                    "<text x=\"{x:.1}\" y=\"{y:.1}\" font-size=\"{size}\" text-anchor=\"{}\" fill=\"{}\">{}</text>",
                    match anchor {
                        Anchor::Start => "start",
                        Anchor::Middle => "middle",
                        Anchor::End => "end",
                    },
                    hex(*ink),
                    escaped(text)
                ),
            };
        }
        svg.push_str("</svg>\n");
        svg
    }

    /// The picture as PNG.
    ///
    /// # Errors
    /// If it has no size.
    pub fn to_png(&self) -> anyhow::Result<Vec<u8>> {
        let mut pixels = Pixmap::new(self.width, self.height).context("a picture without size")?;
        pixels.fill(colour(PAPER));
        for shape in &self.shapes {
            match shape {
                Shape::Box { x, y, width, height, ink } => {
                    if let Some(rect) = Rect::from_xywh(*x, *y, *width, *height) {
                        pixels.fill_rect(rect, &paint(*ink), Transform::identity(), None);
                    }
                }
                Shape::Path { points, width, ink } => put_path(&mut pixels, points, *width, *ink),
                Shape::Text { x, y, lettering, text } => {
                    put_text(&mut pixels, (*x, *y), *lettering, text);
                }
            }
        }
        Ok(pixels.encode_png()?)
    }
}

fn put_path(pixels: &mut Pixmap, points: &[(f32, f32)], width: f32, ink: Ink) {
    let mut path = PathBuilder::new();
    for (at, &(x, y)) in points.iter().enumerate() {
        if at == 0 { path.move_to(x, y) } else { path.line_to(x, y) }
    }
    if let Some(path) = path.finish() {
        let stroke = Stroke { width, line_join: LineJoin::Round, ..Stroke::default() };
        pixels.stroke_path(&path, &paint(ink), &stroke, Transform::identity(), None);
    }
}

/// A field with a scale from 0 to 1 on both sides, in which curves are drawn.
#[derive(Debug, Clone)]
pub struct Frame {
    /// The upper left corner.
    pub origin: (f32, f32),
    /// Width and height.
    pub size: (f32, f32),
    pub title: String,
}

impl Frame {
    pub fn new(origin: (f32, f32), size: (f32, f32), title: &str) -> Self {
        Self { origin, size, title: title.into() }
    }

    /// Where a point of the unit square lies.
    pub fn at(&self, (x, y): (f64, f64)) -> (f32, f32) {
        (self.origin.0 + self.size.0 * x as f32, self.origin.1 + self.size.1 * (1.0 - y as f32))
    }

    /// Draws title, scales in percent and their names; the scale across first.
    pub fn draw(&self, scene: &mut Scene, names: (&str, &str)) {
        for step in 0..=4 {
            let share = f64::from(step) / 4.0;
            let (x, y) = self.at((share, 0.0));
            scene.text(
                (x, y + 16.0),
                Lettering { size: 12.0, anchor: Anchor::Middle, ink: QUIET },
                format!("{:.0} %", 100.0 * share),
            );
        }
        self.draw_scaled(scene, names, (0.0, 1.0));
    }

    /// As [`draw`](Self::draw), with another scale upwards and none across.
    pub fn draw_scaled(&self, scene: &mut Scene, names: (&str, &str), (low, high): (f64, f64)) {
        let ((left, top), (width, height)) = (self.origin, self.size);
        scene.text((left, top - 12.0), from(15.0, DARK), self.title.clone());
        scene.field((left, top), (width, height));
        for step in 0..=4 {
            let share = f64::from(step) / 4.0;
            let (_, y) = self.at((0.0, share));
            scene.grid(&[(left, y), (left + width, y)]);
            let label = format!("{:.1}", 100.0 * (low + share * (high - low)));
            let label = format!("{} %", label.trim_end_matches(".0"));
            scene.text((left - 8.0, y + 4.0), up_to(12.0, QUIET), label);
        }
        scene.text((left + width, top + height + 32.0), up_to(12.0, QUIET), format!("{} →", names.0));
        scene.text((left, top + height + 32.0), from(12.0, QUIET), format!("↑ {}", names.1));
    }
}

/// The colour of a class, the same in every picture.
pub fn ink_of(class: Polarity) -> Ink {
    match class {
        Polarity::Negative => NEGATIVE,
        Polarity::Neutral => QUIET,
        Polarity::Positive => POSITIVE,
    }
}

/// A colour, so much of it on paper.
pub fn tint(ink: Ink, share: f64) -> Ink {
    let mixed = |at: usize| f64::from(PAPER[at]) + share * (f64::from(ink[at]) - f64::from(PAPER[at]));
    [mixed(0), mixed(1), mixed(2)].map(|part| part.round() as u8)
}

fn hex([red, green, blue]: Ink) -> String {
    format!("#{red:02x}{green:02x}{blue:02x}")
}

fn colour([red, green, blue]: Ink) -> Color {
    Color::from_rgba8(red, green, blue, 255)
}

fn paint(ink: Ink) -> Paint<'static> {
    let mut paint = Paint::default();
    paint.set_color(colour(ink));
    paint
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// Draws the outlines of letters, one after the other.
fn put_text(pixels: &mut Pixmap, (x, y): (f32, f32), lettering: Lettering, text: &str) {
    let Lettering { size, anchor, ink } = lettering;
    let font = &*LETTERS;
    let factor = size / units_of_em();
    let width = text_width(text, size);
    let mut at = match anchor {
        Anchor::Start => x,
        Anchor::Middle => x - width / 2.0,
        Anchor::End => x - width,
    };
    let mut path = PathBuilder::new();
    for char in text.chars() {
        let glyph = font.glyph_id(char);
        if let Some(outline) = font.outline(glyph) {
            let place = |point: ab_glyph::Point| (at + point.x * factor, y - point.y * factor);
            let mut last = None;
            for curve in outline.curves {
                let (from, to) = ends(&curve);
                if last != Some(from) {
                    let (x, y) = place(from);
                    path.move_to(x, y);
                }
                let (x, y) = place(to);
                match curve {
                    OutlineCurve::Line(..) => path.line_to(x, y),
                    OutlineCurve::Quad(_, bend, _) => {
                        let (bx, by) = place(bend);
                        path.quad_to(bx, by, x, y);
                    }
                    OutlineCurve::Cubic(_, one, other, _) => {
                        let ((ax, ay), (bx, by)) = (place(one), place(other));
                        path.cubic_to(ax, ay, bx, by, x, y);
                    }
                }
                last = Some(to);
            }
        }
        at += factor * font.h_advance_unscaled(glyph);
    }
    if let Some(path) = path.finish() {
        pixels.fill_path(&path, &paint(ink), FillRule::Winding, Transform::identity(), None);
    }
}

/// How wide a text is in the letters of pictures, in pixels.
pub fn text_width(text: &str, size: f32) -> f32 {
    let advance = |char: char| LETTERS.h_advance_unscaled(LETTERS.glyph_id(char));
    visible(text).chars().map(advance).sum::<f32>() * size / units_of_em()
}

fn units_of_em() -> f32 {
    LETTERS.units_per_em().unwrap_or(2048.0)
}

fn ends(curve: &OutlineCurve) -> (ab_glyph::Point, ab_glyph::Point) {
    match curve {
        OutlineCurve::Line(from, to)
        | OutlineCurve::Quad(from, _, to)
        | OutlineCurve::Cubic(from, _, _, to) => (*from, *to),
    }
}
