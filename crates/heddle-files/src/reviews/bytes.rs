//! From the bytes of a file to text in UTF-8: unpacked, decoded, counted.

use std::cell::{Cell, RefCell};
use std::io::{self, Read};
use std::rc::Rc;

use encoding_rs::{DecoderResult, UTF_16BE, UTF_16LE, WINDOWS_1252};
use flate2::read::MultiGzDecoder;
use heddle_core::settings::{Encoding, Limits};
use heddle_core::text::bytes_that;

use super::limit::{Bounded, Counted};
use crate::error::Stop;

const CHUNK: usize = 256 * 1024;
/// What stands where bytes are no character.
const REPLACEMENT: &str = "\u{fffd}";

/// What was seen on the way from bytes to text.
#[derive(Debug, Clone, Default)]
pub(crate) struct Decoded {
    /// The encoding in use; UTF-8 as long as only ASCII has come.
    pub encoding: Encoding,
    /// Line feeds so far.
    pub lines: u64,
    /// Sequences of bytes that are no character, replaced by U+FFFD.
    pub replaced: u64,
    /// The line of the first of them, from 1.
    pub first_replaced: Option<u64>,
    /// Bytes that are no UTF-8 and were read as Windows-1252, since so far no more of the text
    /// was UTF-8.
    pub single: u64,
    /// The line of the first of them, from 1.
    pub first_single: Option<u64>,
}

/// Unpacks gzip and zstandard, told by their first bytes; gives the name of the packing. What
/// unpacks to more than the limits allow is an error as soon as it does.
pub(crate) fn unpacked(
    mut source: Box<dyn Read>,
    limits: Limits,
) -> io::Result<(Box<dyn Read>, Option<&'static str>)> {
    let mut head = Vec::with_capacity(4);
    source.by_ref().take(4).read_to_end(&mut head)?;
    let (gzip, zstd) = (is_gzip(&head), is_zstd(&head));
    let packed = Rc::new(Cell::new(0));
    let whole = Counted { source: io::Cursor::new(head).chain(source), taken: Rc::clone(&packed) };
    let bounded = |source: Box<dyn Read>| Box::new(Bounded { source, packed, given: 0, limits });
    Ok(if gzip {
        let unpacking = MultiGzDecoder::new(io::BufReader::with_capacity(CHUNK, whole));
        (bounded(Box::new(unpacking)), Some("gzip"))
    } else if zstd {
        (bounded(Box::new(zstd::Decoder::new(whole)?)), Some("zstd"))
    } else {
        (Box::new(whole), None)
    })
}

/// Whether data that begin so are packed.
pub(crate) fn is_packed(head: &[u8]) -> bool {
    is_gzip(head) || is_zstd(head)
}

fn is_gzip(head: &[u8]) -> bool {
    head.starts_with(&[0x1f, 0x8b])
}

fn is_zstd(head: &[u8]) -> bool {
    head.starts_with(&[0x28, 0xb5, 0x2f, 0xfd])
}

/// How the next bytes are to be read.
enum State {
    /// Nothing has come.
    Start,
    /// Nobody has said what may come: what is UTF-8 is read so, whatever stands around it.
    Open,
    Utf8,
    /// One byte a character: Windows-1252, or its sister Latin-1, which differs in
    /// characters that texts do not hold.
    Single {
        latin: bool,
    },
    Wide(Box<encoding_rs::Decoder>),
}

/// A source that gives UTF-8, whatever the bytes are written in.
///
/// Without a byte order mark the encoding stays open to the end: characters that are well-formed
/// UTF-8 are read so, and other bytes beyond ASCII as Windows-1252 as long as they are the more
/// frequent ones, else they are replaced. A stray byte spoils no other character, and a file is
/// never looked at twice.
pub(crate) struct Decoder {
    source: Box<dyn Read>,
    wanted: Encoding,
    state: State,
    raw: Vec<u8>,
    out: Vec<u8>,
    at: usize,
    /// Characters beyond ASCII that are UTF-8, and bytes that are not, while the encoding is open.
    well: u64,
    ill: u64,
    seen: Rc<RefCell<Decoded>>,
    /// Whether the source paused behind what was decoded last.
    paused: bool,
}

impl Decoder {
    pub(crate) fn new(source: Box<dyn Read>, wanted: Encoding) -> (Self, Rc<RefCell<Decoded>>) {
        let seen = Rc::new(RefCell::new(Decoded::default()));
        let decoder = Self {
            source,
            wanted,
            state: State::Start,
            raw: Vec::new(),
            out: Vec::new(),
            at: 0,
            well: 0,
            ill: 0,
            seen: Rc::clone(&seen),
            paused: false,
        };
        (decoder, seen)
    }

    /// The first bytes, as many as are asked for; fewer where the text ends, or pauses with `enough` of it.
    pub(crate) fn head(&mut self, most: usize, enough: impl Fn(&[u8]) -> bool) -> io::Result<Vec<u8>> {
        let (mut head, mut filled) = (vec![0; most], 0);
        while filled < most {
            let paused = self.paused && self.at == self.out.len();
            if paused && enough(&head[..filled]) {
                break;
            }
            let length = self.read(&mut head[filled..])?;
            if length == 0 {
                break;
            }
            filled += length;
        }
        head.truncate(filled);
        Ok(head)
    }

