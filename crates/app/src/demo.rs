//! `spare-hour demo`: the app on an invented country's roads, in a database of its own.

use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::path::PathBuf;

use anyhow::Context;
use clap::Args;
use spare_hour::demo_data;
use spare_hour_store::Store;

use crate::directory::{Claimed, data_directory};
use crate::serve::{Listening, PORT, listen};

/// Serve the app with the demo data, in a database of its own.
#[derive(Args)]
pub(crate) struct Demo {
    /// Port to listen on; 0 takes any free one.
    #[arg(long, default_value_t = PORT)]
    port: u16,
    /// Forget what was changed in the demo and begin anew.
    #[arg(long)]
    fresh: bool,
    /// Directory of the demo's data; made if need be.
    #[arg(long)]
    data: Option<PathBuf>,
}

impl Demo {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        let directory = match &self.data {
            Some(directory) => directory.clone(),
            None => data_directory()?.join("demo"),
        };
        let claimed = Claimed::new(&directory)?;
        claimed.for_demo()?;
        if self.fresh {
            claimed.forget_demo()?;
        }
        let store = Store::open(claimed.path())?;
        if store.cars()?.is_empty() {
            demo_data::fill(&store).context("the demo data")?;
        }
        let address = SocketAddr::new(IpAddr::V4(Ipv4Addr::LOCALHOST), self.port);
        listen(store, &claimed, Listening::on(address).with_notice(demo_data::NOTICE))
    }
}
