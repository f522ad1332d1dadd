//! Settings and their values, offered by the shell while a call is typed.

use std::ffi::OsStr;

use clap_complete::engine::CompletionCandidate;
use heddle_core::settings::{KEYS, Study};

/// Settings that begin as what is typed does, or values of the one that is typed.
pub fn settings(typed: &OsStr) -> Vec<CompletionCandidate> {
    let Some(typed) = typed.to_str() else { return Vec::new() };
    let Some((path, value)) = typed.split_once('=') else {
        let begun = KEYS.iter().filter(|key| key.path.starts_with(typed));
        return begun
            .map(|key| CompletionCandidate::new(format!("{}=", key.path)).help(Some(key.about.into())))
            .collect();
    };
    let Ok(key) = Study::key(path) else { return Vec::new() };
    let begun = key.kind.words().into_iter().filter(|word| word.starts_with(value));
    begun.map(|word| CompletionCandidate::new(format!("{path}={word}"))).collect()
}
