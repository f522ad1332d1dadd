//! How often a holdout was looked at.

use heddle_files::{About, FileError, Holds, Ledger, Opening, digest_of, update};

use crate::error::{Result, fail};
use crate::ledger::{folder_of, now};
use crate::reviews::labelled::LabelledReviews;
use crate::session::Session;

/// Counts a look at each holdout among the reviews, before any figure of it is shown; gives how
/// often the one that was looked at most was opened, this time included. A holdout with its
/// about-file is counted there; a copy of one in the ledger.
pub(crate) fn open(models: &[&str], reviews: &LabelledReviews, session: &Session) -> Result<Option<usize>> {
    let mut opened = None;
    for path in reviews.input.paths() {
        if !About::beside(path)?.is_some_and(|about| about.holds == Holds::Holdout) {
            continue;
        }
        let beside = About::name_beside(path);
        update(&beside, |bytes| -> Result<Vec<u8>> {
            let mut about = About::from_bytes(&beside, &bytes.unwrap_or_default())?;
            for model in models {
                about.openings.push(Opening { time: now(), model: digest_of(model)? });
            }
            opened = opened.max(Some(about.openings.len()));
            Ok(about.to_bytes())
        })?;
    }
    for mark in &reviews.holdouts {
        let path = session.ledger_path(folder_of(models[0]));
        let Some(path) = path else {
            if opened.is_some() {
                continue; // its about-file counts
            }
            fail!(
                Locked,
                "these are rows of a locked holdout ({mark}), and looks at it are counted in the ledger: leave out --ledger none"
            );
        };
        let before = match Ledger::read(&path) {
            Err(FileError::NoLedger { .. }) => 0,
            ledger => ledger?.entries.iter().filter(|entry| entry.holdouts.contains(mark)).count(),
        };
        opened = opened.max(Some(before + models.len()));
    }
    Ok(opened)
}
