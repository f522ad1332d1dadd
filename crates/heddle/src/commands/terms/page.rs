//! How the terms of reviews look.

use heddle_core::terms::{Band, DistinctiveTerm, Doubt, MadeOf, Subword, TermFacts, TermStatus};

use heddle_work::{
    AlikeReview, Doubtful, FoundPhrase, Grid, LookedUp, ReviewTable, SimilarWords, Strongest, Terms,
    look_twice,
};

use super::picture::band_name;
use crate::view::chart::bar;
use crate::view::figures::share_with_interval;
use crate::view::table::{Side, Table};
use crate::view::{
    DIM, Page, STRONG, columns, count, cut, decimals, number, paint, percent, sign_of, style_of, width,
};

/// Doubtful terms that are shown.
const SHOWN_DOUBTFUL: usize = 12;
/// Columns of a weight in a grid, and between two columns.
const WEIGHT: usize = 8;
const GAP: usize = 3;
/// Terms of a review that are shown.
const SHOWN_OF_REVIEW: usize = 40;

/// What becomes of a term, in words.
fn status_words(status: TermStatus) -> &'static str {
    match status {
        TermStatus::Prefix => "only begin longer ones",
        TermStatus::Unread => "features.text is off",
        TermStatus::Absent => "in no review",
        TermStatus::Excluded => "named by terms.exclude",
        TermStatus::Included => "kept: named by terms.include",
        TermStatus::Listed => "kept: named by terms.only",
        TermStatus::Unlisted => "not named by terms.only",
        TermStatus::Rare => "in fewer reviews than terms.at_least says",
        TermStatus::OfFew => "in fewer groups than terms.at_least_groups",
        TermStatus::Frequent => "in more reviews than terms.at_most",
        TermStatus::BeyondLimit => "beyond terms.limit",
        TermStatus::Weak => "not among terms.best",
        TermStatus::Kept => "kept",
    }
}

/// What terms are made of, in words.
pub fn kind_words(made_of: MadeOf) -> String {
    match made_of {
        MadeOf::Part(Subword::Letters) => "letters".into(),
        MadeOf::Part(Subword::Stem) => "stems".into(),
        MadeOf::Words(1) => "one word".into(),
        MadeOf::Words(words) => format!("{words} words"),
    }
}

/// Puts the findings on a page.
pub fn show(terms: &Terms, page: &mut Page) {
    page.call(&terms.account.names);
    page.heading(&format!(
        "{} in {}: {} kept",
        count(terms.counted, "counted term"),
        count(terms.reviews, "review"),
        number(terms.kept)
    ));
    let LookedUp { shown, found, grid, similar } = &terms.looked_up;
    if shown.is_empty() && found.is_empty() && grid.is_none() && similar.is_none() {
        show_account(terms, page);
        show_bands(page, &terms.bands);
        if terms.unrated {
            show_frequent(&terms.frequent, page);
        } else {
            show_strongest(terms, page);
        }
        show_doubtful(page, &terms.doubtful);
    }
    if found.is_empty() {
        shown.iter().for_each(|review| show_review(page, review));
    }
    found.iter().for_each(|found| show_found(page, found));
    if let Some(grid) = grid {
        show_grid(page, grid);
    }
    if let Some(similar) = similar {
        show_similar(page, similar);
    }
    for path in terms.written.iter().chain(&terms.counts).chain(&terms.matrix).chain(&terms.picture) {
        page.written(path, "");
    }
}

