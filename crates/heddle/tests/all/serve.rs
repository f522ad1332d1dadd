//! A model behind HTTP.
#![cfg(feature = "serve")]

use std::fs;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;

use crate::common::http::{Server, read_answer, request};
use crate::common::{Folder, column, holds, number};
use serde_json::{Value, json};

/// A folder with a model of its reviews.
fn folder() -> Folder {
    let folder = Folder::with_many(300);
    folder.done(&[
        "train",
        "many.csv",
        "--text",
        "review",
        "--out",
        "m.heddle",
        "--set",
        "model.strength=0.001",
    ]);
    folder
}

const JSON: &str = "Content-Type: application/json";
const CSV: &str = "Content-Type: text/csv";

#[test]
fn reviews_get_the_scores_that_the_command_gives_them() {
    let folder = folder().and_others(40);
    folder.done(&[
        "score",
        "m.heddle",
        "others.csv",
        "--flags",
        "--reasons",
        "2",
        "--log-odds",
        "--decimals",
        "all",
        "--out",
        "scored.csv",
    ]);
    let table = folder.csv("scored.csv");
    let server = Server::of(&folder, "m.heddle", &[]);
    let texts = column(&table, "review");
    // As texts and as rows of cells.
    let rows: Vec<Value> =
        texts.iter().map(|text| json!({"review": text, "stars": 3, "seen": null})).collect();
    for reviews in [json!(texts), json!(rows)] {
        let answer = server.ask("/score", &json!({"reviews": reviews, "reasons": 2})).done();
        assert_eq!(answer["heddle"], "score");
        let reviews = answer["reviews"].as_array().expect("a list");
        let of = |name: &str| column(&table, name);
        for (at, review) in reviews.iter().enumerate() {
            for name in ["polarity", "verdict"] {
                let verdict = of(name)[at].clone();
                assert_eq!(review[name], if verdict.is_empty() { "unsure".into() } else { verdict });
            }
            assert_eq!(number(&review["log_odds"]).to_string(), of("log_odds")[at]);
            for class in ["negative", "positive"] {
                let probability = number(&review["probabilities"][class]);
                assert_eq!(probability.to_string(), of(&format!("p_{class}"))[at]);
            }
            let flags: Vec<&str> =
                review["flags"].as_array().expect("a list").iter().filter_map(Value::as_str).collect();
            assert_eq!(flags.join("; "), of("flags")[at]);
            let reasons = review["reasons"].as_array().map_or(Vec::new(), |reasons| {
                let told = |reason: &Value| {
                    format!("{} {:.2}", reason["word"].as_str().expect("a word"), number(&reason["adds"]))
                };
                reasons.iter().map(told).collect()
            });
            assert_eq!(reasons.join("; "), of("reasons")[at]);
        }
        assert_eq!(reviews.len(), texts.len());
    }
    // What was scored is counted, and so is what the model knows of it.
    let metrics = server.get("/metrics").text();
    let unsure = 2 * column(&table, "verdict").iter().filter(|verdict| verdict.as_str() == "unsure").count();
    if unsure > 0 {
        holds(&metrics, &[&format!("heddle_reviews_total{{verdict=\"unsure\"}} {unsure}")]);
    }
    holds(
        &metrics,
        &["heddle_requests_total{route=\"/score\",status=\"200\"} 2", "heddle_tokens_total{known=\"yes\"}"],
    );
    assert!(metrics.ends_with("# EOF\n"), "{metrics}");
}

