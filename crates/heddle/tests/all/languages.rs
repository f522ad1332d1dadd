//! Reviews in several languages, from the survey to the score.

use crate::common::{Draw, Folder, column, holds};

/// A language as made-up reviews speak it: its sign, things, praise, blame, and to be or not to be.
type Speech = (&'static str, [&'static str; 4], [&'static str; 3], [&'static str; 3], [&'static str; 2]);

/// Reviews in English, German and French, as many of each, of the shape `id,review,stars,land`.
fn rows(count: usize) -> String {
    let mut draws = Draw(11);
    let mut draw = |of: usize| draws.below(of as u64) as usize;
    const WORDS: [Speech; 3] = [
        (
            "en",
            ["the food", "the cabin", "the crew", "the bed"],
            ["good", "great", "lovely"],
            ["bad", "awful", "dirty"],
            ["was", "was not"],
        ),
        (
            "de",
            ["das Essen", "die Kabine", "das Personal", "das Bett"],
            ["gut", "super", "toll"],
            ["schlecht", "mies", "schmutzig"],
            ["war", "war nicht"],
        ),
        (
            "fr",
            ["le repas", "le service", "le lit", "le personnel"],
            ["bon", "parfait", "super"],
            ["mauvais", "horrible", "sale"],
            ["était", "n'était pas"],
        ),
    ];
    let mut text = String::from("id,review,stars,land\n");
    for at in 0..count {
        let (land, things, good, bad, verbs) = WORDS[at % 3];
        let positive = draw(2) == 0;
        let clauses: Vec<String> = (0..2 + draw(3))
            .map(|_| {
                let (praises, denies) = ((draw(10) < 9) == positive, draw(5) == 0);
                let list = if praises != denies { good } else { bad };
                format!("{} {} {}", things[draw(4)], verbs[usize::from(denies)], list[draw(3)])
            })
            .collect();
        text += &format!("x{at},{} {at},{},{land}\n", clauses.join(". "), if positive { 5 } else { 1 });
    }
    text
}

const THREE: [&str; 2] = ["--set", "text.languages=english,german,french"];

fn of(land: &str, count: usize) -> String {
    let all = rows(3 * count);
    let own = all.lines().filter(|line| line.starts_with("id,") || line.ends_with(land));
    own.map(|line| format!("{line}\n")).collect()
}

#[test]
fn a_survey_of_a_file_that_is_sorted_by_language_looks_at_all_of_it() {
    let all = rows(3_000);
    let mut lines: Vec<&str> = all.lines().collect();
    lines[1..].sort_by_key(|line| line.rsplit(',').next());
    let folder = Folder::new().file("r.csv", format!("{}\n", lines.join("\n")));
    let survey = folder.json(&["survey", "r.csv"]);
    let share = |name: &str| {
        let languages = survey["languages"].as_array().expect("languages");
        let own = languages.iter().find(|own| own["language"] == name).expect("the language");
        own["share"]["value"].as_f64().expect("a share")
    };
    assert!(["English", "German", "French"].iter().all(|name| share(name) > 0.1), "{}", survey["languages"]);
}

#[test]
fn a_survey_finds_the_languages_and_one_model_learns_them_apart() {
    let folder = Folder::new().file("r.csv", rows(1200)).file(
        "new.csv",
        "id,review\n\
         a,Das Essen war nicht gut und die Kabine war schmutzig\n\
         b,The cabin was lovely and the crew was great\n\
         c,Le lit n’était pas bon et le service était horrible\n\
         d,super\n",
    );
    let page = folder.done(&["survey", "r.csv", "--write-study", "study.toml"]);
    holds(&page, &["text.languages", "--set text.languages=", "French", "German"]);
    let study = folder.text("study.toml");
    let line = study.lines().find(|line| line.starts_with("languages = ")).expect("the languages");
    ["english", "german", "french"].iter().for_each(|own| assert!(line.contains(own), "{line}"));

    // Learnt in German first, so that what is too short to tell is German.
    let set = ["--set", "text.languages=german,english,french", "--set", "features.columns=text:language"];
    folder.done(&[&["train", "r.csv", "--out", "m.heddle", "--study", "study.toml"][..], &set].concat());
    folder.done(&["score", "m.heddle", "new.csv", "--out", "s.csv"]);
    let table = folder.csv("s.csv");
    assert_eq!(column(&table, "language"), ["german", "english", "french", "german"]);
    assert_eq!(column(&table, "polarity"), ["negative", "positive", "negative", "positive"]);
    let explained = folder.json(&["explain", "m.heddle", "new.csv", "--row", "3"]);
    let text = &explained["texts"][0];
    assert_eq!(text["columns"][0]["value"], "French");
    let terms: Vec<&str> =
        text["terms"].as_array().expect("terms").iter().filter_map(|own| own["term"].as_str()).collect();
    assert!(terms.contains(&"¬french:bon") && terms.iter().all(|own| !own.contains("german:")), "{terms:?}");
    let tokens = folder.json(&["tokens", "--model", "m.heddle", "--text", "Das Bett war nicht gut"]);
    assert_eq!(tokens["texts"][0]["language"], "german");
    holds(
        &folder.done(&["tokens", "--model", "m.heddle", "--text", "Das Bett war nicht gut"]),
        &["read as German"],
    );
    let probed = folder.json(&["probe", "m.heddle"]);
    let kinds: Vec<&str> =
        probed["kinds"].as_array().expect("kinds").iter().filter_map(|own| own["kind"].as_str()).collect();
    for kind in ["german, negated praise", "english, negated praise", "french, concord"] {
        assert!(kinds.contains(&kind), "{kinds:?}");
    }

    let apart = folder.json(&[&["validate", "r.csv"][..], &THREE].concat());
    let slices = apart["slices"].as_array().expect("slices");
    let levels: Vec<&str> = slices
        .iter()
        .filter(|own| own["aspect"] == "language")
        .filter_map(|own| own["level"].as_str())
        .collect();
    assert!(levels.contains(&"German") && levels.contains(&"French"), "{levels:?}");
    // A name without its language is found in whichever has it.
    let named = [
        &["terms", "r.csv", "--set", "terms.include=[\"kabine\", \"crew\", \"german:nirgends\"]"][..],
        &THREE,
    ]
    .concat();
    let run = folder.run(&named);
    holds(&run.err, &["no review holds `german:nirgends`"]);
    assert!(!run.err.contains("kabine") && !run.err.contains("crew"), "{}", run.err);
}

#[test]
fn reviews_in_another_language_than_the_study_says_are_pointed_out() {
    let folder = Folder::new().file("de.csv", of("de", 300));
    let run = folder.run(&["train", "de.csv", "--out", "m.heddle"]);
    holds(&run.err, &["most texts are in German, and are read as English", "text.languages=german"]);
    let own = folder.run(&["train", "de.csv", "--out", "m.heddle", "--set", "text.languages=german"]);
    assert!(own.code == 0 && !own.err.contains("most texts"), "{}", own.err);
    holds(&folder.done(&["survey", "de.csv"]), &["--set text.languages=german --out"]);
    // English reviews need nothing.
    let english = Folder::new().file("en.csv", of("en", 300));
    assert!(!english.run(&["train", "en.csv", "--out", "m.heddle"]).err.contains("most texts"));
    assert!(!english.done(&["survey", "en.csv"]).contains("text.languages"));

    let word = folder.done(&["study", "negation", "--set", "text.languages=dutch"]);
    holds(&word, &["expression,effect", "niet,either", "geen,negates"]);
    let stops =
        folder.done(&["study", "stoplist", "--set", "text.languages=french", "--set", "text.stoplist=own"]);
    assert!(stops.lines().any(|own| own == "avec") && !stops.lines().any(|own| own == "pas"));
    let bilingual = folder.json(&[
        "terms",
        "de.csv",
        "--set",
        "text.languages=german",
        "--set",
        "text.stoplist=german",
        "--set",
        "text.stem=own",
    ]);
    assert!(bilingual["kept"].as_u64().is_some_and(|kept| kept > 10));
    for (set, parts) in [
        ("text.languages=klingon", ["`klingon`", "german"]),
        ("text.languages=german,german", ["german twice", "text.languages"]),
        ("text.languages=german,other", ["`other`", "name it alone"]),
    ] {
        holds(&folder.fails(&["train", "de.csv", "--out", "x.heddle", "--set", set]), &parts);
    }
}