fn show_account(terms: &Terms, page: &mut Page) {
    let mut line = |name: &str, text: String| page.item(&format!("{name:<10}"), &text);
    line(
        "rows",
        format!(
            "{} read, {} with a class ({})",
            number(terms.account.read),
            number(terms.reviews),
            terms.rule
        ),
    );
    let tokens = match (terms.words_seen, &terms.coverage) {
        (0, coverage) => format!(
            "{}; terms are hashed: they share {} columns and have no names",
            number(coverage.map_or(0, |coverage| coverage.tokens)),
            number(terms.counted)
        ),
        (words, None) => format!("of {} distinct words, added up from counts", number(words)),
        (words, Some(coverage)) => format!(
            "{} of {} distinct words; {} of the tokens are no kept term by themselves",
            number(coverage.tokens),
            number(words),
            percent(coverage.uncovered_tokens, coverage.tokens)
        ),
    };
    line("tokens", tokens);
    let dropped = terms.statuses.iter().filter(|(status, _)| !status.keeps());
    let reasons: Vec<String> =
        dropped.map(|(status, terms)| format!("{} {}", number(*terms), status_words(*status))).collect();
    let included =
        terms.statuses.iter().find(|(status, _)| matches!(status, TermStatus::Included | TermStatus::Listed));
    let mut kept = match reasons.is_empty() {
        true => "none of the counted ones left out".into(),
        false => format!("left out: {}", reasons.join("; ")),
    };
    if let Some((status, names)) = included {
        kept.push_str(&format!("; {} {}", number(*names), status_words(*status)));
    }
    line("terms", kept);
    let emptied = format!("{} without any token", number(terms.emptied));
    let reviews = match &terms.coverage {
        Some(coverage) => format!("{} without any kept term; {emptied}", number(coverage.uncovered_reviews)),
        None => emptied,
    };
    line("reviews", reviews);
}

/// The terms of reviews without classes, by how many hold them.
fn show_frequent(frequent: &[Vec<TermFacts>], page: &mut Page) {
    for own in frequent.iter().filter(|own| !own.is_empty()) {
        page.heading(&format!("Most frequent terms, {}", kind_words(own[0].made_of)));
        let mut table = Table::new(&[("term", Side::Left), ("reviews", Side::Right)]);
        own.iter().for_each(|facts| table.row([facts.term.clone(), number(facts.reviews)]));
        table.put(page);
    }
}

fn show_strongest(terms: &Terms, page: &mut Page) {
    for pair in terms.strongest.chunk_by(|a, b| a.made_of == b.made_of) {
        page.heading(&format!("Most distinctive terms, {}", kind_words(pair[0].made_of)));
        let mut table = Table::new(&[
            ("class", Side::Left),
            ("term", Side::Left),
            ("reviews", Side::Right),
            ("of them in the class", Side::Right),
            ("check", Side::Left),
        ]);
        for Strongest { polarity, terms, .. } in pair {
            for DistinctiveTerm { facts, share, .. } in terms {
                table.row([
                    paint(style_of(*polarity), sign_of(*polarity)),
                    facts.term.clone(),
                    number(facts.reviews),
                    share_with_interval(share),
                    look_twice(&facts.doubts),
                ]);
            }
        }
        table.put(page);
    }
    page.note(
        "Ranked by log-odds ratio in standard errors, with an informative prior; 95 % intervals. ¬ marks a negated word.",
    );
}

fn show_bands(page: &mut Page, bands: &[Band]) {
    page.heading("Terms by the number of reviews that hold them");
    let most = bands.iter().map(|band| band.kept + band.dropped).max().unwrap_or(0) as f64;
    let room = width().saturating_sub(52).max(10);
    let mut table = Table::new(&[
        ("reviews", Side::Right),
        ("kept", Side::Right),
        ("left out", Side::Right),
        ("", Side::Left),
    ]);
    for band in bands {
        let kept = bar(band.kept as f64, most, room);
        let left_out = "░".repeat((band.dropped as f64 / most * room as f64).round() as usize);
        let cells = [band_name(band), number(band.kept), number(band.dropped)];
        table.row(cells.into_iter().chain([format!("{kept}{}", paint(DIM, left_out))]));
    }
    table.put(page);
}

