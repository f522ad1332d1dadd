//! The report in a real browser: sizes, sorting, search, print, and no complaint on its console.
//!
//! They need Chromium, which a machine may lack: `cargo test -p heddle --test browser -- --ignored`. `HEDDLE_BROWSER` names
//! another one.

mod common;

use std::fs;
use std::process::Command;

use common::Folder;

/// What a visitor does; what comes of it is told to the page around this one.
const VISIT: &str = r##"
<script>
const found = [];
const holds = (what, is) => { if (!is) found.push(what); };
const cells = (table, at) => [...table.tBodies[0].rows].filter(row => !row.hidden).map(row => row.cells[at]);
const numbers = (table, at) => cells(table, at).map(cell => Number(cell.dataset.value));
const sorted = values => values.every((value, at) => at === 0 || values[at - 1] <= value);
const themes = document.querySelector("#drivers table");
const button = themes.tHead.rows[0].cells[2].querySelector("button");
button.focus();
holds("a head can be reached by the keyboard", document.activeElement === button && button.tabIndex === 0);
button.click();
holds("the first click sorts from the highest", sorted(numbers(themes, 2).reverse()));
button.click();
holds("the second click sorts from the lowest", sorted(numbers(themes, 2)));
holds("the head says so", themes.tHead.rows[0].cells[2].getAttribute("aria-sort") === "ascending");
const search = document.querySelector("#doubts input[type=search]");
const doubts = document.getElementById(search.getAttribute("aria-controls"));
const all = cells(doubts, 0).length;
search.value = cells(doubts, 0)[0].textContent;
search.dispatchEvent(new Event("input"));
holds("search leaves what holds the words", cells(doubts, 0).length >= 1 && cells(doubts, 0).length < all);
search.value = "";
search.dispatchEvent(new Event("input"));
holds("an empty search shows all", cells(doubts, 0).length === all);
holds("nothing is wider than the window", document.documentElement.scrollWidth <= window.innerWidth);
const names = [...document.querySelectorAll("nav a")].map(link => document.querySelector(link.getAttribute("href")));
holds("every link leads somewhere", names.every(Boolean));
const lit = color => {
  const [r, g, b] = color.match(/\d+/g).slice(0, 3).map(part => {
    const value = Number(part) / 255;
    return value <= 0.03928 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
};
const ground = lit(getComputedStyle(document.body).backgroundColor);
for (const what of ["body", ".note", ".negative", ".positive", "a", "figcaption"]) {
  const ink = lit(getComputedStyle(document.querySelector(what)).color);
  const contrast = (Math.max(ink, ground) + 0.05) / (Math.min(ink, ground) + 0.05);
  holds(`${what} can be read: ${contrast.toFixed(1)}`, contrast >= 4.5);
}
parent.postMessage(`visited at ${window.innerWidth}: ${found.join("; ")}`, "*");
</script>
"##;

fn browser() -> String {
    std::env::var("HEDDLE_BROWSER").unwrap_or_else(|_| "chromium".into())
}

fn visit(folder: &Folder, page: &str, arguments: &[&str]) -> (String, String) {
    let output = Command::new(browser())
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--enable-logging=stderr", "--hide-scrollbars"])
        .args(arguments)
        .arg(format!("file://{}", folder.path(page).display()))
        .output()
        .expect("the browser starts");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (text(&output.stdout), text(&output.stderr))
}

#[test]
#[ignore = "needs Chromium"]
fn the_report_works_in_a_browser() {
    let folder = Folder::with_many(600);
    folder.done(&["run", "many.csv", "--id", "id", "--out", "run", "--set", "validation.folds=4"]);
    let page = folder.text("run/report.html").replace("</body>", &format!("{VISIT}</body>"));
    let folder = folder.file("visited.html", page);
    for width in [390, 768, 1280] {
        for dark in [&[][..], &["--force-dark-mode", "--blink-settings=preferredColorScheme=0"]] {
            // Windows have a least width: a frame has none.
            let around = format!(
                "<title></title><script>onmessage = told => {{ document.title = told.data; }}</script>\
                 <iframe src=\"visited.html\" width=\"{width}\" height=\"900\" frameborder=\"0\"></iframe>"
            );
            fs::write(folder.path("around.html"), around).expect("a file");
            let window = "--window-size=1400,1000";
            let wait = "--virtual-time-budget=5000";
            let (dom, log) =
                visit(&folder, "around.html", &[&["--dump-dom", window, wait][..], dark].concat());
            let title = dom.split("<title>").nth(1).and_then(|rest| rest.split("</title>").next());
            let expected = format!("visited at {width}: ");
            assert_eq!(title, Some(expected.as_str()), "{dark:?}");
            let complaint = log.lines().find(|line| line.contains("CONSOLE"));
            assert_eq!(complaint, None, "at {width} pixels");
        }
    }
    let paper = format!("--print-to-pdf={}", folder.path("report.pdf").display());
    visit(&folder, "run/report.html", &[&paper]);
    let pdf = folder.bytes("report.pdf");
    assert!(pdf.starts_with(b"%PDF") && pdf.len() > 10_000, "{} bytes", pdf.len());
}
