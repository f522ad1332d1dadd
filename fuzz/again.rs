//! Rows made of any bytes, written in a format and read back: every cell is what it was.

use heddle_core::settings::{Encoding, Form, Format, Header, Quotes};
use heddle_files::{CellKind, Column, Input, Outputs, Record, RowWriter};

const ENDINGS: [&str; 9] =
    ["csv", "tsv", "jsonl", "json", "parquet", "csv.gz", "tsv.zst", "jsonl.zst", "json.gz"];

pub fn again(bytes: &[u8]) {
    let [ending, rest @ ..] = bytes else { return };
    let ending = ENDINGS[*ending as usize % ENDINGS.len()];
    let kinds = [CellKind::Text, CellKind::Whole, CellKind::Number, CellKind::Flag, CellKind::Digits];
    let column = |(at, kind): (usize, CellKind)| Column::new(format!("c{at}"), kind);
    let columns: Vec<Column> = kinds.into_iter().enumerate().map(column).collect();
    // A cell of text ends at a byte that no text holds; eight bytes before it make the numbers.
    let rows: Vec<[String; 5]> = rest.split(|byte| *byte == 0xff).map(row).collect();
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join(format!("again.{ending}")).display().to_string();
    let outputs = Outputs::default();
    let mut writer = RowWriter::create(&outputs, &path, &columns).expect("a writer");
    rows.iter().for_each(|row| writer.row(row.iter().map(String::as_str)).expect("a row"));
    writer.finish().expect("the end");
    outputs.commit().expect("a name");
    let form = Form {
        format: if ending.contains("sv") { Format::Delimited } else { Format::Auto },
        header: Header::Yes,
        quotes: Quotes::Csv,
        encoding: Encoding::Utf8,
        delimiter: ending.contains("sv").then_some(if ending.starts_with('t') { b'\t' } else { b',' }),
        ..Form::default()
    };
    let mut reviews = Input::gather(&[&path], &form).expect("it is there").rows().expect("it is sound");
    // In JSON a column stands where some row has a value.
    let places: Vec<Option<usize>> = columns
        .iter()
        .map(|own| reviews.columns().iter().position(|column| column.name == own.name))
        .collect();
    let mut record = Record::new();
    for row in &rows {
        let line = reviews.next(&mut record).expect("it is sound").expect("another row");
        assert!(line.is_ok(), "{ending}: {line:?}");
        for (cell, place) in row.iter().zip(&places) {
            assert_eq!(cell, place.map_or("", |place| &record[place]), "{ending}");
        }
    }
    assert!(reviews.next(&mut record).expect("the end").is_none());
}

fn row(bytes: &[u8]) -> [String; 5] {
    let mut eight = [0; 8];
    eight.iter_mut().zip(bytes).for_each(|(to, from)| *to = *from);
    let (number, whole) = (f64::from_le_bytes(eight), i64::from_le_bytes(eight));
    let text = String::from_utf8_lossy(bytes).replace('\0', "0");
    let digits = format!("{}{:020}", whole.unsigned_abs().max(1), eight[0]);
    let number = if number.is_finite() { number.to_string() } else { String::new() };
    let flag = ["", "true", "false"][eight[1] as usize % 3];
    [text, whole.to_string(), number, flag.into(), digits]
}
