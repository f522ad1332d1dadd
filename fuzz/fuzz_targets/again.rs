#![no_main]

#[path = "../again.rs"]
mod again;

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    again::again(bytes);
});
