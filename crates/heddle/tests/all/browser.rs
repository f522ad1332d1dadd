//! The report in a real browser: sizes, sorting, search, print, and no complaint on its console.
//!
//! They need Chromium, which a machine may lack: `cargo test -p heddle --all-features --test all browser:: -- --ignored`.
//! `HEDDLE_BROWSER` names another one.

use std::fs;
use std::process::Command;

use crate::common::Folder;

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

/// What a visitor of the server's page does. The page is asked for through a proxy that adds this to it.
#[cfg(feature = "serve")]
const VISIT_SERVER: &str = r##"
<script>
const found = [];
const holds = (what, is) => { if (!is) found.push(what); };
const until = async (what, is) => {
  for (let tries = 0; tries < 200 && !is(); tries++) await new Promise(done => setTimeout(done, 20));
  holds(what, is());
};
const type = text => { byId("text").value = text; byId("text").dispatchEvent(new Event("input")); };
const visit = async () => {
  await until("the page tells of its model", () => byId("about").textContent.includes("learnt from 600 reviews"));
  type("Not a bad bed, but the crew were rude. qwertz");
  await until("the reading line follows", () => document.querySelectorAll("#reading .step").length > 2);
  const before = byId("reading").textContent;
  holds("its clauses are the text", before.includes("Not a bad bed") && before.includes("the crew were rude"));
  holds("negated words are underlined", [...document.querySelectorAll("#reading u")].some(word => word.textContent === "bad"));
  holds("unknown words are told", before.includes("does not know") && before.includes("qwertz"));
  holds("the class has a sign, a word and a colour", document.querySelector("#reading strong.negative, #reading strong.positive").textContent.match(/^[−+] \w/));
  type("a warm cabin");
  await until("it changes as one types", () => byId("reading").textContent.includes("+ positive") && !byId("reading").textContent.includes("rude"));
  type("");
  await until("no text, no verdict", () => byId("reading").childElementCount === 0);
  const drop = byId("drop"), file = new File(["review\na warm cabin\ncold tea\n"], "night.csv");
  const data = new DataTransfer();
  data.items.add(file);
  drop.dispatchEvent(new DragEvent("drop", { dataTransfer: data, cancelable: true }));
  await until("a dropped file is scored", () => byId("scored").textContent.includes("2 scored"));
  const link = document.querySelector("#scored a");
  const rows = await fetch(link.href).then(answer => answer.text());
  holds("its rows can be saved", link.download === "night-scored.csv" && rows.startsWith("review,polarity,") && rows.trim().split("\n").length === 3);
  await score(new File(["a"], "night.pdf"));
  holds("another kind of file is refused", byId("scored").textContent.includes("night.pdf: expected"));
  await score(new File([""], "empty.csv"));
  holds("what the server refuses is told", byId("scored").querySelector(".problem"));
  holds("the card is there", byId("card").textContent.includes("What it is") && byId("card").querySelector("th button"));
  byId("text").focus();
  const order = [...document.querySelectorAll("textarea, input, a, button")].filter(part => part.offsetParent);
  holds("all can be reached by the keyboard", order.every(part => part.tabIndex === 0));
  holds("all fields have labels", [...document.querySelectorAll("textarea, input")].every(part => part.labels.length));
  holds("nothing is wider than the window", document.documentElement.scrollWidth <= window.innerWidth);
  parent.postMessage(`visited at ${window.innerWidth}: ${found.join("; ")}`, "*");
};
addEventListener("load", visit);
</script>
"##;