#[test]
fn a_file_that_is_sent_comes_back_as_the_command_writes_it() {
    let folder = folder().and_others(40);
    for (type_, ending) in [("text/csv", "csv"), ("application/x-ndjson", "jsonl")] {
        let name = format!("others.{ending}");
        if ending != "csv" {
            folder.done(&["sample", "others.csv", "--share", "100%", "--out", &name]);
        }
        let out = format!("scored.{ending}");
        folder.done(&["score", "m.heddle", &name, "--flags", "--reasons", "1", "--out", &out]);
        let server = Server::of(&folder, "m.heddle", &[]);
        let headers = [&*format!("Content-Type: {type_}"), &format!("Accept: {type_}")];
        let answer = server.post("/rows?flags=true&reasons=1", &headers, &folder.bytes(&name));
        assert_eq!(answer.text(), folder.text(&out));
        let told: Value = serde_json::from_str(answer.header("x-scored").expect("counts")).expect("JSON");
        assert_eq!((&told["read"], &told["scored"], &told["refused"]), (&json!(40), &json!(40), &json!(0)));
    }
    // A file that calls its column otherwise, with a row that cannot be used.
    let server = Server::of(&folder, "m.heddle", &[]);
    let rows = "name,said\nä,a warm cabin\nb,cold tea,again\n";
    let refused = server.post("/rows?text=words", &[CSV], rows.as_bytes()).refused(422);
    holds(&refused, &["reviews.csv", "`words`", "said"]);
    assert!(!refused.contains("/tmp"), "{refused}");
    let answer = server.post("/rows?text=said", &[CSV], rows.as_bytes());
    assert!(answer.text().starts_with("name,said,polarity,"), "{}", answer.text());
    let told: Value = serde_json::from_str(answer.header("x-scored").expect("counts")).expect("JSON");
    assert_eq!((&told["read"], &told["scored"], &told["refused"]), (&json!(2), &json!(1), &json!(1)));
    holds(&told["remarks"].to_string(), &["reviews.csv", "line 3"]);
    // What is no such file, and what nobody can read.
    holds(&server.post("/rows", &["Content-Type: text/plain"], b"a").refused(415), &["text/csv"]);
    server.post("/rows?colour=red", &[CSV], rows.as_bytes()).refused(422);
    server.post("/rows", &["Content-Type: application/vnd.apache.parquet"], b"PAR1 and no more").refused(422);
}

#[test]
fn explanations_add_up_and_their_pieces_are_the_text() {
    let folder = folder();
    let text = "Not a bad bed!  But the crew were rude, and — ähm — \n the tea cold; qwertz.";
    let told = folder.json(&["explain", "m.heddle", "--text", text]);
    let server = Server::of(&folder, "m.heddle", &[]);
    let answer = server.ask("/explain", &json!({"reviews": [text], "words": 5, "terms": 3})).done();
    let review = &answer["reviews"][0];
    let clauses = review["clauses"].as_array().expect("a list");
    let pieces = clauses.iter().flat_map(|clause| clause["pieces"].as_array().expect("a list"));
    let written: String = pieces.clone().map(|piece| piece["text"].as_str().expect("text")).collect();
    assert_eq!(written, text);
    let adds = |parts: &mut dyn Iterator<Item = &Value>| -> f64 {
        parts.filter_map(|part| part["adds"].as_f64()).sum()
    };
    let (begins, sum) = (number(&review["begins"]), number(&review["sum"]));
    assert!((begins + adds(&mut clauses.iter()) - sum).abs() < 1e-9);
    assert!((begins + adds(&mut pieces.clone()) - sum).abs() < 1e-9);
    assert_eq!(sum, number(&told["texts"][0]["sum"]));
    assert!(
        pieces.clone().any(|piece| piece["negates"] == true)
            && pieces.clone().any(|piece| piece["negated"] == true)
    );
    holds(&review["unknown"].to_string(), &["qwertz"]);
    assert_eq!(review["terms"].as_array().expect("a list").len(), 3);
    assert_eq!(review["without"].as_array().expect("a list").len(), 5);
    let words: Vec<&Value> = told["texts"][0]["flip"]["words"]
        .as_array()
        .expect("a list")
        .iter()
        .map(|word| &word["form"])
        .collect();
    assert_eq!(json!(words), review["turned_by"]["words"]);
    // Each explanation tells all: a request holds few.
    holds(&server.ask("/explain", &json!({"reviews": vec!["a"; 101]})).refused(422), &["101", "100"]);
    holds(&server.ask("/explain", &json!({"reviews": ["tea ".repeat(60_000)]})).refused(422), &["bytes"]);
}

