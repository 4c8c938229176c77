//! stub
use clap::Args;
#[derive(Args)]
pub(crate) struct Serve {}
impl Serve {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        Ok(())
    }
}
