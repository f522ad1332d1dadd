//! What is told on standard error while work goes on.

use std::io::{self, IsTerminal};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use heddle_work::{Observer, Run};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use crate::output;
use crate::view::figures::run_in_a_line;

/// Remarks as lines, and a bar or a sign where standard error is a terminal.
#[derive(Default)]
pub struct Progress {
    bar: Mutex<Option<ProgressBar>>,
}

impl Progress {
    fn with(&self, act: impl FnOnce(&mut Option<ProgressBar>)) {
        act(&mut self.bar.lock().unwrap_or_else(PoisonError::into_inner));
    }
}

impl Observer for Progress {
    fn remark(&self, remark: &str) {
        self.with(|bar| match bar {
            Some(bar) => bar.suspend(|| output::remark(remark)),
            None => output::remark(remark),
        });
    }

    fn begin(&self, what: &'static str, parts: Option<usize>) {
        if io::stderr().is_terminal() {
            self.with(|bar| *bar = Some(parts.map_or_else(|| busy(what), |parts| counting(what, parts))));
        }
    }

    fn advance(&self, parts: usize) {
        self.with(|bar| bar.iter().for_each(|bar| bar.inc(parts as u64)));
    }

    fn end(&self) {
        self.with(|bar| bar.take().iter().for_each(ProgressBar::finish_and_clear));
    }

    fn tried(&self, run: &Run) {
        self.with(|bar| bar.iter().for_each(|bar| bar.println(run_in_a_line(run))));
    }
}

/// A bar that counts finished parts.
fn counting(what: &'static str, parts: usize) -> ProgressBar {
    let style = ProgressStyle::with_template("{msg} {pos}/{len} {wide_bar:.dim} {eta} left")
        .unwrap_or_else(|_| ProgressStyle::default_bar())
        .progress_chars("━╸ ");
    let bar = ProgressBar::with_draw_target(Some(parts as u64), ProgressDrawTarget::stderr());
    bar.set_style(style);
    bar.set_message(what);
    bar.tick();
    bar
}

/// A sign that work goes on whose end is not known.
fn busy(what: &'static str) -> ProgressBar {
    let style = ProgressStyle::with_template("{spinner} {msg} {elapsed}");
    let sign = ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr());
    sign.set_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()));
    sign.set_message(what);
    sign.enable_steady_tick(Duration::from_millis(100));
    sign
}
