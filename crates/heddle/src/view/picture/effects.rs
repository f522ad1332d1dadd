//! What is observed and predicted for each value of columns beside the text, drawn.

use heddle_core::labels::Polarity;
use heddle_core::validate::{ColumnEffect, LevelEffect};
use heddle_work::Effects;

use super::{Anchor, DARK, Ink, Lettering, MAIN, OFF, QUIET, Scene, from, up_to};
use crate::view::with_sign;
use crate::view::{cut, number};

const WIDTH: u32 = 1180;
/// Where names end, and from where to where shares run.
const NAMES: f32 = 300.0;
const TRACK: (f32, f32) = (320.0, 940.0);
const REVIEWS: f32 = 1140.0;
const ROW: f32 = 26.0;
/// What the text alone says.
const FAINT: Ink = [166, 170, 178];
/// Letters of a name that have room.
const ROOM: usize = 34;
/// What stands over the first row of a column, and under its last.
const HEAD: f32 = 64.0;
const FOOT: f32 = 26.0;

/// The picture: a part for each column, a row for each of its values.
pub fn scene(found: &Effects) -> Scene {
    let height: f32 =
        found.columns.iter().map(|column| HEAD + FOOT + ROW * column.levels.len() as f32).sum::<f32>() + 74.0;
    let positive = found.account.names.of(Polarity::Positive);
    let mut scene =
        Scene::new(WIDTH, height as u32, format!("Share of {positive} reviews by columns beside the text"));
    scene.text(
        (24.0, 36.0),
        from(19.0, DARK),
        format!("Share of {positive} reviews by columns beside the text"),
    );
    let mut legend = 24.0;
    for (ink, words) in [
        (MAIN, "observed, with 95 % interval"),
        (FAINT, "predicted by the text alone"),
        (DARK, "by the text and the columns"),
    ] {
        scene.rect((legend, 50.0), (12.0, 12.0), ink);
        scene.text((legend + 18.0, 61.0), from(12.5, QUIET), words);
        legend += 230.0;
    }
    scene.text((legend, 61.0), from(12.5, OFF), "red: the value adds more than noise at the same text");
    let mut top = 74.0;
    for column in &found.columns {
        put_column(&mut scene, column, top);
        top += HEAD + FOOT + ROW * column.levels.len() as f32;
    }
    scene
}

fn put_column(scene: &mut Scene, column: &ColumnEffect, top: f32) {
    let (low, high) = span(column);
    let x =
        |share: f64| TRACK.0 + (TRACK.1 - TRACK.0) * ((share - low) / (high - low)).clamp(0.0, 1.0) as f32;
    scene.text((24.0, top + 30.0), from(15.0, DARK), column.column.as_str());
    scene.text((REVIEWS, top + 52.0), up_to(12.0, QUIET), "reviews");
    scene.text((TRACK.1 + 110.0, top + 52.0), up_to(12.0, QUIET), "adds, nats");
    let field = ROW * column.levels.len() as f32;
    scene.field((TRACK.0, top + HEAD - 6.0), (TRACK.1 - TRACK.0, field));
    for step in 0..=4 {
        let share = low + (high - low) * f64::from(step) / 4.0;
        scene.grid(&[(x(share), top + HEAD - 6.0), (x(share), top + HEAD - 6.0 + field)]);
        let middle = Lettering { size: 12.0, anchor: Anchor::Middle, ink: QUIET };
        scene.text((x(share), top + 52.0), middle, format!("{:.0} %", 100.0 * share));
    }
    for (at, level) in column.levels.iter().enumerate() {
        put_level(scene, level, top + HEAD + ROW * at as f32 + 7.0, &x);
    }
}

fn put_level(scene: &mut Scene, level: &LevelEffect, y: f32, x: &dyn Fn(f64) -> f32) {
    let ink = if level.beyond_noise { OFF } else { MAIN };
    scene.text((NAMES, y + 5.0), up_to(13.0, DARK), cut(&level.level, ROOM));
    if let (Some(low), Some(high)) = (level.observed.low, level.observed.high) {
        scene.path(&[(x(low), y), (x(high), y)], 2.0, ink);
    }
    scene.rect((x(level.by_text) - 2.5, y - 9.0), (5.0, 18.0), FAINT);
    scene.rect((x(level.by_both) - 1.25, y - 9.0), (2.5, 18.0), DARK);
    if let Some(value) = level.observed.value {
        scene.rect((x(value) - 4.5, y - 4.5), (9.0, 9.0), ink);
    }
    let adds = level.effect.value.map_or("–".into(), |value| with_sign(value, 2));
    scene.text((TRACK.1 + 110.0, y + 5.0), up_to(13.0, if level.beyond_noise { OFF } else { QUIET }), adds);
    scene.text((REVIEWS, y + 5.0), up_to(13.0, QUIET), number(level.observed.n));
}

/// The shares that have room: all that are shown, in steps of five points.
fn span(column: &ColumnEffect) -> (f64, f64) {
    let shares = column.levels.iter().flat_map(|level| {
        [level.observed.low, level.observed.high, Some(level.by_text), Some(level.by_both)]
    });
    let (mut low, mut high) = (1.0f64, 0.0f64);
    shares.flatten().for_each(|share| (low, high) = (low.min(share), high.max(share)));
    let low = (low * 20.0).floor() / 20.0;
    // Four even steps of whole points.
    let steps = ((high - low) * 25.0).ceil().max(1.0);
    (low, low + 4.0 * steps / 100.0)
}
