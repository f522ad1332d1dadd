//! What ends a call early: signals, and faults of our own.

use std::panic;
use std::process;
use std::thread;

/// A process that a signal ends gives this and the number of the signal.
const ENDED_BY_SIGNAL: i32 = 128;

/// Ends the process at Ctrl-C, TERM or HUP, with nothing half-written left behind. Signals that
/// whoever started us has set aside stay so, as under nohup.
#[cfg(unix)]
pub fn listen() {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    use signal_hook::iterator::Signals;
    let ignored = ignored();
    let heard = [SIGINT, SIGTERM, SIGHUP].into_iter().filter(|signal| ignored >> (signal - 1) & 1 == 0);
    // Where signals cannot be heard they end the process as ever, and the next call sweeps.
    let Ok(mut signals) = Signals::new(heard) else { return };
    thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            heddle_files::abandon();
            process::exit(ENDED_BY_SIGNAL + signal);
        }
    });
}

/// The signals that are ignored, a bit each; none where the system does not tell.
#[cfg(unix)]
fn ignored() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    mask.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).unwrap_or(0)
}

#[cfg(not(unix))]
pub fn listen() {}

/// Tells of a fault in one sentence; one that is caught and told as an error is not told twice.
pub fn tell_faults() {
    use std::io::Write;
    panic::set_hook(Box::new(|fault| {
        if !heddle_files::is_guarded() {
            // Nobody is left to tell if this fails.
            let _ = writeln!(
                std::io::stderr(),
                "fault in heddle: {fault}; nothing was written; please report this"
            );
        }
    }));
}
