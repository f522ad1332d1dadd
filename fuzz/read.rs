//! Reads bytes as a review file to its end, and holds what is promised of every row.
#![allow(dead_code)] // each target uses its own part

use heddle_core::settings::{Form, Format};
use heddle_files::{Input, Record};

pub fn read(bytes: &[u8], format: Format) {
    if let Some(file) = opened(bytes, format) {
        follow(&file, None);
    }
}

/// Reads a file whole, and again for each of its columns alone.
pub fn by_column(bytes: &[u8], format: Format) {
    let Some(file) = opened(bytes, format) else { return };
    let all = follow(&file, None);
    for column in 0..file.columns.min(8) {
        let own = follow(&file, Some(column));
        // A column that can be read is the same, whoever reads the others beside it.
        if let (Some(all), Some(own)) = (&all, &own) {
            let both = all.iter().zip(own).filter_map(|(a, b)| Some((a.as_ref()?, b.as_ref()?)));
            both.for_each(|(a, b)| assert_eq!(&a[column], &b[column]));
        }
    }
}

fn opened(bytes: &[u8], format: Format) -> Option<Opened> {
    only_own_faults_count();
    let file = tempfile::NamedTempFile::new().expect("a temporary file").into_temp_path();
    std::fs::write(&file, bytes).expect("it can be written");
    let form = Form { format, mark: Some(r"(\w)=".into()), ..Form::default() };
    let path = file.display().to_string();
    let input = Input::gather(&[&path], &form).ok()?;
    let columns = input.rows().ok()?.columns().len();
    Some(Opened { input, columns, _file: file })
}

/// A file that can be read as often as it is held.
struct Opened {
    input: Input,
    columns: usize,
    _file: tempfile::TempPath,
}

/// Reads the rows; nothing if the file ends in an error.
fn follow(file: &Opened, needed: Option<usize>) -> Option<Vec<Option<Record>>> {
    let mut reviews = file.input.rows().ok()?;
    if let Some(column) = needed {
        reviews.need(&[column]);
    }
    let (mut rows, mut record) = (Vec::new(), Record::new());
    while let Some(read) = reviews.next(&mut record).ok()? {
        rows.push(match read {
            Ok(line) => {
                assert!(line > 0 && record.len() == file.columns && !record.as_slice().contains('\0'));
                Some(record.clone())
            }
            Err(refusal) => {
                assert!(refusal.line > 0 && !refusal.found.is_empty());
                None
            }
        });
    }
    Some(rows)
}

/// Panics that are caught and told as errors are none of ours.
fn only_own_faults_count() {
    static ONCE: std::sync::Once = std::sync::Once::new();
    ONCE.call_once(|| {
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |fault| {
            if !heddle_files::is_guarded() {
                before(fault);
            }
        }));
    });
}
