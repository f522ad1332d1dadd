//! Files that belong together take their names together, however a call ended.

use std::fs;
use std::path::{Path, PathBuf};

use heddle_core::settings::Form;
use heddle_files::{Input, Outputs, StagedFolder, Written};
use tempfile::TempDir;
use xxhash_rust::xxh3::xxh3_64;

/// What a call leaves that was killed when it had recorded its files and named none of them, or
/// only the first: `docs/writing.md` describes it.
fn killed(folder: &TempDir, named: usize, records: usize) -> [PathBuf; 2] {
    let places = ["t.csv", "h.csv"].map(|name| folder.path().canonicalize().expect("a folder").join(name));
    let bytes = [&b"review,stars\nnew,5\n"[..], b"review,stars\nnew too,1\n"];
    let planned: Vec<String> = places
        .iter()
        .zip(bytes)
        .map(|(place, bytes)| {
            format!(
                "{{\"place\":\"{}\",\"bytes\":{},\"xxh3\":{}}}",
                place.display(),
                bytes.len(),
                xxh3_64(bytes)
            )
        })
        .collect();
    let record = format!("{{\"version\":1,\"files\":[{}]}}", planned.join(","));
    for (at, (place, bytes)) in places.iter().zip(bytes).enumerate() {
        fs::write(place, "review,stars\nold,3\n").expect("a file");
        let hidden = |ending: &str| {
            place.with_file_name(format!(".{}{ending}", place.file_name().expect("a name").display()))
        };
        fs::write(if at < named { place.clone() } else { hidden(".heddle-new") }, bytes).expect("a file");
        if at < records {
            fs::write(hidden(".heddle-commit"), &record).expect("a file");
        }
    }
    places
}

fn hidden(folder: &Path) -> usize {
    let entries = fs::read_dir(folder).expect("a folder");
    entries
        .filter(|entry| entry.as_ref().is_ok_and(|entry| entry.file_name().as_encoded_bytes()[0] == b'.'))
        .count()
}

#[test]
fn what_was_recorded_is_finished_by_whoever_looks_at_one_of_the_places() {
    for named in 0..=2 {
        for look in 0..2 {
            let folder = tempfile::tempdir().expect("a folder");
            let places = killed(&folder, named, 2);
            Input::gather(&[places[look].display().to_string()], &Form::default()).expect("a file");
            for (place, text) in places.iter().zip(["new,5", "new too,1"]) {
                assert!(
                    fs::read_to_string(place).expect("it").contains(text),
                    "{named} named, seen from {look}"
                );
            }
            assert_eq!(hidden(folder.path()), 0, "nothing is left to be done");
        }
    }
}

#[test]
fn what_was_not_recorded_in_every_place_is_as_if_it_had_never_been() {
    for records in 0..2 {
        let folder = tempfile::tempdir().expect("a folder");
        let places = killed(&folder, 0, records);
        let outputs = Outputs::default();
        for place in &places {
            outputs.reads(&place.display().to_string()).expect("a file");
            assert!(fs::read_to_string(place).expect("it").contains("old"), "{records} records");
        }
        let other = folder.path().join("other.txt").display().to_string();
        outputs.write(&other, b"x").expect("a file");
        outputs.commit().expect("a name");
        assert_eq!(hidden(folder.path()), 0, "who writes there next sweeps");
    }
}

#[test]
fn a_file_that_another_call_began_since_is_not_taken_for_the_recorded_one() {
    let folder = tempfile::tempdir().expect("a folder");
    let places = killed(&folder, 0, 2);
    fs::write(places[0].with_file_name(".t.csv.heddle-new"), "half of someth").expect("a file");
    Outputs::default().reads(&places[1].display().to_string()).expect("a file");
    assert!(fs::read_to_string(&places[0]).expect("it").contains("old"), "it is not what was recorded");
}

#[test]
fn outputs_are_seen_when_all_are_whole_and_not_at_all_when_one_fails() {
    let folder = tempfile::tempdir().expect("a folder");
    let name = |name: &str| folder.path().join(name).display().to_string();
    {
        let outputs = Outputs::default();
        let written = outputs.write(&name("a"), b"one").expect("memory");
        assert_eq!(written, Written { bytes: 3, xxh3: xxh3_64(b"one") });
        outputs.create(&name("b")).map(drop).expect("it begins, and is given up");
        assert!(!Path::new(&name("a")).exists());
    }
    assert_eq!(
        fs::read_dir(folder.path()).expect("a folder").count(),
        0,
        "an act that is given up leaves nothing"
    );
    let outputs = Outputs::default();
    outputs.write(&name("a"), b"one").expect("a file");
    outputs.write(&name("b"), b"two").expect("a file");
    outputs.commit().expect("names");
    assert_eq!(
        (fs::read(name("a")).expect("a"), fs::read(name("b")).expect("b")),
        (b"one".to_vec(), b"two".to_vec())
    );
    assert_eq!(hidden(folder.path()), 0);
}

#[test]
fn a_folder_that_was_being_replaced_is_there_again() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = |name: &str| folder.path().canonicalize().expect("a folder").join(name);
    let name = path("r").display().to_string();
    // Killed when the old folder had left its place, and the new one had not taken it.
    for (name, text) in [(".r.heddle-old", "old"), (".r.heddle-new", "new")] {
        fs::create_dir(path(name)).expect("a folder");
        fs::write(path(name).join("model"), text).expect("a file");
    }
    fs::write(path(".r.heddle-new/.heddle-folder"), "").expect("a mark");
    let told = StagedFolder::begin(&name, None, "name another").expect_err("it is there").to_string();
    assert!(told.contains("there already"), "{told}");
    assert_eq!(fs::read_to_string(path("r/model")).expect("it"), "old");
    let staged = StagedFolder::begin(&name, Some(&|_| true), "name another").expect("it may be replaced");
    assert!(staged.begun_before());
    fs::write(staged.inside("model"), "newer").expect("a file");
    staged.finish().expect("its place");
    assert_eq!(fs::read_to_string(path("r/model")).expect("it"), "newer");
    assert_eq!((hidden(folder.path()), hidden(&path("r"))), (0, 0));
}
