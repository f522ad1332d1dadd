//! Pictures: one scene, drawn as SVG or as PNG.

use std::fmt::Write;

use ab_glyph::{Font, FontRef, OutlineCurve, ScaleFont};
use anyhow::{Context, bail};
use heddle_files::write;
use tiny_skia::{Color, FillRule, Paint, PathBuilder, Pixmap, Rect, Transform};

/// The letters of every picture; `font/LICENSE` tells where they come from.
const FONT: &[u8] = include_bytes!("font/DejaVuSans-Latin.ttf");

/// A colour: red, green, blue.
pub type Ink = [u8; 3];
/// Text.
pub const DARK: Ink = [38, 38, 44];
/// Text beside the matter.
pub const QUIET: Ink = [110, 110, 120];
/// What is kept or counts.
pub const MAIN: Ink = [33, 110, 122];
/// What is left out.
pub const PALE: Ink = [204, 208, 212];
const PAPER: Ink = [253, 252, 250];

/// Where a text stands to its point.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Anchor {
    Start,
    End,
}

#[derive(Debug, Clone)]
enum Shape {
    Box { x: f32, y: f32, width: f32, height: f32, ink: Ink },
    Text { x: f32, y: f32, size: f32, anchor: Anchor, ink: Ink, text: String },
}

/// A picture of boxes and texts, in pixels from the upper left corner.
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
        Self { width, height, about: about.into(), shapes: Vec::new() }
    }

    /// A filled box.
    pub fn rect(&mut self, (x, y): (f32, f32), (width, height): (f32, f32), ink: Ink) {
        self.shapes.push(Shape::Box { x, y, width, height, ink });
    }

    /// A line of text; `y` is where the letters stand.
    pub fn text(&mut self, (x, y): (f32, f32), size: f32, anchor: Anchor, ink: Ink, text: impl Into<String>) {
        self.shapes.push(Shape::Text { x, y, size, anchor, ink, text: text.into() });
    }

    /// Writes the picture in the format that the ending names.
    ///
    /// # Errors
    /// If the ending is neither .svg nor .png, or the file cannot be written.
    pub fn write(&self, path: &str) -> anyhow::Result<()> {
        let bytes = match path.rsplit_once('.') {
            Some((_, "svg")) => self.to_svg().into_bytes(),
            Some((_, "png")) => self.to_png()?,
            _ => bail!("{path}: expected a picture that ends in .svg or .png"),
        };
        Ok(write(path, &bytes)?)
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
                Shape::Text { x, y, size, anchor, ink, text } => writeln!(
                    svg,
                    "<text x=\"{x:.1}\" y=\"{y:.1}\" font-size=\"{size}\" text-anchor=\"{}\" fill=\"{}\">{}</text>",
                    match anchor {
                        Anchor::Start => "start",
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
        let font = FontRef::try_from_slice(FONT).context("the font of pictures is damaged")?;
        for shape in &self.shapes {
            match shape {
                Shape::Box { x, y, width, height, ink } => {
                    if let Some(rect) = Rect::from_xywh(*x, *y, *width, *height) {
                        pixels.fill_rect(rect, &paint(*ink), Transform::identity(), None);
                    }
                }
                Shape::Text { x, y, size, anchor, ink, text } => {
                    put_text(&mut pixels, &font, (*x, *y), *size, *anchor, *ink, text);
                }
            }
        }
        Ok(pixels.encode_png()?)
    }
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
fn put_text(
    pixels: &mut Pixmap,
    font: &FontRef<'_>,
    (x, y): (f32, f32),
    size: f32,
    anchor: Anchor,
    ink: Ink,
    text: &str,
) {
    let units = font.units_per_em().unwrap_or(2048.0);
    // `size` is that of the em, as in SVG; the font's own scale is its height.
    let scaled = font.as_scaled(size * font.height_unscaled() / units);
    let width: f32 = text.chars().map(|char| scaled.h_advance(font.glyph_id(char))).sum();
    let mut at = if anchor == Anchor::End { x - width } else { x };
    let factor = size / units;
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
        at += scaled.h_advance(glyph);
    }
    if let Some(path) = path.finish() {
        pixels.fill_path(&path, &paint(ink), FillRule::Winding, Transform::identity(), None);
    }
}

fn ends(curve: &OutlineCurve) -> (ab_glyph::Point, ab_glyph::Point) {
    match curve {
        OutlineCurve::Line(from, to)
        | OutlineCurve::Quad(from, _, to)
        | OutlineCurve::Cubic(from, _, _, to) => (*from, *to),
    }
}
