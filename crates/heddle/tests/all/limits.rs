//! Values survive or rows are refused, and no file takes all memory or all day.

use std::ffi::OsStr;
use std::fs;
use std::io::{Read, Write};
use std::os::unix::ffi::OsStrExt;
use std::process::Stdio;
use std::sync::Arc;

use crate::common::{Folder, Run, column, holds};
use flate2::write::GzEncoder;
use parquet::basic::{Compression, LogicalType, Repetition, Type as Physical, ZstdLevel};
use parquet::data_type::{ByteArray, ByteArrayType, Int32Type, Int64Type};
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::Type;

/// Labels whatever is rated 5 or 1; the rows go to `out.jsonl`.
fn label(folder: &Folder, name: &str) -> Run {
    folder.run(&["label", name, "--out", "out.jsonl", "--force"])
}

#[test]
fn every_digit_of_a_number_survives() {
    let ids = [
        "18446744073709551615",
        "9007199254740993",
        "9007199254740992",
        "-9223372036854775808",
        "0.10000000000000000555",
        "1e400",
        "12345678901234567890123",
    ];
    for id in ids {
        let row = format!("{{\"id\":{id},\"review\":\"tea\",\"stars\":5}}\n");
        let folder = Folder::new().file("r.jsonl", row);
        assert_eq!(label(&folder, "r.jsonl").code, 0);
        assert!(
            folder.text("out.jsonl").contains(&format!("\"id\":{id},")),
            "{id}: {}",
            folder.text("out.jsonl")
        );
        // Through Parquet and back.
        folder.done(&["label", "r.jsonl", "--out", "p.parquet"]);
        folder.done(&["label", "p.parquet", "--out", "back.csv"]);
        assert_eq!(column(&folder.csv("back.csv"), "id"), [id]);
    }
}

#[test]
fn a_cell_is_never_changed_to_fit_its_column() {
    // The first file says that ids are numbers of 64 bits, the second has another: together they are texts.
    let folder = Folder::new()
        .file("a.jsonl", "{\"id\":1,\"review\":\"tea\",\"stars\":5}\n")
        .file("b.csv", "id,review,stars\nx7,tea,5\n");
    folder.done(&["label", "a.jsonl", "b.csv", "--out", "l.parquet"]);
    folder.done(&["label", "l.parquet", "--out", "l.jsonl"]);
    holds(&folder.text("l.jsonl"), &["\"id\":\"1\"", "\"id\":\"x7\""]);
}

#[test]
fn a_name_that_stands_twice_is_no_value() {
    let folder = Folder::new().file(
        "r.jsonl",
        "{\"review\":\"tea\",\"stars\":5}\n{\"review\":\"first\",\"review\":\"second\",\"stars\":5}\n{\"a\":{\"b\":1,\"b\":2},\"review\":\"x\",\"stars\":1}\n",
    );
    let run = label(&folder, "r.jsonl");
    assert_eq!(run.code, 3, "{}", run.err);
    holds(
        &run.err,
        &["r.jsonl, line 2, column `review`: expected one value, found two", "line 3, column `a.b`"],
    );
}

#[test]
fn one_stray_byte_spoils_no_other_character() {
    let mut bytes = b"review,stars\n".to_vec();
    bytes.extend(b"plain,5\n".repeat(40_000)); // more than is looked at at once
    bytes.extend(b"caf\xe9,5\n");
    bytes.extend(b"plain,5\n".repeat(40_000));
    bytes.extend("schön,5\nÆrø ★,1\n".repeat(2500).bytes());
    let folder = Folder::new().file("r.csv", &bytes);
    let run = label(&folder, "r.csv");
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["r.csv: 1 byte that is no UTF-8 was read as Windows-1252", "line 40002"]);
    let text = folder.text("out.jsonl");
    assert_eq!((text.matches("schön").count(), text.matches("Ærø ★").count()), (2500, 2500));
    assert!(text.contains("café"));
    // However a pipe is fed.
    let slow = "(head -c 300000 r.csv; sleep 0.05; tail -c +300001 r.csv) | \"$0\" label - --out slow.jsonl";
    let mut sh = std::process::Command::new("sh");
    sh.args(["-c", slow, env!("CARGO_BIN_EXE_heddle")]).current_dir(folder.path(""));
    assert!(sh.output().expect("a shell").status.success());
    assert_eq!(folder.text("slow.jsonl"), text);
}

