//! `spare-hour serve`: the app on the user's own data.

use std::net::{IpAddr, Ipv4Addr, SocketAddr, UdpSocket};
use std::path::PathBuf;
use std::time::Duration;

use anyhow::Context;
use clap::Args;
use spare_hour_planning::clock::Here;
use spare_hour_store::Store;
use spare_hour_web::{Options, Tls, router, serve};
use tokio::net::TcpListener;
use tracing_subscriber::Layer;
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

use crate::copies::keep_copies;
use crate::directory::{Claimed, data_directory, keep_private};
use crate::household::first_code;
use crate::stand_in;

/// The port, unless told another.
pub(crate) const PORT: u16 = 7878;

/// Serve the app on your own data.
#[derive(Args)]
pub(crate) struct Serve {
    /// Port to listen on; 0 takes any free one.
    #[arg(long, default_value_t = PORT)]
    port: u16,
    /// Address to listen on. Anything but this machine's own opens the app to a network: people sign in then.
    #[arg(long, default_value_t = IpAddr::V4(Ipv4Addr::LOCALHOST))]
    host: IpAddr,
    /// Directory of the data; made if need be.
    #[arg(long)]
    data: Option<PathBuf>,
    /// A name under which browsers may reach it, beside localhost and addresses in digits; may be given several times.
    #[arg(long = "name")]
    names: Vec<String>,
    /// Certificate chain as PEM, to encrypt connections with.
    #[arg(long, requires = "tls_key")]
    tls_cert: Option<PathBuf>,
    /// Private key of the certificate, as PEM.
    #[arg(long, requires = "tls_cert")]
    tls_key: Option<PathBuf>,
    /// Address of a reverse proxy before it, which speaks TLS to browsers: from it alone forwarded headers are believed. People sign in.
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "127.0.0.1")]
    behind_proxy: Option<IpAddr>,
}

impl Serve {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = match &self.data {
            Some(directory) => directory.clone(),
            None => data_directory()?,
        };
        let tls = self.tls()?;
        let claimed = Claimed::new(&directory)?;
        if claimed.for_own_data()? {
            eprintln!("spare-hour: {} was a demo's; from now on it holds your own data.", directory.display());
        }
        let store = Store::open(claimed.path())?;
        let address = SocketAddr::new(self.host, self.port);
        let listening =
            Listening { names: self.names.clone(), tls, proxy: self.behind_proxy, ..Listening::on(address) };
        listen(store, &claimed, listening)
    }

    fn tls(&self) -> anyhow::Result<Option<Tls>> {
        let Some((certificate, key)) = self.tls_cert.as_ref().zip(self.tls_key.as_ref()) else { return Ok(None) };
        let read = |path: &PathBuf| std::fs::read(path).with_context(|| format!("cannot read {}", path.display()));
        let tls = Tls::new(&read(certificate)?, &read(key)?);
        tls.map(Some).map_err(|problem| anyhow::anyhow!("{} and {}: {problem}", certificate.display(), key.display()))
    }
}

/// How the app is served.
pub(crate) struct Listening {
    /// What is told about the data on every page.
    notice: Option<&'static str>,
    address: SocketAddr,
    names: Vec<String>,
    tls: Option<Tls>,
    proxy: Option<IpAddr>,
}

impl Listening {
    /// On an address, with nothing special.
    pub(crate) fn on(address: SocketAddr) -> Self {
        Self { notice: None, address, names: Vec::new(), tls: None, proxy: None }
    }

    /// The same with something told about the data on every page.
    pub(crate) fn with_notice(self, notice: &'static str) -> Self {
        Self { notice: Some(notice), ..self }
    }

    /// Whether more than this machine reaches it, so that people sign in.
    fn is_guarded(&self) -> bool {
        !self.address.ip().is_loopback() || self.proxy.is_some()
    }
}

