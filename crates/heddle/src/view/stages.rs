//! How long stages took.

use std::time::Duration;

/// How long a stage took.
#[derive(Debug, Clone, Copy)]
pub struct Stage {
    /// What was done.
    pub what: &'static str,
    /// On the clock.
    pub wall: Duration,
    /// On all processors.
    pub processor: Duration,
}

/// A line for each stage and one for the whole: seconds on the clock, and on all processors.
pub fn lines(stages: &[Stage], whole: Stage) -> Vec<String> {
    let head = format!("{:<28} {:>8} {:>10}", "stage", "seconds", "processor");
    let line = |stage: &Stage| {
        format!(
            "{:<28} {:>8.2} {:>10.2}",
            stage.what,
            stage.wall.as_secs_f64(),
            stage.processor.as_secs_f64()
        )
    };
    [head].into_iter().chain(stages.iter().chain([&whole]).map(line)).collect()
}