    /// Reads and decodes a chunk; false at the end of the file.
    fn fill(&mut self) -> io::Result<bool> {
        // Chunks are filled, so that what is read does not depend on how a pipe is fed, unless it pauses.
        self.paused = false;
        let kept = self.raw.len();
        self.raw.resize(kept + CHUNK, 0);
        let mut filled = kept;
        while filled < self.raw.len() {
            match self.source.read(&mut self.raw[filled..]) {
                Ok(0) => break,
                Ok(length) => filled += length,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                    self.paused = filled > kept;
                    if self.paused {
                        break;
                    }
                    // Nothing has come yet: the next read waits.
                }
                Err(error) => return Err(error),
            }
        }
        self.raw.truncate(filled);
        let ended = filled == kept;
        self.out.clear();
        self.at = 0;
        if ended && self.raw.is_empty() {
            // Half a character may be left inside the decoder.
            self.wide(true);
            self.state = State::Utf8;
            return Ok(!self.out.is_empty());
        }
        if matches!(self.state, State::Start) {
            if self.raw.len() < 4 && !ended {
                return Ok(true); // a mark may be cut in two: look again with more
            }
            self.begin()?;
        }
        match &mut self.state {
            State::Start | State::Open | State::Utf8 => self.utf8(ended),
            State::Single { latin } => {
                if *latin {
                    let text = encoding_rs::mem::decode_latin1(&self.raw);
                    self.out.extend_from_slice(text.as_bytes());
                } else {
                    let (text, _) = WINDOWS_1252.decode_without_bom_handling(&self.raw);
                    self.out.extend_from_slice(text.as_bytes());
                }
                self.raw.clear();
            }
            State::Wide(_) => {
                self.wide(ended);
                if ended {
                    self.state = State::Utf8;
                }
            }
        }
        self.seen.borrow_mut().lines += memchr::memchr_iter(b'\n', &self.out).count() as u64;
        Ok(!ended || !self.out.is_empty())
    }

    /// Takes the byte order mark and settles what can be settled.
    fn begin(&mut self) -> io::Result<()> {
        if self.wanted == Encoding::Auto && is_utf32(&self.raw) {
            return Err(Stop::Encoding("UTF-32").error());
        }
        let marks: [(&[u8], Encoding); 3] = [
            (b"\xef\xbb\xbf", Encoding::Utf8),
            (b"\xff\xfe", Encoding::Utf16Le),
            (b"\xfe\xff", Encoding::Utf16Be),
        ];
        let mark = marks.into_iter().find(|(mark, _)| self.raw.starts_with(mark));
        let encoding = match (self.wanted, mark) {
            (Encoding::Auto, Some((_, encoding))) => encoding,
            (Encoding::Auto, None) => wide_by_zeros(&self.raw).unwrap_or(Encoding::Auto),
            (wanted, _) => wanted,
        };
        if let Some((mark, own)) = mark
            && own == encoding
        {
            self.raw.drain(..mark.len());
        }
        let wide = |encoding: &'static encoding_rs::Encoding| {
            State::Wide(Box::new(encoding.new_decoder_without_bom_handling()))
        };
        self.state = match encoding {
            Encoding::Auto => State::Open,
            Encoding::Utf8 => State::Utf8,
            Encoding::Utf16Le => wide(UTF_16LE),
            Encoding::Utf16Be => wide(UTF_16BE),
            Encoding::Windows1252 => State::Single { latin: false },
            Encoding::Latin1 => State::Single { latin: true },
        };
        let shown = if encoding == Encoding::Auto { Encoding::Utf8 } else { encoding };
        self.seen.borrow_mut().encoding = shown;
        Ok(())
    }

    fn utf8(&mut self, ended: bool) {
        if std::str::from_utf8(&self.raw).is_ok() {
            // The usual case: the chunk is passed on as it is.
            self.well += well_formed(&self.raw);
            if matches!(self.state, State::Open) && self.well >= self.ill {
                self.seen.borrow_mut().encoding = Encoding::Utf8;
            }
            std::mem::swap(&mut self.raw, &mut self.out);
            self.raw.clear();
            return;
        }
        let single = self.judge(ended);
        let mut rest = &self.raw[..];
        loop {
            match std::str::from_utf8(rest) {
                Ok(_) => {
                    self.out.extend_from_slice(rest);
                    self.raw.clear();
                    return;
                }
                Err(error) => {
                    let (good, bad) = rest.split_at(error.valid_up_to());
                    self.out.extend_from_slice(good);
                    let length = match error.error_len() {
                        Some(length) => length,
                        None if ended => bad.len(),
                        None => {
                            let tail = bad.to_vec(); // a character cut in two by the chunk
                            self.raw = tail;
                            return;
                        }
                    };
                    let mut seen = self.seen.borrow_mut();
                    if single {
                        seen.note_single(&bad[..length], &self.out);
                        let (text, _) = WINDOWS_1252.decode_without_bom_handling(&bad[..length]);
                        self.out.extend_from_slice(text.as_bytes());
                    } else {
                        note_replaced(&mut seen, &self.out);
                        self.out.extend_from_slice(REPLACEMENT.as_bytes());
                    }
                    rest = &bad[length..];
                }
            }
        }
    }

    /// Counts what speaks for UTF-8 in this chunk and what speaks against it; gives whether bytes
    /// that are none are single characters.
    fn judge(&mut self, ended: bool) -> bool {
        if !matches!(self.state, State::Open) {
            return false;
        }
        let (mut rest, mut high) = (&self.raw[..], false);
        loop {
            let (valid, error) = match std::str::from_utf8(rest) {
                Ok(text) => (text.as_bytes(), None),
                Err(error) => (&rest[..error.valid_up_to()], Some(error)),
            };
            self.well += well_formed(valid);
            let Some(error) = error else { break };
            let left = rest.len() - error.valid_up_to();
            let Some(length) = error.error_len().or(ended.then_some(left)) else { break };
            let (bad, next) = rest[error.valid_up_to()..].split_at(length);
            self.ill += 1;
            high |= bad.iter().any(|byte| (0x80..0xa0).contains(byte));
            rest = next;
        }
        let single = self.ill > self.well;
        let mut seen = self.seen.borrow_mut();
        if !single {
            seen.encoding = Encoding::Utf8;
        } else if high || seen.encoding == Encoding::Windows1252 {
            seen.encoding = Encoding::Windows1252;
        } else {
            seen.encoding = Encoding::Latin1;
        }
        single
    }

    fn wide(&mut self, ended: bool) {
        let State::Wide(decoder) = &mut self.state else { return };
        let mut rest = &self.raw[..];
        let mut room = vec![0; decoder.max_utf8_buffer_length(rest.len()).unwrap_or(4 * rest.len() + 16)];
        loop {
            let (result, read, written) = decoder.decode_to_utf8_without_replacement(rest, &mut room, ended);
            self.out.extend_from_slice(&room[..written]);
            rest = &rest[read..];
            match result {
                DecoderResult::InputEmpty => break,
                DecoderResult::OutputFull => {}
                DecoderResult::Malformed(..) => {
                    note_replaced(&mut self.seen.borrow_mut(), &self.out);
                    self.out.extend_from_slice(REPLACEMENT.as_bytes());
                }
            }
        }
        self.raw.clear();
    }
}

