//! How a delimited file is written: its delimiter, its quotes, its header.

use csv::{ByteRecord, ReaderBuilder};
use heddle_core::settings::{Form, Header, Quotes};

use super::preamble::header_row;

const DELIMITERS: [u8; 4] = [b',', b'\t', b';', b'|'];
/// A first row with a longer cell holds no names.
const LONGEST_NAME: usize = 120;

/// How a delimited file is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Dialect {
    pub delimiter: u8,
    /// Whether a double quote holds a field together; else it is an ordinary character.
    pub quotes: bool,
    pub header: bool,
}

impl Dialect {
    /// What the form says, and for the rest what fits the head of the file best.
    pub(crate) fn detect(head: &[u8], form: &Form) -> Self {
        let quoted = form.quotes != Quotes::Literal;
        let delimiter = form.delimiter.unwrap_or_else(|| delimiter(head, quoted));
        let quotes = match form.quotes {
            Quotes::Csv => true,
            Quotes::Literal => false,
            Quotes::Auto => holds_together(head, delimiter),
        };
        let header = match form.header {
            Header::Yes => true,
            Header::No => false,
            Header::Auto => has_header(&records(head, delimiter, quotes)),
        };
        Self { delimiter, quotes, header }
    }
}

/// What stands above the names of the columns.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Above {
    /// Where the names begin.
    pub bytes: usize,
    /// The lines before them.
    pub lines: u64,
    /// The delimiter, where a line says which it is, as in `sep=;`.
    pub delimiter: Option<u8>,
}

impl Above {
    /// What the form says, or what looking tells.
    pub(crate) fn detect(head: &[u8], form: &Form) -> Self {
        let mut above = Self::default();
        let first = head.split(|byte| *byte == b'\n').next().unwrap_or_default();
        if let [b's' | b'S', b'e' | b'E', b'p' | b'P', b'=', delimiter] =
            first.strip_suffix(b"\r").unwrap_or(first)
        {
            above.delimiter = Some(*delimiter);
            above.pass(head, (first.len() + 1).min(head.len()));
        }
        if let Some(lines) = form.skip {
            let ends = head.iter().enumerate().filter(|(_, byte)| **byte == b'\n').map(|(at, _)| at + 1);
            let end = ends.take(lines as usize).last().unwrap_or(0);
            if end > above.bytes {
                above.pass(head, end);
            }
            return above;
        }
        let delimiters = match form.delimiter.or(above.delimiter) {
            Some(delimiter) => vec![delimiter],
            None => DELIMITERS.to_vec(),
        };
        let rest = &head[above.bytes..];
        let found = delimiters.into_iter().filter_map(|delimiter| names_behind(rest, delimiter, form)).max();
        if let Some((_, bytes)) = found {
            let blank = head[above.bytes + bytes..].iter().take_while(|byte| matches!(byte, b'\r' | b'\n'));
            above.pass(head, above.bytes + bytes + blank.count());
        }
        above
    }

    fn pass(&mut self, head: &[u8], to: usize) {
        self.bytes = to;
        self.lines = memchr::memchr_iter(b'\n', &head[..to]).count() as u64;
    }
}

/// Where names stand behind other lines, if they do under this delimiter; and how many rows fit them.
fn names_behind(head: &[u8], delimiter: u8, form: &Form) -> Option<(usize, usize)> {
    let records = records(head, delimiter, form.quotes != Quotes::Literal);
    let cells: Vec<Vec<&[u8]>> = records
        .iter()
        .map(|record| record.iter().filter(|cell| !cell.trim_ascii().is_empty()).collect())
        .collect();
    let at = header_row(&cells)?;
    let behind = &records[at + 1..];
    let fitting = behind.iter().filter(|record| record.len() == records[at].len()).count();
    let told = !behind.is_empty() && 10 * fitting >= 8 * behind.len() && cells[at].len() == records[at].len();
    told.then(|| (fitting, records[at].position().map_or(0, |place| place.byte() as usize)))
}

/// The whole records of the head; the last may be cut off and is left out, if it is not
/// the only one.
fn records(head: &[u8], delimiter: u8, quotes: bool) -> Vec<ByteRecord> {
    let mut reader = ReaderBuilder::new()
        .delimiter(delimiter)
        .quoting(quotes)
        .flexible(true)
        .has_headers(false)
        .from_reader(head);
    let mut records: Vec<ByteRecord> = reader.byte_records().map_while(Result::ok).collect();
    if records.len() > 1 {
        records.pop();
    }
    records
}

