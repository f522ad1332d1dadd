#![no_main]

use heddle_core::settings::Study;
use heddle_files::LoadedStudy;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let file = tempfile::NamedTempFile::new().expect("a temporary file");
    std::fs::write(file.path(), text).expect("it can be written");
    let _ = LoadedStudy::of(Study::default()).read_file(&file.path().display().to_string());
});
