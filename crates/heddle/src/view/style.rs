//! Colours and weights.

use anstyle::{Ansi256Color, Color, Style};

/// What matters most on a page.
pub const STRONG: Style = Style::new().bold();
/// What helps to read the rest.
pub const DIM: Style = Style::new().dimmed();
/// Something is wrong.
pub const BAD: Style = Style::new().bold().fg_color(colour(203));
/// Gold and violet lie on the blue-yellow axis, which colour-blind readers mostly keep, and
/// these two can be read on dark and on light; a sign and a word always stand beside them.
pub const POSITIVE: Style = Style::new().fg_color(colour(136));
pub const NEGATIVE: Style = Style::new().fg_color(colour(99));

const fn colour(number: u8) -> Option<Color> {
    Some(Color::Ansi256(Ansi256Color(number)))
}
