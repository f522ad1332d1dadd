//! Delimited files, read and written.

use std::fs;
use std::path::Path;

use heddle_core::resample::Random;
use heddle_core::settings::Form;
use heddle_files::{Column, FileError, Input, Keep, Outputs, RowWriter, Table};
use tempfile::TempDir;

/// A folder with one file.
fn file(bytes: impl AsRef<[u8]>) -> (TempDir, String) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join("reviews.csv").display().to_string();
    fs::write(&path, bytes).expect("the folder can be written");
    (folder, path)
}

fn read(bytes: impl AsRef<[u8]>) -> Result<Table, FileError> {
    let (_folder, path) = file(bytes);
    table(&[path], Keep::All)
}

fn table<S: AsRef<str>>(paths: &[S], keep: Keep<'_>) -> Result<Table, FileError> {
    Table::read(&Input::gather(paths, &Form::default())?, keep)
}

fn names(table: &Table) -> Vec<&str> {
    table.columns().iter().map(|column| column.name.as_str()).collect()
}

fn rows(table: &Table) -> Vec<Vec<&str>> {
    (0..table.len()).map(|row| table.row(row).collect()).collect()
}

#[test]
fn the_delimiter_is_the_one_that_fits() {
    for delimiter in [',', '\t', ';', '|'] {
        // The text holds every delimiter but the one in use, as texts do.
        let text = "warm; dry | kind, clean\tand all".replace(delimiter, " ");
        let fields = |cells: [&str; 3]| cells.join(&delimiter.to_string());
        let text = [fields(["id", "review", "stars"]), fields(["1", &text, "5"]), fields(["2", "bad", "1"])]
            .join("\n");
        let table = read(&text).expect("a table");
        assert_eq!(table.manners()[0].delimiter, Some(delimiter));
        assert_eq!(names(&table), ["id", "review", "stars"]);
        assert_eq!((table.len(), table.cell(1, 1)), (2, "bad"), "{delimiter:?}");
    }
    assert_eq!(names(&read("review\ngood\n").expect("a table")), ["review"]);
}

#[test]
fn quotes_hold_delimiters_line_ends_and_quotes() {
    let table = read("id,review\n1,\"warm, \"\"very\"\" warm\nand dry\"\n2,cold\n").expect("a table");
    assert_eq!(rows(&table), [["1", "warm, \"very\" warm\nand dry"], ["2", "cold"]]);
    assert_eq!(table.place(1).1, 4, "a record's place is the line it begins on");
}

#[test]
fn byte_order_marks_and_line_ends_of_other_systems_are_no_matter() {
    let table = read("\u{feff}id,review\r\n1,good\r\n2,bad\n").expect("a table");
    assert_eq!(names(&table), ["id", "review"]);
    assert_eq!(rows(&table), [["1", "good"], ["2", "bad"]]);
}

#[test]
fn places_are_lines_under_every_kind_of_line_end() {
    for end in ["\n", "\r\n"] {
        let text = ["a,b", "1,x", "2,\"two\nlines\"", "3,x", "", "4,x", "5,x", ""].join(end);
        let table = read(&text).expect("a table");
        let lines: Vec<u64> = (0..table.len()).map(|row| table.place(row).1).collect();
        assert_eq!(lines, [2, 3, 5, 7, 8], "{end:?}");
    }
    let open = read("a\n1\n\"never closed\n2\n").expect("a table");
    assert_eq!((0..2).map(|row| open.place(row).1).collect::<Vec<_>>(), [2, 3]);
    let mixed = read("a,b\r\n1,x\n2,x\r\n3,x\n").expect("a table");
    assert_eq!((0..3).map(|row| mixed.place(row).1).collect::<Vec<_>>(), [2, 3, 4]);
}

#[test]
fn rows_of_another_length_are_refused_with_their_place() {
    let table = read("id,review,stars\n1,good,5\n2,bad\n3,a,b,c\n4,fine,4\n").expect("a table");
    assert_eq!(rows(&table), [["1", "good", "5"], ["4", "fine", "4"]]);
    let told: Vec<String> = table.refused().iter().map(|refusal| refusal.to_string()).collect();
    assert!(told[0].ends_with("line 3: expected 3 fields, found 2"), "{told:?}");
    assert!(told[1].ends_with("line 4: expected 3 fields, found 4"), "{told:?}");
}

