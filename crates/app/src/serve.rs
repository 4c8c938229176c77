//! `spare-hour serve`: the app on the user's own data.

use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::path::PathBuf;
use std::time::Duration;

use anyhow::Context;
use clap::Args;
use spare_hour_planning::clock::Here;
use spare_hour_store::Store;
use spare_hour_web::{Options, router, serve};
use tokio::net::TcpListener;
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

use crate::copies::keep_copies;
use crate::directory::{Claimed, data_directory, keep_private};
use crate::stand_in;

/// The port, unless told another.
pub(crate) const PORT: u16 = 7878;

/// Serve the app on your own data.
#[derive(Args)]
pub(crate) struct Serve {
    /// Port to listen on; 0 takes any free one.
    #[arg(long, default_value_t = PORT)]
    port: u16,
    /// Address to listen on. Anything but this machine's own opens the app to whoever can reach it.
    #[arg(long, default_value_t = IpAddr::V4(Ipv4Addr::LOCALHOST))]
    host: IpAddr,
    /// Directory of the data; made if need be.
    #[arg(long)]
    data: Option<PathBuf>,
    /// A name under which browsers may reach it, beside localhost and addresses in digits; may be given several times.
    #[arg(long = "name")]
    names: Vec<String>,
}

impl Serve {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = match &self.data {
            Some(directory) => directory.clone(),
            None => data_directory()?,
        };
        let claimed = Claimed::new(&directory)?;
        if claimed.for_own_data()? {
            eprintln!("spare-hour: {} was a demo's; from now on it holds your own data.", directory.display());
        }
        let store = Store::open(claimed.path())?;
        listen(store, None, SocketAddr::new(self.host, self.port), self.names.clone(), &claimed)
    }
}

/// Listens until the process is told to stop.
pub(crate) fn listen(
    store: Store,
    notice: Option<&str>,
    address: SocketAddr,
    names: Vec<String>,
    claimed: &Claimed,
) -> anyhow::Result<()> {
    log_to_stderr();
    keep_private(store.path());
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let served = runtime.block_on(async {
        let listener = TcpListener::bind(address).await.with_context(|| {
            format!("cannot listen on {address}; is another Spare Hour running? Choose another port with --port")
        })?;
        let address = listener.local_addr()?;
        let options = Options {
            notice: notice.map(Into::into),
            names,
            stand_in: Some(stand_in::lent_to(address.port())),
            here: Here::of_this_machine(),
        };
        // Whoever reads where it is may ask at once.
        let router = router(store, options);
        crate::print(&format!(
            "Spare Hour is at http://{address} (data in {}). Stop it with Ctrl-C.",
            claimed.path().display()
        ));
        if let Some(warning) = reachable(address) {
            crate::print(&warning);
        }
        keep_copies(claimed.path().into(), Here::of_this_machine());
        serve(listener, router, told_to_stop()).await?;
        Ok(())
    });
    // Work that nobody waits for any more has been told to stop; it gets a moment.
    runtime.shutdown_timeout(Duration::from_secs(1));
    served
}

/// Who can reach the app, where that is not this machine alone.
fn reachable(address: SocketAddr) -> Option<String> {
    let at = match address.ip() {
        ip if ip.is_loopback() => return None,
        ip if ip.is_unspecified() => format!("port {} of every address of this machine", address.port()),
        _ => format!("http://{address}"),
    };
    Some(format!(
        "Whoever can reach {at} can read and change everything here: no password is asked, and nothing is encrypted. \
         Do this only in a network that you trust."
    ))
}

/// Logs warnings and errors to standard error; `SPARE_HOUR_LOG=info` (or `tower_http=debug`, …) logs more.
fn log_to_stderr() {
    let asked = std::env::var("SPARE_HOUR_LOG").ok().and_then(|asked| asked.parse().ok());
    let filter = asked.unwrap_or_else(|| Targets::new().with_default(LevelFilter::WARN));
    let format = tracing_subscriber::fmt::layer().with_writer(std::io::stderr);
    tracing_subscriber::registry().with(format).with(filter).init();
}

/// Ctrl-C, or the signal that service managers send.
async fn told_to_stop() {
    let interrupted = async {
        let _ = tokio::signal::ctrl_c().await;
    };
    #[cfg(unix)]
    {
        use tokio::signal::unix::{SignalKind, signal};
        match signal(SignalKind::terminate()) {
            Ok(mut terminated) => {
                tokio::select! {
                    () = interrupted => {}
                    _ = terminated.recv() => {}
                }
            }
            Err(_) => interrupted.await,
        }
    }
    #[cfg(not(unix))]
    interrupted.await;
}
