//! How new reviews differ, drawn: respects beside training, words that rose and fell, and the months.

use heddle_core::drift::{Respect, WordShift};
use heddle_core::measure::Figure;
use heddle_work::Drifted;

use super::{percent_of, telling};
use crate::view::cut;
use crate::view::picture::{
    Anchor, DARK, Ink, Lettering, MAIN, NEGATIVE, OFF, PALE, QUIET, Scene, from, text_width, up_to,
};

const WIDTH: f32 = 1180.0;
const LEFT: f32 = 36.0;
/// Where names end, and from where to where shares run.
const NAMES: f32 = 300.0;
const TRACK: (f32, f32) = (320.0, 860.0);
const FIGURES: f32 = 1144.0;
const ROW: f32 = 27.0;
/// Words of each kind that are drawn.
const WORDS: usize = 8;
/// Letters of a name that have room.
const ROOM: usize = 30;

/// The picture.
pub fn scene(found: &Drifted) -> Scene {
    let sentence = wrapped(&found.sentence, WIDTH - 2.0 * LEFT, 17.0);
    let drift = &found.drift;
    let words: Vec<&WordShift> = drift.rose.iter().take(WORDS).chain(drift.fell.iter().take(WORDS)).collect();
    let parts = [drift.respects.len(), words.len()].into_iter().filter(|rows| *rows > 0);
    let rows: f32 = parts.map(|rows| 66.0 + ROW * rows as f32).sum();
    let months = if found.months.len() > 1 { 330.0 } else { 0.0 };
    let height = 92.0 + 24.0 * sentence.len() as f32 + rows + months;
    let mut scene = Scene::new(WIDTH as u32, height as u32, found.sentence.as_str());
    let mut y = 42.0;
    for line in &sentence {
        scene.text((LEFT, y), from(17.0, DARK), line);
        y += 24.0;
    }
    let mut legend = LEFT;
    for (ink, words) in
        [(PALE, "training"), (MAIN, "new reviews"), (OFF, "beyond chance and by more than a little")]
    {
        scene.rect((legend, y - 2.0), (11.0, 11.0), ink);
        scene.text((legend + 17.0, y + 8.0), from(12.5, QUIET), words);
        legend += 40.0 + text_width(words, 12.5);
    }
    y += 34.0;
    if !drift.respects.is_empty() {
        let rows = drift.respects.iter().map(of_respect).collect();
        y = put_rows(&mut scene, "Respects", rows, y);
    }
    if !words.is_empty() {
        let rose = drift.rose.len().min(WORDS);
        let rows = words.iter().enumerate().map(|(at, word)| of_word(word, at < rose)).collect();
        y = put_rows(&mut scene, "Words: share of reviews, risen then fallen", rows, y);
    }
    if months > 0.0 {
        put_months(&mut scene, found, y);
    }
    scene
}

/// A share before and now.
struct Row {
    name: String,
    before: f64,
    now: f64,
    /// The interval of `now`, where it is known.
    between: Option<(f64, f64)>,
    told: String,
    ink: Ink,
}

fn of_respect(respect: &Respect) -> Row {
    let (name, own) = telling(respect);
    let (before, now) = own.map_or((0.0, 0.0), |own| (own.before, own.now));
    let effect = respect.shift.map_or(String::new(), |shift| format!(", size {:.2}", shift.effect));
    Row {
        told: format!("{} → {}{effect}", percent_of(before), percent_of(now)),
        ink: if respect.drifted { OFF } else { MAIN },
        between: None,
        name,
        before,
        now,
    }
}

fn of_word(word: &WordShift, rose: bool) -> Row {
    let now = word.now.value.unwrap_or(0.0);
    let most = if word.known { "" } else { "≤ " };
    Row {
        name: word.word.clone(),
        told: format!("{most}{} → {}", percent_of(word.before), percent_of(now)),
        ink: if rose { OFF } else { MAIN },
        between: word.now.low.zip(word.now.high),
        before: word.before,
        now,
    }
}

