//! Connections: how they begin, and how all of them end.

use std::io;
use std::net::SocketAddr;
use std::panic;
use std::sync::Arc;
use std::time::Duration;

use heddle_work::Session;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use thiserror::Error;
use tokio::net::{TcpListener, TcpStream};
use tokio::runtime::Builder;
use tokio::sync::{Semaphore, mpsc};
use tokio::time::{MissedTickBehavior, interval, sleep};

use crate::in_use::InUse;
use crate::log::{Event, Log};
use crate::metrics::Metrics;
use crate::options::ServeOptions;
use crate::routes::{description, router};
use crate::service::{Service, Texts};

/// The head of a request must be there so soon; an idle connection is closed after as long.
const HEAD: Duration = Duration::from_secs(20);
/// More bytes of head than this are refused.
const LONGEST_HEAD: usize = 64 << 10;
/// How often the file of the model is looked at.
const LOOKS: Duration = Duration::from_secs(1);
/// Files that may be open beside connections.
const SPARE: usize = 1024;
/// Threads for large requests, for each that serves connections.
const LARGE_AT_ONCE: usize = 4;
/// After a connection could not be taken, as when files have run out, so long passes before the next.
const BREATH: Duration = Duration::from_millis(50);

/// Why a server could not be begun.
#[derive(Debug, Error)]
pub enum ServeError {
    /// The model cannot be used.
    #[error(transparent)]
    Model(#[from] heddle_work::Error),
    /// The address cannot be listened at.
    #[error(
        "cannot listen at {address}: {error}; name another address, as in --address 127.0.0.1:0 for a free port"
    )]
    Address {
        /// The address.
        address: SocketAddr,
        /// Why not.
        error: io::Error,
    },
    /// The operating system refused.
    #[error(transparent)]
    Io(#[from] io::Error),
}

/// Answers requests until the process is told to end (TERM, or INT as by Ctrl-C), then answers what is begun. HUP lets
/// the model be read again at once; otherwise its file is looked at every second.
///
/// The hook of panics is replaced: a fault is logged by its place alone, since its message may hold text of a review.
/// `begun` is called when requests are taken, with the address.
///
/// # Errors
/// A model that cannot be used, or an address that cannot be listened at.
pub fn serve(
    options: ServeOptions,
    session: &Session,
    begun: impl FnOnce(SocketAddr),
) -> Result<(), ServeError> {
    let in_use = InUse::read(&options.model, session)?;
    let (log, writer) = Log::begin(options.quiet);
    let metrics = Metrics::new();
    metrics.uses(&in_use.get().inspected().xxh3);
    let runtime = Builder::new_multi_thread()
        .worker_threads(options.threads)
        .max_blocking_threads(LARGE_AT_ONCE * options.threads + 2) // and those that look at the model and the card
        .enable_all()
        .build()?;
    let texts = Texts {
        style: [options.style, include_str!("page/page.css")].concat(),
        script: [options.script, include_str!("page/page.js")].concat(),
        card: options.card,
        describe: description,
    };
    let service = Service::new(in_use, (log.clone(), metrics), (options.limits, options.token), texts);
    let service = Arc::new(service);
    tell_faults(&service);
    let done = runtime.block_on(listen(Arc::clone(&service), options.address, begun));
    runtime.shutdown_timeout(Duration::from_millis(100));
    let _ = panic::take_hook(); // it holds the log
    drop(service);
    drop(log);
    // What is logged is written out; a thread that a large request still holds keeps the log, and is not waited for.
    if done.as_ref().is_ok_and(|unanswered| *unanswered == 0) {
        let _ = writer.join();
    }
    done.map(|_| ())
}

