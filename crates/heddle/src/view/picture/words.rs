//! The words of themes, the larger the more telling.

use heddle_core::labels::Polarity;

use super::themes::Themes;
use super::{DARK, QUIET, Scene, from, ink_of, text_width};
use crate::view::{number, without_mark};

const WIDTH: f32 = 1180.0;
const TOP: f32 = 104.0;
/// The field of a class: its left edge for each, and its width.
const LEFT: [f32; 2] = [36.0, 602.0];
const FIELD_WIDTH: f32 = 542.0;
/// Between the edge of a field and its words, and between words.
const EDGE: f32 = 20.0;
const GAP: f32 = 0.55;
/// The ems of the most telling word and of the least that is still read from the back of a room.
const LARGEST: f32 = 52.0;
const SMALLEST: f32 = 14.0;

/// The words of the themes, by class in a field of its own, the most telling first.
pub fn scene(shown: &Themes) -> Scene {
    let most = words(shown, Polarity::Negative)
        .chain(words(shown, Polarity::Positive))
        .map(|(_, score)| *score)
        .fold(1e-9, f64::max);
    let placed = Polarity::POLES.map(|class| {
        let mut own: Vec<&(String, f64)> = words(shown, class).collect();
        own.sort_by(|a, b| b.1.total_cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        let sized = own.into_iter().map(|(word, score)| (without_mark(word), size_of(score / most)));
        placed(sized, FIELD_WIDTH - 2.0 * EDGE)
    });
    let field = placed.iter().map(|(_, height)| *height).fold(0.0, f32::max) + 2.0 * EDGE + 34.0;
    let height = TOP + field + 58.0;
    let names = &shown.names;
    let title = "The words that go with each class";
    let mut scene = Scene::new(WIDTH as u32, height as u32, about(shown));
    scene.text((36.0, 44.0), from(22.0, DARK), title);
    let beside =
        format!("{} labelled reviews. The larger a word, the more telling it is.", number(shown.labelled));
    scene.text((36.0, 72.0), from(14.0, QUIET), beside);
    for ((class, left), (words, _)) in Polarity::POLES.into_iter().zip(LEFT).zip(&placed) {
        let ink = ink_of(class);
        scene.field((left, TOP), (FIELD_WIDTH, field));
        scene.rect((left, TOP), (FIELD_WIDTH, 4.0), ink);
        let head = format!("{} {}", if class == Polarity::Negative { "−" } else { "+" }, names.of(class));
        scene.text((left + EDGE, TOP + EDGE + 12.0), from(15.0, QUIET), head);
        if words.is_empty() {
            let at = (left + EDGE, TOP + EDGE + 44.0);
            scene.text(at, from(15.0, QUIET), "no word beyond noise");
        }
        for word in words {
            let at = (left + EDGE + word.x, TOP + EDGE + 34.0 + word.y);
            scene.text(at, from(word.size, ink), word.text.as_str());
        }
    }
    let foot = format!(
        "The height of letters follows the log-odds ratio of the classes in standard errors ({most:.0} at most); below {SMALLEST:.0} \
         pixels they shrink no more."
    );
    scene.text((36.0, height - 22.0), from(12.0, QUIET), foot);
    scene
}

fn words(shown: &Themes, class: Polarity) -> impl Iterator<Item = &(String, f64)> {
    shown.themes.iter().filter(move |own| own.class == class).flat_map(|own| own.words.iter())
}

/// What it shows, in words.
fn about(shown: &Themes) -> String {
    let list = |class: Polarity| {
        let words: Vec<String> = words(shown, class).map(|(word, _)| without_mark(word)).collect();
        format!("{}: {}", shown.names.of(class), words.join(", "))
    };
    Polarity::POLES.map(list).join("; ")
}

fn size_of(share: f64) -> f32 {
    (LARGEST * share as f32).max(SMALLEST)
}

struct Word {
    text: String,
    size: f32,
    /// Where it begins, and where its letters stand.
    x: f32,
    y: f32,
}

/// Words in lines as wide as there is room, one after the other, and how high they are together. No two overlap: a line
/// is as high as its largest word, and words that are wider than the room shrink to it.
fn placed(words: impl Iterator<Item = (String, f32)>, room: f32) -> (Vec<Word>, f32) {
    let (mut placed, mut x, mut top, mut largest): (Vec<Word>, f32, f32, f32) = (Vec::new(), 0.0, 0.0, 0.0);
    let mut begins = 0;
    let stand = |line: &mut [Word], top: f32, largest: f32| {
        line.iter_mut().for_each(|word| word.y = top + largest);
        top + 1.34 * largest
    };
    for (text, size) in words {
        let size = size * (room / text_width(&text, size)).min(1.0);
        let width = text_width(&text, size);
        if x > 0.0 && x + width > room {
            top = stand(&mut placed[begins..], top, largest);
            (x, largest, begins) = (0.0, 0.0, placed.len());
        }
        placed.push(Word { text, size, x, y: 0.0 });
        x += width + GAP * size;
        largest = largest.max(size);
    }
    let height = stand(&mut placed[begins..], top, largest);
    (placed, height)
}
