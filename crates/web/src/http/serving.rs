//! Connections: so many at once, each with a time for its headers; and an end that does not wait for who never ends.

use std::future::Future;
use std::pin::pin;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Most connections at once; whoever comes later waits for one to end.
const MOST_CONNECTIONS: usize = 512;
/// A connection that has not sent the head of a request within this is closed.
const HEADERS: Duration = Duration::from_secs(30);
/// Requests that are under way when the server is told to stop may take so much longer.
const LAST: Duration = Duration::from_secs(4);
/// How long accepting rests after a failure, such as too many open files.
const REST: Duration = Duration::from_millis(50);

/// Serves the app until `stop` is done, then lets requests under way end, for a few seconds.
///
/// # Errors
/// When the runtime gives no more places, which it does not.
pub async fn serve(
    listener: TcpListener,
    router: Router,
    stop: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    let graceful = GracefulShutdown::new();
    let places = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let mut stop = pin!(stop);
    loop {
        let (stream, place) = tokio::select! {
            accepted = next(&listener, &places) => accepted?,
            () = &mut stop => break,
        };
        let service = TowerToHyperService::new(router.clone());
        let mut http = http1::Builder::new();
        http.timer(TokioTimer::new()).header_read_timeout(HEADERS);
        let connection = graceful.watch(http.serve_connection(TokioIo::new(stream), service));
        tokio::spawn(async move {
            if let Err(error) = connection.await {
                tracing::debug!("a connection ended: {error}");
            }
            drop(place);
        });
    }
    drop(listener);
    tokio::select! {
        () = graceful.shutdown() => {}
        () = tokio::time::sleep(LAST) => tracing::warn!("requests under way were cut off"),
    }
    Ok(())
}

/// The next connection, once there is a place for it.
async fn next(listener: &TcpListener, places: &Arc<Semaphore>) -> std::io::Result<(TcpStream, OwnedSemaphorePermit)> {
    let place = Arc::clone(places).acquire_owned().await.map_err(std::io::Error::other)?;
    loop {
        match listener.accept().await {
            Ok((stream, _)) => {
                // Small answers go out at once.
                let _ = stream.set_nodelay(true);
                return Ok((stream, place));
            }
            Err(error) => {
                tracing::warn!("a connection could not be accepted: {error}");
                tokio::time::sleep(REST).await;
            }
        }
    }
}
