//! Sketches of texts in a temporary file, for files with more rows than memory should hold.

use std::fs::File;
use std::io::{self, Write};

use heddle_core::resample::{Sketch, Sketches};

use crate::error::FileError;
use crate::pieces::read_exact_at;

/// Sketches are written so many bytes at a time.
const BUFFER: usize = 1024 * 1024;

/// A temporary file of sketches; the system removes it when the program ends.
pub struct SketchFile {
    file: File,
    /// Bytes in the file.
    written: u64,
    /// What is not written yet.
    buffer: Vec<u8>,
}

impl SketchFile {
    /// Begins an empty file in the folder for temporary files.
    ///
    /// # Errors
    /// If it cannot be made.
    pub fn new() -> Result<Self, FileError> {
        let file = tempfile::tempfile().map_err(fail)?;
        Ok(Self { file, written: 0, buffer: Vec::with_capacity(BUFFER) })
    }
}

fn fail(error: io::Error) -> FileError {
    FileError::io("a temporary file", error)
}

fn of_bytes(bytes: &[u8]) -> Sketch {
    let mut sketch = [0; size_of::<Sketch>()];
    sketch.copy_from_slice(bytes);
    sketch
}

impl Sketches for SketchFile {
    type Error = FileError;

    fn add(&mut self, sketch: &Sketch) -> Result<(), FileError> {
        self.buffer.extend_from_slice(sketch);
        if self.buffer.len() >= BUFFER {
            self.file.write_all(&self.buffer).map_err(fail)?;
            self.written += self.buffer.len() as u64;
            self.buffer.clear();
        }
        Ok(())
    }

    fn sketch(&self, at: u32) -> Result<Sketch, FileError> {
        let place = u64::from(at) * size_of::<Sketch>() as u64;
        if place >= self.written {
            let from = (place - self.written) as usize;
            return Ok(of_bytes(&self.buffer[from..from + size_of::<Sketch>()]));
        }
        let mut bytes = [0; size_of::<Sketch>()];
        read_exact_at(&self.file, &mut bytes, place).map_err(fail)?;
        Ok(bytes)
    }

    fn each(&self, give: &mut dyn FnMut(u32, &Sketch)) -> Result<(), FileError> {
        let mut chunk = vec![0; BUFFER / size_of::<Sketch>() * size_of::<Sketch>()];
        let (mut place, mut at) = (0, 0);
        while place < self.written {
            let length = chunk.len().min((self.written - place) as usize);
            read_exact_at(&self.file, &mut chunk[..length], place).map_err(fail)?;
            for sketch in chunk[..length].chunks_exact(size_of::<Sketch>()) {
                give(at, sketch.try_into().expect("chunks of the size of a sketch"));
                at += 1;
            }
            place += length as u64;
        }
        let count = self.written / size_of::<Sketch>() as u64;
        let rest = self.buffer.chunks_exact(size_of::<Sketch>()).enumerate();
        rest.for_each(|(at, bytes)| give((count + at as u64) as u32, &of_bytes(bytes)));
        Ok(())
    }
}
