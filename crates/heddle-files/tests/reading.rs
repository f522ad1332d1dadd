//! Delimited files, read and written.

use std::fs;
use std::path::Path;

use heddle_core::Draw;
use heddle_files::{FileError, Keep, RowWriter, Table};
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
    Table::read(&[path], Keep::All)
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
        assert_eq!(table.delimiter() as char, delimiter);
        assert_eq!(table.columns(), ["id", "review", "stars"]);
        assert_eq!((table.len(), table.cell(1, 1)), (2, "bad"), "{delimiter:?}");
    }
    assert_eq!(read("review\ngood\n").expect("a table").columns(), ["review"]);
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
    assert_eq!(table.columns(), ["id", "review"]);
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
fn bytes_that_are_no_text_are_refused_with_their_column() {
    let table = read(b"id,review\n1,ok\n2,caf\xe9\n3,fine\n").expect("a table");
    assert_eq!(rows(&table), [["1", "ok"], ["3", "fine"]]);
    let told = table.refused()[0].to_string();
    assert!(
        told.contains("line 3, column `review`: expected text in UTF-8") && told.contains("byte 4"),
        "{told}"
    );
}

#[test]
fn a_file_without_records_says_so() {
    assert!(matches!(read(""), Err(FileError::Empty { .. })));
    assert!(matches!(read("  \n\n"), Err(FileError::Empty { .. })));
    assert!(read("id,review\n").expect("a header is a table").is_empty());
    assert!(matches!(read("a,b,a\n1,2,3\n"), Err(FileError::SameColumn { column, .. }) if column == "a"));
    assert!(matches!(Table::read(&["no-such-file.csv"], Keep::All), Err(FileError::Io { .. })));
}

#[test]
fn a_column_that_is_missing_is_told_with_the_nearest() {
    let (_folder, path) = file("id,review,stars\n1,good,5\n");
    let error = Table::read(&[path], Keep::Only(&["reveiw"])).expect_err("no such column").to_string();
    assert!(error.contains("no column `reveiw`; did you mean `review`?"), "{error}");
}

#[test]
fn kept_columns_come_in_the_order_asked() {
    let (_folder, path) = file("id,review,stars\n1,good,5\n");
    let table = Table::read(&[path], Keep::Only(&["stars", "id"])).expect("a table");
    assert_eq!(rows(&table), [["5", "1"]]);
}

#[test]
fn several_files_are_read_as_one() {
    let (_first, one) = file("id,review\n1,good\n");
    let (_second, two) = file("id,review\n2,bad\n3\n");
    let table = Table::read(&[&one, &two], Keep::All).expect("a table");
    assert_eq!(rows(&table), [["1", "good"], ["2", "bad"]]);
    assert_eq!((table.place(0), table.place(1)), ((one.as_str(), 2), (two.as_str(), 2)));
    assert_eq!(table.refused()[0].file, two);
    let (_third, other) = file("id,text\n2,bad\n");
    assert!(matches!(Table::read(&[one, other], Keep::All), Err(FileError::OtherHeader { .. })));
}

#[test]
fn what_is_written_is_read_back() {
    let mut draw = Draw::new(3);
    const PIECES: [&str; 12] = ["a", ",", "\"", "\n", "\r\n", "\t", ";", " ", "é", "👍", "'", "|"];
    let cell = |draw: &mut Draw| -> String { (0..draw.below(6)).map(|_| PIECES[draw.below(12)]).collect() };
    let cells: Vec<Vec<String>> =
        (0..200).map(|_| vec!["x".into(), cell(&mut draw), cell(&mut draw)]).collect();
    for ending in ["csv", "tsv"] {
        let folder = tempfile::tempdir().expect("a temporary folder");
        let path = folder.path().join(format!("out.{ending}")).display().to_string();
        let mut writer = RowWriter::create(&path).expect("a writer");
        writer.row(["id", "one", "two"]).expect("a header");
        for row in &cells {
            writer.row(row.iter().map(String::as_str)).expect("a row");
        }
        assert!(!Path::new(&path).exists(), "nothing is to be seen before the file is whole");
        writer.finish().expect("the end");
        let table = Table::read(&[path], Keep::All).expect("a table");
        assert!(table.refused().is_empty());
        assert_eq!(rows(&table), cells, "{ending}");
    }
}

#[test]
fn any_bytes_give_rows_refusals_or_an_error() {
    const PIECES: [&[u8]; 14] = [
        b"a",
        b"1",
        b",",
        b";",
        b"\"",
        b"\n",
        b"\r",
        b"\t",
        b" ",
        b"\0",
        b"\xff",
        b"\xc3",
        b"\xc3\xa9",
        b"\xef\xbb\xbf",
    ];
    for seed in 0..3000 {
        let mut draw = Draw::new(seed);
        let bytes: Vec<u8> = (0..draw.below(60)).flat_map(|_| PIECES[draw.below(14)]).copied().collect();
        if let Ok(table) = read(&bytes) {
            for row in 0..table.len() {
                assert_eq!(table.row(row).count(), table.columns().len());
            }
            assert!(table.refused().iter().all(|refusal| refusal.line > 0), "{bytes:?}");
        }
    }
}
