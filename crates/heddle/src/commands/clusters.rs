//! Reviews that say like things.

use heddle_core::clusters::Tried;
use heddle_core::labels::Polarity;
use heddle_core::validate::within;
use heddle_work::{ClusterFound, Clustered, ClustersOptions, Session, clusters};

use crate::args::ClustersArgs;
use crate::output::Output;
use crate::view::chart::bar;
use crate::view::figures::{in_points, plain_with_interval, share};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, cut, number, percent, width, without_mark, wrapped};

/// Below this, two looks at the reviews find other clusters.
const AGREES: f64 = 0.5;
/// So many lines of a review are shown.
const LINES: usize = 3;

/// Finds clusters and shows what they say.
pub fn run(args: &ClustersArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let ClustersArgs { files, count, most, top, nearest, out, .. } = args;
    let options = ClustersOptions {
        files: files.files.clone(),
        count: count.map(|count| count as usize),
        most: *most as usize,
        words: *top,
        nearest: *nearest,
        out: out.clone(),
    };
    let found = clusters(session, &options)?;
    output.answer("clusters", &found, show)?;
    Ok(found.account.refused)
}

fn show(found: &Clustered, page: &mut Page) {
    page.call(&found.account.names);
    page.heading(&format!(
        "{} in {}",
        count(found.clusters.len(), "cluster"),
        count(found.reviews, "review")
    ));
    show_clusters(found, page);
    for (at, own) in (1..).zip(&found.clusters) {
        if !own.nearest.is_empty() {
            let words: Vec<String> =
                own.cluster.words.iter().take(3).map(|(word, _)| without_mark(word)).collect();
            page.heading(&format!("Nearest to the middle of {at}: {}", words.join(", ")));
        }
        for nearest in &own.nearest {
            let mut lines = wrapped(&format!("{} “{}”", nearest.id, nearest.text), width() - 2);
            if lines.len() > LINES {
                lines.truncate(LINES);
                lines[LINES - 1] = cut(&format!("{} …”", lines[LINES - 1]), width() - 4);
            }
            lines.iter().for_each(|line| page.line(format!("  {line}")));
        }
    }
    if !found.tried.is_empty() {
        show_tried(found, page);
    }
    if let Some(path) = &found.written {
        page.written(path, ", the cluster of each review");
    }
}

fn show_clusters(found: &Clustered, page: &mut Page) {
    let negative = page.name(Polarity::Negative);
    let mut header = vec![("", Side::Right), ("reviews", Side::Right), ("share", Side::Right)];
    if !found.unrated {
        header.extend([(negative.as_str(), Side::Right), ("more", Side::Right)]);
    }
    header.extend([("cosine", Side::Right), ("words", Side::Left)]);
    let mut table = Table::new(&header);
    for (at, ClusterFound { cluster, .. }) in (1..).zip(&found.clusters) {
        let words: Vec<String> = cluster.words.iter().map(|(word, _)| without_mark(word)).collect();
        let mut row = vec![number(at), number(cluster.reviews), percent(cluster.reviews, found.reviews)];
        if !found.unrated {
            let beyond = !within(&cluster.difference);
            let more = in_points(&cluster.difference);
            row.extend([share(&cluster.negative), if beyond { format!("{more} *") } else { more }]);
        }
        row.extend([format!("{:.2}", cluster.cohesion), words.join(", ")]);
        table.row(row);
    }
    table.put(page);
    if !found.unrated {
        page.note(&format!(
            "{negative}: share of the reviews of a cluster; more: less that of all others, in points, with an interval that holds \
             for all clusters together; *: more than noise. All reviews: {}.",
            share(&found.negative)
        ));
    }
    page.note("cosine: the mean of its reviews with their centre; words: those that tell it from the others. No label played a part.");
    match found.without {
        0 => {}
        1 => page.note("1 review has no word that brings it together with others."),
        more => page
            .note(&format!("{} reviews have no word that brings them together with others.", number(more))),
    }
}

/// How well two looks at the reviews agree, by number of clusters.
fn show_tried(found: &Clustered, page: &mut Page) {
    page.heading("How well two looks at different reviews agree");
    let mut table = Table::new(&[("clusters", Side::Right), ("agreement", Side::Right), ("", Side::Left)]);
    let room = width().saturating_sub(44).max(10);
    for Tried { count, agreement } in &found.tried {
        let drawn = bar(agreement.value.unwrap_or(0.0).max(0.0), 1.0, room);
        table.row([number(*count), plain_with_interval(agreement), drawn]);
    }
    table.put(page);
    let best = found.tried.iter().filter_map(|own| own.agreement.value).fold(f64::NEG_INFINITY, f64::max);
    page.note("The adjusted Rand index: 1 where they find the same clusters, 0 where they agree as by chance. The number that agrees best is taken; --count takes another.");
    if best < AGREES {
        page.note("No number of clusters is stable: these reviews do not fall into clusters by themselves, and other reviews would give others.");
    }
}