#[test]
fn three_classes_and_columns_beside_the_text_are_told_too() {
    let mut rows = String::from("review,stars,channel\n");
    for row in 0..240 {
        let (text, stars) = [("a warm cabin", 5), ("it was a bed", 3), ("cold tea", 1)][row % 3];
        rows.push_str(&format!("{text} {},{stars},{}\n", row % 11, ["web", "desk"][row % 2]));
    }
    let folder = Folder::new().file("three.csv", rows);
    let columns = "features.columns=channel";
    folder.done(&[
        "train",
        "three.csv",
        "--text",
        "review",
        "--set",
        columns,
        "--set",
        "polarity.middle=neutral",
        "--out",
        "m.heddle",
    ]);
    let server = Server::of(&folder, "m.heddle", &[]);
    let review = json!({"review": "a warm bed", "channel": "web"});
    let answer = server.ask("/explain", &json!({"reviews": [review]})).done();
    let own = &answer["reviews"][0];
    assert_eq!(
        (&own["columns"][0]["column"], &own["columns"][0]["value"]),
        (&json!("channel"), &json!("web"))
    );
    let sum: f64 = own["probabilities"].as_object().expect("an object").values().map(number).sum();
    assert!((sum - 1.0).abs() < 1e-9 && own["probabilities"].as_object().expect("an object").len() == 3);
    let model = server.get("/model").done();
    assert_eq!(
        (&model["classes"], &model["text"], &model["beside"]),
        (&json!(["negative", "neutral", "positive"]), &json!(["review"]), &json!(["channel"]))
    );
    assert_eq!(model["card"]["card"]["terms"], model["terms"]);
    // A row lacks a column: it is told which, and which are needed.
    let lacking = json!({"reviews": ["fine", {"review": "fine"}]});
    holds(&server.ask("/score", &lacking).refused(422), &["reviews[1]", "`channel`", "review, channel"]);
}

#[test]
fn what_cannot_be_followed_is_refused_with_a_reason_and_nothing_falls_over() {
    let folder = folder();
    let server =
        Server::of(&folder, "m.heddle", &["--body-limit", "1", "--review-limit", "50", "--time-limit", "2"]);
    server.post("/score", &[JSON], b"{\"reviews\": [").refused(400);
    holds(&server.ask("/score", &json!({"reviews": [3]})).refused(422), &["a review: a text, or an object"]);
    holds(&server.ask("/score", &json!({"reviews": [], "reason": 3})).refused(422), &["reason"]);
    holds(&server.ask("/score", &json!({"reviews": [], "reasons": 3000})).refused(422), &["3000"]);
    holds(&server.ask("/score", &json!({"reviews": vec!["tea"; 51]})).refused(422), &["51", "50"]);
    holds(&server.post("/score", &[], b"{}").refused(415), &["application/json"]);
    holds(&server.get("/elsewhere").refused(404), &["/openapi.json"]);
    server.get("/score").refused(405);
    // Nested a thousand deep.
    let deep = [b"{\"reviews\": ".as_slice(), &b"[".repeat(1000), &b"]".repeat(1000), b"}"].concat();
    server.post("/score", &[JSON], &deep).refused(422);
    let deep =
        [b"{\"reviews\": [".as_slice(), &b"{\"a\":".repeat(1000), b"1", &b"}".repeat(1000), b"]}"].concat();
    server.post("/score", &[JSON], &deep).refused(422);
    // Too large, told before and found out; and a small one that unpacks to much.
    holds(&server.post("/score", &[JSON], &vec![b' '; 1_100_000]).refused(413), &["1048576 bytes"]);
    let chunked = b"POST /score HTTP/1.1\r\nHost: h\r\nConnection: close\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n";
    let chunk =
        [b"100000\r\n".as_slice(), &vec![b' '; 0x10_0000], b"\r\n8\r\n        \r\n0\r\n\r\n"].concat();
    server.raw(&[chunked, chunk.as_slice()].concat()).refused(413);
    let packed = gzip(&vec![b' '; 30_000_000]);
    assert!(packed.len() < 50_000);
    server.post("/score", &[JSON, "Content-Encoding: gzip"], &packed).refused(413);
    server.post("/score", &[JSON, "Content-Encoding: gzip"], b"not packed").refused(400);
    // Slow: the head comes, and the body does not. Cut: the client leaves in the middle.
    let late = request("/score", &[JSON], &[b' '; 500]);
    let mut slow = server.connect();
    slow.write_all(&late[..late.len() - 400]).expect("sent");
    read_answer(&mut slow).expect("an answer").refused(408);
    let mut cut = server.connect();
    cut.write_all(&late[..late.len() - 400]).expect("sent");
    drop(cut);
    // No HTTP at all, and a head without end.
    let mut stream = server.connect();
    stream.write_all(b"\x16\x03\x01 hello\r\n\r\n").expect("sent");
    let mut rest = Vec::new();
    let _ = stream.read_to_end(&mut rest);
    let endless = [b"GET / HTTP/1.1\r\nX: ".as_slice(), &vec![b'a'; 200_000]].concat();
    let mut stream = server.connect();
    let _ = stream.write_all(&endless);
    let _ = stream.read_to_end(&mut rest);
    assert_eq!(
        server.ask("/score", &json!({"reviews": ["a warm cabin"]})).done()["reviews"][0]["polarity"],
        "positive"
    );
    assert!(server.logged("fault").is_empty());
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packer.write_all(bytes).expect("packed");
    packer.finish().expect("packed")
}

