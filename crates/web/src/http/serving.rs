//! Connections: so many at once, each with a time for its headers; and an end that does not wait for who never ends.

use std::future::Future;
use std::net::IpAddr;
use std::pin::pin;
use std::sync::Arc;
use std::time::Duration;

use axum::{Extension, Router};
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio_rustls::TlsAcceptor;
use tokio_rustls::rustls::ServerConfig;
use tokio_rustls::rustls::pki_types::pem::PemObject;
use tokio_rustls::rustls::pki_types::{CertificateDer, PrivateKeyDer};

use crate::household::Peer;

/// Most connections at once; whoever comes later waits for one to end.
const MOST_CONNECTIONS: usize = 512;
/// A connection that has not sent the head of a request within this is closed.
const HEADERS: Duration = Duration::from_secs(30);
/// A connection that is not encrypted within this, where it is to be, is closed.
const HANDSHAKE: Duration = Duration::from_secs(10);
/// Requests that are under way when the server is told to stop may take so much longer.
const LAST: Duration = Duration::from_secs(4);
/// How long accepting rests after a failure, such as too many open files.
const REST: Duration = Duration::from_millis(50);

/// A connection's bytes, encrypted or not.
trait Wire: AsyncRead + AsyncWrite + Send + Unpin {}

impl<T: AsyncRead + AsyncWrite + Send + Unpin> Wire for T {}

/// A certificate with its key, to encrypt connections with.
#[derive(Clone)]
pub struct Tls(TlsAcceptor);

impl Tls {
    /// Of a certificate chain and a private key, both as PEM.
    ///
    /// # Errors
    /// What is wrong with one of them.
    pub fn new(certificate: &[u8], key: &[u8]) -> Result<Self, String> {
        let chain: Result<Vec<_>, _> = CertificateDer::pem_slice_iter(certificate).collect();
        let chain = chain.map_err(|error| format!("the certificate cannot be read: {error}; expected PEM"))?;
        if chain.is_empty() {
            return Err("the certificate's file holds none; expected PEM".into());
        }
        let key = PrivateKeyDer::from_pem_slice(key)
            .map_err(|error| format!("the key cannot be read: {error}; expected PEM"))?;
        let config = ServerConfig::builder().with_no_client_auth().with_single_cert(chain, key);
        let config = config.map_err(|error| format!("certificate and key do not fit: {error}"))?;
        Ok(Self(TlsAcceptor::from(Arc::new(config))))
    }
}

/// The bytes of a connection; `None` where it does not come to be encrypted in time.
async fn wire(stream: TcpStream, tls: Option<Tls>) -> Option<Box<dyn Wire>> {
    let Some(Tls(acceptor)) = tls else { return Some(Box::new(stream)) };
    match tokio::time::timeout(HANDSHAKE, acceptor.accept(stream)).await {
        Ok(Ok(encrypted)) => Some(Box::new(encrypted)),
        Ok(Err(error)) => {
            tracing::debug!("a connection was not encrypted: {error}");
            None
        }
        Err(_) => None,
    }
}

/// Serves the app until `stop` is done, then lets requests under way end, for a few seconds.
///
/// # Errors
/// When the runtime gives no more places, which it does not.
pub async fn serve(
    listener: TcpListener,
    router: Router,
    tls: Option<Tls>,
    stop: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    let graceful = GracefulShutdown::new();
    let places = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let mut stop = pin!(stop);
    loop {
        let (stream, peer, place) = tokio::select! {
            accepted = next(&listener, &places) => accepted?,
            () = &mut stop => break,
        };
        let service = TowerToHyperService::new(router.clone().layer(Extension(Peer(peer))));
        let (tls, watcher) = (tls.clone(), graceful.watcher());
        tokio::spawn(async move {
            let Some(wire) = wire(stream, tls).await else { return };
            let mut http = http1::Builder::new();
            http.timer(TokioTimer::new()).header_read_timeout(HEADERS);
            if let Err(error) = watcher.watch(http.serve_connection(TokioIo::new(wire), service)).await {
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
async fn next(
    listener: &TcpListener,
    places: &Arc<Semaphore>,
) -> std::io::Result<(TcpStream, IpAddr, OwnedSemaphorePermit)> {
    let place = Arc::clone(places).acquire_owned().await.map_err(std::io::Error::other)?;
    loop {
        match listener.accept().await {
            Ok((stream, from)) => {
                // Small answers go out at once.
                let _ = stream.set_nodelay(true);
                // An IPv4 address that came over an IPv6 socket is itself.
                return Ok((stream, from.ip().to_canonical(), place));
            }
            Err(error) => {
                tracing::warn!("a connection could not be accepted: {error}");
                tokio::time::sleep(REST).await;
            }
        }
    }
}
