//! Parquet files keep the forms that their columns had.

mod common;

use std::sync::Arc;

use common::Folder;
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