/// Gives the number of connections that were not done in time.
async fn listen(
    service: Arc<Service>,
    address: SocketAddr,
    begun: impl FnOnce(SocketAddr),
) -> Result<u64, ServeError> {
    let refused = |error| ServeError::Address { address, error };
    let listener = TcpListener::bind(address).await.map_err(refused)?;
    let address = listener.local_addr().map_err(refused)?;
    let mut told = signals()?;
    let model = service.in_use.get().inspected().xxh3.clone();
    service.log.note(&Event::Started { address: address.to_string(), model });
    begun(address);
    let connections = Arc::new(Semaphore::new(service.limits.at_once + SPARE));
    let router = router(Arc::clone(&service));
    let graceful = GracefulShutdown::new();
    let mut looks = interval(LOOKS);
    looks.set_missed_tick_behavior(MissedTickBehavior::Delay);
    loop {
        let accepted = async {
            let place = Arc::clone(&connections).acquire_owned().await;
            (place, listener.accept().await)
        };
        let asked = tokio::select! {
            (place, accepted) = accepted => {
                match accepted {
                    Ok((stream, _)) => {
                        let served = graceful.watch(connection(stream, &router));
                        tokio::spawn(async move {
                            let _ = served.await; // a client that breaks off is no fault
                            drop(place);
                        });
                    }
                    Err(_) => sleep(BREATH).await,
                }
                continue;
            }
            _ = looks.tick() => false,
            signal = told.recv() => match signal {
                Some(Told::Look) => true,
                Some(Told::Stop) | None => break,
            },
        };
        let service = Arc::clone(&service);
        tokio::task::spawn_blocking(move || service.in_use.look(asked, &service.log, &service.metrics));
    }
    drop(listener);
    service.stop();
    service.log.note(&Event::Stopping);
    let unanswered = tokio::select! {
        () = graceful.shutdown() => 0,
        () = sleep(service.limits.time) => (service.limits.at_once + SPARE - connections.available_permits()) as u64,
        // Told again, it does not wait.
        _ = told.recv() => (service.limits.at_once + SPARE - connections.available_permits()) as u64,
    };
    service.log.note(&Event::Stopped { unanswered });
    Ok(unanswered)
}

/// Serves a connection.
fn connection(
    stream: TcpStream,
    router: &axum::Router,
) -> impl hyper_util::server::graceful::GracefulConnection<Error = hyper::Error> + use<> {
    let _ = stream.set_nodelay(true); // short answers leave at once; where that cannot be had they are slower
    hyper::server::conn::http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .max_buf_size(LONGEST_HEAD)
        .serve_connection(TokioIo::new(stream), TowerToHyperService::new(router.clone()))
}

/// What the process is told from outside.
enum Told {
    Stop,
    Look,
}

#[cfg(unix)]
fn signals() -> io::Result<mpsc::Receiver<Told>> {
    use tokio::signal::unix::{SignalKind, signal};
    let (tell, told) = mpsc::channel(4);
    let (mut interrupt, mut terminate, mut hangup) =
        (signal(SignalKind::interrupt())?, signal(SignalKind::terminate())?, signal(SignalKind::hangup())?);
    tokio::spawn(async move {
        loop {
            let what = tokio::select! {
                _ = interrupt.recv() => Told::Stop,
                _ = terminate.recv() => Told::Stop,
                _ = hangup.recv() => Told::Look,
            };
            if tell.send(what).await.is_err() {
                return;
            }
        }
    });
    Ok(told)
}

#[cfg(not(unix))]
fn signals() -> io::Result<mpsc::Receiver<Told>> {
    let (tell, told) = mpsc::channel(4);
    tokio::spawn(async move {
        while tokio::signal::ctrl_c().await.is_ok() && tell.send(Told::Stop).await.is_ok() {}
    });
    Ok(told)
}

fn tell_faults(service: &Arc<Service>) {
    let service = Arc::downgrade(service);
    panic::set_hook(Box::new(move |fault| {
        if heddle_files::is_guarded() {
            return; // caught, and told as an error
        }
        let Some(service) = service.upgrade() else { return };
        service.metrics.fault();
        let place = fault.location().map_or_else(|| "not known".into(), ToString::to_string);
        service.log.note(&Event::Fault { place });
    }));
}
