//! The model in use, and how another takes its place.

use std::fs;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError, RwLock};
use std::time::SystemTime;

use heddle_work::{OpenModel, Session};

use crate::log::{Event, Log};
use crate::metrics::Metrics;

/// The model in use. A request keeps the one that it began with until it is answered.
pub struct InUse {
    path: String,
    session: Session,
    model: RwLock<Arc<OpenModel>>,
    /// The file as it was when it was looked at last.
    looked_at: Mutex<Option<Looks>>,
}

/// What shows that a file is another: its size, its time, and where the system tells its number.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Looks {
    bytes: u64,
    changed: Option<SystemTime>,
    number: u64,
}

impl Looks {
    fn of(path: &str) -> Option<Self> {
        let data = fs::metadata(Path::new(path)).ok()?;
        #[cfg(unix)]
        let number = std::os::unix::fs::MetadataExt::ino(&data);
        #[cfg(not(unix))]
        let number = 0;
        Some(Self { bytes: data.len(), changed: data.modified().ok(), number })
    }
}

impl InUse {
    /// Reads a model.
    ///
    /// # Errors
    /// As [`OpenModel::read`].
    pub fn read(path: &str, session: &Session) -> heddle_work::Result<Self> {
        let looked_at = Mutex::new(Looks::of(path));
        let model = RwLock::new(Arc::new(OpenModel::read(path, session)?));
        Ok(Self { path: path.into(), session: session.clone(), model, looked_at })
    }

    /// The model in use.
    pub fn get(&self) -> Arc<OpenModel> {
        Arc::clone(&self.model.read().unwrap_or_else(PoisonError::into_inner))
    }

    /// Looks at the file again: one that changed is read, and takes the place of the model in use if it can. Where it is
    /// `asked` for, what looks the same is read too.
    pub fn look(&self, asked: bool, log: &Log, metrics: &Metrics) {
        let mut looked_at = self.looked_at.lock().unwrap_or_else(PoisonError::into_inner);
        let looks = Looks::of(&self.path);
        if *looked_at == looks && !asked {
            return;
        }
        *looked_at = looks;
        let before = self.get();
        let digest = |model: &OpenModel| model.inspected().xxh3.clone();
        match OpenModel::read(&self.path, &self.session) {
            Ok(model) if digest(&model) == digest(&before) => {}
            Ok(model) => {
                let taken = digest(&model);
                *self.model.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(model);
                metrics.uses(&taken);
                metrics.took();
                log.note(&Event::ModelTaken { before: digest(&before), model: taken });
            }
            Err(error) => {
                metrics.kept();
                log.note(&Event::ModelKept { model: digest(&before), why: error.story() });
            }
        }
    }
}