#[test]
fn utf_32_is_no_utf_16() {
    let wide = |bytes: fn(u32) -> [u8; 4]| {
        "review,stars\ntea,5\n".chars().flat_map(|char| bytes(char.into())).collect::<Vec<u8>>()
    };
    let marked = [&[0xff, 0xfe, 0, 0][..], &wide(u32::to_le_bytes)].concat();
    for bytes in [marked, wide(u32::to_le_bytes), wide(u32::to_be_bytes)] {
        let folder = Folder::new().file("r.csv", bytes);
        holds(&folder.fails(&["label", "r.csv"]), &["r.csv is written in UTF-32", "save it as UTF-8"]);
    }
}

#[test]
fn a_file_that_changes_between_two_looks_is_told() {
    let folder = Folder::new();
    let grows = "mkfifo f; (sleep 0.3; printf '{\"review\":\"late\",\"stars\":1,\"more\":2}\\n' >> r.jsonl) & \
        yes '{\"review\":\"tea\",\"stars\":5}' | head -n 400000 > r.jsonl; \"$0\" split r.jsonl --training a.jsonl --holdout b.jsonl; code=$?; wait; exit $code";
    let mut sh = std::process::Command::new("sh");
    sh.args(["-c", grows, env!("CARGO_BIN_EXE_heddle")]).current_dir(folder.path(""));
    let output = sh.output().expect("a shell");
    // Whichever look it came between: an error or every column, never a row without one.
    if output.status.success() || output.status.code() == Some(1) && folder.path("a.jsonl").exists() {
        let rows = folder.text("a.jsonl") + &folder.text("b.jsonl");
        assert_eq!(rows.contains("late"), rows.contains("\"more\":2"));
    } else {
        let told = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(told.contains("changed while it was read") || told.contains("all 400,000"), "{told}");
    }
}

#[test]
fn a_file_is_named_once() {
    let folder = Folder::with_reviews();
    std::os::unix::fs::symlink(folder.path("reviews.csv"), folder.path("same.csv")).expect("a link");
    for files in [
        ["reviews.csv", "reviews.csv"],
        ["reviews.csv", "./reviews.csv"],
        ["reviews.csv", "same.csv"],
        ["reviews.csv", "*.csv"],
    ] {
        holds(&folder.fails(&["label", files[0], files[1]]), &["is named twice", "count double"]);
    }
}

#[test]
fn names_that_are_no_text_are_told() {
    let folder = Folder::new().file("2025-a.csv", "review,stars\ntea,5\n");
    let odd = OsStr::from_bytes(b"2025-\xff.csv");
    fs::write(folder.path("").join(odd), "review,stars\ntea,1\n").expect("a file");
    holds(&folder.fails(&["label", "2025-*.csv"]), &["no text in UTF-8", "rename it"]);
    fs::create_dir_all(folder.path("texts/good")).expect("a folder");
    fs::write(folder.path("texts/good/1.txt"), "tea").expect("a file");
    fs::write(folder.path("texts/good").join(OsStr::from_bytes(b"\xfe.txt")), "tea").expect("a file");
    let run =
        folder.run(&["label", "texts", "--set", "reviews.label=class", "--set", "polarity.positive=good"]);
    assert_eq!(run.code, 3, "{}", run.err);
    holds(&run.err, &["expected a file name in UTF-8"]);
}

#[test]
fn a_seed_is_that_seed_or_none() {
    let folder = Folder::with_reviews();
    let seed =
        |seed: &str| folder.run(&["study", "show", "--json", "--set", &format!("validation.seed={seed}")]);
    assert!(seed("9007199254740992").out.contains("9007199254740992"));
    holds(
        &seed("9007199254740993").err,
        &["validation.seed = 9007199254740993 is not possible", "9007199254740992"],
    );
}