#[test]
fn a_nul_byte_is_refused_with_its_column() {
    let table = read(b"id,review\n1,ok\n2,ca\0f\n3,fine\n").expect("a table");
    assert_eq!(rows(&table), [["1", "ok"], ["3", "fine"]]);
    let told = table.refused()[0].to_string();
    assert!(told.contains("line 3, column `review`: expected text, found a NUL byte"), "{told}");
}

#[test]
fn a_file_without_records_says_so() {
    assert!(matches!(read(""), Err(FileError::Empty { .. })));
    assert!(matches!(read("  \n\n"), Err(FileError::Empty { .. })));
    assert!(read("id,review\n").expect("a header is a table").is_empty());
    assert!(matches!(read("a,b,a\n1,2,3\n"), Err(FileError::SameColumn { column, .. }) if column == "a"));
    assert!(matches!(table(&["no-such-file.csv"], Keep::All), Err(FileError::Io { .. })));
}

#[test]
fn a_column_that_is_missing_is_told_with_the_nearest() {
    let (_folder, path) = file("id,review,stars\n1,good,5\n");
    let error = table(&[path], Keep::Only { all: &["reveiw"], if_there: &[] })
        .expect_err("no such column")
        .to_string();
    assert!(error.contains("no column `reveiw`; did you mean `review`?"), "{error}");
}

#[test]
fn kept_columns_come_in_the_order_asked() {
    let (_folder, path) = file("id,review,stars\n1,good,5\n");
    let table = table(&[path], Keep::Only { all: &["stars", "id"], if_there: &[] }).expect("a table");
    assert_eq!(rows(&table), [["5", "1"]]);
}

#[test]
fn several_files_are_read_as_one() {
    let (_first, one) = file("id,review\n1,good\n");
    let (_second, two) = file("id,review\n2,bad\n3\n");
    let both = table(&[&one, &two], Keep::All).expect("a table");
    assert_eq!(rows(&both), [["1", "good"], ["2", "bad"]]);
    assert_eq!((both.place(0), both.place(1)), ((one.as_str(), 2), (two.as_str(), 2)));
    assert_eq!(both.refused()[0].file, two);
    let (_third, other) = file("nr,text\n2,bad\n");
    assert!(matches!(table(&[one, other], Keep::All), Err(FileError::OtherHeader { .. })));
}

#[test]
fn what_is_written_is_read_back() {
    let mut draw = Random::new(3);
    const PIECES: [&str; 12] = ["a", ",", "\"", "\n", "\r\n", "\t", ";", " ", "é", "👍", "'", "|"];
    let cell = |draw: &mut Random| -> String { (0..draw.below(6)).map(|_| PIECES[draw.below(12)]).collect() };
    let cells: Vec<Vec<String>> =
        (0..200).map(|_| vec!["x".into(), cell(&mut draw), cell(&mut draw)]).collect();
    let columns = ["id", "one", "two"].map(Column::text);
    for ending in ["csv", "tsv", "csv.gz", "tsv.zst", "jsonl", "jsonl.gz", "json", "json.zst", "parquet"] {
        let folder = tempfile::tempdir().expect("a temporary folder");
        let path = folder.path().join(format!("out.{ending}")).display().to_string();
        let outputs = Outputs::default();
        let mut writer = RowWriter::create(&outputs, &path, &columns).expect("a writer");
        for row in &cells {
            writer.row(row.iter().map(String::as_str)).expect("a row");
        }
        assert!(!Path::new(&path).exists(), "nothing is to be seen before the file is whole");
        writer.finish().expect("the end");
        assert!(!Path::new(&path).exists(), "nor before all that belongs together is");
        outputs.commit().expect("a name");
        let table = table(&[path], Keep::All).expect("a table");
        assert!(table.refused().is_empty());
        assert_eq!(rows(&table), cells, "{ending}");
    }
}
