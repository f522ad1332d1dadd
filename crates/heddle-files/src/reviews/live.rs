//! Standard input while somebody writes into it: rows are given as they come, and pauses are told.

use std::fs::File;
use std::io::{self, Read};
use std::sync::mpsc::{Receiver, RecvTimeoutError, sync_channel};
use std::thread;
use std::time::Duration;

use csv::StringRecord;

use super::column::Column;
use super::rows::{Manner, Next, Refusal, Rows};
use super::source::{STANDARD_INPUT, Source};
use crate::error::FileError;

/// Nothing more comes for now where nothing came for so long.
const PAUSE: Duration = Duration::from_millis(5);
/// Rows that are read ahead.
const AHEAD: usize = 4096;

/// Standard input, read as it comes. A pause is told once, as an error of the kind `WouldBlock`; the next read waits.
pub(crate) struct Live {
    file: File,
    /// Whether pauses are told.
    tells: bool,
    told: bool,
}

impl Live {
    /// Standard input, if it is something that pauses: a pipe, a terminal or a socket, and no file.
    #[cfg(unix)]
    pub(crate) fn standard_input() -> Option<Self> {
        use std::os::fd::AsFd;
        // Past the buffer of the standard library, of which nobody could tell whether it is empty.
        let file = File::from(io::stdin().as_fd().try_clone_to_owned().ok()?);
        let pauses = file.metadata().is_ok_and(|data| !data.is_file());
        pauses.then_some(Self { file, tells: false, told: false })
    }

    /// Where nobody can ask whether more has come.
    #[cfg(not(unix))]
    pub(crate) fn standard_input() -> Option<Self> {
        None
    }

    /// The same, telling pauses from now on.
    pub(crate) fn telling(self) -> Self {
        Self { tells: true, ..self }
    }

    #[cfg(unix)]
    fn waits(&self) -> bool {
        use rustix::event::{PollFd, PollFlags, Timespec, poll};
        let time = Timespec { tv_sec: 0, tv_nsec: PAUSE.as_nanos() as i64 };
        let mut asked = [PollFd::new(&self.file, PollFlags::IN)];
        matches!(poll(&mut asked, Some(&time)), Ok(0))
    }

    #[cfg(not(unix))]
    fn waits(&self) -> bool {
        false
    }
}

impl Read for Live {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.tells && !self.told && self.waits() {
            self.told = true;
            return Err(io::ErrorKind::WouldBlock.into());
        }
        self.told = false;
        self.file.read(buffer)
    }
}

/// How a stream begins.
pub(crate) enum Begun {
    /// Its rows can be read as they come.
    Rows(Box<dyn Rows>),
    /// It had to be copied whole.
    Copied(Source),
}

/// What a thread that reads has to say.
enum Message {
    Columns(Vec<Column>),
    Copied(Source),
    Row(StringRecord, u64),
    Refused(Refusal),
    Failed(FileError),
    End(Manner),
}

/// The rows of a stream, which a thread of its own reads.
pub(crate) struct Stream {
    columns: Vec<Column>,
    messages: Receiver<Message>,
    /// What came while somebody asked whether something would.
    ahead: Option<Message>,
    manner: Manner,
}

impl Stream {
    /// Reads what `begin` opens, on a thread of its own.
    pub(crate) fn open(
        begin: impl FnOnce() -> Result<Begun, FileError> + Send + 'static,
    ) -> Result<Begun, FileError> {
        let (send, messages) = sync_channel(AHEAD);
        // Where nobody takes messages any more, there is nothing left to do.
        thread::spawn(move || {
            let mut rows = match begin() {
                Ok(Begun::Rows(rows)) => rows,
                Ok(Begun::Copied(source)) => return drop(send.send(Message::Copied(source))),
                Err(error) => return drop(send.send(Message::Failed(error))),
            };
            if send.send(Message::Columns(rows.columns().to_vec())).is_err() {
                return;
            }
            loop {
                let mut record = StringRecord::new();
                let message = match rows.next(&mut record) {
                    Ok(Some(Ok(line))) => Message::Row(record, line),
                    Ok(Some(Err(refusal))) => Message::Refused(refusal),
                    Ok(None) => Message::End(rows.manner()),
                    Err(error) => Message::Failed(error),
                };
                let ends = matches!(message, Message::End(_) | Message::Failed(_));
                if send.send(message).is_err() || ends {
                    return;
                }
            }
        });
        match messages.recv() {
            Ok(Message::Columns(columns)) => {
                let manner = Manner { file: STANDARD_INPUT.into(), ..Manner::default() };
                Ok(Begun::Rows(Box::new(Self { columns, messages, ahead: None, manner })))
            }
            Ok(Message::Copied(source)) => Ok(Begun::Copied(source)),
            Ok(Message::Failed(error)) => Err(error),
            _ => Err(broken()),
        }
    }
}

fn broken() -> FileError {
    FileError::io(STANDARD_INPUT, io::Error::other("the thread that reads it has ended"))
}

impl Rows for Stream {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        let message = match self.ahead.take() {
            Some(message) => message,
            None => self.messages.recv().map_err(|_| broken())?,
        };
        match message {
            Message::Row(row, line) => {
                *record = row;
                Ok(Some(Ok(line)))
            }
            Message::Refused(refusal) => Ok(Some(Err(refusal))),
            Message::Failed(error) => Err(error),
            Message::End(manner) => {
                self.manner = manner.clone();
                self.ahead = Some(Message::End(manner)); // asked again, it has still ended
                Ok(None)
            }
            Message::Columns(_) | Message::Copied(_) => Err(broken()),
        }
    }

    fn manner(&self) -> Manner {
        self.manner.clone()
    }

    fn is_idle(&mut self) -> bool {
        if self.ahead.is_some() {
            return false;
        }
        match self.messages.recv_timeout(PAUSE) {
            Ok(message) => {
                self.ahead = Some(message);
                false
            }
            Err(RecvTimeoutError::Timeout) => true,
            Err(RecvTimeoutError::Disconnected) => false,
        }
    }
}
