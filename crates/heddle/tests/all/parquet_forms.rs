//! Parquet files keep the forms that their columns had.

use std::sync::Arc;

use crate::common::Folder;
use parquet::data_type::{ByteArray, ByteArrayType, DataType, FloatType, Int32Type, Int64Type};
use parquet::file::properties::WriterProperties;
use parquet::file::reader::{FileReader, SerializedFileReader};
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::parser::parse_message_type;

const COLUMNS: &str = "message reviews {
    optional binary review (STRING);
    optional int32 stars;
    optional int32 posted (DATE);
    optional int64 seen (TIMESTAMP(MICROS,true));
    optional int64 local (TIMESTAMP(NANOS,false));
    optional int64 clock (TIME(MICROS,true));
    optional float price;
    optional int32 cost (DECIMAL(7,2));
    optional int64 total (DECIMAL(16,3));
    optional int32 deck (INTEGER(8,true));
    optional int32 seats (INTEGER(32,false));
    optional int64 miles (INTEGER(64,false));
}";

fn put<T: DataType>(group: &mut SerializedRowGroupWriter<'_, Vec<u8>>, values: &[Option<T::T>]) {
    let levels: Vec<i16> = values.iter().map(|value| i16::from(value.is_some())).collect();
    let there: Vec<T::T> = values.iter().flatten().cloned().collect();
    let mut column = group.next_column().expect("a column").expect("one more");
    column.typed::<T>().write_batch(&there, Some(&levels), None).expect("values");
    column.close().expect("an end");
}

/// Reviews in every form, with a blank in each column.
fn typed() -> Vec<u8> {
    let schema = Arc::new(parse_message_type(COLUMNS).expect("columns"));
    let properties = Arc::new(WriterProperties::builder().build());
    let mut writer = SerializedFileWriter::new(Vec::new(), schema, properties).expect("a writer");
    let mut group = writer.next_row_group().expect("a group");
    let text = |text: &str| Some(ByteArray::from(text));
    put::<ByteArrayType>(&mut group, &[text("warm cabin"), text("cold soup"), None, text("kind crew")]);
    put::<Int32Type>(&mut group, &[Some(5), Some(1), Some(2), None]);
    put::<Int32Type>(&mut group, &[Some(20_000), Some(-719_162), None, Some(0)]);
    put::<Int64Type>(&mut group, &[Some(1_700_000_000_123_456), Some(-1), None, Some(0)]);
    put::<Int64Type>(&mut group, &[None, Some(1), Some(i64::from(u32::MAX) * 1_000_000_000), Some(-1)]);
    put::<Int64Type>(&mut group, &[Some(86_399_999_999), Some(0), Some(1), None]);
    put::<FloatType>(&mut group, &[Some(0.1), Some(-3.5e30), None, Some(1e-7)]);
    put::<Int32Type>(&mut group, &[Some(1_250), Some(-5), Some(0), None]);
    put::<Int64Type>(&mut group, &[Some(1), None, Some(-9_999_999_999_999_999), Some(1_000)]);
    put::<Int32Type>(&mut group, &[Some(-128), Some(127), None, Some(0)]);
    put::<Int32Type>(&mut group, &[Some(-1), Some(0), Some(i32::MIN), None]);
    put::<Int64Type>(&mut group, &[Some(-1), Some(i64::MAX), None, Some(0)]);
    group.close().expect("an end");
    writer.into_inner().expect("bytes")
}

/// The columns of a file as they are declared, and its rows in words.
fn read(folder: &Folder, name: &str) -> (Vec<String>, Vec<String>) {
    let file = std::fs::File::open(folder.path(name)).expect("a file");
    let reader = SerializedFileReader::new(file).expect("a Parquet file");
    let schema = reader.metadata().file_metadata().schema_descr_ptr();
    let column = |at: usize| {
        let own = schema.column(at);
        let info = own.self_type().get_basic_info();
        format!("{} {:?} {:?}", own.name(), own.physical_type(), info.logical_type_ref())
    };
    let rows = reader.get_row_iter(None).expect("rows").map(|row| row.expect("a row").to_string());
    ((0..schema.num_columns()).map(column).collect(), rows.collect())
}

