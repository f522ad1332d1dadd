//! A model that answers over HTTP.

use heddle_work::Session;

use crate::args::ServeArgs;
use crate::output::Output;

/// Answers until the process is told to end.
#[cfg(not(feature = "serve"))]
pub fn run(_: &ServeArgs, _: &Session, _: &Output) -> anyhow::Result<usize> {
    anyhow::bail!(
        "this program was built without its server; build it anew with cargo build --release --features serve"
    );
}

/// Answers until the process is told to end.
#[cfg(feature = "serve")]
pub fn run(args: &ServeArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    use std::time::Duration;

    use heddle_serve::{Limits, ServeOptions, read_token, serve};

    use crate::output::remark;
    use crate::view::report::{Form, SCRIPT, STYLE, card, written};

    let token = args.token_file.as_deref().map(read_token).transpose()?;
    if let (Some(token), Some(path)) = (&token, &args.token_file)
        && token.is_bare
    {
        remark(&format!(
            "warning: others on this machine can read {path}; chmod 600 {path} keeps the token to you"
        ));
    }
    if token.is_none() && !args.address.ip().is_loopback() {
        remark(
            "warning: whoever reaches this address can use the model; --token-file FILE asks them for a token",
        );
    }
    let options = ServeOptions {
        model: args.model.clone(),
        address: args.address,
        token: token.map(|token| token.text),
        limits: Limits {
            body: usize::from(args.body_limit) << 20,
            reviews: args.review_limit,
            at_once: args.at_once.into(),
            time: Duration::from_secs(args.time_limit.into()),
        },
        quiet: output.is_quiet(),
        threads: rayon::current_num_threads(),
        style: STYLE,
        script: SCRIPT,
        card: |inspected| written(&card(inspected), Form::Html),
    };
    let mut told = Ok(());
    serve(options, session, |address| told = output.answer("serve", &Begun::new(args, address), show))?;
    told?;
    Ok(0)
}

#[cfg(feature = "serve")]
#[derive(serde::Serialize)]
struct Begun {
    model: String,
    address: String,
    token: bool,
}

#[cfg(feature = "serve")]
impl Begun {
    fn new(args: &ServeArgs, address: std::net::SocketAddr) -> Self {
        Self {
            model: args.model.clone(),
            address: format!("http://{address}"),
            token: args.token_file.is_some(),
        }
    }
}

#[cfg(feature = "serve")]
fn show(begun: &Begun, page: &mut crate::view::Page) {
    page.heading(&format!("{} answers at {}", begun.model, begun.address));
    page.note(&format!(
        "Open it in a browser, or ask it: {}/openapi.json tells what can be asked{}. Ctrl-C ends it when what was begun is \
         answered. A line of JSON for each request follows; -q leaves them out.",
        begun.address,
        if begun.token { ", and clients must send the token" } else { "" }
    ));
}
