//! How many terms stand in how many reviews, as a picture.

use heddle_core::settings::Study;
use heddle_core::terms::Band;

use crate::view::learnt::other_floors;
use crate::view::number;
use crate::view::picture::{DARK, MAIN, PALE, QUIET, Scene, from, up_to};

const WIDTH: f32 = 960.0;
const LEFT: f32 = 190.0;
const RIGHT: f32 = 200.0;
const TOP: f32 = 104.0;
const STEP: f32 = 32.0;

/// The reviews of a band in words: "1 review", "2–3".
pub fn band_name(band: &Band) -> String {
    if band.from == band.to {
        "1 review".into()
    } else {
        format!("{}–{}", number(band.from), number(band.to))
    }
}

/// A bar for each band: kept terms, and those left out behind them.
pub fn scene(bands: &[Band], reviews: usize, study: &Study) -> Scene {
    let height = TOP + STEP * bands.len() as f32 + 64.0;
    let title = format!("Terms by the number of reviews that hold them, of {}", number(reviews));
    let mut scene = Scene::new(WIDTH as u32, height as u32, title.clone());
    scene.text((28.0, 40.0), from(21.0, DARK), title);
    let y = 66.0;
    scene.rect((28.0, y), (14.0, 14.0), MAIN);
    scene.text((50.0, y + 12.0), from(14.0, DARK), "kept");
    scene.rect((110.0, y), (14.0, 14.0), PALE);
    scene.text((132.0, y + 12.0), from(14.0, DARK), "left out");
    let most = bands.iter().map(|band| band.kept + band.dropped).max().unwrap_or(1).max(1) as f32;
    let room = WIDTH - LEFT - RIGHT;
    for (at, band) in bands.iter().enumerate() {
        let y = TOP + STEP * at as f32;
        scene.text((LEFT - 14.0, y + 16.0), up_to(15.0, DARK), band_name(band));
        let kept = room * band.kept as f32 / most;
        let dropped = room * band.dropped as f32 / most;
        scene.rect((LEFT, y), (kept.max(if band.kept > 0 { 1.5 } else { 0.0 }), 22.0), MAIN);
        scene.rect((LEFT + kept, y), (dropped.max(if band.dropped > 0 { 1.5 } else { 0.0 }), 22.0), PALE);
        let label = match (band.kept, band.dropped) {
            (kept, 0) => number(kept),
            (0, dropped) => format!("{} left out", number(dropped)),
            (kept, dropped) => format!("{} + {} left out", number(kept), number(dropped)),
        };
        scene.text((LEFT + kept + dropped + 10.0, y + 16.0), from(14.0, QUIET), label);
    }
    let rules = &study.terms;
    let foot = format!(
        "terms.at_least = {}{}, terms.at_most = {}; terms below the floor in the whole file are not counted.",
        rules.floor(reviews),
        other_floors(&rules.other_floors(reviews)),
        rules.at_most
    );
    scene.text((28.0, height - 24.0), from(13.0, QUIET), foot);
    scene
}
