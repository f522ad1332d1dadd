//! What can be asked where a model answers over HTTP.

use std::net::SocketAddr;

use clap::Args;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  heddle serve m.heddle                                a page at http://127.0.0.1:4333\n  curl -H 'Content-Type: application/json' -d '{\"reviews\": [\"Not a bad cabin at all.\"]}' http://127.0.0.1:4333/score\n  curl -H 'Content-Type: text/csv' --data-binary @new.csv http://127.0.0.1:4333/rows > scored.csv\n  heddle serve m.heddle --address 0.0.0.0:4333 --token-file token    for other machines, behind a proxy that encrypts\n\nWhat can be asked stands in docs/serving.md and at /openapi.json. Another model takes over when its file takes the place of this one (mv); TERM or Ctrl-C ends the server when what was begun is answered."
)]
pub struct ServeArgs {
    /// The model
    #[arg(value_name = "MODEL")]
    pub model: String,
    /// Listen at this address; port 0 is any that is free
    #[arg(long, value_name = "ADDRESS:PORT", default_value = "127.0.0.1:4333")]
    pub address: SocketAddr,
    /// Ask clients for the token in this file, sent as `Authorization: Bearer TOKEN`
    #[arg(long, value_name = "FILE")]
    pub token_file: Option<String>,
    /// Refuse a request of more megabytes than this, unpacked
    #[arg(long, value_name = "MB", default_value_t = 8, value_parser = clap::value_parser!(u16).range(1..=1024), help_heading = "Limits")]
    pub body_limit: u16,
    /// Refuse a request of more reviews than this; files that are sent whole are limited by their size alone
    #[arg(long, value_name = "N", default_value_t = 10_000, help_heading = "Limits")]
    pub review_limit: usize,
    /// Give up on a request after this many seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 30, value_parser = clap::value_parser!(u16).range(1..), help_heading = "Limits")]
    pub time_limit: u16,
    /// Work on this many requests at a time, and send others away to come back in a second
    #[arg(long, value_name = "N", default_value_t = 2048, value_parser = clap::value_parser!(u16).range(1..), help_heading = "Limits")]
    pub at_once: u16,
}
