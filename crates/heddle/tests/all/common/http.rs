//! A server of the built program, and a client that can do what no well-behaved one does.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use serde_json::Value;

use super::Folder;

/// Longer than anything here takes on a busy machine.
const PATIENCE: Duration = Duration::from_secs(60);

/// A server that answers in a folder; it ends with its test.
pub struct Server<'f> {
    folder: &'f Folder,
    child: Child,
    address: String,
}

/// What was answered.
#[derive(Debug)]
pub struct Answer {
    pub status: u16,
    pub head: String,
    pub body: Vec<u8>,
}

impl<'f> Server<'f> {
    /// Serves a model with some options; what is logged goes into `log.jsonl`.
    pub fn of(folder: &'f Folder, model: &str, options: &[&str]) -> Self {
        let arguments = [&["serve", model, "--address", "127.0.0.1:0", "--json"], options].concat();
        Self::begin(folder, folder.command(&arguments))
    }

    pub fn begin(folder: &'f Folder, mut command: std::process::Command) -> Self {
        let log = File::create(folder.path("log.jsonl")).expect("a log");
        let mut child = command.stdout(Stdio::piped()).stderr(log).spawn().expect("the program starts");
        let mut told = String::new();
        let mut out = BufReader::new(child.stdout.take().expect("a pipe"));
        let begun = loop {
            assert!(out.read_line(&mut told).expect("text") > 0, "it ended: {}", folder.text("log.jsonl"));
            if let Ok(begun) = serde_json::from_str::<Value>(&told) {
                break begun;
            }
        };
        let address = begun["address"].as_str().expect("an address").replace("http://", "");
        Self { folder, child, address }
    }

    pub fn address(&self) -> &str {
        &self.address
    }

    pub fn connect(&self) -> TcpStream {
        let stream = TcpStream::connect(&self.address).expect("it listens");
        stream.set_read_timeout(Some(PATIENCE)).expect("a timeout");
        stream
    }

    /// Sends bytes as they are, and reads what comes back.
    pub fn raw(&self, request: &[u8]) -> Answer {
        let mut stream = self.connect();
        // A server that has seen enough may close before all is sent.
        let _ = stream.write_all(request);
        read_answer(&mut stream).expect("an answer")
    }

    pub fn get(&self, path: &str) -> Answer {
        self.raw(format!("GET {path} HTTP/1.1\r\nHost: here\r\nConnection: close\r\n\r\n").as_bytes())
    }

    /// Sends a body with headers of its own.
    pub fn post(&self, path: &str, headers: &[&str], body: &[u8]) -> Answer {
        self.raw(&request(path, headers, body))
    }

    pub fn ask(&self, path: &str, asked: &Value) -> Answer {
        self.post(path, &["Content-Type: application/json"], asked.to_string().as_bytes())
    }

    /// Lines of the log, of events of a name.
    pub fn logged(&self, event: &str) -> Vec<Value> {
        let log = self.folder.text("log.jsonl");
        let lines = log.lines().filter(|line| line.starts_with('{'));
        let lines = lines.map(|line| {
            serde_json::from_str::<Value>(line).unwrap_or_else(|error| panic!("{line}: {error}"))
        });
        lines.filter(|line| line["event"] == event).collect()
    }

    /// Waits until something holds.
    pub fn until(&self, what: &str, holds: impl Fn(&Self) -> bool) {
        let begun = Instant::now();
        while !holds(self) {
            assert!(begun.elapsed() < PATIENCE, "{what}: {}", self.folder.text("log.jsonl"));
            thread::sleep(Duration::from_millis(20));
        }
    }

    /// Tells the server to end.
    pub fn tell(&self, signal: &str) {
        let told = std::process::Command::new("kill").args([signal, &self.child.id().to_string()]).status();
        assert!(told.expect("kill is there").success());
    }

    /// Waits for its end; gives its exit code.
    pub fn ended(mut self) -> Option<i32> {
        let begun = Instant::now();
        loop {
            if let Some(status) = self.child.try_wait().expect("a child") {
                return status.code();
            }
            assert!(begun.elapsed() < PATIENCE, "it does not end");
            thread::sleep(Duration::from_millis(20));
        }
    }
}

impl Drop for Server<'_> {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Answer {
    pub fn text(&self) -> String {
        String::from_utf8(self.body.clone()).expect("text")
    }

    pub fn json(&self) -> Value {
        serde_json::from_slice(&self.body).unwrap_or_else(|error| panic!("{error}: {}", self.text()))
    }

    /// The value of a header.
    pub fn header(&self, name: &str) -> Option<&str> {
        let line =
            self.head.lines().find(|line| line.to_ascii_lowercase().starts_with(&format!("{name}:")))?;
        line.split_once(": ").map(|(_, value)| value)
    }

    /// The JSON of an answer that must be there.
    pub fn done(&self) -> Value {
        assert_eq!(self.status, 200, "{}", self.text());
        self.json()
    }

    /// What is wrong with a request that must have been refused so.
    pub fn refused(&self, status: u16) -> String {
        assert_eq!(self.status, status, "{}", self.text());
        assert_eq!(self.header("content-type"), Some("application/problem+json"));
        let told = self.json();
        assert_eq!(told["status"], status);
        told["detail"].as_str().expect("a sentence").into()
    }
}

/// A request as bytes.
pub fn request(path: &str, headers: &[&str], body: &[u8]) -> Vec<u8> {
    let headers: String = headers.iter().map(|header| format!("{header}\r\n")).collect();
    let head = format!(
        "POST {path} HTTP/1.1\r\nHost: here\r\nConnection: close\r\nContent-Length: {}\r\n{headers}\r\n",
        body.len()
    );
    [head.as_bytes(), body].concat()
}

/// Reads an answer to its end.
pub fn read_answer(stream: &mut TcpStream) -> io::Result<Answer> {
    let mut reader = BufReader::new(stream);
    let mut head = String::new();
    while !head.ends_with("\r\n\r\n") {
        if reader.read_line(&mut head)? == 0 {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
    }
    let status = head.split(' ').nth(1).and_then(|status| status.parse().ok());
    let mut answer = Answer { status: status.ok_or(io::ErrorKind::InvalidData)?, head, body: Vec::new() };
    if answer.header("transfer-encoding") == Some("chunked") {
        loop {
            let mut line = String::new();
            reader.read_line(&mut line)?;
            let length = usize::from_str_radix(line.trim(), 16).map_err(|_| io::ErrorKind::InvalidData)?;
            let mut chunk = vec![0; length + 2];
            reader.read_exact(&mut chunk)?;
            answer.body.extend(&chunk[..length]);
            if length == 0 {
                return Ok(answer);
            }
        }
    }
    let length = answer.header("content-length").and_then(|length| length.parse().ok()).unwrap_or(0);
    answer.body = vec![0; length];
    reader.read_exact(&mut answer.body)?;
    Ok(answer)
}