#[test]
fn rows_that_pass_through_keep_the_forms_of_their_columns() {
    let folder = Folder::with_many(300).file("typed.parquet", typed());
    let (columns, rows) = read(&folder, "typed.parquet");
    assert_eq!((columns.len(), rows.len()), (12, 4));
    folder.done(&["sample", "typed.parquet", "--share", "100%", "--out", "same.parquet"]);
    assert_eq!(read(&folder, "same.parquet"), (columns.clone(), rows));
    // Columns of ours stand behind those that were there.
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    folder.done(&["score", "m.heddle", "typed.parquet", "--out", "scored.parquet"]);
    let (scored, _) = read(&folder, "scored.parquet");
    assert_eq!(scored[..12], columns[..]);
    assert!(scored[12..].iter().any(|column| column.starts_with("p_positive DOUBLE")), "{scored:?}");
}

#[test]
fn columns_of_files_that_differ_in_form_hold_what_both_hold() {
    let folder = Folder::new()
        .file("typed.parquet", typed())
        .file("more.csv", "review,stars,posted,deck\ngood soup,4,yesterday,upper\n");
    folder.done(&["sample", "typed.parquet", "more.csv", "--share", "100%", "--out", "both.parquet"]);
    let (columns, rows) = read(&folder, "both.parquet");
    assert!(columns.contains(&"posted BYTE_ARRAY Some(String)".to_string()), "{columns:?}");
    assert!(rows.len() == 5 && rows.iter().any(|row| row.contains("yesterday")), "{rows:?}");
}

/// Three groups of reviews by day; the texts of the second cannot be decoded.
fn grouped(damaged: bool) -> Vec<u8> {
    let columns =
        "message reviews { required binary review (STRING); required int32 stars; required int32 day; }";
    let schema = Arc::new(parse_message_type(columns).expect("columns"));
    let properties = Arc::new(WriterProperties::builder().set_dictionary_enabled(false).build());
    let mut writer = SerializedFileWriter::new(Vec::new(), schema, properties).expect("a writer");
    for day in [1, 5, 9] {
        let mut group = writer.next_row_group().expect("a group");
        let texts: Vec<ByteArray> =
            (0..40).map(|row| ByteArray::from(format!("cabin {row} on day {day}").as_str())).collect();
        let stars: Vec<i32> = (0..40).map(|row| 1 + row % 5).collect();
        let mut column = group.next_column().expect("a column").expect("one more");
        column.typed::<ByteArrayType>().write_batch(&texts, None, None).expect("values");
        column.close().expect("an end");
        for values in [stars, (0..40).map(|row| day + row % 2).collect()] {
            let mut column = group.next_column().expect("a column").expect("one more");
            column.typed::<Int32Type>().write_batch(&values, None, None).expect("values");
            column.close().expect("an end");
        }
        group.close().expect("an end");
    }
    let mut bytes = writer.into_inner().expect("bytes");
    if damaged {
        let at = bytes.windows(17).position(|part| part == b"cabin 20 on day 5").expect("a text");
        bytes[at] = 0xff; // no text in UTF-8
    }
    bytes
}

#[test]
fn parts_of_a_file_that_no_condition_keeps_are_not_decoded_and_every_row_is_counted() {
    let folder = Folder::new().file("whole.parquet", grouped(false)).file("damaged.parquet", grouped(true));
    let account = |file: &str, keep: &str| {
        let keep = format!("reviews.keep=[\"{keep}\"]");
        let mut account =
            folder.json(&["label", file, "--set", &keep, "--out", "l.csv", "--force"])["account"].take();
        account["written"] = folder.text("l.csv").lines().count().into();
        account
    };
    let counted = |keep: &str| {
        let (whole, damaged) = (account("whole.parquet", keep), account("damaged.parquet", keep));
        assert_eq!(whole, damaged, "{keep}");
        assert_eq!(whole["read"], 120);
        whole["not_kept"].as_u64().expect("a number")
    };
    assert_eq!(
        ["day < 4", "day >= 7.5", "day = 2, 10", "day > 9", "day <= 1", "day = 99"].map(counted),
        [80, 80, 80, 100, 100, 120]
    );
    // Where a group may hold one, it is looked at.
    for keep in ["day != 5", "day >= 6", "stars >= 4"] {
        let keep = format!("reviews.keep=[\"{keep}\"]");
        let run = folder.run(&["label", "damaged.parquet", "--set", &keep]);
        assert_eq!(run.code, 3, "{}", run.err);
    }
    // The same rows are learnt from as of a file without groups.
    folder.done(&["sample", "whole.parquet", "--share", "100%", "--out", "whole.csv"]);
    let train = |file: &str, model: &str| {
        folder.done(&[
            "train",
            file,
            "--out",
            model,
            "--set",
            "reviews.keep=[\"day < 4\"]",
            "--set",
            "terms.at_least=1",
        ]);
        folder.bytes(model)
    };
    assert!(train("damaged.parquet", "a.heddle") == train("whole.csv", "b.heddle"));
}
