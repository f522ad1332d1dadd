//! Packs the demo files into the program.

use std::fs;
use std::io::Write;
use std::path::Path;

use flate2::Compression;
use flate2::write::GzEncoder;

const FILES: [&str; 4] = ["crossings.csv", "new-reviews.csv", "contradictions.csv", "study.toml"];

fn main() {
    let out = std::env::var("OUT_DIR").expect("cargo sets OUT_DIR");
    for name in FILES {
        let path = Path::new("../../demo").join(name);
        println!("cargo::rerun-if-changed={}", path.display());
        let data = fs::read(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        let packed =
            fs::File::create(Path::new(&out).join(format!("{name}.gz"))).expect("OUT_DIR is writable");
        let mut encoder = GzEncoder::new(packed, Compression::best());
        encoder.write_all(&data).expect("OUT_DIR is writable");
        encoder.finish().expect("OUT_DIR is writable");
    }
}