/// Listens until the process is told to stop.
pub(crate) fn listen(store: Store, claimed: &Claimed, listening: Listening) -> anyhow::Result<()> {
    log_to_stderr();
    keep_private(store.path());
    let guarded = listening.is_guarded();
    let code = if guarded { first_code(&store)? } else { None };
    let Listening { notice, address, names, tls, proxy } = listening;
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let served = runtime.block_on(async {
        let listener = TcpListener::bind(address).await.with_context(|| {
            format!("cannot listen on {address}; is another Spare Hour running? Choose another port with --port")
        })?;
        let address = listener.local_addr()?;
        let scheme = if tls.is_some() { "https" } else { "http" };
        let told = tell(scheme, address, &names, proxy.is_some(), code.as_deref());
        let options = Options {
            notice: notice.map(Into::into),
            names,
            // It plays to this machine's own port, in the open.
            stand_in: (tls.is_none() && proxy.is_none()).then(|| stand_in::lent_to(address.port())),
            guarded,
            secure: tls.is_some() || proxy.is_some(),
            proxy,
            here: Here::of_this_machine(),
        };
        // Whoever reads where it is may ask at once.
        let router = router(store, options);
        crate::print(&format!(
            "Spare Hour is at {scheme}://{address} (data in {}). Stop it with Ctrl-C.",
            claimed.path().display()
        ));
        for line in &told {
            crate::print(line);
        }
        keep_copies(claimed.path().into(), Here::of_this_machine());
        serve(listener, router, tls, told_to_stop()).await?;
        Ok(())
    });
    // Work that nobody waits for any more has been told to stop; it gets a moment.
    runtime.shutdown_timeout(Duration::from_secs(1));
    served
}

/// Where else it is reached, what is not encrypted, and how the first owner comes in.
fn tell(scheme: &str, address: SocketAddr, names: &[String], proxied: bool, code: Option<&str>) -> Vec<String> {
    let (ip, port) = (address.ip(), address.port());
    let mut told = Vec::new();
    if !ip.is_loopback() {
        let own = if ip.is_unspecified() { addresses(ip.is_ipv6()) } else { vec![ip] };
        let by_address = own.into_iter().map(|ip| SocketAddr::new(ip, port).to_string());
        let by_name = names.iter().map(|name| format!("{name}:{port}"));
        told.extend(by_address.chain(by_name).map(|at| format!("Reached at {scheme}://{at}")));
        if scheme == "http" && !proxied {
            told.push(
                "Nothing is encrypted: whoever listens in this network reads along, passwords too. --tls-cert and --tls-key, or a \
                 proxy with --behind-proxy, mend that (docs/serving.md)."
                    .into(),
            );
        }
    }
    let door =
        format!("{scheme}://{}", if ip.is_unspecified() { format!("localhost:{port}") } else { address.to_string() });
    told.extend(code.map(|code| {
        format!(
            "Nobody has an account yet. The first owner chooses a password within an hour at {door}/welcome?code={code}"
        )
    }));
    told
}

/// The addresses under which this machine reaches others, as its system chooses them, those of IPv6 too where asked: asking for a way
/// sends nothing.
fn addresses(six: bool) -> Vec<IpAddr> {
    // Addresses of documentation (RFC 5737, RFC 3849): routed like any other.
    let ways = [("0.0.0.0:0", "192.0.2.1:9"), ("[::]:0", "[2001:db8::1]:9")];
    let own = ways.into_iter().take(if six { 2 } else { 1 }).filter_map(|(from, to)| {
        let socket = UdpSocket::bind(from).ok()?;
        socket.connect(to).ok()?;
        Some(socket.local_addr().ok()?.ip())
    });
    own.filter(|ip| !ip.is_unspecified()).chain([IpAddr::V4(Ipv4Addr::LOCALHOST)]).collect()
}

/// Logs warnings and errors to standard error; `SPARE_HOUR_LOG=info` (or `tower_http=debug`, …) logs more,
/// `SPARE_HOUR_LOG_FORMAT=json` an object a line.
fn log_to_stderr() {
    let asked = std::env::var("SPARE_HOUR_LOG").ok().and_then(|asked| asked.parse().ok());
    let filter = asked.unwrap_or_else(|| Targets::new().with_default(LevelFilter::WARN));
    let lines = tracing_subscriber::fmt::layer().with_writer(std::io::stderr);
    let json = std::env::var("SPARE_HOUR_LOG_FORMAT").is_ok_and(|format| format == "json");
    let log = if json { lines.json().boxed() } else { lines.boxed() };
    tracing_subscriber::registry().with(log).with(filter).init();
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
