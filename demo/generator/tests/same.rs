//! The demo files are what the generator writes, byte for byte.

use std::fs;
use std::path::Path;
use std::process::Command;

#[test]
fn the_demo_is_what_the_generator_writes() {
    let folder = std::env::temp_dir().join(format!("heddle-generator-{}", std::process::id()));
    let made = Command::new(env!("CARGO_BIN_EXE_demo-generator")).arg(&folder).status().expect("it starts");
    assert!(made.success());
    for name in ["crossings.csv", "new-reviews.csv", "contradictions.csv"] {
        let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(name);
        let (new, old) = (fs::read(folder.join(name)), fs::read(kept));
        assert!(
            new.expect("it was written") == old.expect("it is kept"),
            "{name} differs: write the demo again"
        );
    }
    fs::remove_dir_all(&folder).expect("the folder can be removed");
}
