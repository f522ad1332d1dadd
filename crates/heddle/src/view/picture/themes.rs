//! Themes as bars: how much more often reviews with them are negative, or less.

use heddle_core::labels::{ClassNames, Polarity};
use heddle_core::measure::Figure;

use super::{Anchor, DARK, Lettering, PALE, QUIET, Scene, from, ink_of, up_to};
use crate::view::figures::share;
use crate::view::{number, without_mark};

/// Themes as they are drawn.
pub struct Themes {
    pub names: ClassNames,
    /// Reviews with a class.
    pub labelled: usize,
    /// The share of negative reviews among them.
    pub negative: Figure,
    /// The themes, those of negative reviews first.
    pub themes: Vec<Theme>,
}

/// A theme as it is drawn.
pub struct Theme {
    pub name: String,
    pub class: Polarity,
    /// The share of negative reviews among those with it.
    pub with: Figure,
    /// Its words, and how telling they are, in standard errors.
    pub words: Vec<(String, f64)>,
}

const WIDTH: f32 = 1180.0;
const TOP: f32 = 128.0;
const STEP: f32 = 34.0;
/// Where bars begin, and how far they may go.
const LEFT: f32 = 230.0;
const ROOM: f32 = 420.0;

/// A bar for each theme, from the share without it to the share with it.
pub fn scene(shown: &Themes) -> Scene {
    let negative = shown.names.of(Polarity::Negative);
    let rows = shown.themes.len() as f32 + 1.6;
    let height = TOP + STEP * rows + 60.0;
    let title = format!("What makes reviews {negative}, and what does not");
    let mut scene = Scene::new(WIDTH as u32, height as u32, title.clone());
    scene.text((36.0, 44.0), from(22.0, DARK), title);
    let about = format!(
        "{} labelled reviews, {} of them {negative}. A bar: the share of {negative} reviews among those that speak of it.",
        number(shown.labelled),
        share(&shown.negative)
    );
    scene.text((36.0, 70.0), from(14.0, QUIET), about);
    let base = shown.negative.value.unwrap_or(0.0) as f32;
    let line = LEFT + ROOM * base;
    let bottom = TOP + STEP * rows - 10.0;
    scene.path(&[(line, TOP - 14.0), (line, bottom)], 1.2, PALE);
    let centred = Lettering { size: 12.0, anchor: Anchor::Middle, ink: QUIET };
    scene.text((line, TOP - 20.0), centred, format!("all reviews, {}", share(&shown.negative)));
    let mut y = TOP;
    for class in Polarity::POLES {
        for own in shown.themes.iter().filter(|own| own.class == class) {
            bar(&mut scene, own, y);
            y += STEP;
        }
        y += STEP * 0.6;
    }
    scene.text(
        (36.0, height - 22.0),
        from(12.0, QUIET),
        "Thin lines: 95 % intervals. Only themes whose difference is more than noise, all themes being looked at together.",
    );
    scene
}

fn bar(scene: &mut Scene, theme: &Theme, y: f32) {
    let ink = ink_of(theme.class);
    let at = |share: f64| LEFT + ROOM * share as f32;
    scene.text((LEFT - 14.0, y + 16.0), up_to(15.0, DARK), without_mark(&theme.name));
    let value = theme.with.value.unwrap_or(0.0);
    scene.rect((LEFT, y + 2.0), ((at(value) - LEFT).max(1.5), 18.0), ink);
    if let (Some(low), Some(high)) = (theme.with.low, theme.with.high) {
        let middle = y + 11.0;
        scene.path(&[(at(low), middle), (at(high), middle)], 1.4, DARK);
        for end in [low, high] {
            scene.path(&[(at(end), middle - 4.0), (at(end), middle + 4.0)], 1.4, DARK);
        }
    }
    let words: Vec<String> = theme.words.iter().skip(1).take(4).map(|(word, _)| without_mark(word)).collect();
    let words = if words.is_empty() { String::new() } else { format!("; also {}", words.join(", ")) };
    let label = format!("{} of {} reviews{words}", share(&theme.with), number(theme.with.n));
    scene.text((LEFT + ROOM + 24.0, y + 16.0), from(13.0, QUIET), label);
}
