//! Word vectors from open text files.
//!
//! A header line of two numbers, how many words and how many numbers each has, then a line for each word: the word and its
//! numbers, separated by blanks. Files may be packed with gzip or zstandard. Lines are streamed, and only words that are
//! asked for are kept; of all other lines no number is read, so that a large file costs little more than finding its lines.

use std::fs::File;
use std::io::{BufRead, BufReader};

use heddle_core::settings::Limits;
use heddle_core::terms::vectors::WordVectors;
use rustc_hash::{FxHashMap, FxHashSet};

use crate::error::FileError;
use crate::reviews::bytes::unpacked;

/// Bytes that are read at a time.
const CHUNK: usize = 1 << 20;
/// More numbers than this are no vector.
const MOST_NUMBERS: usize = 10_000;

/// Vectors of the words that were asked for.
#[derive(Debug)]
pub struct ReadVectors {
    /// The vectors.
    pub vectors: WordVectors,
    /// The words that were asked for, each once.
    pub asked: usize,
    /// Of these, the ones that the file has as they are written.
    pub as_written: usize,
    /// Those that it has in other capital letters alone.
    pub other_case: usize,
    /// Words that stand in the file more than once: the first vector counts.
    pub twice: usize,
}

/// Reads the vectors of these words. A word that the file has in other capital letters alone gets the first such vector.
///
/// # Errors
/// A file that cannot be read, has no header, is cut short or goes on beyond what its header says; a kept line that has
/// too few or too many numbers, or one that is none.
pub fn read_vectors<'w>(path: &str, words: impl Iterator<Item = &'w str>) -> Result<ReadVectors, FileError> {
    let fail = |error| FileError::io(path, error);
    let wrong = |line: u64, what: String| FileError::Vectors { path: path.into(), line, message: what };
    let wanted: FxHashSet<&str> = words.collect();
    let file = File::open(path).map_err(fail)?;
    // Vectors pack badly: what unpacks to a thousand times its size is none.
    let (source, _) = unpacked(Box::new(file), Limits::default()).map_err(fail)?;
    let mut lines = Lines { source: BufReader::with_capacity(CHUNK, source), line: Vec::new() };
    let header = lines.next().map_err(fail)?.map(<[u8]>::to_vec).unwrap_or_default();
    let (count, dims) = header_of(&header).ok_or_else(|| {
        wrong(
            1,
            format!(
                "expected two whole numbers, how many words and how many numbers each; found `{}`",
                shown(&header)
            ),
        )
    })?;
    let (mut vectors, mut numbers) = (WordVectors::new(dims), Vec::with_capacity(dims));
    let mut other: FxHashMap<String, Vec<f32>> = FxHashMap::default();
    let (mut line, mut twice) = (1u64, 0);
    while let Some(bytes) = lines.next().map_err(fail)? {
        if line > count && bytes.iter().all(u8::is_ascii_whitespace) {
            continue; // blank lines at the end
        }
        line += 1;
        if line > count + 1 {
            return Err(wrong(
                line,
                format!(
                    "the header tells of {count} words, and here is another: is it the header of this file?"
                ),
            ));
        }
        let end = memchr::memchr(b' ', bytes).or_else(|| memchr::memchr(b'\t', bytes)).unwrap_or(bytes.len());
        let Ok(word) = std::str::from_utf8(&bytes[..end]) else { continue }; // a word of no review
        let lower =
            || Some(word.to_lowercase()).filter(|lower| lower != word && wanted.contains(lower.as_str()));
        let exact = wanted.contains(word);
        let of_other = if exact { None } else { lower() };
        if !exact && of_other.is_none() {
            continue;
        }
        numbers.clear();
        for number in bytes[end..].split(|byte| byte.is_ascii_whitespace()).filter(|part| !part.is_empty()) {
            let read = std::str::from_utf8(number).ok().and_then(|text| text.parse::<f32>().ok());
            match read.filter(|number| number.is_finite()) {
                Some(number) if numbers.len() < dims => numbers.push(number),
                Some(_) => {
                    return Err(wrong(
                        line,
                        format!("`{word}` has more than the {dims} numbers that the header tells of"),
                    ));
                }
                None => {
                    return Err(wrong(
                        line,
                        format!(
                            "`{}` is no number that can be reckoned with, in the vector of `{word}`",
                            shown(number)
                        ),
                    ));
                }
            }
        }
        if numbers.len() < dims {
            let found = numbers.len();
            return Err(wrong(
                line,
                format!("`{word}` has {found} numbers, the header tells of {dims}: is the file cut short?"),
            ));
        }
        match of_other {
            None => twice += usize::from(!vectors.add(word, &numbers)),
            Some(lower) => {
                other.entry(lower).or_insert_with(|| numbers.clone());
            }
        }
    }
    if line < count + 1 {
        let found = line - 1;
        return Err(wrong(
            line,
            format!(
                "the file ends after {found} of the {count} words that its header tells of: it is cut short"
            ),
        ));
    }
    let as_written = vectors.len();
    let mut rest: Vec<(String, Vec<f32>)> = other.into_iter().collect();
    rest.sort_unstable_by(|a, b| a.0.cmp(&b.0)); // the order of the file plays no role
    let mut other_case = 0;
    for (word, numbers) in
        rest.iter().filter(|(word, _)| vectors.words().place(word).is_none()).collect::<Vec<_>>()
    {
        other_case += usize::from(vectors.add(word, numbers));
    }
    Ok(ReadVectors { vectors, asked: wanted.len(), as_written, other_case, twice })
}

fn header_of(line: &[u8]) -> Option<(u64, usize)> {
    let mut parts = std::str::from_utf8(line).ok()?.split_whitespace();
    let (count, dims) = (parts.next()?.parse().ok()?, parts.next()?.parse().ok()?);
    (parts.next().is_none() && (1..=MOST_NUMBERS).contains(&dims)).then_some((count, dims))
}

fn shown(bytes: &[u8]) -> String {
    String::from_utf8_lossy(&bytes[..bytes.len().min(60)]).into_owned()
}

/// Lines of a source, in room that stays.
struct Lines<R> {
    source: R,
    line: Vec<u8>,
}

impl<R: BufRead> Lines<R> {
    /// The next line without its end.
    fn next(&mut self) -> std::io::Result<Option<&[u8]>> {
        self.line.clear();
        if self.source.read_until(b'\n', &mut self.line)? == 0 {
            return Ok(None);
        }
        let line = self.line.strip_suffix(b"\n").unwrap_or(&self.line);
        Ok(Some(line.strip_suffix(b"\r").unwrap_or(line)))
    }
}