#[test]
fn bodies_are_packed_both_ways() {
    let folder = folder();
    let server = Server::of(&folder, "m.heddle", &[]);
    let asked = json!({"reviews": vec!["a warm cabin, cold tea"; 300]}).to_string();
    let plain = server.post("/score", &[JSON], asked.as_bytes()).done();
    let packed = server.post(
        "/score",
        &[JSON, "Content-Encoding: gzip", "Accept-Encoding: gzip"],
        &gzip(asked.as_bytes()),
    );
    assert_eq!((packed.status, packed.header("content-encoding")), (200, Some("gzip")));
    let mut text = String::new();
    flate2::read::GzDecoder::new(packed.body.as_slice()).read_to_string(&mut text).expect("text");
    assert!(packed.body.len() < text.len() / 4);
    assert_eq!(serde_json::from_str::<Value>(&text).expect("JSON"), plain);
}

#[test]
fn more_requests_than_it_takes_are_sent_away_for_a_second_and_health_answers_still() {
    let folder = folder();
    let server = Server::of(&folder, "m.heddle", &["--at-once", "1"]);
    let held = request("/score", &[JSON], br#"{"reviews": ["hot tea"]}"#);
    let mut first = server.connect();
    first.write_all(&held[..held.len() - 5]).expect("sent");
    server
        .until("it is let in", |server| server.get("/metrics").text().contains("heddle_requests_in_work 2"));
    let sent_away = server.ask("/score", &json!({"reviews": ["hot tea"]}));
    holds(&sent_away.refused(429), &["come back"]);
    assert_eq!(sent_away.header("retry-after"), Some("1"));
    assert_eq!(server.get("/health/ready").done()["is"], "ready");
    assert_eq!(server.get("/health/live").done()["is"], "live");
    first.write_all(&held[held.len() - 5..]).expect("sent");
    read_answer(&mut first).expect("an answer").done();
    server.ask("/score", &json!({"reviews": ["hot tea"]})).done();
}

#[test]
fn another_model_takes_over_without_a_lost_request_and_a_damaged_one_does_not() {
    let folder = folder();
    folder.done(&[
        "train",
        "many.csv",
        "--text",
        "review",
        "--out",
        "other.heddle",
        "--set",
        "model.strength=0.3",
    ]);
    let asked = json!({"reviews": ["not a bad bed, cold tea"]});
    let mut expected = Vec::new();
    for model in ["m.heddle", "other.heddle"] {
        let answer = Server::of(&folder, model, &[]).ask("/score", &asked).done();
        expected.push((answer["model"]["xxh3"].clone(), answer["reviews"][0]["log_odds"].clone()));
    }
    assert_ne!(expected[0].1, expected[1].1);
    folder.done(&["sample", "many.csv", "--share", "10%", "--out", "some.csv"]);
    fs::copy(folder.path("m.heddle"), folder.path("first.heddle")).expect("copied");
    let server = Server::of(&folder, "m.heddle", &[]);
    let done = AtomicBool::new(false);
    let answers = thread::scope(|scope| {
        let askers: Vec<_> = (0..4)
            .map(|_| {
                scope.spawn(|| {
                    let mut answers = Vec::new();
                    while !done.load(Ordering::Relaxed) {
                        let answer = server.ask("/score", &asked).done();
                        answers.push((
                            answer["model"]["xxh3"].clone(),
                            answer["reviews"][0]["log_odds"].clone(),
                        ));
                    }
                    answers
                })
            })
            .collect();
        let place = |from: &str| {
            fs::copy(folder.path(from), folder.path("next")).expect("copied");
            fs::rename(folder.path("next"), folder.path("m.heddle")).expect("renamed");
        };
        place("other.heddle");
        server.until("the other is taken", |server| server.logged("model_taken").len() == 1);
        // Damaged, cut, gone: the one before stays, and each is told once.
        for (at, bytes) in
            [b"HEDDLE\r\n and no model".to_vec(), folder.bytes("first.heddle")[..5000].to_vec()]
                .iter()
                .enumerate()
        {
            fs::write(folder.path("bad"), bytes).expect("written");
            place("bad");
            server.until("it is kept", |server| server.logged("model_kept").len() == at + 1);
        }
        fs::remove_file(folder.path("m.heddle")).expect("removed");
        server.until("it is kept", |server| server.logged("model_kept").len() == 3);
        assert_eq!(server.get("/model").done()["model"]["xxh3"], expected[1].0);
        // Back, by the same way; and read at once where that is asked for.
        place("first.heddle");
        server.tell("-HUP");
        server.until("the first is taken", |server| server.logged("model_taken").len() == 2);
        done.store(true, Ordering::Relaxed);
        askers
            .into_iter()
            .flat_map(|asker| asker.join().expect("every request is answered"))
            .collect::<Vec<_>>()
    });
    assert!(answers.iter().all(|answer| expected.contains(answer)), "an answer of neither model");
    assert!(expected.iter().all(|expected| answers.contains(expected)), "both models answered");
    let taken = server.logged("model_taken");
    assert_eq!((&taken[1]["before"], &taken[1]["model"]), (&expected[1].0, &expected[0].0));
    let metrics = server.get("/metrics").text();
    holds(&metrics, &["heddle_models_taken_total 2", "heddle_models_kept_total 3"]);
    holds(&metrics, &[&format!("heddle_model{{xxh3={}}} 1", expected[0].0)]);
    assert_eq!(metrics.matches("heddle_model{").count(), 1);
}

#[test]
fn clients_send_the_token_where_one_is_asked_for() {
    let token = "b7f0-a-token-of-many-letters";
    let folder = folder()
        .file("token", format!("{token}\n"))
        .file("short", "abc")
        .file("two", "a first line of it\nanother");
    let server = Server::of(&folder, "m.heddle", &["--token-file", "token"]);
    let asked = json!({"reviews": ["hot tea"]}).to_string();
    let with = |authorization: &str| server.post("/score", &[JSON, authorization], asked.as_bytes());
    with(&format!("Authorization: Bearer {token}")).done();
    with(&format!("authorization: bearer {token}")).done();
    for wrong in [
        "X: y",
        "Authorization: Bearer",
        "Authorization: Bearer x",
        &format!("Authorization: Basic {token}"),
        &format!("Authorization: Bearer {token}x"),
    ] {
        let answer = with(wrong);
        holds(&answer.refused(401), &["Bearer"]);
        assert_eq!(answer.header("www-authenticate"), Some("Bearer"));
    }
    for closed in ["/model", "/card", "/metrics"] {
        server.get(closed).refused(401);
    }
    for open in ["/", "/page.css", "/page.js", "/health/live", "/health/ready", "/openapi.json"] {
        assert_eq!(server.get(open).status, 200, "{open}");
    }
    holds(&server.get("/openapi.json").text(), &["securitySchemes"]);
    assert!(!folder.text("log.jsonl").contains(token));
    drop(server);
    let fails =
        |file: &str| folder.fails(&["serve", "m.heddle", "--address", "127.0.0.1:0", "--token-file", file]);
    holds(&fails("short"), &["short: expected one line of 16 or more"]);
    holds(&fails("two"), &["two: expected one line"]);
    holds(&fails("none"), &["none: "]);
}

#[test]
fn told_to_end_it_answers_what_is_begun_and_takes_no_more() {
    let folder = folder();
    let server = Server::of(&folder, "m.heddle", &[]);
    let sent = request("/score", &[JSON], br#"{"reviews": ["hot tea"]}"#);
    let mut begun = server.connect();
    begun.write_all(&sent[..sent.len() - 5]).expect("sent");
    server
        .until("it is let in", |server| server.get("/metrics").text().contains("heddle_requests_in_work 2"));
    server.tell("-TERM");
    server.until("it stops", |server| server.logged("stopping").len() == 1);
    assert!(TcpStream::connect(server.address()).is_err(), "it takes no more");
    begun.write_all(&sent[sent.len() - 5..]).expect("sent");
    read_answer(&mut begun).expect("an answer").done();
    let path = folder.path("log.jsonl");
    assert_eq!(server.ended(), Some(0));
    let log = fs::read_to_string(path).expect("a log");
    holds(log.lines().last().expect("a line"), &["\"stopped\"", "\"unanswered\":0"]);
    // One that never comes is waited for as long as a request may take.
    let server = Server::of(&folder, "m.heddle", &["--time-limit", "1"]);
    let mut begun = server.connect();
    begun.write_all(&sent[..20]).expect("sent");
    server.tell("-INT");
    assert_eq!(server.ended(), Some(0));
}

#[test]
fn nothing_of_a_review_is_logged_counted_or_left_behind() {
    let folder = folder();
    fs::create_dir(folder.path("temporary")).expect("a folder");
    let mut command = folder.command(&["serve", "m.heddle", "--address", "127.0.0.1:0", "--json"]);
    command.env("TMPDIR", folder.path("temporary"));
    let server = Server::begin(&folder, command);
    let secret = "xylophonic";
    server.ask("/score", &json!({"reviews": [secret, {"review": secret, secret: secret}]})).done();
    server.ask("/explain", &json!({"reviews": [secret]})).done();
    server.post("/rows", &[CSV], format!("review\n{secret}\n{secret},{secret}\n").as_bytes());
    server.post("/score", &[JSON], secret.as_bytes()).refused(400);
    server.ask("/score", &json!({"reviews": [], secret: 1})).refused(422);
    server.get(&format!("/{secret}?{secret}")).refused(404);
    server
        .raw(
            format!("{} / HTTP/1.1\r\nHost: h\r\nConnection: close\r\n\r\n", secret.to_uppercase())
                .as_bytes(),
        )
        .refused(405);
    let metrics = server.get("/metrics").text();
    server.until("all is logged", |server| server.logged("request").len() == 8);
    for told in [metrics, folder.text("log.jsonl")] {
        assert!(!told.to_lowercase().contains(secret), "{told}");
    }
    let left: Vec<_> = fs::read_dir(folder.path("temporary")).expect("a folder").collect();
    assert!(left.is_empty(), "{left:?}");
    // Where there is no room for a file that is sent, that is said, and the rest goes on.
    fs::remove_dir(folder.path("temporary")).expect("removed");
    server.post("/rows", &[CSV], b"review\nhot tea\n").refused(507);
    server.ask("/score", &json!({"reviews": ["hot tea"]})).done();
}

#[test]
fn a_request_has_an_id_in_its_answer_and_in_the_log() {
    let folder = folder();
    let server = Server::of(&folder, "m.heddle", &[]);
    let asked = br#"{"reviews": ["hot tea"]}"#;
    let own = server.post("/score", &[JSON, "X-Request-Id: night-7"], asked);
    assert_eq!(own.header("x-request-id"), Some("night-7"));
    let unfit = server.post("/score", &[JSON, &format!("X-Request-Id: {}", "x".repeat(500))], asked);
    let given = unfit.header("x-request-id").expect("an id").to_string();
    assert_eq!(given.len(), 16);
    assert_ne!(server.get("/nothing").header("x-request-id"), Some(given.as_str()));
    server.until("all is logged", |server| server.logged("request").len() == 3);
    let ids: Vec<Value> = server.logged("request").iter().map(|line| line["request"].clone()).collect();
    assert!(ids.contains(&json!("night-7")) && ids.contains(&json!(given)), "{ids:?}");
}

#[test]
fn the_description_names_every_route_and_every_part_of_it_is_there() {
    let folder = folder();
    let server = Server::of(&folder, "m.heddle", &["-q"]);
    let described = server.get("/openapi.json").done();
    assert_eq!(described["openapi"], "3.1.0");
    for (path, own) in described["paths"].as_object().expect("an object") {
        let method = own.as_object().expect("an object").keys().next().expect("a method");
        let status = match method.as_str() {
            "get" => server.get(path).status,
            _ => server.post(path, &[], b"").status,
        };
        assert_eq!(status, if method == "get" { 200 } else { 415 }, "{method} {path}");
        assert!(!own[method]["responses"][status.to_string()].is_null(), "{path} does not tell of {status}");
    }
    let text = described.to_string();
    for reference in text.split("\"$ref\":\"#").skip(1).filter_map(|rest| rest.split('"').next()) {
        assert!(described.pointer(reference).is_some(), "{reference} leads nowhere");
    }
    // A quiet log tells only what matters.
    assert!(folder.text("log.jsonl").is_empty());
}

#[test]
fn a_server_that_cannot_begin_says_why() {
    let folder = folder().file("text.heddle", "no model");
    let server = Server::of(&folder, "m.heddle", &[]);
    holds(
        &folder.fails(&["serve", "m.heddle", "--address", server.address()]),
        &["cannot listen at", server.address(), "--address"],
    );
    holds(&folder.fails(&["serve", "text.heddle", "--address", "127.0.0.1:0"]), &["text.heddle"]);
    let wide = folder.command(&["serve", "m.heddle", "--address", "0.0.0.0:0", "--json"]);
    let open = Server::begin(&folder, wide);
    holds(&folder.text("log.jsonl"), &["warning: whoever reaches this address", "--token-file"]);
    drop(open);
}