#[test]
fn rows_that_are_too_long_are_refused_or_told_and_the_limit_can_be_raised() {
    let long = "x".repeat(3 << 20);
    let limit = ["--set", "reviews.row_limit=2"];
    let folder = Folder::new()
        .file("r.jsonl", format!("{{\"review\":\"tea\",\"stars\":5}}\n{{\"review\":\"{long}\",\"stars\":5}}\n{{\"review\":\"ale\",\"stars\":1}}\n"))
        .file("r.csv", format!("review,stars\ntea,5\n{long},5\nale,1\n"))
        .file("r.txt", format!("5=tea\n5={long}\n1=ale\n"))
        .file("r.json", format!("[{{\"review\":\"tea\",\"stars\":5}},{{\"review\":\"{long}\",\"stars\":5}}]"))
        .file("open.csv", format!("review,stars\ntea,5\n\"{}", "never closed\n".repeat(600_000)));
    for (name, more) in [
        ("r.jsonl", &[][..]),
        ("r.csv", &[]),
        ("r.txt", &["--set", r"reviews.mark='(\d)='", "--set", "reviews.label=class"]),
    ] {
        let run = folder.run(&[&["label", name][..], &limit, more].concat());
        assert_eq!(run.code, 3, "{name}: {}", run.err);
        holds(&run.err, &[&format!("{name}, line"), "expected a row of at most 2 MiB (reviews.row_limit)"]);
        assert_eq!(folder.run(&[&["label", name][..], more].concat()).code, 0, "{name}");
    }
    for name in ["r.json", "open.csv"] {
        let told = folder.fails(&[&["label", name][..], &limit].concat());
        holds(&told, &[name, "longer than 2 MiB", "--set reviews.row_limit=4"]);
    }
    fs::create_dir_all(folder.path("texts/good")).expect("a folder");
    let folder = folder.file("texts/good/long.txt", &long).file("texts/good/short.txt", "tea");
    let form = ["--set", "reviews.label=class", "--set", "polarity.positive=good"];
    let run = folder.run(&[&["label", "texts"][..], &limit, &form].concat());
    assert_eq!(run.code, 3);
    holds(&run.err, &["long.txt", "more than 2 MiB"]);
}

/// The most memory that a call took, in MiB, as seen every few milliseconds, and how it ended.
fn peak(folder: &Folder, arguments: &[&str]) -> (u64, Run) {
    let mut command = folder.command(arguments);
    let mut child = command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().expect("it starts");
    let status = format!("/proc/{}/status", child.id());
    let mut most = 0;
    let code = loop {
        let text = fs::read_to_string(&status).unwrap_or_default();
        let peak = text.lines().find_map(|line| line.strip_prefix("VmHWM:")?.trim().strip_suffix("kB"));
        most = most.max(peak.and_then(|peak| peak.trim().parse::<u64>().ok()).unwrap_or(0) / 1024);
        if let Some(code) = child.try_wait().expect("it can be asked") {
            break code.code().unwrap_or(-1);
        }
        std::thread::sleep(std::time::Duration::from_millis(3));
    };
    let mut err = String::new();
    child.stderr.take().expect("piped").read_to_string(&mut err).expect("text");
    (most, Run { out: String::new(), err, code })
}

