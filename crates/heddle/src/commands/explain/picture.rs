//! Reading lines as a picture.

use heddle_core::labels::Polarity;
use heddle_work::Explained;

use crate::view::picture::{DARK, Ink, PALE, QUIET, Scene, from, ink_of, text_width, up_to};
use crate::view::report::{Clause, LEAST_SPAN, Manner, Piece, Reading, readings};
use crate::view::with_sign;

const WIDTH: f32 = 1180.0;
const LEFT: f32 = 36.0;
const TOP: f32 = 116.0;
/// Clauses have so much room; what they add stands right of it, then the track, then the total after them.
const ROOM: f32 = 640.0;
const ADDS: f32 = 770.0;
const TRACK: (f32, f32) = (800.0, 1060.0);
const TOTAL: f32 = 1144.0;
/// The em of what is read, and from one of its lines to the next.
const SIZE: f32 = 16.0;
const STEP: f32 = 25.0;
/// Between clauses, and between reviews.
const APART: f32 = 7.0;
const BETWEEN: f32 = 38.0;

/// The reading line of each review, one under the other.
pub fn scene(found: &Explained) -> Scene {
    let readings = readings(found);
    let wrapped: Vec<Vec<Vec<Line>>> =
        readings.iter().map(|reading| reading.clauses.iter().map(lines).collect()).collect();
    let lines = |clauses: &Vec<Vec<Line>>| {
        clauses.iter().map(|lines| STEP * lines.len() as f32 + APART).sum::<f32>()
            + 2.0 * STEP
            + BETWEEN
            + 54.0
    };
    let height = TOP + wrapped.iter().map(lines).sum::<f32>() + 16.0;
    let about: Vec<String> =
        readings.iter().map(|reading| format!("{}: {}", reading.origin, reading.verdict)).collect();
    let mut scene = Scene::new(WIDTH as u32, height as u32, about.join("; "));
    let [negative, positive] = Polarity::POLES.map(|class| found.names.of(class));
    scene.text((LEFT, 44.0), from(21.0, DARK), "Why it is called as it is");
    let legend = [
        format!("A clause a line: what it adds to the log-odds of {positive}, and the total after it."),
        format!(
            "Gold words speak for {positive}, violet ones for {negative}; negators and what they negate are underlined, \
             what counts less is grey."
        ),
    ];
    for (line, y) in legend.iter().zip([68.0, 88.0]) {
        scene.text((LEFT, y), from(12.5, QUIET), line);
    }
    let mut y = TOP;
    for (reading, clauses) in readings.iter().zip(&wrapped) {
        y = put_reading(&mut scene, reading, clauses, (negative, positive), y);
    }
    scene
}

/// Draws a review from `y` downwards, and tells where it ends.
fn put_reading(
    scene: &mut Scene,
    reading: &Reading,
    clauses: &[Vec<Line>],
    (negative, positive): (&str, &str),
    top: f32,
) -> f32 {
    let mut y = top + 22.0;
    scene.text((LEFT, y), from(13.0, QUIET), reading.origin.as_str());
    scene.text((ADDS, y), up_to(12.5, QUIET), "adds");
    scene.text((TRACK.0, y), from(12.5, QUIET), format!("− {negative}"));
    scene.text((TRACK.1, y), up_to(12.5, QUIET), format!("{positive} +"));
    scene.text((TOTAL, y), up_to(12.5, QUIET), "total");
    let span = reading.clauses.iter().map(|clause| clause.running.abs()).fold(LEAST_SPAN, f64::max);
    y += 12.0;
    let field = clauses.iter().map(|lines| STEP * lines.len() as f32 + APART).sum::<f32>() + STEP + APART;
    scene.field((TRACK.0, y), (TRACK.1 - TRACK.0, field));
    let middle = (TRACK.0 + TRACK.1) / 2.0;
    scene.path(&[(middle, y), (middle, y + field)], 1.2, PALE);
    y += 18.0;
    scene.text((LEFT, y), from(13.0, QUIET), "before the first word");
    put_total(scene, (reading.begins, reading.begins), span, y);
    y += STEP + APART;
    let mut before = reading.begins;
    for (clause, lines) in reading.clauses.iter().zip(clauses) {
        scene.text((ADDS, y), up_to(14.0, ink_of_sum(clause.adds)), with_sign(clause.adds, 2));
        put_total(scene, (before, clause.running), span, y);
        before = clause.running;
        for line in lines {
            line.iter().for_each(|word| put_word(scene, word, y));
            y += STEP;
        }
        y += APART;
    }
    scene.text((LEFT, y + 8.0), from(16.0, ink_of(reading.class)), reading.verdict.as_str());
    y + BETWEEN
}

fn put_word(scene: &mut Scene, word: &Word, y: f32) {
    let ink = word.class.map_or(if word.manner.slanted { QUIET } else { DARK }, ink_of);
    scene.text((LEFT + word.x, y), from(SIZE, ink), word.text.as_str());
    if word.manner.underlined {
        let end = LEFT + word.x + text_width(&word.text, SIZE);
        scene.path(&[(LEFT + word.x, y + 4.0), (end, y + 4.0)], 1.3, ink);
    }
}

/// The way of the total, a knot where it ends, and the total itself.
fn put_total(scene: &mut Scene, (before, after): (f64, f64), span: f64, y: f32) {
    let place = |log_odds: f64| {
        let share = 0.5 + 0.47 * (log_odds / span).clamp(-1.0, 1.0);
        TRACK.0 + (TRACK.1 - TRACK.0) * share as f32
    };
    let (ink, middle) = (ink_of_sum(after), y - 5.0);
    scene.path(&[(place(before), middle), (place(after), middle)], 2.4, ink);
    scene.rect((place(after) - 4.5, middle - 4.5), (9.0, 9.0), ink);
    scene.text((TOTAL, y), up_to(14.0, ink), with_sign(after, 2));
}

fn ink_of_sum(log_odds: f64) -> Ink {
    ink_of(Polarity::of_log_odds(log_odds))
}

/// A word of a line, and where it begins.
struct Word {
    x: f32,
    text: String,
    class: Option<Polarity>,
    manner: Manner,
}

type Line = Vec<Word>;

/// A clause in lines that have room. A word that is wider than a line goes on in the next.
fn lines(clause: &Clause) -> Vec<Line> {
    let mut lines: Vec<Line> = vec![Vec::new()];
    let mut x = 0.0;
    let blank = text_width(" ", SIZE);
    for Piece { text, class, manner } in &clause.pieces {
        for (nth, word) in text.split_whitespace().enumerate() {
            let apart = nth > 0 || text.starts_with(char::is_whitespace);
            if apart && x > 0.0 {
                x += blank;
            }
            for part in parts(word) {
                let width = text_width(&part, SIZE);
                if x > 0.0 && x + width > ROOM {
                    lines.push(Vec::new());
                    x = 0.0;
                }
                let line = lines.last_mut().expect("there is always a line");
                line.push(Word { x, text: part, class: *class, manner: *manner });
                x += width;
            }
        }
        if text.ends_with(char::is_whitespace) && x > 0.0 {
            x += blank;
        }
    }
    lines
}

/// A word, in parts that fit a line each.
fn parts(word: &str) -> Vec<String> {
    let mut parts = vec![String::new()];
    let mut width = 0.0;
    for char in word.chars() {
        let own = text_width(char.encode_utf8(&mut [0; 4]), SIZE);
        if width + own > ROOM {
            parts.push(String::new());
            width = 0.0;
        }
        width += own;
        parts.last_mut().expect("there is always a part").push(char);
    }
    parts
}