#[cfg(feature = "serve")]
#[test]
#[ignore = "needs Chromium"]
fn the_page_of_the_server_works_in_a_browser() {
    use std::net::TcpListener;
    use std::thread;

    use crate::common::http::{Server, read_answer};

    let folder = Folder::with_many(600);
    folder.done(&[
        "train",
        "many.csv",
        "--text",
        "review",
        "--out",
        "m.heddle",
        "--set",
        "validation.folds=4",
    ]);
    let server = Server::of(&folder, "m.heddle", &[]);
    let proxy = TcpListener::bind("127.0.0.1:0").expect("a free port");
    let address = proxy.local_addr().expect("an address");
    thread::scope(|scope| {
        let target = server.address();
        scope.spawn(move || pass_on(&proxy, target));
        for width in [390, 1280] {
            for dark in [&[][..], &["--force-dark-mode", "--blink-settings=preferredColorScheme=0"]] {
                let output = Command::new(browser())
                    .args([
                        "--headless",
                        "--no-sandbox",
                        "--disable-gpu",
                        "--enable-logging=stderr",
                        "--dump-dom",
                    ])
                    .args(["--window-size=1400,1000", "--timeout=20000", "--virtual-time-budget=20000"])
                    .args(dark)
                    .arg(format!("http://{address}/around?{width}"))
                    .output()
                    .expect("the browser starts");
                let dom = String::from_utf8_lossy(&output.stdout).into_owned();
                let title = dom.split("<title>").nth(1).and_then(|rest| rest.split("</title>").next());
                assert_eq!(title, Some(format!("visited at {width}: ").as_str()), "{dark:?}");
            }
        }
        // The page as it is: its own policy forbids nothing that it needs.
        let plain = Command::new(browser())
            .args(["--headless", "--no-sandbox", "--disable-gpu", "--enable-logging=stderr", "--dump-dom"])
            .args(["--virtual-time-budget=5000", &format!("http://{target}/")])
            .output()
            .expect("the browser starts");
        assert!(String::from_utf8_lossy(&plain.stdout).contains("learnt from 600 reviews"));
        let log = String::from_utf8_lossy(&plain.stderr).into_owned();
        assert_eq!(log.lines().find(|line| line.contains("CONSOLE")), None);
        let mut end = std::net::TcpStream::connect(address).expect("it listens");
        std::io::Write::write_all(&mut end, b"GET /end HTTP/1.1\r\n\r\n").expect("sent");
        let _ = read_answer(&mut end);
    });
}

/// Passes requests on, and adds the visit to the page.
#[cfg(feature = "serve")]
fn pass_on(proxy: &std::net::TcpListener, target: &str) {
    use std::io::{BufRead, BufReader, Read, Write};
    use std::net::TcpStream;

    use crate::common::http::read_answer;

    for stream in proxy.incoming() {
        let Ok(mut stream) = stream else { continue };
        let mut reader = BufReader::new(stream.try_clone().expect("a second handle"));
        let (mut head, mut length) = (String::new(), 0);
        loop {
            let mut line = String::new();
            if reader.read_line(&mut line).unwrap_or(0) == 0 {
                break;
            }
            let lower = line.to_ascii_lowercase();
            if let Some(value) = lower.strip_prefix("content-length:") {
                length = value.trim().parse().expect("a length");
            }
            // One connection, one request; and nothing packed, which could not be added to.
            if !lower.starts_with("connection:") && !lower.starts_with("accept-encoding:") {
                head.push_str(if line == "\r\n" { "Connection: close\r\n\r\n" } else { &line });
            }
            if line == "\r\n" {
                break;
            }
        }
        if head.starts_with("GET /end ") {
            return;
        }
        let mut body = vec![0; length];
        if head.is_empty() || reader.read_exact(&mut body).is_err() {
            continue;
        }
        let (told, content) = match head.strip_prefix("GET /around?") {
            Some(rest) => {
                let width: String = rest.chars().take_while(char::is_ascii_digit).collect();
                let around = format!(
                    "<title></title><script>onmessage = told => {{ document.title = told.data; }}</script>\
                     <iframe src=\"/\" width=\"{width}\" height=\"900\" frameborder=\"0\"></iframe>"
                );
                ("HTTP/1.1 200 OK\r\ncontent-type: text/html\r\n".to_string(), around.into_bytes())
            }
            None => {
                let mut inner = TcpStream::connect(target).expect("the server answers");
                inner.write_all(head.as_bytes()).expect("sent");
                inner.write_all(&body).expect("sent");
                let answer = read_answer(&mut inner).expect("an answer");
                let own = ["content-length", "transfer-encoding", "connection", "content-security-policy"];
                let kept = answer.head.lines().filter(|line| {
                    !line.is_empty() && !own.iter().any(|name| line.to_ascii_lowercase().starts_with(name))
                });
                let told = kept.map(|line| format!("{line}\r\n")).collect();
                let content = match head.starts_with("GET / ") {
                    true => answer.text().replace("</body>", &format!("{VISIT_SERVER}</body>")).into_bytes(),
                    false => answer.body,
                };
                (told, content)
            }
        };
        let told = format!("{told}Connection: close\r\nContent-Length: {}\r\n\r\n", content.len());
        let _ = stream.write_all(&[told.as_bytes(), &content].concat());
    }
}
