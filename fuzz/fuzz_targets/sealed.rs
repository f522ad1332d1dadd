#![no_main]

#[path = "../sealed.rs"]
mod sealed;

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    sealed::sealed(bytes);
});