fn show_doubtful(page: &mut Page, doubtful: &[Doubtful]) {
    if doubtful.is_empty() {
        return;
    }
    page.heading(&format!("To be checked, among the most distinctive: {}", number(doubtful.len())));
    let mut table = Table::new(&[
        ("class", Side::Left),
        ("term", Side::Left),
        ("reviews", Side::Right),
        ("why", Side::Left),
    ]);
    // Names, and what one class alone uses, before function words, of which there are always some.
    let plain = |own: &&Doubtful| own.facts.doubts.iter().all(|doubt| *doubt == Doubt::FunctionWord);
    let mut sorted: Vec<&Doubtful> = doubtful.iter().collect();
    sorted.sort_by_key(|own| plain(own));
    for Doubtful { polarity, facts } in sorted.into_iter().take(SHOWN_DOUBTFUL) {
        let sign = paint(style_of(*polarity), sign_of(*polarity));
        table.row([sign, facts.term.clone(), number(facts.reviews), look_twice(&facts.doubts)]);
    }
    table.put(page);
    page.note("Names and function words may tell where reviews come from rather than what they say. --find shows where a term stands; terms.exclude leaves it out.");
}

fn show_review(page: &mut Page, review: &ReviewTable) {
    page.heading(&review.origin);
    for line in crate::view::wrapped(&review.text, width() - 4) {
        page.line(format!("  {}", paint(DIM, line)));
    }
    page.line("");
    let mut table = Table::new(&[
        ("term", Side::Left),
        ("count", Side::Right),
        ("term factor", Side::Right),
        ("document factor", Side::Right),
        ("weight", Side::Right),
        ("", Side::Left),
    ]);
    for term in review.terms.iter().take(SHOWN_OF_REVIEW) {
        let figures = [f64::from(term.term_factor), term.document_factor, term.value];
        let [term_factor, document_factor, value] = figures.map(|figure| format!("{figure:.4}"));
        let why = if term.status.keeps() { String::new() } else { status_words(term.status).into() };
        table.row([term.term.clone(), term.count.to_string(), term_factor, document_factor, value, why]);
    }
    table.put(page);
    if review.terms.len() > SHOWN_OF_REVIEW {
        page.note(&format!(
            "{} more; --json gives all of them.",
            count(review.terms.len() - SHOWN_OF_REVIEW, "term")
        ));
    }
    if !review.alike.is_empty() {
        show_alike(page, &review.alike);
    }
    page.note("Weight = term factor x document factor x the factor of the row; the document factors are those of all reviews of the file. docs/weighting.md gives the formulas.");
}

/// The reviews that read most like one.
fn show_alike(page: &mut Page, alike: &[AlikeReview]) {
    page.line("");
    let mut table = Table::new(&[
        ("reads alike", Side::Left),
        ("likeness", Side::Right),
        ("class", Side::Left),
        ("by", Side::Left),
        ("", Side::Excerpt),
    ]);
    for own in alike {
        let shared: Vec<&str> = own.how.shared.iter().map(|(term, _)| term.as_str()).collect();
        table.row([
            handle_of(&own.origin).into(),
            format!("{:.2}", own.how.likeness),
            own.polarity.map_or(String::new(), |class| paint(style_of(class), sign_of(class))),
            shared.join(", "),
            own.text.clone(),
        ]);
    }
    table.put(page);
    page.note("Likeness: the cosine of the two by the weights of their kept terms; by: the terms that make most of it.");
}

/// The grid, in as many tables as the width asks for.
fn show_grid(page: &mut Page, grid: &Grid) {
    if grid.terms.is_empty() || grid.rows.is_empty() {
        return page.note("None of these terms stands in a review.");
    }
    let handles: Vec<&str> = grid.rows.iter().map(|row| handle_of(&row.origin)).collect();
    let handle = handles.iter().map(|handle| columns(handle)).max().unwrap_or(0);
    let room = width().saturating_sub(2 + handle);
    let wide = |term: &String| columns(term).max(WEIGHT) + GAP;
    let mut first = 0;
    while first < grid.terms.len() {
        let mut last = first + 1;
        let mut used = wide(&grid.terms[first]);
        while last < grid.terms.len() && used + wide(&grid.terms[last]) <= room {
            used += wide(&grid.terms[last]);
            last += 1;
        }
        let terms = grid.terms[first..last].iter().map(|term| (term.as_str(), Side::Right));
        let mut table = Table::new(&[("review", Side::Left)].into_iter().chain(terms).collect::<Vec<_>>());
        for (row, handle) in grid.rows.iter().zip(&handles) {
            let cells = row.cells[first..last].iter().map(|cell| match cell {
                None => "·".into(),
                Some(cell) if cell.kept => decimals(cell.value, 4),
                Some(cell) => format!("({})", decimals(cell.value, 4)),
            });
            table.row([(*handle).to_string()].into_iter().chain(cells));
        }
        table.put(page);
        page.line("");
        first = last;
    }
    page.note(
        "Weights of terms in reviews; ·: the review does not hold it; in brackets: the term is left out.",
    );
}

