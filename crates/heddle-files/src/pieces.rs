//! Files that are read in pieces, from several places at once.

use std::fs::File;
use std::io::{self, Read};

use rayon::prelude::*;

/// Bytes that a core reads at a time. To read a file that is in memory already is to have memory given: all cores ask
/// for theirs.
const PIECE: usize = 1 << 21;

/// The bytes of a file, read on all cores; those of a pipe as they come.
pub(crate) fn read_whole(path: &str) -> io::Result<Vec<u8>> {
    let mut file = File::open(path)?;
    let about = file.metadata()?;
    let length = usize::try_from(about.len()).unwrap_or(usize::MAX);
    if !about.is_file() || length <= PIECE {
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes)?;
        return Ok(bytes);
    }
    let mut bytes = vec![0; length];
    let read = |(at, piece): (usize, &mut [u8])| read_exact_at(&file, piece, (at * PIECE) as u64);
    bytes.par_chunks_mut(PIECE).enumerate().try_for_each(read)?;
    Ok(bytes)
}

/// Reads from a place of a file, whoever else reads from another.
#[cfg(unix)]
pub(crate) fn read_exact_at(file: &File, bytes: &mut [u8], place: u64) -> io::Result<()> {
    std::os::unix::fs::FileExt::read_exact_at(file, bytes, place)
}

#[cfg(windows)]
pub(crate) fn read_exact_at(file: &File, mut bytes: &mut [u8], mut place: u64) -> io::Result<()> {
    while !bytes.is_empty() {
        let read = std::os::windows::fs::FileExt::seek_read(file, bytes, place)?;
        if read == 0 {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        (bytes, place) = (&mut bytes[read..], place + read as u64);
    }
    Ok(())
}
