//! How answers are given: data to standard output, the rest to standard error.

use std::io::{self, Write};
use std::sync::Arc;

use heddle_files::Outputs;
use heddle_work::{Session, as_json};
use serde::Serialize;

use crate::view::{Page, shown};

/// Where answers go, and in which form.
pub struct Output {
    json: bool,
    quiet: bool,
    outputs: Arc<Outputs>,
}

impl Output {
    /// Answers as pages, or as JSON; where it is quiet, nothing is said beside them but warnings.
    pub fn new((json, quiet): (bool, bool), session: &Session) -> Self {
        Self { json, quiet, outputs: session.shared_outputs() }
    }

    /// Whether answers are JSON.
    pub fn is_json(&self) -> bool {
        self.json
    }

    /// Whether nothing is to be said beside the answer but warnings.
    #[cfg_attr(not(feature = "serve"), expect(dead_code, reason = "only a server goes on saying things"))]
    pub fn is_quiet(&self) -> bool {
        self.quiet
    }

    /// Prints what a command found, when its files are in place: as JSON, or as the page that
    /// `show` makes of it.
    pub fn answer<F: Serialize>(
        &self,
        command: &str,
        found: &F,
        show: impl FnOnce(&F, &mut Page),
    ) -> anyhow::Result<()> {
        self.outputs.commit()?;
        if self.json {
            let mut out = io::stdout().lock();
            out.write_all(shown::json(&as_json(command, found)?)?.as_bytes())?;
            writeln!(out)?;
            return Ok(());
        }
        let mut page = Page::new();
        show(found, &mut page);
        self.print(&page)
    }

    /// Prints a page to standard output, or to standard error where data go to standard output;
    /// colours go where they can be shown.
    pub fn print(&self, page: &Page) -> anyhow::Result<()> {
        let text = page.painted();
        if self.outputs.to_standard() {
            anstream::stderr().lock().write_all(text.as_bytes())?;
        } else {
            anstream::stdout().lock().write_all(text.as_bytes())?;
        }
        Ok(())
    }
}

/// Says something beside the answer, on standard error.
pub fn remark(remark: &str) {
    let _ = writeln!(anstream::stderr(), "{}", shown::visible(remark)); // nobody is left to tell if this fails
}

/// Whether an error means that the reader of our output has gone: no fault of ours.
pub fn is_closed_pipe(error: &anyhow::Error) -> bool {
    error.chain().any(|cause| {
        let broken = |error: &io::Error| error.kind() == io::ErrorKind::BrokenPipe;
        cause.downcast_ref::<io::Error>().is_some_and(broken)
            || cause
                .downcast_ref::<serde_json::Error>()
                .is_some_and(|error| error.io_error_kind() == Some(io::ErrorKind::BrokenPipe))
    })
}