#[test]
fn small_files_do_not_unpack_to_all_memory() {
    let folder = Folder::new();
    let mut gz = GzEncoder::new(Vec::new(), flate2::Compression::best());
    let mut zst = zstd::Encoder::new(Vec::new(), 1).expect("an encoder");
    gz.write_all(b"{\"review\":\"").expect("memory");
    zst.write_all(b"{\"review\":\"").expect("memory");
    let block = vec![b'a'; 1 << 20];
    for _ in 0..600 {
        gz.write_all(&block).expect("memory");
        zst.write_all(&block).expect("memory");
    }
    let folder = folder
        .file("r.jsonl.gz", gz.finish().expect("memory"))
        .file("r.jsonl.zst", zst.finish().expect("memory"));
    for name in ["r.jsonl.gz", "r.jsonl.zst"] {
        let (memory, run) = peak(&folder, &["label", name]);
        assert_eq!(run.code, 1, "{}", run.err);
        assert!(memory < 300, "{name} took {memory} MiB");
        assert!(run.err.contains("limit") || run.err.contains("cut short"), "{}", run.err);
    }
}

#[test]
fn a_small_workbook_is_not_unpacked_to_all_memory() {
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let packed =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Deflated);
    // As much of a workbook as makes its reader go on to the shared texts.
    let relations = |inside: &str| {
        format!(
            "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">{inside}</Relationships>"
        )
    };
    let relation = |kind: &str, target: &str| {
        let kinds = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
        relations(&format!("<Relationship Id=\"r1\" Type=\"{kinds}/{kind}\" Target=\"{target}\"/>"))
    };
    for (name, text) in [
        ("_rels/.rels", relation("officeDocument", "xl/workbook.xml")),
        ("xl/_rels/workbook.xml.rels", relation("worksheet", "worksheets/sheet1.xml")),
        ("xl/workbook.xml", "<workbook/>".into()),
    ] {
        archive.start_file(name, packed).expect("a part");
        archive.write_all(text.as_bytes()).expect("memory");
    }
    archive.start_file("xl/sharedStrings.xml", packed).expect("a part");
    archive.write_all(b"<sst><si><t>").expect("memory");
    let block = vec![b'a'; 1 << 20];
    (0..400).for_each(|_| archive.write_all(&block).expect("memory"));
    archive.write_all(b"</t></si></sst>").expect("memory");
    let folder = Folder::new().file("r.xlsx", archive.finish().expect("an archive").into_inner());
    let (memory, run) = peak(&folder, &["label", "r.xlsx", "--set", "reviews.unpack_limit=100"]);
    assert_eq!(run.code, 1, "{}", run.err);
    assert!(memory < 300, "r.xlsx took {memory} MiB");
    holds(&run.err, &["r.xlsx", "reviews.unpack_limit"]);
}

#[test]
fn columns_are_counted_and_many_of_them_take_no_longer_each() {
    let names = |count: usize| (0..count).map(|at| format!("c{at}")).collect::<Vec<_>>().join(",");
    let row = |count: usize| vec!["5"; count].join(",");
    let file = |count: usize| format!("review,stars,{}\ntea,5,{}\n", names(count), row(count));
    let folder = Folder::new().file("many.csv", file(200_000)).file("some.csv", file(9_000));
    let told = folder.fails(&["label", "many.csv"]);
    holds(&told, &["many.csv: it has 200002 columns, and 10000 are allowed", "reviews.column_limit=200002"]);
    folder.done(&["label", "some.csv", "--out", "l.jsonl"]);
    folder.done(&["label", "many.csv", "--set", "reviews.column_limit=200002", "--out", "m.jsonl"]);
    let object: Vec<String> = (0..20_000).map(|at| format!("\"c{at}\":1")).collect();
    let folder =
        folder.file("wide.jsonl", format!("{{\"review\":\"tea\",\"stars\":5,{}}}\n", object.join(",")));
    holds(&folder.fails(&["label", "wide.jsonl"]), &["wide.jsonl", "columns", "reviews.column_limit"]);
}

