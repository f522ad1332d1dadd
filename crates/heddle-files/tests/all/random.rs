//! Random and damaged input for every reader: rows, refusals or an error, never a panic.
//! The targets in `fuzz/` do the same, led by coverage.

#[path = "../../../../fuzz/again.rs"]
mod again;
#[path = "../../../../fuzz/read.rs"]
mod read;
#[path = "../../../../fuzz/sealed.rs"]
mod sealed;

use std::fs;

use heddle_core::resample::Random;
use heddle_core::settings::{Form, Format};
use heddle_files::{CellKind, Column, Ledger, Outputs, Reviews, RowWriter};
use tempfile::TempDir;

use read::{by_column, read};

const FORMATS: [Format; 5] =
    [Format::Auto, Format::Delimited, Format::JsonLines, Format::Json, Format::Lines];

#[test]
fn any_bytes_are_read_or_refused() {
    const PIECES: [&[u8]; 30] = [
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
        b"\xfe",
        b"\xc3",
        b"\xc3\xa9",
        b"\xef\xbb\xbf",
        b"{",
        b"}",
        b"[",
        b"]",
        b":",
        b"\\",
        b"null",
        b"true",
        b"{\"a\":1}",
        b"{\"a\":{\"b\":\"c\"}}\n",
        b"PAR1",
        b"\x1f\x8b",
        b"\x28\xb5\x2f\xfd",
        b"a=",
        b"\"\"",
    ];
    for seed in 0..2500 {
        let mut draw = Random::new(seed);
        let bytes: Vec<u8> =
            (0..draw.below(60)).flat_map(|_| PIECES[draw.below(PIECES.len())]).copied().collect();
        read(&bytes, FORMATS[seed as usize % FORMATS.len()]);
    }
}

/// A sound file of a few rows, named for its format.
fn sound(folder: &TempDir, name: &str) -> Vec<u8> {
    let path = folder.path().join(name).display().to_string();
    let columns = [
        Column::text("review"),
        Column::new("stars", CellKind::Whole),
        Column::new("late", CellKind::Flag),
        Column::number("p"),
    ];
    let outputs = Outputs::default();
    let mut writer = RowWriter::create(&outputs, &path, &columns).expect("a writer");
    for row in 0..40 {
        let review = format!("a \"cabin\", number {row}\nand more");
        writer.row([review.as_str(), "5", "true", "0.25"]).expect("a row");
    }
    writer.finish().expect("the end");
    outputs.commit().expect("a name");
    fs::read(&path).expect("it is there")
}

#[test]
fn damaged_files_are_read_or_refused() {
    let folder = tempfile::tempdir().expect("a temporary folder");
    for name in ["r.csv", "r.jsonl", "r.json", "r.parquet", "r.csv.gz", "r.jsonl.zst"] {
        let whole = sound(&folder, name);
        for seed in 0..250 {
            let mut draw = Random::new(seed);
            let mut bytes = whole.clone();
            match draw.below(3) {
                0 => bytes.truncate(draw.below(whole.len())),
                1 => (0..1 + draw.below(6)).for_each(|_| {
                    let at = draw.below(whole.len());
                    bytes[at] = draw.bits() as u8;
                }),
                _ => {
                    let (a, b) = (draw.below(whole.len()), draw.below(whole.len()));
                    bytes.drain(a.min(b)..a.max(b));
                }
            }
            read(&bytes, Format::Auto);
            by_column(&bytes, Format::Auto);
        }
    }
}

#[test]
fn damaged_studies_ledgers_and_neighbours_are_errors() {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join("r.csv").display().to_string();
    const PIECES: [&str; 14] = [
        "[reviews]\n",
        "text",
        " = ",
        "\"a\"",
        "[",
        "]",
        "\n",
        "{",
        "}",
        "1",
        "polarity.middle",
        ":",
        ",",
        "\u{0}",
    ];
    for seed in 0..600 {
        let mut draw = Random::new(seed);
        let text: String = (0..draw.below(30)).map(|_| PIECES[draw.below(PIECES.len())]).collect();
        fs::write(&path, "review,stars\na,1\n").expect("the folder can be written");
        fs::write(format!("{path}.about.json"), &text).expect("the folder can be written");
        let _ = Reviews::open(&path, &Form::default()).map(|_| ());
        let study = folder.path().join("study.toml").display().to_string();
        fs::write(&study, &text).expect("the folder can be written");
        let _ = heddle_files::LoadedStudy::of(heddle_core::settings::Study::default()).read_file(&study);
        let _ = Ledger::read(&study);
    }
}

#[test]
fn rows_of_any_bytes_are_read_back_as_they_were_written() {
    for seed in 0..1500 {
        let mut draw = Random::new(seed);
        let pieces: [&[u8]; 12] = [
            b"a",
            b"\"",
            b"\n",
            b"\r",
            b",",
            b"\t",
            b"\xff",
            b"\xc3\xa9",
            b"\0",
            b" ",
            b"'",
            b"\xf0\x9f\x91\x8d",
        ];
        let mut bytes = vec![seed as u8];
        for _ in 0..draw.below(40) {
            match draw.below(4) {
                0 => bytes.extend(draw.bits().to_le_bytes()),
                _ => bytes.extend(pieces[draw.below(pieces.len())]),
            }
        }
        again::again(&bytes);
    }
}

#[test]
fn models_of_any_content_under_a_right_digest_are_refused_or_score() {
    let seeds = concat!(env!("CARGO_MANIFEST_DIR"), "/../../fuzz/seeds/sealed");
    for entry in fs::read_dir(seeds).expect("seeds") {
        let whole = fs::read(entry.expect("an entry").path()).expect("a file");
        for seed in 0..1500 {
            let mut draw = Random::new(seed);
            let mut bytes = whole.clone();
            for _ in 0..1 + draw.below(4) {
                let at = draw.below(bytes.len() - 8);
                let width = [1, 4, 8][draw.below(3)].min(bytes.len() - at);
                let value =
                    [0, u64::MAX, f64::NAN.to_bits(), f64::INFINITY.to_bits(), draw.bits()][draw.below(5)];
                bytes[at..at + width].copy_from_slice(&value.to_le_bytes()[..width]);
            }
            sealed::sealed(&bytes);
        }
    }
}
