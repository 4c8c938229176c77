//! stub
use clap::Args;
#[derive(Args)]
pub(crate) struct Demo {}
impl Demo {
    pub(crate) fn run(&self) -> anyhow::Result<()> {
        Ok(())
    }
}
