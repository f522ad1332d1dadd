#![no_main]

#[path = "../read.rs"]
mod read;

use heddle_core::settings::Format;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    read::read(bytes, Format::Delimited);
});