/// The characters of more than one byte in well-formed text: a first byte above 0xbf begins one.
fn well_formed(text: &[u8]) -> u64 {
    bytes_that(text, |byte| byte >= 0xc0) as u64
}

fn note_replaced(seen: &mut Decoded, before: &[u8]) {
    seen.replaced += 1;
    seen.first_replaced = seen.first_replaced.or_else(|| Some(seen.line(before)));
}

impl Decoded {
    /// The line on which something stands, behind what was decoded of this chunk before it.
    fn line(&self, before: &[u8]) -> u64 {
        1 + self.lines + memchr::memchr_iter(b'\n', before).count() as u64
    }

    fn note_single(&mut self, bytes: &[u8], before: &[u8]) {
        self.single += bytes.len() as u64;
        self.first_single = self.first_single.or_else(|| Some(self.line(before)));
    }
}

/// UTF-16 without a mark: in Western text every second byte is zero.
fn wide_by_zeros(head: &[u8]) -> Option<Encoding> {
    let head = &head[..head.len().min(1024)];
    let zeros = |odd: usize| head.iter().skip(odd).step_by(2).filter(|byte| **byte == 0).count() * 2;
    let (even, odd) = (zeros(0), zeros(1));
    match head.len() {
        length if odd * 10 > length * 7 && even * 10 < length => Some(Encoding::Utf16Le),
        length if even * 10 > length * 7 && odd * 10 < length => Some(Encoding::Utf16Be),
        _ => None,
    }
}

/// UTF-32, by its mark or by three zeros in each four bytes.
fn is_utf32(head: &[u8]) -> bool {
    let marked = head.starts_with(&[0xff, 0xfe, 0, 0]) || head.starts_with(&[0, 0, 0xfe, 0xff]);
    let fours = || head[..head.len().min(1024)].chunks_exact(4);
    let wide = |four: &[u8]| four[..3] == [0; 3] || four[1..] == [0; 3];
    marked || (fours().len() >= 2 && fours().filter(|four| wide(four)).count() * 10 > fours().len() * 7)
}

impl Read for Decoder {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.at == self.out.len() {
            if !self.fill()? {
                return Ok(0);
            }
        }
        let length = buffer.len().min(self.out.len() - self.at);
        buffer[..length].copy_from_slice(&self.out[self.at..self.at + length]);
        self.at += length;
        Ok(length)
    }
}