/// The delimiter under which the most records have as many fields as the first, the wider
/// first record winning a tie; a comma where the first has one field only.
fn delimiter(head: &[u8], quotes: bool) -> u8 {
    let fit = |delimiter: u8| {
        let records = records(head, delimiter, quotes);
        let width = records.first().map_or(1, ByteRecord::len);
        (width > 1).then_some((fitting(&records) * 1000 / records.len().max(1), width))
    };
    let best = DELIMITERS.into_iter().rev().map(|delimiter| (fit(delimiter), delimiter)).max();
    best.filter(|(fit, _)| fit.is_some()).map_or(b',', |(_, delimiter)| delimiter)
}

/// Whether a head holds fields: its records have as many as the first, which has two or more.
pub(crate) fn is_delimited(head: &[u8]) -> bool {
    let records = records(head, delimiter(head, true), true);
    let width = records.first().map_or(0, ByteRecord::len);
    width > 1 && 10 * fitting(&records) >= 9 * records.len()
}

fn fitting(records: &[ByteRecord]) -> usize {
    let width = records.first().map_or(0, ByteRecord::len);
    records.iter().filter(|record| record.len() == width).count()
}

/// Whether double quotes hold fields together: so it is where they open and close fields
/// as they should, or where reading them so gives more whole rows than reading every line
/// as a row.
fn holds_together(head: &[u8], delimiter: u8) -> bool {
    let (proper, stray) = quoted_fields(head, delimiter);
    if stray == 0 {
        return true;
    }
    let (together, apart) =
        (fitting(&records(head, delimiter, true)), fitting(&records(head, delimiter, false)));
    together > apart || (together == apart && proper >= stray)
}

/// Quoted fields that end as they should, with the closing quote before a delimiter or a
/// line end, and those that do not.
fn quoted_fields(head: &[u8], delimiter: u8) -> (usize, usize) {
    let ends = |byte: Option<&u8>| match byte {
        None => true,
        Some(byte) => *byte == delimiter || matches!(byte, b'\r' | b'\n'),
    };
    let (mut proper, mut stray, mut at) = (0, 0, 0);
    let mut field_begins = true;
    while at < head.len() {
        if field_begins && head[at] == b'"' {
            at += 1;
            loop {
                match head[at..].iter().position(|byte| *byte == b'"') {
                    None => return (proper, stray + usize::from(swallows(head, at, delimiter))),
                    Some(ahead) if head.get(at + ahead + 1) == Some(&b'"') => at += ahead + 2,
                    Some(ahead) => {
                        at += ahead + 1;
                        break;
                    }
                }
            }
            if ends(head.get(at)) {
                proper += 1;
            } else {
                stray += 1;
            }
            field_begins = false;
            continue;
        }
        field_begins = head[at] == delimiter || matches!(head[at], b'\r' | b'\n');
        at += 1;
    }
    (proper, stray)
}

/// Whether a quote that is not closed as far as can be seen holds whole rows rather than a
/// long text: three lines or more with the delimiters of the first line.
fn swallows(head: &[u8], opened: usize, delimiter: u8) -> bool {
    let delimiters = |line: &[u8]| line.iter().filter(|byte| **byte == delimiter).count();
    let width = head.split(|byte| *byte == b'\n').next().map_or(0, delimiters);
    let inside = head[opened..].split(|byte| *byte == b'\n').skip(1);
    inside.filter(|line| !line.is_empty() && delimiters(line) == width).take(3).count() == 3
}

/// Whether the first record holds names: none if one of its cells is a number above
/// numbers, comes again below in a column of few values, or is as long as a text.
pub(crate) fn has_header(records: &[ByteRecord]) -> bool {
    let Some((first, rest)) = records.split_first() else { return true };
    let is_number =
        |cell: &[u8]| std::str::from_utf8(cell).is_ok_and(|cell| cell.trim().parse::<f64>().is_ok());
    let below = |at: usize| rest.iter().filter_map(move |record| record.get(at));
    let is_value = |(at, cell): (usize, &[u8])| {
        let numbers = below(at).filter(|cell| is_number(cell)).count();
        let filled = below(at).filter(|cell| !cell.is_empty()).count();
        let again = below(at).filter(|other| *other == cell).count();
        let few = || {
            let mut values: Vec<&[u8]> = below(at).collect();
            values.sort_unstable();
            values.dedup();
            values.len() * 4 <= filled
        };
        cell.len() > LONGEST_NAME
            || (is_number(cell) && filled > 0 && numbers * 10 >= filled * 8)
            || (!cell.is_empty() && again > 0 && few())
    };
    !first.iter().enumerate().any(is_value)
}
