//! Clusters of reviews, and reviews that read alike.

use std::collections::BTreeMap;

use crate::common::{Folder, column, holds};

/// Reviews of a lamp, a bag and a flask; the flask is what people are displeased with.
fn rows(with_stars: bool) -> String {
    let words = [
        ["lamp", "battery", "bright", "beam", "charger", "light"],
        ["bag", "strap", "seam", "dry", "roll", "buckle"],
        ["flask", "lid", "leak", "hot", "soup", "pour"],
    ];
    let row = |at: usize| {
        let own = words[at % 3];
        let said: Vec<&str> = (0..5).map(|nth| own[(at / 3 + nth * (1 + at % 5)) % 6]).collect();
        let displeased = at % 3 == 2 && !at.is_multiple_of(10) || at.is_multiple_of(17);
        let stars = if displeased { 1 } else { 5 };
        let stars = if with_stars { format!(",{stars}") } else { String::new() };
        format!("r{at},on board {} number {at}{stars}\n", said.join(" "))
    };
    let head = if with_stars { "id,review,stars\n" } else { "id,review\n" };
    head.to_string() + &(0..300).map(row).collect::<String>()
}

const ASKED: [&str; 4] = ["--set", "reviews.id=id", "--set", "validation.alike=100%"];

#[test]
fn clusters_are_told_with_their_words_and_their_mix_of_classes() {
    let folder = Folder::new().file("r.csv", rows(true));
    let asked = [&["clusters", "r.csv", "--out", "c.csv"][..], &ASKED].concat();
    let page = folder.done(&asked);
    holds(
        &page,
        &["3 clusters in 300 reviews", "flask", "*", "Nearest to the middle of 1", "Written: c.csv"],
    );
    holds(&page, &["How well two looks at different reviews agree", "agreement"]);
    let written = folder.csv("c.csv");
    let [ids, of] = ["id", "cluster"].map(|name| column(&written, name));
    assert_eq!(ids.len(), 300);
    // Each cluster is one product.
    let mut products: BTreeMap<&String, Vec<usize>> = BTreeMap::new();
    for (id, own) in ids.iter().zip(&of) {
        let at: usize = id[1..].parse().expect("a number");
        products.entry(own).or_default().push(at % 3);
    }
    assert_eq!(products.len(), 3);
    assert!(products.values().all(|own| own.iter().all(|product| *product == own[0])), "{products:?}");
    let found = folder.json(&asked);
    for own in found["clusters"].as_array().expect("clusters") {
        let flask = own["words"].to_string().contains("flask");
        let [low, high] = ["low", "high"].map(|end| own["difference"][end].as_f64().expect("an end"));
        assert!(if flask { low > 0.3 } else { high < 0.0 }, "{own}");
        assert_eq!(own["nearest"].as_array().map(Vec::len), Some(1));
    }
    // As many as are asked for, and the labels play no part in them.
    let four = folder.json(&[&["clusters", "r.csv", "--count", "4", "--nearest", "2"][..], &ASKED].concat());
    assert_eq!(
        (four["clusters"].as_array().map(Vec::len), four["tried"].as_array().map(Vec::len)),
        (Some(4), Some(0))
    );
    let turned = rows(true).replace(",5\n", ",x\n").replace(",1\n", ",5\n").replace(",x\n", ",1\n");
    let other = Folder::new().file("r.csv", turned);
    other.done(&asked);
    assert_eq!(other.csv("c.csv"), written);
}

#[test]
fn reviews_that_nobody_rated_have_clusters_too_and_too_few_have_none() {
    let folder = Folder::new().file("r.csv", rows(false)).file("few.csv", "review\nwarm tea\ncold sea\n");
    let page = folder.done(&[&["clusters", "r.csv"][..], &ASKED].concat());
    holds(&page, &["3 clusters in 300 reviews"]);
    assert!(!page.contains("negative"), "{page}");
    holds(&folder.fails(&["clusters", "few.csv"]), &["too few for 2 clusters"]);
    holds(&folder.run(&["clusters", "r.csv", "--count", "200"]).err, &["--count"]);
}

#[test]
fn reviews_that_read_alike_are_found_by_the_weights_that_are_written() {
    let folder = Folder::with_many(120);
    let asked = ["terms", "many.csv", "--set", "reviews.id=id"];
    folder.done(&[&asked[..], &["--matrix", "w.csv"]].concat());
    let table = folder.csv("w.csv");
    let [ids, terms, values] = ["id", "term", "value"].map(|name| column(&table, name));
    let mut weights: BTreeMap<&str, BTreeMap<&str, f64>> = BTreeMap::new();
    for ((id, term), value) in ids.iter().zip(&terms).zip(&values) {
        weights.entry(id).or_default().insert(term, value.parse().expect("a number"));
    }
    let cosine = |other: &str| -> f64 {
        weights["m4"].iter().map(|(term, value)| value * weights[other].get(term).unwrap_or(&0.0)).sum()
    };
    let found = folder.json(&[&asked[..], &["--id", "m4", "--alike", "--top", "5"]].concat());
    let alike = found["review"][0]["alike"].as_array().expect("reviews").clone();
    let told: Vec<f64> = alike.iter().map(|own| own["likeness"].as_f64().expect("a cosine")).collect();
    let mut slow: Vec<f64> = weights.keys().filter(|id| **id != "m4").map(|id| cosine(id)).collect();
    slow.sort_by(|a, b| b.total_cmp(a));
    assert!(
        told.len() == 5 && told.iter().zip(&slow).all(|(a, b)| (a - b).abs() < 1e-6),
        "{told:?} {slow:?}"
    );
    for own in &alike {
        let parts: f64 = own["shared"]
            .as_array()
            .expect("terms")
            .iter()
            .map(|part| part[1].as_f64().expect("a part"))
            .sum();
        assert!(parts <= own["likeness"].as_f64().expect("a cosine") + 1e-9);
    }
    holds(
        &folder.done(&[&asked[..], &["--id", "m4", "--alike"]].concat()),
        &["reads alike", "likeness", "Likeness: the cosine"],
    );
    holds(&folder.fails(&[&asked[..], &["--alike"]].concat()), &["--alike looks for reviews like one"]);
}
