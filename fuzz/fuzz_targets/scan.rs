#![no_main]
//! The reading of a text: spans lie on character borders, ascend, and are the same or apart.

use heddle_core::Choice;
use heddle_core::settings::Study;
use heddle_core::text::{Language, ScanBuffer};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let mut study = Study::default();
    for strict in [false, true] {
        if strict {
            study.text.joined = heddle_core::text::Joined::Keep;
            study.text.hashtags = heddle_core::text::Hashtags::Apart;
            study.text.stoplist = heddle_core::text::StopList::Own;
            study.text.languages =
                Language::ALL.iter().copied().filter(|own| *own != Language::Other).collect();
            study.text.stem = heddle_core::text::Stem::Own;
            study.text.replace = vec!["w/o,without".into(), "a,b c".into()];
        }
        let (cleaner, mut buffer) = (study.cleaner(), ScanBuffer::default());
        let tokens = cleaner.scan(text, &mut buffer);
        let mut last = (0, 0);
        for token in tokens.items() {
            let span = (token.start as usize, token.end as usize);
            assert!(last.1 <= span.0 || last == span);
            assert!(text.get(span.0..span.1).is_some_and(|written| !written.is_empty()));
            last = span;
        }
    }
});