/// Draws rows under a title, each on a scale from 0 to the largest share; gives where they end.
fn put_rows(scene: &mut Scene, title: &str, rows: Vec<Row>, top: f32) -> f32 {
    let largest = rows.iter().flat_map(|row| [row.before, row.now, row.between.map_or(0.0, |own| own.1)]);
    let most = largest.fold(0.01, f64::max);
    let x = |share: f64| TRACK.0 + (TRACK.1 - TRACK.0) * (share / most).clamp(0.0, 1.0) as f32;
    scene.text((LEFT, top + 18.0), from(15.0, DARK), title);
    scene.text((TRACK.0, top + 25.0), from(12.0, QUIET), "0 %");
    scene.text((TRACK.1, top + 25.0), up_to(12.0, QUIET), percent_of(most));
    let field = ROW * rows.len() as f32;
    scene.field((TRACK.0, top + 30.0), (TRACK.1 - TRACK.0, field));
    let mut y = top + 30.0 + ROW / 2.0;
    for row in rows {
        scene.text((NAMES, y + 5.0), up_to(13.0, DARK), cut(&row.name, ROOM));
        if let Some((low, high)) = row.between {
            scene.path(&[(x(low), y), (x(high), y)], 1.4, row.ink);
        }
        scene.path(&[(x(row.before), y), (x(row.now), y)], 2.4, row.ink);
        scene.rect((x(row.before) - 2.5, y - 8.0), (5.0, 16.0), PALE);
        scene.rect((x(row.now) - 4.5, y - 4.5), (9.0, 9.0), row.ink);
        scene.text((FIGURES, y + 5.0), up_to(13.0, QUIET), row.told);
        y += ROW;
    }
    top + 66.0 + field
}

/// A line for each share by month.
fn put_months(scene: &mut Scene, found: &Drifted, top: f32) {
    let months = &found.months;
    let theme = |at: usize| {
        found
            .drift
            .themes
            .get(at)
            .map(|theme| format!("“{}”", theme.words.first().map_or("", String::as_str)))
    };
    let themes = |at: usize| months.iter().map(move |month| month.themes.get(at).copied());
    let mut lines: Vec<(String, Vec<Option<Figure>>, Ink)> = vec![(
        "called negative".into(),
        months.iter().map(|month| Some(month.called_negative)).collect(),
        NEGATIVE,
    )];
    lines.push(("unknown words".into(), months.iter().map(|month| Some(month.unknown)).collect(), MAIN));
    lines.extend(theme(0).map(|name| (name, themes(0).collect(), OFF)));
    scene.text((LEFT, top + 18.0), from(15.0, DARK), "By month");
    let (left, right, roof, floor) = (90.0, 900.0, top + 36.0, top + 270.0);
    scene.field((left, roof), (right - left, floor - roof));
    let tops = lines
        .iter()
        .flat_map(|(_, points, _)| points.iter().flatten().filter_map(|own| own.high.or(own.value)));
    let most = (tops.fold(0.05, f64::max) * 20.0).ceil() / 20.0;
    let x = |at: usize| left + (right - left) * (at as f32 + 0.5) / months.len() as f32;
    let y = |share: f64| floor - (floor - roof) * (share / most) as f32;
    for step in 0..=4 {
        let share = most * f64::from(step) / 4.0;
        scene.grid(&[(left, y(share)), (right, y(share))]);
        scene.text((left - 8.0, y(share) + 4.0), up_to(12.0, QUIET), format!("{:.0} %", 100.0 * share));
    }
    let every = months.len().div_ceil(12);
    let middle = Lettering { size: 12.0, anchor: Anchor::Middle, ink: QUIET };
    for (at, month) in months.iter().enumerate().filter(|(at, _)| at % every == 0) {
        scene.text((x(at), floor + 18.0), middle, month.month.as_str());
    }
    let mut last: Vec<(f32, String, Ink)> = Vec::new();
    for (name, points, ink) in lines {
        let known = || points.iter().enumerate().filter_map(|(at, own)| Some((at, own.as_ref()?)));
        let way: Vec<(f32, f32)> = known().filter_map(|(at, own)| Some((x(at), y(own.value?)))).collect();
        for (at, own) in known() {
            if let (Some(low), Some(high)) = (own.low, own.high) {
                scene.path(&[(x(at), y(low)), (x(at), y(high.min(most)))], 1.2, ink);
            }
        }
        way.iter().for_each(|(x, y)| scene.rect((x - 3.5, y - 3.5), (7.0, 7.0), ink));
        scene.path(&way, 2.2, ink);
        last.extend(way.last().map(|(_, y)| (*y, name, ink)));
    }
    // Names stand beside the ends of their lines, and none on another.
    last.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut free = roof;
    for (y, name, ink) in last {
        let at = y.max(free);
        scene.text((right + 14.0, at + 5.0), from(13.0, ink), name);
        free = at + 18.0;
    }
}

/// A text in lines that have room.
fn wrapped(text: &str, room: f32, size: f32) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        let line = lines.last_mut().expect("there is always a line");
        if line.is_empty() {
            line.push_str(word);
        } else if text_width(&format!("{line} {word}"), size) <= room {
            line.push(' ');
            line.push_str(word);
        } else {
            lines.push(word.into());
        }
    }
    lines
}