fn show_found(page: &mut Page, found: &FoundPhrase) {
    let classes: Vec<String> = found
        .by_class
        .iter()
        .map(|(polarity, reviews)| format!("{} {}", number(*reviews), page.class(*polarity)))
        .collect();
    page.heading(&format!(
        "“{}”: {} in {}{}, {} negated",
        found.phrase,
        count(found.places, "place"),
        count(found.reviews, "review"),
        if classes.is_empty() { String::new() } else { format!(" ({})", classes.join(", ")) },
        number(found.negated)
    ));
    for place in &found.shown {
        let read = |text: &str| html_escape::decode_html_entities(text).into_owned();
        let (before, after) = (read(place.before.trim_start()), read(place.after.trim_end()));
        // Brackets, so that the place is seen without colours too.
        let here = format!("[{}{}]", if place.negated { "¬" } else { "" }, read(&place.here));
        let handle = handle_of(&place.origin);
        page.line(format!(
            "  {} {}{}{}  {}",
            paint(style_of(place.polarity), sign_of(place.polarity)),
            cut_before(&before),
            paint(STRONG, &here),
            cut_after(&after, &here, handle),
            paint(DIM, handle)
        ));
    }
    if found.places > found.shown.len() {
        page.note(&format!(
            "{} more; --top N shows more, --row and --id one review.",
            count(found.places - found.shown.len(), "place")
        ));
    }
}

/// What stands before a place, padded to 40 columns.
fn cut_before(before: &str) -> String {
    format!("{}{before}", " ".repeat(40usize.saturating_sub(columns(before))))
}

/// What follows a place, padded so that the lines end alike.
fn cut_after(after: &str, here: &str, handle: &str) -> String {
    let room = width().saturating_sub(46 + columns(here) + columns(handle)).max(8);
    let gap = if after.starts_with(' ') { " " } else { "" };
    let short = format!("{gap}{}", cut(after, room - gap.len()));
    format!("{short}{}", " ".repeat(room.saturating_sub(columns(&short))))
}

/// What a row is called in a place such as "reviews.csv, row 11, line 12".
fn handle_of(origin: &str) -> &str {
    origin.split_once(", ").map_or(origin, |(_, handle)| handle)
}

fn show_similar(page: &mut Page, similar: &SimilarWords) {
    show_used_alike(page, similar);
    if similar.by_vector.is_empty() {
        return;
    }
    page.heading(&format!("Words of these reviews whose vectors are like that of “{}”", similar.word));
    let mut table = Table::new(&[("word", Side::Left), ("cosine", Side::Right)]);
    for (word, cosine) in &similar.by_vector {
        table.row([cut(word, 30), format!("{cosine:.2}")]);
    }
    table.put(page);
}

fn show_used_alike(page: &mut Page, similar: &SimilarWords) {
    page.heading(&format!("Words used like “{}”", similar.word));
    if similar.words.is_empty() {
        page.note("It stands in these reviews too rarely to be compared: five times or more are needed.");
        return;
    }
    let mut table = Table::new(&[
        ("word", Side::Left),
        ("likeness", Side::Right),
        ("times", Side::Right),
        ("", Side::Left),
    ]);
    for word in &similar.words {
        let near = word.letters_apart <= 2 && word.word.chars().count() > 3;
        let note = if near {
            format!("{} apart: another spelling?", count(word.letters_apart, "letter"))
        } else {
            String::new()
        };
        table.row([
            cut(&word.word, 30),
            format!("{:.2}", word.similarity),
            number(word.times as usize),
            note,
        ]);
    }
    table.put(page);
    page.note("Likeness is the cosine of the words around them (1 = the same company); nothing but these reviews is used.");
}
