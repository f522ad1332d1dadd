//! What it all comes to, last on a page.

use heddle_work::NextStep;

use super::{DIM, Page, paint, wrapped};

/// Puts what it all comes to on a page.
pub fn in_short(page: &mut Page, sentence: &str) {
    page.heading("In short");
    wrapped(sentence, super::width() - 2).iter().for_each(|line| page.line(format!("  {line}")));
}

/// Puts lines to type next on a page, each behind what it is good for.
pub fn next_steps(page: &mut Page, steps: &[NextStep]) {
    page.heading("Next");
    for NextStep { about, line } in steps {
        page.line(format!("  {}", paint(DIM, format!("# {about}"))));
        page.line(format!("  {line}"));
    }
}
