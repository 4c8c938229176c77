//! `spare-hour serve`: the app on the user's own data.

use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::path::{Path, PathBuf};

use anyhow::Context;
use clap::Args;
use directories::ProjectDirs;
use spare_hour_store::Store;
use spare_hour_web::{Options, router, serve};
use tokio::net::TcpListener;
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

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
}

impl Serve {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = match &self.data {
            Some(directory) => directory.clone(),
            None => data_directory()?,
        };
        let store = Store::open(&directory)?;
        listen(store, None, SocketAddr::new(self.host, self.port), &directory)
    }
}

/// Where data is kept unless told otherwise.
pub(crate) fn data_directory() -> anyhow::Result<PathBuf> {
    let directories = ProjectDirs::from("", "", "spare-hour").context("no home directory; name one with --data")?;
    Ok(directories.data_dir().to_path_buf())
}

/// Listens until the process is told to stop.
pub(crate) fn listen(store: Store, notice: Option<&str>, address: SocketAddr, directory: &Path) -> anyhow::Result<()> {
    log_to_stderr();
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    runtime.block_on(async {
        let listener = TcpListener::bind(address).await.with_context(|| {
            format!("cannot listen on {address}; is another Spare Hour running? Choose another port with --port")
        })?;
        let address = listener.local_addr()?;
        let options = Options {
            notice: notice.map(Into::into),
            local_only: address.ip().is_loopback(),
            stand_in: Some(stand_in::lent_to(address.port())),
        };
        crate::print(&format!(
            "Spare Hour is at http://{address} (data in {}). Stop it with Ctrl-C.",
            directory.display()
        ));
        serve(listener, router(store, options), told_to_stop()).await?;
        Ok(())
    })
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
