//! Arrow streams as other programs write them.
#![cfg(feature = "arrow")]

use std::fs;
use std::sync::Arc;

use arrow_array::builder::{ListBuilder, StringBuilder, StringDictionaryBuilder};
use arrow_array::types::Int32Type;
use arrow_array::{
    ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int16Array, RecordBatch, StringArray,
    StringViewArray, TimestampMillisecondArray, UInt64Array,
};
use arrow_ipc::writer::{FileWriter, StreamWriter};
use heddle_core::settings::Form;
use heddle_files::{CellKind, FileError, FileFormat, Input, Record};

/// Columns of every type that is read, and two batches of them.
fn batch(from: i16) -> RecordBatch {
    let mut channel = StringDictionaryBuilder::<Int32Type>::new();
    [Some("web"), None, Some("desk")].into_iter().for_each(|word| channel.append_option(word));
    let at = |zone: Option<&str>| {
        let moments = TimestampMillisecondArray::from(vec![Some(1_764_201_600_250), None, Some(-1)]);
        zone.map_or(moments.clone(), |zone| moments.with_timezone(zone))
    };
    let text = [format!("warm, \"kind\" {from}"), "cold\nrude".into(), String::new()];
    let columns: [(&str, ArrayRef); 9] = [
        ("review", Arc::new(StringArray::from(text.to_vec()))),
        (
            "title",
            Arc::new(StringViewArray::from(vec![
                Some("a title of more than twelve letters"),
                None,
                Some("ü"),
            ])),
        ),
        ("stars", Arc::new(Int16Array::from(vec![Some(from), Some(-2), None]))),
        ("votes", Arc::new(UInt64Array::from(vec![u64::MAX, 0, 1]))),
        ("share", Arc::new(Float64Array::from(vec![Some(0.1), None, Some(1e300)]))),
        ("sold", Arc::new(BooleanArray::from(vec![Some(true), Some(false), None]))),
        ("channel", Arc::new(channel.finish())),
        ("posted", Arc::new(at(Some("+02:00")))),
        (
            "fee",
            Arc::new(
                Decimal128Array::from(vec![Some(1250), Some(-5), None])
                    .with_precision_and_scale(9, 2)
                    .expect("digits"),
            ),
        ),
    ];
    let more: [(&str, ArrayRef); 2] = [
        ("seen", Arc::new(at(None))),
        ("day", Arc::new(Date32Array::from(vec![Some(0), Some(20_000), None]))),
    ];
    RecordBatch::try_from_iter(columns.into_iter().chain(more)).expect("a batch")
}

fn stream(batches: &[RecordBatch]) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut writer = StreamWriter::try_new(&mut bytes, batches[0].schema_ref()).expect("a writer");
    batches.iter().for_each(|batch| writer.write(batch).expect("a batch is written"));
    writer.finish().expect("a stream");
    bytes
}

/// The columns and rows of a file of these bytes.
fn read(bytes: &[u8], name: &str) -> Result<(Input, Vec<Vec<String>>), FileError> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join(name);
    fs::write(&path, bytes).expect("the folder can be written");
    let input = Input::gather(&[path.display().to_string()], &Form::default())?;
    let (mut reviews, mut record, mut rows) = (input.rows()?, Record::new(), Vec::new());
    while let Some(read) = reviews.next(&mut record)? {
        rows.push(
            read.map_or_else(
                |refusal| vec![refusal.to_string()],
                |_| record.iter().map(String::from).collect(),
            ),
        );
    }
    assert_eq!(reviews.manners()[0].format, FileFormat::Arrow);
    Ok((input, rows))
}

#[test]
fn every_type_is_read_as_other_programs_write_it() {
    let bytes = stream(&[batch(4), batch(1).slice(0, 0), batch(1)]);
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("odd-name").display().to_string();
    fs::write(&path, &bytes).expect("the folder can be written");
    let reviews = Input::gather(&[path], &Form::default()).expect("an input").rows().expect("rows");
    let kinds: Vec<CellKind> = reviews.columns().iter().map(|column| column.kind).collect();
    use CellKind::{Digits, Flag, Number, Text, Whole};
    assert_eq!(kinds, [Text, Text, Whole, Digits, Number, Flag, Text, Text, Digits, Text, Text]);
    let (_, rows) = read(&bytes, "x.arrows").expect("a stream");
    assert_eq!(rows.len(), 6);
    assert_eq!(
        rows[0],
        [
            "warm, \"kind\" 4",
            "a title of more than twelve letters",
            "4",
            "18446744073709551615",
            "0.1",
            "true",
            "web",
            "2025-11-27 00:00:00.250 +00:00",
            "12.50",
            "2025-11-27 00:00:00.250",
            "1970-01-01",
        ]
    );
    assert_eq!(rows[1][1..], ["", "-2", "0", "", "false", "", "", "-0.05", "", "2024-10-04"]);
    assert_eq!(rows[2][7], "1969-12-31 23:59:59.999 +00:00");
    assert_eq!((rows[3][0].as_str(), rows[5][4].parse::<f64>()), ("warm, \"kind\" 1", Ok(1e300)));
}

#[test]
fn what_is_cut_short_damaged_or_something_else_is_an_error() {
    let bytes = stream(&[batch(4), batch(1)]);
    let whole = read(&bytes, "x.arrows").expect("a stream").1;
    for length in (0..bytes.len() - 8).step_by(7) {
        match read(&bytes[..length], "x.arrows") {
            // An end between two batches is one that a writer may make by going away.
            Ok((_, rows)) => assert!(whole.starts_with(&rows) && rows.len() % 3 == 0, "{length}"),
            Err(error) => assert!(error.to_string().contains("x.arrows"), "{length}: {error}"),
        }
    }
    let told = |bytes: &[u8]| read(bytes, "x.arrows").map(|_| ()).expect_err("no stream").to_string();
    assert!(told(&bytes[..100]).contains("before its columns are named"), "{}", told(&bytes[..100]));
    assert!(told(&bytes[..bytes.len() - 500]).contains("in the middle of a record batch"));
    let mut state = 7u64;
    for _ in 0..2_000 {
        let mut own = bytes.clone();
        for _ in 0..3 {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            let at = (state >> 33) as usize % own.len();
            own[at] ^= (state >> 20) as u8;
        }
        let _ = read(&own, "x.arrows"); // whatever comes of it, it ends
    }
    let mut file = Vec::new();
    let mut writer = FileWriter::try_new(&mut file, batch(1).schema_ref()).expect("a writer");
    writer.write(&batch(1)).and_then(|()| writer.finish()).expect("a file");
    drop(writer);
    assert!(told(&file).contains("write it as a stream (.arrows)"));
    let mut list = ListBuilder::new(StringBuilder::new());
    list.append_value([Some("a")]);
    let lists = RecordBatch::try_from_iter([("tags", Arc::new(list.finish()) as ArrayRef)]).expect("a batch");
    let message = told(&stream(&[lists]));
    assert!(message.contains("column `tags` holds List") && message.contains("leave it out"), "{message}");
}
