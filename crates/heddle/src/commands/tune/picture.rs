//! Runs in order, as a picture: how far each is behind the best, and how sure that is.

use heddle_core::Choice;

use heddle_work::Tuned;

use super::page::{behind, made_of};
use crate::view::cut;
use crate::view::figures::{plain, share};
use crate::view::picture::{DARK, MAIN, OFF, PALE, QUIET, Scene, from, up_to};

const WIDTH: f32 = 1180.0;
const LEFT: f32 = 420.0;
const RIGHT: f32 = 250.0;
const TOP: f32 = 112.0;
const STEP: f32 = 27.0;
/// Runs that are drawn.
const MOST: usize = 40;

/// A line for each run, the best first: a knot where it stands behind the best, and the interval
/// of that difference.
pub fn scene(tuned: &Tuned) -> Scene {
    let by = tuned.by;
    let shown = &tuned.runs[..tuned.runs.len().min(MOST)];
    let height = TOP + STEP * shown.len() as f32 + 66.0;
    let name = by.name().replace('_', " ");
    let title = format!("{} runs by held-out {name}, on the same folds", tuned.runs.len());
    let mut scene = Scene::new(WIDTH as u32, height as u32, title.clone());
    scene.text((36.0, 42.0), from(21.0, DARK), title);
    let about = "how far behind the best; the line is the 95 % interval of that difference";
    scene.text((36.0, 66.0), from(14.0, QUIET), about);
    let ends = shown.iter().flat_map(|run| [run.behind.value, run.behind.high]).flatten();
    let most = ends.fold(0.0f64, f64::max).max(1e-9);
    let least = shown.iter().filter_map(|run| run.behind.low).fold(0.0f64, f64::min);
    let place = |value: f64| LEFT + (WIDTH - LEFT - RIGHT) * ((value - least) / (most - least)) as f32;
    let bottom = TOP + STEP * shown.len() as f32;
    scene.path(&[(place(0.0), TOP - 8.0), (place(0.0), bottom)], 1.2, PALE);
    for (nth, run) in shown.iter().enumerate() {
        let y = TOP + STEP * nth as f32 + 10.0;
        let simplest =
            tuned.simplest.as_ref() == Some(&run.name) && tuned.simplest.as_ref() != Some(&tuned.best);
        let figure = &run.behind;
        let worse = figure.low.is_some_and(|low| low > 0.0);
        let ink = if worse { OFF } else { MAIN };
        scene.text((LEFT - 14.0, y + 5.0), up_to(13.0, DARK), cut(&made_of(tuned, run), 52));
        if let (Some(low), Some(high)) = (figure.low, figure.high) {
            scene.path(&[(place(low), y), (place(high), y)], 2.0, ink);
        }
        let x = place(figure.value.unwrap_or(0.0));
        let size = if simplest { 12.0 } else { 8.0 };
        scene.rect((x - size / 2.0, y - size / 2.0), (size, size), ink);
        let value = by.of(&run.result.figures);
        let shown = if by.is_share() { share(&value) } else { plain(&value) };
        let note = if simplest { "  simplest within the margin" } else { "" };
        scene.text((WIDTH - RIGHT + 16.0, y + 5.0), from(13.0, QUIET), format!("{shown}{note}"));
    }
    let last = tuned.runs.last().map_or(String::new(), |run| behind(by, &run.behind));
    let foot = format!(
        "teal: within noise of the best; red: worse by more than noise. The last is behind by {last}."
    );
    scene.text((36.0, height - 24.0), from(13.0, QUIET), foot);
    scene
}
