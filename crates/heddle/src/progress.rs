//! What is told on standard error while work goes on.

use std::io::{self, IsTerminal};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use heddle_work::{Observer, Run, number};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use crate::output;
use crate::view::figures::run_in_a_line;
use crate::view::stages::{self, Stage};

/// Where no bar can be drawn, a line says so often how far the work is.
const A_LINE_EVERY: Duration = Duration::from_secs(10);

/// How much is told beside the answer.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Telling {
    /// Warnings and refused rows.
    Warnings,
    /// These, notes and progress.
    #[default]
    Usual,
    /// Stages too, and how long each took.
    Stages,
}

/// Remarks as lines, and how far the work is: a bar or a sign where standard error is a terminal, a line from time to
/// time where it is none.
pub struct Progress {
    telling: Telling,
    /// The piece of work that goes on.
    current: Mutex<Option<Current>>,
    stages: Mutex<Vec<Stage>>,
    begun: Moment,
}

struct Current {
    what: &'static str,
    begun: Moment,
    sign: Sign,
}

/// How a piece of work shows that it goes on.
enum Sign {
    None,
    Bar(ProgressBar),
    /// Lines; who sends nothing any more has ended.
    Lines {
        done: Arc<Mutex<usize>>,
        _going_on: Sender<()>,
    },
}

/// A moment on the clock and on all processors.
#[derive(Clone, Copy)]
struct Moment {
    wall: Instant,
    processor: Duration,
}

impl Moment {
    fn now() -> Self {
        Self { wall: Instant::now(), processor: processor_time() }
    }

    fn since(self, what: &'static str) -> Stage {
        let processor = processor_time().saturating_sub(self.processor);
        Stage { what, wall: self.wall.elapsed(), processor }
    }
}

/// The time that this process took on all processors so far.
#[cfg(unix)]
fn processor_time() -> Duration {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
    Duration::new(time.tv_sec.max(0) as u64, time.tv_nsec as u32)
}

#[cfg(not(unix))]
fn processor_time() -> Duration {
    Duration::ZERO
}

impl Progress {
    /// Tells so much.
    pub fn new(telling: Telling) -> Self {
        Self { telling, current: Mutex::default(), stages: Mutex::default(), begun: Moment::now() }
    }

    /// Says at the end how long each stage took, where that was asked for.
    pub fn tell_stages(&self) {
        if self.telling == Telling::Stages {
            let stages = self.stages.lock().unwrap_or_else(PoisonError::into_inner);
            stages::lines(&stages, self.begun.since("the whole command"))
                .iter()
                .for_each(|line| output::remark(line));
        }
    }

    fn with(&self, act: impl FnOnce(&mut Option<Current>)) {
        act(&mut self.current.lock().unwrap_or_else(PoisonError::into_inner));
    }

    fn sign(&self, what: &'static str, parts: Option<usize>) -> Sign {
        match (self.telling, io::stderr().is_terminal()) {
            (Telling::Warnings, _) => Sign::None,
            (_, true) => Sign::Bar(parts.map_or_else(|| busy(what), |parts| counting(what, parts))),
            (_, false) => lines(what, parts),
        }
    }
}

impl Observer for Progress {
    fn remark(&self, remark: &str) {
        let is_warning = ["warning: ", "refused: "].iter().any(|kind| remark.starts_with(kind));
        if self.telling == Telling::Warnings && !is_warning {
            return;
        }
        self.with(|current| match current {
            Some(Current { sign: Sign::Bar(bar), .. }) => bar.suspend(|| output::remark(remark)),
            _ => output::remark(remark),
        });
    }

    fn begin(&self, what: &'static str, parts: Option<usize>) {
        if self.telling == Telling::Stages {
            output::remark(&format!("{what} ..."));
        }
        self.with(|current| {
            *current = Some(Current { what, begun: Moment::now(), sign: self.sign(what, parts) });
        });
    }

    fn advance(&self, parts: usize) {
        self.with(|current| match current {
            Some(Current { sign: Sign::Bar(bar), .. }) => bar.inc(parts as u64),
            Some(Current { sign: Sign::Lines { done, .. }, .. }) => {
                *done.lock().unwrap_or_else(PoisonError::into_inner) += parts;
            }
            _ => {}
        });
    }

    fn end(&self) {
        self.with(|current| {
            let Some(Current { what, begun, sign }) = current.take() else { return };
            if let Sign::Bar(bar) = sign {
                bar.finish_and_clear();
            }
            self.stages.lock().unwrap_or_else(PoisonError::into_inner).push(begun.since(what));
        });
    }

    fn tried(&self, run: &Run) {
        self.with(|current| {
            if let Some(Current { sign: Sign::Bar(bar), .. }) = current {
                bar.println(run_in_a_line(run));
            }
        });
    }
}

/// Of so many parts, such as rows, it is told how many are done in a second.
const MANY: usize = 10_000;

/// A line from time to time, as long as the work goes on.
fn lines(what: &'static str, parts: Option<usize>) -> Sign {
    let done = Arc::new(Mutex::new(0));
    let (going_on, ended) = channel::<()>();
    let (seen, begun) = (Arc::clone(&done), Instant::now());
    let mut before = 0;
    thread::spawn(move || {
        while ended.recv_timeout(A_LINE_EVERY) == Err(RecvTimeoutError::Timeout) {
            let done = *seen.lock().unwrap_or_else(PoisonError::into_inner);
            let a_second = (done - before) / A_LINE_EVERY.as_secs() as usize;
            let far = match parts {
                Some(parts) if parts >= MANY && a_second > 0 => format!(
                    " {} of {}, {} a second, {} s left,",
                    number(done),
                    number(parts),
                    number(a_second),
                    number(parts.saturating_sub(done) / a_second)
                ),
                Some(parts) => format!(" {done} of {parts},"),
                None => String::new(),
            };
            before = done;
            output::remark(&format!("{what}:{far} {} s", begun.elapsed().as_secs()));
        }
    });
    Sign::Lines { done, _going_on: going_on }
}

/// A bar that counts finished parts.
fn counting(what: &'static str, parts: usize) -> ProgressBar {
    let template = match parts {
        MANY.. => "{msg} {human_pos}/{human_len} {wide_bar:.dim} {per_sec}, {eta} left",
        _ => "{msg} {pos}/{len} {wide_bar:.dim} {eta} left",
    };
    let style = ProgressStyle::with_template(template)
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