/// A column of a Parquet file under test.
enum Values {
    Texts(Vec<&'static str>),
    Days(Vec<i32>),
    Millis(Vec<i64>),
    Unsigned(Vec<u64>),
}

/// Writes columns, each required.
fn parquet(columns: &[(&str, Values)]) -> Vec<u8> {
    parquet_packed(columns, Compression::ZSTD(ZstdLevel::default()))
}

/// The same, packed in one of the ways of the format.
fn parquet_packed(columns: &[(&str, Values)], packing: Compression) -> Vec<u8> {
    let field = |(name, values): &(&str, Values)| {
        let (physical, logical) = match values {
            Values::Texts(_) => (Physical::BYTE_ARRAY, LogicalType::String),
            Values::Days(_) => (Physical::INT32, LogicalType::Date),
            Values::Millis(_) => {
                (Physical::INT64, LogicalType::timestamp(true, parquet::basic::TimeUnit::MILLIS))
            }
            Values::Unsigned(_) => (Physical::INT64, LogicalType::integer(64, false)),
        };
        let builder = Type::primitive_type_builder(name, physical).with_logical_type(Some(logical));
        Arc::new(builder.with_repetition(Repetition::REQUIRED).build().expect("a field"))
    };
    let schema = Type::group_type_builder("r")
        .with_fields(columns.iter().map(field).collect())
        .build()
        .expect("a schema");
    let properties = WriterProperties::builder().set_compression(packing).build();
    let mut bytes = Vec::new();
    let mut writer =
        SerializedFileWriter::new(&mut bytes, Arc::new(schema), Arc::new(properties)).expect("a writer");
    let mut group = writer.next_row_group().expect("a group");
    for (_, values) in columns {
        let mut column = group.next_column().expect("a column").expect("one more");
        match values {
            Values::Texts(texts) => {
                let texts: Vec<ByteArray> = texts.iter().map(|text| ByteArray::from(*text)).collect();
                column.typed::<ByteArrayType>().write_batch(&texts, None, None)
            }
            Values::Days(days) => column.typed::<Int32Type>().write_batch(days, None, None),
            Values::Millis(millis) => column.typed::<Int64Type>().write_batch(millis, None, None),
            Values::Unsigned(numbers) => {
                let numbers: Vec<i64> = numbers.iter().map(|number| *number as i64).collect();
                column.typed::<Int64Type>().write_batch(&numbers, None, None)
            }
        }
        .expect("values");
        column.close().expect("the end");
    }
    group.close().expect("the end");
    writer.close().expect("the end");
    bytes
}

#[test]
fn parquet_dates_beyond_the_calendar_are_refused_and_others_kept() {
    let bytes = parquet(&[
        ("review", Values::Texts(vec!["tea", "ale", "rum", "gin"])),
        ("stars", Values::Texts(vec!["5", "1", "5", "1"])),
        ("day", Values::Days(vec![20_000, 0, i32::MAX, -1])),
        ("at", Values::Millis(vec![1_700_000_000_123, i64::MIN, 0, -1])),
        ("id", Values::Unsigned(vec![u64::MAX, 1, 2, 3])),
    ]);
    let folder = Folder::new().file("r.parquet", bytes);
    let run = label(&folder, "r.parquet");
    assert_eq!(run.code, 3, "{}", run.err);
    holds(
        &run.err,
        &["r.parquet, line 2, column `at`", "line 3, column `day`", "outside the years 1 to 9999"],
    );
    let lines: Vec<String> = folder.text("out.jsonl").lines().map(String::from).collect();
    holds(
        &lines[0],
        &[
            "\"day\":\"2024-10-04\"",
            "\"at\":\"2023-11-14 22:13:20.123 +00:00\"",
            "\"id\":18446744073709551615",
        ],
    );
    holds(&lines[1], &["\"day\":\"1969-12-31\"", "\"at\":\"1969-12-31 23:59:59.999 +00:00\""]);
    // A model is tried on the text alone: what else is in the file plays no role.
    assert_eq!(folder.run(&["validate", "r.parquet", "--set", "validation.folds=2"]).code, 0);
    assert!(!folder.run(&["validate", "r.parquet", "--set", "validation.folds=2"]).err.contains("9999"));
}

#[test]
fn parquet_is_read_however_it_is_packed() {
    let columns =
        [("review", Values::Texts(vec!["hot tea", "cold ale"])), ("stars", Values::Texts(vec!["5", "1"]))];
    for packing in [
        Compression::UNCOMPRESSED,
        Compression::SNAPPY,
        Compression::GZIP(parquet::basic::GzipLevel::default()),
        Compression::BROTLI(parquet::basic::BrotliLevel::default()),
        Compression::LZ4_RAW,
        Compression::ZSTD(ZstdLevel::default()),
    ] {
        let folder = Folder::new().file("r.parquet", parquet_packed(&columns, packing));
        let account = folder.json(&["label", "r.parquet"])["account"].clone();
        assert_eq!((&account["positive"], &account["negative"]), (&1.into(), &1.into()), "{packing:?}");
    }
}

#[test]
fn two_parquet_columns_of_one_name_are_told() {
    let texts = || Values::Texts(vec!["tea"]);
    let folder = Folder::new()
        .file("r.parquet", parquet(&[("review", texts()), ("review", texts()), ("stars", texts())]));
    holds(&folder.fails(&["label", "r.parquet"]), &["r.parquet", "`review` is there twice"]);
}

#[test]
fn damaged_parquet_files_are_told_and_take_no_memory() {
    let bytes = parquet(&[
        ("review", Values::Texts(vec!["tea"; 300])),
        ("stars", Values::Texts(vec!["5"; 300])),
        ("day", Values::Days((0..300).collect())),
    ]);
    let folder = Folder::new();
    let mut ends = [0usize; 4];
    for at in 0..bytes.len() {
        let mut damaged = bytes.clone();
        damaged[at] ^= [0x01, 0x80, 0xff, 0x7f][at % 4];
        fs::write(folder.path("d.parquet"), damaged).expect("a file");
        let run = folder.run(&["label", "d.parquet"]);
        assert!(
            (0..4).contains(&run.code) && !run.err.contains("panicked") && !run.err.contains("fault in"),
            "byte {at}: {run:?}"
        );
        ends[run.code as usize] += 1;
    }
    assert!(ends[0] > 0 && ends[1] > 0, "both were met: {ends:?}");
}

#[test]
fn small_parquet_files_do_not_hold_more_than_anybody_wrote() {
    // A text of one letter, a hundred million times; and millions of rows that are all blank.
    let long: &'static str = "a".repeat(100 << 20).leak();
    let bomb = parquet(&[("review", Values::Texts(vec![long])), ("stars", Values::Texts(vec!["5"]))]);
    let field = Type::primitive_type_builder("review", Physical::BYTE_ARRAY)
        .with_logical_type(Some(LogicalType::String))
        .with_repetition(Repetition::OPTIONAL)
        .build()
        .expect("a field");
    let schema = Type::group_type_builder("r").with_fields(vec![Arc::new(field)]).build().expect("a schema");
    let mut blank = Vec::new();
    let pages =
        WriterProperties::builder().set_data_page_row_count_limit(usize::MAX).set_write_batch_size(1 << 22);
    let mut writer =
        SerializedFileWriter::new(&mut blank, Arc::new(schema), Arc::new(pages.build())).expect("a writer");
    let mut group = writer.next_row_group().expect("a group");
    let mut column = group.next_column().expect("a column").expect("one");
    let levels = vec![0i16; 4_000_000];
    column.typed::<ByteArrayType>().write_batch(&[], Some(&levels), None).expect("no value");
    column.close().expect("the end");
    group.close().expect("the end");
    writer.close().expect("the end");
    let folder = Folder::new().file("bomb.parquet", bomb).file("blank.parquet", blank);
    let limit = ["--set", "reviews.text=review", "--set", "reviews.stars=review"];
    for name in ["bomb.parquet", "blank.parquet"] {
        assert!(folder.bytes(name).len() < 100_000, "{name} is small");
        let (memory, run) = peak(&folder, &[&["label", name][..], &limit].concat());
        assert_eq!(run.code, 1, "{}", run.err);
        assert!(memory < 150, "{name} took {memory} MiB");
        holds(&run.err, &[name, "--set reviews.unpack_limit="]);
    }
}
