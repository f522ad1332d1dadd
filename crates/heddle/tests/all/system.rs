//! What the program finds around it.

use crate::common::{Folder, holds};

#[test]
fn the_machine_the_study_and_files_are_told_and_no_review_is() {
    let folder = Folder::with_many(300)
        .file("study.toml", "[terms]\nwords = \"1-3\"\n")
        .file("cut.heddle", b"HEDDLE\r\n\x05\x00");
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let files = ["system", "many.csv", "m.heddle", "cut.heddle", "none.csv"];
    let page = folder.done(&files);
    holds(&page, &[env!("CARGO_PKG_VERSION"), "many.csv", "3 columns", "a model of", "damaged", "none.csv"]);
    assert!(!page.contains("cabin"));
    let told = folder.json(&[&files[..], &["--threads", "1"]].concat());
    assert_eq!(
        (&told["threads"], &told["settings"], &told["study"]),
        (&1.into(), &1.into(), &"study.toml".into())
    );
    assert_eq!(told["temporary"]["writable"], true);
    assert_eq!(told["files"].as_array().map(Vec::len), Some(4));
    // Where nothing can be written for a while, that is told and no error.
    let output =
        folder.command(&["system", "--json"]).env("TMPDIR", "/nowhere/at/all").output().expect("it starts");
    assert!(output.status.success());
    holds(&String::from_utf8_lossy(&output.stdout), &["\"writable\": false"]);
}
