//! Reads bytes as a review file to its end, and holds what is promised of every row.

use heddle_core::{Form, Format};
use heddle_files::{Input, Record};

pub fn read(bytes: &[u8], format: Format) {
    let file = tempfile::NamedTempFile::new().expect("a temporary file");
    std::fs::write(file.path(), bytes).expect("it can be written");
    let form = Form { format, mark: Some(r"(\w)=".into()), ..Form::default() };
    let path = file.path().display().to_string();
    let Ok(input) = Input::gather(&[&path], &form) else { return };
    let Ok(mut reviews) = input.rows() else { return };
    let columns = reviews.columns().len();
    let mut record = Record::new();
    while let Ok(Some(read)) = reviews.next(&mut record) {
        if let Ok(line) = read {
            assert!(line > 0 && record.len() == columns && !record.as_slice().contains('\0'));
        }
    }
}
